#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include "io/cad/cad.hpp"

namespace anvilcast {

bool can_read_cad() { return false; }

SurfaceFile io::read_cad(const std::filesystem::path& file, const ReadSurfaceOptions&) {
    throw InputError(
        fmt::format("{}: this build reads no CAD files; build with -DANVILCAST_WITH_CAD=ON, or export the "
                    "model as STL",
                    file.string()));
}

}  // namespace anvilcast
