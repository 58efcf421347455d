#include <anvilcast/errors.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/plan.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "pipeline/prepare.hpp"

namespace anvilcast {
namespace {

/// Rounded up to two digits: sizes are for people.
double two_digits_up(double x) {
    const double grain = std::pow(10.0, std::floor(std::log10(x)) - 1);
    return std::ceil(x / grain - 1e-9) * grain;
}

std::string in_words(double cells) {
    if (cells >= 1e6) return fmt::format("{:.3g} million", cells / 1e6);
    return cells >= 1e4 ? fmt::format("{:.0f} thousand", cells / 1e3) : fmt::format("{:.0f}", cells);
}

/// The size that a source stands for; 0 for curvature and gaps, which have none.
double size_of(const std::string& source, const Case& c) {
    if (source == "surface size") return c.sizing.surface_size();
    if (source == "largest size") return c.sizing.largest;
    for (const Refinement& r : c.sizing.refine)
        if (r.name == source) return r.size;
    return 0;
}

/// What to change about a source so that the total comes to the limit.
std::string remedy(const SourceShare& source, double total, double limit, const Case& c) {
    const double others = total - source.cells;
    const double room = limit - others;
    const double size = size_of(source.name, c);
    if (room < 0.05 * limit || size == 0) {
        const double all = std::cbrt(total / limit);
        const std::string knob = source.name == "curvature"
                                     ? fmt::format("per_circle = {:.0f} instead of {:.4g}, or ",
                                                   std::floor(c.sizing.per_circle / all), c.sizing.per_circle)
                                 : source.name == "gaps" ? fmt::format("across_gaps = {:.2g} instead of {:.4g}, or ",
                                                                       c.sizing.across_gaps / all, c.sizing.across_gaps)
                                                         : "";
        return fmt::format("{}all sizes {:.2f} times as large, would bring it there", knob, two_digits_up(all));
    }
    const double asked = two_digits_up(size / c.unit.metres * std::cbrt(source.cells / room)) * c.unit.metres;
    return fmt::format("at {} instead of {} the total would be {}", format_length(asked, c.unit),
                       format_length(size, c.unit), in_words(others + source.cells * std::pow(size / asked, 3)));
}

/// The first recipe that fits the zone; one without zones fits all walls.
const LayerRecipe* recipe_for(const Zone& zone, const Case& c) {
    for (const LayerRecipe& r : c.layers) {
        const bool fits = r.on.empty() ? zone.role == Role::wall
                                       : std::any_of(r.on.begin(), r.on.end(), [&](const std::string& pattern) {
                                             return matches_pattern(zone.name, pattern);
                                         });
        if (fits) return &r;
    }
    return nullptr;
}

void check_recipes(const Domain& domain, const Case& c) {
    for (const LayerRecipe& r : c.layers)
        for (const std::string& pattern : r.on)
            if (std::none_of(domain.boundary.zones.begin(), domain.boundary.zones.end(),
                             [&](const Zone& z) { return matches_pattern(z.name, pattern); })) {
                std::vector<std::string> names;
                for (const Zone& z : domain.boundary.zones) names.push_back(z.name);
                throw InputError(
                    fmt::format("{}, line {}: [[layers]] on \"{}\", but no zone has such a name; the zones are {}",
                                c.file.string(), r.line, pattern, fmt::join(names, ", ")));
            }
}

/// Layers take the place of core cells.
void plan_layers(const Zone& zone, const Case& c, ZonePlan& zone_plan, Plan& out) {
    const LayerRecipe* recipe = recipe_for(zone, c);
    if (recipe == nullptr || !(zone_plan.size > 0)) return;
    try {
        zone_plan.layers =
            solve_stack(*recipe, zone_plan.size, out.wall, c.flow ? c.flow->y_plus_at : YPlusAt::cell_center);
    } catch (const InputError& e) {
        throw InputError(fmt::format("{}, line {}: [[layers]]: {}", c.file.string(), recipe->line, e.what()));
    }
    constexpr double kCellsPerVolume = 1 / 0.1178511;
    const double size = zone_plan.size;
    out.layer_cells += zone_plan.triangles * zone_plan.layers->count;
    out.core_cells -= zone_plan.area * zone_plan.layers->total * kCellsPerVolume / (size * size * size);
}

}  // namespace

std::optional<std::string> beyond_budget(const std::vector<SourceShare>& sources, double total, const Case& c) {
    if (!c.limits.cells || total <= *c.limits.cells || sources.empty()) return std::nullopt;
    const SourceShare& most = sources.front();
    return fmt::format("about {} cells are predicted, the limit is {}: \"{}\" makes {:.0f} % of them; {}",
                       in_words(total), in_words(*c.limits.cells), most.name, 100 * most.cells / total,
                       remedy(most, total, *c.limits.cells, c));
}

Plan plan(const Case& c, const Context& context) {
    Plan out;
    Stopwatch watch(out.costs);
    BuildResult known;
    const Domain domain = prepare_domain(c, known, context);
    check_recipes(domain, c);
    out.bounds = known.bounds;
    out.absorbed = known.absorbed;
    watch.lap("domain");
    const Sizing sizing = make_sizing(domain, c.sizing, context, octree_budget(c));
    watch.lap("sizes");
    const Prediction p = predict(domain, sizing.field, context);
    watch.lap("prediction");

    out.warnings = std::move(known.warnings);
    out.warnings.insert(out.warnings.end(), sizing.warnings.begin(), sizing.warnings.end());
    if (c.flow) {
        out.wall = estimate_wall(c.flow->conditions);
        out.warnings.insert(out.warnings.end(), out.wall->warnings.begin(), out.wall->warnings.end());
    }
    for (std::size_t r = 0; r < domain.regions.size(); ++r)
        out.regions.push_back(
            {domain.regions[r].name, domain.regions[r].kind, domain.regions[r].volume, p.cells_of_region[r]});
    out.triangles = p.triangles;
    out.core_cells = p.cells;
    for (std::size_t z = 0; z < domain.boundary.zones.size(); ++z) {
        const Zone& zone = domain.boundary.zones[z];
        out.zones.push_back({zone.name, zone.role, zone.role_is_guess, p.area_of_zone[z], p.size_of_zone[z],
                             p.triangles_of_zone[z], std::nullopt});
        plan_layers(zone, c, out.zones.back(), out);
    }
    out.core_cells = std::max(0.0, out.core_cells);
    out.sources = p.sources;
    // Layers take their place from all sources alike.
    for (SourceShare& s : out.sources) s.cells *= p.cells > 0 ? out.core_cells / p.cells : 0;
    out.cost = predict_cost(out.triangles, out.total_cells());
    out.cells_limit = c.limits.cells;
    if (const auto beyond = beyond_budget(out.sources, out.total_cells(), c)) out.beyond.push_back(*beyond);
    for (const std::string& w : out.warnings) context.warn(w);
    return out;
}

}  // namespace anvilcast
