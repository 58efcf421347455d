// Areas filled with quadrangles.
#pragma once

#include "planar/triangles.hpp"

namespace anvilcast::planar {

struct AllQuadrangles {
    std::vector<Vec2> points;  ///< those given come first
    std::vector<std::array<Index, 4>> cells;
    std::vector<Index> area;
};

/// Fills what the edges enclose with quadrangles alone. Each edge of the rim is given by its two ends and the point
/// between them, `middle`, on which it is divided. Throws as fill_with_triangles does.
AllQuadrangles fill_with_quadrangles(const std::vector<Vec2>& points, const std::vector<RimEdge>& rim,
                                     const std::vector<Index>& middle, const SizeAt& size_at, const Context& context);

}  // namespace anvilcast::planar
