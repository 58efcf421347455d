// Mapped areas as blocks of cells: one for four corners, three for three, five for a round outline.
#pragma once

#include <array>
#include <vector>

#include "planar/divide.hpp"

namespace anvilcast::planar {

/// How a mapped area is divided. `corners`: places in its outer loop, where passes begin.
struct MappedPlan {
    Index area = 0;
    std::vector<std::size_t> corners;  ///< four, three, or none for a round one
};

/// Finds the corners: those next to the places that the area names, or the best by angle. Throws InputError for an area
/// with holes, or with a number of corners that nothing is known for.
MappedPlan plan_mapped(const Outline& outline, const Face& face, const PlaneArea& area, Index number);

/// The sides that need as many edges, of an area with four corners.
std::vector<FacingSides> facing_sides(const MappedPlan& plan, const Face& face);

/// Changes counts of round and three-cornered areas so that their blocks come out: multiples of four, and an even sum.
/// Throws InputError where given divisions forbid it.
void make_divisible(Division& division, const MappedPlan& plan, const Face& face, const PlaneArea& area,
                    const std::vector<PlaneCurve>& curves, const Outline& outline);

struct Quadrangles {
    std::vector<Vec2> inner;                  ///< points besides those of the outline
    std::vector<std::array<Index, 4>> cells;  ///< corners below `n_rim` are of the outline, the others inner ones
};

/// Fills the area whose outline has the points `rim`, counter-clockwise, beginning where the first pass of the loop
/// does; `sides` are the numbers of edges of the passes. Throws GeometryError where cells would fold.
Quadrangles fill_mapped(const MappedPlan& plan, const std::vector<Vec2>& rim, const std::vector<int>& sides,
                        const std::string& name, const SizeField& sizes);

}  // namespace anvilcast::planar
