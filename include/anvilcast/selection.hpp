// Some of a mesh's cells, chosen by what they are.
//
//     std::vector<Index> bad = select_cells(mesh, "skewness > 0.8 and zone = floor*");
//     write_vtu("bad.vtu", cells_alone(mesh, bad));
//
// A selection is conditions joined by "and" and "or", of which "and" binds more tightly:
//   METRIC < VALUE   also <=, >, >=; a metric by any name that find_metric() knows; of a metric of faces the cell's
//                    worst one counts; a cell that has no such value is not chosen
//   type = NAME      tetrahedra, pyramids, prisms, hexahedra, polyhedra; != for all others
//   region = PATTERN, zone = PATTERN   names with * and ? as wildcards; a cell is at a zone when it has a point on it
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <span>
#include <string_view>
#include <vector>

namespace anvilcast {

/// Ascending. Throws InputError that names what was not understood, with the nearest name where there is one. Parallel,
/// O(n) for each condition.
ANVILCAST_API std::vector<Index> select_cells(const VolumeMesh& mesh, std::string_view selection,
                                              const Context& context = {});

/// These cells as a mesh of their own, in their order. Faces to cells that were left behind are in a zone "cut". O(n).
ANVILCAST_API VolumeMesh cells_alone(const VolumeMesh& mesh, std::span<const Index> cells);

}  // namespace anvilcast
