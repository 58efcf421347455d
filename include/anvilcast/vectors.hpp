// Vectors and boxes: the vocabulary of every other header.
//
//     Vec3 normal = cross(b - a, c - a);
//     double area = 0.5 * length(normal);
//
// Lengths are metres unless a name says otherwise. Everything here is constexpr-cheap and inline.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>

namespace anvilcast {

/// Number of a point, triangle, cell, face or zone within its own array.
using Index = std::uint32_t;
/// "No such thing": the value of an Index that points nowhere.
inline constexpr Index kNone = std::numeric_limits<Index>::max();

using Triangle = std::array<Index, 3>;

struct Vec2 {
    double x = 0, y = 0;
    friend constexpr bool operator==(const Vec2&, const Vec2&) = default;
};

struct Vec3 {
    double x = 0, y = 0, z = 0;

    constexpr double operator[](int axis) const { return axis == 0 ? x : axis == 1 ? y : z; }
    constexpr double& operator[](int axis) { return axis == 0 ? x : axis == 1 ? y : z; }
    constexpr Vec3& operator+=(const Vec3& b) { return x += b.x, y += b.y, z += b.z, *this; }
    constexpr Vec3& operator-=(const Vec3& b) { return x -= b.x, y -= b.y, z -= b.z, *this; }
    constexpr Vec3& operator*=(double s) { return x *= s, y *= s, z *= s, *this; }
    friend constexpr bool operator==(const Vec3&, const Vec3&) = default;
};

constexpr Vec3 operator+(Vec3 a, const Vec3& b) { return a += b; }
constexpr Vec3 operator-(Vec3 a, const Vec3& b) { return a -= b; }
constexpr Vec3 operator-(const Vec3& a) { return {-a.x, -a.y, -a.z}; }
constexpr Vec3 operator*(Vec3 a, double s) { return a *= s; }
constexpr Vec3 operator*(double s, Vec3 a) { return a *= s; }
constexpr Vec3 operator/(const Vec3& a, double s) { return {a.x / s, a.y / s, a.z / s}; }

constexpr double dot(const Vec3& a, const Vec3& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
constexpr Vec3 cross(const Vec3& a, const Vec3& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
constexpr double length_squared(const Vec3& a) { return dot(a, a); }
inline double length(const Vec3& a) { return std::sqrt(dot(a, a)); }
constexpr double distance_squared(const Vec3& a, const Vec3& b) { return length_squared(a - b); }
inline double distance(const Vec3& a, const Vec3& b) { return length(a - b); }
/// The unit vector along a; the zero vector stays zero.
inline Vec3 normalized(const Vec3& a) {
    const double l = length(a);
    return l > 0 ? a / l : a;
}
constexpr Vec3 midpoint(const Vec3& a, const Vec3& b) {
    return {0.5 * (a.x + b.x), 0.5 * (a.y + b.y), 0.5 * (a.z + b.z)};
}
inline bool is_finite(const Vec3& a) { return std::isfinite(a.x) && std::isfinite(a.y) && std::isfinite(a.z); }

/// Twice the area times the unit normal of the triangle abc (counter-clockwise seen from its tip).
constexpr Vec3 triangle_normal(const Vec3& a, const Vec3& b, const Vec3& c) { return cross(b - a, c - a); }
inline double triangle_area(const Vec3& a, const Vec3& b, const Vec3& c) {
    return 0.5 * length(triangle_normal(a, b, c));
}
/// Signed volume: positive when d is on the side that the normal of abc points to.
constexpr double tetrahedron_volume(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    return dot(cross(b - a, c - a), d - a) / 6.0;
}

/// An axis-aligned box; empty (lo > hi) until something is put in.
struct Box {
    static constexpr double inf = std::numeric_limits<double>::infinity();
    Vec3 lo{inf, inf, inf};
    Vec3 hi{-inf, -inf, -inf};

    bool is_empty() const { return lo.x > hi.x; }
    void include(const Vec3& p) {
        for (int i = 0; i < 3; ++i) {
            lo[i] = std::min(lo[i], p[i]);
            hi[i] = std::max(hi[i], p[i]);
        }
    }
    void include(const Box& b) {
        include(b.lo);
        include(b.hi);
    }
    bool overlaps(const Box& b) const {
        return lo.x <= b.hi.x && b.lo.x <= hi.x && lo.y <= b.hi.y && b.lo.y <= hi.y && lo.z <= b.hi.z && b.lo.z <= hi.z;
    }
    Vec3 extent() const { return is_empty() ? Vec3{} : hi - lo; }
    Vec3 center() const { return midpoint(lo, hi); }
    double diagonal() const { return length(extent()); }
    /// Square of the distance from p to the box; 0 inside.
    double distance_squared_to(const Vec3& p) const {
        double sum = 0;
        for (int i = 0; i < 3; ++i) {
            const double d = std::max({lo[i] - p[i], 0.0, p[i] - hi[i]});
            sum += d * d;
        }
        return sum;
    }
};

}  // namespace anvilcast
