// Where two triangles of a complex meet.
#pragma once

#include <vector>

#include "robust/exact_point.hpp"

namespace anvilcast::cutting {

using Corners = std::array<const robust::ExactPoint*, 3>;

struct Meeting {
    bool is_coplanar = false;
    /// In both closed triangles, each once.
    std::vector<robust::ExactPoint> points;
    /// Segments between those that divide the first, and the second, triangle.
    std::vector<std::array<Index, 2>> first, second;
};

/// Exact. The triangles must have areas.
Meeting meet(const Corners& a, const Corners& b);

}  // namespace anvilcast::cutting
