// Plane meshes and sweeps, one thread; triangles side by side with libqhull's plain triangulation of the same points.
//
//     build-bench/bin/planar_bench

#include <anvilcast/sweep.hpp>

#include <benchmark/benchmark.h>

#include <cmath>
#include <cstdio>

#include "planar/mapped.hpp"
#include "planar/quadrangles.hpp"
#include "planar/triangles.hpp"

extern "C" {
#include <libqhull_r/qhull_ra.h>
}

namespace {

using namespace anvilcast;
using namespace anvilcast::planar;

/// A unit square at an even size: points of its rim, and edges.
struct Square {
    std::vector<Vec2> points;
    std::vector<RimEdge> rim;
    std::vector<Index> middle;

    explicit Square(int n, bool in_pairs = false) {
        for (int side = 0; side < 4; ++side)
            for (int k = 0; k < n; ++k) {
                const double t = static_cast<double>(k) / n;
                const std::array<Vec2, 4> place{{{t, 0}, {1, t}, {1 - t, 1}, {0, 1 - t}}};
                points.push_back(place[static_cast<std::size_t>(side)]);
            }
        const auto all = static_cast<Index>(points.size()), step = in_pairs ? 2U : 1U;
        for (Index k = 0; k < all; k += step) {
            rim.push_back({k, (k + step) % all, {0, kNone}});
            middle.push_back(k + 1);
        }
    }
};

void triangles(benchmark::State& state) {
    const auto n = static_cast<int>(state.range(0));
    const Square square(n);
    std::size_t made = 0;
    for (auto _ : state)
        made =
            fill_with_triangles(square.points, square.rim, [n](const Vec2&) { return 1.0 / n; }, {}).triangles.size();
    state.counters["triangles/s"] =
        benchmark::Counter(static_cast<double>(made), benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(triangles)->Arg(200)->Arg(400)->Unit(benchmark::kMillisecond);

void libqhull(benchmark::State& state) {
    const auto n = static_cast<int>(state.range(0));
    const Square square(n);
    const auto points = fill_with_triangles(square.points, square.rim, [n](const Vec2&) { return 1.0 / n; }, {}).points;
    std::vector<coordT> flat;
    for (const Vec2& p : points) flat.insert(flat.end(), {p.x, p.y});
    std::size_t made = 0;
    for (auto _ : state) {
        qhT data;
        qh_zero(&data, stderr);
        char command[] = "qhull d Qbb Qt Q12";
        if (qh_new_qhull(&data, 2, static_cast<int>(points.size()), flat.data(), 0, command, nullptr, stderr) != 0)
            state.SkipWithError("libqhull failed");
        made = static_cast<std::size_t>(data.num_facets) / 2;
        qh_freeqhull(&data, !qh_ALL);
        int a = 0, b = 0;
        qh_memfreeshort(&data, &a, &b);
    }
    // Facets on both sides of the paraboloid are counted; a triangle's share is what matters.
    state.counters["triangles/s"] =
        benchmark::Counter(2.0 * static_cast<double>(points.size()), benchmark::Counter::kIsIterationInvariantRate);
    if (made == 0) state.SkipWithError("nothing was triangulated");
}
BENCHMARK(libqhull)->Arg(200)->Unit(benchmark::kMillisecond);

void quadrangles(benchmark::State& state) {
    const auto n = static_cast<int>(state.range(0));
    const Square square(n, true);
    std::size_t made = 0;
    for (auto _ : state)
        made = fill_with_quadrangles(square.points, square.rim, square.middle, [n](const Vec2&) { return 1.0 / n; }, {})
                   .cells.size();
    state.counters["cells/s"] =
        benchmark::Counter(static_cast<double>(made), benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(quadrangles)->Arg(300)->Unit(benchmark::kMillisecond);

/// A bent side, so that points are moved after they were interpolated.
void mapped(benchmark::State& state) {
    const auto n = static_cast<std::size_t>(state.range(0));
    std::vector<Vec2> south, east, north, west;
    for (std::size_t k = 0; k <= n; ++k) {
        const double t = static_cast<double>(k) / static_cast<double>(n);
        south.push_back({t, 0.2 * std::sin(3.141592653589793 * t)});
        north.push_back({t, 1});
        west.push_back({0, t});
        east.push_back({1, t});
    }
    for (auto _ : state) benchmark::DoNotOptimize(mapped_grid(south, east, north, west));
    state.counters["cells/s"] =
        benchmark::Counter(static_cast<double>(n * n), benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(mapped)->Arg(300)->Arg(1000)->Unit(benchmark::kMillisecond);

void swept(benchmark::State& state) {
    PlaneRequest request;
    request.curves = {{{"wall"}, circle({0, 0}, 1), 160}};
    request.areas = {{"water", RegionKind::fluid, {}, PlaneCells::mapped}};
    request.sizing.surface = 0.04;
    const PlanarMesh section = mesh_plane(request).mesh;
    std::size_t made = 0;
    for (auto _ : state) made = sweep(section, RoundPath{{-5, 0}, {-5, 1}, 90}, {.steps = 200}).n_cells();
    state.counters["cells/s"] =
        benchmark::Counter(static_cast<double>(made), benchmark::Counter::kIsIterationInvariantRate);
}
BENCHMARK(swept)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
