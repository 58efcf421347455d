#include "surface/seam_search.hpp"

#include <algorithm>
#include <cmath>

namespace anvilcast {
namespace {

constexpr double kFoldedBack = 0.9;  // cosine between two free edges that leave their common end side by side

TriangleTree tree_of(const Surface& surface, const std::vector<SeamSearch::FreeEdge>& edges) {
    std::vector<Triangle> flat;
    for (const auto& e : edges) flat.push_back({e.from, e.to, e.to});
    return {surface.points, flat};
}

std::vector<SeamSearch::FreeEdge> free_edges_of(const Surface& surface, const SurfaceEdges& edges) {
    std::vector<SeamSearch::FreeEdge> out;
    for (Index t = 0; t < surface.triangles.size(); ++t)
        for (Index k = 0; k < 3; ++k)
            if (edges.n_uses(edges.edge_of(t, k)) == 1)
                out.push_back({surface.triangles[t][k], surface.triangles[t][(k + 1) % 3], t, k});
    return out;
}

}  // namespace

SeamSearch::SeamSearch(const Surface& surface, const SurfaceEdges& edges)
    : surface_(surface), free_(free_edges_of(surface, edges)), tree_(tree_of(surface, free_)) {}

template <typename Accept>
SeamSearch::Foot SeamSearch::closest(const Vec3& place, double reach, Accept accept) const {
    Foot best;
    best.distance = reach;
    const Vec3 margin{reach, reach, reach};
    Box box;
    box.include(place - margin);
    box.include(place + margin);
    tree_.overlapping(box, [&](Index f) {
        const Vec3 &a = surface_.points[free_[f].from], &b = surface_.points[free_[f].to];
        const Vec3 ab = b - a;
        const double whole = length_squared(ab);
        const double along = whole > 0 ? std::clamp(dot(place - a, ab) / whole, 0.0, 1.0) : 0.0;
        const double d = distance(place, a + ab * along);
        if (d > best.distance || (d == best.distance && f >= best.edge)) return;
        if (accept(f, along)) best = {f, d, along};
    });
    return best;
}

SeamSearch::Foot SeamSearch::closest_beside(Index e, const Vec3& place, double reach) const {
    const FreeEdge& own = free_[e];
    auto leaves_beside = [&](Index common, Index end, Index other_end) {
        const Vec3& v = surface_.points[common];
        return dot(normalized(surface_.points[end] - v), normalized(surface_.points[other_end] - v)) > kFoldedBack;
    };
    return closest(place, reach, [&](Index f, double) {
        if (f == e) return false;
        const FreeEdge& other = free_[f];
        if (own.from == other.to) return leaves_beside(own.from, own.to, other.from);
        if (own.to == other.from) return leaves_beside(own.to, own.from, other.to);
        if (own.from == other.from) return leaves_beside(own.from, own.to, other.to);
        if (own.to == other.to) return leaves_beside(own.to, own.from, other.from);
        return true;
    });
}

SeamSearch::Foot SeamSearch::closest_under(Index p, double reach) const {
    const Vec3& place = surface_.points[p];
    return closest(place, reach, [&](Index f, double along) {
        const FreeEdge& e = free_[f];
        return e.from != p && e.to != p && along > 0 && along < 1 && distance(place, surface_.points[e.from]) > reach &&
               distance(place, surface_.points[e.to]) > reach;
    });
}

}  // namespace anvilcast
