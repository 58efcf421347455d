// Openings as pieces of surface: put into the parts, pushed out or drawn in, chosen by a place.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/disjoint_sets.hpp"
#include "base/place_text.hpp"
#include "domain/patches.hpp"

namespace anvilcast {
namespace {

using namespace domain;

/// A straight duct from the rim to a flat end.
Opening pushed_out(const Opening& opening, double distance) {
    double reach = -Box::inf;
    for (const Vec3& p : opening.rim) reach = std::max(reach, dot(p, opening.facing));
    Opening out = opening;
    std::vector<Vec3> end;
    for (const Vec3& p : opening.rim) end.push_back(p + opening.facing * (reach + distance - dot(p, opening.facing)));
    out.patch = flat_patch(end);
    out.patch.zone_of.assign(out.patch.triangles.size(), 0);
    out.patch.zones = {{}, {}};
    const auto n = static_cast<Index>(end.size());
    out.patch.points.insert(out.patch.points.end(), opening.rim.begin(), opening.rim.end());
    for (Index i = 0; i < n; ++i) {
        const Index j = (i + 1) % n;
        out.patch.triangles.push_back({n + i, n + j, j});
        out.patch.triangles.push_back({n + i, j, i});
        out.patch.zone_of.insert(out.patch.zone_of.end(), 2, 1);
    }
    out.center = opening.center + opening.facing * (reach + distance - dot(opening.center, opening.facing));
    return out;
}

/// A flat patch across the bore, `depth` inside. It reaches a little into the wall, so that the cut closes it tightly.
Opening drawn_in(const Surface& surface, const Opening& opening, double depth) {
    constexpr double kOverhang = 1e-3;  // of the opening's size
    Box box;
    for (const Vec3& p : opening.rim) box.include(p);
    const double half = 2 * box.diagonal();
    const Vec3 n = opening.facing;
    const Vec3 u = normalized(std::abs(n.x) < 0.7 ? cross(n, Vec3{1, 0, 0}) : cross(n, Vec3{0, 1, 0})), v = cross(n, u);
    const Vec3 middle = opening.center - n * depth;
    Surface sheet;
    sheet.points = {middle - u * half - v * half, middle + u * half - v * half, middle + u * half + v * half,
                    middle - u * half + v * half};
    sheet.triangles = {{0, 1, 2}, {0, 2, 3}};
    sheet.zone_of = {0, 0};
    sheet.zones = {{"sheet"}};
    const CutSurface cut = cut_at_intersections(joined({surface, sheet}));
    const Surface& c = cut.surface;
    const SurfaceEdges edges(c.triangles, c.points.size());
    auto is_sheet = [&](Index t) { return cut.origins_of(t)[0].triangle >= surface.triangles.size(); };
    DisjointSets pieces(c.triangles.size());
    std::set<Index> open;
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto* use = edges.begin(e);
        if (edges.n_uses(e) == 2 && is_sheet(use[0].triangle) && is_sheet(use[1].triangle))
            pieces.join(use[0].triangle, use[1].triangle);
    }
    for (std::size_t e = 0; e < edges.size(); ++e)
        if (edges.n_uses(e) == 1 && is_sheet(edges.begin(e)->triangle))
            open.insert(pieces.find(edges.begin(e)->triangle));
    // The piece below the free area.
    const Vec3 below = opening.clear - n * dot(opening.clear - middle, n);
    Index chosen = kNone;
    double nearest = Box::inf;
    for (Index t = 0; t < c.triangles.size(); ++t) {
        if (!is_sheet(t)) continue;
        const double d =
            distance(below, closest_point_on_triangle(below, c.corner(t, 0), c.corner(t, 1), c.corner(t, 2)));
        if (d < nearest) {
            nearest = d;
            chosen = pieces.find(t);
        }
    }
    if (chosen == kNone || open.contains(chosen))
        throw GeometryError(
            fmt::format("the opening cannot be closed {:.6g} m inside: there is no bore at that depth", depth));
    Opening out = opening;
    out.center = middle;
    out.patch = {};
    out.patch.zones = {{}};
    out.patch.points = c.points;
    const double overhang = kOverhang * box.diagonal();
    for (Index t = 0; t < c.triangles.size(); ++t) {
        if (!is_sheet(t) || pieces.find(t) != chosen) continue;
        out.patch.triangles.push_back(c.triangles[t]);
        for (Index k = 0; k < 3; ++k) {
            const Index e = edges.edge_of(t, k);
            const bool inner =
                edges.n_uses(e) == 2 && is_sheet(edges.begin(e)[0].triangle) && is_sheet(edges.begin(e)[1].triangle);
            if (inner) continue;
            const Index a = c.triangles[t][k], b = c.triangles[t][(k + 1) % 3];
            const Vec3 along = normalized(c.points[b] - c.points[a]),
                       outward =
                           cross(along, normalized(triangle_normal(c.corner(t, 0), c.corner(t, 1), c.corner(t, 2))));
            const auto first = static_cast<Index>(out.patch.points.size());
            out.patch.points.push_back(c.points[a] + (outward - along) * overhang);
            out.patch.points.push_back(c.points[b] + (outward + along) * overhang);
            out.patch.triangles.push_back({a, first, first + 1});
            out.patch.triangles.push_back({a, first + 1, b});
        }
    }
    out.patch.zone_of.assign(out.patch.triangles.size(), 0);
    drop_unused_points(out.patch);
    return out;
}

}  // namespace

