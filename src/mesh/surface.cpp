#include <anvilcast/surface.hpp>

#include <algorithm>
#include <numeric>

namespace anvilcast {

Box Surface::bounds() const {
    Box box;
    for (const Triangle& t : triangles)
        for (const Index p : t) box.include(points[p]);
    return box;
}

SurfaceEdges::SurfaceEdges(const std::vector<Triangle>& triangles, std::size_t n_points) {
    const std::size_t n_sides = 3 * triangles.size();
    // Bucket the sides by their lower end, then sort within each small bucket by the higher one.
    std::vector<Index> bucket(n_points + 1, 0);
    auto lower = [&](std::size_t s) {
        const Triangle& t = triangles[s / 3];
        return std::min(t[s % 3], t[(s + 1) % 3]);
    };
    auto higher = [&](std::size_t s) {
        const Triangle& t = triangles[s / 3];
        return std::max(t[s % 3], t[(s + 1) % 3]);
    };
    for (std::size_t s = 0; s < n_sides; ++s) ++bucket[lower(s) + 1];
    std::partial_sum(bucket.begin(), bucket.end(), bucket.begin());
    std::vector<Index> sides(n_sides);
    std::vector<Index> fill(bucket.begin(), bucket.end() - 1);
    for (std::size_t s = 0; s < n_sides; ++s) sides[fill[lower(s)]++] = static_cast<Index>(s);

    uses_.reserve(n_sides);
    of_side_.resize(n_sides);
    for (std::size_t p = 0; p < n_points; ++p) {
        const auto begin = sides.begin() + bucket[p], end = sides.begin() + bucket[p + 1];
        std::sort(begin, end, [&](Index a, Index b) {
            const Index ha = higher(a), hb = higher(b);
            return ha != hb ? ha < hb : a < b;
        });
        for (auto it = begin; it != end; ++it) {
            if (it == begin || higher(*it) != higher(*(it - 1))) {
                first_.push_back(static_cast<Index>(uses_.size()));
                ends_.push_back({static_cast<Index>(p), higher(*it)});
            }
            const Index triangle = *it / 3, side = *it % 3;
            uses_.push_back({triangle, side, triangles[triangle][side] == p});
            of_side_[*it] = static_cast<Index>(ends_.size() - 1);
        }
    }
    first_.push_back(static_cast<Index>(uses_.size()));
}

}  // namespace anvilcast
