// One piece of surface laid onto others that it nearly touches.
#pragma once

#include <map>
#include <vector>

#include "cut/complex.hpp"

namespace anvilcast::cutting {

/// Points that were put onto something, and where they came from: those that became one from several places.
using Moved = std::map<Index, std::vector<Vec3>>;

/// Triangles `own` are divided where corners and edges of `others` lie within `join` (metres) of them, and what is
/// within it of `others` is put onto these: corners onto corners, edges or faces, whichever is there first. So no film
/// is left between them, whether their triangles fit or not. `others` stay as they are, corners in common too. `moved`
/// are those so far; more are put in. Tells how far corners moved. O(n log n).
std::vector<Index> conform(Complex& complex, const std::vector<Index>& own, const std::vector<Index>& others,
                           double join, Moved& moved, CutSurface& report);

}  // namespace anvilcast::cutting
