// The front door: reading surfaces of each format, examining them, mending them.
//
//     build-bench/bin/surface_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>

#include <cmath>
#include <filesystem>
#include <numbers>

namespace {

using namespace anvilcast;
namespace fs = std::filesystem;

const LengthUnit kMetre = parse_length_unit("m");

/// A wavy ring of 2 n^2 triangles.
Surface ring(int n) {
    Surface s;
    s.zones.push_back({"ring"});
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const double a = 2 * std::numbers::pi * i / n, b = 2 * std::numbers::pi * j / n;
            const double r = 0.3 + 0.02 * std::sin(9 * a) * std::cos(7 * b);
            s.points.push_back(
                {(1 + r * std::cos(b)) * std::cos(a), (1 + r * std::cos(b)) * std::sin(a), r * std::sin(b)});
        }
    auto at = [n](int i, int j) { return static_cast<Index>((i % n) * n + j % n); };
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            s.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
            s.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
        }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

void rate(benchmark::State& state, std::size_t triangles, double bytes) {
    state.counters["triangles/s"] =
        benchmark::Counter(static_cast<double>(triangles), benchmark::Counter::kIsIterationInvariantRate);
    if (bytes > 0)
        state.counters["MB/s"] = benchmark::Counter(bytes * 1e-6, benchmark::Counter::kIsIterationInvariantRate);
}

/// Reading, welding and the edges with their triangles: one thread.
void read_weld_connect(benchmark::State& state, const char* ending, int n, bool ascii) {
    const fs::path file = fs::temp_directory_path() / (std::string("anvilcast-bench") + ending);
    write_surface(file, ring(n), kMetre, ascii);
    std::size_t triangles = 0;
    for (auto _ : state) {
        const SurfaceFile in = read_surface(file, {.unit = kMetre});
        const SurfaceEdges edges(in.surface.triangles, in.surface.points.size());
        triangles = in.surface.triangles.size();
        benchmark::DoNotOptimize(edges.size());
    }
    rate(state, triangles, static_cast<double>(fs::file_size(file)));
    fs::remove(file);
}

void examination(benchmark::State& state) {
    const Surface s = ring(static_cast<int>(state.range(0)));
    for (auto _ : state) benchmark::DoNotOptimize(examine(s).is_sound);
    rate(state, s.triangles.size(), 0);
}

/// Every triangle on its own, corners rounded apart.
void stitching(benchmark::State& state) {
    const Surface whole = ring(static_cast<int>(state.range(0)));
    Surface soup;
    soup.zones = whole.zones;
    for (Index t = 0; t < whole.triangles.size(); ++t) {
        for (int k = 0; k < 3; ++k) soup.points.push_back(whole.corner(t, k) + Vec3{1e-7 * (t % 7), 1e-7 * (t % 5), 0});
        soup.triangles.push_back({3 * t, 3 * t + 1, 3 * t + 2});
        soup.zone_of.push_back(0);
    }
    for (auto _ : state) benchmark::DoNotOptimize(mend(soup, {.stitch = 1e-5}).done.size());
    rate(state, soup.triangles.size(), 0);
}

BENCHMARK_CAPTURE(read_weld_connect, binary_stl_5M, ".stl", 1600, false)->Unit(benchmark::kSecond)->Iterations(3);
BENCHMARK_CAPTURE(read_weld_connect, binary_stl_1M, ".stl", 707, false)->Unit(benchmark::kSecond)->Iterations(3);
BENCHMARK_CAPTURE(read_weld_connect, ascii_stl_1M, ".stl", 707, true)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK_CAPTURE(read_weld_connect, obj_1M, ".obj", 707, false)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK_CAPTURE(read_weld_connect, binary_ply_1M, ".ply", 707, false)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK_CAPTURE(read_weld_connect, binary_stl_gz_1M, ".stl.gz", 707, false)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(examination)->Arg(707)->Unit(benchmark::kSecond)->Iterations(3);
BENCHMARK(stitching)->Arg(316)->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
