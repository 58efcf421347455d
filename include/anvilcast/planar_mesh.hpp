// The plane mesh: what the plane room makes, and a sweep carries into space.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/vectors.hpp>
#include <anvilcast/zones.hpp>
#include <array>
#include <vector>

namespace anvilcast {

/// An edge of a zone, with the cell that has it on the left of the way from `from` to `to`. Where two areas meet there
/// is one edge, of the area with the lower number.
struct PlanarEdge {
    Index from = 0, to = 0;
    Index zone = 0;
};

/// Triangles and quadrangles in a plane; lengths in metres.
struct PlanarMesh {
    std::vector<Vec2> points;
    std::vector<std::array<Index, 4>> cells;  ///< counter-clockwise; the fourth corner of a triangle is kNone
    std::vector<Index> cell_region;
    std::vector<PlanarEdge> edges;  ///< of the zones
    std::vector<Zone> zones;
    std::vector<Region> regions;
    std::vector<PeriodicPair> periodic = {};  ///< the second zone's edges are images of the first one's, turned round

    static int n_corners(const std::array<Index, 4>& cell) { return cell[3] == kNone ? 3 : 4; }
};

}  // namespace anvilcast
