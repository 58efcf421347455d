// Surfaces put together and taken apart: points that are equal made one, zones divided at sharp edges.
//
//     Surface body = read_surface("body.stl", {.unit = parse_length_unit("mm")}).surface;
//     weld(body, 1e-6);
//     Surface split = split_at_sharp_edges(body, 40);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <vector>

namespace anvilcast {

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
