// Distances between segments and triangles, in double precision.
#pragma once

#include <anvilcast/vectors.hpp>

namespace anvilcast {

struct ClosestPair {
    Vec3 first, second;
    double squared = 0;
};

/// Source: C. Ericson, Real-Time Collision Detection (2005), 5.1.9.
ClosestPair closest_between_segments(const Vec3& p1, const Vec3& q1, const Vec3& p2, const Vec3& q2);

/// Of two triangles that do not cross: at a corner of one and the inside of the other, or between two edges.
ClosestPair closest_between_triangles(const std::array<Vec3, 3>& s, const std::array<Vec3, 3>& t);

}  // namespace anvilcast
