// Triangles that change one by one: edges collapsed, points put into edges. Any number of triangles may meet at an
// edge.
#pragma once

#include <anvilcast/surface.hpp>

#include <vector>

namespace anvilcast {

/// Edits a surface in place until `finish`. Triangles lower than `low` have no say in which way a surface faces: they
/// are what is to go.
class LooseTriangles {
  public:
    LooseTriangles(Surface& surface, double low);

    bool is_alive(Index t) const { return alive_[t]; }
    const std::vector<Index>& star(Index p) const { return star_[p]; }  ///< with triangles that are gone
    std::vector<Index> at_edge(Index a, Index b) const;
    bool is_feature(const Edge& e) const;  ///< in feature_edges, ends in order
    /// The side from corner k to the next that is longest, or shortest.
    std::size_t longest_side(Index t) const;
    std::size_t shortest_side(Index t) const;
    double height_of(Index t) const { return height_of(surface_.triangles[t]); }

    /// Moves a point onto its neighbour. Refused where that would change how the surface hangs together, or turn a
    /// triangle over.
    bool collapse(Index gone, Index kept);
    /// The triangle goes, and every other one at its longest edge gets its third corner into that edge. Two triangles
    /// over the same three points go both. Refused like collapse, and where a triangle no higher would come of it.
    bool put_into_edge(Index t);

    /// Largest move of the surface by one operation so far, and where.
    double largest_move() const { return largest_move_; }
    const Vec3& largest_move_at() const { return largest_move_at_; }

    /// Leaves out what is gone, points too.
    void finish();

  private:
    const Vec3& at(Index p) const { return surface_.points[p]; }
    Vec3 normal_of(const Triangle& t) const { return triangle_normal(at(t[0]), at(t[1]), at(t[2])); }
    double height_of(const Triangle& c) const;
    bool has(Index t, Index p) const;
    bool still_faces(Index t, const Triangle& after) const;
    std::vector<Index> neighbours(Index p) const;
    void note_move(double move, const Vec3& place);
    void replace_feature(const Edge& old, std::initializer_list<Edge> now);

    Surface& surface_;
    double low_;
    std::vector<std::vector<Index>> star_;
    std::vector<bool> alive_;
    double largest_move_ = 0;
    Vec3 largest_move_at_;
};

}  // namespace anvilcast
