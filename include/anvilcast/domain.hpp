// From closed parts to the volumes to be meshed: fluids and solids, with the surfaces between them.
//
//     Space space = divide_space(parts);                    // cut, and every enclosed cell found
//     for (const SpaceCell& cell : space.cells) print(cell.volume, cell.inside);
//     Domain domain = choose_regions(space, {{.name = "air", .inside = Vec3{0, 0, 0.4}},
//                                            {.name = "fin", .kind = RegionKind::solid, .solid_of = "fin"}}, mm);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/cut.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/openings.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

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

/// A cell of the complex: a candidate for a region.
struct SpaceCell {
    double volume = 0;  ///< m^3; infinite for the outside
    double area = 0;    ///< of its walls, m^2
    Box bounds;
    Vec3 inside;                         ///< a point in it, well off its walls
    std::vector<std::string> zones;      ///< that bound it
    std::vector<std::string> inside_of;  ///< parts whose material it belongs to
    bool touches_opening = false;

    /// Mean thickness of a thin one, metres.
    double thickness() const { return area > 0 ? 2 * volume / area : 0; }
    /// Thinner than a ten-thousandth of its extent: what is left between parts that almost touch.
    bool is_sliver() const { return thickness() < 1e-4 * bounds.diagonal(); }
};

/// A surface that divides what it lies in and is no wall: the skin of a shape whose inside becomes a region of its own,
/// or a sheet of faces that are looked at.
struct Divider {
    Surface surface;          ///< of one zone: a sheet's name and role
    std::string region = {};  ///< that the inside of a closed one becomes; empty: a sheet
    RegionKind kind = RegionKind::fluid;
    std::vector<std::string> within = {};  ///< patterns: the regions that the inside is taken from; empty: all fluids
    bool is_sheet() const { return region.empty(); }
};

/// Parts, closing patches, surround and dividers as one conformal complex, and what it divides space into.
struct Space {
    CutSurface complex;
    Regions regions;                 ///< dividers divide nothing here: both sides of theirs are the same
    std::vector<SpaceCell> cells;    ///< by region number; the first is the outside
    std::vector<std::string> parts;  ///< names
    std::vector<bool> part_is_closed;
    std::vector<std::string> part_of;                 ///< of each input triangle of the parts
    std::map<std::string, std::string> file_of_part;  ///< see SpaceOptions
    // Input triangles are numbered: parts, closing patches, surround, dividers.
    Index first_of_openings = 0, first_of_surround = 0, first_of_dividers = 0;
    std::shared_ptr<const Surface> uncut;  ///< before cutting
    double join = 0;                       ///< what was asked for, see SpaceOptions

    bool is_of_part(Index input) const { return input < first_of_openings; }
    bool is_of_opening(Index input) const { return input >= first_of_openings && input < first_of_surround; }
    bool is_of_surround(Index input) const { return input >= first_of_surround && input < first_of_dividers; }
    bool is_of_divider(Index input) const { return input >= first_of_dividers; }
    /// Is a triangle of the complex a piece of dividers alone?
    bool divides_only(Index t) const { return is_of_divider(complex.origins_of(t).front().triangle); }

    /// What dividers divide the cells into. Empty without any.
    struct Pieces {
        std::vector<Divider> dividers;              ///< without their surfaces
        std::vector<Index> divider_of;              ///< of each input triangle of theirs
        Regions regions;                            ///< as they divide them
        std::vector<Index> cell;                    ///< that each piece is of
        std::vector<Vec3> inside;                   ///< a point in each
        std::vector<std::vector<Index>> in_shapes;  ///< dividers that each is inside of, in order
    } pieces;
};

struct SpaceOptions {
    double join = 0;                        ///< see CutOptions
    std::vector<std::string> part_of = {};  ///< of each triangle; left out: the part of its zone
    /// Several parts may go by one name besides: bodies by that of their file.
    std::map<std::string, std::string> file_of_part = {};
    const Surface* surround = nullptr;
    std::vector<Divider> dividers = {};
};

