// Polygons on sides that repeat.
#pragma once

#include <anvilcast/volume_mesh.hpp>

namespace anvilcast::poly {

/// What lies behind a side decides how polygons on it are divided, and that may differ from what lies behind its image.
/// Divides them further, on both, until they are images of each other: points are put into edges, and polygons into
/// pieces of the same polyhedron. What cannot be matched is left as it is. O(n log n) where something differs.
void match_sides(VolumeMesh& polyhedra);

}  // namespace anvilcast::poly
