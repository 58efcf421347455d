// Where a domain's boundary is not smooth: feature edges, the curves they form, the corners where curves end, and the
// smooth patches between them.
#pragma once

#include <anvilcast/domain.hpp>

#include <vector>

#include "shape/repeats.hpp"

namespace anvilcast::shape {

/// What a point may do when the surface is meshed: a corner stays, a curve point stays on its curve, a patch point on
/// its patch.
enum class PointKind : unsigned char { patch, curve, corner };

/// Feature edges in a row from corner to corner; a loop without corners has its first point again at the end.
struct FeatureCurve {
    std::vector<Index> points;
    bool is_loop() const { return points.front() == points.back() && points.size() > 3; }
};

struct Features {
    std::vector<Edge> edges;           ///< sorted
    std::vector<Index> curve_of_edge;  ///< of each of them
    std::vector<FeatureCurve> curves;
    std::vector<PointKind> kind;  ///< of each point of the boundary
    std::vector<Index> patch_of;  ///< of each triangle
    Index n_patches = 0;
    /// Normals of the smooth surface, one for each point of a patch (several at a feature edge), weighted by angles:
    /// corner k of triangle t has normals[normal_of_corner[3 t + k]].
    std::vector<Vec3> normals;
    std::vector<Index> normal_of_corner;

    const Vec3& normal(Index t, std::size_t k) const { return normals[normal_of_corner[3 * std::size_t{t} + k]]; }
    /// Curves on the sides of a periodic domain that are images of others: their points are images of the other's, in
    /// order. Empty where nothing repeats.
    Originals original_curves = {};

    /// kNone when the edge is no feature.
    Index curve_at(const Edge& edge) const;
};

/// An edge is a feature when the surface says so, when its triangles differ in zone or in the regions at their sides,
/// meet at more than `feature_angle` degrees, or are not exactly two. Curves run between corners: points where other
/// than two feature edges meet, or a curve turns sharply. O(n log n).
Features find_features(const Domain& domain, double feature_angle);

}  // namespace anvilcast::shape
