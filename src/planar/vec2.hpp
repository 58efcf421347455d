// Arithmetic with places in a plane.
#pragma once

#include <anvilcast/vectors.hpp>
#include <cmath>

namespace anvilcast::planar {

constexpr Vec2 operator+(const Vec2& a, const Vec2& b) { return {a.x + b.x, a.y + b.y}; }
constexpr Vec2 operator-(const Vec2& a, const Vec2& b) { return {a.x - b.x, a.y - b.y}; }
constexpr Vec2 operator*(const Vec2& a, double s) { return {a.x * s, a.y * s}; }
constexpr Vec2 operator*(double s, const Vec2& a) { return a * s; }
constexpr Vec2 operator/(const Vec2& a, double s) { return {a.x / s, a.y / s}; }
constexpr double dot(const Vec2& a, const Vec2& b) { return a.x * b.x + a.y * b.y; }
constexpr double cross(const Vec2& a, const Vec2& b) { return a.x * b.y - a.y * b.x; }
constexpr double length_squared(const Vec2& a) { return dot(a, a); }
inline double length(const Vec2& a) { return std::sqrt(dot(a, a)); }
constexpr double distance_squared(const Vec2& a, const Vec2& b) { return length_squared(a - b); }
inline double distance(const Vec2& a, const Vec2& b) { return length(a - b); }
constexpr Vec2 midpoint(const Vec2& a, const Vec2& b) { return {0.5 * (a.x + b.x), 0.5 * (a.y + b.y)}; }
/// Turned left by a right angle.
constexpr Vec2 left_of(const Vec2& a) { return {-a.y, a.x}; }
inline Vec2 normalized(const Vec2& a) {
    const double l = length(a);
    return l > 0 ? a / l : a;
}

}  // namespace anvilcast::planar
