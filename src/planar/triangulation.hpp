// The constrained Delaunay triangulation of a plane area, as half-edges.
//
// Invariants: triangle t has the half-edges 3t, 3t + 1, 3t + 2, each from its corner to the next one,
// counter-clockwise; twin(h) is the half-edge the other way, kNone at the rim of the first triangle; a fixed edge is
// fixed on both sides and never flipped. Every decision is exact.
#pragma once

#include <anvilcast/vectors.hpp>
#include <array>
#include <optional>
#include <vector>

#include "planar/vec2.hpp"

namespace anvilcast::planar {

class Triangulation {
  public:
    /// One triangle far outside of the box, whose corners are points 0, 1 and 2.
    Triangulation(const Vec2& lo, const Vec2& hi);

    static constexpr Index kOuter = 3;  ///< so many points are the first triangle's
    static Index next(Index h) { return h % 3 == 2 ? h - 2 : h + 1; }
    static Index previous(Index h) { return h % 3 == 0 ? h + 2 : h - 1; }

    Index n_triangles() const { return static_cast<Index>(corner_.size() / 3); }
    Index n_points() const { return static_cast<Index>(points_.size()); }
    Index n_half_edges() const { return static_cast<Index>(corner_.size()); }
    Index from(Index h) const { return corner_[h]; }
    Index to(Index h) const { return corner_[next(h)]; }
    Index across(Index h) const { return corner_[previous(h)]; }
    Index twin(Index h) const { return twin_[h]; }
    bool is_fixed(Index h) const { return is_fixed_[h] != 0; }
    const Vec2& point(Index v) const { return points_[v]; }
    void move_point(Index v, const Vec2& to) { points_[v] = to; }
    /// A number that the caller gives to triangles; pieces of a triangle have its own.
    Index tag(Index t) const { return tag_[t]; }
    void set_tag(Index t, Index tag) { tag_[t] = tag; }
    /// A half-edge from the point.
    Index at(Index v) const { return at_[v]; }

    /// Where a place is: in the triangle of the half-edge, on the half-edge, or at the point it comes from.
    struct Place {
        Index half_edge = 0;
        enum class On { triangle, edge, point } on = On::triangle;
    };
    /// The walk begins at the triangle of a half-edge.
    Place locate(const Vec2& p, Index near) const;
    /// Puts in a point and restores what the triangulation is. Returns its number, or that of the one that is there.
    Index insert(const Vec2& p, const Place& place);
    /// Makes the edge between two points, by flips, and fixes it. False when a fixed edge or a point is in the way.
    bool fix_edge(Index a, Index b);
    /// The half-edge from a to b.
    std::optional<Index> find(Index a, Index b) const;

    /// Calls visit(h) for each half-edge from a point that is no corner of the first triangle.
    template <typename Visit>
    void around(Index v, const Visit& visit) const {
        const Index first = at_[v];
        Index h = first;
        do {
            visit(h);
            h = twin_[previous(h)];
        } while (h != first && h != kNone);
    }

    /// The edge across the other way; both triangles must make a convex quadrangle.
    void flip(Index h);
    bool can_flip(Index h) const;
    /// Flips until every edge that may be is as Delaunay has it.
    void restore();

  private:
    Index add_point(const Vec2& p);
    void link(Index h, Index g) {
        twin_[h] = g;
        if (g != kNone) twin_[g] = h;
    }
    void split_triangle(Index t, Index v);
    void split_edge(Index h, Index v);
    void settle(std::vector<Index>& todo);
    void settle_round(Index v);
    bool is_delaunay(Index h) const;

    std::vector<Vec2> points_;
    std::vector<Index> at_;
    std::vector<Index> corner_, twin_;
    std::vector<char> is_fixed_;
    std::vector<Index> tag_;
    std::vector<Index> todo_;
};

}  // namespace anvilcast::planar
