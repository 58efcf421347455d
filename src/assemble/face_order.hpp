// The order of faces in a mesh.
#pragma once

#include <anvilcast/vectors.hpp>

#include <numeric>
#include <vector>

namespace anvilcast {

struct FaceSides {
    Index owner, neighbour;  ///< the owner has the lower number; neighbour kNone on the boundary
    Index zone;              ///< kNone within a region
};

/// Faces within regions, those between them zone by zone, those of the boundary zone by zone; each by owner and
/// neighbour, alike ones as they come. `sides(f)`: of face f of n. O(n).
template <typename Sides>
std::vector<Index> face_order(std::size_t n, std::size_t n_cells, std::size_t n_zones, const Sides& sides) {
    auto sorted_by = [](const std::vector<Index>& list, std::size_t n_keys, const auto& key) {
        std::vector<Index> at(n_keys + 1, 0);
        for (const Index f : list) ++at[key(f) + 1];
        std::partial_sum(at.begin(), at.end(), at.begin());
        std::vector<Index> sorted(list.size());
        for (const Index f : list) sorted[at[key(f)]++] = f;
        return sorted;
    };
    std::vector<Index> list(n);
    std::iota(list.begin(), list.end(), Index{0});
    list = sorted_by(list, n_cells + 1, [&](Index f) {
        const Index other = sides(f).neighbour;
        return other == kNone ? n_cells : std::size_t{other};
    });
    list = sorted_by(list, n_cells, [&](Index f) { return std::size_t{sides(f).owner}; });
    return sorted_by(list, 2 * n_zones + 1, [&](Index f) {
        const FaceSides s = sides(f);
        return s.zone == kNone ? std::size_t{0} : 1 + s.zone + (s.neighbour == kNone ? n_zones : 0);
    });
}

}  // namespace anvilcast
