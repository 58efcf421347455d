#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/names.hpp"
#include "forecast/with_mesh.hpp"
#include "io/files.hpp"
#include "pipeline/plane.hpp"
#include "pipeline/prepare.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

/// Predictions are within this share of what is built.
constexpr double kPredictionError = 0.15;

/// Cells to expect; throws FailureError where these are far more than the limit.
double check_cells(const Prediction& p, const std::vector<LayerForecast>& layers, const Case& c) {
    double core = p.cells, prisms = 0;
    for (const LayerForecast& f : layers) {
        core -= f.core_cells;
        prisms += p.triangles_of_zone[f.zone] * f.area / p.area_of_zone[f.zone] * f.stack.count;
    }
    if (c.cells == FillCells::polyhedra) {
        core = predicted_polyhedra(core, p.triangles);
        prisms *= 0.5;
    }
    const double cells = core + prisms;
    if (!c.limits.cells || cells <= (1 + kPredictionError) * *c.limits.cells) return cells;
    std::vector<SourceShare> sources = p.sources;  // of tetrahedra alone
    for (SourceShare& s : sources) s.cells *= core / p.cells;
    throw FailureError(fmt::format("{}: nothing was meshed", *beyond_budget(sources, cells, c)));
}

std::vector<LayerForecast> forecast_of_layers(const Domain& domain, const Sizing& sizing, const Case& c,
                                              const Context& context) {
    if (c.layers.empty()) return {};
    return with_case_file(c, [&] { return forecast_layers(domain, sizing.field, layer_request(c), context); });
}

/// Domain and sizes, as far as the surface mesh; `field` is what the volume is to be filled by.
SurfaceMesh mesh_up_to_surface(const Case& c, BuildResult& result, Sizing& sizing, Stopwatch& watch,
                               const Context& context) {
    const Domain domain = prepare_domain(c, result, context);
    watch.lap("domain");

    sizing = make_sizing(domain, c.sizing, context, octree_budget(c));
    result.warnings.insert(result.warnings.end(), sizing.warnings.begin(), sizing.warnings.end());
    // Layers that nobody can build are told before anything is meshed, and what would be far too large is not begun.
    const auto layers = forecast_of_layers(domain, sizing, c, context);
    warn_of_layers(domain, layers, c, result.warnings);
    result.predicted_cells = check_cells(predict(domain, sizing.field, context), layers, c);
    watch.lap("sizes");

    SurfaceMeshOptions options = c.surface;
    options.divisions = sizing.divisions;
    SurfaceMesh surface = mesh_surface(domain, sizing.field, options, context);
    result.largest_deviation = surface.largest_deviation;
    result.largest_deviation_at = surface.largest_deviation_at;
    warn_of_surface_mesh(surface, c, result.warnings);
    if (result.wrapped)
        result.predicted_cells =
            check_cells(forecast::predict_with_mesh(domain, sizing.field, surface.surface, context), layers, c);
    sizing.field = with_finer_surface(sizing.field, surface.surface);
    watch.lap("surface");
    return surface;
}

/// A ball to be left bare of layers round an obstacle, twice as large for each one that did not help, and more so after
/// many attempts.
Ball ball_round(const Vec3& obstacle, double size, const std::vector<Ball>& before, int attempt) {
    constexpr int kManyAttempts = 8;
    const auto n = std::count_if(before.begin(), before.end(),
                                 [&](const Ball& b) { return distance(b.center, obstacle) < b.radius; });
    return {obstacle, std::ldexp(size, static_cast<int>(n) + std::max(0, attempt - kManyAttempts))};
}

/// Where the fill meets obstacles in layers these are left out there, and all is filled again.
void fill_round_layers(const Case& c, const SurfaceMesh& surface, const SizeField& field, const FillOptions& options,
                       BuildResult& result, Stopwatch& watch, const Context& context) {
    constexpr int kMostAttempts = 16;
    LayerRequest request = layer_request(c);
    for (int attempt = 1;; ++attempt) {
        const LayerStacks stacks = with_case_file(c, [&] { return grow_layers(surface, field, request, context); });
        watch.lap("layers");
        result.layers = stacks.zones;
        result.fill = {};
        try {
            result.mesh = fill_with_layers(surface, stacks, field, options, context, &result.fill);
            return;
        } catch (const FillObstacle& e) {
            if (attempt == kMostAttempts) throw;
            const std::vector<Ball> before = request.bare;
            for (const Vec3& place : e.places())
                request.bare.push_back(ball_round(place, field.at(place), before, attempt));
        }
        watch.lap("fill");
    }
}

