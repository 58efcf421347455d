// Bodies that should touch and do not quite. Corners are moved exactly onto the other body, so that faces that lie
// against each other afterwards are in one plane for the cut, not almost.

#include <anvilcast/triangle_tree.hpp>

#include <algorithm>

#include "base/disjoint_sets.hpp"
#include "cut/complex.hpp"

namespace anvilcast::cutting {
namespace {

using robust::ExactPoint;

constexpr int kRounds = 4;

struct Target {
    double distance = Box::inf;
    ExactPoint place;
};

/// What is closest on a triangle: a corner within reach comes before an edge, an edge before the face.
Target target_on(const Complex& c, Index t, const ExactPoint& p, double reach) {
    const auto corner = c.corners(t);
    Target best;
    for (const ExactPoint* q : corner)
        if (const double d = distance(q->approx(), p.approx()); d <= reach && d < best.distance) best = {d, *q};
    if (best.distance <= reach) return best;
    for (std::size_t k = 0; k < 3; ++k) {
        const ExactPoint &a = *corner[k], &b = *corner[(k + 1) % 3];
        const Vec3 along = b.approx() - a.approx(), from = p.approx() - a.approx();
        const double s = dot(from, along) / dot(along, along);
        if (!(s > 0 && s < 1)) continue;
        const double d = length(from - along * s);
        if (d <= reach && d < best.distance) best = {d, robust::foot_on_line(p, a, b)};
    }
    if (best.distance <= reach) return best;
    const Vec3 foot =
        closest_point_on_triangle(p.approx(), corner[0]->approx(), corner[1]->approx(), corner[2]->approx());
    if (const double d = distance(foot, p.approx()); d <= reach)
        best = {d, robust::foot_on_plane(p, *corner[0], *corner[1], *corner[2])};
    return best;
}

/// 0 for corners, 1 for edges, 2 for faces: lower ranks are taken first, whatever the distance.
int rank_of(const Complex& c, Index t, const ExactPoint& place) {
    const auto corner = c.corners(t);
    for (const ExactPoint* q : corner)
        if (*q == place) return 0;
    const int axis = robust::axis_across(*corner[0], *corner[1], *corner[2]);
    for (std::size_t k = 0; k < 3; ++k)
        if (robust::orient2d(*corner[k], *corner[(k + 1) % 3], place, axis) == 0) return 1;
    return 2;
}

}  // namespace

void join_pieces(Complex& c, double join, CutSurface& report) {
    DisjointSets pieces(c.points.size());
    for (const Triangle& t : c.triangles) {
        pieces.join(t[0], t[1]);
        pieces.join(t[0], t[2]);
    }
    std::vector<bool> used(c.points.size(), false);
    for (const Triangle& t : c.triangles)
        for (const Index p : t) used[p] = true;
    std::vector<bool> moved(c.points.size(), false);
    for (int round = 0; round < kRounds; ++round) {
        std::vector<Vec3> places;
        for (const ExactPoint& p : c.points) places.push_back(p.approx());
        const TriangleTree tree(places, c.triangles);
        bool changed = false;
        for (Index p = 0; p < c.points.size(); ++p) {
            if (!used[p]) continue;
            Box box;
            box.include(places[p] - Vec3{join, join, join});
            box.include(places[p] + Vec3{join, join, join});
            std::vector<Index> near;
            tree.overlapping(box, [&](Index t) {
                if (pieces.find(c.triangles[t][0]) != pieces.find(p)) near.push_back(t);
            });
            std::sort(near.begin(), near.end());
            std::pair<int, double> best{3, Box::inf};
            ExactPoint place = c.points[p];
            for (const Index t : near) {
                const Target target = target_on(c, t, c.points[p], join);
                if (!(target.distance <= join)) continue;
                const std::pair<int, double> rank{rank_of(c, t, target.place), target.distance};
                if (rank < best) {
                    best = rank;
                    place = target.place;
                }
            }
            if (place == c.points[p]) continue;
            const double move = distance(places[p], place.approx());
            if (move > report.largest_move) {
                report.largest_move = move;
                report.largest_move_at = place.approx();
            }
            c.points[p] = place;
            report.corners_joined += moved[p] ? 0 : 1;
            moved[p] = true;
            changed = true;
        }
        if (!changed) return;
    }
}

}  // namespace anvilcast::cutting
