// Where a section stands on its way.
//
// Along points the axes are carried by double reflection, which turns them no more than the way does (W. Wang, B.
// Juettler, D. Zheng, Y. Liu, Computation of rotation minimizing frames, 2008). At a mitred corner the section lies in
// the plane that halves the angle, drawn out so that it is itself when seen along the way.

#include "sweep/stations.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>

namespace anvilcast::sweeping {
namespace {

/// Of the section's extent: so near to the axis a point lies on it.
constexpr double kOnAxis = 1e-9;

double radians(double degrees) { return degrees * std::numbers::pi / 180; }

/// Shares of the way, 0 to 1.
std::vector<double> shares(const SweepOptions& o) {
    std::vector<double> out{0};
    const int n = o.steps;
    for (int k = 0; k < n; ++k) {
        const bool mirrored = o.finer_at == FinerAt::ends || o.finer_at == FinerAt::middle;
        const int half = (n + 1) / 2, i = mirrored && k >= half ? n - 1 - k : k, m = mirrored ? half : n;
        double share = m > 1 ? static_cast<double>(i) / (m - 1) : 0;
        if (o.finer_at == FinerAt::end || o.finer_at == FinerAt::middle) share = 1 - share;
        out.push_back(out.back() + std::pow(o.bias, share));
    }
    for (double& s : out) s /= out.back();
    out.back() = 1;
    return out;
}

/// Twisted and scaled about the section's origin, as far as the share of the way is.
Station turned_and_scaled(Station s, const SweepOptions& o, double share) {
    const double c = std::cos(radians(o.twist_deg) * share), d = std::sin(radians(o.twist_deg) * share),
                 scale = 1 + (o.scale_at_end - 1) * share;
    const Vec3 first = s.first, second = s.second;
    s.first = (first * c + second * d) * scale;
    s.second = (second * c - first * d) * scale;
    return s;
}

std::vector<Station> along(const StraightPath& path, const SweepOptions& o) {
    if (!(path.way.z > 0))
        throw InputError("a straight sweep leaves the plane towards +z: the third number of its way must be above 0");
    std::vector<Station> out;
    for (const double share : shares(o))
        out.push_back(turned_and_scaled({path.way * share, {1, 0, 0}, {0, 1, 0}}, o, share));
    return out;
}

/// Signed distances from the axis, above 0 on its left.
struct Axis {
    Vec2 from, way;
    explicit Axis(const RoundPath& p) : from(p.axis_from), way{p.axis_to.x - from.x, p.axis_to.y - from.y} {
        const double l = std::hypot(way.x, way.y);
        if (!(l > 0)) throw InputError("the two points of the sweep's axis are in one place");
        way = {way.x / l, way.y / l};
    }
    double distance(const Vec2& p) const { return way.x * (p.y - from.y) - way.y * (p.x - from.x); }
};

double extent_of(const std::vector<Vec2>& section) {
    Box box;
    for (const Vec2& p : section) box.include(Vec3{p.x, p.y, 0});
    return box.diagonal();
}

std::vector<Station> along(const RoundPath& path, const SweepOptions& o, const std::vector<Vec2>& section) {
    if (!(path.angle_deg > 0 && path.angle_deg <= 360))
        throw InputError(
            fmt::format("a sweep turns by more than 0 and at most 360 degrees, not by {}", path.angle_deg));
    if (o.twist_deg != 0 || o.scale_at_end != 1) throw InputError("a sweep round an axis has neither twist nor scale");
    Axis axis(path);
    double least = Box::inf, most = -Box::inf;
    for (const Vec2& p : section) {
        least = std::min(least, axis.distance(p));
        most = std::max(most, axis.distance(p));
    }
    const double tolerance = kOnAxis * extent_of(section);
    if (least < -tolerance && most > tolerance)
        throw InputError(
            fmt::format("the sweep's axis cuts the section: it has points {:.4g} m on one side of it and "
                        "{:.4g} m on the other",
                        -least, most));
    // The section on the left of the axis goes towards +z; on the right it is the axis that is turned round.
    const double sign = most > tolerance ? 1 : -1;
    const Vec2 u{axis.way.x * sign, axis.way.y * sign}, n{-u.y, u.x};
    const double from_along = u.x * axis.from.x + u.y * axis.from.y, from_off = n.x * axis.from.x + n.y * axis.from.y;
    std::vector<Station> out;
    for (const double share : shares(o)) {
        const double angle = radians(path.angle_deg) * share, c = std::cos(angle), s = std::sin(angle);
        // A point's part along u stays; its distance from the axis, along n, is turned towards z.
        const Vec3 out_of_axis{n.x * c, n.y * c, s};
        const Vec3 along_axis{u.x, u.y, 0};
        Station station;
        station.first = along_axis * u.x + out_of_axis * n.x;
        station.second = along_axis * u.y + out_of_axis * n.y;
        station.origin = Vec3{axis.from.x, axis.from.y, 0} - along_axis * from_along - out_of_axis * from_off;
        out.push_back(station);
    }
    if (path.angle_deg == 360) out.back() = out.front();
    return out;
}

/// A natural cubic spline through points, by the lengths of its chords, in many small chords.
std::vector<Vec3> smooth_line(const std::vector<Vec3>& p, std::size_t per_span) {
    const std::size_t n = p.size();
    std::vector<double> h(n - 1);
    for (std::size_t i = 0; i + 1 < n; ++i) h[i] = distance(p[i], p[i + 1]);
    std::vector<Vec3> bend(n), d(n);
    std::vector<double> middle(n, 1);
    for (std::size_t i = 1; i + 1 < n; ++i) {
        d[i] = ((p[i + 1] - p[i]) / h[i] - (p[i] - p[i - 1]) / h[i - 1]) * 6;
        middle[i] = 2 * (h[i - 1] + h[i]);
        if (i > 1) {
            const double factor = h[i - 1] / middle[i - 1];
            middle[i] -= factor * h[i - 1];
            d[i] -= d[i - 1] * factor;
        }
    }
    for (std::size_t i = n - 1; i-- > 1;) bend[i] = (d[i] - bend[i + 1] * h[i]) / middle[i];
    std::vector<Vec3> out;
    for (std::size_t i = 0; i + 1 < n; ++i)
        for (std::size_t k = 0; k < per_span; ++k) {
            const double b = static_cast<double>(k) / static_cast<double>(per_span), a = 1 - b;
            out.push_back(p[i] * a + p[i + 1] * b +
                          (bend[i] * (a * a * a - a) + bend[i + 1] * (b * b * b - b)) * (h[i] * h[i] / 6));
        }
    out.push_back(p.back());
    return out;
}

std::vector<Vec3> cut_up(const std::vector<Vec3>& line, int per_piece) {
    std::vector<Vec3> out{line.front()};
    for (std::size_t i = 1; i < line.size(); ++i)
        for (int k = 1; k <= per_piece; ++k)
            out.push_back(k == per_piece ? line[i] : line[i - 1] + (line[i] - line[i - 1]) * (double(k) / per_piece));
    return out;
}

Vec3 reflected(const Vec3& v, const Vec3& across) {
    const double l = length_squared(across);
    return l > 0 ? v - across * (2 * dot(across, v) / l) : v;
}

std::vector<Station> along(const PointsPath& path, const SweepOptions& o) {
    const auto& given = path.points;
    if (given.size() < 2) throw InputError("a sweep's path has two points at least");
    for (std::size_t i = 1; i < given.size(); ++i)
        if (given[i - 1] == given[i])
            throw InputError(fmt::format("points {} and {} of the sweep's path are in one place", i, i + 1));
    const bool is_smooth = path.is_smooth && given.size() > 2;
    // A twist is no straight way: pieces are cut into small ones.
    const std::vector<Vec3> line = is_smooth ? smooth_line(given, 64) : o.twist_deg != 0 ? cut_up(given, 256) : given;
    std::vector<double> upto{0};
    for (std::size_t i = 1; i < line.size(); ++i) upto.push_back(upto.back() + distance(line[i - 1], line[i]));
    auto ahead = [&](std::size_t i) { return normalized(line[i + 1] - line[i]); };

    // Axes at each chord's beginning, carried on from the first.
    std::vector<Vec3> first{{1, 0, 0}};
    const Vec3 z{0, 0, 1}, t0 = ahead(0);
    if (t0.z < -0.999999) throw InputError("the sweep's path begins straight backwards, along -z");
    first[0] = reflected(reflected(first[0], z), z + t0);  // the turn that takes z to the way
    first[0] = normalized(first[0] - t0 * dot(first[0], t0));
    for (std::size_t i = 0; i + 2 < line.size(); ++i) {
        // By the turn from one chord's direction to the next, which is what double reflection is on chords.
        const Vec3 t = ahead(i), next = ahead(i + 1);
        if (dot(t, next) < -0.999999)
            throw InputError(fmt::format("the sweep's path turns back on itself at [{:.6g}, {:.6g}, {:.6g}] m",
                                         line[i + 1].x, line[i + 1].y, line[i + 1].z));
        const Vec3 carried = reflected(reflected(first.back(), t), t + next);
        first.push_back(normalized(carried - next * dot(carried, next)));
    }
    std::vector<double> places;
    for (const double share : shares(o)) places.push_back(share * upto.back());
    if (!is_smooth) {  // corners are stations, each the nearest one moved there
        if (places.size() < given.size())
            throw InputError("the sweep has fewer steps than its path has straight pieces");
        double corner = 0;
        for (std::size_t i = 1; i + 1 < given.size(); ++i) {
            corner += distance(given[i - 1], given[i]);
            *std::min_element(places.begin() + 1, places.end() - 1,
                              [&](double a, double b) { return std::abs(a - corner) < std::abs(b - corner); }) = corner;
        }
    }
    // Sections at the joints of the line; between two of them all points go straight.
    std::vector<Station> joints;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const std::size_t chord = std::min(i, line.size() - 2);
        const Vec3 t = ahead(chord);
        Station s = turned_and_scaled({line[i], first[chord], cross(t, first[chord])}, o, upto[i] / upto.back());
        if (i > 0 && i + 1 < line.size()) {
            const Vec3 half = normalized(ahead(i - 1) + t);
            for (Vec3* axis : {&s.first, &s.second}) *axis -= t * (dot(*axis, half) / dot(t, half));
        }
        joints.push_back(s);
    }
    std::vector<Station> out;
    for (const double at : places) {
        const auto above = std::upper_bound(upto.begin() + 1, upto.end() - 1, at);
        const auto i = static_cast<std::size_t>(above - upto.begin()) - 1;
        const double share = std::clamp((at - upto[i]) / (upto[i + 1] - upto[i]), 0.0, 1.0);
        const Station &a = joints[i], &b = joints[i + 1];
        out.push_back({a.origin * (1 - share) + b.origin * share, a.first * (1 - share) + b.first * share,
                       a.second * (1 - share) + b.second * share});
    }
    return out;
}

}  // namespace

