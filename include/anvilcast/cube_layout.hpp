// How the cubes of a core stand.
#pragma once

#include <anvilcast/vectors.hpp>
#include <vector>

namespace anvilcast {

struct CubeLayout {
    int per_level = 2;  ///< cubes between two changes of their size, 1 to 8
    /// Directions of any length that their edges are along: the first, and what the second has square to it. One alone
    /// is completed; none: those that most flat area of the boundary is square to.
    std::vector<Vec3> axes = {};
};

}  // namespace anvilcast
