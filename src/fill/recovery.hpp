// Boundary recovery: makes every surface triangle, or a subdivision of it, a face of the tetrahedra.
#pragma once

#include <anvilcast/context.hpp>
#include <cstddef>
#include <vector>

#include "fill/tet_complex.hpp"

namespace anvilcast::fill {

/// The surface on its way into the complex, in the complex's vertex numbers. Splitting adds triangles.
struct SurfaceTriangles {
    std::vector<Triangle> triangles;
    std::vector<Index> parent;  ///< the triangle of the input that each one is part of
};

struct RecoveryReport {
    std::size_t edges_by_flips = 0;
    std::size_t faces_by_flips = 0;
    std::size_t points_on_edges = 0;
    std::size_t points_on_faces = 0;
};

/// On return every triangle of `surface` is a face with its number as tag.
/// Requires: the triangles do not cross each other, and all their vertices are in the complex.
/// Throws FailureError with a place when the number of added points passes any reason, which means that the
/// surface crosses itself after all.
RecoveryReport recover_boundary(TetComplex& complex, SurfaceTriangles& surface, const Context& context);

}  // namespace anvilcast::fill
