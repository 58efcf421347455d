// The ladder of every predicate: a filter in floating point (bounds derived in filters.hpp), then exact
// expansions. insphere has three cheap rungs between, for lattices and other points that are cospherical by design.
#include <anvilcast/predicates.hpp>

#include "robust/expansion.hpp"
#include "robust/filters.hpp"
#include "robust/inexact_flag.hpp"
#include "robust/two_double.hpp"

namespace anvilcast {

using robust::exact_difference;
using robust::Expansion;
using robust::filtered_sign;
using robust::kEps;

namespace {

constexpr double kOrient2dError = 5 * kEps;
constexpr double kIncircleError = 12 * kEps;
constexpr double kInsphereError = 17 * kEps;

template <int N>
struct ExactVec {
    Expansion<N> x, y, z;
};

ExactVec<2> exact_difference3(const Vec3& a, const Vec3& b) {
    return {exact_difference(a.x, b.x), exact_difference(a.y, b.y), exact_difference(a.z, b.z)};
}

bool all_single(const ExactVec<2>& v) { return v.x.is_single() && v.y.is_single() && v.z.is_single(); }

ExactVec<1> narrowed(const ExactVec<2>& v) {
    ExactVec<1> out;
    if (v.x.n == 1) out.x.push(v.x.part[0]);
    if (v.y.n == 1) out.y.push(v.y.part[0]);
    if (v.z.n == 1) out.z.push(v.z.part[0]);
    return out;
}

/// The in-sphere determinant of differences to the fifth point, positive inside for a tetrahedron of positive volume in
/// our orientation; in any arithmetic.
template <typename V>
auto insphere_value(const V& a, const V& b, const V& c, const V& d) {
    auto minor = [](const V& p, const V& q) { return p.x * q.y - q.x * p.y; };
    const auto ab = minor(a, b), bc = minor(b, c), cd = minor(c, d), da = minor(d, a), ac = minor(a, c),
               bd = minor(b, d);
    const auto abc = a.z * bc - b.z * ac + c.z * ab;
    const auto bcd = b.z * cd - c.z * bd + d.z * bc;
    const auto cda = c.z * da + d.z * ac + a.z * cd;
    const auto dab = d.z * ab + a.z * bd + b.z * da;
    auto lift = [](const V& p) { return p.x * p.x + p.y * p.y + p.z * p.z; };
    return (lift(c) * dab - lift(d) * abc) + (lift(a) * bcd - lift(b) * cda);
}

/// The same with magnitudes everywhere.
double insphere_permanent(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    auto minor = [](const Vec3& p, const Vec3& q) { return std::abs(p.x * q.y) + std::abs(q.x * p.y); };
    const double az = std::abs(a.z), bz = std::abs(b.z), cz = std::abs(c.z), dz = std::abs(d.z);
    const double ab = minor(a, b), bc = minor(b, c), cd = minor(c, d), da = minor(d, a), ac = minor(a, c),
                 bd = minor(b, d);
    return (cd * bz + bd * cz + bc * dz) * dot(a, a) + (da * cz + ac * dz + cd * az) * dot(b, b) +
           (ab * dz + bd * az + da * bz) * dot(c, c) + (bc * az + ac * bz + ab * cz) * dot(d, d);
}

}  // namespace

namespace predicate_rungs {

int orient2d_filter(const Vec2& a, const Vec2& b, const Vec2& c) {
    const double left = (a.x - c.x) * (b.y - c.y);
    const double right = (a.y - c.y) * (b.x - c.x);
    return filtered_sign(left - right, kOrient2dError * (std::abs(left) + std::abs(right)));
}

int orient2d_exact(const Vec2& a, const Vec2& b, const Vec2& c) {
    const auto acx = exact_difference(a.x, c.x), acy = exact_difference(a.y, c.y);
    const auto bcx = exact_difference(b.x, c.x), bcy = exact_difference(b.y, c.y);
    return (acx * bcy - acy * bcx).sign();
}

int orient3d_filter(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    return robust::orient3d_filter(a, b, c, d);
}

int orient3d_exact(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const auto u = exact_difference3(b, a), v = exact_difference3(c, a), w = exact_difference3(d, a);
    const auto uv = u.x * v.y - v.x * u.y;
    const auto vw = v.x * w.y - w.x * v.y;
    const auto wu = w.x * u.y - u.x * w.y;
    return (w.z * uv + u.z * vw + v.z * wu).sign();
}

int incircle_filter(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
    const double ax = a.x - d.x, ay = a.y - d.y, bx = b.x - d.x, by = b.y - d.y, cx = c.x - d.x, cy = c.y - d.y;
    const double bc = bx * cy, cb = cx * by, ca = cx * ay, ac = ax * cy, ab = ax * by, ba = bx * ay;
    const double al = ax * ax + ay * ay, bl = bx * bx + by * by, cl = cx * cx + cy * cy;
    const double determinant = al * (bc - cb) + bl * (ca - ac) + cl * (ab - ba);
    const double permanent =
        (std::abs(bc) + std::abs(cb)) * al + (std::abs(ca) + std::abs(ac)) * bl + (std::abs(ab) + std::abs(ba)) * cl;
    return filtered_sign(determinant, kIncircleError * permanent);
}

int incircle_exact(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
    const auto ax = exact_difference(a.x, d.x), ay = exact_difference(a.y, d.y);
    const auto bx = exact_difference(b.x, d.x), by = exact_difference(b.y, d.y);
    const auto cx = exact_difference(c.x, d.x), cy = exact_difference(c.y, d.y);
    const auto a_term = (ax * ax + ay * ay) * (bx * cy - cx * by);
    const auto b_term = (bx * bx + by * by) * (cx * ay - ax * cy);
    const auto c_term = (cx * cx + cy * cy) * (ax * by - bx * ay);
    return (a_term + b_term + c_term).sign();
}

int insphere_filter(const Vec3& pa, const Vec3& pb, const Vec3& pc, const Vec3& pd, const Vec3& pe) {
    const Vec3 a = pa - pe, b = pb - pe, c = pc - pe, d = pd - pe;
    return filtered_sign(insphere_value(a, b, c, d), kInsphereError * insphere_permanent(a, b, c, d));
}

int insphere_exact(const Vec3& pa, const Vec3& pb, const Vec3& pc, const Vec3& pd, const Vec3& pe) {
    const auto a = exact_difference3(pa, pe), b = exact_difference3(pb, pe), c = exact_difference3(pc, pe),
               d = exact_difference3(pd, pe);
    if (all_single(a) && all_single(b) && all_single(c) && all_single(d))
        return insphere_value(narrowed(a), narrowed(b), narrowed(c), narrowed(d)).sign();
    return insphere_value(a, b, c, d).sign();
}

/// Corners of a brick along the axes are on its sphere, whatever rounding did to the coordinates.
int insphere_brick(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e) {
    auto has_two_values = [](double p, double q, double r, double s, double t) {
        const double other = q != p ? q : r != p ? r : s != p ? s : t;
        return (r == p || r == other) && (s == p || s == other) && (t == p || t == other);
    };
    const bool is_brick = has_two_values(a.x, b.x, c.x, d.x, e.x) && has_two_values(a.y, b.y, c.y, d.y, e.y) &&
                          has_two_values(a.z, b.z, c.z, d.z, e.z);
    return is_brick ? 0 : kUndecided;
}

/// Floating point is exact as long as the processor has rounded nothing: so it is for points on lattices of few bits.
int insphere_unrounded(const Vec3& pa, const Vec3& pb, const Vec3& pc, const Vec3& pd, const Vec3& pe) {
    Vec3 a = pa, e = pe;
    robust::clear_inexact();
    for (double* x : {&a.x, &a.y, &a.z, &e.x, &e.y, &e.z}) robust::hold(*x);
    double value = insphere_value(a - e, pb - e, pc - e, pd - e);
    robust::hold(value);
    if (robust::is_inexact()) return kUndecided;
    return value > 0 ? 1 : value < 0 ? -1 : 0;
}

/// Differences are exact. On the way of a monomial are 11 further operations (1 product and 1 sum, 1 and 2, the lift's
/// 1 and 2, 1 and 2), with relative errors of at most 7 u^2 each: together below 78 u^2 of the sum of the magnitudes.
int insphere_two_double(const Vec3& pa, const Vec3& pb, const Vec3& pc, const Vec3& pd, const Vec3& pe) {
    struct Vec {
        robust::TwoDouble x, y, z;
    };
    auto minus_e = [&pe](const Vec3& p) {
        return Vec{robust::difference(p.x, pe.x), robust::difference(p.y, pe.y), robust::difference(p.z, pe.z)};
    };
    const robust::TwoDouble value = insphere_value(minus_e(pa), minus_e(pb), minus_e(pc), minus_e(pd));
    const double bound = 96 * kEps * kEps * insphere_permanent(pa - pe, pb - pe, pc - pe, pd - pe);
    return filtered_sign(value.high, bound);
}

}  // namespace predicate_rungs

using namespace predicate_rungs;

int orient2d(const Vec2& a, const Vec2& b, const Vec2& c) {
    const int sign = orient2d_filter(a, b, c);
    return sign != kUndecided ? sign : orient2d_exact(a, b, c);
}

int orient3d(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const int sign = orient3d_filter(a, b, c, d);
    return sign != kUndecided ? sign : orient3d_exact(a, b, c, d);
}

int incircle(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d) {
    const int sign = incircle_filter(a, b, c, d);
    return sign != kUndecided ? sign : incircle_exact(a, b, c, d);
}

int insphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e) {
    int sign = insphere_filter(a, b, c, d, e);
    if (sign == kUndecided) [[unlikely]]
        sign = insphere_brick(a, b, c, d, e);
    if (sign == kUndecided) sign = insphere_unrounded(a, b, c, d, e);
    if (sign == kUndecided) sign = insphere_two_double(a, b, c, d, e);
    return sign != kUndecided ? sign : insphere_exact(a, b, c, d, e);
}

int insphere_tie(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, const Vec3& e,
                 const std::array<Index, 5>& numbers) {
    const int sign = insphere(a, b, c, d, e);
    if (sign != 0) return sign;
    // Lifting row i (from 1) of the 5x5 determinant by eps_i adds eps_i (-1)^i orient3d(the other four)
    // to the in-sphere value, so the largest eps with four points that span space decides.
    const std::array<const Vec3*, 5> point{&a, &b, &c, &d, &e};
    std::array<int, 5> order{0, 1, 2, 3, 4};
    std::sort(order.begin(), order.end(), [&](int i, int j) {
        return numbers[static_cast<std::size_t>(i)] > numbers[static_cast<std::size_t>(j)];
    });
    for (const int row : order) {
        std::array<const Vec3*, 4> other{};
        std::size_t n = 0;
        for (int i = 0; i < 5; ++i)
            if (i != row) other[n++] = point[static_cast<std::size_t>(i)];
        const int o = orient3d(*other[0], *other[1], *other[2], *other[3]);
        if (o != 0) return row % 2 == 0 ? -o : o;
    }
    return 0;  // not reached: the five points would have to be coplanar
}

}  // namespace anvilcast
