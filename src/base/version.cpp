#include <anvilcast/version.hpp>

namespace anvilcast {

std::string version() { return ANVILCAST_VERSION; }

}  // namespace anvilcast
