// The whole fill of the dust cyclone's gas, side by side with libqhull that only triangulates the same final points.
//
//     build-bench/bin/fill_bench

#include <anvilcast/anvilcast.hpp>

#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <chrono>
#include <cstdio>
#include <filesystem>

extern "C" {
#include <libqhull_r/qhull_ra.h>
}

namespace {

using namespace anvilcast;

double seconds_since(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

double peak_bytes() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return static_cast<double>(usage.ru_maxrss) * 1024;
}

struct Input {
    SurfaceMesh surface;
    SizeField field;
};

/// The cyclone's gas at a size in tenths of a millimetre.
Input gas_of_the_cyclone(double tenths) {
    const Case c = read_case(std::filesystem::path(ANVILCAST_DEMO) / "dust-cyclone" / "case.toml");
    const LoadedParts parts = load_parts(c);
    std::vector<Opening> openings;
    const std::vector<Opening> all = find_openings(parts.surface);
    for (const OpeningSpec& spec : c.openings) {
        openings.push_back(all[pick_opening(all, *spec.near, c.unit)]);
        openings.back().zone = {spec.name, spec.role};
    }
    const Domain domain = choose_regions(divide_space(parts.surface, openings), c.regions, c.unit);
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
        const Input in = gas_of_the_cyclone(static_cast<double>(state.range(0)));
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
