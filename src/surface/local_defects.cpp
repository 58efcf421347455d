#include <anvilcast/predicates.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/disjoint_sets.hpp"
#include "surface/findings.hpp"

namespace anvilcast::health {
namespace {

constexpr double kNeedle = 1e-3;                         // height over longest edge
constexpr double kTinyShell = 2e-3;                      // of the model's diagonal
constexpr double kTinyPatch = 1e-3;                      // root of the area, of the model's diagonal
constexpr double kSmallModel = 2e-3, kLargeModel = 500;  // metres
constexpr double kFarOff = 200;                          // distance from the origin in extents of the model
constexpr double kSingleStep = 0x1p-23;

bool in_line(const Vec3& a, const Vec3& b, const Vec3& c) {
    return orient2d({a.x, a.y}, {b.x, b.y}, {c.x, c.y}) == 0 && orient2d({a.y, a.z}, {b.y, b.z}, {c.y, c.z}) == 0 &&
           orient2d({a.z, a.x}, {b.z, b.x}, {c.z, c.x}) == 0;
}

void find_flat_triangles(Findings& f) {
    const Surface& s = f.surface;
    f.is_degenerate.assign(s.triangles.size(), false);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Vec3 &a = s.corner(t, 0), &b = s.corner(t, 1), &c = s.corner(t, 2);
        const double longest =
            std::sqrt(std::max({distance_squared(a, b), distance_squared(b, c), distance_squared(c, a)}));
        const double height = 2 * f.area(t) / longest;
        if (height > kNeedle * longest) continue;
        if (in_line(a, b, c)) {
            f.is_degenerate[t] = true;
            f.add(DefectKind::degenerate, {f.middle(t), longest, {t, kNone}});
        } else {
            f.add(DefectKind::needle, {f.middle(t), height, {t, kNone}});
        }
    }
}

void find_bad_edges(Findings& f) {
    const Surface& s = f.surface;
    for (std::size_t e = 0; e < f.edges.size(); ++e) {
        if (f.edges.n_uses(e) <= 2) continue;
        const auto [a, b] = f.edges.ends(e);
        f.add(DefectKind::non_manifold_edge, {midpoint(s.points[a], s.points[b]),
                                              distance(s.points[a], s.points[b]),
                                              {f.edges.begin(e)[0].triangle, f.edges.begin(e)[1].triangle}});
    }
    for (const std::size_t e : f.orientation.torn) {
        const auto [a, b] = f.edges.ends(e);
        f.add(DefectKind::one_sided, {midpoint(s.points[a], s.points[b]),
                                      distance(s.points[a], s.points[b]),
                                      {f.edges.begin(e)[0].triangle, f.edges.begin(e)[1].triangle}});
    }
}

/// The corners at a point form fans, joined over edges. A sound point has one.
void find_bad_vertices(Findings& f) {
    const Surface& s = f.surface;
    DisjointSets corners(3 * s.triangles.size());
    auto corner_at = [&](Index t, Index p) {
        const Triangle& c = s.triangles[t];
        return 3 * t + (c[0] == p ? 0U : c[1] == p ? 1U : 2U);
    };
    for (std::size_t e = 0; e < f.edges.size(); ++e) {
        const auto* first = f.edges.begin(e);
        for (const auto* u = first + 1; u < f.edges.end(e); ++u)
            for (const Index p : f.edges.ends(e))
                corners.join(corner_at(first->triangle, p), corner_at(u->triangle, p));
    }
    std::vector<Index> fans(s.points.size(), 0);
    for (Index c = 0; c < 3 * s.triangles.size(); ++c) {
        if (corners.find(c) != c) continue;
        const Index p = s.triangles[c / 3][c % 3];
        if (++fans[p] == 2) f.add(DefectKind::non_manifold_vertex, {s.points[p], 0, {c / 3, kNone}});
    }
}

void find_duplicates(Findings& f) {
    struct Key {
        Triangle corners;
        Index triangle;
        bool operator<(const Key& k) const {
            return corners != k.corners ? corners < k.corners : triangle < k.triangle;
        }
    };
    const auto& triangles = f.surface.triangles;
    std::vector<Key> keys(triangles.size());
    for (Index t = 0; t < keys.size(); ++t) {
        keys[t] = {triangles[t], t};
        std::sort(keys[t].corners.begin(), keys[t].corners.end());
    }
    std::sort(keys.begin(), keys.end());
    auto turn_of = [&](Index t) {  // does the triangle run from its lowest corner to its second lowest?
        const Triangle& c = triangles[t];
        const std::size_t low = static_cast<std::size_t>(std::min_element(c.begin(), c.end()) - c.begin());
        return c[(low + 1) % 3] < c[(low + 2) % 3];
    };
    for (std::size_t i = 1; i < keys.size(); ++i) {
        if (keys[i].corners != keys[i - 1].corners) continue;
        const Index s = keys[i - 1].triangle, t = keys[i].triangle;
        f.add(turn_of(s) == turn_of(t) ? DefectKind::duplicate : DefectKind::opposite_duplicate,
              {f.middle(t), f.area(t), {s, t}});
    }
}

/// Turned triangles that hang together make one flipped patch.
void find_flipped_patches(Findings& f) {
    const std::vector<bool>& turn = f.orientation.turn;
    DisjointSets patches(turn.size());
    for (std::size_t e = 0; e < f.edges.size(); ++e) {
        if (f.edges.n_uses(e) != 2) continue;
        const Index s = f.edges.begin(e)[0].triangle, t = f.edges.begin(e)[1].triangle;
        if (turn[s] && turn[t]) patches.join(s, t);
    }
    std::vector<Defect> found(turn.size());
    for (Index t = 0; t < turn.size(); ++t) {
        if (!turn[t]) continue;
        Defect& d = found[patches.find(t)];
        d.size += f.area(t);
        d.place += f.middle(t) * f.area(t);
    }
    for (Index t = 0; t < turn.size(); ++t)
        if (turn[t] && patches.find(t) == t)
            f.add(DefectKind::flipped_patch,
                  {found[t].size > 0 ? found[t].place / found[t].size : f.middle(t), found[t].size, {t, kNone}});
}

void find_small_pieces(Findings& f) {
    const double diagonal = f.health.bounds.diagonal();
    for (const Shell& shell : f.health.shells) {
        if (shell.bounds.diagonal() < kTinyShell * diagonal)
            f.add(DefectKind::tiny_shell, {shell.bounds.center(), shell.bounds.diagonal(), {}});
        if (shell.is_closed && shell.depth == 0 && shell.volume < 0)
            f.add(DefectKind::inside_out, {shell.bounds.center(), -shell.volume, {}});
    }
    const Surface& s = f.surface;
    std::vector<Vec3> normals(s.triangles.size());
    for (Index t = 0; t < normals.size(); ++t)
        normals[t] = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
    DisjointSets patches(s.triangles.size());
    const double limit = std::cos(f.sharp_angle * std::numbers::pi / 180);
    for (std::size_t e = 0; e < f.edges.size(); ++e) {
        if (f.edges.n_uses(e) != 2) continue;
        const auto &u = f.edges.begin(e)[0], &v = f.edges.begin(e)[1];
        const double sense = u.forward != v.forward ? 1 : -1;
        if (sense * dot(normals[u.triangle], normals[v.triangle]) >= limit) patches.join(u.triangle, v.triangle);
    }
    std::vector<double> area(s.triangles.size(), 0);
    std::vector<Vec3> weighted(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Index root = patches.find(t);
        area[root] += f.area(t);
        weighted[root] += f.middle(t) * f.area(t);
    }
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (patches.find(t) == t && std::sqrt(area[t]) < kTinyPatch * diagonal &&
            f.health.shells[f.orientation.shell_of[t]].bounds.diagonal() >= kTinyShell * diagonal)
            f.add(DefectKind::tiny_patch,
                  {area[t] > 0 ? weighted[t] / area[t] : f.middle(t), std::sqrt(area[t]), {t, kNone}});
}

void judge_coordinates(Findings& f) {
    const Box& b = f.health.bounds;
    double farthest = 0;
    for (int axis = 0; axis < 3; ++axis) farthest = std::max({farthest, std::abs(b.lo[axis]), std::abs(b.hi[axis])});
    if (farthest > kFarOff * b.diagonal()) f.add(DefectKind::lost_digits, {b.center(), farthest * kSingleStep, {}});
    const Vec3 e = b.extent();
    const double longest = std::max({e.x, e.y, e.z});
    if (longest < kSmallModel || longest > kLargeModel) f.add(DefectKind::odd_extent, {b.center(), longest, {}});
}

}  // namespace

void find_local_defects(Findings& f) {
    find_flat_triangles(f);
    find_bad_edges(f);
    find_bad_vertices(f);
    find_duplicates(f);
    find_flipped_patches(f);
    find_small_pieces(f);
    judge_coordinates(f);
}

}  // namespace anvilcast::health
