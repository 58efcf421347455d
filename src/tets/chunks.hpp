// Work on tetrahedra in chunks side by side. A chunk is a complex of its own: small enough for the cache, and what is
// done to it does not depend on the others.
#pragma once

#include <functional>

#include "tets/tet_complex.hpp"

namespace anvilcast::tets {

/// Cuts the complex into chunks of at most `most` tetrahedra, calls work(chunk) for each, in parallel, and puts what
/// they have become together. There must be no ghosts. Faces between chunks are tagged while the work lasts, so that
/// they stay, and their vertices. Vertices keep their numbers, new ones get numbers behind; tags stay. `cut`: the share
/// of a piece that comes first when it is cut; with another one the borders fall elsewhere. The result does not depend
/// on the number of threads. O(n log n).
void work_in_chunks(TetComplex& complex, std::size_t most, double cut, const std::function<void(TetComplex&)>& work);

}  // namespace anvilcast::tets
