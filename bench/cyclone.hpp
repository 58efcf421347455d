// What several benchmarks begin with: the dust cyclone's gas, a clock, and the process's memory.
#pragma once

#include <anvilcast/anvilcast.hpp>

#include <sys/resource.h>

#include <chrono>
#include <filesystem>
#include <vector>

namespace anvilcast::bench {

inline double seconds_since(std::chrono::steady_clock::time_point start) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

/// Of the whole process so far.
inline double peak_bytes() {
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    return static_cast<double>(usage.ru_maxrss) * 1024;
}

/// The demo's domain, without its sizes and layers.
inline Domain gas_of_the_cyclone() {
    const Case c = read_case(std::filesystem::path(ANVILCAST_DEMO) / "dust-cyclone" / "case.toml");
    const LoadedParts parts = load_parts(c);
    std::vector<Opening> openings;
    const std::vector<Opening> all = find_openings(parts.surface);
    for (const OpeningSpec& spec : c.openings) {
        openings.push_back(all[pick_opening(all, *spec.near, c.unit)]);
        openings.back().zone = {spec.name, spec.role};
    }
    return choose_regions(divide_space(parts.surface, openings), c.regions, c.unit);
}

}  // namespace anvilcast::bench
