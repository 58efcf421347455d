// Cubes first; their hull becomes one more piece of the boundary, with nothing behind it, and what is between it and
// the surface is filled as ever. Then the hull is taken away again, and the cubes are put into the hole: at once, or
// when polyhedra are made of it all.

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "cubes/cubes.hpp"
#include "fill/fill_core.hpp"
#include "fill/hull.hpp"

namespace anvilcast::fill {
namespace {

/// Each attempt leaves out the cubes that the one before had trouble with.
constexpr int kMostAttempts = 6;

/// Points would be needed on the hull, which must stay as it is.
struct HullDivided {
    std::vector<Vec3> places;
};

/// The boundary without its last zone, told of by the given surface's triangles and points.
void take_hull_away(FilledCore& filled, const WithHull& hull, std::size_t n_given) {
    CellsAndBoundary& c = filled.cells;
    const auto zone = static_cast<Index>(c.zones.size() - 1);
    c.zones.pop_back();
    CellsAndBoundary rest;
    std::vector<Index> parent;
    for (std::size_t f = 0; f < c.boundary_zone.size(); ++f) {
        if (c.boundary_zone[f] == zone) continue;
        rest.boundary_points.insert(rest.boundary_points.end(),
                                    c.boundary_points.begin() + static_cast<std::ptrdiff_t>(c.boundary_offsets[f]),
                                    c.boundary_points.begin() + static_cast<std::ptrdiff_t>(c.boundary_offsets[f + 1]));
        rest.boundary_offsets.push_back(rest.boundary_points.size());
        rest.boundary_zone.push_back(c.boundary_zone[f]);
        parent.push_back(hull.triangle_in_given[filled.parent[f]]);
    }
    c.boundary_points = std::move(rest.boundary_points);
    c.boundary_offsets = std::move(rest.boundary_offsets);
    c.boundary_zone = std::move(rest.boundary_zone);
    filled.parent = std::move(parent);
    std::vector<Index> number_of(n_given, kNone);
    for (std::size_t p = 0; p < hull.point_in_given.size(); ++p)
        if (hull.point_in_given[p] != kNone) number_of[hull.point_in_given[p]] = filled.number_of[p];
    filled.number_of = std::move(number_of);
}

/// Of each wall of the core a triangle of the patch that it is on.
std::vector<Index> samples_of_walls(const cubes::CubeCore& core) {
    std::vector<Index> of_patch, out;
    for (Index t = 0; t < core.patch_of.size(); ++t) {
        if (core.patch_of[t] == kNone) continue;
        if (core.patch_of[t] >= of_patch.size()) of_patch.resize(core.patch_of[t] + 1, kNone);
        of_patch[core.patch_of[t]] = t;
    }
    for (const Index patch : core.wall_patch) out.push_back(of_patch[patch]);
    return out;
}

/// `number_of`: of each point of the surface with the hull.
void put_in(const cubes::CubeCore& core, const WithHull& hull, const std::vector<Index>& number_of,
            const SurfaceMesh& given, FilledCore& filled) {
    CellsAndBoundary& cells = filled.cells;
    std::vector<Index> number(core.points.size(), kNone);
    for (Index p = 0; p < number.size(); ++p) {
        if (hull.point_of[p] != kNone) number[p] = number_of[hull.point_of[p]];
        if (number[p] != kNone) continue;
        number[p] = static_cast<Index>(cells.points.size());
        cells.points.push_back(core.points[p]);
    }
    for (std::size_t c = 0; c < core.types.size(); ++c) {
        for (std::size_t k = core.offsets[c]; k < core.offsets[c + 1]; ++k)
            cells.cell_points.push_back(number[core.corners[k]]);
        cells.cell_types.push_back(core.types[c]);
        cells.cell_offsets.push_back(cells.cell_points.size());
        cells.cell_region.push_back(core.region[c]);
    }
    const std::vector<Index> samples = samples_of_walls(core);
    for (std::size_t k = 0; k < core.walls.size(); ++k) {
        for (const Index p : core.walls[k])
            if (p != kNone) cells.boundary_points.push_back(number[p]);
        cells.boundary_offsets.push_back(cells.boundary_points.size());
        cells.boundary_zone.push_back(given.surface.zone_of[samples[k]]);
        filled.parent.push_back(samples[k]);
    }
}

std::vector<Triangle> hull_in_cells(const cubes::CubeCore& core, const WithHull& hull,
                                    const std::vector<Index>& number_of) {
    std::vector<Triangle> out;
    for (Triangle t : core.hull) {
        for (Index& p : t) p = number_of[hull.point_of[p]];
        out.push_back(t);
    }
    return out;
}

/// With another boundary the fill may well succeed; if not, it says what is in its way.
void tell_of_obstacle(const Vec3& place, const Context& context) {
    context.warn(fmt::format(
        "the core is filled without cubes: with them the boundary could not be brought back near [{:.6g}, {:.6g}, "
        "{:.6g}] m",
        place.x, place.y, place.z));
}

/// A diagonal of a square may not be among the Delaunay tetrahedra, while the other one is; where neither helps the
/// cubes are left out.
void take_notice(const std::vector<Vec3>& places, cubes::CubeOptions& how) {
    constexpr double kSame = 1e-9;  // metres: the middle of the same square
    for (const Vec3& p : places) {
        const bool was_turned =
            std::any_of(how.turned.begin(), how.turned.end(), [&p](const Vec3& q) { return distance(p, q) < kSame; });
        (was_turned ? how.avoid : how.turned).push_back(p);
    }
}

/// On the hull, or on an edge that it has in common with a patch.
bool is_on_cubes(const AddedBoundaryPoint& p, const WithHull& hull) {
    return hull.triangle_in_given[p.triangle] == kNone ||
           std::all_of(p.corners.begin(), p.corners.end(), [&hull](Index corner) {
               return corner == kNone || (corner < hull.is_of_cubes.size() && hull.is_of_cubes[corner] != 0);
           });
}

Surface without_hull(const WithHull& hull) {
    Surface out = hull.surface.surface;
    out.triangles.clear();
    out.zone_of.clear();
    for (Index t = 0; t < hull.triangle_in_given.size(); ++t) {
        if (hull.triangle_in_given[t] == kNone) continue;
        out.triangles.push_back(hull.surface.surface.triangles[t]);
        out.zone_of.push_back(hull.surface.surface.zone_of[t]);
    }
    return out;
}

/// Within an edge of a triangle of the hull.
bool is_near_hull(const Vec3& p, const WithHull& hull) {
    const Surface& s = hull.surface.surface;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        if (hull.triangle_in_given[t] != kNone) continue;
        const Vec3 middle = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
        if (distance(p, middle) < distance(s.corner(t, 0), s.corner(t, 1))) return true;
    }
    return false;
}

/// By the given surface's numbers; corners that it does not have are left out.
std::vector<AddedBoundaryPoint> as_of_given(std::vector<AddedBoundaryPoint> added, const WithHull& hull) {
    for (AddedBoundaryPoint& p : added) {
        p.triangle = hull.triangle_in_given[p.triangle];
        for (Index& corner : p.corners)
            if (corner != kNone) corner = corner < hull.point_in_given.size() ? hull.point_in_given[corner] : kNone;
    }
    return added;
}

std::vector<char> carrying(const SurfaceMesh& surface, const std::vector<char>& is_top) {
    std::vector<char> out = cubes::triangles_that_carry(surface);
    for (std::size_t t = 0; t < is_top.size(); ++t)
        if (is_top[t] != 0) out[t] = 0;
    return out;
}

}  // namespace

