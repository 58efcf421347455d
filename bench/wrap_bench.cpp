// Wrapping a soup: a wavy ring whose triangles lie each on its own, moved at random, some of them missing.
//
//     build-bench/bin/wrap_bench
//
// The same gap with a quarter of the triangles, and half of the gap, tell what the time depends on.

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <cmath>
#include <numbers>
#include <random>

namespace {

using namespace anvilcast;

/// 2 n^2 triangles within 2.6 m.
Surface ring_of_soup(int n) {
    std::mt19937 dice(1);
    auto luck = [&dice] { return static_cast<double>(dice()) / 4294967296.0; };
    auto place = [n](int i, int j) {
        const double a = 2 * std::numbers::pi * i / n, b = 2 * std::numbers::pi * j / n;
        const double r = 0.3 + 0.02 * std::sin(9 * a) * std::cos(7 * b);
        return Vec3{(1 + r * std::cos(b)) * std::cos(a), (1 + r * std::cos(b)) * std::sin(a), r * std::sin(b)};
    };
    Surface s;
    s.zones.push_back({"ring"});
    auto add = [&](const Vec3& a, const Vec3& b, const Vec3& c) {
        if (luck() < 0.01) return;
        const auto first = static_cast<Index>(s.points.size());
        for (const Vec3& p : {a, b, c}) s.points.push_back(p + Vec3{luck() - 0.5, luck() - 0.5, luck() - 0.5} * 1e-3);
        s.triangles.push_back({first, first + 1, first + 2});
    };
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            add(place(i, j), place(i + 1, j), place(i + 1, j + 1));
            add(place(i, j), place(i + 1, j + 1), place(i, j + 1));
        }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

void wrap_soup(benchmark::State& state) {
    const Surface soup = ring_of_soup(static_cast<int>(state.range(0)));
    WrapOptions options;
    options.gap = 2.6 / static_cast<double>(state.range(1));
    Context context;
    context.threads = 1;
    WrapResult wrapped;
    for (auto _ : state) wrapped = wrap(soup, options, parse_length_unit("m"), context);
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    const auto n = static_cast<double>(wrapped.n_triangles);
    state.counters["triangles_in"] = static_cast<double>(soup.triangles.size());
    state.counters["triangles_out"] = n;
    state.counters["triangles/s"] = benchmark::Counter(n, benchmark::Counter::kIsIterationInvariantRate);
    state.counters["peak_MB"] = static_cast<double>(usage.ru_maxrss) / 1024;
    state.counters["99%_in_gaps"] = wrapped.to_original.percentile_99 / options.gap;
}
BENCHMARK(wrap_soup)
    ->ArgNames({"n", "gaps"})
    ->Args({158, 100})
    ->Args({316, 100})
    ->Args({158, 200})
    ->Args({316, 200})
    ->Iterations(1)
    ->Unit(benchmark::kSecond);

}  // namespace

BENCHMARK_MAIN();
