// Triangles on their way to a conformal complex: points exact, each triangle with the inputs it is a piece of.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/cut.hpp>

#include <vector>

#include "robust/exact_point.hpp"

namespace anvilcast::cutting {

struct Complex {
    std::vector<robust::ExactPoint> points;
    std::vector<Triangle> triangles;
    std::vector<std::vector<CutSurface::Origin>> origins;  ///< of each triangle, sorted
    std::vector<bool> is_settled;     ///< of each triangle: it is known not to meet another settled one
    std::vector<Edge> feature_edges;  ///< sorted

    std::array<const robust::ExactPoint*, 3> corners(Index t) const {
        return {&points[triangles[t][0]], &points[triangles[t][1]], &points[triangles[t][2]]};
    }
    Vec3 normal(Index t) const {
        const auto c = corners(t);
        return triangle_normal(c[0]->approx(), c[1]->approx(), c[2]->approx());
    }
};

Complex complex_of(const Surface& surface);

/// Takes out the triangles that `keep(t)` is false for; asked once each, in order.
template <typename Keep>
void keep_triangles(Complex& c, Keep keep) {
    Index n = 0;
    for (Index t = 0; t < c.triangles.size(); ++t) {
        if (!keep(t)) continue;
        if (n != t) {
            c.triangles[n] = c.triangles[t];
            c.origins[n] = std::move(c.origins[t]);
            c.is_settled[n] = c.is_settled[t];
        }
        ++n;
    }
    c.triangles.resize(n);
    c.origins.resize(n);
    c.is_settled.resize(n);
}

/// An edge that is a feature becomes several, by the points on it.
void divide_feature_edge(Complex& complex, Edge edge, std::vector<Index> on);

/// Lays pieces that run along each other within `join` (metres) onto each other, exactly: see conform(). `body_of` and
/// `stays`: of each input triangle, see bodies_of() and CutOptions.
void join_pieces(Complex& complex, const std::vector<Index>& body_of, const std::vector<bool>& stays, double join,
                 CutSurface& report);

/// Makes equal points one, coinciding triangles one, and removes triangles that are collinear or, because of
/// rounding, turned against the input that they are a piece of (`normals`, of each input triangle): the triangles at
/// the longest edge of such a one are divided at the corner opposite. Among triangles that are not settled, points
/// within `grain` (metres) of each other are one, and triangles lower than that are removed likewise.
void tidy(Complex& complex, const std::vector<Vec3>& normals, double grain = 0);

struct CutCount {
    std::size_t pairs = 0, points = 0;
};
/// One exact cut of all triangles; nothing happens when none meet. Triangles that meet and are in one plane but for
/// `grain` (metres) are put into one plane first.
CutCount cut_once(Complex& complex, const std::vector<Vec3>& normals, double grain, const Context& context);

/// Puts triangles that meet (pairs) and differ from one plane by at most `grain` into one, exactly. Tells whether a
/// corner moved.
bool flatten(Complex& complex, const std::vector<std::array<Index, 2>>& pairs, double grain);

/// Puts triangles into one plane that share an edge and lie on each other but for `grain`. Tells whether a corner
/// moved: then they meet.
bool unfold(Complex& complex, double grain);

/// All points to the nearest doubles. Triangles without a point that moved are settled, the others are not.
void round_points(Complex& complex);

}  // namespace anvilcast::cutting
