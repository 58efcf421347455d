// The Delaunay kernel: points are put in one at a time; the tetrahedra whose circumsphere holds the new
// point form a cavity, which is refilled with the point's star.
//
// The in-sphere test is nearly always one subtraction and comparison against the cached, certified
// sphere (circumsphere.cpp). Ties of cospherical points are broken as if the point with the larger
// number were lifted off the paraboloid (insphere_tie); points are numbered in the order of insertion,
// so "on the sphere" always means "outside" and costs nothing more.
#pragma once

#include <anvilcast/context.hpp>
#include <cstddef>
#include <optional>
#include <span>
#include <vector>

#include "base/large_pages.hpp"
#include "tets/tetrahedra.hpp"

namespace anvilcast::tets {

class Kernel {
  public:
    /// Puts in all points; vertex k >= 1 of the result is points[order[k - 1]].
    /// Points equal to one before stay unused: their vertex has no tetrahedron.
    Kernel(const std::vector<Vec3>& points, const std::vector<Index>& order, const Context& context);

    /// Puts in one point more and returns its vertex; nothing, and no change, when there is an equal one already.
    /// The walk to its place begins at the tetrahedron `near`.
    std::optional<Index> add(const Vec3& p, Index near);
    /// The tetrahedron that holds p, or a ghost that p is outside of. The walk begins at the tetrahedron `near`.
    Index find(const Vec3& p, Index near);
    /// The tetrahedra round the vertex that was put in last. They took the slots of those that had to go, and new ones.
    std::span<const Index> star() const { return {cavity_.data(), n_faces_}; }

    const Vec3& point(Index vertex) const { return vertices_[vertex].place; }
    std::size_t n_vertices() const { return vertices_.size(); }
    const Sphere& sphere(Index t) const { return cells_[t].sphere; }

    /// Vertex 0 is the ghost.
    std::vector<Vec3> points() const;
    /// With ghosts and free slots.
    std::vector<Tet> tets() const;
    std::size_t bytes() const;
    std::size_t n_slots() const { return cells_.size(); }
    const Tet& tet(Index t) const { return cells_[t].tet; }

  private:
    struct CavityFace {
        Index inside;   // the cavity's tetrahedron
        Index outside;  // code of the face on the other side
        int face;       // of `inside`
    };
    // What is looked at together lies together: one cache line each for a tetrahedron and its sphere, half of one for a
    // vertex and its number in the cavity that was last seen at it.
    struct alignas(64) Cell {
        Tet tet;
        Sphere sphere;
    };
    struct alignas(32) Vertex {
        Vec3 place;
        Index stamp = 0;  // of the cavity: its new vertex
        Index number = 0;
    };

    /// The corners of a face of the cavity, numbered among those of its surface; in the order of kFace.
    using LocalFace = std::array<std::uint16_t, 4>;

    void make_first_tetrahedron();
    bool insert(Index vertex);
    template <bool kStopsInConflict>
    Index walk_to(const Vec3& p);
    Index locate(const Vec3& p) { return walk_to<true>(p); }
    bool conflicts(Index tet, const Vec3& p) const;
    bool conflicts_exactly(Index tet, const Vec3& p) const;
    void gather_cavity(Index start, const Vec3& p);
    void fill_cavity(Index vertex);
    void provide_slots();
    Index local_number(Index vertex, Index stamp);
    template <std::size_t kSide>
    void join_star(std::vector<std::uint16_t>& table);
    void join_large_star();
    void update_spheres();
    Sphere sphere_of(const Tet& tet) const;

    LargeVector<Vertex> vertices_;
    LargeVector<Cell> cells_;
    std::vector<Index> free_;

    // Work space of one insertion, kept to save allocations. Lists grow only; the counts tell what is in use.
    std::size_t n_cavity_ = 0;
    std::size_t n_faces_ = 0;
    std::vector<Index> cavity_;
    std::vector<CavityFace> faces_;
    std::vector<Tet> fresh_;
    std::vector<LocalFace> local_;
    std::vector<std::uint16_t> small_table_, middle_table_;
    SphereBatch batch_;
    Index n_local_ = 0;
    Index last_ = 0;
    std::uint32_t random_ = 1;
};

}  // namespace anvilcast::tets
