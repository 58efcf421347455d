// Where columns grow to.
#pragma once

#include <anvilcast/context.hpp>

#include "layers/wall.hpp"

namespace anvilcast::layers {

/// What a column has to go along, where its umbrella has sides without layers.
enum class Shoreline : unsigned char {
    none,     ///< nothing: it is free
    plane,    ///< one smooth zone
    edge,     ///< the edge between two
    blocked,  ///< there is no way
};

struct Direction {
    Vec3 step;  ///< by which a column moves for a unit of height over its walls; zero where nothing grows
    Shoreline shoreline = Shoreline::none;
    Corner shore = kNone;   ///< an unlayered corner of that zone; at an edge, the one whose ccw edge it is
    Vec3 shore_normal;      ///< of the plane, into the region
    bool is_fixed = false;  ///< by a sharp edge of the wall or of its shores
    Vec3 axis;              ///< of a fixed one: the edge along which it may lean nonetheless; zero for none
    double share = 1;       ///< of its height that the stack should have in a very narrow edge
    LayerLimit limit = LayerLimit::none;
};

class Repeats;

/// The most normal normal of each foot's faces (Aubry & Loehner 2008), scaled so that a height is kept over all of
/// them; within the zones beside the walls where there are any. Round sharp edges the directions of the feet nearby
/// lean over, so that columns do not meet over a concave edge and do not fan out over a convex one: the lean at the
/// edge fades out over some heights, as the solution of a screened Poisson equation does. `height`: of the whole stack
/// at each foot, metres; those of `repeats` are images of each other. Parallel, the same on any number of threads.
std::vector<Direction> find_directions(const Wall& wall, const std::vector<double>& height, const Repeats& repeats,
                                       double feature_angle_deg, const Context& context);

/// The unit vector with the largest smallest dot product with some unit vectors; exact for up to eight different ones.
Vec3 most_normal(std::span<const Vec3> normals);

}  // namespace anvilcast::layers
