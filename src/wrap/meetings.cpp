#include "wrap/meetings.hpp"

#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <tbb/parallel_for.h>

#include <algorithm>

#include "geometry/distances.hpp"

namespace anvilcast::wrapping {

bool meet(const std::vector<Vec3>& points, const Triangle& s, const Triangle& t, double reach) {
    if (triangles_conflict(points, s, t)) return true;
    const bool are_neighbours =
        std::any_of(s.begin(), s.end(), [&t](Index p) { return std::find(t.begin(), t.end(), p) != t.end(); });
    if (are_neighbours) return false;
    return closest_between_triangles({points[s[0]], points[s[1]], points[s[2]]},
                                     {points[t[0]], points[t[1]], points[t[2]]})
               .squared < reach * reach;
}

std::vector<std::array<Index, 2>> find_meetings(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles,
                                                const std::vector<bool>& is_marked, const LengthAt& gap_at) {
    const TriangleTree tree(points, triangles);
    std::vector<Index> marked;
    for (Index t = 0; t < triangles.size(); ++t)
        if (is_marked[t]) marked.push_back(t);
    std::vector<std::vector<Index>> met(marked.size());
    tbb::parallel_for(std::size_t{0}, marked.size(), [&](std::size_t k) {
        const Triangle& t = triangles[marked[k]];
        const double reach = kClosest * gap_at(points[t[0]]);
        Box box;
        for (const Index p : t) box.include(points[p]);
        box.lo -= Vec3{reach, reach, reach};
        box.hi += Vec3{reach, reach, reach};
        tree.overlapping(box, [&](Index other) {
            if (other != marked[k] && meet(points, t, triangles[other], reach)) met[k].push_back(other);
        });
    });
    std::vector<std::array<Index, 2>> pairs;
    for (std::size_t k = 0; k < marked.size(); ++k)
        for (const Index other : met[k]) pairs.push_back({marked[k], other});
    return pairs;
}

}  // namespace anvilcast::wrapping
