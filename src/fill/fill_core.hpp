// The fill up to cells and boundary, with what it takes to go on from there.
#pragma once

#include <anvilcast/fill.hpp>

namespace anvilcast::fill {

struct FilledCore {
    CellsAndBoundary cells;
    std::vector<Index> parent;  ///< of each triangle of the boundary: the one of the surface mesh that it is of
    std::vector<Index>
        number_of;  ///< of each point of the surface mesh among the cells' points; kNone for an unused one
};

/// As fill_with_tetrahedra, but for the assembly. `may_slide`: of each point of the surface mesh, where the options let
/// points slide; left out: all.
FilledCore fill_core(const SurfaceMesh& surface, const SizeField& sizes, const FillOptions& options,
                     const Context& context, FillReport& report, const std::vector<char>& may_slide = {});

/// The core with the layers' cells put on, and the boundary of both. `added`: the points on the core's boundary that
/// its surface mesh did not have; each becomes a column, with those it lies between.
CellsAndBoundary with_layer_cells(const SurfaceMesh& wall, const LayerStacks& stacks, FilledCore&& core,
                                  const std::vector<AddedBoundaryPoint>& added);

}  // namespace anvilcast::fill
