// Many values of one metric, summed up.
#pragma once

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <anvilcast/quality.hpp>
#include <functional>

namespace anvilcast::quality {

struct MetricKind {
    const char* name;
    const char* unit;
    bool low_is_better;
    std::optional<double> limit;
};

/// Range, mean, percentiles and worst places. `describe` tells the place, cell and zone of value i.
Metric summarised(const MetricKind& kind, std::vector<double> values,
                  const std::function<WorstPlace(std::size_t)>& describe);

/// The surface metrics of the boundary faces; of faces with more than three corners, as triangles fanned round the
/// first. None for polyhedra, whose boundary is of polygons.
std::vector<Metric> boundary_metrics(const VolumeMesh& mesh);

template <typename Value>
std::vector<double> measured(std::size_t n, Value value) {
    std::vector<double> out(n);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, 2048), [&](const auto& range) {
        for (std::size_t i = range.begin(); i < range.end(); ++i) out[i] = value(i);
    });
    return out;
}

}  // namespace anvilcast::quality
