#include <anvilcast/errors.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/report.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "figures/colours.hpp"
#include "figures/page_data.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

using namespace figures;
using nlohmann::ordered_json;

ordered_json json_of(const Vec3& p) { return {p.x, p.y, p.z}; }

/// For each zone the middle of the triangle that is nearest to its centre: a place on it, to pick it by.
std::vector<Vec3> places_on_zones(const Surface& s, const SurfaceHealth& health) {
    std::vector<Vec3> out(s.zones.size());
    std::vector<double> least(s.zones.size(), Box::inf);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Index z = s.zone_of[t];
        const Vec3 middle = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
        if (const double d = distance_squared(middle, health.zones[z].center); d < least[z]) {
            least[z] = d;
            out[z] = middle;
        }
    }
    return out;
}

ordered_json surface_of(const Surface& s, const Box& box, const PageOptions& options) {
    PagePolygons polygons;
    polygons.points = s.points;
    polygons.tags.resize(2);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        polygons.corners.insert(polygons.corners.end(), s.triangles[t].begin(), s.triangles[t].end());
        polygons.counts.push_back(3);
        polygons.tags[0].push_back(static_cast<std::uint8_t>(s.zone_of[t] & 255));
        polygons.tags[1].push_back(static_cast<std::uint8_t>(s.zone_of[t] >> 8 & 255));
    }
    const bool is_simplified = simplify(polygons, options.most_faces);
    ordered_json out = figures::json_of(polygons, box, {"zone", "zone_high"});
    out["simplified_from"] = is_simplified ? ordered_json(s.triangles.size()) : ordered_json();
    out["faces"] = polygons.size();
    return out;
}

ordered_json defects_of(const SurfaceHealth& health) {
    constexpr std::size_t kMostOfAKind = 200;
    ordered_json out = ordered_json::array();
    for (const DefectList& list : health.defects) {
        if (list.items.empty()) continue;
        const DefectInfo& info = defect_info(list.kind);
        ordered_json items = ordered_json::array();
        for (std::size_t k = 0; k < std::min(kMostOfAKind, list.items.size()); ++k)
            items.push_back({{"place", json_of(list.items[k].place)}, {"size", list.items[k].size}});
        out.push_back({{"name", info.name},
                       {"severity", severity_name(info.severity)},
                       {"mend", info.mend},
                       {"size_is", info.size},
                       {"count", list.items.size()},
                       {"items", items}});
    }
    return out;
}

}  // namespace

void write_inspection(const std::filesystem::path& file, const Surface& surface, const SurfaceHealth& health,
                      const std::vector<Opening>& openings, const Space* space, const LengthUnit& unit,
                      const std::string& source, const PageOptions& options) {
    if (surface.triangles.empty()) throw InputError("there is nothing to show: the surface has no triangles");
    const Box box = health.bounds;
    const std::vector<Vec3> places = places_on_zones(surface, health);
    ordered_json zones = ordered_json::array(), rims = ordered_json::array(), volumes = ordered_json::array();
    for (std::size_t z = 0; z < health.zones.size(); ++z) {
        const ZoneMeasure& m = health.zones[z];
        zones.push_back({{"name", m.name},
                         {"role", role_name(m.role)},
                         {"role_is_guess", m.role_is_guess},
                         {"colour", css(category(z))},
                         {"area", m.area},
                         {"triangles", m.triangles},
                         {"center", json_of(m.center)},
                         {"place", json_of(places[z])}});
    }
    for (std::size_t i = 0; i < openings.size(); ++i) {
        ordered_json rim = ordered_json::array();
        for (const Vec3& p : openings[i].rim) rim.push_back(json_of(p));
        rims.push_back({{"area", openings[i].area},
                        {"diameter", openings[i].hydraulic_diameter()},
                        {"center", json_of(openings[i].center)},
                        {"rim", rim},
                        {"snippet", opening_snippet(openings[i], fmt::format("opening-{}", i + 1), unit)}});
    }
    if (space != nullptr)
        for (std::size_t c = 1; c < space->cells.size(); ++c)
            volumes.push_back({{"volume", space->cells[c].volume},
                               {"inside", json_of(space->cells[c].inside)},
                               {"zones", space->cells[c].zones},
                               {"material", fmt::format("{}", fmt::join(space->cells[c].inside_of, ", "))}});
    const ordered_json data{{"source", source},
                            {"unit", unit.name},
                            {"box", {json_of(box.lo), json_of(box.hi)}},
                            {"extent", json_of(box.extent())},
                            {"triangles", health.n_triangles},
                            {"blocked", health.is_blocked()},
                            {"verdict", verdict(health, unit)},
                            {"zones", zones},
                            {"surface", surface_of(surface, box, options)},
                            {"openings", rims},
                            {"volumes", volumes},
                            {"defects", defects_of(health)}};
    io::write_file(file, page_of(source, data, "inspection"));
}

}  // namespace anvilcast
