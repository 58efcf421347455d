// The original surface, patch by patch, that points are put back onto.
#pragma once

#include <anvilcast/triangle_tree.hpp>

#include <vector>

#include "shape/features.hpp"

namespace anvilcast::surfmesh {

using shape::FeatureCurve;
using shape::Features;
using shape::PointKind;

class Original {
  public:
    Original(const Domain& domain, double feature_angle);

    const Domain& domain() const { return domain_; }
    const Surface& surface() const { return domain_.boundary; }
    const Features& features() const { return features_; }

    struct Foot {
        Vec3 point;
        Vec3 normal;      ///< of the smooth surface there
        double distance;  ///< infinite when nothing of the patch is within reach
    };
    /// The point of a patch closest to p. The normal is interpolated between those of the triangle's corners.
    Foot foot(Index patch, const Vec3& p, double reach = Box::inf) const;

    /// How far p is from a patch; infinite when that is beyond the reach.
    double distance(Index patch, const Vec3& p, double reach = Box::inf) const {
        return tree_[patch].closest(p, reach).distance;
    }

    /// A place on a triangle's cubic patch (A. Vlachos et al., Curved PN triangles, 2001) instead of on the triangle:
    /// where the surface would be, were it as smooth as its normals. `p` is put onto the original first.
    Vec3 curved_place(Index patch, const Vec3& p) const;

    Index zone_of_patch(Index patch) const { return surface().zone_of[list_[patch].front()]; }
    const std::array<Index, 2>& sides_of_patch(Index patch) const { return domain_.sides[list_[patch].front()]; }
    const std::vector<Index>& triangles_of(Index patch) const { return list_[patch]; }

  private:
    /// Barycentric coordinates of a point of triangle t.
    std::array<double, 3> weights(Index t, const Vec3& p) const;

    const Domain& domain_;
    Features features_;
    std::vector<std::vector<Index>> list_;  // triangles of each patch
    std::vector<TriangleTree> tree_;        // of each patch
};

}  // namespace anvilcast::surfmesh
