// The surface mesh looked at as a mesh, before layers and cells are built on it.
#pragma once

#include <anvilcast/surface_mesh.hpp>

#include "surfmesh/remesher.hpp"

namespace anvilcast::surfmesh {

struct FlawedTriangle {
    SurfaceFlaw flaw;
    Index triangle;
    bool is_forced;  ///< all its corners are of feature curves: smaller sizes do not change it
};

/// Needles and folds, worst first of each kind. O(n log n).
std::vector<FlawedTriangle> flawed_triangles(const Original& original, const Draft& mesh);

/// Zones that lost or won much area, which chords of arcs do not explain. O(n).
std::vector<SurfaceFlaw> flawed_areas(const Original& original, const Draft& mesh);

}  // namespace anvilcast::surfmesh
