// The walls that layers stand on, taken apart into what each column sees.
//
// Round a point of the surface the sides of triangles that face one region, and hang together over edges, form an
// umbrella. Each umbrella with a layered side gets a foot, from which a column grows: a point of a simple wall has one,
// a point of a baffle one on each side. Where the wall turns round a convex edge by more than one column can serve, the
// umbrella is cut there: each sector gets a foot of its own, and more feet stand in the fan between them. Where walls
// with layers go on behind an interface, or a sheet, that has none, the umbrellas at its two sides have one foot: its
// column lies in the interface.
#pragma once

#include <anvilcast/layers.hpp>
#include <span>
#include <vector>

#include "domain/facing_sides.hpp"

namespace anvilcast::layers {

/// Corner k of a side of a triangle is 3 * side + k; so is its edge from there to the next corner.
using Corner = Index;

struct Foot {
    Index point = 0;     ///< of the surface mesh
    Index umbrella = 0;  ///< feet of one umbrella have as many layers
    Index region = 0;
    std::array<Index, 2> fan{kNone, kNone};  ///< of a foot within a fan: those at its ends
    double share = 0;                        ///< and where between them
    bool is_center = false;                  ///< in the middle of the fans at a corner
    bool is_dead_end = false;                ///< of a fan that has nowhere to go on: no layers
    bool is_shared = false;                  ///< by the umbrellas at both sides of an interface or sheet
};

struct Wall {
    const SurfaceMesh* mesh = nullptr;
    std::vector<Index> recipe_of_side;  ///< kNone: no layers
    std::vector<Vec3> normal_of_side;   ///< into the region, unit
    std::vector<Corner> across;         ///< of each edge: that of the side which faces it over the edge
    std::vector<Index> foot_of_corner;  ///< kNone where the side has no layers
    std::vector<Foot> feet;
    std::vector<Index> first_corner;  ///< of each foot's layered corners, and one more
    std::vector<Corner> corners;
    std::vector<Index> first_shore;  ///< of each foot's unlayered corners, and one more
    std::vector<Corner> shores;      ///< in order round the point
    std::vector<LayerStacks::Face> faces;
    std::vector<LayerStacks::Strip> strips;
    std::vector<Corner> shore_of_strip;       ///< a corner of an unlayered side on which the strip lies
    std::vector<std::array<Index, 2>> edges;  ///< feet that share an edge of a face, each pair once, sorted

    Index region_of(Index side) const { return mesh->sides[side / 2][side & 1U]; }
    Index zone_of(Index side) const { return mesh->surface.zone_of[side / 2]; }
    Index point_of(Corner c) const { return mesh->surface.triangles[c / 6][c % 3]; }
    const Vec3& place_of(Index foot) const { return mesh->surface.points[feet[foot].point]; }
    bool is_layered(Index side) const { return recipe_of_side[side] != kNone; }
    std::span<const Corner> corners_of(Index foot) const {
        return {corners.data() + first_corner[foot], first_corner[foot + 1] - first_corner[foot]};
    }
    std::span<const Corner> shores_of(Index foot) const {
        return {shores.data() + first_shore[foot], first_shore[foot + 1] - first_shore[foot]};
    }

    static Corner next(Corner c) { return c % 3 == 2 ? c - 2 : c + 1; }
    static Corner previous(Corner c) { return c % 3 == 0 ? c + 2 : c - 1; }
    static Index side_of(Corner c) { return c / 3; }
    /// Of the two edges at a corner, the one that is met turning counter-clockwise, seen from the region.
    static Corner ccw_edge(Corner c) { return (side_of(c) & 1U) != 0 ? c : previous(c); }
    /// The next corner at the same point, counter-clockwise.
    Corner ccw(Corner c) const {
        const Corner there = across[ccw_edge(c)];
        return point_of(there) == point_of(c) ? there : next(there);
    }
};

/// The feet that each foot shares edges with.
struct Links {
    std::vector<Index> first, to;

    std::span<const Index> of(Index foot) const { return {to.data() + first[foot], first[foot + 1] - first[foot]}; }
};
Links links_of(const Wall& wall);

struct FanOptions {
    double largest_turn_deg = 130;  ///< a convex edge round which the wall turns by more is fanned out
    double needed_deg = 150;        ///< above, no single column serves: a fan without a way on stays, and steps down
    double beside_deg = 40;         ///< and so is one with more than this where another fan would end in nothing
    double step_deg = 40;           ///< from column to column of a fan, where its top has room for so many
    double largest_step_deg = 75;   ///< and where it has not
    double width = 0.8;             ///< of a strip of the top, in sizes of the wall, at least
    /// Of each side, the height of its stack in sizes; empty: much.
    std::vector<double> height_in_sizes = {};
};

/// `recipe_of_side`: of each side of the mesh's triangles; kNone for one without layers, or without a region.
Wall find_wall(const SurfaceMesh& mesh, std::vector<Index> recipe_of_side, const FanOptions& fans = {});

}  // namespace anvilcast::layers
