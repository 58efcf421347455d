// Quadrangles that fold, unfolded.
#pragma once

#include "planar/blocks.hpp"

namespace anvilcast::planar {

/// Moves inner points until every corner of every cell turns left; points of the rim stay. False when that is in vain,
/// as it is where the rim turns by more than 180 degrees within one cell.
/// Source: J. M. Escobar et al., Simultaneous untangling and smoothing of tetrahedral meshes (2003), whose objective
/// stays finite where cells are folded.
bool untangle(const std::vector<Vec2>& rim, Quadrangles& mesh);

}  // namespace anvilcast::planar
