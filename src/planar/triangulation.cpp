// Points are put in one by one (Lawson's flips); edges are brought in by flipping what crosses them.
// Source: S. W. Sloan, A fast algorithm for generating constrained Delaunay triangulations (1993).

#include "planar/triangulation.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>

#include <deque>

namespace anvilcast::planar {

Triangulation::Triangulation(const Vec2& lo, const Vec2& hi) {
    constexpr double kFar = 50;  // extents: so far that no point of the area is near
    const Vec2 middle = midpoint(lo, hi);
    const double reach = kFar * std::max({hi.x - lo.x, hi.y - lo.y, 1e-300});
    points_ = {middle + Vec2{-2 * reach, -reach}, middle + Vec2{2 * reach, -reach}, middle + Vec2{0, 2 * reach}};
    at_ = {0, 1, 2};
    corner_ = {0, 1, 2};
    twin_ = {kNone, kNone, kNone};
    is_fixed_ = {0, 0, 0};
    tag_ = {kNone};
}

Triangulation::Place Triangulation::locate(const Vec2& p, Index near) const {
    Index h = 3 * (near / 3);
    std::uint32_t random = 12345U + near;
    for (std::size_t step = 0; step < 4 * corner_.size() + 100; ++step) {
        random = random * 1664525U + 1013904223U;
        const Index first = random >> 30;
        std::array<int, 3> turn{};
        Index exit = kNone;
        for (Index k = 0; k < 3 && exit == kNone; ++k) {
            const Index side = h + (first + k) % 3;
            turn[side - h] = orient2d(points_[from(side)], points_[to(side)], p);
            if (turn[side - h] < 0) exit = side;
        }
        if (exit != kNone) {
            if (twin_[exit] == kNone) throw InternalError("a place is outside of the triangulation");
            h = 3 * (twin_[exit] / 3);
            continue;
        }
        for (Index k = 0; k < 3; ++k)
            if (turn[k] == 0 && turn[(k + 2) % 3] == 0) return {h + k, Place::On::point};
        for (Index k = 0; k < 3; ++k)
            if (turn[k] == 0) return {h + k, Place::On::edge};
        return {h, Place::On::triangle};
    }
    throw InternalError("a walk through the triangulation did not end");
}

Index Triangulation::add_point(const Vec2& p) {
    points_.push_back(p);
    at_.push_back(kNone);
    return static_cast<Index>(points_.size() - 1);
}

Index Triangulation::insert(const Vec2& p, const Place& place) {
    if (place.on == Place::On::point) return from(place.half_edge);
    const Index v = add_point(p);
    if (place.on == Place::On::triangle)
        split_triangle(place.half_edge / 3, v);
    else
        split_edge(place.half_edge, v);
    todo_.clear();
    around(v, [&](Index h) { todo_.push_back(next(h)); });
    settle_round(v);
    return v;
}

/// After a point came into what was Delaunay before, only edges across from it may be wrong, and each of these can be
/// flipped: the point beyond lies in the circle through its ends and the new point.
void Triangulation::settle_round(Index v) {
    while (!todo_.empty()) {
        const Index h = todo_.back();
        todo_.pop_back();
        if (is_delaunay(h)) continue;
        const Index g = twin_[h];
        flip(h);
        for (const Index t : {h / 3, g / 3})
            for (Index k = 3 * t; k < 3 * t + 3; ++k)
                if (across(k) == v) todo_.push_back(k);
    }
}

void Triangulation::split_triangle(Index t, Index v) {
    const Index a = corner_[3 * t], b = corner_[3 * t + 1], c = corner_[3 * t + 2];
    const Index bc = twin_[3 * t + 1], ca = twin_[3 * t + 2];
    const char fixed_bc = is_fixed_[3 * t + 1], fixed_ca = is_fixed_[3 * t + 2];
    const Index t1 = n_triangles(), t2 = t1 + 1;
    corner_.insert(corner_.end(), {b, c, v, c, a, v});
    twin_.resize(corner_.size(), kNone);
    is_fixed_.resize(corner_.size(), 0);
    tag_.insert(tag_.end(), {tag_[t], tag_[t]});
    corner_[3 * t + 2] = v;
    is_fixed_[3 * t + 1] = is_fixed_[3 * t + 2] = 0;
    link(3 * t1, bc);
    link(3 * t2, ca);
    is_fixed_[3 * t1] = fixed_bc;
    is_fixed_[3 * t2] = fixed_ca;
    link(3 * t + 1, 3 * t1 + 2);
    link(3 * t1 + 1, 3 * t2 + 2);
    link(3 * t2 + 1, 3 * t + 2);
    at_[v] = 3 * t + 2;
    at_[a] = 3 * t;
    at_[b] = 3 * t1;
    at_[c] = 3 * t2;
}

void Triangulation::split_edge(Index h, Index v) {
    const Index g = twin_[h];
    const char fixed = is_fixed_[h];
    const Index b = to(h), c = across(h);
    // Triangle (a, b, c) of h becomes (a, v, c) and (v, b, c).
    auto split_half = [&](Index side, Index end, Index tip) {
        const Index far = next(side), beyond = twin_[far];
        const char far_fixed = is_fixed_[far];
        const Index t = n_triangles();
        corner_.insert(corner_.end(), {v, end, tip});
        twin_.resize(corner_.size(), kNone);
        is_fixed_.resize(corner_.size(), 0);
        tag_.push_back(tag_[side / 3]);
        corner_[far] = v;
        link(3 * t + 1, beyond);
        is_fixed_[3 * t + 1] = far_fixed;
        link(far, 3 * t + 2);
        is_fixed_[far] = 0;
        is_fixed_[3 * t] = fixed;
        at_[v] = 3 * t;
        at_[end] = 3 * t + 1;
        at_[tip] = 3 * t + 2;
        return 3 * t;
    };
    const Index fresh = split_half(h, b, c);
    if (g == kNone) return;
    const Index a = to(g), d = across(g);
    const Index fresh_back = split_half(g, a, d);
    link(h, fresh_back);
    link(fresh, g);
}

bool Triangulation::can_flip(Index h) const {
    const Index g = twin_[h];
    if (g == kNone || is_fixed_[h] != 0) return false;
    const Vec2 &a = points_[from(h)], &b = points_[to(h)], &c = points_[across(h)], &d = points_[across(g)];
    return orient2d(a, d, c) > 0 && orient2d(d, b, c) > 0;
}

void Triangulation::flip(Index h) {
    const Index g = twin_[h];
    const Index a = from(h), b = to(h), c = across(h), d = across(g);
    const std::array<Index, 4> old{next(h), previous(h), next(g), previous(g)};  // bc, ca, ad, db
    std::array<Index, 4> beyond{};
    std::array<char, 4> fixed{};
    for (std::size_t k = 0; k < 4; ++k) {
        beyond[k] = twin_[old[k]];
        fixed[k] = is_fixed_[old[k]];
    }
    const Index s = 3 * (h / 3), t = 3 * (g / 3);
    // (c, d, b) and (d, c, a)
    corner_[s] = c, corner_[s + 1] = d, corner_[s + 2] = b;
    corner_[t] = d, corner_[t + 1] = c, corner_[t + 2] = a;
    is_fixed_[s] = is_fixed_[t] = 0;
    link(s, t);
    const std::array<Index, 4> now{s + 2, t + 1, t + 2, s + 1};
    for (std::size_t k = 0; k < 4; ++k) {
        link(now[k], beyond[k]);
        is_fixed_[now[k]] = fixed[k];
    }
    at_[c] = s;
    at_[d] = t;
    at_[b] = s + 2;
    at_[a] = t + 2;
}

bool Triangulation::is_delaunay(Index h) const {
    const Index g = twin_[h];
    if (g == kNone || is_fixed_[h] != 0) return true;
    return incircle(points_[from(h)], points_[to(h)], points_[across(h)], points_[across(g)]) <= 0;
}

void Triangulation::settle(std::vector<Index>& todo) {
    while (!todo.empty()) {
        const Index h = todo.back();
        todo.pop_back();
        if (is_delaunay(h) || !can_flip(h)) continue;
        const Index g = twin_[h];
        flip(h);
        // All four sides of the two triangles; the edge between them is good.
        for (const Index t : {h / 3, g / 3})
            for (Index k = 1; k < 3; ++k) todo.push_back(3 * t + k);
    }
}

void Triangulation::restore() {
    todo_.clear();
    for (Index h = 0; h < n_half_edges(); ++h)
        if (twin_[h] != kNone && twin_[h] > h && !is_delaunay(h)) todo_.push_back(h);
    settle(todo_);
}

std::optional<Index> Triangulation::find(Index a, Index b) const {
    std::optional<Index> found;
    around(a, [&](Index h) {
        if (to(h) == b) found = h;
    });
    return found;
}

bool Triangulation::fix_edge(Index a, Index b) {
    auto fix = [this](Index h) {
        is_fixed_[h] = 1;
        if (twin_[h] != kNone) is_fixed_[twin_[h]] = 1;
        return true;
    };
    if (const auto h = find(a, b)) return fix(*h);
    const Vec2 &pa = points_[a], &pb = points_[b];
    // The edges that ab crosses, as pairs of points: flips give half-edges other places.
    std::deque<std::array<Index, 2>> crossed;
    Index exit = kNone;
    bool meets_point = false;
    around(a, [&](Index h) {
        const int right = orient2d(pa, pb, points_[to(h)]), left = orient2d(pa, pb, points_[across(h)]);
        const bool is_ahead = orient2d(points_[to(h)], points_[across(h)], pb) < 0;
        if (right < 0 && left > 0 && is_ahead) exit = next(h);
        if (right == 0 && dot(points_[to(h)] - pa, pb - pa) > 0) meets_point = true;
    });
    if (meets_point || exit == kNone) return false;
    while (true) {
        if (is_fixed_[exit] != 0) return false;
        crossed.push_back({from(exit), to(exit)});
        const Index g = twin_[exit], tip = across(g);
        if (tip == b) break;
        const int side = orient2d(pa, pb, points_[tip]);
        if (side == 0) return false;
        // On over the side of g that ab leaves by.
        exit = side > 0 ? next(g) : previous(g);
    }
    std::vector<Index> fresh;
    for (std::size_t left = 4 * crossed.size() * crossed.size() + 16; !crossed.empty(); --left) {
        if (left == 0) throw InternalError("an edge could not be brought into the plane triangulation");
        const auto [c, d] = crossed.front();
        crossed.pop_front();
        const auto h = find(c, d);
        if (!h) throw InternalError("an edge of the plane triangulation is gone");
        if (!can_flip(*h)) {
            crossed.push_back({c, d});
            continue;
        }
        const Index s = across(*h), t = across(twin_[*h]);
        flip(*h);
        const bool is_edge = (s == a && t == b) || (s == b && t == a);
        const bool still_crosses = !is_edge && s != a && s != b && t != a && t != b &&
                                   orient2d(pa, pb, points_[s]) * orient2d(pa, pb, points_[t]) < 0;
        if (still_crosses) crossed.push_back({s, t});
    }
    const auto h = find(a, b);
    return h && fix(*h);
}

}  // namespace anvilcast::planar
