// Things kept by the cell of a grid that they are in.
#pragma once

#include <anvilcast/vectors.hpp>
#include <cmath>
#include <cstdint>
#include <unordered_map>

namespace anvilcast::wrapping {

struct GridCell {
    std::int64_t x, y, z;
    bool operator==(const GridCell&) const = default;

    static GridCell of(const Vec3& p, double width) {
        return {static_cast<std::int64_t>(std::floor(p.x / width)), static_cast<std::int64_t>(std::floor(p.y / width)),
                static_cast<std::int64_t>(std::floor(p.z / width))};
    }
    Vec3 center(double width) const {
        return Vec3{static_cast<double>(x) + 0.5, static_cast<double>(y) + 0.5, static_cast<double>(z) + 0.5} * width;
    }
};

struct GridCellHash {
    std::size_t operator()(const GridCell& c) const {
        return static_cast<std::size_t>(c.x * 73856093 ^ c.y * 19349663 ^ c.z * 83492791);
    }
};

template <typename T>
using PlaceCache = std::unordered_map<GridCell, T, GridCellHash>;

}  // namespace anvilcast::wrapping
