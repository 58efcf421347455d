// What is told of a plan, and of the flow at a wall.

#include <anvilcast/tell.hpp>
#include <anvilcast/version.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "pipeline/warnings.hpp"
#include "tell/json_parts.hpp"
#include "tell/quality_parts.hpp"
#include "tell/text_parts.hpp"

namespace anvilcast {

using namespace tell;

namespace {

/// 98171 as "98 200": a prediction has three digits.
std::string rounded(double n) {
    if (!(n >= 1)) return "0";
    const double grain = std::pow(10.0, std::max(0.0, std::floor(std::log10(n)) - 2));
    return grouped(static_cast<std::size_t>(std::llround(std::round(n / grain) * grain)));
}

std::string cubes_text(const CubePlan& cubes, const Case& c) {
    std::vector<std::string> edges;
    for (const auto& [edge, n] : cubes.edges)
        edges.push_back(fmt::format("{} of {}", rounded(n), format_length(edge, c.unit)));
    return fmt::format("  cubes      {}, which are {} cells of the core; without cubes it had {}\n",
                       fmt::join(edges, ", "), rounded(cubes.cells), rounded(cubes.cells_alone));
}

ordered_json json_of(const CubePlan& cubes) {
    ordered_json edges = ordered_json::array();
    for (const auto& [edge, n] : cubes.edges) edges.push_back({{"edge", edge}, {"cubes", n}});
    return {{"whole", cubes.whole},
            {"cells", cubes.cells},
            {"volume", cubes.volume},
            {"core_cells_without", std::round(cubes.cells_alone)},
            {"edges", edges}};
}

std::string plan_zones_text(const Plan& p, const LengthUnit& unit, YPlusAt at) {
    const std::size_t width = name_width(p.zones);
    std::string text = fmt::format("\n{:<{}}{:<18}{:>12}  {:<12}{}\n", "Zones", width + 2, "role",
                                   p.is_plane    ? "edges"
                                   : p.steps > 0 ? "faces"
                                                 : "triangles",
                                   "size", p.is_plane ? "length" : "area");
    for (const ZonePlan& z : p.zones)
        text += fmt::format(
            "  {:<{}}{:<18}{:>12}  {:<12}{}\n", z.name, width,
            fmt::format("{}{}", role_name(z.role), z.role_is_guess ? " (guess)" : ""),
            p.steps > 0 || p.is_plane ? grouped(static_cast<std::size_t>(z.triangles)) : rounded(z.triangles),
            format_length(z.size, unit), format_side(z.area, p.is_plane, unit));
    if (std::none_of(p.zones.begin(), p.zones.end(), [](const ZonePlan& z) { return z.layers.has_value(); }))
        return text;
    text += fmt::format("\n{:<{}}{:>6}{:>8}   {:<12}{:<12}{:<12}core beside is (height, volume)\n", "Layers", width + 2,
                        "count", "growth", "first", "last", "together");
    for (const ZonePlan& z : p.zones) {
        if (!z.layers) continue;
        text += fmt::format("  {:<{}}{:>6}{:>8.3f}   {:<12}{:<12}{:<12}{:.2f}, {:.2f} times as large", z.name, width,
                            z.layers->count, z.layers->growth, format_length(z.layers->first, unit),
                            format_length(z.layers->last, unit), format_length(z.layers->total, unit),
                            z.layers->step_to_core, z.volume_step);
        if (p.wall)
            text += fmt::format(
                "; first {:.4g} \xC2\xB5"
                "m, y+ {:.3g}",
                1e6 * z.layers->first, y_plus_of(z.layers->first, *p.wall, at));
        text += "\n";
    }
    return text;
}

std::string sources_text(const Plan& p) {
    double volume = 0, cells = 0;
    for (const SourceShare& s : p.sources) {
        volume += s.volume;
        cells += s.cells;
    }
    const std::size_t width = name_width(p.sources);
    std::string text = fmt::format("\n{:<{}}{:>12}{:>16}{:>18}\n", "Sizes by", width + 2, "core cells",
                                   "share of cells", "share of volume");
    for (const SourceShare& s : p.sources)
        text += fmt::format("  {:<{}}{:>12}{:>14.1f} %{:>16.1f} %\n", s.name, width, rounded(s.cells),
                            100 * s.cells / cells, 100 * s.volume / volume);
    return text;
}

std::string wall_lines(const WallEstimate& w, const LengthUnit& unit) {
    return fmt::format(
        "  Reynolds number    {:.4g}, {}\n"
        "  skin friction      {:.4g} ({})\n"
        "  friction velocity  {:.4g} m/s; y+ is 1 at {}\n"
        "  boundary layer     {} thick\n",
        w.reynolds, w.is_turbulent ? "turbulent" : "laminar", w.skin_friction, w.correlation, w.friction_velocity,
        format_length(w.viscous_length, unit), format_length(w.layer_thickness, unit));
}

}  // namespace

namespace {

/// The plane was meshed to plan it.
bool is_exact(const Plan& p) { return p.steps > 0 || p.is_plane; }

}  // namespace

std::string plan_text(const Plan& p, const Case& c) {
    const LengthUnit& unit = c.unit;
    std::string text = fmt::format("{}\n  {:<10}{}\n", bold(c.name),
                                   p.steps > 0  ? "section"
                                   : p.is_plane ? "plane"
                                                : "parts",
                                   p.steps > 0 || p.is_plane ? flat_extent(p.bounds, unit) : extent(p.bounds, unit));
    for (const RegionPlan& r : p.regions)
        text += fmt::format("  region    {} ({})  {}, {} cells\n", r.name, region_kind_name(r.kind),
                            format_content(r.volume, p.is_plane, unit),
                            is_exact(p) ? grouped(static_cast<std::size_t>(std::llround(r.cells))) : rounded(r.cells));
    text += periodic_text(p.periodic, unit);
    text += absorbed_text(p.absorbed, unit);
    if (p.wrapped) text += wrap_text(*p.wrapped, "", unit);
    text += plan_zones_text(p, unit, c.flow ? c.flow->y_plus_at : YPlusAt::cell_center);
    if (!p.sources.empty()) text += sources_text(p);
    if (p.wall) text += "\nFlow at the walls\n" + wall_lines(*p.wall, unit);
    if (p.is_plane)
        text += "\nPredicted\n";
    else if (p.steps > 0)
        text += fmt::format("\nPredicted\n  section    {} cells\n  sweep      {} steps\n",
                            grouped(static_cast<std::size_t>(p.triangles)), p.steps);
    else
        text += fmt::format("\nPredicted\n  surface    {} triangles\n  core       {} cells\n", rounded(p.triangles),
                            rounded(p.core_cells));
    if (p.cubes && p.cubes->whole > 0) text += cubes_text(*p.cubes, c);
    if (p.layer_cells > 0) text += fmt::format("  layers     {} cells\n", rounded(p.layer_cells));
    text +=
        fmt::format("  together   {} cells, {}\n  takes      about {} s and {} MB on this machine\n\n",
                    bold(is_exact(p) ? grouped(static_cast<std::size_t>(p.total_cells())) : rounded(p.total_cells())),
                    is_exact(p)  ? "exact"
                    : p.is_rough ? "or up to twice as many, see the warnings"
                                 : "within 15 %",
                    p.cost.seconds < 10 ? fmt::format("{:.1f}", p.cost.seconds) : rounded(p.cost.seconds),
                    rounded(p.cost.megabytes));
    if (const auto told = gathered(p.warnings_of_build); !told.empty()) {
        text += "Its last build also warned\n";
        for (const std::string& w : told) text += fmt::format("  {} {}\n", bad("careful:"), w);
        text += "\n";
    }
    if (!p.beyond.empty())
        for (const std::string& b : p.beyond) text += bad("Beyond the limit: ") + b + "\n";
    else
        text += p.cells_limit ? fmt::format("{} of {} cells.\n", good("Within the limit"),
                                            grouped(static_cast<std::size_t>(*p.cells_limit)))
                              : "No limit on cells is set ([limits] cells).\n";
    return text;
}

std::string plan_json(const Plan& p, const Case& c) {
    ordered_json zones = ordered_json::array(), regions = ordered_json::array(), sources = ordered_json::array();
    for (const ZonePlan& z : p.zones) {
        zones.push_back({{"name", z.name},
                         {"role", role_name(z.role)},
                         {p.is_plane ? "length" : "area", z.area},
                         {"size", z.size},
                         {"faces", std::round(z.triangles)}});
        if (z.layers) {
            zones.back()["layers"] = json_of(*z.layers);
            zones.back()["layers"]["volume_step"] = z.volume_step;
        }
    }
    for (const RegionPlan& r : p.regions)
        regions.push_back({{"name", r.name},
                           {"kind", region_kind_name(r.kind)},
                           {"cells", std::round(r.cells)},
                           {p.is_plane ? "area" : "volume", r.volume}});
    double volume = 0;
    for (const SourceShare& s : p.sources) volume += s.volume;
    for (const SourceShare& s : p.sources)
        sources.push_back({{"name", s.name}, {"share_of_volume", s.volume / volume}, {"cells", std::round(s.cells)}});
    ordered_json out{{"anvilcast", version()},
                     {"case", case_of(c)},
                     {"bounds", json_of(p.bounds)},
                     {"absorbed", json_of(p.absorbed)},
                     {"wrap", json_of(p.wrapped ? &*p.wrapped : nullptr)},
                     {"cells",
                      {{"total", std::round(p.total_cells())},
                       {"core", std::round(p.core_cells)},
                       {"layers", std::round(p.layer_cells)}}},
                     {is_exact(p) ? "section_cells" : "triangles", std::round(p.triangles)},
                     {"cubes", p.cubes ? json_of(*p.cubes) : ordered_json()},
                     {"zones", zones},
                     {"regions", regions},
                     {"periodic", json_of(p.periodic)},
                     {"sources", sources},
                     {"wall", p.wall ? json_of(*p.wall) : ordered_json()},
                     {"cost", {{"seconds", p.cost.seconds}, {"megabytes", p.cost.megabytes}}},
                     {"limits_hold", p.beyond.empty()},
                     {"beyond", p.beyond},
                     {"stages", stages_of(p.costs)},
                     {"warnings", gathered(p.warnings)},
                     {"all_warnings", p.warnings},
                     {"warnings_of_build", p.warnings_of_build}};
    if (p.steps > 0) out["steps"] = p.steps;
    if (p.cells_limit) out["cells_limit"] = *p.cells_limit;
    return dumped(out);
}

std::string wall_text(const WallQuestion& q, const LengthUnit& unit) {
    const WallEstimate w = estimate_wall(q.flow);
    const double first = first_height(w, q.y_plus, q.at);
    std::string text =
        fmt::format("First cell {} high for y+ = {:.4g} at the {} of the first cell\n",
                    bold(format_length(first, unit)), q.y_plus, q.at == YPlusAt::cell_center ? "center" : "top");
    text += fmt::format("  {} at {:.4g} m/s over {}: density {:.4g} kg/m\xC2\xB3, viscosity {:.4g} Pa s\n",
                        q.flow.fluid.name, q.flow.speed, format_length(q.flow.length, unit), q.flow.fluid.density,
                        q.flow.fluid.viscosity);
    text += wall_lines(w, unit);
    text += fmt::format("  layers             {} at growth {:.4g} cover the boundary layer\n",
                        layers_to_reach(first, q.growth, w.layer_thickness), q.growth);
    if (q.core_size > 0 && layers_to_grow(first, q.growth, kCoreHeight * q.core_size) == 0)
        text += fmt::format("                     none at growth {:.4g} ever meet a core of {}\n", q.growth,
                            format_length(q.core_size, unit));
    else if (q.core_size > 0)
        text += fmt::format("                     {} at growth {:.4g} meet a core of {} (cells {} high)\n",
                            layers_to_grow(first, q.growth, kCoreHeight * q.core_size), q.growth,
                            format_length(q.core_size, unit), format_length(kCoreHeight * q.core_size, unit));
    for (const std::string& warning : w.warnings) text += fmt::format("  {} {}\n", bad("careful:"), warning);
    return text;
}

std::string wall_json(const WallQuestion& q) {
    const WallEstimate w = estimate_wall(q.flow);
    const double first = first_height(w, q.y_plus, q.at);
    ordered_json out{{"y_plus", q.y_plus},
                     {"first_height", first},
                     {"layers_to_cover", layers_to_reach(first, q.growth, w.layer_thickness)}};
    if (q.core_size > 0) out["layers_to_core"] = layers_to_grow(first, q.growth, kCoreHeight * q.core_size);
    out["wall"] = json_of(w);
    return dumped(out);
}

}  // namespace anvilcast
