// Points that recovery needs on a side that repeats.
#pragma once

#include <anvilcast/fill.hpp>

#include <vector>

namespace anvilcast::fill {

/// A surface mesh with points that it did not have.
struct DividedSurface {
    SurfaceMesh mesh;           ///< its first points are those of the surface that it was made of
    std::vector<Index> parent;  ///< of each triangle: the one of that surface that it is a part of
};

/// Puts those of the points that lie on sides that repeat, and their images, into the triangles and edges there. False
/// when there were none. Throws FillObstacle, with the places, when one lies on an edge that `is_held` (of each
/// triangle of the original surface) tells to stay whole. O(n) for each point.
bool put_on_both_sides(DividedSurface& surface, const std::vector<AddedBoundaryPoint>& added,
                       const std::vector<char>& is_held);

}  // namespace anvilcast::fill
