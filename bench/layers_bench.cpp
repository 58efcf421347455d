// Layers on the walls of the dust cyclone at an even size: columns, and cells from them.
//
//     build-bench/bin/layers_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>

#include "cyclone.hpp"
#include "fill/fill_core.hpp"

namespace {

using namespace anvilcast;
using namespace anvilcast::bench;

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
        auto start = std::chrono::steady_clock::now();
        const LayerStacks stacks = grow_layers(surface, sizing.field, {.recipes = {recipe}}, context);
        const double growing = seconds_since(start);
        FillReport report;
        fill::FilledCore core = fill::fill_core(stacks.core, sizing.field, {}, context, report);
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
        state.counters["layer cells/core-s, cells alone"] = n / making;
        state.counters["layer cells/core-s, with columns"] = n / (making + growing * threads);
        state.counters["bytes/cell, all"] = std::max(0.0, peak_bytes() - before) / static_cast<double>(mesh.n_cells());
        if (mesh.n_cells() < n_core) state.SkipWithError("cells are missing");
    }
}

BENCHMARK(layers)->Args({30, 1})->Args({30, 2})->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
