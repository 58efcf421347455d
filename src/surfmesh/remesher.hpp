// A triangle mesh that changes by local operations, each guarded so that the surface keeps its shape.
#pragma once

#include <anvilcast/surface_mesh.hpp>
#include <functional>
#include <unordered_map>
#include <vector>

#include "surfmesh/patches.hpp"

namespace anvilcast::surfmesh {

/// The four operations of isotropic remeshing on a complex of patches; edges may have any number of triangles.
/// Every operation looks at the triangles that it would leave: each must face the way its patch does, and stay within
/// the deviation of it. What fails the test is not done.
class Remesher {
  public:
    using SizeAt = std::function<double(const Vec3&)>;
    Remesher(const Domain& domain, const Patches& patches, SizeAt size_at, double deviation);

    /// Splits edges longer than 4/3 of the size until none is left; returns the number of splits.
    std::size_t split_long_edges();
    /// Collapses edges shorter than 4/5 of the size where allowed.
    std::size_t collapse_short_edges();
    /// Flips edges where that enlarges the smallest angle.
    std::size_t flip_edges();
    /// Moves points towards the middle of their neighbours, on their patch or curve.
    void smooth();

    /// The mesh as it is; triangles keep the zones of the patches.
    SurfaceMesh result(const Domain& domain) const;

  private:
    using Corners = std::array<Vec3, 3>;

    bool is_alive(Index t) const { return triangles_[t][0] != kNone; }
    static std::uint64_t key(Index a, Index b) {
        return a < b ? (std::uint64_t{a} << 32) | b : (std::uint64_t{b} << 32) | a;
    }
    Index curve_of_edge(Index a, Index b) const;
    bool is_feature(Index a, Index b) const { return features_.contains(key(a, b)); }
    double target_length(Index a, Index b) const { return 0.5 * (size_[a] + size_[b]); }
    std::vector<Index> triangles_at_edge(Index a, Index b) const;
    std::vector<Index> neighbours(Index v) const;
    Corners corners_with(Index t, Index moved, const Vec3& place) const;
    Corners corners(Index t) const;
    double agreement(const Corners& c, Index patch, double size) const;
    bool is_acceptable(const Corners& after, const Corners& before, Index patch, double size) const;

    bool split(Index a, Index b);
    bool collapse(Index removed, Index kept);
    bool may_collapse_onto(Index removed, Index kept) const;
    bool flip(Index a, Index b);
    bool move(Index v, const Vec3& place);
    Vec3 smoothed_place(Index v) const;
    void remove_triangle(Index t);
    void add_triangle(const Triangle& t, Index patch);
    void drop_dead_triangles();

    const Patches& patches_;
    SizeAt size_at_;
    double deviation_;
    std::vector<Vec3> points_;
    std::vector<double> size_;
    std::vector<PointKind> kind_;
    std::vector<Triangle> triangles_;
    std::vector<Index> patch_of_;
    std::vector<std::vector<Index>> star_;
    std::unordered_map<std::uint64_t, Index> features_;  // looked up only, never iterated
    std::vector<Index> zone_of_patch_;
    std::vector<std::array<Index, 2>> sides_of_patch_;
};

}  // namespace anvilcast::surfmesh
