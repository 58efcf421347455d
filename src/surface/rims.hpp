// Chains free edges into closed loops.
#pragma once

#include <anvilcast/surface.hpp>
#include <anvilcast/weld.hpp>
#include <vector>

namespace anvilcast {

/// The loops formed by directed edges (from, to); chains that do not close go to `open_chains`. Where several edges
/// leave a point, the lowest-numbered unused one is taken. Deterministic, O(n log n).
std::vector<std::vector<Index>> chain_loops(std::vector<Edge> edges,
                                            std::vector<std::vector<Index>>* open_chains = nullptr);

/// find_rims() where the edges are known already, and triangles in `turned` (unless empty) count as turned round.
std::vector<Rim> rims_of(const Surface& surface, const SurfaceEdges& edges, const std::vector<bool>& turned,
                         std::vector<Rim>* open_rims);

}  // namespace anvilcast