std::vector<Station> stations(const SweepPath& path, const SweepOptions& options, const std::vector<Vec2>& section) {
    if (options.steps < 1) throw InputError("a sweep needs one step at least");
    if (!(options.bias >= 1))
        throw InputError("the bias of a sweep, its longest step over its shortest, is 1 at least");
    constexpr double kMostTwist = 45;  // degrees: cells of a larger turn are pressed flat in their middle
    if (std::abs(options.twist_deg) > kMostTwist * options.steps)
        throw InputError(
            fmt::format("the sweep twists by {:.4g} degrees in one step: {:.0f} steps are the least for that",
                        options.twist_deg / options.steps, std::ceil(std::abs(options.twist_deg) / kMostTwist)));
    if (!(options.scale_at_end > 0)) throw InputError("the scale at the end of a sweep must be above 0");
    if (const auto* straight = std::get_if<StraightPath>(&path)) return along(*straight, options);
    if (const auto* round = std::get_if<RoundPath>(&path)) return along(*round, options, section);
    return along(std::get<PointsPath>(path), options);
}

bool is_closed(const SweepPath& path) {
    const auto* round = std::get_if<RoundPath>(&path);
    return round != nullptr && round->angle_deg == 360;
}

std::vector<char> on_axis(const SweepPath& path, const std::vector<Vec2>& section) {
    std::vector<char> out(section.size(), 0);
    const auto* round = std::get_if<RoundPath>(&path);
    if (round == nullptr) return out;
    const Axis axis(*round);
    const double tolerance = kOnAxis * extent_of(section);
    for (std::size_t p = 0; p < section.size(); ++p) out[p] = std::abs(axis.distance(section[p])) <= tolerance ? 1 : 0;
    return out;
}

}  // namespace anvilcast::sweeping
