// Triangle surfaces: what they are.
//
// How sound a surface is: <anvilcast/health.hpp>. What can be done about it: <anvilcast/mend.hpp>. Putting surfaces
// together: <anvilcast/weld.hpp>. Naming their zones: <anvilcast/naming.hpp>.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/vectors.hpp>
#include <anvilcast/zones.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// An edge by its ends, lower number first.
using Edge = std::array<Index, 2>;

/// Triangles over shared points. Normals follow the right-hand rule. zone_of has an entry for each triangle.
struct Surface {
    std::vector<Vec3> points;
    std::vector<Triangle> triangles;
    std::vector<Index> zone_of;
    std::vector<Zone> zones;
    /// Edges to keep though they be neither sharp nor a border of zones: those of CAD faces. Sorted.
    std::vector<Edge> feature_edges = {};

    const Vec3& corner(Index triangle, int k) const { return points[triangles[triangle][static_cast<std::size_t>(k)]]; }
    Box bounds() const;
};

/// The edges of a set of triangles, each with the triangles that use it.
class ANVILCAST_API SurfaceEdges {
  public:
    /// One triangle's use of an edge: from corner `side` to the next one.
    struct Use {
        Index triangle;
        Index side;
        bool forward;  ///< the triangle runs along the edge from its lower to its higher point number
    };
    /// O(n log d), d the number of triangles around a point.
    explicit SurfaceEdges(const std::vector<Triangle>& triangles, std::size_t n_points);

    std::size_t size() const { return ends_.size(); }
    const std::array<Index, 2>& ends(std::size_t edge) const { return ends_[edge]; }  ///< lower number first
    const Use* begin(std::size_t edge) const { return uses_.data() + first_[edge]; }
    const Use* end(std::size_t edge) const { return uses_.data() + first_[edge + 1]; }
    std::size_t n_uses(std::size_t edge) const { return first_[edge + 1] - first_[edge]; }
    /// The edge on side k of a triangle.
    Index edge_of(Index triangle, Index side) const { return of_side_[3 * std::size_t{triangle} + side]; }

  private:
    std::vector<std::array<Index, 2>> ends_;
    std::vector<Index> first_;
    std::vector<Use> uses_;
    std::vector<Index> of_side_;
};

}  // namespace anvilcast
