// Naming zones by rule, and guessing what they are to the flow.
//
//     ZoneRule lid{.name = "lid", .role = Role::wall};
//     lid.normal = {0, 0, 1};
//     lid.inside_box = box;
//     name_zones(body, {lid}, parse_length_unit("mm"));
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace anvilcast {

struct Plane {
    Vec3 point, normal;
};
/// Without ends: only the direction and the radius matter.
struct Cylinder {
    Vec3 from, to;
    double radius = 0;
};

/// Gives zones a name; all conditions that are there must hold.
struct ZoneRule {
    std::string name = {};
    std::optional<Role> role = {};                   ///< guessed from the name when left out
    std::string bc_type = {};                        ///< see BoundaryRole
    std::optional<std::string> part = {};            ///< pattern for the name of the part, * and ? as wildcards
    std::optional<std::string> matches = {};         ///< pattern for the name that the zone came with
    std::optional<Vec3> near = {};                   ///< of the zones that fit otherwise the one closest to this point
    std::optional<Vec3> normal = {};                 ///< all its triangles face this way, as the surface has them
    double normal_tolerance = 20;                    ///< degrees
    std::optional<Box> inside_box = {};              ///< it lies in the box as a whole
    std::optional<Plane> on_plane = {};              ///< all its points are within `tolerance` of the plane
    std::optional<Cylinder> on_cylinder = {};        ///< all its points are within `tolerance` of the cylinder
    double tolerance = 0;                            ///< metres; 0: a thousandth of the model's diagonal
    std::optional<std::array<double, 2>> area = {};  ///< least and most, square metres
    std::optional<std::string> touching = {};  ///< it has an edge in common with a zone of this name, as named so far
    std::string place = {};                    ///< where the rule stands, for messages: "case.toml, line 12"
};

/// Applies the rules in order: the first that fits a zone names it, and a zone that none fits keeps its name. Zones of
/// one name become one. Throws GeometryError when a rule fits no zone that is still unnamed, with the zones that come
/// nearest to it and what keeps each from fitting; lengths in `unit`. `file_of_part`: another name that parts go by, as
/// bodies do by that of their file. O(rules * zones + n log n).
ANVILCAST_API void name_zones(Surface& surface, const std::vector<ZoneRule>& rules, const LengthUnit& unit,
                              const std::map<std::string, std::string>& file_of_part = {});

/// What a name says about the role: inlet (inlet, inflow, intake, supply, feed, in), outlet (outlet, outflow, exhaust,
/// discharge, drain, out), symmetry (sym...), farfield (far, farfield, freestream), interface, baffle; else wall.
ANVILCAST_API Role guess_role(std::string_view name);

}  // namespace anvilcast
