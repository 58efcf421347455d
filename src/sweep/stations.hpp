// Where a section stands on its way: a place and two axes for each layer of points.
#pragma once

#include <anvilcast/sweep.hpp>
#include <vector>

namespace anvilcast::sweeping {

/// The section's point (x, y) lies at origin + x first + y second.
struct Station {
    Vec3 origin, first, second;
    Vec3 place(const Vec2& p) const { return origin + first * p.x + second * p.y; }
};

/// One for each layer of points, steps + 1 of them; those of a closed way round end where they began. Throws InputError
/// for a path without length, and for an axis that cuts the section (whose points are given).
std::vector<Station> stations(const SweepPath& path, const SweepOptions& options, const std::vector<Vec2>& section);

/// Is it a whole turn, whose last layer is the first one?
bool is_closed(const SweepPath& path);

/// Points on the axis of a way round, which stay where they are.
std::vector<char> on_axis(const SweepPath& path, const std::vector<Vec2>& section);

}  // namespace anvilcast::sweeping
