// Simple polygons in the plane.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/vectors.hpp>
#include <vector>

namespace anvilcast {

/// The closed triangulation of a simple polygon, given by its corners in order; O(n^2). Orientation of the triangles
/// is that of the polygon. Throws GeometryError when the polygon crosses itself.
ANVILCAST_API std::vector<Triangle> triangulate_polygon(const std::vector<Vec2>& corners);

}  // namespace anvilcast
