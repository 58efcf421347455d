// The original surface, divided into smooth patches and feature curves that points can be put back onto.
#pragma once

#include <anvilcast/domain.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <optional>
#include <vector>

namespace anvilcast::surfmesh {

/// What a point may do: a corner stays, a curve point moves on its curve, a patch point on its patch.
enum class PointKind : unsigned char { patch, curve, corner };

struct Patches {
    std::vector<Index> patch_of;             ///< of each original triangle
    std::vector<TriangleTree> patch_tree;    ///< of each patch
    std::vector<std::vector<Vec3>> normals;  ///< unit normals of each patch's triangles, numbered as in its tree
    std::vector<TriangleTree> curve_tree;    ///< of each curve, its segments as triangles without area

    std::vector<PointKind> kind;  ///< of each original point
    std::vector<Index> curve_at;  ///< curve of each curve point; kNone elsewhere
    struct FeatureEdge {
        std::array<Index, 2> ends;  ///< lower number first
        Index curve;
    };
    std::vector<FeatureEdge> feature_edges;  ///< sorted by ends

    struct OnPatch {
        Vec3 point;
        Vec3 normal;
        double distance;
    };
    OnPatch closest(Index patch, const Vec3& p) const {
        const auto hit = patch_tree[patch].closest(p);
        return {hit.point, normals[patch][hit.triangle], hit.distance};
    }
    /// The normal of the patch at the point closest to p; nothing when that is farther away than `reach`.
    std::optional<Vec3> normal_near(Index patch, const Vec3& p, double reach) const {
        const auto hit = patch_tree[patch].closest(p, reach);
        if (hit.triangle == kNone) return std::nullopt;
        return normals[patch][hit.triangle];
    }
};

/// An edge is a feature when the surface says so, when its triangles differ in zone or in the regions at
/// their sides, meet at more than `feature_angle`
/// degrees, or are not exactly two. Curves run between corners: points where other than two feature edges meet, or a
/// curve turns sharply.
Patches find_patches(const Domain& domain, double feature_angle);

}  // namespace anvilcast::surfmesh
