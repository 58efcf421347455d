// The sides of a periodic surface made equal.
#pragma once

#include "surfmesh/remesher.hpp"

namespace anvilcast::surfmesh {

/// Puts images of the first zones' triangles in the place of the second zones' ones. Feature curves must be divided
/// alike. Throws FailureError with a place where they are not. O(n log n).
void repeat_sides(Draft& draft, const Original& original);

}  // namespace anvilcast::surfmesh
