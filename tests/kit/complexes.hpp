// Complexes of tetrahedra for tests of the fill.
#pragma once

#include <vector>

#include "tets/kernel.hpp"
#include "tets/spatial_order.hpp"
#include "tets/tet_complex.hpp"

namespace anvilcast::kit {

/// The Delaunay tetrahedra of points, without ghosts.
inline tets::TetComplex hull_of(const std::vector<Vec3>& points) {
    using namespace tets;
    const Kernel kernel(points, insertion_order(points), {});
    std::vector<Tet> own;
    std::vector<Index> number(kernel.n_slots(), kNone);
    for (Index t = 0; t < kernel.n_slots(); ++t) {
        const Tet& tet = kernel.tet(t);
        if (tet.is_free() || tet.is_ghost()) continue;
        number[t] = static_cast<Index>(own.size());
        own.push_back(tet);
    }
    for (Tet& tet : own)
        for (Index& code : tet.n)
            code = number[tet_of(code)] == kNone ? kNone : code_of(number[tet_of(code)], face_of(code));
    return {kernel.points(), std::move(own)};
}

}  // namespace anvilcast::kit
