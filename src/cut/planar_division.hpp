// The division of a triangle by points and segments in its plane: a constrained Delaunay triangulation, exact.
//
// It is unique: which of two diagonals is taken rests on the points alone, never on their order (ties are broken by the
// symbolic lift of incircle_tie). What lies between constraints is triangulated whatever lies beyond them: so
// two triangles in one plane that were given the same constraints where they overlap are divided alike there.
// Sources: C. Lawson, Software for C1 surface interpolation (1977), flips towards Delaunay; S. Sloan, A fast algorithm
// for generating constrained Delaunay triangulations, Computers & Structures 47 (1993), flips towards a segment.
#pragma once

#include <optional>
#include <vector>

#include "base/maybe_index.hpp"
#include "robust/exact_point.hpp"

namespace anvilcast::cutting {

class PlanarDivision {
  public:
    /// The triangle abc, seen along `axis`, along which it must have an area. Its corners are points 0, 1 and 2.
    PlanarDivision(const robust::ExactPoint& a, const robust::ExactPoint& b, const robust::ExactPoint& c, int axis);

    /// Puts a point in the closed triangle in; an equal one that is there already is taken. Returns its number.
    Index insert(const robust::ExactPoint& p);
    /// Makes the segment between two points an edge, or a chain of edges where it passes points or crosses other
    /// segments: a point is made at each crossing.
    void insert_segment(Index a, Index b);

    const std::vector<robust::ExactPoint>& points() const { return points_; }
    /// The triangles, turned like abc.
    std::vector<Triangle> triangles() const;

  private:
    /// Counter-clockwise as seen. Side k is opposite corner k; `fixed` sides are segments.
    struct Cell {
        std::array<Index, 3> v;
        std::array<MaybeIndex, 3> n;
        std::array<bool, 3> fixed;
    };
    struct Side {
        Index cell;
        int k;
    };
    struct Way {
        MaybeIndex passed;
        std::optional<Side> through;
    };

    int turn(Index a, Index b, Index c) const {
        return robust::orient2d(points_[a], points_[b], points_[c], axis_) * sense_;
    }
    std::optional<Side> other_side(const Side& s) const;
    Side twin(const Side& s) const;
    void connect(Index cell, int k, MaybeIndex other, bool fixed);
    void fix(const Side& s);
    Index split_cell(Index cell, const robust::ExactPoint& p);
    Index split_side(const Side& side, const robust::ExactPoint& p);
    Index add_point(const robust::ExactPoint& p);
    void flip(const Side& side);
    void legalise();
    void push_sides(Index cell);
    std::optional<Side> side_between(Index a, Index b) const;
    template <typename Visit>
    void round(Index v, Visit visit) const;
    Way way_out(Index a, Index b) const;
    Index insert_piece(Index a, Index b);
    void flip_in(Index a, Index b, std::vector<std::array<Index, 2>> crossed);

    int axis_;
    int sense_;  // +1 when abc runs counter-clockwise as seen
    std::vector<robust::ExactPoint> points_;
    std::vector<Index> cell_at_;  // a cell of each point
    std::vector<Cell> cells_;
    Index last_ = 0;  // where the next walk begins
    std::vector<std::array<Index, 2>> doubtful_;
};

}  // namespace anvilcast::cutting
