// A smooth patch for a closed loop of points: of least area, refined to the spacing of its surroundings, and faired.
// Source: P. Liepa, Filling holes in meshes, Symposium on Geometry Processing (2003).
#pragma once

#include <anvilcast/vectors.hpp>
#include <functional>
#include <vector>

namespace anvilcast::mending {

/// What is around a hole.
struct Hole {
    std::vector<Vec3> rim;      ///< in the order in which the patch's triangles run along it
    std::vector<Vec3> beyond;   ///< for each rim edge the third corner of the triangle on its other side
    std::vector<double> scale;  ///< for each rim point the mean length of its edges
    /// Are two rim points joined by an edge of the surface already? The patch must not use that edge again.
    std::function<bool(Index, Index)> joined;
};

/// Points 0 to n - 1 are those of the rim, the others are new.
struct Patch {
    std::vector<Vec3> points;
    std::vector<Triangle> triangles;
};

/// Triangles between rim points alone: the sharpest angle between triangles is as small as can be, then the area.
/// Empty when there is no way. O(n^3) for n up to 300; of longer rims the sharpest corners are cut off first.
Patch minimal_patch(const Hole& hole);

/// Points are put in where triangles are larger than the rim's spacing asks for, and edges are swapped towards
/// Delaunay.
Patch refined(const Hole& hole, Patch patch);

/// The new points are placed so that the patch bends as little as can be, going on with the surroundings' slope.
Patch faired(const Hole& hole, Patch patch);

}  // namespace anvilcast::mending
