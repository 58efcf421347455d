#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/names.hpp"
#include "forecast/with_mesh.hpp"
#include "io/files.hpp"
#include "pipeline/cube_plan.hpp"
#include "pipeline/kept/keys.hpp"
#include "pipeline/kept/stages.hpp"
#include "pipeline/plane.hpp"
#include "pipeline/prepare.hpp"
#include "pipeline/validity.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

/// Predictions are within this share of what is built.
constexpr double kPredictionError = 0.15;

/// Cells to expect; throws FailureError where these are far more than the limit.
double check_cells(const Domain& domain, const SizeField& sizes, const Prediction& p,
                   const std::vector<LayerForecast>& layers, const Case& c, const Context& context) {
    double core = p.cells, prisms = 0;
    std::vector<double> heights(domain.boundary.zones.size(), 0);
    for (const LayerForecast& f : layers) {
        core -= f.core_cells;
        prisms += p.triangles_of_zone[f.zone] * f.area / p.area_of_zone[f.zone] * f.stack.count;
        heights[f.zone] = f.stack.total;
    }
    std::optional<CubePlan> cubes;
    if (c.core == FillCore::cubes) cubes = cubes_of(domain, sizes, heights, c, context);
    core = cells_of_core(core, p.triangles, c.cells, cubes ? &*cubes : nullptr);
    if (c.cells == FillCells::polyhedra) prisms *= 0.5;
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

/// A ball to be left bare of layers round an obstacle, twice as large for each one that did not help, and more so after
/// many attempts.
Ball ball_round(const Vec3& obstacle, double size, const std::vector<Ball>& before, int attempt) {
    constexpr int kManyAttempts = 8;
    const auto n = std::count_if(before.begin(), before.end(),
                                 [&](const Ball& b) { return distance(b.center, obstacle) < b.radius; });
    return {obstacle, std::ldexp(size, static_cast<int>(n) + std::max(0, attempt - kManyAttempts))};
}

/// Where the fill meets obstacles in layers these are left out there, and all is filled again.
void fill_round_layers(const Case& c, const SurfaceMesh& surface, const SizeField& field, const SizeField& of_core,
                       const FillOptions& options, BuildResult& result, Stopwatch& watch, const Context& context) {
    constexpr int kMostAttempts = 16;
    LayerRequest request = layer_request(c);
    LayerStacks stacks;
    for (int attempt = 1;; ++attempt) {
        const LayerStacks earlier = std::exchange(stacks, {});
        stacks = with_case_file(
            c, [&] { return grow_layers(surface, field, request, context, attempt > 1 ? &earlier : nullptr); });
        watch.lap("layers");
        result.layers = stacks.zones;
        result.fill = {};
        try {
            result.mesh = fill_with_layers(surface, stacks, of_core, options, context, &result.fill);
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

FillOptions fill_options(const Case& c, const SurfaceMesh& surface) {
    /// Tetrahedra that a polyhedron takes the place of.
    constexpr double kPerPolyhedron = 6;
    FillOptions options;
    options.cells = c.cells;
    options.core = c.core;
    options.layout = c.layout;
    if (c.limits.cells)
        options.max_cells =
            static_cast<std::size_t>(*c.limits.cells * (c.cells == FillCells::polyhedra ? kPerPolyhedron : 1));
    // What the surface mesh has left of the tolerance; without one, flat patches and straight edges alone.
    options.slide = std::max(0.0, c.surface.tolerance - surface.largest_deviation);
    return options;
}

void warn_of_polyhedra(const FillReport& fill, std::size_t n_cells, std::vector<std::string>& warnings) {
    if (fill.bad_polyhedra > 0)
        warnings.push_back(fmt::format(
            "{} of {} polyhedra are concave or lean much, and moving their points did not make them better: the worst "
            "places by \"visibility\" and \"orthogonality\" tell where",
            fill.bad_polyhedra, n_cells));
    if (fill.merged_polyhedra > 0)
        warnings.push_back(fmt::format(
            "{} of {} polyhedra came out without volume, where walls or layers meet sharply, and became one "
            "with a neighbour",
            fill.merged_polyhedra, n_cells));
}

/// One build, stage by stage: each is read back where it is kept, else made, and kept.
class Build {
  public:
    Build(const Case& c, const Context& context, KeptStages* kept)
        : c_(c),
          context_(context),
          stages_(kept, context, watch_),
          keys_(stages_.keys([&] { return kept::keys_of(c); })) {}

    SurfaceBuild up_to_surface() {
        SurfaceBuild out;
        make_surface();
        out.quality = assess_surface(surface_.surface, c_.limits);
        watch_.lap("assess");
        finish();
        out.mesh = std::move(surface_);
        out.result = std::move(result_);
        return out;
    }

    BuildResult run() {
        if (!has_kept_mesh()) {
            make_surface();
            make_mesh();
            stages_.keep_warnings(keys_.mesh, result_.warnings);
        }
        judge();
        finish();
        return std::move(result_);
    }

  private:
    /// `known`: takes what the result tells about parts and regions.
    void make_domain(BuildResult& known) {
        if (has_domain_) return;
        stages_.make(
            "domain", keys_.domain, [&] { domain_ = prepare_domain(c_, known, context_); }, known, domain_);
        has_domain_ = true;
    }

    void make_surface() {
        make_domain(result_);
        const bool are_kept = stages_.make(
            "sizes", keys_.sizes, [&] { sizing_ = make_sizing(domain_, c_.sizing, context_, octree_budget(c_)); },
            sizing_);
        if (are_kept) sizing_.volumes = volumes_of(domain_, c_.sizing);
        append(sizing_.warnings);
        // Layers that nobody can build are told before anything is meshed, and what would be far too large is not
        // begun.
        const auto layers = forecast_of_layers(domain_, sizing_, c_, context_);
        warn_of_layers(domain_, layers, c_, result_.warnings);
        result_.predicted_cells =
            check_cells(domain_, sizing_.field, predict(domain_, sizing_.field, context_), layers, c_, context_);
        watch_.lap("sizes");

        stages_.make(
            "surface", keys_.surface,
            [&] {
                SurfaceMeshOptions options = c_.surface;
                options.divisions = sizing_.divisions;
                surface_ = mesh_surface(domain_, sizing_.field, options, context_);
            },
            surface_);
        result_.largest_deviation = surface_.largest_deviation;
        result_.largest_deviation_at = surface_.largest_deviation_at;
        warn_of_surface_mesh(surface_, c_, result_.warnings);
        stages_.keep_warnings(keys_.surface, result_.warnings);
        if (result_.wrapped)
            result_.predicted_cells = check_cells(
                domain_, sizing_.field, forecast::predict_with_mesh(domain_, sizing_.field, surface_.surface, context_),
                layers, c_, context_);
    }

    void make_mesh() {
        // What it is made from is the surface mesh and the case: nobody else need know of the field's finer places.
        // Cubes need not, either: they may stand in the place of what is finer.
        const SizeField plain = sizing_.field;
        sizing_.field = with_finer_surface(plain, surface_.surface);
        const SizeField& of_core = c_.core == FillCore::cubes ? plain : sizing_.field;
        watch_.lap("surface");
        stages_.keep(
            "mesh", keys_.mesh,
            [&] {
                const FillOptions options = fill_options(c_, surface_);
                if (!c_.layers.empty())
                    fill_round_layers(c_, surface_, sizing_.field, of_core, options, result_, watch_, context_);
                else if (c_.cells == FillCells::polyhedra)
                    result_.mesh = fill_with_polyhedra(surface_, of_core, options, context_, &result_.fill);
                else
                    result_.mesh = fill_with_tetrahedra(surface_, of_core, options, context_, &result_.fill);
                sweep_ducts(c_, sizing_.field, result_);
                warn_of_polyhedra(result_.fill, result_.mesh.n_cells(), result_.warnings);
                if (c_.core == FillCore::cubes && result_.fill.cubes == 0)
                    result_.warnings.push_back(
                        "no cubes stand in the core: it is too thin for its sizes, or the boundary could not be "
                        "brought "
                        "back round them");
                watch_.lap("fill");
                require_valid(result_.mesh, context_);  // before it is kept
                watch_.lap("assess");
            },
            result_, result_.mesh);
        watch_.lap("fill");
    }

    /// A mesh that a limit of cells would not have stopped on its way.
    bool has_kept_mesh() {
        if (!stages_.load("mesh", keys_.mesh, result_, result_.mesh)) return false;
        const double most = c_.limits.cells.value_or(Box::inf);
        if (result_.predicted_cells <= (1 + kPredictionError) * most &&
            static_cast<double>(result_.mesh.n_cells()) <= most) {
            watch_.lap("fill", true);
            require_valid(result_.mesh, context_);
            return true;
        }
        result_ = {};
        return false;
    }

    void judge() {
        for (const QualityLimit& l : c_.limits.metrics)
            if (const MetricInfo& m = metric_info(l.metric);
                c_.cells == FillCells::polyhedra && std::string_view(m.where).find("cells but polyhedra") == 0)
                result_.warnings.push_back(fmt::format(
                    "[limits] {} is not checked: polyhedra have none; non_orthogonality and volume_growth are "
                    "for them too",
                    m.key));
        QualityOptions judged;
        judged.volumes = volumes();
        result_.quality = assess(result_.mesh, c_.limits, context_, judged);
        if (!result_.layers.empty()) {
            std::vector<AskedLayers> asked;
            for (const ZoneLayers& z : result_.layers)
                asked.push_back({z.zone, z.region, static_cast<Index>(z.asked.count), z.asked.first});
            result_.quality.layers = measure_layers(result_.mesh, asked, context_);
        }
        watch_.lap("assess");
        warn_of_names(result_.mesh, c_, result_.warnings);
    }

    /// Of the refinements; they may lie where the domain is.
    std::vector<std::pair<std::string, std::function<bool(const Vec3&)>>> volumes() {
        const auto& all = c_.sizing.refine;
        if (std::none_of(all.begin(), all.end(), [](const Refinement& r) { return r.volume.has_value(); })) return {};
        BuildResult known_already;
        make_domain(known_already);
        return volumes_of(domain_, c_.sizing);
    }

    void finish() {
        for (const std::string& w : gathered(result_.warnings)) context_.warn(w);
        for (const std::string& w : stages_.warnings()) context_.warn(w);
        result_.costs = std::move(costs_);
    }

    void append(const std::vector<std::string>& warnings) {
        result_.warnings.insert(result_.warnings.end(), warnings.begin(), warnings.end());
    }

    const Case& c_;
    const Context& context_;
    std::vector<StageCost> costs_;
    Stopwatch watch_{costs_};
    kept::Stages stages_;
    kept::StageKeys keys_;
    BuildResult result_;
    Domain domain_;
    bool has_domain_ = false;
    Sizing sizing_;
    SurfaceMesh surface_;
};

}  // namespace

int steps_of(const OpeningSpec& opening, double length, double size) {
    return opening.steps > 0 ? opening.steps : static_cast<int>(std::clamp(std::round(length / size), 1.0, 1e6));
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

SurfaceBuild build_surface(const Case& c, const Context& context, KeptStages* kept) {
    if (c.plane)
        throw InputError("a mesh in a plane has no surface mesh to stop at; build it as a whole, which is soon done");
    return Build(c, context, kept).up_to_surface();
}

BuildResult build(const Case& c, const Context& context, KeptStages* kept) {
    if (c.plane) return build_plane(c, context, kept);
    return Build(c, context, kept).run();
}

}  // namespace anvilcast
