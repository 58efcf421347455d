// The Delaunay kernel side by side with libqhull on the same points in the same run, one thread each.
//
//     build-bench/bin/kernel_bench

#include <anvilcast/delaunay.hpp>

#include <benchmark/benchmark.h>

#include <cstdio>
#include <map>
#include <random>

extern "C" {
#include <libqhull_r/qhull_ra.h>
}

namespace {

using anvilcast::Vec3;

enum Kind { kRandom, kLattice, kRoundedLattice };
constexpr const char* kNames[] = {"random", "lattice", "rounded lattice"};

const std::vector<Vec3>& points_of(Kind kind, std::size_t n) {
    static std::map<std::pair<Kind, std::size_t>, std::vector<Vec3>> made;
    std::vector<Vec3>& p = made[{kind, n}];
    if (!p.empty()) return p;
    if (kind == kRandom) {
        std::mt19937_64 random(1);
        std::uniform_real_distribution<double> unit(0, 1);
        for (std::size_t i = 0; i < n; ++i) p.push_back({unit(random), unit(random), unit(random)});
        return p;
    }
    const double step = kind == kLattice ? 1.0 : 0.1;
    const int side = static_cast<int>(std::cbrt(static_cast<double>(n)) + 0.5);
    for (int i = 0; i < side; ++i)
        for (int j = 0; j < side; ++j)
            for (int k = 0; k < side; ++k) p.push_back({i * step, j * step, k * step});
    return p;
}

void kernel(benchmark::State& state) {
    const auto& points = points_of(static_cast<Kind>(state.range(0)), static_cast<std::size_t>(state.range(1)));
    std::size_t n = 0, bytes = 0;
    for (auto _ : state) {
        const anvilcast::DelaunayMesh mesh = anvilcast::delaunay(points);
        n = mesh.tetrahedra.size();
        bytes = mesh.peak_bytes;
    }
    if (n < 5 * points.size()) state.SkipWithError("too few tetrahedra: the answer is wrong");
    state.SetLabel(kNames[state.range(0)]);
    state.counters["points/s"] =
        benchmark::Counter(static_cast<double>(points.size()), benchmark::Counter::kIsIterationInvariantRate);
    state.counters["bytes/tet"] = static_cast<double>(bytes) / static_cast<double>(n);
}

void libqhull(benchmark::State& state) {
    const auto& points = points_of(static_cast<Kind>(state.range(0)), static_cast<std::size_t>(state.range(1)));
    std::vector<coordT> flat;
    for (const Vec3& p : points) flat.insert(flat.end(), {p.x, p.y, p.z});
    for (auto _ : state) {
        qhT data;
        qh_zero(&data, stderr);
        char command[] = "qhull d Qbb Qt Q12";
        if (qh_new_qhull(&data, 3, static_cast<int>(points.size()), flat.data(), 0, command, nullptr, stderr) != 0)
            state.SkipWithError("libqhull failed");
        qh_freeqhull(&data, !qh_ALL);
        int a = 0, b = 0;
        qh_memfreeshort(&data, &a, &b);
    }
    state.SetLabel(kNames[state.range(0)]);
    state.counters["points/s"] =
        benchmark::Counter(static_cast<double>(points.size()), benchmark::Counter::kIsIterationInvariantRate);
}

BENCHMARK(kernel)
    ->Args({kRandom, 400000})
    ->Unit(benchmark::kMillisecond)
    ->Iterations(3)
    ->Repetitions(3)
    ->ReportAggregatesOnly();
BENCHMARK(libqhull)->Args({kRandom, 400000})->Unit(benchmark::kMillisecond)->Iterations(1);
BENCHMARK(kernel)
    ->Args({kRandom, 400000})
    ->Unit(benchmark::kMillisecond)
    ->Iterations(3)
    ->Repetitions(3)
    ->ReportAggregatesOnly();
BENCHMARK(kernel)->Args({kLattice, 64000})->Unit(benchmark::kMillisecond)->Iterations(2);
BENCHMARK(kernel)->Args({kRoundedLattice, 64000})->Unit(benchmark::kMillisecond)->Iterations(1);
BENCHMARK(kernel)->Args({kRandom, 2000000})->Unit(benchmark::kMillisecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
