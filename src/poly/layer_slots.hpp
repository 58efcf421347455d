// What polyhedra have to know of the layers in a mesh.
#pragma once

#include <array>
#include <cstddef>
#include <vector>

namespace anvilcast::poly {

/// How the layer cells of a mesh stand on their columns.
struct LayerSlots {
    static constexpr signed char kNothing = -1;
    /// Three or four columns counter-clockwise seen from above: the corner of the cell where each one enters it and
    /// the one where it leaves, the same one where it ended below. Behind the last: kNothing; cells of no layer have
    /// nothing at all.
    struct Cell {
        std::array<signed char, 4> low{kNothing, kNothing, kNothing, kNothing};
        std::array<signed char, 4> up{kNothing, kNothing, kNothing, kNothing};
        std::size_t count() const { return low[0] < 0 ? 0 : low[3] < 0 ? 3 : 4; }
    };
    std::size_t first_cell = 0;  ///< number in the mesh of the first of `cells`
    std::vector<Cell> cells;
};

}  // namespace anvilcast::poly
