#include <anvilcast/triangle_intersection.hpp>

#include <tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <anvilcast/predicates.hpp>

namespace anvilcast {
namespace {

Vec2 projected(const Vec3& p, int dropped) {
    return dropped == 0 ? Vec2{p.y, p.z} : dropped == 1 ? Vec2{p.z, p.x} : Vec2{p.x, p.y};
}

/// A coordinate plane in which the triangle keeps an area.
int axis_to_drop(const Vec3& a, const Vec3& b, const Vec3& c) {
    for (int axis = 2; axis > 0; --axis)
        if (orient2d(projected(a, axis), projected(b, axis), projected(c, axis)) != 0) return axis;
    return 0;
}

bool on_segment(const Vec2& p, const Vec2& a, const Vec2& b) {
    return orient2d(a, b, p) == 0 && std::min(a.x, b.x) <= p.x && p.x <= std::max(a.x, b.x) &&
           std::min(a.y, b.y) <= p.y && p.y <= std::max(a.y, b.y);
}

bool segments_meet(const Vec2& p, const Vec2& q, const Vec2& a, const Vec2& b) {
    const int pa = orient2d(p, q, a), pb = orient2d(p, q, b), ap = orient2d(a, b, p), aq = orient2d(a, b, q);
    if (pa * pb < 0 && ap * aq < 0) return true;
    return on_segment(a, p, q) || on_segment(b, p, q) || on_segment(p, a, b) || on_segment(q, a, b);
}

bool point_in_triangle(const Vec2& p, const Vec2& a, const Vec2& b, const Vec2& c) {
    const int s = orient2d(a, b, p), t = orient2d(b, c, p), u = orient2d(c, a, p);
    return (s >= 0 && t >= 0 && u >= 0) || (s <= 0 && t <= 0 && u <= 0);
}

bool coplanar_segment_meets_triangle(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
    const int axis = axis_to_drop(a, b, c);
    const Vec2 p2 = projected(p, axis), q2 = projected(q, axis), a2 = projected(a, axis), b2 = projected(b, axis),
               c2 = projected(c, axis);
    return point_in_triangle(p2, a2, b2, c2) || segments_meet(p2, q2, a2, b2) || segments_meet(p2, q2, b2, c2) ||
           segments_meet(p2, q2, c2, a2);
}

/// Triangles (v, a, b) and (v, c, d) in one plane that share the corner v: do their sectors overlap?
bool coplanar_corners_overlap(const Vec3& v, const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const int axis = axis_to_drop(v, a, b);
    Vec2 v2 = projected(v, axis), a2 = projected(a, axis), b2 = projected(b, axis), c2 = projected(c, axis),
         d2 = projected(d, axis);
    if (orient2d(v2, a2, b2) < 0) std::swap(a2, b2);
    if (orient2d(v2, c2, d2) < 0) std::swap(c2, d2);
    auto strictly_within = [&v2](const Vec2& p, const Vec2& from, const Vec2& to) {
        return orient2d(v2, from, p) > 0 && orient2d(v2, p, to) > 0;
    };
    auto same_ray = [&v2](const Vec2& p, const Vec2& q) {
        return orient2d(v2, p, q) == 0 && ((p.x - v2.x) * (q.x - v2.x) > 0 || (p.y - v2.y) * (q.y - v2.y) > 0);
    };
    return strictly_within(c2, a2, b2) || strictly_within(d2, a2, b2) || strictly_within(a2, c2, d2) ||
           strictly_within(b2, c2, d2) || same_ray(a2, c2) || same_ray(b2, d2);
}

/// The axis that the normal is steepest in, in floating point.
int steepest_axis(const Vec3& a, const Vec3& b, const Vec3& c) {
    const Vec3 n = triangle_normal(a, b, c);
    const double x = std::abs(n.x), y = std::abs(n.y), z = std::abs(n.z);
    return z >= x && z >= y ? 2 : y >= x ? 1 : 0;
}

/// Does the line of a side of s, seen along an axis, part s from t for certain? Points of t that are ends of that side
/// may lie on the line. Filters alone decide: neighbours in one plane are told apart without exact arithmetic.
bool is_parted(const std::vector<Vec3>& points, const Triangle& s, const Triangle& t) {
    const int axis = steepest_axis(points[s[0]], points[s[1]], points[s[2]]);
    std::array<Vec2, 3> p, q;
    for (std::size_t k = 0; k < 3; ++k) {
        p[k] = projected(points[s[k]], axis);
        q[k] = projected(points[t[k]], axis);
    }
    const int turn = predicate_rungs::orient2d_filter(p[0], p[1], p[2]);
    if (turn == 0 || turn == predicate_rungs::kUndecided) return false;
    for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t next = (k + 1) % 3;
        bool parted = true;
        for (std::size_t j = 0; j < 3 && parted; ++j)
            parted = t[j] == s[k] || t[j] == s[next] || predicate_rungs::orient2d_filter(p[k], p[next], q[j]) == -turn;
        if (parted) return true;
    }
    return false;
}

}  // namespace

