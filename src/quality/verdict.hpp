// What the figures of a mesh come to, in a sentence or two.
#pragma once

#include <anvilcast/quality.hpp>
#include <string>

namespace anvilcast::quality {

/// Is a metric beyond its usual limit, which counts where no other was set?
bool is_beyond_usual(const Metric& metric);

/// Of a mesh that is sound. `limits`: that it was assessed by.
std::string verdict_of(const QualityReport& report, const QualityLimits& limits);

}  // namespace anvilcast::quality
