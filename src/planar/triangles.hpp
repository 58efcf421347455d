// Areas filled with triangles.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/planar_mesh.hpp>
#include <functional>
#include <vector>

namespace anvilcast::planar {

/// An edge of the rim of an area, or between two: both points are given.
struct RimEdge {
    Index from = 0, to = 0;
    std::array<Index, 2> area{kNone, kNone};  ///< on the left and on the right; kNone where nothing is to be filled
};

using SizeAt = std::function<double(const Vec2&)>;

struct Triangles {
    std::vector<Vec2> points;  ///< those given come first
    std::vector<std::array<Index, 3>> triangles;
    std::vector<Index> area;
};

/// How points are laid out: for equilateral triangles, or for right-angled ones that make squares in pairs.
enum class Lattice { triangles, squares };

/// Fills what the edges enclose; they stay as they are. Throws GeometryError, with a place, when two of them cross or
/// touch, which divisions much longer than a gap is wide bring about.
Triangles fill_with_triangles(const std::vector<Vec2>& points, const std::vector<RimEdge>& rim, const SizeAt& size_at,
                              const Context& context, Lattice lattice = Lattice::triangles);

}  // namespace anvilcast::planar
