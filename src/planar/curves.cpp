// The pieces of curves: straight ones, arcs of ellipses, splines.
//
// Splines take the lengths of their chords for a parameter, and their second derivatives at the points from a
// tridiagonal system, cyclic when closed (solved by the formula of Sherman and Morrison).

#include <anvilcast/errors.hpp>
#include <anvilcast/planar.hpp>

#include <fmt/format.h>

#include <numbers>

#include "planar/vec2.hpp"

namespace anvilcast {
namespace {

using namespace planar;

double radians(double degrees) { return degrees * std::numbers::pi / 180; }

/// Solves a x = d with the rows (below, middle, above), strictly dominant.
std::vector<Vec2> solve_tridiagonal(const std::vector<double>& below, std::vector<double> middle,
                                    const std::vector<double>& above, std::vector<Vec2> d) {
    const std::size_t n = middle.size();
    for (std::size_t i = 1; i < n; ++i) {
        const double factor = below[i] / middle[i - 1];
        middle[i] -= factor * above[i - 1];
        d[i] = d[i] - d[i - 1] * factor;
    }
    d[n - 1] = d[n - 1] / middle[n - 1];
    for (std::size_t i = n - 1; i-- > 0;) d[i] = (d[i] - d[i + 1] * above[i]) / middle[i];
    return d;
}

std::vector<double> chord_lengths(const SmoothPiece& s) {
    std::vector<double> knots{0};
    const std::size_t n = s.points.size();
    for (std::size_t i = 1; i < n + (s.is_closed ? 1 : 0); ++i)
        knots.push_back(knots.back() + distance(s.points[i - 1], s.points[i % n]));
    return knots;
}

void find_bends(SmoothPiece& s) {
    s.knots = chord_lengths(s);
    const std::size_t n = s.points.size();
    s.bends.assign(n, {});
    if (n < 3) return;
    auto h = [&](std::size_t i) { return s.knots[i + 1] - s.knots[i]; };
    auto slope = [&](std::size_t i) { return (s.points[(i + 1) % n] - s.points[i]) / h(i); };
    const std::size_t first = s.is_closed ? 0 : 1, m = s.is_closed ? n : n - 2;
    std::vector<double> below(m), middle(m), above(m);
    std::vector<Vec2> d(m);
    for (std::size_t k = 0; k < m; ++k) {
        const std::size_t i = first + k, before = (i + n - 1) % n;
        below[k] = h(before);
        middle[k] = 2 * (h(before) + h(i));
        above[k] = h(i);
        d[k] = (slope(i) - slope(before)) * 6;
    }
    if (!s.is_closed) {
        const auto inner = solve_tridiagonal(below, middle, above, d);
        std::copy(inner.begin(), inner.end(), s.bends.begin() + 1);
        return;
    }
    const double corner = below[0], gamma = -middle[0];
    middle[0] -= gamma;
    middle[m - 1] -= corner * above[m - 1] / gamma;
    std::vector<Vec2> u(m);
    u[0] = {gamma, gamma};
    u[m - 1] = {above[m - 1], above[m - 1]};
    const auto x = solve_tridiagonal(below, middle, above, d), z = solve_tridiagonal(below, middle, above, u);
    const double share = corner / gamma;
    const double denominator = 1 + z[0].x + share * z[m - 1].x;
    const Vec2 factor = (x[0] + x[m - 1] * share) / denominator;
    for (std::size_t k = 0; k < m; ++k) s.bends[k] = x[k] - Vec2{factor.x * z[k].x, factor.y * z[k].y};
}

Vec2 place_of(const StraightPiece& p, double share) { return p.from * (1 - share) + p.to * share; }
Vec2 place_of(const ArcPiece& p, double share) {
    const double angle = p.from + (p.to - p.from) * share, c = std::cos(p.turned), s = std::sin(p.turned);
    const Vec2 at{p.first_radius * std::cos(angle), p.second_radius * std::sin(angle)};
    return p.middle + Vec2{c * at.x - s * at.y, s * at.x + c * at.y};
}
Vec2 place_of(const SmoothPiece& p, double share) {
    const std::size_t n = p.points.size();
    const double u = share * p.knots.back();
    const auto above = std::upper_bound(p.knots.begin() + 1, p.knots.end() - 1, u);
    const auto i = static_cast<std::size_t>(above - p.knots.begin()) - 1;
    const double h = p.knots[i + 1] - p.knots[i], b = (u - p.knots[i]) / h, a = 1 - b;
    return p.points[i] * a + p.points[(i + 1) % n] * b +
           (p.bends[i] * (a * a * a - a) + p.bends[(i + 1) % n] * (b * b * b - b)) * (h * h / 6);
}

SmoothPiece smooth_piece(std::vector<Vec2> points, bool is_closed) {
    SmoothPiece out{std::move(points), is_closed};
    find_bends(out);
    return out;
}

}  // namespace

Vec2 place_on(const CurvePiece& piece, double share) {
    return std::visit([share](const auto& p) { return place_of(p, share); }, piece);
}

CurvePieces straight_pieces(const std::vector<Vec2>& points) {
    if (points.size() < 2) throw InputError("a curve has two points at least");
    CurvePieces out;
    for (std::size_t i = 1; i < points.size(); ++i) {
        if (points[i - 1] == points[i])
            throw InputError(fmt::format("points {} and {} of the curve are in one place", i, i + 1));
        out.emplace_back(StraightPiece{points[i - 1], points[i]});
    }
    return out;
}

CurvePieces arc_through(const Vec2& from, const Vec2& by, const Vec2& to) {
    const Vec2 u = by - from, v = to - from;
    const double turn = cross(u, v);
    // A circle a million times as large as its arc is a straight line to any mesh.
    if (!(std::abs(turn) > 1e-6 * length(u) * length(v)) || by == to)
        throw InputError("the three points of the arc are in a line, or two of them in one place");
    const Vec2 middle = from + Vec2{v.y * length_squared(u) - u.y * length_squared(v),
                                    u.x * length_squared(v) - v.x * length_squared(u)} /
                                   (2 * turn);
    auto angle = [&](const Vec2& p) { return std::atan2(p.y - middle.y, p.x - middle.x); };
    const double whole = 2 * std::numbers::pi;
    ArcPiece arc{middle, distance(middle, from), distance(middle, from), 0, angle(from), angle(to)};
    if (turn > 0 && arc.to <= arc.from) arc.to += whole;
    if (turn < 0 && arc.to >= arc.from) arc.to -= whole;
    return {arc};
}

CurvePieces circle(const Vec2& middle, double radius) { return ellipse(middle, radius, radius); }

CurvePieces ellipse(const Vec2& middle, double first_radius, double second_radius, double turned_deg) {
    return {ArcPiece{middle, first_radius, second_radius, radians(turned_deg), 0, 2 * std::numbers::pi}};
}

CurvePieces smooth_curve(const std::vector<Vec2>& given, double corner_angle_deg) {
    straight_pieces(given);
    std::vector<Vec2> points = given;
    const bool is_closed = points.size() > 3 && points.front() == points.back();
    if (is_closed) points.pop_back();
    const std::size_t n = points.size();
    std::vector<std::size_t> corners;
    for (std::size_t i = 0; i < n; ++i) {
        if (!is_closed && (i == 0 || i + 1 == n)) {
            corners.push_back(i);
            continue;
        }
        const Vec2 u = normalized(points[i] - points[(i + n - 1) % n]), v = normalized(points[(i + 1) % n] - points[i]);
        if (dot(u, v) < std::cos(radians(corner_angle_deg))) corners.push_back(i);
    }
    if (corners.empty()) return {smooth_piece(points, true)};
    CurvePieces out;
    const std::size_t n_pieces = is_closed ? corners.size() : corners.size() - 1;
    for (std::size_t k = 0; k < n_pieces; ++k) {
        const std::size_t from = corners[k], to = k + 1 < corners.size() ? corners[k + 1] : corners[0] + n;
        std::vector<Vec2> between;
        for (std::size_t i = from; i <= to; ++i) between.push_back(points[i % n]);
        if (between.size() == 2)
            out.emplace_back(StraightPiece{between[0], between[1]});
        else
            out.emplace_back(smooth_piece(std::move(between), false));
    }
    return out;
}

CurvePieces moved_by(const CurvePieces& pieces, const PlaneMotion& m) {
    const double c = std::cos(radians(m.turned_deg)), s = std::sin(radians(m.turned_deg));
    auto move = [&](const Vec2& p) {
        const Vec2 d = (p - m.about) * m.scale;
        return m.about + m.moved + Vec2{c * d.x - s * d.y, s * d.x + c * d.y};
    };
    CurvePieces out = pieces;
    for (CurvePiece& piece : out) {
        if (auto* straight = std::get_if<StraightPiece>(&piece)) {
            *straight = {move(straight->from), move(straight->to)};
        } else if (auto* arc = std::get_if<ArcPiece>(&piece)) {
            arc->middle = move(arc->middle);
            arc->first_radius *= m.scale;
            arc->second_radius *= m.scale;
            arc->turned += radians(m.turned_deg);
        } else if (auto* smooth = std::get_if<SmoothPiece>(&piece)) {
            for (Vec2& p : smooth->points) p = move(p);
            find_bends(*smooth);
        }
    }
    return out;
}

}  // namespace anvilcast