/// Cuts everything into one complex and finds its cells. Pieces of closing patches that lie in the material of a part
/// (the inside of a shaft that goes through an opening) are taken out. Throws InputError for a shape that is not
/// closed.
ANVILCAST_API Space divide_space(const Surface& parts, const std::vector<Opening>& openings = {},
                                 const SpaceOptions& options = {}, const Context& context = {});

/// Which cell is to be a region: the one with the point `inside`, those in the material of a part, or the one round the
/// bodies in a surround.
struct RegionRequest {
    std::string name = "fluid";
    RegionKind kind = RegionKind::fluid;
    std::optional<Vec3> inside = {};
    std::string solid_of = {};  ///< a part
    bool is_around = false;     ///< the cell behind the surround's faces, outside of all bodies
    std::string at_zone = {};   ///< a pattern: the cell that faces of those zones look into
    bool is_behind = false;     ///< or the one behind these faces, as behind an opening
    bool is_largest = false;    ///< the largest of the cells that are in the material of the fewest bodies
};

struct DomainRegion {
    std::string name;
    RegionKind kind = RegionKind::fluid;
    double volume = 0;
    Vec3 inside;  ///< a point in it
};

/// The surfaces that bound the chosen regions. Normals point out of the region behind; where two regions meet, that is
/// the one with the lower number, and the zone's role is interface.
struct Domain {
    Surface boundary;
    /// For each triangle the region in front, kNone where there is none, and behind. The same one twice: a baffle.
    std::vector<std::array<Index, 2>> sides;
    std::vector<DomainRegion> regions;
    double volume = 0;                   ///< of all regions
    std::vector<PeriodicPair> periodic;  ///< see <anvilcast/periodic.hpp>

    /// Parts, closing patches and surround as they were before cutting, and the triangle of theirs that each triangle
    /// of the boundary is a piece of: their shape is smooth where cutting made slivers. Empty when there was no
    /// cutting.
    std::shared_ptr<const Surface> uncut;
    std::vector<Index> uncut_of;

    struct Leftover {
        std::string zone, region;
        double area = 0;
        Vec3 at;
    };
    std::vector<Leftover> leftovers;  ///< surface within a region that bounds nothing, and whose role is not baffle
    std::vector<SpaceCell> left_out;  ///< cells that no region asked for

    /// Two shapes that are both asked to be a region of their own: the first has it.
    struct Overlap {
        std::string first, second;  ///< regions
        double volume = 0;
        Vec3 at;
    };
    std::vector<Overlap> overlaps;
    /// A shape's skin that nearly touches a wall.
    struct Film {
        std::string region, zone;
        double width = 0;  ///< where it is narrowest
        Vec3 at;
    };
    std::vector<Film> films;

    bool is_baffle(Index t) const { return sides[t][0] == sides[t][1]; }
};

struct ChooseOptions {
    bool drop_leftovers = false;  ///< take them away; otherwise they stay as walls with two sides
};

/// Throws LeakError when a cell that was asked for reaches the outside; GeometryError that says what is wrong when a
/// point is on a surface, in the material of a body (a fluid that touches none of the openings though there are some),
/// or in a cell that is taken already, when a shape misses the regions that it is taken from, or leaves nothing of one;
/// InputError for a part that is not there or not closed. The regions of shapes come after those that were requested.
/// Walls that a shape's skin crosses stay one zone; the interface at it is "a-to-b" and, from the other side, "b-to-a".
ANVILCAST_API Domain choose_regions(const Space& space, const std::vector<RegionRequest>& requests,
                                    const LengthUnit& unit, const ChooseOptions& options = {});

/// The region of the domain that a point is in; nothing outside of all of them, or when the point is on the boundary.
/// `tree`: of the boundary's triangles.
ANVILCAST_API std::optional<Index> region_at(const Domain& domain, const TriangleTree& tree, const Vec3& point);

/// divide_space and choose_regions for one fluid.
ANVILCAST_API Domain extract_region(const Surface& body, const std::vector<Opening>& closed_openings,
                                    const Vec3& inside, const LengthUnit& unit);

}  // namespace anvilcast
