// Triangles across a rim.
#pragma once

#include <anvilcast/surface.hpp>

#include <vector>

namespace anvilcast::domain {

/// Points of a rim that is not flat; the time to patch grows with their square.
inline constexpr std::size_t kMostBent = 10000;

/// Twice the vector area of a loop: its direction is the normal of the plane that fits it best (Newell).
Vec3 loop_normal(const std::vector<Vec3>& loop);
std::vector<Vec3> places_of(const Surface& s, const std::vector<Index>& loop);

/// Across a rim that is as good as flat, without new points.
Surface flat_patch(const std::vector<Vec3>& rim);
/// Over a rim that is not flat: of least bend, then of least area.
Surface bent_patch(const Surface& s, const std::vector<Index>& loop);

}  // namespace anvilcast::domain
