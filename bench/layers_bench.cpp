// Layers on the walls of the dust cyclone at an even size: columns, and cells from them.
//
//     build-bench/bin/layers_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>

#include "base/thread_limit.hpp"
#include "cyclone.hpp"
#include "fill/fill_core.hpp"
#include "layers/assignment.hpp"
#include "layers/heights.hpp"
#include "layers/repeat.hpp"

namespace {

using namespace anvilcast;
using namespace anvilcast::bench;

/// Of finding directions and heights alone, the walls taken apart included.
double seconds_of_directions(const SurfaceMesh& surface, const SizeField& field, const LayerRequest& request,
                             const Context& context) {
    using namespace anvilcast::layers;
    const ThreadLimit limit(context);
    const auto start = std::chrono::steady_clock::now();
    const Assignment a = assign(surface.surface, surface.sides, surface.regions, field, request);
    const Wall wall = find_wall(surface, a.recipe_of_side);
    const Repeats repeats(wall);
    const Asked asked = ask(wall, field, request.recipes, a.stacks, a.stack_of_side);
    std::vector<double> height;
    for (const LayerStack& s : asked.stack) height.push_back(s.total);
    const std::vector<Direction> directions = find_directions(wall, height, repeats, 30, context);
    const std::vector<double> room = rooms_in_gaps(wall, directions, asked);
    const Settled settled =
        settle(wall, directions, asked, room, std::vector<LayerLimit>(room.size(), LayerLimit::narrow_gap), repeats);
    return settled.stack.empty() ? 0 : seconds_since(start);
}

/// Argument 0: tenths of a millimetre; 1: threads.
void layers(benchmark::State& state) {
    const Domain domain = gas_of_the_cyclone();
    SizeOptions options;
    options.surface = options.largest = 1e-4 * static_cast<double>(state.range(0));
    const Sizing sizing = make_sizing(domain, options);
    const SurfaceMesh surface = mesh_surface(domain, sizing.field);
    LayerRecipe recipe;
    recipe.first_height = 0.03 * options.surface;
    recipe.count = 12;
    recipe.growth = 1.2;
    Context context;
    context.threads = static_cast<int>(state.range(1));
    for (auto _ : state) {
        const double before = peak_bytes();
        const double directions = seconds_of_directions(surface, sizing.field, {.recipes = {recipe}}, context);
        auto start = std::chrono::steady_clock::now();
        const LayerStacks stacks = grow_layers(surface, sizing.field, {.recipes = {recipe}}, context);
        const double growing = seconds_since(start);
        FillReport report;
        fill::FilledCore core = fill::fill_core(
            stacks.core, [&] { return sizing.field; }, {}, context, report);
        const std::size_t n_core = core.cells.cell_types.size();
        start = std::chrono::steady_clock::now();
        CellsAndBoundary cells = fill::with_layer_cells(surface, stacks, std::move(core), report.boundary_points_added);
        const double making = seconds_since(start);
        const auto n = static_cast<double>(cells.cell_types.size() - n_core);
        const VolumeMesh mesh = assemble_mesh(std::move(cells));
        const double threads = static_cast<double>(state.range(1));
        state.counters["layer cells"] = n;
        state.counters["core cells"] = static_cast<double>(n_core);
        state.counters["wall points/core-s"] = static_cast<double>(stacks.columns.size()) / (growing * threads);
        state.counters["wall points/core-s, directions and heights"] =
            static_cast<double>(stacks.columns.size()) / (directions * threads);
        state.counters["layer cells/core-s, cells alone"] = n / making;
        state.counters["layer cells/core-s, with columns"] = n / (making + growing * threads);
        state.counters["bytes/cell, all"] = std::max(0.0, peak_bytes() - before) / static_cast<double>(mesh.n_cells());
        if (mesh.n_cells() < n_core) state.SkipWithError("cells are missing");
    }
}

BENCHMARK(layers)->Args({30, 1})->Args({30, 2})->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
