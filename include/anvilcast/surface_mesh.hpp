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
    double deviation = 0.1;     ///< how far the mesh may be from the original, in local sizes
    double tolerance = 0;       ///< the same in metres, whichever is less; 0: none
    bool curved = false;        ///< put points where the surface would be, were it as smooth as its normals
    std::vector<EdgeDivision> divisions = {};  ///< feature edges divided by number: Sizing::divisions
};

/// What makes a surface mesh bad that is closed and crosses nothing.
enum class SurfaceFlawKind : std::uint8_t {
    needle,    ///< a triangle with an angle below half a degree; value: that angle, degrees
    fold,      ///< neighbours on one smooth patch that face away from each other; value: the turn, degrees
    lost_area  ///< a zone more than a tenth smaller or larger than it was; value: the share that it has now
};
struct SurfaceFlaw {
    SurfaceFlawKind kind;
    Vec3 place;
    double value;
    Index zone;
};

struct SurfaceMesh {
    Surface surface;  ///< normals point out of the region behind
    /// For each triangle the region in front, kNone where there is none, and behind; the same one twice: a baffle.
    std::vector<std::array<Index, 2>> sides;
    std::vector<Region> regions;
    std::vector<PeriodicPair> periodic;  ///< the second zone's triangles are images of the first one's, turned over
    double largest_deviation = 0;        ///< of the mesh from the original and of the original from the mesh, metres
    Vec3 largest_deviation_at;
    std::vector<Vec3> too_far;       ///< places where the deviation asked for could not be reached
    std::vector<SurfaceFlaw> flaws;  ///< left over, worst first of each kind

    bool is_baffle(Index t) const { return sides[t][0] == sides[t][1]; }
};

/// Divides the feature curves by size, then remeshes the smooth patches between them.
/// Guarantees: (1) feature edges and zone borders stay edges, corners stay points, zones stay; (2) every point is on
/// the original surface (to rounding, and unless `curved`), points of feature edges on the original edges, so that flat
/// patches parallel to two axes stay flat to the last bit; (3) no two triangles cross or touch; (4) the same mesh on
/// any number of threads. Where the deviation is larger than allowed, or the mesh would cross itself, or has flaws that
/// the feature curves do not force on it, sizes are made smaller; where it still would, the given triangles are divided
/// instead. Throws GeometryError with places when the
/// given boundary crosses itself. Parallel, O(n log n). Sources: M. Botsch, L. Kobbelt, A remeshing approach to
/// multiresolution modeling (2004); M. Dunyach et al., Adaptive remeshing for real-time mesh deformation (2013).
ANVILCAST_API SurfaceMesh mesh_surface(const Domain& domain, const SizeField& sizes,
                                       const SurfaceMeshOptions& options = {}, const Context& context = {});

}  // namespace anvilcast
