// Where the nodes of polyhedra lie.
#pragma once

#include <vector>

#include "poly/frame.hpp"
#include "poly/measures.hpp"

namespace anvilcast::poly {

/// Those that the faces of polyhedra have.
struct DualNodes {
    std::vector<Index> number_of;  ///< of each node among the points; kNone for one that is not needed
    std::vector<Node> node_of;     ///< of each point
};

/// Places for the points of polyhedra: of a cell of the core as near as may be to the place that has
/// the same distance to the middles of the four polyhedra that meet there, so that faces are flat and stand upright
/// on the lines between them; the middles follow from the places, so a few rounds are made, and in the end faces are
/// flattened a little. The same on faces of the boundary and on sharp edges, without leaving them. What is on the
/// stacks of layers stays as it is. Returns the polyhedra's centroids. Parallel, O(n). Source: Q. Du et al., Centroidal
/// Voronoi tessellations (1999), here with neighbours that do not change.
std::vector<Vec3> place_points(const DualFrame& frame, const DualNodes& nodes, const CellFaces& faces,
                               VolumeMesh& polyhedra);

}  // namespace anvilcast::poly
