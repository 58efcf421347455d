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
/// space. Zones are the curves', by their numbers, and after them the interfaces, for what lies between two areas.
/// Curves that divide an area are no walls.
struct Walls {
    Domain domain;
    std::vector<Index> strand_of;       ///< of each triangle
    std::vector<Index> zone_of_strand;  ///< kNone for what is no wall
    double height = 0;
};
Walls as_walls(const Outline& outline, const std::vector<PlaneCurve>& curves, const std::vector<PlaneArea>& areas,
               double height);

/// `taken`: of each strand, how much of its two ends is not to be divided; none where empty.
Division count_edges(const Outline& outline, const std::vector<PlaneCurve>& curves, const SizeField& sizes,
                     const std::vector<std::array<double, 2>>& taken = {});

/// Sides that are to have as many edges: those of a mapped area that face each other, or, where that is kNone, one side
/// and the one at which it repeats. Each is a list of strands.
struct FacingSides {
    std::vector<Index> one, other;
    Index area = 0;
};
/// Gives sides that face each other as many edges, by the least change; counts that are given stay. Throws InputError
/// that names the curves where given counts contradict each other.
void make_equal(Division& division, const std::vector<FacingSides>& sides, const Outline& outline,
                const std::vector<PlaneCurve>& curves, const std::vector<PlaneArea>& areas);

/// The points of a strand from one length of its way to another, both included: by size, or as its curve's bias has
/// them.
std::vector<Vec2> divided(const Strand& strand, const std::vector<PlaneCurve>& curves, int count, bool is_given,
                          const SizeField& sizes, double from, double to);

}  // namespace anvilcast::planar
