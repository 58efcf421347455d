// The door to the CAD component: in a library that is built without it, reading CAD is refused with a reason.
#pragma once

#include <anvilcast/surface_files.hpp>

namespace anvilcast::io {

SurfaceFile read_cad(const std::filesystem::path& file, const ReadSurfaceOptions& options);

}  // namespace anvilcast::io
