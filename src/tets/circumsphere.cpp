// Certified circumspheres.
//
// Let c be ANY point in place of the true centre c*, and d = c - c*. For every point p
//     |p - c*|^2 - |v0 - c*|^2 = |p - c|^2 - |v0 - c|^2 + 2 d . (p - v0),
// so with r = |v0 - c|: |p - c| > r + 2|d| certifies "outside" and |p - c| < r - 2|d| "inside", because
// |p - v0| <= |p - c| + r and |p - c|^2 - r^2 = (|p - c| - r)(|p - c| + r).
//
// The error d follows from the residuals rho_i = |v_i - c|^2 - |v0 - c|^2 = -2 d . (v_i - v0), i = 1..3:
// by Cramer's rule |d| <= 1/2 sum |rho_i| |e_j x e_k| / |det(e1, e2, e3)|. A computed squared distance has
// a relative error below 5 eps, hence |rho_i| <= |computed rho_i| + 16 eps max(squared distances). The
// computed determinant is off by at most 32 eps m^(3/2), m the largest squared edge at v0; we ask that it
// is over twice that, so the true one is at least half the computed one, and |e_j x e_k| <= m.

#include <cmath>

#include "tets/tetrahedra.hpp"

namespace anvilcast::tets {

Sphere undecided_sphere() { return {{0, 0, 0}, -1.0F, std::numeric_limits<float>::infinity()}; }

// Plain two-wide vectors, as every processor of the family has them: clones for wider ones, chosen at run time, made
// the whole kernel slower by 5 % (four wide) and 17 % (eight wide), for the processor turns its clock down.
void compute_spheres(SphereBatch& b, std::size_t n) {
    constexpr double kEps = 0x1p-53;
    constexpr float kInfinity = std::numeric_limits<float>::infinity();
    for (std::size_t k = 0; k < n; ++k) {
        const Vec3 v0{b.x[0][k], b.y[0][k], b.z[0][k]}, v1{b.x[1][k], b.y[1][k], b.z[1][k]},
            v2{b.x[2][k], b.y[2][k], b.z[2][k]}, v3{b.x[3][k], b.y[3][k], b.z[3][k]};
        const Vec3 e1 = v1 - v0, e2 = v2 - v0, e3 = v3 - v0;
        const double l1 = dot(e1, e1), l2 = dot(e2, e2), l3 = dot(e3, e3);
        const Vec3 n1 = cross(e2, e3), n2 = cross(e3, e1), n3 = cross(e1, e2);
        const double det = dot(e1, n1);
        const double m = std::max(std::max(l1, l2), l3);
        const bool thick = det * det > (128 * kEps) * (128 * kEps) * m * m * m;
        const double inverse = 1.0 / det;
        const Vec3 center = v0 + (l1 * n1 + l2 * n2 + l3 * n3) * (0.5 * inverse);
        const double d0 = distance_squared(v0, center), d1 = distance_squared(v1, center),
                     d2 = distance_squared(v2, center), d3 = distance_squared(v3, center);
        const double residual = std::abs(d1 - d0) + std::abs(d2 - d0) + std::abs(d3 - d0) +
                                48 * kEps * std::max(std::max(d0, d1), std::max(d2, d3));
        const double shift = 2 * residual * m * std::abs(inverse);
        const double radius = std::sqrt(d0);
        const double inner = std::max(0.0, radius * (1 - 8 * kEps) - shift), outer = radius * (1 + 8 * kEps) + shift;
        // The factors cover the rounding to float and that of the squared distance in the test itself.
        const double below = inner * inner * (1 - 0x1p-22);
        const double above = outer * outer * (1 + 0x1p-22);
        const bool certain = thick && above < 1e37 && d0 > 1e-36;
        b.cx[k] = certain ? center.x : 0.0;
        b.cy[k] = certain ? center.y : 0.0;
        b.cz[k] = certain ? center.z : 0.0;
        b.inside_below[k] = certain ? static_cast<float>(below) : -1.0F;
        b.outside_above[k] = certain ? static_cast<float>(above) : kInfinity;
    }
}

Sphere circumsphere(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    SphereBatch batch;
    batch.set(0, 0, a);
    batch.set(0, 1, b);
    batch.set(0, 2, c);
    batch.set(0, 3, d);
    compute_spheres(batch, 1);
    return batch.sphere(0);
}

}  // namespace anvilcast::tets
