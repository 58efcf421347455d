// Triangles of a wrap that touch each other, or come too close.
#pragma once

#include <anvilcast/surface.hpp>
#include <anvilcast/wrap.hpp>
#include <array>
#include <vector>

namespace anvilcast::wrapping {

/// In gaps: triangles that are not neighbours stay as far apart.
inline constexpr double kClosest = 0.03;

/// Do two triangles cross or touch where they should not, or come within `reach` without being neighbours?
bool meet(const std::vector<Vec3>& points, const Triangle& s, const Triangle& t, double reach);

/// Pairs of triangles, the first of which is marked, that cross or touch where they should not, or come
/// closer than they may without being neighbours. In order of the triangles. Parallel, O(n log n).
std::vector<std::array<Index, 2>> find_meetings(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles,
                                                const std::vector<bool>& is_marked, const LengthAt& gap_at);

}  // namespace anvilcast::wrapping
