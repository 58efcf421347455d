// Curves that repeat: the strands of one zone made images of another's.
#pragma once

#include <anvilcast/placement.hpp>
#include <anvilcast/planar.hpp>
#include <vector>

#include "planar/columns.hpp"
#include "planar/divide.hpp"
#include "planar/outline.hpp"

namespace anvilcast::planar {

struct RepeatedStrand {
    Index strand = 0, image = 0;  ///< run the same way: begin at a node and at its image
    Placement to_image;           ///< moves within the plane
};

struct Repeats {
    std::vector<RepeatedStrand> strands;
    std::vector<PeriodicPair> pairs;
    bool is_empty() const { return strands.empty(); }
};

/// Replaces the strands of each second zone by images of the first one's, on copies of their curves, and puts their
/// nodes where these lead; strands know their areas. Divisions and bias are those of the zone that has any. Throws
/// InputError for a zone that is not there or is in two pairs, and for divisions that contradict each other;
/// GeometryError, with the place, where two zones are not each other's image. O(k^2) for k strands of a pair.
Repeats make_repeated(Outline& outline, std::vector<Face>& faces, std::vector<PlaneCurve>& curves,
                      const std::vector<PeriodicRequest>& requests);

/// As many edges on both strands of each pair as sides that face each other have.
std::vector<FacingSides> as_facing(const Repeats& repeats);

/// Layers that slide along a strand take as much of its image.
void take_alike(const Repeats& repeats, LayerPlan& plan);

/// Columns that slide along a strand and its image are told to be alike; without layers where only one of both has a
/// column.
void link_columns(const Repeats& repeats, Columns& columns);

inline Vec2 moved(const Placement& placement, const Vec2& p) {
    const Vec3 there = placement(Vec3{p.x, p.y, 0});
    return {there.x, there.y};
}

}  // namespace anvilcast::planar
