// A plane mesh swept into a volume: triangles become prisms, quadrangles hexahedra.
//
//     VolumeMesh duct = sweep(mesh, straight_path({0, 0, 1.2}), {.steps = 100, .bias = 5});
//     VolumeMesh bend = sweep(mesh, round_path({-0.3, 0}, {-0.3, 1}, 90), {.steps = 45});
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/planar.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <functional>
#include <string>
#include <variant>
#include <vector>

namespace anvilcast {

/// Along a vector, metres; its part along z must be above 0.
struct StraightPath {
    Vec3 way;
};
/// Round the line through two points of the plane, by an angle in degrees up to 360, as a screw turns along the line.
struct RoundPath {
    Vec2 axis_from, axis_to;
    double angle_deg = 90;
};
/// Along points in space, from the first one on; the section stands there as it lies in its plane, its own origin at
/// the first point, upright to the way: it turns with the way and no more. Smooth through the points, or straight
/// between them with mitred corners.
struct PointsPath {
    std::vector<Vec3> points;
    bool is_smooth = true;
};
using SweepPath = std::variant<StraightPath, RoundPath, PointsPath>;

struct SweepOptions {
    int steps = 1;
    double bias = 1;  ///< the longest step over the shortest
    FinerAt finer_at = FinerAt::start;
    double twist_deg = 0;     ///< the section is turned by so much from one end to the other, about the path
    double scale_at_end = 1;  ///< and made so many times as large
    Zone first_end = {"start"}, last_end = {"end"};
    bool ends_repeat = false;  ///< what flows out of the one flows into the other
};

/// How many cells a sweep makes; exact.
ANVILCAST_API double swept_cells(const PlanarMesh& section, const SweepPath& path, int steps);

/// The pairs of sides that repeat in the mesh that is swept: those of the section, as they lie in space, and the two
/// ends where these repeat. Throws InputError for those that are no images of each other all along the path. O(n).
ANVILCAST_API std::vector<PeriodicPair> swept_pairs(const PlanarMesh& section, const SweepPath& path,
                                                    const SweepOptions& options);

/// Zones are walls over the edges of the plane mesh's zones, and the two ends; there are none where the way round is
/// closed. Zones that repeat in the plane do so in space. Cells at the axis become prisms, or tetrahedra and pyramids
/// where they only touch it. Throws InputError for a path of no length, an axis that cuts the section, steps below 1,
/// sides that do not repeat when they are swept; GeometryError, with the place, where the path turns more sharply than
/// the section is wide, so that cells would be turned over. O(n).
ANVILCAST_API VolumeMesh sweep(const PlanarMesh& section, const SweepPath& path, const SweepOptions& options,
                               const Context& context = {});

/// A straight duct before a zone of the boundary, of the zone's own faces: triangles become prisms, quadrangles
/// hexahedra, polygons polyhedra (as all do in a mesh of polyhedra), so layers that end on the zone are carried on.
/// Each connected piece is drawn out along its mean normal, to an end that is flat and `length` away from its farthest
/// point; `steps_of(place, length)` tells in how many steps, from the middle of a piece. The ends are the zone's faces
/// then, and the ducts' walls a new zone, the last one. Throws GeometryError, with the place, for a face that looks
/// away from where its piece is drawn to. O(n log n) for n faces of the zone, and the size of the mesh.
ANVILCAST_API VolumeMesh add_duct(const VolumeMesh& mesh, Index zone, double length,
                                  const std::function<int(const Vec3&, double)>& steps_of, const std::string& walls);

}  // namespace anvilcast
