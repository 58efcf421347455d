#include "cut/meeting.hpp"

#include <algorithm>

namespace anvilcast::cutting {
namespace {

using robust::compare;
using robust::ExactPoint;
using robust::orient2d;
using robust::orient3d;

int axis_of(const Corners& t) { return robust::axis_across(*t[0], *t[1], *t[2]); }

Index number_of(const ExactPoint& p, Meeting& meeting) {
    const auto at = std::find(meeting.points.begin(), meeting.points.end(), p);
    if (at == meeting.points.end()) {
        meeting.points.push_back(p);
        return static_cast<Index>(meeting.points.size() - 1);
    }
    return static_cast<Index>(at - meeting.points.begin());
}

/// The corners and edges of `a` in `b`; `side` tells on which side of b's plane each corner of a is.
void add_piercings(const Corners& a, const std::array<int, 3>& side, const Corners& b, Meeting& out) {
    for (std::size_t k = 0; k < 3; ++k) {
        const ExactPoint &p = *a[k], &q = *a[(k + 1) % 3];
        if (side[k] == 0 && robust::is_in_triangle(p, *b[0], *b[1], *b[2], axis_of(b))) number_of(p, out);
        if (side[k] * side[(k + 1) % 3] >= 0) continue;
        const int s = orient3d(p, q, *b[0], *b[1]), t = orient3d(p, q, *b[1], *b[2]), u = orient3d(p, q, *b[2], *b[0]);
        if ((s >= 0 && t >= 0 && u >= 0) || (s <= 0 && t <= 0 && u <= 0))
            number_of(robust::line_meets_plane(p, q, *b[0], *b[1], *b[2]), out);
    }
}

/// The edges of `a`, as far as they run in `b`, in one plane.
void add_edges_within(const Corners& a, const Corners& b, int axis, Meeting& out,
                      std::vector<std::array<Index, 2>>& segments) {
    for (std::size_t k = 0; k < 3; ++k) {
        const ExactPoint &p = *a[k], &q = *a[(k + 1) % 3];
        std::vector<ExactPoint> on;
        for (const ExactPoint* end : {&p, &q})
            if (robust::is_in_triangle(*end, *b[0], *b[1], *b[2], axis)) on.push_back(*end);
        for (std::size_t j = 0; j < 3; ++j) {
            const ExactPoint &c = *b[j], &d = *b[(j + 1) % 3];
            const int side_c = orient2d(p, q, c, axis), side_d = orient2d(p, q, d, axis);
            if (side_c == 0 && robust::is_between(c, p, q)) on.push_back(c);
            if (side_c * side_d < 0 && orient2d(c, d, p, axis) * orient2d(c, d, q, axis) < 0)
                on.push_back(robust::lines_meet(p, q, c, d, axis));
        }
        if (on.empty()) continue;
        // The lexicographic order is the order along a line.
        const auto [first, last] = std::minmax_element(
            on.begin(), on.end(), [](const ExactPoint& x, const ExactPoint& y) { return compare(x, y) < 0; });
        const std::array<Index, 2> ends{number_of(*first, out), number_of(*last, out)};
        if (ends[0] != ends[1]) segments.push_back(ends);
    }
}

}  // namespace

Meeting meet(const Corners& a, const Corners& b) {
    Meeting out;
    std::array<int, 3> side_a{}, side_b{};
    for (std::size_t k = 0; k < 3; ++k) side_a[k] = orient3d(*b[0], *b[1], *b[2], *a[k]);
    if (side_a[0] != 0 && side_a[0] == side_a[1] && side_a[1] == side_a[2]) return out;
    out.is_coplanar = side_a == std::array<int, 3>{0, 0, 0};
    if (out.is_coplanar) {
        const int axis = axis_of(a);
        add_edges_within(a, b, axis, out, out.second);
        add_edges_within(b, a, axis, out, out.first);
        return out;
    }
    for (std::size_t k = 0; k < 3; ++k) side_b[k] = orient3d(*a[0], *a[1], *a[2], *b[k]);
    add_piercings(a, side_a, b, out);
    add_piercings(b, side_b, a, out);
    if (out.points.size() == 2) {
        out.first.push_back({0, 1});
        out.second.push_back({0, 1});
    }
    return out;
}

}  // namespace anvilcast::cutting
