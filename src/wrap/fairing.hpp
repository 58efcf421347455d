// Folds and needles of a wrap that is back on the geometry, taken out.
//
// Where an edge is turned, or a point taken out, the faces across the edges there get closer to one plane: what is
// made less is the sum of edge lengths times the angles that faces turn by, over which a ridge lies along edges and no
// face hides behind another one. Sharp edges that the geometry has remain: points do not move.
// Source: N. Dyn, K. Hormann, S.-J. Kim, D. Levin, Optimizing 3D triangulations using discrete curvature analysis
// (2001).
#pragma once

#include "wrap/settle.hpp"

namespace anvilcast::wrapping {

/// The wrap without the folds and needles that could be taken out, no farther from the original than it may be and
/// free of crossings as before. Edges on curves that the fluid reaches stay. Deterministic, O(n log n).
Settled fair(const Settled& settled, const TriangleTree& original, double gap, const LengthAt& gap_at,
             const Context& context);

}  // namespace anvilcast::wrapping
