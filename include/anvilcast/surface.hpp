// Triangle surfaces: what they are, and their division into zones.
//
//     Surface body = read_surface("body.stl", {.unit = parse_length_unit("mm")}).surface;  //
//     <anvilcast/surface_files.hpp> weld(body, 1e-6); Surface split = split_at_sharp_edges(body, 40);
//
// How sound a surface is: <anvilcast/health.hpp>. What can be done about it: <anvilcast/mend.hpp>. Naming its zones:
// <anvilcast/naming.hpp>.
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
    std::string part = {};       ///< the body or file it came with
    bool role_is_guess = false;  ///< the role was taken from the name, nobody set it
    /// Of an interface: its name as seen from the region in front of it; `name` is what the one behind calls it.
    std::string other_name = {};
    /// Made by a wrap: between two such zones, or within one, only Surface::feature_edges and borders are kept as
    /// edges, for what is sharp beside them is the wrap's own roughness.
    bool is_wrapped = false;
    /// Made by a surround: the outer end of the flow, where no shape has to be followed.
    bool is_of_surround = false;
    /// Closes an opening: its rim is given, how it bulges between is not.
    bool is_patch = false;
};

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

/// A closed loop of free edges (edges with a triangle on one side only), in order.
struct Rim {
    std::vector<Index> points;
    double length = 0;
    Vec3 center;  ///< mean of the loop, weighted by length
};

/// All rims, each running against its triangles, as a patch that closes it would. O(n log n).
ANVILCAST_API std::vector<Rim> find_rims(const Surface& surface);

/// Several surfaces as one: points, zones and all, in order. Points of different surfaces stay apart: weld() joins
/// them.
ANVILCAST_API Surface joined(const std::vector<Surface>& surfaces);

/// Drops the points that no triangle uses; the others keep their order.
ANVILCAST_API void drop_unused_points(Surface& surface);

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
/// The same with an angle for each zone; 0 leaves a zone whole.
ANVILCAST_API Surface split_at_sharp_edges(const Surface& surface, const std::vector<double>& degrees_of_zone);

}  // namespace anvilcast
