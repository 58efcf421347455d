#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast {
namespace {

std::string place(const Vec3& p, const LengthUnit& unit) {
    return fmt::format("[{:.6g}, {:.6g}, {:.6g}] {}", p.x / unit.metres, p.y / unit.metres, p.z / unit.metres,
                       unit.name);
}

bool is_closed_already(const Opening& opening, const std::vector<Opening>& closed) {
    return std::any_of(closed.begin(), closed.end(), [&](const Opening& c) { return c.center == opening.center; });
}

/// Why does the region of the point reach the outside? Throws in any case.
[[noreturn]] void explain_leak(const Surface& body, const std::vector<Opening>& closed, const Vec3& inside,
                               const LengthUnit& unit) {
    std::vector<Opening> all = find_openings(body);
    const Surface sealed = close_openings(body, all);
    const Regions regions = find_regions(sealed);
    const TriangleTree tree(sealed.points, sealed.triangles);
    const auto region = region_at(sealed, tree, regions, inside);
    if (region && *region != Regions::kOutside) {
        std::string leaks;
        std::size_t first = body.triangles.size();
        for (const Opening& o : all) {
            const auto& sides = regions.sides[first];
            first += o.patch.size();
            if (is_closed_already(o, closed) || (sides[0] != *region && sides[1] != *region)) continue;
            const Vec3 at = rounded_place(o, unit);
            leaks += fmt::format("\n  rim at {}, diameter {}: add an [[opening]] with near = [{:.6g}, {:.6g}, {:.6g}]",
                                 place(at * unit.metres, unit), format_length(o.hydraulic_diameter(), unit), at.x, at.y,
                                 at.z);
        }
        throw GeometryError(fmt::format("the flow volume at inside = {} is not closed; it leaks through:{}",
                                        place(inside, unit), leaks));
    }
    std::string rims;
    for (const Rim& rim : find_rims(body))
        rims += fmt::format("\n  free rim at {}, length {}", place(rim.center, unit), format_length(rim.length, unit));
    if (!rims.empty())
        throw GeometryError(fmt::format("the flow volume at inside = {} is not closed; the surface has holes:{}",
                                        place(inside, unit), rims));
    const Box box = body.bounds();
    throw GeometryError(
        fmt::format("inside = {} is outside of everything; the parts reach from {} to {}. Is the unit right?",
                    place(inside, unit), place(box.lo, unit), place(box.hi, unit)));
}

Domain boundary_of(const Surface& closed, const Regions& regions, Index region) {
    Domain domain;
    domain.volume = regions.volumes[region];
    domain.boundary.points = closed.points;
    domain.boundary.feature_edges = closed.feature_edges;
    std::vector<Index> zone_number(closed.zones.size(), kNone);
    for (Index t = 0; t < closed.triangles.size(); ++t) {
        const bool in_front = regions.sides[t][0] == region, behind = regions.sides[t][1] == region;
        if (!in_front && !behind) continue;
        Triangle triangle = closed.triangles[t];
        if (!behind) std::swap(triangle[1], triangle[2]);
        Index& zone = zone_number[closed.zone_of[t]];
        if (zone == kNone) {
            zone = static_cast<Index>(domain.boundary.zones.size());
            domain.boundary.zones.push_back(closed.zones[closed.zone_of[t]]);
        }
        domain.boundary.triangles.push_back(triangle);
        domain.boundary.zone_of.push_back(zone);
        domain.is_baffle.push_back(in_front && behind);
    }
    drop_unused_points(domain.boundary);
    return domain;
}

}  // namespace

Domain extract_region(const Surface& body, const std::vector<Opening>& closed_openings, const Vec3& inside,
                      const LengthUnit& unit) {
    const Surface closed = close_openings(body, closed_openings);
    const Regions regions = find_regions(closed);
    const TriangleTree tree(closed.points, closed.triangles);
    const auto region = region_at(closed, tree, regions, inside);
    if (!region)
        throw GeometryError(fmt::format("inside = {} lies on a surface; move it into the flow", place(inside, unit)));
    if (*region == Regions::kOutside) explain_leak(body, closed_openings, inside, unit);
    bool touches_opening = closed_openings.empty();
    for (std::size_t t = body.triangles.size(); t < closed.triangles.size(); ++t)
        touches_opening = touches_opening || regions.sides[t][0] == *region || regions.sides[t][1] == *region;
    if (!touches_opening)
        throw GeometryError(
            fmt::format("inside = {} is in the material of a body, or in a cavity without opening: that "
                        "region touches none of the openings; move the point into the flow",
                        place(inside, unit)));
    Domain domain = boundary_of(closed, regions, *region);
    domain.inside = inside;
    return domain;
}

}  // namespace anvilcast
