// The sized surface mesh that the volume mesh is built on.
//
//     SurfaceMesh mesh = mesh_surface(domain, sizes, {}, context);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/sizing.hpp>

namespace anvilcast {

struct SurfaceMeshOptions {
    double feature_angle = 30;  ///< degrees between normals from which an edge is kept as an edge
    int rounds = 6;             ///< of splitting, collapsing, flipping and smoothing
    double deviation = 0.1;     ///< largest distance between a new triangle's middle and the original, in local sizes
};

struct SurfaceMesh {
    Surface surface;  ///< normals point out of the region behind
    /// For each triangle the region in front, kNone where there is none, and behind; the same one twice: a baffle.
    std::vector<std::array<Index, 2>> sides;
    std::vector<Region> regions;
    double largest_deviation = 0;  ///< of triangle and edge middles from the original, metres
    Vec3 largest_deviation_at;

    bool is_baffle(Index t) const { return sides[t][0] == sides[t][1]; }
};

/// Remeshes each smooth patch of the domain's boundary to the sizes asked for.
/// Guarantees: (1) sharp edges and zone borders stay edges, corners stay points, zones stay; (2) every point is on the
/// original surface (to rounding), points of sharp edges on the original edges; (3) no two triangles cross or touch.
/// Throws GeometryError with places when the given boundary crosses itself.
/// Sources: M. Botsch, L. Kobbelt, A remeshing approach to multiresolution modeling (2004); M. Dunyach et al.,
/// Adaptive remeshing for real-time mesh deformation (2013).
ANVILCAST_API SurfaceMesh mesh_surface(const Domain& domain, const SizeField& sizes,
                                       const SurfaceMeshOptions& options = {}, const Context& context = {});

}  // namespace anvilcast
