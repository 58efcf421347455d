// The surface mesh before it is looked at: for predictions.
#pragma once

#include <anvilcast/surface_mesh.hpp>

namespace anvilcast::surfmesh {

/// What mesh_surface() begins with. It has about the triangles that it will have in the end; it may be too far from the
/// original in places, or cross itself there.
SurfaceMesh draft_surface_mesh(const Domain& domain, const SizeField& sizes, const SurfaceMeshOptions& options,
                               const Context& context);

}  // namespace anvilcast::surfmesh
