// What is told of a build.

#include <anvilcast/tell.hpp>
#include <anvilcast/version.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "pipeline/warnings.hpp"
#include "tell/json_parts.hpp"
#include "tell/quality_parts.hpp"
#include "tell/text_parts.hpp"

namespace anvilcast {

using namespace tell;

namespace {

/// Cells that nobody asked for; the material of bodies is told as a sum.
std::string left_out_text(const std::vector<SpaceCell>& cells, const LengthUnit& unit) {
    constexpr std::size_t kMost = 5;
    std::string text;
    double material = 0;
    std::size_t n_cavities = 0;
    for (const SpaceCell& c : cells) {
        if (!c.inside_of.empty()) {
            material += c.volume;
        } else if (++n_cavities <= kMost) {
            text += fmt::format("  left out  {} enclosed by {}, with the point {}\n", format_volume(c.volume, unit),
                                names_text(c.zones), place(c.inside, unit));
        }
    }
    if (n_cavities > kMost) text += fmt::format("            and {} more volumes\n", n_cavities - kMost);
    if (material > 0) text += fmt::format("  left out  {} in the material of bodies\n", format_volume(material, unit));
    return text;
}

std::string cubes_text(const BuildResult& r) {
    if (r.fill.cubes == 0) return "";
    if (std::find(r.mesh.cell_types.begin(), r.mesh.cell_types.end(), CellType::hexahedron) == r.mesh.cell_types.end())
        return fmt::format("  {} cubes fill {:.0f} % of the volume; polyhedra there are about their corners\n",
                           grouped(r.fill.cubes), 100 * r.fill.cube_volume / r.quality.volume);
    return fmt::format("  {} whole cubes; these and the divided ones fill {:.0f} % of the volume\n",
                       grouped(r.fill.cubes), 100 * r.fill.cube_volume / r.quality.volume);
}

std::string time_text(const std::vector<StageCost>& costs) {
    double total = 0;
    std::string text = "\nTime";
    for (const StageCost& s : costs) {
        text += fmt::format("  {} {:.1f} s{}", s.stage, s.seconds, s.is_kept ? " (kept)" : "");
        total += s.seconds;
    }
    return text + fmt::format("  together {:.1f} s, peak memory {:.0f} MB\n", total,
                              costs.empty() ? 0 : costs.back().peak_megabytes);
}

std::string written_text(const BuildResult& r, const Case& c, const std::string& directory) {
    return fmt::format("Written to {}: mesh.cgns{}{}, summary.json{}", directory, c.write_vtu ? ", mesh.vtu" : "",
                       c.write_stl && !r.mesh.is_plane() ? ", zones/" : "", c.write_report ? ", report.html" : "");
}

/// Where layers are fewer or lower than asked for, and why.
std::string shortfalls_text(const BuildResult& r, const LengthUnit& unit) {
    std::string text;
    for (const ZoneLayers& z : r.layers)
        for (const ZoneLayers::Shortfall& s : z.shortfalls)
            if (s.area > 5e-4 * z.area)
                text += fmt::format("  {:<24} {:>5.1f} %  {}, e.g. at {}\n",
                                    layered_zone_name(r.mesh, r.quality.layers, z.zone, z.region),
                                    100 * s.area / z.area, layer_limit_text(s.limit), place(s.at, unit));
    return text.empty() ? text : "\nLayers fewer or lower than asked for\n" + text;
}

ordered_json flaws_of(const SurfaceMesh& mesh) {
    constexpr std::array<const char*, 3> kKinds{"needle", "fold", "lost area"};
    ordered_json out = ordered_json::array();
    for (const SurfaceFlaw& f : mesh.flaws)
        out.push_back({{"kind", kKinds[static_cast<std::size_t>(f.kind)]},
                       {"value", f.value},
                       {"at", json_of(f.place)},
                       {"zone", mesh.surface.zones[f.zone].name}});
    return out;
}

ordered_json surround_of(const std::optional<Surround>& s) {
    if (!s) return {};
    return {{"body_length", s->body_length},
            {"frontal_area", s->frontal_area},
            {"section_area", s->section_area},
            {"blockage", s->blockage()}};
}

ordered_json leftovers_of(const std::vector<Domain::Leftover>& list) {
    ordered_json out = ordered_json::array();
    for (const Domain::Leftover& l : list)
        out.push_back({{"zone", l.zone}, {"region", l.region}, {"area", l.area}, {"at", json_of(l.at)}});
    return out;
}

/// The same with what was asked for, the y+ that it comes to, and where less was possible.
ordered_json layers_of_build(const BuildResult& r, const Case& c) {
    ordered_json out = layers_of(r.mesh, r.quality.layers);
    std::optional<WallEstimate> wall;
    if (c.flow) wall = estimate_wall(c.flow->conditions);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const LayerFigures& f = r.quality.layers[i];
        if (wall) {
            const double unit = wall->viscous_length * (c.flow->y_plus_at == YPlusAt::cell_center ? 2 : 1);
            out[i]["y_plus"] = {
                {"min", f.first_min / unit}, {"median", f.first_median / unit}, {"max", f.first_max / unit}};
        }
        for (const ZoneLayers& z : r.layers) {
            if (z.zone != f.zone || z.region != f.region) continue;
            out[i]["asked"] = json_of(z.asked);
            out[i]["squeezed_share"] = z.squeezed_area / z.area;
            out[i]["shortfalls"] = ordered_json::array();
            for (const ZoneLayers::Shortfall& s : z.shortfalls)
                out[i]["shortfalls"].push_back(
                    {{"why", layer_limit_text(s.limit)}, {"area", s.area}, {"at", json_of(s.at)}});
        }
    }
    return out;
}

std::string full_text(const BuildResult& r, const Case& c, const std::string& directory) {
    const LengthUnit& unit = c.unit;
    std::string text =
        fmt::format("{}\n  {}\n", bold(c.name),
                    c.plane ? (c.plane->is_swept ? "section   " : "plane     ") + flat_extent(r.bounds, unit)
                            : "parts     " + extent(r.bounds, unit));
    for (std::size_t i = 0; i < r.mesh.regions.size(); ++i)
        text +=
            fmt::format("  region    {} ({})  {}\n", r.mesh.regions[i].name, region_kind_name(r.mesh.regions[i].kind),
                        format_content(r.quality.region_volumes[i], r.quality.is_plane, unit));
    text += fmt::format("  cells     {}, {} points\n", cells_text(r.mesh), grouped(r.quality.n_points));
    if (!c.plane)
        text += fmt::format("  surface   within {} of the parts, worst at {}\n",
                            format_length(r.largest_deviation, unit), place(r.largest_deviation_at, unit));
    if (r.surround)
        text += fmt::format("  surround  the body is {} long, its frontal area {} blocks {:.2f} % of the section\n",
                            format_length(r.surround->body_length, unit), format_area(r.surround->frontal_area, unit),
                            100 * r.surround->blockage());
    if (r.corners_joined > 0)
        text += fmt::format("  joined    {} corners moved onto another part, by {} at most\n", r.corners_joined,
                            format_length(r.largest_join, unit));
    text += cubes_text(r);
    text += periodic_text(r.mesh.periodic, unit);
    text += absorbed_text(r.absorbed, unit);
    text += left_out_text(r.left_out, unit);
    if (r.wrapped) text += wrap_text(*r.wrapped, "", unit);
    if (!r.mendings.empty()) text += "  mended\n" + mendings_text(r.mendings, unit);
    if (!r.fill.boundary_points_added.empty())
        text +=
            fmt::format("  boundary  {} points were added to its edges and faces, the first at {}\n",
                        r.fill.boundary_points_added.size(), place(r.fill.boundary_points_added.front().place, unit));
    text += zones_text(r.mesh, r.quality, unit, r.guessed_roles);
    text += layers_text(r.mesh, r.quality.layers, unit, &c) + shortfalls_text(r, unit);
    text += quality_text(r.mesh, r.quality, unit);
    text += time_text(r.costs);
    text += written_text(r, c, directory) + "\n";
    return text;
}

/// At most so many rows of a table on one screen.
constexpr std::size_t kMostRows = 14, kMostPlaces = 3;
/// What is nearer to the best there is needs no row.
constexpr double kPerfect = 1e-6;

/// What stands on a zone's walls, in a few words; of an interface, on the side that has more, of a wall of several
/// regions, in all of them.
std::string layers_of_zone(const BuildResult& r, Index zone, const Case& c) {
    const LayerFigures* most = nullptr;
    double full = 0, area = 0;
    for (const LayerFigures& f : r.quality.layers) {
        if (f.zone != zone) continue;
        if (most == nullptr || f.most > most->most) most = &f;
        full += f.full_area;
        area += f.area;
    }
    if (most == nullptr) return "";
    if (most->most == 0) return "none";
    const bool is_interface = r.mesh.zones[zone].role == Role::interface_;
    const double share = 100 * (is_interface ? most->full_area / most->area : full / area);
    std::string text = fmt::format("{} on {:.4g} %, first {}", most->most, std::floor(10 * share) / 10,
                                   format_length(most->first_median, c.unit));
    if (c.flow)
        text += fmt::format(", y+ {:.3g}",
                            y_plus_of(most->first_median, estimate_wall(c.flow->conditions), c.flow->y_plus_at));
    return text;
}

std::string zone_rows(const BuildResult& r, const Case& c) {
    const std::span<const BoundaryZone> zones = std::span(r.mesh.zones).first(r.mesh.n_named_zones());
    const std::size_t width = std::min<std::size_t>(40, name_width(zones));
    const bool has_layers = !r.quality.layers.empty();
    std::string text = fmt::format("\n{:<{}}{:<18}{:>10}  {:<14}{}\n", "Zones", width + 2, "role",
                                   r.quality.is_plane ? "edges" : "faces", r.quality.is_plane ? "length" : "area",
                                   has_layers ? "layers" : "");
    for (Index z = 0; z < zones.size() && z < kMostRows; ++z) {
        const bool is_guess =
            std::find(r.guessed_roles.begin(), r.guessed_roles.end(), zones[z].name) != r.guessed_roles.end();
        text += padded("  " + zones[z].name, width + 2);
        text += fmt::format("{:<18}{:>10}  ",
                            fmt::format("{}{}", role_text(zones[z].boundary_role()), is_guess ? " (guess)" : ""),
                            grouped(zones[z].n_faces));
        const std::string area = format_side(r.quality.zone_areas[z], r.quality.is_plane, c.unit),
                          layers = layers_of_zone(r, z, c);
        text += (layers.empty() ? area : padded(area, 14) + layers) + "\n";
    }
    if (zones.size() > kMostRows) text += fmt::format("  and {} more\n", zones.size() - kMostRows);
    return text;
}

/// How near a value is to its limit, or, above 1, how far beyond it; whatever their signs.
double nearness(const Metric& m, double worst, double limit) {
    const bool is_beyond = m.low_is_better ? worst > limit : worst < limit;
    if (is_beyond) return 1 + std::abs(worst - limit) / std::max(std::abs(limit), 1e-12);
    const double share = m.low_is_better ? worst / limit : limit / worst;
    return std::isfinite(share) ? std::clamp(share, 0.0, 1.0) : 0;
}

/// The metrics nearest to what is asked of them, or beyond it, with their worst place.
std::string place_rows(const QualityReport& q, const LengthUnit& unit) {
    std::vector<std::pair<double, const Metric*>> nearest;
    for (const Metric& m : q.metrics) {
        const MetricInfo& info = metric_info(m.id);
        if (m.worst.empty() || (!m.limit && !info.has_usual_limit())) continue;
        const double limit = m.limit ? *m.limit : info.usual_limit, worst = m.worst.front().value;
        if (std::abs(worst - info.best) < kPerfect) continue;
        nearest.emplace_back(nearness(m, worst, limit), &m);
    }
    std::stable_sort(nearest.begin(), nearest.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    std::string text;
    for (std::size_t k = 0; k < nearest.size() && k < kMostPlaces; ++k) {
        const Metric& m = *nearest[k].second;
        const WorstPlace& w = m.worst.front();
        text += padded("  " + m.name, 29) + fmt::format("{:>8.4g} {} {:<7.4g}", w.value, m.limit ? "of" : "~ ",
                                                        m.limit ? *m.limit : metric_info(m.id).usual_limit);
        text += fmt::format("at {}: {}\n", place(w.place, unit),
                            !w.cause.empty()  ? w.cause
                            : w.zone.empty()  ? "inside"
                            : w.distance == 0 ? fmt::format("at '{}'", w.zone)
                                              : fmt::format("{} from '{}'", format_length(w.distance, unit), w.zone));
    }
    return text.empty() ? "" : "\nWorst places: values nearest to their limits (of), or to what is usual (~)\n" + text;
}

}  // namespace

std::string build_text(const BuildResult& r, const Case& c, const std::string& directory, bool full) {
    if (full) return full_text(r, c, directory);
    const LengthUnit& unit = c.unit;
    std::string regions;
    for (const Region& region : r.mesh.regions)
        regions += fmt::format("{}{} ({})", regions.empty() ? "" : ", ", region.name, region_kind_name(region.kind));
    std::string text =
        fmt::format("{}: {}\n", bold(c.name), r.quality.is_good() ? good(r.quality.verdict) : bad(r.quality.verdict));
    text += fmt::format("  {}, {} points in {}\n", cells_text(r.mesh), grouped(r.quality.n_points), regions);
    text += c.plane
                ? fmt::format("  the {} is {}\n", c.plane->is_swept ? "section" : "plane", flat_extent(r.bounds, unit))
                : fmt::format("  the parts are {}; the surface is within {} of them\n", extent(r.bounds, unit),
                              format_length(r.largest_deviation, unit));
    if (r.surround)
        text += fmt::format("  the body is {} long and blocks {:.2f} % of the section\n",
                            format_length(r.surround->body_length, unit), 100 * r.surround->blockage());
    text += cubes_text(r);
    text += periodic_text(r.mesh.periodic, unit);
    if (const std::size_t n = gathered(r.warnings).size(); n > 0)
        text += fmt::format("  {} warning{} above\n", n, n == 1 ? "" : "s");
    text += zone_rows(r, c) + place_rows(r.quality, unit) + time_text(r.costs);
    text += written_text(r, c, directory) + "; all figures: with --full\n";
    return text;
}

std::string surface_text(const SurfaceBuild& built, const Case& c, const std::string& directory) {
    const LengthUnit& unit = c.unit;
    const Surface& s = built.mesh.surface;
    std::string text =
        fmt::format("{}\n  parts     {}\n  surface   {} triangles, {} points\n", bold(c.name),
                    extent(built.result.bounds, unit), grouped(s.triangles.size()), grouped(s.points.size()));
    text += fmt::format("  deviation {} from the parts at most, at {} {}\n",
                        format_length(built.result.largest_deviation, unit),
                        place(built.result.largest_deviation_at, unit), unit.name);
    text += absorbed_text(built.result.absorbed, unit);
    if (built.result.wrapped) text += wrap_text(*built.result.wrapped, "", unit);
    text += surface_metrics_text(built.quality, unit) + "\nWorst places\n";
    for (const Metric& m : built.quality) text += worst_row(m, unit);
    text += time_text(built.result.costs);
    return text + fmt::format("Written to {}: surface.vtu, surface.stl, summary.json\n", directory);
}

std::string summary_json(const BuildResult& result, const Case& c) {
    return dumped(
        {{"anvilcast", version()},
         {"case", case_of(c)},
         {"bounds", json_of(result.bounds)},
         {"cells", cells_of(result.mesh)},
         {"predicted", {{"cells", {{"total", std::round(result.predicted_cells)}}}}},
         {"points", result.quality.n_points},
         {"zones", zones_of(result.mesh, result.quality)},
         {"regions", regions_of(result.mesh, result.quality)},
         {"periodic", json_of(result.mesh.periodic)},
         {"domain_volume", result.domain_volume},
         {"left_out", cells_of_space(result.left_out)},
         {"leftovers", leftovers_of(result.leftovers)},
         {"joined", {{"corners", result.corners_joined}, {"largest_move", result.largest_join}}},
         {"absorbed", json_of(result.absorbed)},
         {"surround", surround_of(result.surround)},
         {"wrap", json_of(result.wrapped ? &*result.wrapped : nullptr)},
         {"surface", {{"largest_deviation", result.largest_deviation}, {"at", json_of(result.largest_deviation_at)}}},
         {"fill",
          {{"boundary_points_added", result.fill.boundary_points_added.size()},
           {"boundary_points_lifted", result.fill.boundary_points_lifted},
           {"boundary_points_moved", result.fill.boundary_moves},
           {"interior_points", result.fill.interior_points},
           {"tetrahedra_of_core", result.fill.cells_of_core},
           {"cubes", result.fill.cubes},
           {"volume_of_cubes", result.fill.cube_volume},
           {"bad_polyhedra", result.fill.bad_polyhedra},
           {"merged_polyhedra", result.fill.merged_polyhedra}}},
         {"layers", layers_of_build(result, c)},
         {"quality", quality_of(result.quality)},
         {"stages", stages_of(result.costs)},
         {"mended", json_of(result.mendings)},
         {"guessed_roles", result.guessed_roles},
         {"warnings", gathered(result.warnings)},
         {"all_warnings", result.warnings}});
}

std::string surface_json(const SurfaceBuild& built, const Case& c) {
    ordered_json zones = ordered_json::array();
    const Surface& s = built.mesh.surface;
    for (Index z = 0; z < s.zones.size(); ++z)
        zones.push_back({{"name", s.zones[z].name},
                         {"role", role_name(s.zones[z].role)},
                         {"faces", std::count(s.zone_of.begin(), s.zone_of.end(), z)}});
    return dumped({{"anvilcast", version()},
                   {"case", case_of(c)},
                   {"bounds", json_of(built.result.bounds)},
                   {"points", s.points.size()},
                   {"triangles", s.triangles.size()},
                   {"zones", zones},
                   {"surface",
                    {{"largest_deviation", built.result.largest_deviation},
                     {"at", json_of(built.result.largest_deviation_at)},
                     {"places_too_far", built.mesh.too_far.size()},
                     {"flaws", flaws_of(built.mesh)}}},
                   {"absorbed", json_of(built.result.absorbed)},
                   {"wrap", json_of(built.result.wrapped ? &*built.result.wrapped : nullptr)},
                   {"quality", {{"surface_metrics", metrics_of(built.quality)}}},
                   {"stages", stages_of(built.result.costs)},
                   {"guessed_roles", built.result.guessed_roles},
                   {"warnings", built.result.warnings}});
}

}  // namespace anvilcast
