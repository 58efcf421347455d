#include <anvilcast/mend.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <cmath>

#include "surface/findings.hpp"
#include "surface/mending.hpp"

namespace anvilcast {

void mending::keep_triangles(Surface& surface, const std::vector<bool>& keep) {
    std::size_t n = 0;
    for (std::size_t t = 0; t < keep.size(); ++t) {
        if (!keep[t]) continue;
        surface.triangles[n] = surface.triangles[t];
        surface.zone_of[n++] = surface.zone_of[t];
    }
    surface.triangles.resize(n);
    surface.zone_of.resize(n);
}

Mending mending::drop_duplicates(Surface& surface) {
    Mending m{"duplicate triangles dropped", 0, 0, {}};
    // The same corners in the same turn: begin with the lowest one.
    auto key = [](Triangle t) {
        std::rotate(t.begin(), std::min_element(t.begin(), t.end()), t.end());
        return t;
    };
    std::vector<Index> order(surface.triangles.size());
    for (Index t = 0; t < order.size(); ++t) order[t] = t;
    std::sort(order.begin(), order.end(), [&](Index s, Index t) {
        const Triangle a = key(surface.triangles[s]), b = key(surface.triangles[t]);
        return a != b ? a < b : s < t;
    });
    // Two bodies may have a wall in common, triangle by triangle: each needs its own.
    auto part_of = [&](Index t) -> const std::string& { return surface.zones[surface.zone_of[t]].part; };
    std::vector<bool> keep(order.size(), true);
    for (std::size_t i = 0, j = 0; i < order.size(); i = j)
        for (j = i; j < order.size() && key(surface.triangles[order[j]]) == key(surface.triangles[order[i]]); ++j)
            for (std::size_t k = i; k < j && keep[order[j]]; ++k)
                if (part_of(order[k]) == part_of(order[j])) {
                    keep[order[j]] = false;
                    ++m.count;
                }
    if (m.count > 0) keep_triangles(surface, keep);
    return m;
}

Mending mending::orient(Surface& surface) {
    Mending m{"triangles turned to agree with their neighbours", 0, 0, {}};
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const Orientation orientation = find_orientation(surface, edges);
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        if (!orientation.turn[t]) continue;
        std::swap(surface.triangles[t][1], surface.triangles[t][2]);
        ++m.count;
    }
    return m;
}

Mending mending::turn_outward(Surface& surface) {
    Mending m{"bodies turned right side out", 0, 0, {}};
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const Orientation orientation = find_orientation(surface, edges);
    SurfaceHealth health;
    health::Findings f{surface, edges, orientation, 0, 0, health, {}, {}};
    health::measure(f);
    auto is_wrong = [&](Index shell) {
        const Shell& s = health.shells[shell];
        return s.is_closed && s.depth == 0 && s.volume < 0;
    };
    for (Index t = 0; t < surface.triangles.size(); ++t)
        if (is_wrong(orientation.shell_of[t])) std::swap(surface.triangles[t][1], surface.triangles[t][2]);
    for (Index s = 0; s < health.shells.size(); ++s) m.count += is_wrong(s) ? 1 : 0;
    return m;
}

Mending mending::drop_specks(Surface& surface, double extent) {
    Mending m{"specks dropped", 0, 0, {}};
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const Orientation orientation = find_orientation(surface, edges);
    std::vector<Box> boxes(orientation.n_shells);
    for (Index t = 0; t < surface.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k) boxes[orientation.shell_of[t]].include(surface.corner(t, k));
    const auto largest = std::max_element(boxes.begin(), boxes.end(),
                                          [](const Box& a, const Box& b) { return a.diagonal() < b.diagonal(); });
    std::vector<bool> is_speck(boxes.size());
    for (std::size_t s = 0; s < boxes.size(); ++s) {
        is_speck[s] = boxes[s].diagonal() <= extent && &boxes[s] != &*largest;
        m.count += is_speck[s] ? 1 : 0;
    }
    if (m.count == 0) return m;
    std::vector<bool> keep(surface.triangles.size());
    for (Index t = 0; t < keep.size(); ++t) keep[t] = !is_speck[orientation.shell_of[t]];
    keep_triangles(surface, keep);
    return m;
}

MendResult mend(const Surface& surface, const MendOptions& options, const Context& context) {
    for (const double d :
         {options.weld, options.stitch, options.remove_needles, options.drop_specks, options.close_rims})
        if (!(d >= 0) || !std::isfinite(d))
            throw InputError(fmt::format("a mend by {} m: distances are 0 or positive", d));
    MendResult result;
    result.surface = surface;
    auto note = [&result](const Mending& m) {
        if (m.count > 0) result.done.push_back(m);
    };
    context.report("mend", "welding", 0);
    const WeldResult welded = weld(result.surface, options.weld);
    note({"points welded", welded.points_merged, welded.largest_move, {}});
    if (options.drop_duplicates) note(mending::drop_duplicates(result.surface));
    context.report("mend", "needles", 0.2);
    if (options.remove_needles > 0) note(mending::remove_needles(result.surface, options.remove_needles));
    context.report("mend", "stitching", 0.4);
    if (options.stitch > 0) {
        note(mending::stitch(result.surface, options.stitch));
        if (options.drop_duplicates) note(mending::drop_duplicates(result.surface));
    }
    if (options.drop_specks > 0) note(mending::drop_specks(result.surface, options.drop_specks));
    if (options.orient) note(mending::orient(result.surface));
    context.report("mend", "closing rims", 0.6);
    if (options.close_rims > 0) note(mending::close_rims(result.surface, options.close_rims, result.left));
    if (options.orient) note(mending::turn_outward(result.surface));
    if (result.is_changed()) drop_unused_points(result.surface);
    return result;
}

}  // namespace anvilcast
