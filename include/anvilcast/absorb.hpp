// Details of CAD that are too small to matter - slivers of faces, steps, tiny faces and edges - taken out of a domain
// before it is sized and meshed.
//
//     AbsorbReport report;
//     Domain calm = absorb_details(domain, {.width = 0.1 * mm}, &report, context);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>

#include <string>
#include <vector>

namespace anvilcast {

struct AbsorbOptions {
    double width = 0;           ///< metres; what is narrower goes, and no point moves farther
    double feature_angle = 30;  ///< degrees between normals from which an edge is one
};

struct AbsorbReport {
    std::size_t faces = 0;     ///< patches between feature edges that went altogether
    std::size_t narrowed = 0;  ///< those of which only the narrow parts went
    std::size_t edges = 0;     ///< feature edges from corner to corner that went, beside those of the faces
    double largest_move = 0;   ///< metres
    Vec3 largest_move_at;
    std::vector<std::string> zones;  ///< that were narrower everywhere and are gone
};

/// Patches whose mean width (twice the area by the length of their border) is below `width` are zipped up, one border
/// drawn onto the other, and feature edges shorter than it contracted. Corners stay in preference to edges, and those
/// to points of faces. Inlets, outlets and other openings never go altogether.
/// Guarantees: regions, closedness and the order of sides stay; every point of the result is one of the given; none
/// that went was farther than `width` from where it went, however many steps that took. What cannot go without turning
/// a face over or joining what was apart stays. Throws InputError when the width is not a positive number;
/// GeometryError when a region would be gone, or, with the place, the surface cross itself afterwards. O(n log n).
ANVILCAST_API Domain absorb_details(const Domain& domain, const AbsorbOptions& options, AbsorbReport* report = nullptr,
                                    const Context& context = {});

}  // namespace anvilcast
