// The metrics of tetrahedra and of triangles between two cells, four at a time in single precision: what most of most
// meshes is, at a third of the time. Differences are taken in double precision, so that figures are good to some 1e-5
// of their range whatever the place; what is reported as an extreme is computed once more by CellProbe.
#pragma once

#include <array>

#include "quality/lanes.hpp"
#include "quality/values.hpp"

namespace anvilcast::quality {

/// Writes the figures of four inner faces with three points into the lists that are not empty. Of non-orthogonality the
/// cosines, for cells need these: cosines_to_degrees() comes last. `n_plain`: see VolumeMesh::n_plain_faces.
void measure_triangles(const VolumeMesh& mesh, const Measures& m, const std::array<Index, kLanes>& faces,
                       std::size_t n_plain, MetricValues& out);
/// The same of four tetrahedra, when the faces' are there.
void measure_tetrahedra(const VolumeMesh& mesh, const Measures& m, const std::array<Index, kLanes>& cells,
                        MetricValues& out);
void cosines_to_degrees(std::vector<float>& list);

}  // namespace anvilcast::quality
