// From closed bodies to the volume that the flow fills.
//
//     Surface body = split_at_sharp_edges(read_stl("body.stl", mm), 40);
//     std::vector<Opening> openings = find_openings(body);
//     openings[0].zone = {"gas-in", Role::inlet};  // and so on
//     Domain domain = extract_region(body, openings, {0, 0, 0.4}, mm);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/units.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// A rim through which the inside of a body is reached, and the flat patch that would close it.
struct Opening {
    std::vector<Index> rim;       ///< points of the surface, in order; the patch is on their left
    std::vector<Triangle> patch;  ///< closes the rim; normals point out of the body
    Vec3 center;                  ///< area centroid of the patch
    Vec3 facing;                  ///< unit normal, pointing out
    double area = 0;
    double perimeter = 0;
    Zone zone;                 ///< of the patch; empty until named
    bool is_free_rim = false;  ///< rim of a skin without thickness, not of an end face

    double hydraulic_diameter() const { return perimeter > 0 ? 4 * area / perimeter : 0; }
};

/// The rims whose closing separates an inside from the outside: inner rims of flat end faces of thick-walled
/// bodies, and nearly flat free rims of skins. A rim inside the body (the lower end of a pipe that reaches in)
/// is not one, nor is one whose patch would cut through the body. Sorted by area, largest first.
/// `flatness`: largest distance of a
/// rim's points from its plane, relative to the rim's size.
ANVILCAST_API std::vector<Opening> find_openings(const Surface& surface, double flatness = 0.01);

/// The centre of an opening in the given unit, rounded to what is far below its size: for people to read and paste.
ANVILCAST_API Vec3 rounded_place(const Opening& opening, const LengthUnit& unit);

/// The opening that `near` (metres) points at: the one whose patch is closest, if it is clearly closer than the
/// second and no farther than two of its own diameters. Throws GeometryError that lists the candidates otherwise.
ANVILCAST_API std::size_t pick_opening(const std::vector<Opening>& openings, const Vec3& near, const LengthUnit& unit);

/// The surface with the patches added as zones of their own.
ANVILCAST_API Surface close_openings(const Surface& surface, const std::vector<Opening>& openings);

/// The closed triangulation of a simple polygon, given by its corners in order; O(n^2). Orientation of the triangles
/// is that of the polygon. Throws GeometryError when the polygon crosses itself.
ANVILCAST_API std::vector<Triangle> triangulate_polygon(const std::vector<Vec2>& corners);

/// The regions that a set of triangles divides space into. Triangles need not form manifolds; they must not
/// cross each other.
struct Regions {
    static constexpr Index kOutside = 0;
    /// For each triangle the region in front (where the normal points) and behind.
    std::vector<std::array<Index, 2>> sides;
    std::vector<double> volumes;  ///< of each region; that of kOutside is meaningless
};

/// Sides of triangles are joined round every edge in angular order, decided exactly, then shells are nested by
/// lines through them. O(n log n).
ANVILCAST_API Regions find_regions(const Surface& surface);

/// The region that a point is in; nothing when the point is on a triangle.
ANVILCAST_API std::optional<Index> region_at(const Surface& surface, const TriangleTree& tree, const Regions& regions,
                                             const Vec3& point);

/// The boundary of one region, triangles turned so that their normals point out of it. A triangle with the region
/// on both sides (baffle) is there once, with is_baffle set.
struct Domain {
    Surface boundary;
    std::vector<bool> is_baffle;
    double volume = 0;
    Vec3 inside;  ///< a point in it
};

/// Picks the region that holds `inside`. Throws GeometryError that says what is wrong when the point is on a surface,
/// outside of everything, in a region that reaches the outside (naming the rims that it leaks through), or in the
/// material of a body (a region that touches none of `openings` though there are some).
/// `body` is the surface without patches, in which leaks are looked for.
ANVILCAST_API Domain extract_region(const Surface& body, const std::vector<Opening>& closed_openings,
                                    const Vec3& inside, const LengthUnit& unit);

}  // namespace anvilcast
