// Lines divided by number.
#pragma once

#include <anvilcast/vectors.hpp>

#include <optional>
#include <vector>

namespace anvilcast::shape {

struct Divisions {
    int count = 1;
    double bias = 1;                   ///< length of the longest piece over that of the shortest
    std::optional<Vec3> towards = {};  ///< the end near it has the shortest; left out: both ends have
};

/// Places along a polyline that divide it into pieces whose lengths are in a geometric row. The ends are the
/// polyline's own.
std::vector<Vec3> divided(const std::vector<Vec3>& polyline, const Divisions& division);

}  // namespace anvilcast::shape
