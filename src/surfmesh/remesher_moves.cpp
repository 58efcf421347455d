// The operations of the remesher that keep its points: edges flipped, points moved along their patches. The story is in
// remesher.cpp.

#include <algorithm>
#include <cmath>
#include <numbers>

#include "geometry/triangle_shape.hpp"
#include "surfmesh/remesher.hpp"

namespace anvilcast::surfmesh {
namespace {

using geometry::middle_of;
using geometry::smallest_sine;

/// A point's normal must not jump to another sheet of its patch.
constexpr double kSameSheet = 0.3;
/// Moves below this share of the local size are not worth the tests.
constexpr double kLeastMove = 0.01;
/// Sines of smallest angles: 20 degrees can be smoothed, above 40 need no defending.
constexpr double kSmoothable = 0.34, kFine = 0.64;
constexpr int kMostFlipPasses = 100;

double sin_deg(double degrees) { return std::sin(degrees * std::numbers::pi / 180); }

}  // namespace

/// The two triangles that a flip would make, if it may be done.
bool Remesher::can_flip(Side s, Corners& p, Corners& q) const {
    const Side other = ring_[s];
    if (other == s || is_feature(s) || ring_[other] != s || from(s) != to(other)) return false;
    const Index a = from(s), b = to(s), c = tip(s), d = tip(other);
    if (c == d || (is_locked_[c] != 0 && is_locked_[d] != 0)) return false;
    p = {d_.points[a], d_.points[d], d_.points[c]};
    q = {d_.points[d], d_.points[b], d_.points[c]};
    return true;
}

void Remesher::flip(Side s) {
    const Side other = ring_[s];
    const Index t = s / 3, u = other / 3, a = from(s), b = to(s), c = tip(s), d = tip(other);
    struct Outer {
        Side before, after, now;
        bool is_alone, is_feature;
    };
    auto outer = [this](Side old, Side now) {
        const bool is_alone = ring_[old] == old;
        return Outer{is_alone ? now : side_before(old), is_alone ? now : ring_[old], now, is_alone, is_feature(old)};
    };
    const std::array<Outer, 4> sides{outer(next(other), 3 * t), outer(previous(s), 3 * t + 2),
                                     outer(previous(other), 3 * u), outer(next(s), 3 * u + 1)};
    d_.triangles[t] = {a, d, c};
    d_.triangles[u] = {d, b, c};
    d_.feature_sides[t] = d_.feature_sides[u] = 0;
    for (const Outer& o : sides) {
        ring_[o.now] = o.after;
        if (!o.is_alone) ring_[o.before] = o.now;
        set_feature(o.now, o.is_feature);
    }
    ring_[3 * t + 1] = 3 * u + 2;
    ring_[3 * u + 2] = 3 * t + 1;
    triangle_at_[a] = triangle_at_[d] = triangle_at_[c] = t;
    triangle_at_[b] = u;
}

bool Remesher::flip_for_angles(Side s) {
    Corners p, q;
    if (!can_flip(s, p, q)) return false;
    const Index t = s / 3, u = ring_[s] / 3;
    const double before = std::min(smallest_sine(corners(t)), smallest_sine(corners(u)));
    if (std::min(smallest_sine(p), smallest_sine(q)) <= before * (1 + 1e-6)) return false;
    const Index c = tip(s), d = tip(ring_[s]);
    if (has_edge(c, d)) return false;
    // The new triangles have other corners than t and u: d takes the place of b, and c that of a.
    const Vec3 none{};
    const Vec3 normal_d = d_.kind[d] == PointKind::patch ? d_.normal[d] : none,
               normal_c = d_.kind[c] == PointKind::patch ? d_.normal[c] : none;
    if (!is_acceptable(p, t, to(s), normal_d) || !is_acceptable(q, u, from(s), normal_c)) return false;
    const double size = target_length(c, d);
    if (bulge(c, d, d_.patch_of[t]) > std::max(limits_.at(size), bulge(from(s), to(s), d_.patch_of[t]))) return false;
    flip(s);
    return true;
}

void Remesher::flip_edges() {
    std::vector<Side> todo, again;
    for (Side s = 0; s < 3 * d_.triangles.size(); ++s)
        if (is_alive(s / 3) && ring_[s] > s) todo.push_back(s);
    for (int pass = 0; pass < kMostFlipPasses && !todo.empty(); ++pass) {
        again.clear();
        for (const Side s : todo) {
            const Side other = ring_[s];
            if (!flip_for_angles(s)) continue;
            for (const Index t : {s / 3, other / 3})
                for (Side k = 3 * t; k < 3 * t + 3; ++k) again.push_back(k);
        }
        std::swap(todo, again);
    }
}

void Remesher::even_out_neighbours() {
    std::vector<int> n(d_.points.size(), 0);
    for (Index t = 0; t < d_.triangles.size(); ++t)
        if (is_alive(t))
            for (const Index p : d_.triangles[t]) ++n[p];
    auto is_free = [&](Index p) { return d_.kind[p] == PointKind::patch && is_locked_[p] == 0; };
    for (Side s = 0; s < 3 * d_.triangles.size(); ++s) {
        Corners p, q;
        if (!is_alive(s / 3) || ring_[s] <= s || !can_flip(s, p, q)) continue;
        const Index a = from(s), b = to(s), c = tip(s), d = tip(ring_[s]);
        if (!is_free(a) || !is_free(b) || !is_free(c) || !is_free(d)) continue;
        auto off = [](int count) { return (count - 6) * (count - 6); };
        const int before = off(n[a]) + off(n[b]) + off(n[c]) + off(n[d]);
        const int after = off(n[a] - 1) + off(n[b] - 1) + off(n[c] + 1) + off(n[d] + 1);
        if (after >= before || n[a] <= 4 || n[b] <= 4) continue;
        if (std::min(smallest_sine(p), smallest_sine(q)) < kSmoothable) continue;
        if (has_edge(c, d)) continue;
        const Index t = s / 3, u = ring_[s] / 3;
        if (!is_acceptable(p, t, b, d_.normal[d]) || !is_acceptable(q, u, a, d_.normal[c])) continue;
        if (bulge(c, d, d_.patch_of[t]) > limits_.at(target_length(c, d))) continue;
        flip(s);
        --n[a], --n[b], ++n[c], ++n[d];
    }
}

/// The mean of two places: the middle of the star's triangles, weighted by their area in local sizes, which evens out
/// lengths; and the middle of where the point would make each triangle a regular one, which evens out angles. star_
/// holds the triangles afterwards.
Vec3 Remesher::smoothed_place(Index v) const {
    Vec3 lengths, angles;
    double weight = 0;
    for (const Index t : star(v, star_)) {
        const Corners c = corners(t);
        const Triangle& p = d_.triangles[t];
        const double size = d_.size[p[0]] + d_.size[p[1]] + d_.size[p[2]];
        const double w = length(triangle_normal(c[0], c[1], c[2])) / (size * size);
        lengths += middle_of(c) * w;
        weight += w;
        const std::size_t k = p[0] == v ? 0 : p[1] == v ? 1 : 2;
        const Vec3 &a = c[(k + 1) % 3], &b = c[(k + 2) % 3];
        angles += midpoint(a, b) + cross(d_.normal[v], b - a) * 0.8660254;
    }
    if (!(weight > 0)) return d_.points[v];
    return 0.5 * (lengths / weight + angles / static_cast<double>(star_.size()));
}

/// star_ holds the triangles at v.
double Remesher::least_sine_at(Index v, const Vec3& place) const {
    double least = 1;
    for (const Index t : star_) least = std::min(least, smallest_sine(corners_with(t, v, place)));
    return least;
}

/// Puts the point there, onto its patch, when its triangles stay acceptable; star_ holds them.
bool Remesher::move(Index v, const Vec3& place) {
    if (distance(place, d_.points[v]) < kLeastMove * d_.size[v]) return false;
    // The point itself is on its patch: the closest point is no farther from the place than that.
    const double reach = distance(place, d_.points[v]) * 1.001;
    const auto foot = original_.foot(d_.patch_of[star_.front()], place, reach);
    if (!(foot.distance < Box::inf) || dot(foot.normal, d_.normal[v]) < kSameSheet) return false;
    const double before = least_sine_at(v, d_.points[v]), after = least_sine_at(v, foot.point);
    if (after < before && after < kFine) return false;
    for (const Index t : star_)
        if (!is_acceptable(corners_with(t, v, foot.point), t, v, foot.normal)) return false;
    d_.points[v] = foot.point;
    d_.normal[v] = foot.normal;
    d_.size[v] = size_at_(foot.point);
    return true;
}

void Remesher::smooth() {
    for (Index v = 0; v < d_.points.size(); ++v)
        if (triangle_at_[v] != kNone && d_.kind[v] == PointKind::patch && is_locked_[v] == 0)
            move(v, smoothed_place(v));
}

void Remesher::mend_angles(double degrees) {
    const double limit = sin_deg(degrees);
    for (Index t = 0; t < d_.triangles.size(); ++t) {
        if (!is_alive(t) || smallest_sine(corners(t)) >= limit) continue;
        for (std::size_t k = 0; k < 3; ++k) {
            const Index v = d_.triangles[t][k];
            if (d_.kind[v] != PointKind::patch || is_locked_[v] != 0) continue;
            star(v, star_);
            double best = least_sine_at(v, d_.points[v]);
            // Candidates: the middle of the neighbours, and the best place over the opposite side of the triangle.
            const Vec3 &a = d_.points[d_.triangles[t][(k + 1) % 3]], &b = d_.points[d_.triangles[t][(k + 2) % 3]];
            const Vec3 up = normalized(cross(d_.normal[v], b - a));
            const Vec3 apex = midpoint(a, b) + up * (0.866 * distance(a, b));
            const Vec3 now = d_.points[v], mid = smoothed_place(v);
            Vec3 place = now;
            for (const Vec3& goal : {mid, apex})
                for (const double share : {0.25, 0.5, 1.0}) {
                    const Vec3 tried = now + (goal - now) * share;
                    if (const double least = least_sine_at(v, tried); least > best) {
                        best = least;
                        place = tried;
                    }
                }
            if (!(place == now) && move(v, place) && smallest_sine(corners(t)) >= limit) break;
        }
    }
}

}  // namespace anvilcast::surfmesh
