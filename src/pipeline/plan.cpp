#include <anvilcast/errors.hpp>
#include <anvilcast/plan.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "forecast/with_mesh.hpp"
#include "layers/fan_cells.hpp"
#include "pipeline/cube_plan.hpp"
#include "pipeline/kept/keys.hpp"
#include "pipeline/kept/stages.hpp"
#include "pipeline/plane.hpp"
#include "pipeline/prepare.hpp"
#include "pipeline/warnings.hpp"
#include "surfmesh/draft.hpp"

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
                                     ? fmt::format("per_turn = {:.0f} instead of {:.4g}, or ",
                                                   std::floor(c.sizing.per_turn / all), c.sizing.per_turn)
                                 : source.name == "gaps" ? fmt::format("across_gaps = {:.2g} instead of {:.4g}, or ",
                                                                       c.sizing.across_gaps / all, c.sizing.across_gaps)
                                                         : "";
        return fmt::format("{}all sizes {:.2f} times as large, would bring it there", knob, two_digits_up(all));
    }
    const double asked = two_digits_up(size / c.unit.metres * std::cbrt(source.cells / room)) * c.unit.metres;
    return fmt::format("at {} instead of {} the total would be {}", format_length(asked, c.unit),
                       format_length(size, c.unit), in_words(others + source.cells * std::pow(size / asked, 3)));
}

/// Cubes are worth their trouble when the core has fewer cells than this share of what it has without.
constexpr double kWorthIt = 0.9;

/// What layers there will be on a zone's sides; they take the place of core cells.
void plan_layers(const std::vector<LayerForecast>& forecasts, const Case& c, Plan& out) {
    /// Steps beyond these are worth a word, and shares of a wall that are narrow.
    constexpr double kLargestStep = 2.5, kNarrow = 0.002;
    for (const LayerForecast& f : forecasts) {
        ZonePlan& zone = out.zones[f.zone];
        zone.layers = f.stack;
        zone.volume_step = f.volume_step;
        // Both sides of a baffle have an area.
        out.layer_cells += zone.triangles * f.area / zone.area * f.stack.count;
        out.core_cells -= f.core_cells;
        if (f.volume_step > kLargestStep)
            out.warnings.push_back(fmt::format(
                "layers on \"{}\": core cells are {:.1f} times as large as the last layer's beside them; more "
                "layers, more growth or a smaller size there make the step smaller",
                zone.name, f.volume_step));
        if (f.volume_step < 1 / kLargestStep)
            out.warnings.push_back(
                fmt::format("layers on \"{}\": the last layer's cells are {:.1f} times as large as the "
                            "core's beside them; fewer layers or less growth make the step smaller",
                            zone.name, 1 / f.volume_step));
        if (f.narrow_area > kNarrow * f.area)
            out.warnings.push_back(
                fmt::format("layers on \"{}\": {:.1f} % of the wall is too near to the one opposite, at [{:.6g}, "
                            "{:.6g}, {:.6g}] {} by "
                            "{} where stacks and core cells need {}: they will be squeezed or fewer there",
                            zone.name, 100 * f.narrow_area / f.area, f.narrowest_at.x / c.unit.metres,
                            f.narrowest_at.y / c.unit.metres, f.narrowest_at.z / c.unit.metres, c.unit.name,
                            format_length(f.narrowest, c.unit), format_length(f.needed, c.unit)));
    }
}

/// Cubes above the layers, and what they take the place of; polyhedra, where the tetrahedra become such. Columns then
/// stand on points, of which there are half as many as triangles.
void count_cells(const Domain& domain, const SizeField& sizes, const Case& c, const Context& context, Plan& out) {
    const double tetrahedra = out.core_cells;
    const bool are_polyhedra = c.cells == FillCells::polyhedra;
    const double alone = cells_of_core(tetrahedra, out.triangles, c.cells, nullptr);
    if (c.core == FillCore::cubes) {
        std::vector<double> heights;
        for (const ZonePlan& zone : out.zones) heights.push_back(zone.layers ? zone.layers->total : 0);
        out.cubes = cubes_of(domain, sizes, heights, c, context);
        out.cubes->cells_alone = alone;
    }
    out.core_cells = cells_of_core(tetrahedra, out.triangles, c.cells, out.cubes ? &*out.cubes : nullptr);
    if (are_polyhedra) out.layer_cells *= 0.5;
    for (RegionPlan& r : out.regions) r.cells *= tetrahedra > 0 ? out.core_cells / tetrahedra : 1;
    if (!out.cubes) return;
    if (out.cubes->whole == 0)
        out.warnings.emplace_back(
            "no cube fits into the core, which is too thin for its sizes: it will be meshed without");
    else if (out.core_cells > kWorthIt * alone)
        out.warnings.push_back(fmt::format(
            "cubes do not pay here: the core has about {:.3g} cells with them and {:.3g} without; they do where it is "
            "many cells wide",
            out.core_cells, alone));
}

/// The length of a zone's rim.
double rim_of(const Surface& s, Index zone) {
    std::map<std::array<Index, 2>, int> times;
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (s.zone_of[t] == zone)
            for (std::size_t k = 0; k < 3; ++k) {
                const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
                ++times[{std::min(a, b), std::max(a, b)}];
            }
    double sum = 0;
    for (const auto& [edge, n] : times)
        if (n == 1) sum += distance(s.points[edge[0]], s.points[edge[1]]);
    return sum;
}

