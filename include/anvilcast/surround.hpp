// The outer boundary made for flow around bodies: tunnel, far field, half model.
//
//     SurroundOptions options;
//     options.ahead = {5, true};  options.behind = {15, true};      // body lengths along the flow
//     options.ground = true;
//     Surround surround = make_surround(body, options, mm);
//     Space space = divide_space(body, {}, {.surround = &surround.surface});
//     Domain domain = choose_regions(space, {{.name = "air", .is_around = true}}, mm);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

enum class SurroundShape { box, cylinder, sphere, half_sphere, bullet };
/// The shape of that name ("half-sphere"). Throws InputError that lists the names otherwise.
ANVILCAST_API SurroundShape parse_surround_shape(const std::string& name);

/// A distance outwards from the body's extent.
struct Reach {
    double value = 0;
    bool in_body_lengths = true;  ///< lengths of the body along the flow; otherwise metres
};

/// Where a half model is cut, and which side is kept.
struct SymmetryPlane {
    Vec3 kept;      ///< unit vector along an axis, normal to the plane, pointing to the side that is kept
    double at = 0;  ///< the plane's coordinate on that axis, metres
};

struct SurroundOptions {
    SurroundShape shape = SurroundShape::box;
    Vec3 flow{1, 0, 0};
    Vec3 up{0, 0, 1};
    Reach ahead{5, true};  ///< of a sphere: all round
    Reach behind{15, true};
    Reach aside{5, true};  ///< of the round shapes: across the flow, all round
    Reach above{5, true};
    std::optional<Reach> below = {};  ///< left out: as above. Not with a ground
    std::optional<Box> corners = {};  ///< of a box along the axes, instead of distances
    std::optional<Vec3> center = {};  ///< of a sphere, with radius
    std::optional<double> radius = {};
    bool ground = false;                   ///< a wall below, at the body's lowest point or at ground_at
    std::optional<double> ground_at = {};  ///< height along `up`, metres
    std::optional<SymmetryPlane> symmetry = {};
    bool sides_apart = false;  ///< of a box: zones left and right, as the flow sees them, in the place of sides
};

struct Surround {
    /// Closed, normals pointing out; zones inflow, outflow, sides (or left and right), top, bottom or ground, and
    /// symmetry, as far as the shape has them. A sphere has inflow and outflow: its halves.
    Surface surface;
    double body_length = 0;             ///< along the flow
    double frontal_area = 0;            ///< of what is within the surround, seen along the flow; within about 1 %
    double section_area = 0;            ///< of the surround
    std::vector<std::string> warnings;  ///< where it is small by the trade's rules, or the body pokes through

    double blockage() const { return section_area > 0 ? frontal_area / section_area : 0; }
};

/// Throws InputError for distances that are negative, directions that do not fit together, or a shape that needs what
/// is not given. Round shapes have 128 segments round.
ANVILCAST_API Surround make_surround(const Surface& bodies, const SurroundOptions& options, const LengthUnit& unit);

}  // namespace anvilcast
