// How good a triangle is.
#pragma once

#include <anvilcast/vectors.hpp>

#include <array>
#include <cmath>

namespace anvilcast::geometry {

inline Vec3 middle_of(const std::array<Vec3, 3>& corners) { return (corners[0] + corners[1] + corners[2]) / 3.0; }

/// The sine of the smallest angle: 0.866 for the equilateral triangle, 0 at worst. Exact enough to tell needles apart.
inline double smallest_sine(const Vec3& p, const Vec3& q, const Vec3& r) {
    const double a = length_squared(r - q), b = length_squared(p - r), c = length_squared(q - p);
    // The smallest angle is between the two longer sides.
    const double product = a <= b && a <= c ? b * c : b <= c ? a * c : a * b;
    return product > 0 ? std::sqrt(length_squared(triangle_normal(p, q, r)) / product) : 0;
}
inline double smallest_sine(const std::array<Vec3, 3>& c) { return smallest_sine(c[0], c[1], c[2]); }

}  // namespace anvilcast::geometry
