#pragma once

#include <anvilcast/export.hpp>
#include <string>

namespace anvilcast {

/// The version of the library, e.g. "0.1.0".
ANVILCAST_API std::string version();

}  // namespace anvilcast