bool segment_meets_triangle(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c) {
    const int sp = orient3d(a, b, c, p), sq = orient3d(a, b, c, q);
    if (sp * sq > 0) return false;
    if (sp == 0 && sq == 0) return coplanar_segment_meets_triangle(p, q, a, b, c);
    const int s = orient3d(p, q, a, b), t = orient3d(p, q, b, c), u = orient3d(p, q, c, a);
    return (s >= 0 && t >= 0 && u >= 0) || (s <= 0 && t <= 0 && u <= 0);
}

bool triangles_conflict(const std::vector<Vec3>& points, const Triangle& s, const Triangle& t) {
    // Turn both so that what they share comes first.
    std::array<Index, 3> shared{}, own_s{}, own_t{};
    std::size_t n_shared = 0, n_s = 0, n_t = 0;
    for (const Index p : s) {
        if (std::find(t.begin(), t.end(), p) != t.end())
            shared[n_shared++] = p;
        else
            own_s[n_s++] = p;
    }
    for (const Index p : t)
        if (std::find(s.begin(), s.end(), p) == s.end()) own_t[n_t++] = p;
    auto at = [&points](Index i) -> const Vec3& { return points[i]; };
    if (n_shared == 3) return true;
    if (is_parted(points, s, t) || is_parted(points, t, s)) return false;
    if (n_shared == 2) {
        const Vec3 &a = at(shared[0]), &b = at(shared[1]), &c = at(own_s[0]), &d = at(own_t[0]);
        if (orient3d(a, b, c, d) != 0) return false;
        const int axis = axis_to_drop(a, b, c);
        return orient2d(projected(a, axis), projected(b, axis), projected(c, axis)) ==
               orient2d(projected(a, axis), projected(b, axis), projected(d, axis));
    }
    if (n_shared == 1) {
        const Vec3 &v = at(shared[0]), &a = at(own_s[0]), &b = at(own_s[1]), &c = at(own_t[0]), &d = at(own_t[1]);
        if (orient3d(v, a, b, c) == 0 && orient3d(v, a, b, d) == 0) return coplanar_corners_overlap(v, a, b, c, d);
        return segment_meets_triangle(a, b, v, c, d) || segment_meets_triangle(c, d, v, a, b);
    }
    for (std::size_t k = 0; k < 3; ++k) {
        if (segment_meets_triangle(at(s[k]), at(s[(k + 1) % 3]), at(t[0]), at(t[1]), at(t[2]))) return true;
        if (segment_meets_triangle(at(t[k]), at(t[(k + 1) % 3]), at(s[0]), at(s[1]), at(s[2]))) return true;
    }
    return false;
}

std::vector<std::array<Index, 2>> find_self_intersections(const std::vector<Vec3>& points,
                                                          const std::vector<Triangle>& triangles) {
    const TriangleTree tree(points, triangles);
    tbb::enumerable_thread_specific<std::vector<std::array<Index, 2>>> found;
    tree.overlapping_pairs([&](Index i, Index j) {
        if (triangles_conflict(points, triangles[i], triangles[j])) found.local().push_back({i, j});
    });
    std::vector<std::array<Index, 2>> all;
    for (const auto& part : found) all.insert(all.end(), part.begin(), part.end());
    std::sort(all.begin(), all.end());
    return all;
}

}  // namespace anvilcast
