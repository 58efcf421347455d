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

std::vector<double> curvature_of_segments(const Surface& s, const FeatureCurve& curve) {
    const std::size_t n = curve.points.size() - 1;
    std::vector<double> at_point(n + 1, 0);
    auto place = [&](std::size_t i) { return s.points[curve.points[i]]; };
    auto turn_at = [&](const Vec3& before, const Vec3& here, const Vec3& after) {
        const Vec3 in = here - before, on = after - here;
        return 2 * std::atan2(length(cross(in, on)), dot(in, on)) / (length(in) + length(on));
    };
    for (std::size_t i = 1; i < n; ++i) at_point[i] = turn_at(place(i - 1), place(i), place(i + 1));
    if (curve.is_loop()) at_point[0] = at_point[n] = turn_at(place(n - 1), place(0), place(1));
    std::vector<double> of_segment(n);
    for (std::size_t i = 0; i < n; ++i) of_segment[i] = std::max(at_point[i], at_point[i + 1]);
    return of_segment;
}

}  // namespace anvilcast::sizing
