// Places for interior points: a body-centred cubic lattice that bends with the size field.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/sizing.hpp>
#include <vector>

#include "tets/insertion.hpp"

namespace anvilcast::fill {

using namespace tets;

/// Places all over a complex that holds the boundary's points alone; size_at: the field's size at each of those.
/// Around each place its eight neighbours in the lattice are tried, at the distance that the sizes on the way ask for,
/// and taken where nothing is near. Where the size is even the lattice is perfect, and its tetrahedra have dihedral
/// angles of 60 and 90 degrees; where the size changes the lattice bends and tears. Tagged faces are not crossed.
/// Stops at `most` places. Deterministic; expected O(n).
/// Source: a front that carries its directions along is the idea of T. C. Baudouin et al., A frontal approach to
/// hex-dominant mesh generation (2014), here with the lattice whose Delaunay tetrahedra are all alike.
std::vector<Candidate> lattice_places(const TetComplex& complex, const SizeField& sizes,
                                      const std::vector<double>& size_at, std::size_t most, const Context& context);

}  // namespace anvilcast::fill
