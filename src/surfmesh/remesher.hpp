// A triangle mesh that changes by local operations, each guarded so that the surface keeps its shape.
#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <vector>

#include "surfmesh/curves.hpp"
#include "surfmesh/original.hpp"

namespace anvilcast::surfmesh {

/// A surface on its way from the original to the mesh. A corner is a point that stays: a corner of the original, or a
/// place that divides a curve. A curve point is one of the original's on its way out.
struct Draft {
    std::vector<Vec3> points;
    std::vector<double> size;     ///< wanted at each point
    std::vector<Vec3> normal;     ///< of the smooth surface at each patch point; of no meaning elsewhere
    std::vector<PointKind> kind;  ///< of each point
    std::vector<Triangle> triangles;
    std::vector<Index> patch_of;              ///< of each triangle
    std::vector<std::uint8_t> feature_sides;  ///< of each triangle: bit k for the side from corner k to the next
};

struct ShapeLimits {
    double in_sizes;  ///< deviation from the original, in local sizes
    double metres;    ///< and in metres
    double at(double size) const { return std::min(in_sizes * size, metres); }
};

/// The operations of isotropic remeshing on a complex of patches. Feature edges may have any number of triangles and
/// are fixed once divided; every other edge has two. Every operation looks at the triangles that it would leave: each
/// must face the way its patch does, and bulge from it by no more than the limits. What fails the test is not done.
class Remesher {
  public:
    /// `is_locked`: points that must not move or go, because triangles at them are not in this draft.
    Remesher(const Original& original, const SizeAt& size_at, const ShapeLimits& limits, Draft draft,
             std::vector<char> is_locked);

    /// Together with those that are gone.
    std::size_t n_triangles() const { return d_.triangles.size(); }

    /// Puts in the places that divide the curves, and makes them corners.
    void divide_curves(const CurvePlaces& places);
    /// Puts in those of the places that were not there before.
    void divide_curves_further(const CurvePlaces& before, const CurvePlaces& now);
    /// Splits edges that are much longer than the size, or that bulge too much, the longest first, until none is left
    /// or there are more triangles than `enough` and more than `few` edges among the longest.
    void split_long_edges(std::size_t enough = std::numeric_limits<std::size_t>::max(), std::size_t few = 0);
    /// Collapses edges much shorter than the size where allowed, and takes out the original's curve points.
    void collapse_short_edges();
    /// Flips edges where that brings the numbers of neighbours closer to six.
    void even_out_neighbours();
    /// Flips edges where that enlarges the smallest angle.
    void flip_edges();
    /// Moves patch points towards the middle of their neighbours.
    void smooth();
    /// Moves the points of triangles whose smallest angle is below `degrees` to where it is larger.
    void mend_angles(double degrees);

    /// The draft as it has become; points and triangles that are gone are left out. `number`: for each point the one
    /// it had when it came in, kNone for a new one.
    Draft take(std::vector<Index>& number);

  private:
    using Corners = std::array<Vec3, 3>;
    /// A side of a triangle: 3 * triangle + k for the one from corner k to the next.
    using Side = Index;

    static Index triangle_of(Side s) { return s / 3; }
    static Side next(Side s) { return s % 3 == 2 ? s - 2 : s + 1; }
    static Side previous(Side s) { return s % 3 == 0 ? s + 2 : s - 1; }
    Index from(Side s) const { return d_.triangles[s / 3][s % 3]; }
    Index to(Side s) const { return from(next(s)); }
    Index tip(Side s) const { return from(previous(s)); }
    bool is_alive(Index t) const { return d_.triangles[t][0] != kNone; }
    bool is_feature(Side s) const { return (d_.feature_sides[s / 3] >> (s % 3) & 1U) != 0; }
    void set_feature(Side s, bool is);
    bool is_fixed(Index v) const { return d_.kind[v] == PointKind::corner || is_locked_[v] != 0; }
    double target_length(Index a, Index b) const { return 0.5 * (d_.size[a] + d_.size[b]); }

    void link();
    void join_ring(const std::vector<Side>& ring);
    Side side_before(Side s) const;
    const std::vector<Index>& star(Index v, std::vector<Index>& out) const;
    bool has_edge(Index a, Index b) const;
    std::optional<Side> side_between(Index a, Index b) const;

    Corners corners(Index t) const;
    Corners corners_with(Index t, Index moved, const Vec3& place) const;
    double agreement(const Corners& c, Index t, Index moved, const Vec3& normal) const;
    bool is_acceptable(const Corners& after, Index t, Index moved, const Vec3& normal) const;
    double bulge(Index a, Index b, Index patch) const;
    double excess(Side s) const;

    Index put_on_curve(Index a, Index b, const Vec3& place);
    bool split(Side s);
    void split_at(Side s, Index point);
    Index add_point(const Vec3& place, double size, const Vec3& normal, PointKind kind);
    bool may_collapse(Index removed, Side s) const;
    bool collapse(Index removed, Side s);
    void apply_collapse(Index removed, Index kept);
    bool can_flip(Side s, Corners& p, Corners& q) const;
    bool flip_for_angles(Side s);
    void flip(Side s);
    bool move(Index v, const Vec3& place);
    Vec3 smoothed_place(Index v) const;
    double least_sine_at(Index v, const Vec3& place) const;

    const Original& original_;
    const SizeAt& size_at_;
    ShapeLimits limits_;
    Draft d_;
    std::vector<char> is_locked_;
    std::vector<Side> ring_;           // the next side round each side's edge; itself when alone
    std::vector<Index> triangle_at_;   // one for each point; kNone when the point is gone
    std::size_t n_given_;              // points that came in
    mutable std::vector<Index> mark_;  // of triangles, for star()
    mutable Index stamp_ = 0;
    mutable std::vector<Index> star_, other_star_;  // kept to save allocations
};

}  // namespace anvilcast::surfmesh
