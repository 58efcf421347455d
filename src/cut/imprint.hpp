// What lies on a surface, drawn into it.
#pragma once

#include <map>

#include "cut/part.hpp"

namespace anvilcast::cutting {

/// Divides triangles of `other` by the pieces that lie on them, so that each of these has its like there, with the same
/// points: what was only laid on within rounding is one with it. `lies_on`: of points of the complex; `pieces`:
/// triangles of it; those whose corners do not all lie on one triangle are left alone. Whoever is at a divided edge
/// gets its points. `parents` as in replace_triangle(). O(n log n).
void imprint(Complex& complex, const Part& other, const SurfaceEdges& other_edges,
             const std::map<Index, LiesOn>& lies_on, const std::vector<Index>& pieces, std::vector<Index>& parents);

}  // namespace anvilcast::cutting