Opening moved(const Surface& surface, const Opening& opening, double distance) {
    if (distance == 0) return opening;
    return distance > 0 ? pushed_out(opening, distance) : drawn_in(surface, opening, -distance);
}

/// Openings of one name are one zone. `first`: number of their first one.
static void join_zones_of_openings(Surface& s, std::size_t first) {
    std::vector<Index> number(s.zones.size());
    std::vector<Zone> kept;
    for (std::size_t z = 0; z < s.zones.size(); ++z) {
        const auto same = z < first ? kept.end()
                                    : std::find_if(kept.begin() + static_cast<std::ptrdiff_t>(first), kept.end(),
                                                   [&](const Zone& k) { return k.name == s.zones[z].name; });
        number[z] = static_cast<Index>(same - kept.begin());
        if (same == kept.end()) kept.push_back(s.zones[z]);
    }
    s.zones = std::move(kept);
    for (Index& z : s.zone_of) z = number[z];
}

Surface close_openings(const Surface& surface, const std::vector<Opening>& openings) {
    std::vector<Surface> all{surface};
    for (const Opening& opening : openings) {
        Surface patch = opening.patch;
        patch.zones[0] = opening.zone;
        patch.zones[0].is_patch = true;
        if (patch.zones.size() > 1) patch.zones[1] = {opening.zone.name + "-duct", Role::wall};
        all.push_back(std::move(patch));
    }
    if (openings.empty()) return surface;
    Surface closed = joined(all);
    join_zones_of_openings(closed, surface.zones.size());
    weld(closed);
    return closed;
}

Vec3 rounded_place(const Opening& opening, const LengthUnit& unit) {
    const double grain = std::pow(10.0, std::floor(std::log10(opening.hydraulic_diameter() / unit.metres)) - 2);
    auto rounded = [&](double metres) { return std::round(metres / unit.metres / grain) * grain + 0.0; };
    return {rounded(opening.center.x), rounded(opening.center.y), rounded(opening.center.z)};
}

std::size_t pick_opening(const std::vector<Opening>& openings, const Vec3& near, const LengthUnit& unit) {
    auto place = [&unit](const Vec3& p) { return base::numbers_text(p, unit); };
    std::string list;
    for (const Opening& o : openings)
        list += fmt::format("\n  near = {}  # diameter {}", place(rounded_place(o, unit) * unit.metres),
                            format_length(o.hydraulic_diameter(), unit));
    if (openings.empty())
        throw GeometryError(
            "no opening was found in the parts; is the body thick-walled with flat end faces? "
            "`anvilcast openings FILE` shows what is seen");
    std::vector<std::pair<double, std::size_t>> ranked;
    for (std::size_t i = 0; i < openings.size(); ++i) ranked.emplace_back(distance(near, openings[i].center), i);
    std::sort(ranked.begin(), ranked.end());
    const Opening& best = openings[ranked[0].second];
    if (ranked.size() > 1 && ranked[0].first > 0.8 * ranked[1].first)
        throw GeometryError(
            fmt::format("near = {} matches two openings about equally well (at {} and {}); give one of:{}", place(near),
                        place(rounded_place(best, unit) * unit.metres),
                        place(rounded_place(openings[ranked[1].second], unit) * unit.metres), list));
    if (ranked[0].first > 2 * best.hydraulic_diameter())
        throw GeometryError(
            fmt::format("near = {} matches no opening: the closest is {} away; is the unit right? The "
                        "openings are:{}",
                        place(near), format_length(ranked[0].first, unit), list));
    return ranked[0].second;
}

}  // namespace anvilcast
