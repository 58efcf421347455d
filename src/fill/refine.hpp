// Interior points: as many as the size field asks for.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/sizing.hpp>
#include <cstddef>

#include "tets/tet_complex.hpp"

namespace anvilcast::fill {

using namespace tets;

struct RefineReport {
    std::size_t points = 0;
    std::size_t rounds = 0;
};

/// Puts in the places of a lattice (lattice.hpp) first. Then divides edges that are too long for the size field, round
/// after round, until hardly any is left: where the lattice stops short of the boundary, or tears. A point is put in
/// only where it keeps its distance from the points and boundary faces round it. Tags and their faces stay.
/// Source of the second step: P. L. George, H. Borouchaki, Delaunay Triangulation and Meshing (1998), chapter 7, with
/// the distance filter on the cavity of each point instead of on a grid.
RefineReport add_interior_points(TetComplex& complex, const SizeField& sizes, std::size_t max_cells,
                                 const Context& context);

}  // namespace anvilcast::fill
