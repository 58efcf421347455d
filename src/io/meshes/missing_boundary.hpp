// Outer faces that a file says nothing about: other writers leave them out, or name them by their points.
#pragma once

#include <anvilcast/assembly.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <functional>
#include <span>

namespace anvilcast::io {

/// Adds each face of one cell that no boundary face covers, in the zone that `zone_of` tells by its points, and each
/// uncovered face between two regions, in a zone "between" of role interface. O(n log n).
void add_missing_boundary(CellsAndBoundary& cells, const std::function<Index(std::span<const Index>)>& zone_of);

}  // namespace anvilcast::io
