// Where the nodes of polyhedra lie.
#pragma once

#include <vector>

#include "fill/dual_frame.hpp"

namespace anvilcast::fill {

/// Of a cell of the core as near to its circumcentre as it may come without leaving the cell: faces of the polyhedra
/// are then flat and stand upright between their vertices. The same in triangles; edges are halved.
Vec3 place_of(const DualFrame& frame, Node node);

}  // namespace anvilcast::fill
