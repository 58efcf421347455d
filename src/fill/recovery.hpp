// Boundary recovery: makes every surface triangle, or a subdivision of it, a face of the tetrahedra.
#pragma once

#include <anvilcast/context.hpp>
#include <cstddef>
#include <vector>

#include "tets/tet_complex.hpp"

namespace anvilcast::fill {

using namespace tets;

/// The surface on its way into the complex, in the complex's vertex numbers. Splitting adds triangles.
struct SurfaceTriangles {
    std::vector<Triangle> triangles;
    std::vector<Index> parent;  ///< the triangle of the input that each one is part of
};

/// A point that recovery put on the surface.
struct SplitPoint {
    Index vertex;
    Index triangle;  ///< of the input, one of those that it lies on
    struct Parent {
        Triangle whole;             ///< as it was before
        std::vector<Index> pieces;  ///< surface triangles that it is divided into; the first kept its number
    };
    std::vector<Parent> parents;
    /// The vertices of the input that it lies between, and its barycentric place: two on an edge, three on a triangle
    /// (of which a weight may be 0).
    std::vector<std::pair<Index, double>> between;
};

struct RecoveryReport {
    std::size_t edges_by_flips = 0;
    std::size_t faces_by_flips = 0;
    std::vector<SplitPoint> splits;  ///< in the order in which they came
};

/// On return every triangle of `surface` is a face with its number as tag.
/// Requires: the triangles do not cross each other, and all their vertices are in the complex.
/// Throws FailureError with a place when the number of added points passes any reason, which means that the
/// surface crosses itself after all.
RecoveryReport recover_boundary(TetComplex& complex, SurfaceTriangles& surface, const Context& context);

/// Lifts points that recovery added off the surface, each as one point on either side of it, so that the triangle or
/// the edge that was divided is whole again. Those that cannot be lifted, because no place is seen by all the cells
/// round them, stay in the list. Returns how many were lifted. Triangles of `surface` that are no more are taken out,
/// and tags follow.
std::size_t lift_splits(TetComplex& complex, SurfaceTriangles& surface, std::vector<SplitPoint>& splits);

}  // namespace anvilcast::fill
