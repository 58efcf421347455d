// One piece of surface laid onto others that it nearly touches.
#pragma once

#include "cut/complex.hpp"

namespace anvilcast::cutting {

/// Triangles `own` are divided where corners and edges of `others` lie within `join` (metres) of them, and what is
/// within it of `others` is put onto these: corners onto corners, edges or faces, whichever is there first. So no film
/// is left between them, whether their triangles fit or not. `others` stay as they are, corners in common too. Tells
/// how far corners moved. O(n log n).
std::vector<Index> conform(Complex& complex, const std::vector<Index>& own, const std::vector<Index>& others,
                           double join, CutSurface& report);

}  // namespace anvilcast::cutting
