#include "robust/exact_point.hpp"

#include <anvilcast/predicates.hpp>

#include <algorithm>
#include <cmath>
#include <vector>

namespace anvilcast::robust {
namespace {

// Error bounds of the filters. Let u = 2^-52 and M the largest magnitude of a coordinate. An approximation is off by at
// most u M; a difference of two by at most 2 u M, and rounding adds at most u M: delta = 4 u M bounds it. A product of
// k such differences of magnitude at most D is off by at most (D + delta)^k - D^k <= 3 k delta D^(k-1) as long as k
// delta <= D. Roundings add at most (2 k + n) u D^k to each of n products and their sum, and u D <= 2 u M = delta / 2.
// For k <= 4 and n <= 12 both together stay below 8 k n delta D^(k-1). Where k delta > D nothing is decided.
constexpr double kUlp = 0x1p-52;
constexpr int kUndecided = predicate_rungs::kUndecided;

struct Bound {
    double delta = 0, reach = 0;  // error and magnitude of the differences
    int sign(double value, int degree, double n_products) const {
        if (!(degree * delta < reach)) return kUndecided;
        double bound = 8 * degree * n_products * delta;
        for (int k = 1; k < degree; ++k) bound *= reach;
        return value > bound ? 1 : value < -bound ? -1 : kUndecided;
    }
};

double magnitude(const Vec3& p) { return std::max({std::abs(p.x), std::abs(p.y), std::abs(p.z)}); }

Bound bound_of(std::initializer_list<const ExactPoint*> points) {
    double largest = 0, reach = 0;
    const Vec3& last = (*(points.end() - 1))->approx();
    for (const ExactPoint* p : points) {
        largest = std::max(largest, magnitude(p->approx()));
        reach = std::max(reach, magnitude(p->approx() - last));
    }
    return {4 * kUlp * largest, reach};
}

bool all_double(std::initializer_list<const ExactPoint*> points) {
    return std::all_of(points.begin(), points.end(), [](const ExactPoint* p) { return p->is_double(); });
}

Vec2 seen(const Vec3& p, int axis) { return {p[(axis + 1) % 3], p[(axis + 2) % 3]}; }

/// What orient2d and incircle see of a point, over w.
struct Seen {
    mpz_class x, y, w;
};
Seen seen(const ExactPoint& p, int axis) {
    Homogeneous h = p.exact();
    if (axis == 0) return {std::move(h.y), std::move(h.z), std::move(h.w)};
    if (axis == 1) return {std::move(h.z), std::move(h.x), std::move(h.w)};
    return {std::move(h.x), std::move(h.y), std::move(h.w)};
}

mpz_class minor(const mpz_class& a, const mpz_class& b, const mpz_class& c, const mpz_class& d) {
    return a * d - b * c;
}

/// The determinant of four rows of four.
mpz_class determinant(const std::array<std::array<mpz_class, 4>, 4>& m) {
    // Laplace expansion by the first two rows.
    auto top = [&m](std::size_t i, std::size_t j) { return minor(m[0][i], m[0][j], m[1][i], m[1][j]); };
    auto low = [&m](std::size_t i, std::size_t j) { return minor(m[2][i], m[2][j], m[3][i], m[3][j]); };
    return top(0, 1) * low(2, 3) - top(0, 2) * low(1, 3) + top(0, 3) * low(1, 2) + top(1, 2) * low(0, 3) -
           top(1, 3) * low(0, 2) + top(2, 3) * low(0, 1);
}

/// A plane (normal, offset): a point is on it when x nx + y ny + z nz = w offset.
struct PlaneEquation {
    mpz_class x, y, z, offset;
    mpz_class at(const Homogeneous& p) const { return x * p.x + y * p.y + z * p.z - offset * p.w; }
};

/// q - p, times both w.
struct Direction {
    mpz_class x, y, z;
};
Direction direction(const Homogeneous& p, const Homogeneous& q) {
    return {q.x * p.w - p.x * q.w, q.y * p.w - p.y * q.w, q.z * p.w - p.z * q.w};
}

PlaneEquation plane_of(const Homogeneous& a, const Homogeneous& b, const Homogeneous& c) {
    const Direction u = direction(a, b), v = direction(a, c);
    const mpz_class nx = u.y * v.z - u.z * v.y, ny = u.z * v.x - u.x * v.z, nz = u.x * v.y - u.y * v.x;
    return {nx * a.w, ny * a.w, nz * a.w, nx * a.x + ny * a.y + nz * a.z};
}

/// p + t / s d
ExactPoint point_along(const Homogeneous& p, const Direction& d, mpz_class t, mpz_class s) {
    if (s < 0) {
        t = -t;
        s = -s;
    }
    return ExactPoint({p.x * s + t * d.x * p.w, p.y * s + t * d.y * p.w, p.z * s + t * d.z * p.w, p.w * s});
}

/// The nearest double to n / w; get_d() cuts towards zero.
double rounded(const mpz_class& n, const mpz_class& w) {
    mpq_class value(n, w);
    value.canonicalize();
    const double low = value.get_d();
    const mpq_class rest = abs(value - mpq_class(low));
    if (rest == 0) return low;
    const double high = std::nextafter(low, sgn(value) > 0 ? Box::inf : -Box::inf);
    const double nearest = rest <= abs(mpq_class(high) - value) ? low : high;
    return std::abs(nearest) < kMinCoordinate ? 0.0 : nearest;
}

bool is_equal(double value, const mpz_class& n, const mpz_class& w) {
    const mpq_class q(value);
    return q.get_num() * w == n * q.get_den();
}

}  // namespace

ExactPoint::ExactPoint(Homogeneous&& e) : approx_{rounded(e.x, e.w), rounded(e.y, e.w), rounded(e.z, e.w)} {
    if (is_equal(approx_.x, e.x, e.w) && is_equal(approx_.y, e.y, e.w) && is_equal(approx_.z, e.z, e.w)) return;
    mpz_class common = gcd(gcd(e.x, e.y), gcd(e.z, e.w));
    if (common != 1)
        for (mpz_class* part : {&e.x, &e.y, &e.z, &e.w}) *part /= common;
    exact_ = std::make_shared<const Homogeneous>(std::move(e));
}

Homogeneous ExactPoint::exact() const {
    if (exact_) return *exact_;
    // A double is an integer times a power of two; the smallest of the three powers becomes w.
    std::array<mpz_class, 3> whole;
    std::array<int, 3> power{};
    int least = 0;
    for (int axis = 0; axis < 3; ++axis) {
        const auto k = static_cast<std::size_t>(axis);
        whole[k] = std::ldexp(std::frexp(approx_[axis], &power[k]), 53);
        power[k] -= 53;
        if (whole[k] == 0) power[k] = 0;
        const auto zeros = whole[k] == 0 ? 0 : static_cast<int>(mpz_scan1(whole[k].get_mpz_t(), 0));
        whole[k] >>= static_cast<mp_bitcnt_t>(zeros);
        power[k] += zeros;
        least = std::min(least, power[k]);
    }
    for (std::size_t k = 0; k < 3; ++k) whole[k] <<= static_cast<mp_bitcnt_t>(power[k] - least);
    return {whole[0], whole[1], whole[2], mpz_class(1) << static_cast<mp_bitcnt_t>(-least)};
}

int compare(const ExactPoint& p, const ExactPoint& q) {
    std::unique_ptr<std::array<Homogeneous, 2>> exact;
    for (int axis = 0; axis < 3; ++axis) {
        // Rounding to nearest keeps the order, so that different approximations decide.
        const double a = p.approx()[axis], b = q.approx()[axis];
        if (a != b) return a < b ? -1 : 1;
        if (p.is_double() && q.is_double()) continue;
        if (!exact)
            exact = std::make_unique<std::array<Homogeneous, 2>>(std::array<Homogeneous, 2>{p.exact(), q.exact()});
        const auto& [e, f] = *exact;
        const mpz_class &pe = axis == 0 ? e.x : axis == 1 ? e.y : e.z, &qe = axis == 0 ? f.x : axis == 1 ? f.y : f.z;
        const int order = cmp(pe * f.w, qe * e.w);
        if (order != 0) return order < 0 ? -1 : 1;
    }
    return 0;
}

int orient2d(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, int axis) {
    const Vec2 pa = seen(a.approx(), axis), pb = seen(b.approx(), axis), pc = seen(c.approx(), axis);
    if (all_double({&a, &b, &c})) return anvilcast::orient2d(pa, pb, pc);
    const double value = (pa.x - pc.x) * (pb.y - pc.y) - (pa.y - pc.y) * (pb.x - pc.x);
    const int sign = bound_of({&a, &b, &c}).sign(value, 2, 2);
    if (sign != kUndecided) return sign;
    const Seen u = seen(a, axis), v = seen(b, axis), w = seen(c, axis);
    return sgn(
        mpz_class(w.w * minor(u.x, u.y, v.x, v.y) + u.w * minor(v.x, v.y, w.x, w.y) + v.w * minor(w.x, w.y, u.x, u.y)));
}

int orient3d(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, const ExactPoint& d) {
    if (all_double({&a, &b, &c, &d})) return anvilcast::orient3d(a.approx(), b.approx(), c.approx(), d.approx());
    const double value =
        anvilcast::dot(anvilcast::cross(b.approx() - a.approx(), c.approx() - a.approx()), d.approx() - a.approx());
    const int sign = bound_of({&b, &c, &d, &a}).sign(value, 3, 6);
    if (sign != kUndecided) return sign;
    std::array<std::array<mpz_class, 4>, 4> rows;
    for (std::size_t i = 0; const ExactPoint* p : {&a, &b, &c, &d}) {
        Homogeneous h = p->exact();
        rows[i++] = {std::move(h.x), std::move(h.y), std::move(h.z), std::move(h.w)};
    }
    return -sgn(determinant(rows));
}

int incircle(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, const ExactPoint& d, int axis) {
    const Vec2 pa = seen(a.approx(), axis), pb = seen(b.approx(), axis), pc = seen(c.approx(), axis),
               pd = seen(d.approx(), axis);
    if (all_double({&a, &b, &c, &d})) return anvilcast::incircle(pa, pb, pc, pd);
    const double ax = pa.x - pd.x, ay = pa.y - pd.y, bx = pb.x - pd.x, by = pb.y - pd.y, cx = pc.x - pd.x,
                 cy = pc.y - pd.y;
    const double value = (ax * ax + ay * ay) * (bx * cy - cx * by) + (bx * bx + by * by) * (cx * ay - ax * cy) +
                         (cx * cx + cy * cy) * (ax * by - bx * ay);
    const int sign = bound_of({&a, &b, &c, &d}).sign(value, 4, 12);
    if (sign != kUndecided) return sign;
    std::array<std::array<mpz_class, 4>, 4> rows;
    for (std::size_t i = 0; const ExactPoint* p : {&a, &b, &c, &d}) {
        const Seen q = seen(*p, axis);
        rows[i++] = {q.x * q.w, q.y * q.w, q.x * q.x + q.y * q.y, q.w * q.w};
    }
    return sgn(determinant(rows));
}

int incircle_tie(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, const ExactPoint& d, int axis) {
    const int sign = incircle(a, b, c, d, axis);
    if (sign != 0) return sign;
    const std::array<const ExactPoint*, 4> p{&a, &b, &c, &d};
    std::array<std::size_t, 4> order{0, 1, 2, 3};
    std::sort(order.begin(), order.end(), [&p](std::size_t i, std::size_t j) { return compare(*p[i], *p[j]) > 0; });
    // Expanding the 4x4 determinant by the column of lifts: row i has the cofactor (-1)^i orient2d(the other three).
    for (const std::size_t i : order) {
        std::array<const ExactPoint*, 3> others{};
        std::copy_if(p.begin(), p.end(), others.begin(), [&](const ExactPoint* q) { return q != p[i]; });
        const int turn = orient2d(*others[0], *others[1], *others[2], axis);
        if (turn != 0) return i % 2 == 0 ? turn : -turn;
    }
    return 0;
}

bool is_between(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b) {
    return compare(a, p) * compare(p, b) >= 0;
}

bool is_in_triangle(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, int axis) {
    const int turn = orient2d(a, b, c, axis);
    return orient2d(a, b, p, axis) * turn >= 0 && orient2d(b, c, p, axis) * turn >= 0 &&
           orient2d(c, a, p, axis) * turn >= 0;
}

ExactPoint line_meets_plane(const ExactPoint& p, const ExactPoint& q, const ExactPoint& a, const ExactPoint& b,
                            const ExactPoint& c) {
    const PlaneEquation plane = plane_of(a.exact(), b.exact(), c.exact());
    const Homogeneous from = p.exact();
    const Direction along = direction(from, q.exact());
    // plane(p + t d) = 0 for t = -plane(p) / (n d), and plane(p) is held times p.w.
    return point_along(from, along, -plane.at(from),
                       (plane.x * along.x + plane.y * along.y + plane.z * along.z) * from.w);
}

ExactPoint lines_meet(const ExactPoint& p, const ExactPoint& q, const ExactPoint& a, const ExactPoint& b, int axis) {
    // The plane through the line ab along the axis cuts the line pq.
    const Homogeneous from = a.exact(), to = b.exact(), start = p.exact();
    const Direction d = direction(from, to), along = direction(start, q.exact());
    PlaneEquation plane;
    if (axis == 0) plane = {0, d.z, -d.y, 0};
    if (axis == 1) plane = {-d.z, 0, d.x, 0};
    if (axis == 2) plane = {d.y, -d.x, 0, 0};
    const mpz_class offset = plane.x * from.x + plane.y * from.y + plane.z * from.z;
    plane = {plane.x * from.w, plane.y * from.w, plane.z * from.w, offset};
    return point_along(start, along, -plane.at(start),
                       (plane.x * along.x + plane.y * along.y + plane.z * along.z) * start.w);
}

ExactPoint foot_on_plane(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b, const ExactPoint& c) {
    const PlaneEquation plane = plane_of(a.exact(), b.exact(), c.exact());
    const Homogeneous from = p.exact();
    return point_along(from, {plane.x, plane.y, plane.z}, -plane.at(from),
                       (plane.x * plane.x + plane.y * plane.y + plane.z * plane.z) * from.w);
}

ExactPoint onto_planes(const ExactPoint& p, std::span<const std::array<const ExactPoint*, 3>> planes) {
    // Rows of nx x + ny y + nz z = d; Gaussian elimination with the steepest coordinate first.
    std::vector<std::array<mpq_class, 4>> rows;
    for (const auto& t : planes) {
        const PlaneEquation e = plane_of(t[0]->exact(), t[1]->exact(), t[2]->exact());
        rows.push_back({e.x, e.y, e.z, e.offset});
    }
    const Homogeneous h = p.exact();
    std::array<mpq_class, 3> place{mpq_class(h.x, h.w), mpq_class(h.y, h.w), mpq_class(h.z, h.w)};
    for (mpq_class& c : place) c.canonicalize();
    std::vector<std::size_t> solved;
    for (std::size_t r = 0; r < rows.size(); ++r) {
        std::size_t steepest = 3;
        for (std::size_t k = 0; k < 3; ++k)
            if (rows[r][k] != 0 && (steepest == 3 || abs(rows[r][k]) > abs(rows[r][steepest]))) steepest = k;
        if (steepest == 3) return p;
        solved.push_back(steepest);
        for (std::size_t other = r + 1; other < rows.size(); ++other) {
            const mpq_class factor = rows[other][steepest] / rows[r][steepest];
            for (std::size_t k = 0; k < 4; ++k) rows[other][k] -= factor * rows[r][k];
        }
    }
    for (std::size_t r = rows.size(); r-- > 0;) {
        mpq_class rest = rows[r][3];
        for (std::size_t k = 0; k < 3; ++k)
            if (k != solved[r]) rest -= rows[r][k] * place[k];
        place[solved[r]] = rest / rows[r][solved[r]];
    }
    const mpz_class w = lcm(lcm(place[0].get_den(), place[1].get_den()), place[2].get_den());
    auto over_w = [&w](const mpq_class& q) { return mpz_class(q.get_num() * (w / q.get_den())); };
    return ExactPoint({over_w(place[0]), over_w(place[1]), over_w(place[2]), w});
}

ExactPoint foot_on_line(const ExactPoint& p, const ExactPoint& a, const ExactPoint& b) {
    const Homogeneous from = a.exact(), point = p.exact();
    const Direction along = direction(from, b.exact()), way = direction(from, point);
    // a + t d with t = (p - a) d / (d d); p - a is held times both w.
    return point_along(from, along, along.x * way.x + along.y * way.y + along.z * way.z,
                       (along.x * along.x + along.y * along.y + along.z * along.z) * from.w * point.w);
}

int axis_across(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c) {
    const Vec3 n = triangle_normal(a.approx(), b.approx(), c.approx());
    std::array<int, 3> axes{2, 1, 0};
    std::stable_sort(axes.begin(), axes.end(), [&n](int i, int j) { return std::abs(n[i]) > std::abs(n[j]); });
    for (const int axis : axes)
        if (orient2d(a, b, c, axis) != 0) return axis;
    return axes.front();
}

}  // namespace anvilcast::robust
