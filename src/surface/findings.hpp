// What the rooms of the examination share: the surface, what is known of it already, and where findings go.
#pragma once

#include <anvilcast/health.hpp>

#include "surface/orientation.hpp"

namespace anvilcast::health {

struct Findings {
    const Surface& surface;
    const SurfaceEdges& edges;
    const Orientation& orientation;
    double tolerance;
    double sharp_angle;
    SurfaceHealth& health;
    std::vector<bool> is_degenerate;  ///< for each triangle
    std::vector<bool> at_seam;        ///< for each point: it is part of a crack or T-junction

    void add(DefectKind kind, const Defect& defect) {
        health.defects[static_cast<std::size_t>(kind)].items.push_back(defect);
    }
    Vec3 middle(Index t) const { return (surface.corner(t, 0) + surface.corner(t, 1) + surface.corner(t, 2)) / 3.0; }
    double area(Index t) const {
        return triangle_area(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2));
    }
};

/// Sizes of the whole, of zones and of shells, and which shell is inside of which.
void measure(Findings& f);
/// Edges, vertices, doubled and flat triangles, orientation, small pieces, coordinates.
void find_local_defects(Findings& f);
/// Rims, cracks and T-junctions. O(n log n).
void find_seams(Findings& f);
/// Self-intersections, overlaps, interference and near misses. Exact but for distances.
void find_contacts(Findings& f, const Context& context);

}  // namespace anvilcast::health
