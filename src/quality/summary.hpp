// Many values of one metric, summed up.
#pragma once

#include <anvilcast/quality.hpp>
#include <span>

namespace anvilcast::quality {

struct Summary {
    std::size_t count = 0;                  ///< of values that are numbers
    std::size_t smallest = 0, largest = 0;  ///< items
    double mean = 0;
    double p1 = 0, p50 = 0, p99 = 0;
    std::size_t n_beyond = 0;
    std::vector<std::size_t> worst;  ///< items, worst first; of equal ones the first
};

/// NaN counts as no value. Percentiles are values that there are. The histogram's first and last bar take what lies
/// beyond its edges. O(n).
Summary summarise(std::span<const float> values, const MetricInfo& info, std::optional<double> limit,
                  std::size_t n_worst, Histogram* histogram = nullptr);

/// What a metric of the report has in common with its definition.
Metric metric_of(const MetricInfo& info, const std::optional<double>& limit);

/// The surface metrics of the boundary faces; of faces with more than three corners, as triangles fanned round the
/// first. None for polyhedra, whose boundary is of polygons.
std::vector<Metric> boundary_metrics(const VolumeMesh& mesh, const QualityLimits& limits);

}  // namespace anvilcast::quality
