// Where a body stands: mirrored, turned and moved from where its file has it.
//
//     Placement there = after(Placement::turned({0, 0, 1}, 30, {}), Placement::moved({0, 0.2, 0}));
//     Surface second = placed(rod, there);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <array>

namespace anvilcast {

/// Keeps lengths and angles.
struct Placement {
    std::array<Vec3, 3> image{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};  ///< of the directions of x, y and z
    Vec3 origin;                                                   ///< image of [0, 0, 0], metres

    static Placement moved(const Vec3& by) { return {{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}, by}; }
    /// By the right hand round an axis, which need not be of length 1, through a place. Exact for multiples of 90
    /// degrees round an axis of coordinates.
    ANVILCAST_API static Placement turned(const Vec3& axis, double degrees, const Vec3& about);
    /// At the plane where the coordinate with that number, from 0, is `at`.
    ANVILCAST_API static Placement mirrored(int coordinate, double at);

    Vec3 direction(const Vec3& d) const { return image[0] * d.x + image[1] * d.y + image[2] * d.z; }
    Vec3 operator()(const Vec3& p) const { return direction(p) + origin; }
    bool is_mirrored() const { return dot(cross(image[0], image[1]), image[2]) < 0; }
};

/// First the one, then the other.
inline Placement after(const Placement& first, const Placement& then) {
    return {{{then.direction(first.image[0]), then.direction(first.image[1]), then.direction(first.image[2])}},
            then(first.origin)};
}

/// Triangles of what is mirrored are turned round, so that normals still point out.
ANVILCAST_API Surface placed(const Surface& surface, const Placement& placement);

}  // namespace anvilcast
