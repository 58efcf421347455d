// The sharp edges and zone borders of dirty geometry that a wrap keeps: curves, and places beside them at the offset.
#pragma once

#include <anvilcast/surface.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/wrap.hpp>
#include <optional>
#include <vector>

namespace anvilcast::wrapping {

/// The gap at a place, within the bounds that it has; one that is no number is left out.
double gap_of(const WrapOptions& options, const Vec3& p);

/// A chain of kept edges of the original.
struct Curve {
    std::vector<Vec3> points;  ///< of a loop the first one again at the end
    double length = 0;
    bool is_loop = false;
};

/// A place on a curve, and the place beside it that the wrap is first made at.
struct Sample {
    Vec3 target;
    Vec3 aside;  ///< times the offset, from the target into one of the wedges between the faces
    Index curve = kNone;
    double along = 0;        ///< of the curve's length
    bool is_hollow = false;  ///< the wedge is narrower than half a turn: a ball does not get to its bottom
    bool is_corner = false;  ///< an end of curves
};

/// What a place of the wrap stands for.
struct Site {
    Vec3 target;  ///< on the geometry
    Index curve = kNone;
    double along = 0;
    bool is_corner = false;
    bool is_hollow = false;
    bool is_on_geometry = true;  ///< false: where walls would meet, or between them
    bool is_reached = false;     ///< by the fluid: the rims of a slit that was closed are not
};

class CurveSet {
  public:
    /// Edges sharper than `angle` degrees, rims of sheets and edges between zones, as chains not shorter than `detail`
    /// and not among many of their kind within half a gap. O(n log n).
    CurveSet(const Surface& original, double detail, double angle, const LengthAt& gap_at);

    const std::vector<Curve>& curves() const { return curves_; }
    /// Places along all curves, as far apart as `spacing` says, on each side of them. Corners first.
    std::vector<Sample> samples(const LengthAt& spacing) const;
    /// The sample at the place of a curve that is closest to `target`, on the side that looks towards `from`; nothing
    /// beyond `reach`.
    std::optional<Sample> near(const Vec3& target, const Vec3& from, double reach) const;
    /// How far apart two sites are along the curve that both are on; nothing when there is none.
    std::optional<double> apart(const Site& a, const Site& b) const;
    /// The same curve, or two that meet at an end.
    bool are_joined(Index a, Index b) const;

  private:
    /// One of the sides of an edge: from it the places at the offset of both faces are in this direction, so many
    /// offsets away.
    struct Wedge {
        Vec3 aside;
        bool is_hollow;
    };
    struct Segment {
        Index curve;
        double along;  ///< of its first point
        std::vector<Wedge> wedges;
    };
    struct Corner {
        Index point;
        Index curve;
        double along;
        std::vector<Wedge> wedges;
    };
    void add_curve(const Surface& s, const SurfaceEdges& edges, const std::vector<Index>& chain,
                   const std::vector<Index>& points);
    static std::vector<Wedge> wedges_of(const Surface& s, const SurfaceEdges& edges, Index edge);
    void find_corners(const Surface& s);
    std::optional<double> along_of(const Site& corner, Index curve) const;
    Sample sample(Index segment, double share, const Wedge& wedge) const;

    std::vector<Curve> curves_;
    std::vector<Segment> segments_;
    std::vector<std::array<Vec3, 2>> ends_;         // of each segment
    std::vector<Index> first_segment_;              // of each curve
    std::vector<std::array<Index, 2>> end_points_;  // of each curve, in the original
    std::vector<Corner> corners_;
    TriangleTree tree_;  // over the segments
};

}  // namespace anvilcast::wrapping
