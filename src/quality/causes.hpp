// Where a bad cell is, and what has most likely made it bad.
#pragma once

#include <anvilcast/quality.hpp>
#include <span>
#include <unordered_map>
#include <vector>

#include "quality/measures.hpp"

namespace anvilcast::quality {

/// A bad cell, or the two cells of a bad face.
struct BadPlace {
    MetricId metric;
    Index cell;
    Index face = kNone;
};

/// Fills in place, type, zone, distance and cause of each. O(boundary faces * places), in parallel.
std::vector<WorstPlace> explain(const VolumeMesh& mesh, const Measures& measures, std::span<const BadPlace> places);

}  // namespace anvilcast::quality
