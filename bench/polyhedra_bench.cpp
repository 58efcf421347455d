// Polyhedra from tetrahedra, of the dust cyclone's gas at an even size: one thread and two.
//
//     build-bench/bin/polyhedra_bench

#include <benchmark/benchmark.h>

#include "cyclone.hpp"
#include "poly/dual.hpp"

namespace {

using namespace anvilcast;
using namespace anvilcast::bench;

/// Argument 0: tenths of a millimetre.
void polyhedra(benchmark::State& state) {
    const Domain domain = gas_of_the_cyclone();
    SizeOptions options;
    options.surface = options.largest = 1e-4 * static_cast<double>(state.range(0));
    const Sizing sizing = make_sizing(domain, options);
    VolumeMesh tetrahedra, made;
    {
        const SurfaceMesh surface = mesh_surface(domain, sizing.field);
        tetrahedra = fill_with_tetrahedra(surface, with_finer_surface(sizing.field, surface.surface));
    }
    for (auto _ : state) {
        auto seconds = [&](int threads) {
            Context context;
            context.threads = threads;
            const auto start = std::chrono::steady_clock::now();
            made = poly::dual_of(tetrahedra, {}, {}, context);
            return seconds_since(start);
        };
        const double one = seconds(1), two = seconds(2), again = seconds(1);
        const auto n = static_cast<double>(made.n_cells());
        state.counters["polyhedra"] = n;
        state.counters["polyhedra/s"] = n / std::min(one, again);
        state.counters["two threads"] = 0.5 * (one + again) / two;
    }
}

BENCHMARK(polyhedra)->Arg(102)->Arg(52)->Arg(30)->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
