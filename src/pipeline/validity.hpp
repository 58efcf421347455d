#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/volume_mesh.hpp>

namespace anvilcast {

/// Throws InternalError with the first faults when the mesh is none: what was made is checked before it is kept or
/// written.
void require_valid(const VolumeMesh& mesh, const Context& context);

}  // namespace anvilcast
