// The order in which points are put into the triangulation: random rounds of growing size, each in
// Hilbert order (Amenta, Choi & Rote 2003; Hilbert curve after Skilling 2004).
#pragma once

#include <anvilcast/vectors.hpp>
#include <cstdint>
#include <vector>

namespace anvilcast::tets {

/// A permutation of 0..n-1. After each round there are 2^doublings times as many points as before it. Deterministic:
/// depends on the points and their numbers only. O(n).
std::vector<Index> insertion_order(const std::vector<Vec3>& points, int doublings = 3);

/// A permutation in plain Hilbert order, without rounds.
std::vector<Index> hilbert_order(const std::vector<Vec3>& points);

/// A vector with components in [-1, 1), the same for the same seed. Points on edges or lattices are put aside by a
/// little of it: exactly there, every decision would be work for exact arithmetic.
Vec3 scattered(std::uint64_t seed);

}  // namespace anvilcast::tets
