// The sides of a cube that finer cubes, or such round an edge, have divided.
#pragma once

#include <anvilcast/vectors.hpp>
#include <array>
#include <vector>

namespace anvilcast::cubes {

/// Points on one side of a cube, by numbers of the caller's; kNone for those that are not there.
struct SidePoints {
    std::array<Index, 4> corners{};                            ///< counter-clockwise seen from outside
    std::array<Index, 4> middles{kNone, kNone, kNone, kNone};  ///< of the edge from corner k to the next
    Index center = kNone;
};

/// Does a side with these middles get a point in its centre of its own? Where two edges or more are divided.
bool needs_center(const SidePoints& side);

/// A triangle or a square, counter-clockwise seen from outside; the fourth corner of a triangle is kNone.
using Piece = std::array<Index, 4>;

/// What the side is divided into: itself; round the middle of its one divided edge; or round its centre, squares
/// wherever both edges at a corner are divided. The same from both sides of it, but for the sense.
std::vector<Piece> pieces_of(const SidePoints& side);

}  // namespace anvilcast::cubes
