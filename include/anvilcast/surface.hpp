// Triangle surfaces: what they are, how sound they are, and their division into zones.
//
//     Surface body = read_stl("body.stl", parse_length_unit("mm"));   // <anvilcast/stl.hpp>
//     SurfaceHealth health = examine(body);
//     if (!health.is_closed) for (const Rim& rim : health.rims) ...
//     Surface split = split_at_sharp_edges(body, 40);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/geometry.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// What a zone is to the flow.
enum class Role { wall, inlet, outlet, symmetry, farfield, interface_, baffle };

ANVILCAST_API const char* role_name(Role role);
/// The role of that name. Throws InputError that lists the names otherwise.
ANVILCAST_API Role parse_role(const std::string& name);

struct Zone {
    std::string name;
    Role role = Role::wall;
};

/// Triangles over shared points. Normals follow the right-hand rule. zone_of has an entry for each triangle.
struct Surface {
    std::vector<Vec3> points;
    std::vector<Triangle> triangles;
    std::vector<Index> zone_of;
    std::vector<Zone> zones;

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

/// A closed loop of free edges (edges with a triangle on one side only), in order.
struct Rim {
    std::vector<Index> points;
    double length = 0;
    Vec3 center;  ///< mean of the loop, weighted by length
};

struct ZoneMeasure {
    std::string name;
    Role role = Role::wall;
    std::size_t triangles = 0;
    double area = 0;
};

/// What examine() finds. Places are given for the first kMaxPlaces defects of each kind.
struct SurfaceHealth {
    static constexpr std::size_t kMaxPlaces = 20;
    struct Defects {
        std::size_t count = 0;
        std::vector<Vec3> places;
    };
    Box bounds;
    std::size_t n_points = 0;
    std::size_t n_triangles = 0;
    std::size_t n_shells = 0;  ///< pieces that hang together over edges
    double area = 0;
    double enclosed_volume = 0;  ///< signed; meaningful when closed and consistently oriented
    std::vector<ZoneMeasure> zones;
    std::vector<Rim> rims;
    Defects free_edges;
    Defects non_manifold_edges;    ///< edges with three or more triangles
    Defects inconsistent_edges;    ///< two triangles that disagree on which side is out
    Defects duplicate_triangles;   ///< the same three points, whatever the order
    Defects degenerate_triangles;  ///< without area: corners equal or exactly in line
    bool is_closed = false;        ///< no free edge
    bool is_sound = false;         ///< closed, and none of the defects above

    std::size_t n_defects() const;
};

/// O(n log n). Works on any triangles, whatever their state.
ANVILCAST_API SurfaceHealth examine(const Surface& surface);

struct WeldResult {
    std::size_t points_merged = 0;
    std::size_t triangles_dropped = 0;  ///< those that lost two corners to one point
    double largest_move = 0;            ///< metres
};

/// Makes points that are equal (tolerance 0) or within `tolerance` metres of each other one point. A cluster
/// keeps its lowest-numbered point's place. Triangles that collapse are dropped. O(n) expected.
ANVILCAST_API WeldResult weld(Surface& surface, double tolerance = 0);

/// Divides each zone into the pieces that hang together over edges less sharp than `degrees` (angle between
/// the normals). A zone that stays whole keeps its name; pieces are called NAME-1, NAME-2, ... from the
/// largest area to the smallest.
ANVILCAST_API Surface split_at_sharp_edges(const Surface& surface, double degrees);

}  // namespace anvilcast
