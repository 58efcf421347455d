// Where planes meet.
#pragma once

#include <anvilcast/vectors.hpp>
#include <cstddef>
#include <vector>

namespace anvilcast::wrapping {

struct Plane {
    Vec3 normal;  ///< unit
    double height;
};

/// The point closest to p of those with normal . x = height for all planes, in the sense of least squares.
inline Vec3 meeting_of_planes(const std::vector<Plane>& planes, const Vec3& p) {
    // A little of the identity decides for the closest of many; steps of refinement take its influence away.
    constexpr double kLittle = 1e-3;
    double a[3][3] = {{kLittle, 0, 0}, {0, kLittle, 0}, {0, 0, kLittle}};
    for (const Plane& plane : planes)
        for (int i = 0; i < 3; ++i)
            for (int j = 0; j < 3; ++j) a[i][j] += plane.normal[i] * plane.normal[j];
    const Vec3 r0{a[0][0], a[0][1], a[0][2]}, r1{a[1][0], a[1][1], a[1][2]}, r2{a[2][0], a[2][1], a[2][2]};
    const Vec3 c0 = cross(r1, r2), c1 = cross(r2, r0), c2 = cross(r0, r1);
    const double det = dot(r0, c0);
    Vec3 x = p;
    for (int step = 0; step < 4; ++step) {
        Vec3 rest;
        for (const Plane& plane : planes) rest += plane.normal * (plane.height - dot(plane.normal, x));
        x += (c0 * rest.x + c1 * rest.y + c2 * rest.z) / det;
    }
    return x;
}

}  // namespace anvilcast::wrapping
