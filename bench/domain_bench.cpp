// The fluid domain: cutting a million triangles with ten thousand pairs that meet, and finding the regions.
//
//     build-bench/bin/domain_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <cmath>
#include <numbers>

namespace {

using namespace anvilcast;

/// A ball of 2 n^2 triangles, wavy so that nothing is regular.
Surface ball(const Vec3& center, int n) {
    Surface s;
    s.zones.push_back({"ball"});
    const Index top = 0, low = 1;
    s.points = {center + Vec3{0, 0, 1}, center - Vec3{0, 0, 1}};
    auto at = [n](int i, int j) { return static_cast<Index>(2 + (i - 1) * 2 * n + j % (2 * n)); };
    for (int i = 1; i < n; ++i)
        for (int j = 0; j < 2 * n; ++j) {
            const double a = std::numbers::pi * i / n, b = std::numbers::pi * j / n;
            const double r = 1 + 0.02 * std::sin(5 * a) * std::cos(7 * b);
            s.points.push_back(center + Vec3{std::sin(a) * std::cos(b), std::sin(a) * std::sin(b), std::cos(a)} * r);
        }
    for (int j = 0; j < 2 * n; ++j) {
        s.triangles.push_back({top, at(1, j), at(1, j + 1)});
        s.triangles.push_back({low, at(n - 1, j + 1), at(n - 1, j)});
        for (int i = 1; i + 1 < n; ++i) {
            s.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
            s.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
        }
    }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

const Surface& chain() {
    static const Surface s = [] {
        std::vector<Surface> balls;
        for (int k = 0; k < 16; ++k) balls.push_back(ball({1.6 * k, 0.1 * (k % 3), 0.05 * (k % 5)}, 125));
        return joined(balls);
    }();
    return s;
}

void cutting(benchmark::State& state) {
    Context one;
    one.threads = static_cast<int>(state.range(0));
    CutSurface cut;
    for (auto _ : state) cut = cut_at_intersections(chain(), {}, one);
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    state.counters["triangles"] = static_cast<double>(chain().triangles.size());
    state.counters["pairs"] = static_cast<double>(cut.pairs_cut);
    state.counters["peak MB"] = static_cast<double>(usage.ru_maxrss) / 1024;
}
BENCHMARK(cutting)
    ->Arg(1)
    ->Arg(2)
    ->Unit(benchmark::kSecond)
    ->UseRealTime()
    ->Iterations(1)
    ->Repetitions(3)
    ->ReportAggregatesOnly();

void finding_regions(benchmark::State& state) {
    const CutSurface cut = cut_at_intersections(chain());
    Regions regions;
    for (auto _ : state) regions = find_regions(cut.surface);
    state.counters["regions"] = static_cast<double>(regions.volumes.size());
}
BENCHMARK(finding_regions)->Unit(benchmark::kSecond)->Iterations(1)->Repetitions(3)->ReportAggregatesOnly();

void dividing_space(benchmark::State& state) {
    for (auto _ : state) benchmark::DoNotOptimize(divide_space(chain()));
}
BENCHMARK(dividing_space)->Unit(benchmark::kSecond)->UseRealTime()->Iterations(1);

/// Lattice-aligned bodies: every decision is degenerate.
void cutting_on_a_lattice(benchmark::State& state) {
    std::vector<Surface> bricks;
    for (int i = 0; i < 12; ++i)
        for (int j = 0; j < 12; ++j)
            for (int k = 0; k < 12; ++k) {
                Surface b;
                b.zones.push_back({"brick"});
                for (int c = 0; c < 8; ++c)
                    b.points.push_back(Vec3{static_cast<double>(i + (c & 1) * 2),
                                            static_cast<double>(j + (c >> 1 & 1) * 2),
                                            static_cast<double>(k + (c >> 2) * 2)} *
                                       0.1);
                for (const auto& q : std::vector<std::array<Index, 4>>{
                         {0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}) {
                    b.triangles.push_back({q[0], q[1], q[2]});
                    b.triangles.push_back({q[0], q[2], q[3]});
                }
                b.zone_of.assign(12, 0);
                bricks.push_back(std::move(b));
            }
    const Surface all = joined(bricks);
    CutSurface cut;
    for (auto _ : state) cut = cut_at_intersections(all);
    state.counters["triangles"] = static_cast<double>(all.triangles.size());
    state.counters["pairs"] = static_cast<double>(cut.pairs_cut);
}
BENCHMARK(cutting_on_a_lattice)->Unit(benchmark::kSecond)->UseRealTime()->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