/// Ducts that are swept from the faces of their openings.
void sweep_ducts(const Case& c, const SizeField& field, BuildResult& result) {
    std::vector<std::string> done;
    for (const OpeningSpec& o : c.openings) {
        if (!o.is_swept) continue;
        for (Index z = 0; z < result.mesh.zones.size(); ++z) {
            const std::string name = result.mesh.zones[z].name;
            if (!matches_pattern(name, o.name) || result.mesh.zones[z].n_faces == 0) continue;
            if (std::find(done.begin(), done.end(), name) != done.end() || name.ends_with("-duct")) continue;
            done.push_back(name);
            result.mesh = add_duct(
                result.mesh, z, o.distance,
                [&](const Vec3& place, double length) { return steps_of(o, length, field.at(place)); }, name + "-duct");
        }
    }
}

}  // namespace

int steps_of(const OpeningSpec& opening, double length, double size) {
    return opening.steps > 0 ? opening.steps : static_cast<int>(std::clamp(std::round(length / size), 1.0, 1e6));
}

SurfaceBuild build_surface(const Case& c, const Context& context) {
    if (c.plane)
        throw InputError("a mesh in a plane has no surface mesh to stop at; build it as a whole, which is soon done");
    SurfaceBuild out;
    Stopwatch watch(out.result.costs);
    Sizing sizing;
    out.mesh = mesh_up_to_surface(c, out.result, sizing, watch, context);
    out.quality = assess_surface(out.mesh.surface, c.limits);
    watch.lap("assess");
    for (const std::string& w : gathered(out.result.warnings)) context.warn(w);
    return out;
}

SizedDomain size_case(const Case& c, const Context& context) {
    if (c.plane)
        throw InputError(
            "sizes are drawn of cases with parts; of a mesh in a plane, build it and draw it with --colour size");
    BuildResult ignored;
    SizedDomain out{prepare_domain(c, ignored, context), {}};
    out.sizing = make_sizing(out.domain, c.sizing, context, octree_budget(c));
    return out;
}

BuildResult build(const Case& c, const Context& context) {
    if (c.plane) return build_plane(c, context);
    BuildResult result;
    Stopwatch watch(result.costs);
    Sizing sizing;
    const SurfaceMesh surface = mesh_up_to_surface(c, result, sizing, watch, context);
    const SizeField& field = sizing.field;

    FillOptions options;
    /// Tetrahedra that a polyhedron takes the place of.
    constexpr double kPerPolyhedron = 6;
    options.cells = c.cells;
    if (c.limits.cells)
        options.max_cells =
            static_cast<std::size_t>(*c.limits.cells * (c.cells == FillCells::polyhedra ? kPerPolyhedron : 1));
    // What the surface mesh has left of the tolerance; without one, flat patches and straight edges alone.
    options.slide = std::max(0.0, c.surface.tolerance - surface.largest_deviation);
    if (c.layers.empty()) {
        result.mesh = c.cells == FillCells::polyhedra
                          ? fill_with_polyhedra(surface, field, options, context, &result.fill)
                          : fill_with_tetrahedra(surface, field, options, context, &result.fill);
    } else {
        fill_round_layers(c, surface, field, options, result, watch, context);
    }
    sweep_ducts(c, field, result);
    watch.lap("fill");
    if (result.fill.bad_polyhedra > 0)
        result.warnings.push_back(fmt::format(
            "{} of {} polyhedra are concave or lean much, and moving their points did not make them better: the worst "
            "places by \"visibility\" and \"orthogonality\" tell where",
            result.fill.bad_polyhedra, result.mesh.n_cells()));
    if (result.fill.merged_polyhedra > 0)
        result.warnings.push_back(fmt::format(
            "{} of {} polyhedra came out without volume, where walls or layers meet sharply, and became one "
            "with a neighbour",
            result.fill.merged_polyhedra, result.mesh.n_cells()));

    for (const QualityLimit& l : c.limits.metrics)
        if (const MetricInfo& m = metric_info(l.metric);
            c.cells == FillCells::polyhedra && std::string_view(m.where).find("cells but polyhedra") == 0)
            result.warnings.push_back(
                fmt::format("[limits] {} is not checked: polyhedra have none; non_orthogonality and volume_growth are "
                            "for them too",
                            m.key));

    context.report("assess", "validity", 0);
    if (const auto faults = find_faults(result.mesh, 10, context); !faults.empty())
        throw InternalError(
            fmt::format("the mesh that was made is not valid, so it is not written: {}", fmt::join(faults, "; ")));
    QualityOptions judged;
    judged.volumes = sizing.volumes;
    result.quality = assess(result.mesh, c.limits, context, judged);
    if (!result.layers.empty()) {
        std::vector<AskedLayers> asked;
        for (const ZoneLayers& z : result.layers)
            asked.push_back({z.zone, z.region, static_cast<Index>(z.asked.count), z.asked.first});
        result.quality.layers = measure_layers(result.mesh, asked, context);
    }
    watch.lap("assess");
    warn_of_names(result.mesh, c, result.warnings);
    for (const std::string& w : gathered(result.warnings)) context.warn(w);
    return result;
}

}  // namespace anvilcast
