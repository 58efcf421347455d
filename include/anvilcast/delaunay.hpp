// The Delaunay tetrahedralisation of a set of points.
//
//     DelaunayMesh mesh = delaunay(points);
//     for (const auto& tet : mesh.tetrahedra) use(points[tet[0]], points[tet[1]], ...);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/vectors.hpp>
#include <array>
#include <cstddef>
#include <vector>

namespace anvilcast {

struct DelaunayMesh {
    std::vector<std::array<Index, 4>> tetrahedra;  ///< positively oriented, of the convex hull
    std::size_t peak_bytes = 0;                    ///< memory of the kernel's own arrays at its peak
};

/// Guarantees: (1) no point lies strictly inside the circumsphere of a tetrahedron; (2) the tetrahedra fill
/// the convex hull; (3) cospherical points are split by one symbolic rule, so that the result is always
/// valid; (4) the same points in the same order give the same result.
/// A point equal to an earlier one is left out. Throws GeometryError when all points lie in one plane, and
/// InputError on a coordinate outside the model of predicates.hpp. Expected O(n log n).
ANVILCAST_API DelaunayMesh delaunay(const std::vector<Vec3>& points, const Context& context = {});

}  // namespace anvilcast
