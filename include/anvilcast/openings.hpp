// Openings: the rims through which the inside of a body is reached, and the patches that close them.
//
//     std::vector<Opening> openings = find_openings(body);
//     openings[0].zone = {"gas-in", Role::inlet};
//     openings[0] = moved(body, openings[0], 0.2);     // a straight duct of 200 mm before it
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// A rim through which the inside of a body is reached, and the patch that would close it.
struct Opening {
    std::vector<Vec3> rim;  ///< in order; the patch is on its left
    /// Closes the rim; normals point out of the body. Zone 0 is the opening; a duct before it is zone 1.
    Surface patch;
    Vec3 center;  ///< area centroid of what lies free of the patch
    Vec3 clear;   ///< a place in the free area
    Vec3 facing;  ///< unit normal, pointing out
    double area = 0;
    double perimeter = 0;      ///< of the free area, inner rims included
    Zone zone;                 ///< of the patch; empty until named
    bool is_free_rim = false;  ///< rim of a skin without thickness, not of a wall
    bool is_flat = true;
    bool is_ring = false;                ///< something passes through it: the free area has a hole
    double seam = 0;                     ///< the widest gap between bodies that its rim runs across, metres
    std::vector<std::string> rim_zones;  ///< of the body, at the rim

    double hydraulic_diameter() const { return perimeter > 0 ? 4 * area / perimeter : 0; }
};

struct OpeningOptions {
    double flatness = 0.01;  ///< a rim's largest distance from its plane that counts as flat, of the rim's size
    double join = 0;         ///< bodies this close, metres, are joined: rims run across their seams; see CutOptions
    std::vector<std::string> part_of = {};  ///< see CutOptions
};

/// The rims whose closing separates an inside from the outside: rims of bores through walls, whatever zones they run
/// along, and free rims of skins. Flat rims get flat patches, others smooth ones. What passes through an opening, such
/// as a shaft, is left out of its area. A rim inside the body (the lower end of a pipe that reaches in) is not an
/// opening. Sorted by area, largest first.
ANVILCAST_API std::vector<Opening> find_openings(const Surface& surface, const OpeningOptions& options = {});

/// The centre of an opening in the given unit, rounded to what is far below its size: for people to read and paste.
ANVILCAST_API Vec3 rounded_place(const Opening& opening, const LengthUnit& unit);

/// The opening that `near` (metres) points at: the one whose patch is closest, if it is clearly closer than the
/// second and no farther than two of its own diameters. Throws GeometryError that lists the candidates otherwise.
ANVILCAST_API std::size_t pick_opening(const std::vector<Opening>& openings, const Vec3& near, const LengthUnit& unit);

/// The opening with its patch moved outwards by `distance` (metres), with a straight duct of the rim's section between
/// as the patch's zone 1; or, when the distance is negative, closed that far inside the bore. Throws GeometryError when
/// there is no bore at that depth.
ANVILCAST_API Opening moved(const Surface& surface, const Opening& opening, double distance);

/// The surface with the patches added as zones of their own. Points that are equal become one.
ANVILCAST_API Surface close_openings(const Surface& surface, const std::vector<Opening>& openings);

}  // namespace anvilcast
