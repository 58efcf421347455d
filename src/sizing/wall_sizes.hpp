// The sizes that the shape of the walls asks for.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <vector>

#include "shape/features.hpp"

namespace anvilcast::sizing {

using shape::FeatureCurve;
using shape::Features;

/// The larger principal curvature of the smooth surface over each triangle, 1/m; 0 where it is flat.
/// Source: S. Rusinkiewicz, Estimating curvatures and their derivatives on triangle meshes (2004).
std::vector<double> curvature_of_triangles(const Surface& s, const Features& features);

/// The same for each triangle of a domain's boundary, taken from the parts as they were before cutting: the normals of
/// the slivers that cutting makes tell nothing. `features`: of the domain.
std::vector<double> curvature_of_walls(const Domain& domain, const Features& features, double feature_angle);

/// The curvature of a feature curve at each of its segments, 1/m: the turn at the more curved end over the mean length
/// of the segments there. Corners do not count.
std::vector<double> curvature_of_segments(const Surface& s, const FeatureCurve& curve);

struct GapOptions {
    double across;   ///< cells
    double floor;    ///< metres
    double surface;  ///< gaps that would ask for more do not count, metres
};
/// A piece of wall, or of a feature edge, with the size that the distance to the wall opposite asks for.
struct GapPiece {
    std::array<Vec3, 3> corners;
    double size;
};
/// Distances are measured within the regions: along the normals of the faces, and from feature edges along the middle
/// of the angle that a region has there and 45 degrees to either side. Walls are looked at in pieces not much larger
/// than the gap. Parallel; O(A log n), A the area over the square of sizes.
std::vector<GapPiece> find_gaps(const Domain& domain, const TriangleTree& tree, const Features& features,
                                const GapOptions& options, const Context& context);

}  // namespace anvilcast::sizing
