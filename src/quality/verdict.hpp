// What the figures of a mesh come to, in a sentence or two.
#pragma once

#include <anvilcast/quality.hpp>
#include <string>

namespace anvilcast::quality {

std::string verdict_of(const QualityReport& report);

}  // namespace anvilcast::quality