FilledCore fill_round_cubes(const SurfaceMesh& surface, const MakeSizes& make_sizes, const FillOptions& options,
                            const Context& context, FillReport& report, const std::vector<char>& may_slide,
                            const BoundaryCheck& check, const std::vector<char>& is_top) {
    const SizeField sizes = make_sizes();
    cubes::CubeOptions how;
    how.keep_whole = options.cells == FillCells::polyhedra;
    how.may_carry = carrying(surface, is_top);
    how.layout = options.layout;
    for (int attempt = 0; attempt < kMostAttempts; ++attempt) {
        context.report("fill", "cubes", 0);
        cubes::CubeCore core = cubes::make_cubes(surface, sizes, how, context);
        if (core.empty()) break;
        WithHull hull;
        try {
            hull = with_hull(surface, core, sizes, may_slide, is_top, context);
        } catch (const GeometryError&) {
            how.may_carry.clear();  // a border that runs too close to the cubes' sides
            continue;
        }
        bool is_of_layers = false;  // what is thrown, which has nothing to do with cubes
        const BoundaryCheck check_hull = [&](const std::vector<AddedBoundaryPoint>& added) {
            HullDivided divided;
            for (const AddedBoundaryPoint& p : added)
                if (is_on_cubes(p, hull)) divided.places.push_back(p.place);
            if (!divided.places.empty()) throw divided;
            is_of_layers = true;
            if (check) check(as_of_given(added, hull));
            is_of_layers = false;
        };
        try {
            FilledCore filled = fill_with_tetrahedra_alone(
                hull.surface, [&] { return with_finer_surface(sizes, without_hull(hull)); }, options, context, report,
                hull.may_slide, check_hull, hull.is_top);
            const std::vector<Index> number_of = filled.number_of;
            take_hull_away(filled, hull, surface.surface.points.size());
            report.boundary_points_added = as_of_given(std::move(report.boundary_points_added), hull);
            report.cubes = core.n_cubes;
            report.cube_volume = core.cube_volume;
            if (how.keep_whole) {
                std::vector<Triangle> triangles = hull_in_cells(core, hull, number_of);
                std::vector<Index> zones;
                for (const Index t : samples_of_walls(core)) zones.push_back(surface.surface.zone_of[t]);
                filled.cubes = {std::move(core), std::move(triangles), std::move(zones)};
                return filled;
            }
            put_in(core, hull, number_of, surface, filled);
            report.cells_of_core = static_cast<std::size_t>(
                std::count(filled.cells.cell_types.begin(), filled.cells.cell_types.end(), CellType::tetrahedron));
            return filled;
        } catch (const HullDivided& divided) {
            take_notice(divided.places, how);
            if (attempt + 1 == kMostAttempts) tell_of_obstacle(divided.places.front(), context);
        } catch (const FillObstacle& e) {
            if (is_of_layers) throw;
            // Elsewhere it is not the cubes that are in the way.
            const bool is_at_hull =
                std::any_of(e.places().begin(), e.places().end(), [&](const Vec3& p) { return is_near_hull(p, hull); });
            if (is_at_hull) take_notice(e.places(), how);
            if (is_at_hull && attempt + 1 < kMostAttempts) continue;
            tell_of_obstacle(e.places().front(), context);
            break;
        } catch (const RegionsMeet& e) {
            if (!how.may_carry.empty()) {
                how.may_carry.clear();
                continue;
            }
            tell_of_obstacle(e.place(), context);
            break;
        }
    }
    return fill_with_tetrahedra_alone(
        surface, [&] { return with_finer_surface(sizes, surface.surface); }, options, context, report, may_slide, check,
        is_top);
}

}  // namespace anvilcast::fill
