#include <anvilcast/placement.hpp>

#include <cmath>
#include <numbers>
#include <utility>

namespace anvilcast {
namespace {

struct Angle {
    double cosine, sine;
};

Angle angle_of(double degrees) {
    const double quarters = std::remainder(degrees, 360.0) / 90;
    if (quarters == 0) return {1, 0};
    if (std::abs(quarters) == 2) return {-1, 0};
    if (std::abs(quarters) == 1) return {0, quarters};
    const double a = degrees * std::numbers::pi / 180;
    return {std::cos(a), std::sin(a)};
}

}  // namespace

/// Source: O. Rodrigues (1840), the rotation about an axis.
Placement Placement::turned(const Vec3& axis, double degrees, const Vec3& about) {
    const Vec3 n = normalized(axis);
    const auto [cosine, sine] = angle_of(degrees);
    Placement out;
    for (Vec3& d : out.image) d = d * cosine + cross(n, d) * sine + n * (dot(n, d) * (1 - cosine));
    out.origin = about - out.direction(about);
    return out;
}

Placement Placement::mirrored(int coordinate, double at) {
    Placement out;
    out.image[static_cast<std::size_t>(coordinate)][coordinate] = -1;
    out.origin[coordinate] = 2 * at;
    return out;
}

Surface placed(const Surface& surface, const Placement& placement) {
    Surface out = surface;
    for (Vec3& p : out.points) p = placement(p);
    if (placement.is_mirrored())
        for (Triangle& t : out.triangles) std::swap(t[1], t[2]);
    return out;
}

}  // namespace anvilcast
