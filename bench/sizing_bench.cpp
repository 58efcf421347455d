// The size field and the surface mesh at a million triangles, and a plan against its build.
//
//     build-bench/bin/sizing_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>

#include "cyclone.hpp"

#include <algorithm>
#include <cmath>

namespace {

using namespace anvilcast;
using namespace anvilcast::bench;

/// Argument 0: threads; 1: tenths of a millimetre.
void surface_mesh(benchmark::State& state) {
    const Domain domain = gas_of_the_cyclone();
    Context context;
    context.threads = static_cast<int>(state.range(0));
    SizeOptions options;
    options.surface = options.largest = 1e-4 * static_cast<double>(state.range(1));
    double field_seconds = 0, mesh_seconds = 0, bytes = 0;
    SizeField field;
    SurfaceMesh mesh;
    for (auto _ : state) {
        const double before = peak_bytes();
        auto start = std::chrono::steady_clock::now();
        field = make_sizing(domain, options, context).field;
        field_seconds = seconds_since(start);
        start = std::chrono::steady_clock::now();
        mesh = mesh_surface(domain, field, {}, context);
        mesh_seconds = seconds_since(start);
        bytes = peak_bytes() - before;
    }
    const auto n = static_cast<double>(mesh.surface.triangles.size());
    state.counters["triangles"] = n;
    state.counters["field s"] = field_seconds;
    state.counters["mesh s"] = mesh_seconds;
    state.counters["triangles/s meshing"] = n / mesh_seconds;
    state.counters["triangles/s"] = n / (field_seconds + mesh_seconds);
    state.counters["field cells"] = static_cast<double>(field.n_cells());
    if (bytes > 0) state.counters["bytes/triangle"] = bytes / n;
    for (const Metric& m : assess_surface(mesh.surface))
        if (m.name == "smallest angle") state.counters["smallest angle"] = m.min;
}

/// Queries at the surface's points, those of a 20 mm cube one after the other: close to each other, as meshing asks.
void query(benchmark::State& state) {
    const Domain domain = gas_of_the_cyclone();
    SizeOptions options;
    options.surface = 0.002;
    options.largest = 0.006;
    options.per_turn = 60;
    const SizeField field = make_size_field(domain, options);
    const SurfaceMesh mesh = mesh_surface(domain, field);
    std::vector<Vec3> points = mesh.surface.points;
    auto cube = [](const Vec3& p) {
        return std::array<double, 3>{std::floor(p.x / 0.02), std::floor(p.y / 0.02), std::floor(p.z / 0.02)};
    };
    std::stable_sort(points.begin(), points.end(), [&](const Vec3& p, const Vec3& q) { return cube(p) < cube(q); });
    for (auto _ : state) {
        double sum = 0;
        for (const Vec3& p : points) sum += field.at(p);
        benchmark::DoNotOptimize(sum);
    }
    state.counters["queries/s"] =
        benchmark::Counter(static_cast<double>(points.size()), benchmark::Counter::kIsIterationInvariantRate);
}

/// The cyclone above a million cells.
void plan_against_build(benchmark::State& state) {
    Case c = read_case(std::filesystem::path(ANVILCAST_DEMO) / "dust-cyclone" / "case.toml");
    c.sizing.surface *= 0.54;
    c.sizing.largest *= 0.54;
    double plan_seconds = 0, build_seconds = 0, predicted = 0, built = 0, cost = 0;
    for (auto _ : state) {
        auto start = std::chrono::steady_clock::now();
        const Plan p = plan(c);
        plan_seconds = seconds_since(start);
        predicted = p.total_cells();
        cost = p.cost.seconds;
        start = std::chrono::steady_clock::now();
        built = static_cast<double>(build(c).mesh.n_cells());
        build_seconds = seconds_since(start);
    }
    state.counters["plan s"] = plan_seconds;
    state.counters["build s"] = build_seconds;
    state.counters["build/plan"] = build_seconds / plan_seconds;
    state.counters["predicted s"] = cost;
    state.counters["cells"] = built;
    state.counters["predicted/built"] = predicted / built;
}

// The larger meshes last, so that peaks can be told apart.
BENCHMARK(query)->Unit(benchmark::kMillisecond);
BENCHMARK(surface_mesh)->Args({1, 20})->Args({1, 10})->Args({2, 10})->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(plan_against_build)->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
