// Tetrahedra under change: boundary recovery, refinement and optimisation all work on this.
//
// There is one way to change the complex: replace() takes some tetrahedra out and puts others in their
// place. Flips, edge removal, point insertion and edge collapse are all lists for replace().
// A face may carry a tag, the number of the surface triangle that it is; replace() never removes a tagged
// face, and keeps the tags on the rim of what it replaces.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "tets/tetrahedra.hpp"

namespace anvilcast::tets {

using Quad = std::array<Index, 4>;

class TetComplex {
  public:
    /// Of the four faces of a tetrahedron; kNone for none.
    using Tags = std::array<Index, 4>;

    /// Adopts what the kernel made.
    TetComplex(std::vector<Vec3> points, std::vector<Tet> tets);
    TetComplex(std::vector<Vec3> points, std::vector<Tet> tets, std::vector<Tags> tags);

    const std::vector<Vec3>& points() const { return points_; }
    const Vec3& point(Index v) const { return points_[v]; }
    std::size_t n_slots() const { return tets_.size(); }
    const Tet& tet(Index t) const { return tets_[t]; }
    Index tag(Index t, int face) const { return tags_[t][static_cast<std::size_t>(face)]; }
    bool is_free(Index t) const { return tets_[t].is_free(); }
    bool has_ghost(Index t) const { return tets_[t].is_ghost(); }
    /// Some tetrahedron at the vertex; kNone when it has none.
    Index tet_at(Index v) const { return tet_at_[v]; }

    Index add_point(const Vec3& p);
    void move_point(Index v, const Vec3& p) { points_[v] = p; }
    void drop_last_point();

    /// Marks a face, from both sides, as surface triangle `tag`.
    void set_tag(Index t, int face, Index tag);

    /// Takes away a tetrahedron with just two boundary faces; its other two faces become boundary and get their tags,
    /// as if the edge between had been flipped. False, and nothing done, when the tetrahedron is not of that kind.
    bool peel(Index t);

    /// All tetrahedra at a vertex, in a deterministic order. The list lives until the next call.
    const std::vector<Index>& star(Index v) const;
    /// A tetrahedron with both vertices, or kNone.
    std::optional<Index> find_edge(Index a, Index b) const;
    /// The face abc as a code, seen from either side, or kNone.
    std::optional<Index> find_face(Index a, Index b, Index c) const;

    /// The tetrahedra round an edge in order, and their vertices off the edge: tets[i] has ring[i] and ring[i + 1].
    struct Ring {
        std::vector<Index> tets;
        std::vector<Index> ring;
        bool is_free = false;  ///< closed, without tags and ghosts: the edge may be removed
    };
    void edge_ring(Index t, Index a, Index b, Ring& ring) const;

    /// Replaces tetrahedra by others that fill the same space; returns nothing but keeps all invariants.
    /// Requires: the outer faces of both sets are the same; no inner face of `old` is tagged.
    void replace(std::span<const Index> old, std::span<const Quad> fresh);
    /// The slots that the last replace() filled.
    const std::vector<Index>& last_filled() const { return own_.filled; }

    double volume(Index t) const;
    int orientation(const Quad& q) const {
        return orient3d(points_[q[0]], points_[q[1]], points_[q[2]], points_[q[3]]);
    }

    /// What one of several workers needs to put in points beside the others: free slots and work space of its own. It
    /// changes its own tetrahedra alone, and looks at no others. With no list of owners, all are its own.
    struct Worker {
        const std::vector<Index>* owner = nullptr;  ///< number of the worker that each tetrahedron belongs to
        Index self = 0;
        std::vector<Index> slots;   ///< free ones
        std::vector<Index> filled;  ///< by the last point
        std::uint32_t stamp = 0;
        bool has_strayed = false;  ///< the last cavity would have touched others' tetrahedra

        bool owns(Index t) const { return owner == nullptr || (*owner)[t] == self; }
    };
    /// Workers 0, 1 …, each with so many new slots. Requires: tetrahedra of different owners have different vertices,
    /// but for those that are nobody's (kNone). `owner` is lengthened and must live until the workers are dismissed;
    /// until then the complex is changed by them alone, and no vertices are added.
    std::vector<Worker> hire(std::vector<Index>& owner, std::span<const std::size_t> n_new);
    void dismiss(const std::vector<Worker>& workers);
    /// Room for n more vertices, not in any tetrahedron yet; the first one's number.
    Index reserve_points(std::size_t n);

    enum class Walk { everywhere, this_side };
    /// The tetrahedron that holds p, walking from t without crossing the boundary, nor tagged faces if it is to stay on
    /// this side of them; kNone when the walk ends there, or leaves what is the worker's.
    std::optional<Index> locate(const Vec3& p, Index from, Walk walk = Walk::everywhere,
                                const Worker* worker = nullptr) const;

    /// What putting in a point would replace: see find_cavity.
    struct Cavity {
        std::vector<Index> tets;
        struct Face {
            Index a, b, c;  ///< seen from inside counter-clockwise: with the new point a positive tetrahedron
            Index code;     ///< of the face, on the cavity's side
            bool is_tagged;
        };
        std::vector<Face> faces;
    };
    /// The Delaunay cavity of p round the tetrahedron `start` that holds it: bounded by tagged faces, cut back until
    /// every face sees p. False when p lies on a tagged face or outside, when a vertex would be lost, or when the
    /// worker would stray.
    bool find_cavity(const Vec3& p, Index start, Cavity& cavity, Worker& worker) const;
    bool find_cavity(const Vec3& p, Index start, Cavity& cavity) const { return find_cavity(p, start, cavity, own_); }
    /// Fills a cavity with the star of vertex v.
    void fill_cavity(const Cavity& cavity, Index v, Worker& worker);
    void fill_cavity(const Cavity& cavity, Index v) { fill_cavity(cavity, v, own_); }

    /// Checks every invariant; throws InternalError. O(n). For tests and debugging.
    void check() const;

  private:
    static constexpr Tags kNoTags{kNone, kNone, kNone, kNone};

    bool is_marked(Index t) const { return is_marked(t, own_); }
    bool is_marked(Index t, const Worker& worker) const { return mark_[t] == worker.stamp; }
    void new_stamp() const { ++own_.stamp; }
    Index allocate(Worker& worker);
    void keep_core(Cavity& cavity, std::size_t n_core, Worker& worker) const;
    bool loses_vertex(const Cavity& cavity, Worker& worker) const;

    std::vector<Vec3> points_;
    std::vector<Tet> tets_;
    std::vector<Tags> tags_;
    std::vector<Index> tet_at_;
    mutable std::vector<std::uint32_t> mark_;
    mutable Worker own_;  // of those who work alone
    mutable std::vector<Index> star_;
    mutable std::vector<std::uint32_t> vertex_mark_;
};

}  // namespace anvilcast::tets
