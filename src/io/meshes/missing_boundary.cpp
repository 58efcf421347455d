#include <anvilcast/assembly.hpp>

#include "io/meshes/missing_boundary.hpp"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <array>

namespace anvilcast::io {
namespace {

struct Side {
    std::array<Index, 4> key;
    Index cell;  // kNone: of the boundary
    int face;
};

std::array<Index, 4> key_of(std::span<const Index> points) {
    std::array<Index, 4> key{kNone, kNone, kNone, kNone};
    std::copy(points.begin(), points.end(), key.begin());
    std::sort(key.begin(), key.end());
    return key;
}

std::vector<Index> points_of(const CellsAndBoundary& cells, Index cell, int face) {
    std::vector<Index> out;
    for (const int k : cell_faces(cells.cell_types[cell])[static_cast<std::size_t>(face)])
        out.push_back(cells.cell_points[cells.cell_offsets[cell] + static_cast<std::size_t>(k)]);
    return out;
}

}  // namespace

void add_missing_boundary(CellsAndBoundary& cells, const std::function<Index(std::span<const Index>)>& zone_of) {
    std::vector<Side> sides;
    for (Index c = 0; c < cells.cell_types.size(); ++c) {
        const auto n = static_cast<int>(cell_faces(cells.cell_types[c]).size());
        for (int f = 0; f < n; ++f) sides.push_back({key_of(points_of(cells, c, f)), c, f});
    }
    for (std::size_t b = 0; b < cells.boundary_zone.size(); ++b) {
        const std::size_t n = cells.boundary_offsets[b + 1] - cells.boundary_offsets[b];
        if (n <= 4) sides.push_back({key_of({cells.boundary_points.data() + cells.boundary_offsets[b], n}), kNone, 0});
    }
    tbb::parallel_sort(sides.begin(), sides.end(),
                       [](const Side& a, const Side& b) { return a.key != b.key ? a.key < b.key : a.cell < b.cell; });
    Index between = kNone;
    auto add = [&cells](const std::vector<Index>& points, Index zone) {
        cells.boundary_points.insert(cells.boundary_points.end(), points.begin(), points.end());
        cells.boundary_offsets.push_back(cells.boundary_points.size());
        cells.boundary_zone.push_back(zone);
    };
    for (std::size_t i = 0, j = 0; i < sides.size(); i = j) {
        for (j = i; j < sides.size() && sides[j].key == sides[i].key;) ++j;
        if (sides[j - 1].cell == kNone) continue;  // covered
        const std::vector<Index> points = points_of(cells, sides[i].cell, sides[i].face);
        if (j - i == 1) {
            add(points, zone_of(points));
        } else if (cells.cell_region[sides[i].cell] != cells.cell_region[sides[i + 1].cell]) {
            if (between == kNone) {
                between = static_cast<Index>(cells.zones.size());
                cells.zones.push_back({"between", Role::interface_});
            }
            add(points, between);
        }
    }
}

}  // namespace anvilcast::io
