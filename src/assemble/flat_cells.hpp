// Plane meshes while they are put together.
#pragma once

#include <anvilcast/assembly.hpp>

namespace anvilcast::assemble {

/// `flat` has cells of three or four corners, as prisms and hexahedra that are not drawn out yet, and boundaries of two
/// points. Draws all out along z, so that assemble_mesh makes a sheet of it; returns the depth. Cells that turn
/// clockwise are turned round. Throws InputError for cells of no area.
double draw_out(CellsAndBoundary& flat);

/// The zones of the sheet's two sides go behind those that were added after them.
void put_sides_last(CellsAndBoundary& cells);

/// The assembled sheet with its points in order, the lower ones first, and its depth noted.
VolumeMesh in_order(VolumeMesh&& sheet, double depth);

}  // namespace anvilcast::assemble
