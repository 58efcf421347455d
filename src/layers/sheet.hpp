// One smooth piece of a surface, that points and edges are put into, and strips cut out of.
#pragma once

#include <anvilcast/surface.hpp>
#include <optional>
#include <vector>

namespace anvilcast::layers {

/// A manifold sheet of triangles over points that it shares with its surroundings. Which side of an edge a point is on
/// is seen along the normal of the triangle at hand: the sheet may be curved, but little within a triangle.
class Sheet {
  public:
    /// `triangles`: of one orientation. `kept`: edges that must stay, sorted; others than the sheet's do not matter.
    Sheet(std::vector<Vec3>& points, std::vector<Triangle> triangles, const std::vector<Edge>& kept = {});

    /// Puts the point p in, beginning the search at a triangle of the point `from`. An inner point close by is moved
    /// there instead of adding one. Returns its number; nothing when p is not on the sheet.
    std::optional<Index> put(const Vec3& p, Index from, double close);
    /// Puts a point into the border, between two points that follow each other there. False when they do not.
    bool divide_border(Index a, Index b, Index point);
    /// Makes ab an edge by flips, and keeps it. False when a kept edge or the border is in the way.
    bool make_edge(Index a, Index b);
    /// Takes out the triangles that can be reached from the border edge ab without crossing a kept edge. False when
    /// that is no border edge.
    bool take_out_from(Index a, Index b);
    /// Is ab an edge with a triangle on exactly one side?
    bool is_border_edge(Index a, Index b) const;

    std::vector<Triangle> triangles() const;
    std::vector<Index> numbers() const;  ///< of those triangles, as given

  private:
    using Side = Index;  // 3 * triangle + k: from corner k to the next one
    static Side next(Side s) { return s % 3 == 2 ? s - 2 : s + 1; }
    static Side previous(Side s) { return s % 3 == 0 ? s + 2 : s - 1; }
    Index from(Side s) const { return tris_[s / 3][s % 3]; }
    Index to(Side s) const { return from(next(s)); }
    Index tip(Side s) const { return from(previous(s)); }
    bool is_gone(Index t) const { return tris_[t][0] == kNone; }
    Vec3 normal(Index t) const;
    double turn(const Vec3& a, const Vec3& b, const Vec3& p, const Vec3& normal) const;
    void link(Side s, Side twin);
    Index add_triangle(const Triangle& t, Index number);
    /// The side from a to b, and one between them either way.
    std::optional<Side> side_of(Index a, Index b) const;
    std::optional<Side> side_between(Index a, Index b) const;
    std::vector<Side> sides_from(Index v) const;
    bool can_claim(Index v, const Vec3& p) const;
    Index claim(Index v, const Vec3& p);
    Index add_point(const Vec3& p);
    Index split_triangle(Index t, const Vec3& p);
    void split_side(Side s, Index point);
    bool flip(Side s);

    std::vector<Vec3>& points_;
    std::vector<Triangle> tris_;
    std::vector<Side> twin_;
    std::vector<char> is_kept_;   // of each side
    std::vector<Index> number_;   // of each triangle, as given
    std::vector<Index> side_at_;  // of each point: a side that starts there; kNone
    std::vector<char> is_fixed_;  // of each point: border, or put in
};

}  // namespace anvilcast::layers
