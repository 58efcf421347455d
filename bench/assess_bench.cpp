// The full assessment of the dust cyclone's gas: cells a core-second, two threads, and bytes beside the mesh.
//
//     build-bench/bin/assess_bench

#include <benchmark/benchmark.h>
#include <malloc.h>
#include <anvilcast/quality.hpp>

#include <fstream>

#include "cyclone.hpp"

namespace {

using namespace anvilcast;
using namespace anvilcast::bench;

/// Highest number of bytes that this process has held since the last reset, by the kernel's count.
void reset_peak() { std::ofstream("/proc/self/clear_refs") << "5"; }
double status_bytes(const std::string& key) {
    std::ifstream in("/proc/self/status");
    for (std::string line; std::getline(in, line);)
        if (line.starts_with(key)) return 1024 * std::stod(line.substr(key.size() + 1));
    return 0;
}

/// Argument 0: tenths of a millimetre; 1: polyhedra.
void assessment(benchmark::State& state) {
    const Domain domain = gas_of_the_cyclone();
    SizeOptions options;
    options.surface = options.largest = 1e-4 * static_cast<double>(state.range(0));
    const Sizing sizing = make_sizing(domain, options);
    VolumeMesh mesh;
    {
        const SurfaceMesh surface = mesh_surface(domain, sizing.field);
        const SizeField field = with_finer_surface(sizing.field, surface.surface);
        mesh = state.range(1) == 0 ? fill_with_tetrahedra(surface, field) : fill_with_polyhedra(surface, field);
    }
    malloc_trim(0);
    const auto n = static_cast<double>(mesh.n_cells());
    for (auto _ : state) {
        auto seconds = [&](int threads) {
            Context context;
            context.threads = threads;
            const auto start = std::chrono::steady_clock::now();
            benchmark::DoNotOptimize(assess(mesh, {}, context));
            return seconds_since(start);
        };
        const double before = status_bytes("VmRSS:");
        reset_peak();
        const double one = seconds(1);
        state.counters["bytes/cell"] = (status_bytes("VmHWM:") - before) / n;
        const double two = seconds(2), again = seconds(1);
        state.counters["cells"] = n;
        state.counters["cells/s"] = n / std::min(one, again);
        state.counters["two threads"] = 0.5 * (one + again) / two;
        // Where the time goes, on one thread.
        Context context;
        context.threads = 1;
        std::string last;
        auto start = std::chrono::steady_clock::now();
        context.on_progress = [&](const Progress& p) {
            if (!last.empty()) state.counters["ns " + last] = 1e9 * seconds_since(start) / n;
            last = p.step;
            start = std::chrono::steady_clock::now();
        };
        benchmark::DoNotOptimize(assess(mesh, {}, context));
        state.counters["ns " + last] = 1e9 * seconds_since(start) / n;
    }
}

BENCHMARK(assessment)->Args({50, 0})->Args({28, 0})->Args({50, 1})->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
