#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <map>

#include "surface/findings.hpp"

namespace anvilcast::health {
namespace {

void measure_zones(Findings& f) {
    const Surface& s = f.surface;
    SurfaceHealth& h = f.health;
    for (const Zone& z : s.zones) h.zones.push_back({z.name, z.role, z.role_is_guess, z.part, 0, 0, {}, {}, {}});
    for (Index t = 0; t < s.triangles.size(); ++t) {
        ZoneMeasure& zone = h.zones[s.zone_of[t]];
        const Vec3 normal = triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
        const double area = 0.5 * length(normal);
        ++zone.triangles;
        zone.area += area;
        zone.center += f.middle(t) * area;
        zone.mean_normal += 0.5 * normal;
        for (int k = 0; k < 3; ++k) zone.bounds.include(s.corner(t, k));
    }
    for (ZoneMeasure& zone : h.zones) {
        h.area += zone.area;
        if (zone.area > 0) {
            zone.center = zone.center / zone.area;
            zone.mean_normal = zone.mean_normal / zone.area;
        } else if (zone.triangles > 0) {
            zone.center = zone.bounds.center();
        }
    }
}

void measure_shells(Findings& f) {
    const Surface& s = f.surface;
    std::vector<Shell>& shells = f.health.shells;
    shells.assign(f.orientation.n_shells, Shell{});
    for (Shell& shell : shells) shell.is_closed = true;
    const Vec3 origin = f.health.bounds.center();
    for (Index t = 0; t < s.triangles.size(); ++t) {
        Shell& shell = shells[f.orientation.shell_of[t]];
        ++shell.triangles;
        shell.area += f.area(t);
        for (int k = 0; k < 3; ++k) {
            shell.bounds.include(s.corner(t, k));
            if (f.edges.n_uses(f.edges.edge_of(t, static_cast<Index>(k))) == 1) shell.is_closed = false;
        }
        // Seen from the inner side an outward triangle has a negative volume.
        const double volume = -tetrahedron_volume(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2), origin);
        f.health.enclosed_volume += volume;
        shell.volume += f.orientation.turn[t] ? -volume : volume;
    }
    for (Shell& shell : shells)
        if (!shell.is_closed) shell.volume = 0;
}

/// A line from each shell's largest triangle: closed shells that it meets an odd number of times ahead are around it.
void nest_shells(Findings& f) {
    std::vector<Shell>& shells = f.health.shells;
    if (shells.size() < 2) return;
    std::vector<Triangle> closed;
    std::vector<Index> shell_of;
    std::vector<Index> largest(shells.size(), kNone);
    for (Index t = 0; t < f.surface.triangles.size(); ++t) {
        const Index shell = f.orientation.shell_of[t];
        if (largest[shell] == kNone || f.area(t) > f.area(largest[shell])) largest[shell] = t;
        if (!shells[shell].is_closed) continue;
        closed.push_back(f.surface.triangles[t]);
        shell_of.push_back(shell);
    }
    const TriangleTree tree(f.surface.points, closed);
    if (tree.empty()) return;
    const Vec3 direction = normalized(Vec3{0.3847, 0.5513, 0.7404});
    for (Index i = 0; i < shells.size(); ++i) {
        const Vec3 from = f.middle(largest[i]);
        if (tree.bounds().distance_squared_to(from) > 0) continue;
        std::map<Index, int> met;
        for (const auto& hit : tree.line_hits(from, direction))
            if (hit.t > 0 && shell_of[hit.triangle] != i) ++met[shell_of[hit.triangle]];
        for (const auto& [other, times] : met) {
            if (times % 2 == 0) continue;
            ++shells[i].depth;
            Index& around = shells[i].inside;
            if (around == kNone || std::abs(shells[other].volume) < std::abs(shells[around].volume)) around = other;
        }
    }
}

}  // namespace

void measure(Findings& f) {
    f.health.bounds = f.surface.bounds();
    f.health.n_points = f.surface.points.size();
    f.health.n_triangles = f.surface.triangles.size();
    measure_zones(f);
    if (f.surface.triangles.empty()) return;
    measure_shells(f);
    nest_shells(f);
}

}  // namespace anvilcast::health
