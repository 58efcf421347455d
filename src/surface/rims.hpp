// Chains directed edges into closed loops.
#pragma once

#include <anvilcast/geometry.hpp>
#include <array>
#include <vector>

namespace anvilcast {

/// The loops formed by directed edges (from, to); open chains are dropped. Where several edges leave a
/// point, the lowest-numbered unused one is taken. Deterministic, O(n log n).
std::vector<std::vector<Index>> chain_loops(std::vector<std::array<Index, 2>> edges);

}  // namespace anvilcast
