// Exact geometric predicates: the only place of the library where the sign of a determinant is taken.
//
//     if (orient3d(a, b, c, d) > 0) { /* d is on the side that the normal of abc points to */ }
//
// Model:      coordinates are exact doubles, each 0 or of magnitude in [kMinCoordinate, kMaxCoordinate]
//             (the readers enforce it), so that no product overflows or loses bits to underflow.
// Guarantees: (1) the sign is exact; (2) swapping two of the first arguments flips it;
//             (3) it is 0 exactly for collinear, coplanar, cocircular or cospherical points.
// Ladder:     floating-point filter with a derived error bound -> expansion arithmetic;
//             insphere has rungs for bricks, unrounded results and pairs of doubles between;
//             insphere_tie adds a symbolic rung for cospherical points.
// Cost:       a filter decision takes a few nanoseconds, an exact one up to some microseconds.
// Source:     J. R. Shewchuk, Adaptive precision floating-point arithmetic and fast robust geometric
//             predicates, Discrete & Computational Geometry 18 (1997).
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/vectors.hpp>

namespace anvilcast {

inline constexpr double kMinCoordinate = 0x1p-140;
inline constexpr double kMaxCoordinate = 0x1p140;

/// +1 when a, b, c turn counter-clockwise, -1 when clockwise, 0 when collinear.
ANVILCAST_API int orient2d(const Vec2& a, const Vec2& b, const Vec2& c);

/// +1 when d is on the side that the normal of abc points to (the tetrahedron abcd has positive
/// volume), -1 on the other side, 0 when coplanar.
ANVILCAST_API int orient3d(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);

/// For a counter-clockwise triangle abc: +1 when d is inside its circumcircle, -1 outside, 0 on it.
ANVILCAST_API int incircle(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d);

/// For a tetrahedron abcd of positive volume: +1 when e is inside its circumsphere, -1 outside, 0 on it.
ANVILCAST_API int insphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);

/// insphere of points that are never cospherical: point number i is lifted by a weight eps_i with
/// eps_i >> eps_j for i > j, all infinitesimal. The five numbers must differ, and the five points may
/// not all be coplanar. Never returns 0. Source: O. Devillers, M. Teillaud, Perturbations for Delaunay and
/// weighted Delaunay 3D triangulations, Computational Geometry 44 (2011).
ANVILCAST_API int insphere_tie(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e,
                               const std::array<Index, 5>& numbers);

/// The rungs on their own, for tests: all but the exact ones return 2 when they cannot decide.
namespace predicate_rungs {
inline constexpr int kUndecided = 2;
ANVILCAST_API int orient2d_filter(const Vec2& a, const Vec2& b, const Vec2& c);
ANVILCAST_API int orient2d_exact(const Vec2& a, const Vec2& b, const Vec2& c);
ANVILCAST_API int orient3d_filter(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);
ANVILCAST_API int orient3d_exact(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d);
ANVILCAST_API int incircle_filter(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d);
ANVILCAST_API int incircle_exact(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d);
ANVILCAST_API int insphere_filter(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);
ANVILCAST_API int insphere_brick(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);
ANVILCAST_API int insphere_unrounded(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);
ANVILCAST_API int insphere_two_double(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);
ANVILCAST_API int insphere_exact(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e);
}  // namespace predicate_rungs

}  // namespace anvilcast
