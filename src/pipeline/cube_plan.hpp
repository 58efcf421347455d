// Cubes in the core, before anything is meshed.
#pragma once

#include <anvilcast/fill.hpp>
#include <anvilcast/plan.hpp>

namespace anvilcast {

/// The cubes of a domain; `heights` of the layers on each of its zones. `cells_alone` is left open. O(n log n).
CubePlan cubes_of(const Domain& domain, const SizeField& sizes, const std::vector<double>& heights, const Case& c,
                  const Context& context);

/// Cells of a core that so many tetrahedra would fill, with so many triangles on the surface. `cubes`: none where there
/// are none.
double cells_of_core(double tetrahedra, double triangles, FillCells cells, const CubePlan* cubes);

}  // namespace anvilcast
