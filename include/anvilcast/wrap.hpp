// A sound surface round geometry that is not: wrapped from the fluid's side, so that everything narrower than a gap is
// closed and nothing wider is.
//
//     WrapResult wrapped = wrap(body, {.gap = 3e-3, .inside = {{0, 0, 0.4}}});   // the volume round a point
//     WrapResult bodies = wrap(body, {.gap = 3e-3});                             // seen from outside
//     for (const WrapFinding& f : wrapped.bridged) report(f.place, f.area);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// A length that depends on the place, in metres.
using LengthAt = std::function<double(const Vec3&)>;

struct WrapOptions {
    double gap = 0;  ///< metres: a ball of this diameter goes where the fluid goes
    /// A finer gap in places, in metres; left out, larger than `gap`, or no number: `gap`. Should change by no more
    /// than a third of the distance.
    LengthAt gap_at = {};
    double detail = 0;          ///< sharp edges and borders of zones shorter than this are wrapped over; 0: two gaps
    double feature_angle = 40;  ///< degrees between normals from which an edge is sharp
    /// A point in each of the volumes to be wrapped from within; none: everything is wrapped from outside.
    std::vector<Vec3> inside = {};
    std::vector<std::string> names = {};  ///< of the volumes, for messages
};

/// What a wrap closed or left out.
struct WrapFinding {
    std::string zone;  ///< of the original; of a bridge the one beside most of it
    Vec3 place;        ///< on its largest piece
    double area = 0;   ///< m^2; of a bridge what is off the original
    double share = 0;  ///< of the zone's area; 0 for bridges
    double width = 0;  ///< of a bridge: twice the largest distance from the original
};

/// How far one surface is from another one, in metres.
struct DistanceSummary {
    double mean = 0, percentile_99 = 0, largest = 0;
    Vec3 largest_at;
};

struct WrapResult {
    /// Closed, two-manifold and free of self-intersections; normals point out of what it encloses. The zones are those
    /// of the original, by number, and "bridged" after them where something was closed. Edges to keep are listed.
    Surface surface;
    double gap = 0;                          ///< that was asked for
    std::size_t n_triangles = 0;             ///< of the surface
    DistanceSummary to_original;             ///< from the wrap where it is not bridged
    DistanceSummary from_original;           ///< from the original as far as the fluid reaches it
    std::vector<WrapFinding> bridged;        ///< gaps closed over, the largest first
    std::vector<WrapFinding> lost;           ///< of each zone what is farther than a quarter of the gap
    double edges_asked = 0, edges_kept = 0;  ///< metres of sharp edges and borders within reach of the fluid
    std::size_t points_held_off = 0;         ///< that stayed off the original, lest the surface touch itself
    std::size_t peak_bytes = 0;              ///< of the triangulation
};

/// A gap to begin with: a hundredth of the geometry's diagonal, or a larger one that was found to hold the volumes
/// round the points `inside`; nothing when none up to a tenth does. Takes seconds: all is wrapped up to four times.
ANVILCAST_API std::optional<double> suggest_gap(const Surface& original, const std::vector<Vec3>& inside,
                                                const LengthUnit& unit, const Context& context = {});

/// Guarantees: as of WrapResult::surface, checked exactly. Deterministic. Throws InputError for a gap that is not
/// positive, or as large as the geometry; GeometryError when a point is within half a gap of the geometry;
/// LeakError, with the path and the smallest gap that would hold, when a volume reaches the outside.
/// O(n log n), n the area over the gap squared. Source: C. Portaneri et al., Alpha wrapping with an offset (2022), with
/// the ball's clearance instead of the circumradius alone to decide what is passable.
ANVILCAST_API WrapResult wrap(const Surface& original, const WrapOptions& options, const LengthUnit& unit,
                              const Context& context = {});

}  // namespace anvilcast
