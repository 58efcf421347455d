// The last resort for a polyhedron that came out inside out: it becomes one with a neighbour.
#pragma once

#include <anvilcast/volume_mesh.hpp>

namespace anvilcast::poly {

/// Joins each polyhedron that has no volume, by one of the usual definitions, or that touches itself along an edge,
/// with the neighbour of its region that it shares most of its surface with, and again until it is sound. Where walls
/// of layers meet in sharp corners, or columns end beside each other, such polyhedra cannot always be avoided by moving
/// points. Returns how many were joined. Faces, points and zones stay, but for the faces between what became one. O(n).
std::size_t merge_unsound(VolumeMesh& polyhedra);

}  // namespace anvilcast::poly
