// Polyhedra from a mesh of tetrahedra and layer cells: one about each vertex of the core, and a polygonal prism for
// each layer of each column.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/volume_mesh.hpp>

#include "poly/layer_slots.hpp"

namespace anvilcast::poly {

struct DualOptions {
    double feature_angle = 30;  ///< degrees between normals from which an edge of the boundary is kept
};

struct DualCounts {
    std::size_t bad = 0;     ///< are not what they should be, see polish()
    std::size_t merged = 0;  ///< became one with a neighbour, see merge_unsound()
};

/// Zones and regions stay; sharp edges, borders of zones and corners stay where they are, and flat zones flat.
/// Smoothly curved zones come to lie as near to the surface mesh as that is to what it is of. Parallel, O(n log n); the
/// same on any number of threads.
VolumeMesh dual_of(const VolumeMesh& mesh, const LayerSlots& slots, const DualOptions& options, const Context& context,
                   DualCounts* counts = nullptr);

}  // namespace anvilcast::poly
