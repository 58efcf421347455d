// Leaks in words, with what would close them.
#pragma once

#include <anvilcast/leaks.hpp>

#include <string>
#include <vector>

namespace anvilcast::domain {

std::string leaks_text(const std::vector<Leak>& leaks, const LengthUnit& unit, double join);

}  // namespace anvilcast::domain
