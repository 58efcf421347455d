// Points that are constructed, such as the crossing of a line and a plane, and what is decided about them.
//
// A point knows a double approximation, at most kApproximation of its magnitude off in each coordinate, and, unless
// that is the point itself, its exact homogeneous coordinates in integers. Each predicate first tries the
// approximations with an error bound, or the predicates on doubles when all points are doubles, then integer
// arithmetic. Equal points have equal approximations, because an approximation is a function of the exact value (the
// nearest double).
//
// Plane predicates look along an axis: they see the two other coordinates, in cyclic order.
#pragma once

#include <anvilcast/vectors.hpp>

#include <gmpxx.h>

#include <memory>
#include <span>

namespace anvilcast::robust {

/// The point (x, y, z) / w; w is positive, and the four have no common factor.
struct Homogeneous {
    mpz_class x, y, z, w;
    friend bool operator==(const Homogeneous&, const Homogeneous&) = default;
};

class ExactPoint {
  public:
    ExactPoint() = default;
    ExactPoint(const Vec3& p) : approx_(p) {}  // NOLINT: a double point is an exact point
    explicit ExactPoint(Homogeneous&& exact);

    const Vec3& approx() const { return approx_; }
    bool is_double() const { return exact_ == nullptr; }
    Homogeneous exact() const;
    friend bool operator==(const ExactPoint& p, const ExactPoint& q) {
        return p.approx_ == q.approx_ && (p.exact_ == q.exact_ || (p.exact_ && q.exact_ && *p.exact_ == *q.exact_));
    }

  private:
    Vec3 approx_;
    std::shared_ptr<const Homogeneous> exact_;
};

/// Lexicographic: -1, 0 or +1.
int compare(const ExactPoint& p, const ExactPoint& q);

/// As the public predicates of these names; orient2d and incircle look along `axis`.
int orient2d(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, int axis);
int orient3d(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, const ExactPoint& d);
int incircle(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, const ExactPoint& d, int axis);
/// incircle of points that are never cocircular: each is lifted by an infinitesimal weight, a lexicographically larger
/// point by an infinitely larger one. The four must differ, and three of them must not be collinear.
int incircle_tie(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, const ExactPoint& d, int axis);

/// Is p between the different points a and b, or one of them? The three must be collinear.
bool is_between(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b);
/// Is p in the closed triangle abc? It must be in its plane, and the triangle must have an area seen along `axis`.
bool is_in_triangle(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, int axis);

/// Where the line pq meets the plane abc; they must not be parallel.
ExactPoint line_meets_plane(const ExactPoint& p, const ExactPoint& q, const ExactPoint& a, const ExactPoint& b,
                            const ExactPoint& c);
/// Where the lines pq and ab, in one plane, meet; they must not be parallel seen along `axis`.
ExactPoint lines_meet(const ExactPoint& p, const ExactPoint& q, const ExactPoint& a, const ExactPoint& b, int axis);
/// p put onto one, two or three planes, each given by three points of it. As few coordinates change as there are
/// planes, those that the planes are steepest in: that keeps the numbers short. p itself when the planes are parallel.
ExactPoint onto_planes(const ExactPoint& p, std::span<const std::array<const ExactPoint*, 3>> planes);
/// The point of the plane abc, or of the line ab, that is closest to p.
ExactPoint foot_on_plane(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b, const ExactPoint& c);
ExactPoint foot_on_line(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b);

/// The axis along which the triangle is seen largest, as far as doubles tell, but never one along which it has no
/// area: of a needle they may tell nothing. The three must not be collinear.
int axis_across(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c);

}  // namespace anvilcast::robust
