// Do two triangles of a complex meet anywhere but in what they share? Decided exactly.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/vectors.hpp>
#include <vector>

namespace anvilcast {

/// Does the closed segment pq meet the closed triangle abc? The triangle must have an area.
ANVILCAST_API bool segment_meets_triangle(const Vec3& p, const Vec3& q, const Vec3& a, const Vec3& b, const Vec3& c);

/// True when the triangles (given by point numbers) meet outside of their shared corners and edges: a crossing,
/// a touch, an overlap, or the same triangle twice.
ANVILCAST_API bool triangles_conflict(const std::vector<Vec3>& points, const Triangle& s, const Triangle& t);

/// All conflicting pairs (i < j), sorted. Parallel; O((n + k) log n).
ANVILCAST_API std::vector<std::array<Index, 2>> find_self_intersections(const std::vector<Vec3>& points,
                                                                        const std::vector<Triangle>& triangles);

}  // namespace anvilcast
