// How far a mesh is from the original surface.
#pragma once

#include "surfmesh/remesher.hpp"

namespace anvilcast::surfmesh {

struct Deviation {
    double largest = 0;
    Vec3 at;
    struct Place {
        Vec3 at;
        double distance, size;
    };
    std::vector<Place> too_large;  ///< beyond the limits
};

/// Both ways, patch by patch: middles of the mesh's triangles and edges from the original, and corners and middles of
/// the original's triangles from the mesh. Parallel, O((n + m) log(n m)).
Deviation measure_deviation(const Original& original, const Draft& mesh, const ShapeLimits& limits);

}  // namespace anvilcast::surfmesh
