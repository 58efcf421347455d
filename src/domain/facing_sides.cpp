#include "domain/facing_sides.hpp"

#include <anvilcast/predicates.hpp>

#include <algorithm>

namespace anvilcast {
namespace {

/// A triangle at an edge: its third corner, and its use of the edge.
struct Leaf {
    const SurfaceEdges::Use* use;
    const Vec3* tip;
    int half;  // 0: in the direction of the first leaf, 1: left half turn, 2: opposite, 3: right half turn
};

int half_of(const Vec3& a, const Vec3& b, const Vec3& first, const Vec3& tip) {
    const int side = orient3d(a, b, first, tip);
    if (side != 0) return side > 0 ? 1 : 3;
    // In the plane of the first leaf: the same direction or the opposite one, seen in a projection that keeps
    // the first triangle's area.
    for (int axis = 0; axis < 3; ++axis) {
        const int u = (axis + 1) % 3, v = (axis + 2) % 3;
        const Vec2 a2{a[u], a[v]}, b2{b[u], b[v]};
        const int s = orient2d(a2, b2, {first[u], first[v]});
        if (s != 0) return s == orient2d(a2, b2, {tip[u], tip[v]}) ? 0 : 2;
    }
    return 0;
}

void sort_round_edge(const Vec3& a, const Vec3& b, std::vector<Leaf>& leaves) {
    const Vec3& first = *leaves.front().tip;
    for (Leaf& leaf : leaves) leaf.half = half_of(a, b, first, *leaf.tip);
    std::stable_sort(leaves.begin(), leaves.end(), [&](const Leaf& p, const Leaf& q) {
        if (p.half != q.half) return p.half < q.half;
        if (p.half == 0 || p.half == 2) return false;
        return orient3d(a, b, *p.tip, *q.tip) > 0;
    });
}

}  // namespace

void for_facing_sides(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles,
                      const SurfaceEdges& edges, const FacingVisit& visit) {
    std::vector<Leaf> leaves;
    for (std::size_t e = 0; e < edges.size(); ++e) {
        leaves.clear();
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use)
            leaves.push_back({use, &points[triangles[use->triangle][(use->side + 2) % 3]], 0});
        if (leaves.size() > 2) sort_round_edge(points[edges.ends(e)[0]], points[edges.ends(e)[1]], leaves);
        for (std::size_t i = 0; i < leaves.size(); ++i) {
            const SurfaceEdges::Use &p = *leaves[i].use, &q = *leaves[(i + 1) % leaves.size()].use;
            // A triangle that runs along the edge faces growing angles with its front.
            visit(e, p, p.forward ? front_of(p.triangle) : back_of(p.triangle), q,
                  q.forward ? back_of(q.triangle) : front_of(q.triangle));
        }
    }
}

}  // namespace anvilcast
