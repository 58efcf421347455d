// The faces of the polyhedra, as rows of nodes.
#pragma once

#include <vector>

#include "poly/frame.hpp"

namespace anvilcast::poly {

struct DualFaces {
    struct Face {
        Index owner;      ///< polyhedron; the nodes turn counter-clockwise seen from outside of it
        Index neighbour;  ///< with a higher number; kNone on the boundary
        Index zone;       ///< kNone within a region
    };
    std::vector<Face> faces;
    std::vector<std::size_t> offsets{0};
    std::vector<Node> nodes;

    std::size_t size() const { return faces.size(); }
    std::span<const Node> face(std::size_t f) const { return {nodes.data() + offsets[f], offsets[f + 1] - offsets[f]}; }
    template <typename Nodes>
    void add(const Face& face, const Nodes& row) {
        faces.push_back(face);
        nodes.insert(nodes.end(), row.begin(), row.end());
        offsets.push_back(nodes.size());
    }
};

/// Every two faces meet in whole edges, and each polyhedron is closed, by construction: each cell of the mesh is
/// divided between its corners by small facets, whose rims cancel out but for the faces' edges. Nodes that just two
/// edges meet at are left out, but for those that carry an edge or a corner of the shape. Parallel, O(n log n).
DualFaces dual_faces(const DualFrame& frame);

}  // namespace anvilcast::poly
