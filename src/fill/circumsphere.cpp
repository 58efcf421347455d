// Certified circumspheres.
//
// Let c be ANY point in place of the true centre c*, and d = c - c*. For every point p
//     |p - c*|^2 - |v0 - c*|^2 = |p - c|^2 - |v0 - c|^2 + 2 d . (p - v0),
// so with r = |v0 - c|: |p - c| > r + 2|d| certifies "outside" and |p - c| < r - 2|d| "inside", because
// |p - v0| <= |p - c| + r and |p - c|^2 - r^2 = (|p - c| - r)(|p - c| + r).
//
// The error d follows from the residuals rho_i = |v_i - c|^2 - |v0 - c|^2 = -2 d . (v_i - v0), i = 1..3:
// by Cramer's rule |d| <= 1/2 sum |rho_i| |e_j x e_k| / |det(e1, e2, e3)|. A computed squared distance has
// a relative error below 5 eps, hence |rho_i| <= |computed rho_i| + 8 eps max(squared distances). The
// computed determinant is off by at most 32 eps m^(3/2), m the largest squared edge at v0; we ask that it
// is over twice that, so the true one is at least half the computed one, and |e_j x e_k| <= m.

#include <cmath>

#include "fill/tetrahedra.hpp"

namespace anvilcast::fill {

Sphere undecided_sphere() { return {{0, 0, 0}, -1.0F, std::numeric_limits<float>::infinity()}; }

Sphere circumsphere(const Vec3& v0, const Vec3& v1, const Vec3& v2, const Vec3& v3) {
    constexpr double kEps = 0x1p-53;
    const Vec3 e1 = v1 - v0, e2 = v2 - v0, e3 = v3 - v0;
    const double l1 = dot(e1, e1), l2 = dot(e2, e2), l3 = dot(e3, e3);
    const Vec3 n1 = cross(e2, e3), n2 = cross(e3, e1), n3 = cross(e1, e2);
    const double det = dot(e1, n1);
    const double m = std::max({l1, l2, l3});
    if (!(det * det > (128 * kEps) * (128 * kEps) * m * m * m)) return undecided_sphere();

    const double inverse = 1.0 / det;
    const Vec3 center = v0 + (l1 * n1 + l2 * n2 + l3 * n3) * (0.5 * inverse);
    const double d0 = distance_squared(v0, center), d1 = distance_squared(v1, center),
                 d2 = distance_squared(v2, center), d3 = distance_squared(v3, center);
    const double residual = std::abs(d1 - d0) + std::abs(d2 - d0) + std::abs(d3 - d0) +
                            24 * kEps * std::max(std::max(d0, d1), std::max(d2, d3));
    const double shift = 2 * residual * m * std::abs(inverse);
    const double radius = std::sqrt(d0);
    const double inner = radius * (1 - 8 * kEps) - shift, outer = radius * (1 + 8 * kEps) + shift;
    // The factors cover the rounding to float and that of the squared distance in the test itself.
    const double below = inner > 0 ? inner * inner * (1 - 0x1p-22) : 0;
    const double above = outer * outer * (1 + 0x1p-22);
    if (!(above < 1e37 && d0 > 1e-36)) return undecided_sphere();
    return {center, static_cast<float>(below), static_cast<float>(above)};
}

}  // namespace anvilcast::fill
