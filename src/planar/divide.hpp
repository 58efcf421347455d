// Strands divided into edges.
#pragma once

#include <anvilcast/planar.hpp>
#include <anvilcast/sizing.hpp>

#include "planar/outline.hpp"

namespace anvilcast::planar {

/// Number of edges that each strand is to have, and whether the curve's own `divisions` say so.
struct Division {
    std::vector<int> count;
    std::vector<char> is_given;
};

/// The walls that the strands of chosen areas make when they are drawn up a little: what sizes are found on, just as in
/// space. Zones are the curves', by their numbers.
Domain as_walls(const Outline& outline, const std::vector<PlaneCurve>& curves, const std::vector<PlaneArea>& areas,
                double height);

Division count_edges(const Outline& outline, const std::vector<PlaneCurve>& curves, const SizeField& sizes);

/// Sides of a mapped area that face each other; each a list of strands.
struct FacingSides {
    std::vector<Index> one, other;
    Index area = 0;
};
/// Gives sides that face each other as many edges, by the least change; counts that are given stay. Throws InputError
/// that names the curves where given counts contradict each other.
void make_equal(Division& division, const std::vector<FacingSides>& sides, const Outline& outline,
                const std::vector<PlaneCurve>& curves, const std::vector<PlaneArea>& areas);

/// The points of a strand, its nodes included: by size, or as its curve's bias has them.
std::vector<Vec2> divided(const Strand& strand, const std::vector<PlaneCurve>& curves, int count, bool is_given,
                          const SizeField& sizes);

}  // namespace anvilcast::planar
