// The wrap brought back from its offset onto the geometry.
//
// At the offset the wrap does not cross itself. Every point goes all the way to its target first; then those of
// triangles that cross, touch or turn over go back by steps, the last of which is the offset. So there is always a way
// that ends well: a sheet with fluid on both sides stays as thick as half of its offsets.
#pragma once

#include "wrap/carve.hpp"

namespace anvilcast::wrapping {

struct Settled {
    std::vector<Vec3> points;
    std::vector<Site> sites;
    std::vector<Triangle> triangles;
    std::vector<Edge> on_curves;  ///< edges that lie on the original's curves, sorted
    std::vector<bool> is_held;    ///< points that are not all the way on their targets
};

/// `gap_at`: the gap at a place. Deterministic.
Settled settle(Shell shell, const CurveSet& curves, const LengthAt& gap_at, const Context& context);

}  // namespace anvilcast::wrapping
