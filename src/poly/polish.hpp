// The last polyhedra that are no good, made better by moving their points.
#pragma once

#include "poly/measures.hpp"
#include "poly/points.hpp"

namespace anvilcast::poly {

/// Polyhedra that their centroid does not see from inside all round, or whose faces lean far from the lines to the
/// neighbours' centroids. Points are moved one by one where that makes the worst polyhedron about them better; those on
/// kept faces within their triangle, those on edges along them, so that shape and heights of layers stay. Returns how
/// many polyhedra are still not what they should be. O(n) and a little for each bad one.
std::size_t polish(const DualFrame& frame, const DualNodes& nodes, const CellFaces& faces,
                   std::vector<Vec3>&& centroids, VolumeMesh& polyhedra);

}  // namespace anvilcast::poly
