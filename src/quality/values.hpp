// The values of all metrics of a mesh, in single precision: that is what statistics need, at half the memory.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/metrics.hpp>
#include <array>
#include <vector>

#include "quality/measures.hpp"

namespace anvilcast::quality {

/// By MetricId: of each cell, each inner face, or, of warp, each face; NaN where it has none, and an empty list where
/// none has. Not of the boundary's metrics.
using MetricValues = std::array<std::vector<float>, kCellMetrics + kFaceMetrics>;

/// `only`: compute all, keep one. Parallel, O(n).
MetricValues metric_values(const VolumeMesh& mesh, const Measures& measures, const MetricId* only = nullptr);

/// The metric of one cell or face in double precision.
double exact_value(const VolumeMesh& mesh, const Measures& measures, MetricId metric, std::size_t item);

}  // namespace anvilcast::quality
