// Taking an edge out: the ring of tetrahedra round it is filled anew from a triangulation of the ring's polygon.
#pragma once

#include <limits>

#include "tets/tet_complex.hpp"

namespace anvilcast::tets {

struct EdgeRemoval {
    double quality = 0;       ///< of the worst new tetrahedron
    std::vector<Quad> fresh;  ///< the tetrahedra that take the ring's place
};

inline constexpr std::size_t kLargestRing = 12;

/// The best way to fill the ring of edge ab without the edge: dynamic programming over the triangulations of the
/// polygon (Klincsek 1980; Shewchuk 2002), O(n^3). `quality` of a Quad: larger is better, and whatever is not
/// positively oriented must give 0 or less. Quality 0 or less when there is no valid way, or the ring is not free or
/// longer than kLargestRing. `stop_below`: give up when the result cannot be better than that.
template <typename QuadQuality>
EdgeRemoval best_edge_removal(const TetComplex::Ring& ring, Index a, Index b, const QuadQuality& quality,
                              double stop_below = 0) {
    EdgeRemoval out;
    const std::size_t n = ring.ring.size();
    if (!ring.is_free || n < 3 || n > kLargestRing) return out;
    const std::vector<Index>& r = ring.ring;
    // best[i][j]: worst quality of the best filling of the polygon part r[i..j]; apex[i][j]: its triangle at side ij.
    std::array<std::array<double, kLargestRing>, kLargestRing> best{};
    std::array<std::array<std::size_t, kLargestRing>, kLargestRing> apex{};
    // (a, b, r[i], r[i + 1]) is positive: seen from b the ring turns counter-clockwise, so a triangle
    // (r[i], r[k], r[j]) with i < k < j has b on its positive side and a on the other.
    auto upper = [&](std::size_t i, std::size_t k, std::size_t j) { return Quad{r[i], r[k], r[j], b}; };
    auto lower = [&](std::size_t i, std::size_t k, std::size_t j) { return Quad{r[k], r[i], r[j], a}; };
    for (std::size_t i = 0; i + 1 < n; ++i) best[i][i + 1] = std::numeric_limits<double>::infinity();
    for (std::size_t span = 2; span < n; ++span)
        for (std::size_t i = 0; i + span < n; ++i) {
            const std::size_t j = i + span;
            best[i][j] = -1;
            for (std::size_t k = i + 1; k < j; ++k) {
                double q = std::min(best[i][k], best[k][j]);
                if (q <= stop_below || q <= best[i][j]) continue;
                q = std::min(q, quality(upper(i, k, j)));
                if (q <= stop_below || q <= best[i][j]) continue;
                q = std::min(q, quality(lower(i, k, j)));
                if (q <= stop_below || q <= best[i][j]) continue;
                best[i][j] = q;
                apex[i][j] = k;
            }
        }
    out.quality = best[0][n - 1];
    if (out.quality <= stop_below) return out.quality = 0, out;
    std::vector<std::array<std::size_t, 2>> sides{{0, n - 1}};
    while (!sides.empty()) {
        const auto [i, j] = sides.back();
        sides.pop_back();
        if (j - i < 2) continue;
        const std::size_t k = apex[i][j];
        out.fresh.push_back(upper(i, k, j));
        out.fresh.push_back(lower(i, k, j));
        sides.push_back({i, k});
        sides.push_back({k, j});
    }
    return out;
}

}  // namespace anvilcast::tets
