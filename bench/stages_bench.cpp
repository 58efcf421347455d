// The stages of a build on the dust cyclone, from the shipped size to a million cells, and reading STL.
//
//     build-bench/bin/stages_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>

#include <filesystem>

namespace {

using namespace anvilcast;

Case cyclone(double scale) {
    Case c = read_case(std::filesystem::path(ANVILCAST_DEMO) / "dust-cyclone" / "case.toml");
    c.sizing.surface *= scale;
    c.sizing.largest *= scale;
    return c;
}

/// Sizes in hundredths of the shipped ones.
void whole_build(benchmark::State& state) {
    const Case c = cyclone(static_cast<double>(state.range(0)) / 100);
    BuildResult result;
    for (auto _ : state) result = build(c);
    if (!find_faults(result.mesh).empty()) state.SkipWithError("the mesh is not valid");
    const auto cells = static_cast<double>(result.mesh.n_cells());
    state.counters["cells"] = cells;
    for (const StageCost& s : result.costs) state.counters[s.stage + " s"] = s.seconds;
    state.counters["cells/s"] = benchmark::Counter(cells, benchmark::Counter::kIsIterationInvariantRate);
    state.counters["peak bytes/cell"] = result.costs.back().peak_megabytes * 1048576 / cells;
    state.counters["min dihedral"] = result.quality.metric("smallest dihedral").min;
    state.counters["max skewness"] = result.quality.metric("equiangle skewness").max;
}

void assessment(benchmark::State& state) {
    const BuildResult result = build(cyclone(1));
    for (auto _ : state) benchmark::DoNotOptimize(assess(result.mesh).volume);
    state.counters["cells/s"] =
        benchmark::Counter(static_cast<double>(result.mesh.n_cells()), benchmark::Counter::kIsIterationInvariantRate);
}

void read_binary_stl(benchmark::State& state) {
    const auto file = std::filesystem::temp_directory_path() / "anvilcast-bench.stl";
    const LengthUnit m = parse_length_unit("m");
    const BuildResult result = build(cyclone(1));
    write_stl(file, boundary_surface(result.mesh), m);
    std::size_t n = 0;
    for (auto _ : state) n = read_stl(file, m).triangles.size();
    state.counters["triangles/s"] =
        benchmark::Counter(static_cast<double>(n), benchmark::Counter::kIsIterationInvariantRate);
    std::filesystem::remove(file);
}

BENCHMARK(whole_build)->Arg(200)->Arg(100)->Arg(58)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(assessment)->Unit(benchmark::kMillisecond)->Iterations(3);
BENCHMARK(read_binary_stl)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
