// Four single-precision numbers at a time, as every x86-64 and ARM processor has them; by the vector types that GCC and
// Clang share.
#pragma once

#include <anvilcast/vectors.hpp>
#include <cmath>
#include <cstddef>

namespace anvilcast::quality {

using Lanes = float __attribute__((vector_size(16)));
inline constexpr std::size_t kLanes = 4;

inline Lanes lanes_of(float v) { return Lanes{v, v, v, v}; }
inline Lanes min(Lanes a, Lanes b) { return a < b ? a : b; }
inline Lanes max(Lanes a, Lanes b) { return a > b ? a : b; }
inline Lanes sqrt(Lanes a) {
    for (std::size_t k = 0; k < kLanes; ++k) a[k] = std::sqrt(a[k]);
    return a;
}

/// Error below 1e-6 degrees beside that of the cosine; Abramowitz & Stegun 1964, 4.4.46.
inline Lanes degrees_of_cosine(Lanes c) {
    const Lanes one = lanes_of(1), zero = lanes_of(0);
    const Lanes x = min(c < zero ? -c : c, one);
    Lanes p = lanes_of(-0.0012624911F);
    for (const float a :
         {0.0066700901F, -0.0170881256F, 0.0308918810F, -0.0501743046F, 0.0889789874F, -0.2145988016F, 1.5707963050F})
        p = p * x + lanes_of(a);
    const Lanes angle = sqrt(one - x) * p * lanes_of(57.29577951F);
    return c < zero ? lanes_of(180) - angle : angle;
}

/// Four numbers in double precision, for differences.
using Doubles = double __attribute__((vector_size(32)));
inline Lanes to_lanes(const Doubles& d) { return __builtin_convertvector(d, Lanes); }

struct Doubles3 {
    Doubles x, y, z;
};
/// Made of whole registers: numbers that are stored one by one and loaded four at a time wait for memory.
inline Doubles3 doubles_of(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    return {Doubles{a.x, b.x, c.x, d.x}, Doubles{a.y, b.y, c.y, d.y}, Doubles{a.z, b.z, c.z, d.z}};
}

struct Lanes3 {
    Lanes x, y, z;
};
inline Lanes3 difference(const Doubles3& a, const Doubles3& b) {
    return {to_lanes(a.x - b.x), to_lanes(a.y - b.y), to_lanes(a.z - b.z)};
}
inline Lanes3 operator+(const Lanes3& a, const Lanes3& b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
inline Lanes3 operator-(const Lanes3& a, const Lanes3& b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
inline Lanes3 operator*(const Lanes3& a, Lanes s) { return {a.x * s, a.y * s, a.z * s}; }
inline Lanes dot(const Lanes3& a, const Lanes3& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
inline Lanes3 cross(const Lanes3& a, const Lanes3& b) {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}
inline Lanes length(const Lanes3& a) { return sqrt(dot(a, a)); }
/// The zero vector stays zero.
inline Lanes3 normalized(const Lanes3& a) {
    const Lanes l = length(a);
    return a * (l > lanes_of(0) ? lanes_of(1) / l : lanes_of(0));
}

}  // namespace anvilcast::quality
