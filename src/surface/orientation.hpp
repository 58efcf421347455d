// Which triangles to turn so that neighbours agree on which side is out.
#pragma once

#include <anvilcast/surface.hpp>
#include <vector>

namespace anvilcast {

struct Orientation {
    std::vector<Index> shell_of;    ///< for each triangle, numbered in the order of their first triangles
    std::vector<bool> turn;         ///< the smaller share by area of each shell
    std::vector<std::size_t> torn;  ///< edges at which a shell contradicts itself: it has no two sides
    std::size_t n_shells = 0;
};

/// Walks over the edges with two triangles. Shells hang together over any edges. O(n).
Orientation find_orientation(const Surface& surface, const SurfaceEdges& edges);

}  // namespace anvilcast
