// The same figures for parts of the mesh.
#pragma once

#include <anvilcast/quality.hpp>
#include <vector>

#include "quality/values.hpp"

namespace anvilcast::quality {

/// Kinds with one group that is all of the mesh are left out. O(groups * cells) at most, in parallel over groups.
std::vector<GroupQuality> groups_of(const VolumeMesh& mesh, const Measures& measures, const MetricValues& values,
                                    const QualityLimits& limits, const QualityOptions& options);

}  // namespace anvilcast::quality
