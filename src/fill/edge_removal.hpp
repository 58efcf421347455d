// Taking an edge out: the ring of tetrahedra round it is filled anew from a triangulation of the ring's polygon.
#pragma once

#include <functional>

#include "fill/tet_complex.hpp"

namespace anvilcast::fill {

/// How good a tetrahedron is; larger is better, and whatever is not positively oriented must give 0 or less.
using QuadQuality = std::function<double(const Quad&)>;

struct EdgeRemoval {
    double quality = 0;       ///< of the worst new tetrahedron
    std::vector<Quad> fresh;  ///< the tetrahedra that take the ring's place
};

inline constexpr std::size_t kLargestRing = 12;

/// The best way to fill the ring of edge ab without the edge: dynamic programming over the triangulations of the
/// polygon (Klincsek 1980; Shewchuk 2002), O(n^3). Quality 0 or less when there is no valid way, or the ring is not
/// free or longer than kLargestRing. `stop_below`: give up when the result cannot be better than that.
EdgeRemoval best_edge_removal(const TetComplex::Ring& ring, Index a, Index b, const QuadQuality& quality,
                              double stop_below = 0);

}  // namespace anvilcast::fill
