// Which sides of triangles face each other across an edge, whatever the number of triangles there.
#pragma once

#include <anvilcast/surface.hpp>
#include <functional>
#include <vector>

namespace anvilcast {

/// A side of a triangle: 2 t for the front of triangle t, where its normal points, 2 t + 1 for its back.
constexpr Index front_of(Index triangle) { return 2 * triangle; }
constexpr Index back_of(Index triangle) { return 2 * triangle + 1; }

/// Calls visit(edge, use, side, other use, other side) for each wedge of space at each edge: between the two sides lies
/// no other triangle. A single triangle's two sides face each other. Triangles round an edge are sorted by angle,
/// exactly. O(n log d), d the number of triangles at an edge.
using FacingVisit = std::function<void(std::size_t edge, const SurfaceEdges::Use& use, Index side,
                                       const SurfaceEdges::Use& other_use, Index other_side)>;
void for_facing_sides(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles,
                      const SurfaceEdges& edges, const FacingVisit& visit);

}  // namespace anvilcast