/// Cells and walls of ducts that are swept: the faces of their openings, and the layers that end on them, times steps.
void plan_ducts(const Domain& domain, const Case& c, Plan& out) {
    const std::size_t n_zones = out.zones.size();
    for (const OpeningSpec& o : c.openings)
        for (std::size_t z = 0; z < n_zones && o.is_swept; ++z) {
            const ZonePlan opening = out.zones[z];
            if (!matches_pattern(opening.name, o.name) || !(opening.area > 0)) continue;
            const int steps = steps_of(o, o.distance, opening.size);
            const double rim = rim_of(domain.boundary, static_cast<Index>(z));
            int layers = 0;
            double height = 0;
            for (const ZonePlan& other : out.zones)
                if (other.layers && other.layers->count > layers) {
                    layers = other.layers->count;
                    height = other.layers->total;
                }
            const double inner = std::max(0.0, 1 - rim * height / opening.area);
            const double faces = opening.triangles * inner * (c.cells == FillCells::polyhedra ? 0.5 : 1);
            out.core_cells += faces * steps;
            out.layer_cells += rim / opening.size * layers * steps;
            out.zones.push_back({opening.name + "-duct", Role::wall, false, rim * o.distance, opening.size,
                                 rim / opening.size * steps, std::nullopt, 0});
        }
}

/// The domain's triangles tell what will be meshed, and how small triangles come to be where a wrap bridges and folds.
Prediction predict_of_wrap(const Domain& domain, const Sizing& sizing, const Case& c, const Context& context) {
    SurfaceMeshOptions options = c.surface;
    options.divisions = sizing.divisions;
    return forecast::predict_with_mesh(
        domain, sizing.field, surfmesh::draft_surface_mesh(domain, sizing.field, options, context).surface, context);
}

}  // namespace

std::optional<std::string> beyond_budget(const std::vector<SourceShare>& sources, double total, const Case& c) {
    if (!c.limits.cells || total <= *c.limits.cells || sources.empty()) return std::nullopt;
    const SourceShare& most = sources.front();
    return fmt::format("about {} cells are predicted, the limit is {}: \"{}\" makes {:.0f} % of them; {}",
                       in_words(total), in_words(*c.limits.cells), most.name, 100 * most.cells / total,
                       remedy(most, total, *c.limits.cells, c));
}

Plan plan(const Case& c, const Context& context, KeptStages* kept) {
    if (c.plane) return plan_plane(c, context);
    Plan out;
    Stopwatch watch(out.costs);
    kept::Stages stages(kept, context, watch);
    const kept::StageKeys keys = stages.keys([&] { return kept::keys_of(c); });
    BuildResult known;
    Domain domain;
    stages.make(
        "domain", keys.domain, [&] { domain = prepare_domain(c, known, context); }, known, domain);
    out.bounds = known.bounds;
    out.absorbed = known.absorbed;
    out.wrapped = std::move(known.wrapped);
    Sizing sizing;
    stages.make(
        "sizes", keys.sizes, [&] { sizing = make_sizing(domain, c.sizing, context, octree_budget(c)); }, sizing);
    const Prediction p =
        out.wrapped ? predict_of_wrap(domain, sizing, c, context) : predict(domain, sizing.field, context);
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
    out.periodic = domain.periodic;
    out.triangles = p.triangles;
    out.core_cells = p.cells;
    for (std::size_t z = 0; z < domain.boundary.zones.size(); ++z) {
        const Zone& zone = domain.boundary.zones[z];
        out.zones.push_back({zone.name, zone.role, zone.role_is_guess, p.area_of_zone[z], p.size_of_zone[z],
                             p.triangles_of_zone[z], std::nullopt, 0});
    }
    if (!c.layers.empty()) {
        const auto forecasts =
            with_case_file(c, [&] { return forecast_layers(domain, sizing.field, layer_request(c), context); });
        plan_layers(forecasts, c, out);
        warn_of_layers(domain, forecasts, c, out.warnings);
    }
    /// From this share on fans make a prediction a guess.
    constexpr double kManyRoundFans = 0.05;
    if (!c.layers.empty() &&
        layers::cells_round_fans(domain, sizing.field, layer_request(c), context) > kManyRoundFans * p.cells) {
        out.is_rough = true;
        out.warnings.emplace_back(
            "round sharp edges the layers end in strips much narrower than the edges are long, which takes small cells "
            "there: the mesh may have twice the cells predicted; more or higher layers, or smaller edges, make it "
            "less");
    }
    if (out.wrapped && !c.layers.empty()) {
        out.is_rough = true;
        out.warnings.emplace_back(
            "layers end where a wrap is rough, and their ends take small cells: how many cannot be known before, the "
            "mesh may have twice the cells predicted");
    }
    out.core_cells = std::max(0.0, out.core_cells);
    out.cells = c.cells;
    const double filled = out.total_cells();
    count_cells(domain, sizing.field, c, context, out);
    plan_ducts(domain, c, out);
    out.sources = p.sources;
    // Layers take their place from all sources alike.
    for (SourceShare& s : out.sources) s.cells *= p.cells > 0 ? out.core_cells / p.cells : 0;
    out.cost = predict_cost(out.triangles, filled, c.cells == FillCells::polyhedra ? out.total_cells() : 0);
    out.cells_limit = c.limits.cells;
    if (const auto beyond = beyond_budget(out.sources, out.total_cells(), c)) out.beyond.push_back(*beyond);
    for (const std::string& w : gathered(out.warnings)) context.warn(w);
    return out;
}

}  // namespace anvilcast
