#include "fill/dual_points.hpp"

#include <algorithm>
#include <cmath>

namespace anvilcast::fill {
namespace {

/// Least barycentric coordinate of a node within its tetrahedron or triangle.
constexpr double kLeastInTetrahedron = 0.08, kLeastInTriangle = 0.1;

/// From the middle towards a place whose barycentric coordinates are given, as far as none falls below the least.
template <std::size_t N>
double share_of_way(const std::array<double, N>& weights, double least) {
    constexpr double kMiddle = 1.0 / N;
    double share = 1;
    for (const double w : weights)
        if (w < least) share = std::min(share, (kMiddle - least) / (kMiddle - w));
    return share;
}

Vec3 in_tetrahedron(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const Vec3 middle = (a + b + c + d) / 4.0;
    const Vec3 u = b - a, v = c - a, w = d - a;
    const double volume6 = dot(u, cross(v, w));
    if (!(volume6 > 0)) return middle;
    const Vec3 step =
        (dot(u, u) * cross(v, w) + dot(v, v) * cross(w, u) + dot(w, w) * cross(u, v)) / (2 * volume6);
    // Barycentric coordinates of a + step.
    const double wb = dot(step, cross(v, w)) / volume6, wc = dot(step, cross(w, u)) / volume6,
                 wd = dot(step, cross(u, v)) / volume6;
    const double share = share_of_way<4>({1 - wb - wc - wd, wb, wc, wd}, kLeastInTetrahedron);
    return std::isfinite(share) ? middle + (a + step - middle) * share : middle;
}

Vec3 in_triangle(const Vec3& a, const Vec3& b, const Vec3& c) {
    const Vec3 middle = (a + b + c) / 3.0;
    // Weights of the circumcentre: squared edge times the sum of the others less itself.
    const double aa = distance_squared(b, c), bb = distance_squared(c, a), cc = distance_squared(a, b);
    const double wa = aa * (bb + cc - aa), wb = bb * (cc + aa - bb), wc = cc * (aa + bb - cc), sum = wa + wb + wc;
    if (!(sum > 0)) return middle;
    const double share = share_of_way<3>({wa / sum, wb / sum, wc / sum}, kLeastInTriangle);
    // Combined so that corners in one plane parallel to two axes give a place in it, to the last bit.
    const double third = (1 - share) / 3;
    const double fa = third + share * wa / sum, fb = third + share * wb / sum;
    return a + (b - a) * fb + (c - a) * (1 - fa - fb);
}

}  // namespace

Vec3 place_of(const DualFrame& frame, Node node) {
    const VolumeMesh& mesh = frame.mesh();
    const Index i = frame.index(node);
    std::span<const Index> corners;
    switch (frame.kind(node)) {
        case DualFrame::NodeKind::vertex:
            return mesh.points[i];
        case DualFrame::NodeKind::edge: {
            const auto ends = frame.ends_of(i);
            return midpoint(mesh.points[ends[0]], mesh.points[ends[1]]);
        }
        case DualFrame::NodeKind::cell:
            corners = mesh.cell(i);
            if (corners.size() == 4)
                return in_tetrahedron(mesh.points[corners[0]], mesh.points[corners[1]], mesh.points[corners[2]],
                                      mesh.points[corners[3]]);
            break;
        case DualFrame::NodeKind::face:
            corners = mesh.face(i);
            if (corners.size() == 3)
                return in_triangle(mesh.points[corners[0]], mesh.points[corners[1]], mesh.points[corners[2]]);
            break;
    }
    const Vec3 first = mesh.points[corners[0]];
    Vec3 sum{};
    for (const Index p : corners) sum += mesh.points[p] - first;
    return first + sum / static_cast<double>(corners.size());
}

}  // namespace anvilcast::fill
