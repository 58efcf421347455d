// The whole fill of the dust cyclone's gas, side by side with libqhull that only triangulates the same final points.
//
//     build-bench/bin/fill_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>

#include "cyclone.hpp"

#include <cstdio>

extern "C" {
#include <libqhull_r/qhull_ra.h>
}

namespace {

using namespace anvilcast;
using namespace anvilcast::bench;

struct Input {
    SurfaceMesh surface;
    SizeField field;
};

/// The cyclone's gas at a size in tenths of a millimetre.
Input cyclone_at(double tenths) {
    const Domain domain = gas_of_the_cyclone();
    SizeOptions options;
    options.surface = options.largest = 1e-4 * tenths;
    const Sizing sizing = make_sizing(domain, options);
    Input in{mesh_surface(domain, sizing.field), {}};
    in.field = with_finer_surface(sizing.field, in.surface.surface);
    return in;
}

double seconds_of_libqhull(const std::vector<Vec3>& points) {
    std::vector<coordT> flat;
    for (const Vec3& p : points) flat.insert(flat.end(), {p.x, p.y, p.z});
    const auto start = std::chrono::steady_clock::now();
    qhT data;
    qh_zero(&data, stderr);
    char command[] = "qhull d Qbb Qt Q12";
    if (qh_new_qhull(&data, 3, static_cast<int>(points.size()), flat.data(), 0, command, nullptr, stderr) != 0)
        return 0;
    const double seconds = seconds_since(start);
    qh_freeqhull(&data, !qh_ALL);
    int a = 0, b = 0;
    qh_memfreeshort(&data, &a, &b);
    return seconds;
}

/// Argument 0: tenths of a millimetre. One thread before libqhull, one after it, then two.
void fill(benchmark::State& state) {
    for (auto _ : state) {
        const Input in = cyclone_at(static_cast<double>(state.range(0)));
        double bytes = peak_bytes();
        VolumeMesh mesh;
        auto filled = [&](int threads) {
            Context context;
            context.threads = threads;
            const auto start = std::chrono::steady_clock::now();
            mesh = fill_with_tetrahedra(in.surface, in.field, {}, context);
            return seconds_since(start);
        };
        const double before = filled(1);
        bytes = peak_bytes() - bytes;
        const double qhull = seconds_of_libqhull(mesh.points);
        const double after = filled(1), two = filled(2);
        const auto cells = static_cast<double>(mesh.n_cells());
        state.counters["cells"] = cells;
        state.counters["cells/s"] = cells / std::min(before, after);
        state.counters["times libqhull"] = qhull / (0.5 * (before + after));
        state.counters["two threads"] = 0.5 * (before + after) / two;
        state.counters["bytes/cell"] = bytes / cells;
    }
}

BENCHMARK(fill)->Arg(102)->Arg(52)->Arg(46)->Arg(30)->Arg(22)->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace

BENCHMARK_MAIN();
