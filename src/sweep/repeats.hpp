// What repeats in a section, and a section that repeats from one end to the other.
#pragma once

#include <anvilcast/sweep.hpp>
#include <vector>

#include "sweep/stations.hpp"

namespace anvilcast::sweeping {

/// The pairs of the mesh that is swept: those of the section, as they lie in space, and the two ends where these
/// repeat. Throws InputError for those that are no images of each other at every station. O(n) for n points of such
/// sides and stations.
std::vector<PeriodicPair> repeated_in_space(const PlanarMesh& section, const std::vector<Station>& stations,
                                            const SweepOptions& options, bool is_closed);

}  // namespace anvilcast::sweeping
