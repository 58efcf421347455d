// Floating-point filters and their error bounds.
//
// Let eps = 2^-53, so that fl(x op y) = (x op y)(1 + d) with |d| <= eps. Every filter
// first forms coordinate differences, then a polynomial of them. Each monomial of the polynomial is
// computed with k roundings: one for every difference in it, every product, and every sum it passes
// through. Its relative error is at most (1 + eps)^k - 1 <= k eps (1 + k eps), and the sum of the
// monomials' magnitudes is at most the permanent (the same polynomial with absolute values everywhere)
// computed in floating point, times (1 + k eps) for its own roundings. So
//     |computed - true| <= k eps (1 + 4 k eps) * permanent.
// Counting k for each predicate (differences + products + sums on the longest path):
//     orient2d : 2 differences, 1 product, 1 sum                            -> k = 4
//     orient3d : 3 differences, 2 products, 1 inner and 2 outer sums        -> k = 8
//     incircle : 4 differences, 3 products, 1 + 1 inner and 2 outer sums    -> k = 11
//     insphere : 5 differences, 4 products, 1 + 2 + 2 + 2 sums              -> k = 16
// The bounds below round k up by one, which covers the factor (1 + 4 k eps) many times over. Underflow
// cannot happen for coordinates of the model: a non-zero difference is at least 2^-192, and the fifth
// power of that is above the smallest normal double.
#pragma once

#include <anvilcast/predicates.hpp>

namespace anvilcast::robust {

inline constexpr double kEps = 0x1p-53;
inline constexpr double kOrient3dError = 9 * kEps;

inline int filtered_sign(double determinant, double bound) {
    if (determinant > bound) return 1;
    if (determinant < -bound) return -1;
    return predicate_rungs::kUndecided;
}

/// Inline, because the walk of the Delaunay kernel spends its time here.
inline int orient3d_filter(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const Vec3 u = b - a, v = c - a, w = d - a;
    const double uv = u.x * v.y, vu = v.x * u.y;
    const double vw = v.x * w.y, wv = w.x * v.y;
    const double wu = w.x * u.y, uw = u.x * w.y;
    const double determinant = w.z * (uv - vu) + u.z * (vw - wv) + v.z * (wu - uw);
    const double permanent = (std::abs(uv) + std::abs(vu)) * std::abs(w.z) +
                             (std::abs(vw) + std::abs(wv)) * std::abs(u.z) +
                             (std::abs(wu) + std::abs(uw)) * std::abs(v.z);
    return filtered_sign(determinant, kOrient3dError * permanent);
}

inline int orient3d_fast(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const int sign = orient3d_filter(a, b, c, d);
    return sign != predicate_rungs::kUndecided ? sign : predicate_rungs::orient3d_exact(a, b, c, d);
}

}  // namespace anvilcast::robust
