// What a decision costs on each rung.

#include <anvilcast/predicates.hpp>

#include <benchmark/benchmark.h>

#include <random>
#include <vector>

namespace {

using anvilcast::Vec3;

std::vector<Vec3> points(bool lattice) {
    std::mt19937_64 random(1);
    std::uniform_real_distribution<double> unit(0, 1);
    std::vector<Vec3> p(1024 + 5);
    for (Vec3& q : p) {
        q = {unit(random), unit(random), unit(random)};
        // Rounded lattice points of 0.1: their differences are no single doubles.
        if (lattice)
            q = {static_cast<int>(q.x * 2) * 0.1, static_cast<int>(q.y * 2) * 0.1, static_cast<int>(q.z * 2) * 0.1};
    }
    return p;
}

template <typename Predicate>
void run(benchmark::State& state, bool lattice, Predicate predicate) {
    const std::vector<Vec3> p = points(lattice);
    std::size_t i = 0;
    for (auto _ : state) {
        benchmark::DoNotOptimize(predicate(&p[i]));
        i = (i + 1) & 1023U;
    }
}

void orient3d_random(benchmark::State& s) {
    run(s, false, [](const Vec3* p) { return anvilcast::orient3d(p[0], p[1], p[2], p[3]); });
}
void insphere_random(benchmark::State& s) {
    run(s, false, [](const Vec3* p) { return anvilcast::insphere(p[0], p[1], p[2], p[3], p[4]); });
}
void orient3d_degenerate(benchmark::State& s) {
    run(s, true, [](const Vec3* p) { return anvilcast::orient3d(p[0], p[1], p[2], p[3]); });
}
void insphere_degenerate(benchmark::State& s) {
    run(s, true, [](const Vec3* p) { return anvilcast::insphere(p[0], p[1], p[2], p[3], p[4]); });
}
void insphere_exact(benchmark::State& s) {
    run(s, false,
        [](const Vec3* p) { return anvilcast::predicate_rungs::insphere_exact(p[0], p[1], p[2], p[3], p[4]); });
}

BENCHMARK(orient3d_random);
BENCHMARK(insphere_random);
BENCHMARK(orient3d_degenerate);
BENCHMARK(insphere_degenerate);
BENCHMARK(insphere_exact);

}  // namespace

BENCHMARK_MAIN();
