// A closed two-manifold of triangles that edges are flipped and collapsed in.
#pragma once

#include <anvilcast/surface.hpp>
#include <vector>

namespace anvilcast::wrapping {

/// Half-edge 3 t + k runs from corner k of triangle t to the next one.
class ShellMesh {
  public:
    /// Throws InternalError when an edge has other than two triangles.
    ShellMesh(std::vector<Triangle> triangles, std::size_t n_points);

    Index n_half_edges() const { return static_cast<Index>(twin_.size()); }
    bool is_gone(Index h) const { return triangles_[h / 3][0] == kNone; }
    static Index next(Index h) { return h % 3 == 2 ? h - 2 : h + 1; }
    static Index before(Index h) { return h % 3 == 0 ? h + 2 : h - 1; }
    Index twin(Index h) const { return twin_[h]; }
    Index from(Index h) const { return triangles_[h / 3][h % 3]; }
    Index to(Index h) const { return from(next(h)); }
    Index across(Index h) const { return from(before(h)); }
    /// A half-edge from the point; kNone when it is gone.
    Index at(Index point) const { return at_[point]; }
    const Triangle& triangle(Index t) const { return triangles_[t]; }
    const std::vector<Triangle>& triangles() const { return triangles_; }

    /// Calls visit(h) for each half-edge from the point.
    template <typename Visit>
    void around(Index point, const Visit& visit) const {
        const Index first = at_[point];
        Index h = first;
        do {
            visit(h);
            h = twin_[before(h)];
        } while (h != first);
    }
    bool has_edge(Index a, Index b) const;

    /// The edge gets the points across of it for its ends. There must be no edge between them.
    void flip(Index h);
    /// May from(h) become to(h)? Only when no other points than the two across are joined to both.
    bool can_collapse(Index h) const;
    /// from(h) becomes to(h); two triangles are gone.
    void collapse(Index h);

  private:
    void join(Index g, Index h) {
        twin_[g] = h;
        twin_[h] = g;
    }

    std::vector<Triangle> triangles_;
    std::vector<Index> twin_;
    std::vector<Index> at_;
};

}  // namespace anvilcast::wrapping
