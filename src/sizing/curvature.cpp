#include <algorithm>
#include <cmath>

#include "sizing/wall_sizes.hpp"

namespace anvilcast::sizing {
namespace {

/// Normals that turn by less than this over a triangle are taken for flat: coordinates come in single precision.
constexpr double kFlat = 1e-3;

/// The symmetric 2x2 matrix that takes steps to changes of the normal, by least squares over the three sides.
struct NormalEquations {
    // Unknowns: a, b, c of [[a, b], [b, c]].
    double uu = 0, uv = 0, vv = 0, au = 0, bu = 0, cu = 0;

    void add(double u, double v, double du, double dv) {
        uu += u * u;
        uv += u * v;
        vv += v * v;
        au += u * du;
        bu += v * du + u * dv;
        cu += v * dv;
    }
    /// The larger eigenvalue's magnitude.
    double largest_curvature() const {
        // [uu uv 0; uv uu+vv uv; 0 uv vv] (a b c) = (au bu cu)
        const double det = uu * ((uu + vv) * vv - uv * uv) - uv * uv * vv;
        if (!(det > 0)) return 0;
        const double a = (au * ((uu + vv) * vv - uv * uv) - uv * (bu * vv - uv * cu)) / det;
        const double b = (uu * (bu * vv - uv * cu) - au * uv * vv) / det;
        const double c = (uu * ((uu + vv) * cu - uv * bu) - uv * (uv * cu) + au * uv * uv) / det;
        const double mean = 0.5 * (a + c), off = std::hypot(0.5 * (a - c), b);
        return std::abs(mean) + off;
    }
};

double curvature_of(const Surface& s, const Features& features, Index t) {
    double turn = 0;
    for (std::size_t k = 0; k < 3; ++k)
        turn = std::max(turn, distance(features.normal(t, k), features.normal(t, (k + 1) % 3)));
    if (turn < kFlat) return 0;
    const Vec3 x = normalized(s.corner(t, 1) - s.corner(t, 0));
    const Vec3 n = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
    const Vec3 y = cross(n, x);
    NormalEquations equations;
    for (int k = 0; k < 3; ++k) {
        const Vec3 step = s.corner(t, (k + 1) % 3) - s.corner(t, k);
        const Vec3 change =
            features.normal(t, static_cast<std::size_t>(k + 1) % 3) - features.normal(t, static_cast<std::size_t>(k));
        equations.add(dot(step, x), dot(step, y), dot(change, x), dot(change, y));
    }
    return equations.largest_curvature();
}

}  // namespace

std::vector<double> curvature_of_triangles(const Surface& s, const Features& features) {
    std::vector<double> curvature(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t) curvature[t] = curvature_of(s, features, t);
    return curvature;
}

std::vector<double> curvature_of_walls(const Domain& domain, const Features& features, double feature_angle) {
    if (domain.uncut_of.empty()) return curvature_of_triangles(domain.boundary, features);
    Domain before;
    before.boundary = *domain.uncut;
    before.sides.assign(before.boundary.triangles.size(), {kNone, 0});
    const std::vector<double> all =
        curvature_of_triangles(before.boundary, shape::find_features(before, feature_angle));
    std::vector<double> curvature;
    for (const Index t : domain.uncut_of) curvature.push_back(all[t]);
    return curvature;
}

namespace {

/// Where a curve really turns, and by how much: cutting divides straight pieces, too.
struct Bend {
    double at;    // along the curve
    double turn;  // radians
};

std::vector<Bend> bends_of(const std::vector<Vec3>& places, const std::vector<double>& at, bool is_loop) {
    constexpr double kStraight = 1e-3;
    std::vector<Bend> bends;
    const std::size_t n = places.size() - 1;
    for (std::size_t i = is_loop ? 0 : 1; i < n; ++i) {
        const Vec3 in = places[i] - places[i == 0 ? n - 1 : i - 1], on = places[i + 1] - places[i];
        const double turn = std::atan2(length(cross(in, on)), dot(in, on));
        if (turn > kStraight) bends.push_back({at[i], turn});
    }
    return bends;
}

}  // namespace

std::vector<double> curvature_of_segments(const Surface& s, const FeatureCurve& curve) {
    std::vector<Vec3> places;
    std::vector<double> at{0};
    for (const Index p : curve.points) places.push_back(s.points[p]);
    for (std::size_t i = 0; i + 1 < places.size(); ++i) at.push_back(at[i] + distance(places[i], places[i + 1]));
    const std::size_t n = places.size() - 1;
    const double whole = at.back();
    const std::vector<Bend> bends = bends_of(places, at, curve.is_loop());
    const auto m = static_cast<std::ptrdiff_t>(bends.size());
    // Three bends in a row turn over the way from the middle before the first to the middle behind the last: where two
    // surfaces cross, two bends may come close to each other, each of another surface.
    auto bend = [&](std::ptrdiff_t i) -> Bend {
        if (i >= 0 && i < m) return bends[static_cast<std::size_t>(i)];
        if (!curve.is_loop()) return {i < 0 ? -bends.front().at : 2 * whole - bends.back().at, 0};  // as if mirrored
        const Bend b = bends[static_cast<std::size_t>((i + m) % m)];
        return {b.at + (i < 0 ? -whole : whole), b.turn};
    };
    std::vector<double> of_bend;
    for (std::ptrdiff_t i = 0; i < m; ++i) {
        const double way = 0.5 * (bend(i + 1).at + bend(i + 2).at) - 0.5 * (bend(i - 1).at + bend(i - 2).at);
        const double turn = bend(i - 1).turn + bend(i).turn + bend(i + 1).turn;
        of_bend.push_back(m < 3 ? bends[static_cast<std::size_t>(i)].turn / (whole / static_cast<double>(m + 1))
                                : turn / way);
    }
    std::vector<double> of_segment(n, 0);
    for (std::size_t i = 0; i < n; ++i) {
        // The bends at its ends, or those before and behind it where it is a piece of a straight one.
        const auto behind =
            std::lower_bound(bends.begin(), bends.end(), at[i + 1], [](const Bend& b, double a) { return b.at < a; });
        for (const std::ptrdiff_t k : {behind - bends.begin() - 1, behind - bends.begin()})
            if (k >= 0 && k < m) of_segment[i] = std::max(of_segment[i], of_bend[static_cast<std::size_t>(k)]);
        if (curve.is_loop() && m > 0 && (behind == bends.begin() || behind == bends.end()))
            of_segment[i] = std::max({of_segment[i], of_bend.front(), of_bend.back()});
    }
    return of_segment;
}

}  // namespace anvilcast::sizing
