// Surfaces that touch, overlap or poke through each other, cut along their intersections into one conformal complex.
//
//     CutSurface cut = cut_at_intersections(joined({body, surround}), {}, context);
//     // cut.surface: triangles that meet in whole edges and corners only
//     // cut.origins_of(t): the input triangles that output triangle t is a piece of
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <span>
#include <vector>

namespace anvilcast {

struct CutOptions {
    /// Bodies within this distance (metres) of each other are laid onto each other before cutting, all along, whether
    /// their triangles fit or not: the smaller one onto the larger. 0: none are.
    double join = 0;
    /// What each input triangle is of; left out: the part of its zone. A part may be several bodies: what is connected
    /// within it over edges is one, and is not laid onto itself.
    std::vector<std::string> part_of = {};
    /// Of each input triangle: it is joined with nothing, as it was made for bodies that are joined already. Left out:
    /// none is such.
    std::vector<bool> stays = {};
};

struct CutSurface {
    struct Origin {
        Index triangle;    ///< of the input
        Index zone;        ///< of that triangle
        bool is_reversed;  ///< the input triangle faces the other way
    };
    /// Points of the input that are still used keep their order and come first.
    Surface surface;
    std::vector<Index> first_origin;  ///< of each triangle, and one more: places in `origins`
    std::vector<Origin> origins;  ///< of each triangle one or, where inputs coincide, several; first the one that it
                                  ///< takes its zone and its direction from, the lowest-numbered

    std::size_t pairs_cut = 0;       ///< pairs of input triangles that met
    std::size_t points_added = 0;    ///< at intersections
    std::size_t corners_joined = 0;  ///< moved onto another part
    double largest_move = 0;         ///< of those, metres
    Vec3 largest_move_at;

    std::span<const Origin> origins_of(Index triangle) const {
        return {origins.data() + first_origin[triangle], first_origin[triangle + 1] - first_origin[triangle]};
    }
};

/// Cuts all triangles along their mutual intersections: proper crossings, corners and edges on faces, overlaps in one
/// plane. Pieces that coincide become one.
/// Guarantees: (1) no two triangles of the result meet outside of shared corners and edges, decided exactly; (2) what
/// is cut is decided exactly, on exact constructed points; positions are rounded to the nearest double once all is cut.
/// Rounding can bring triangles together that were apart: these are cut again, until none meet; (3) an input in which
/// nothing meets comes out unchanged, except that points that rounding alone tells apart are one and triangles without
/// area are gone; (4) the result does not depend on the number of threads.
/// Throws GeometryError with a place when rounding does not come to rest. O((n + k) log n), k the pairs that meet.
/// Sources: Q. Zhou et al., Mesh arrangements for solid geometry, ACM Trans. Graph. 35 (2016), cutting triangle by
/// triangle, and again after rounding; M. Attene, Indirect predicates for geometric constructions, CAD 126 (2020),
/// filters before exact arithmetic.
ANVILCAST_API CutSurface cut_at_intersections(const Surface& surface, const CutOptions& options = {},
                                              const Context& context = {});

}  // namespace anvilcast
