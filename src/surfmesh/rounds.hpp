// A surface meshed in rounds of splits, collapses, flips and moves: as a whole, or where sizes became smaller.
#pragma once

#include "surfmesh/chunks.hpp"

namespace anvilcast::surfmesh {

/// A draft with the places that divide its curves.
struct Meshed {
    Draft draft;
    CurvePlaces places;
};

/// The original meshed at the sizes given. Throws Interrupted when the context asks to stop.
Meshed mesh_in_rounds(const Original& original, const SizeAt& size_at, const SurfaceMeshOptions& options,
                      const ShapeLimits& limits, const Context& context);

/// A mesh meshed on where sizes are smaller now than they were before, and in a belt round there; all other triangles
/// stay. Where that is most of the surface it is meshed from the original as a whole.
Meshed mesh_finer(Meshed mesh, const Original& original, const SizeAt& before, const SizeAt& now,
                  const SurfaceMeshOptions& options, const ShapeLimits& limits, const Context& context);

}  // namespace anvilcast::surfmesh
