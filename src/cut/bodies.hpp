// Which triangles bound one and the same body.
#pragma once

#include <anvilcast/surface.hpp>
#include <string>
#include <vector>

namespace anvilcast::cutting {

/// A number for each triangle, the same for all that are connected within their part (`part_of`, of each triangle)
/// over edges. Bodies that touch may have edges and corners in common and are not one for that: where more than two
/// triangles of a part meet in an edge, two are connected if what they face away from lies between them; what lies on
/// each other but for `tolerance` (metres) has nothing between it. O(n log n).
std::vector<Index> bodies_of(const Surface& surface, const std::vector<std::string>& part_of, double tolerance);

}  // namespace anvilcast::cutting
