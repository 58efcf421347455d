// Which curves have layers, and how much of the curves beside them these take.

#include "planar/layers.hpp"

#include <anvilcast/errors.hpp>

#include <algorithm>
#include <cmath>

#include "layers/assignment.hpp"
#include "planar/corners.hpp"
#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

/// What slides along the strand of `pass` beside a corner, with the layers of `walled`, whose stack at the node counts.
void note_slide(const Outline& outline, const Pass& pass, const Pass& walled, bool at_start_of_pass,
                const std::vector<LayerRecipe>& recipes, const SizeField& sizes, LayerPlan& plan) {
    const Strand& s = outline.strands[pass.strand];
    const Vec2 along = leaving(outline, pass, at_start_of_pass), wall = leaving(outline, walled, !at_start_of_pass);
    // Into the area: to the left of a pass that leaves the node, to the right of one that comes to it.
    const double angle = at_start_of_pass ? angle_from(along, wall) : angle_from(wall, along);
    if (!can_slide(angle)) return;
    const int side = walled.is_forward ? 0 : 1;
    const Index node = at_start_of_pass == pass.is_forward ? s.from : s.to;
    const Vec2& p = outline.nodes[node];
    const LayerStack stack =
        stack_at(recipes[plan.recipe[walled.strand][static_cast<std::size_t>(side)]],
                 plan.stacks[plan.stack[walled.strand][static_cast<std::size_t>(side)]], sizes.at({p.x, p.y, 0}));
    double& taken = plan.slid[pass.strand][at_start_of_pass == pass.is_forward ? 0 : 1];
    taken = std::max(taken, std::min(stack.total / std::sin(angle), kMostTaken * s.length()));
}

void add(const ZoneLayers& z, const LayerFigures& f, ZoneLayers& zone, LayerFigures& figures) {
    if (z.area > zone.area) {
        zone.asked = z.asked;
        figures.first_median = f.first_median;
        figures.growth_median = f.growth_median;
    }
    const double before = figures.area - figures.bare_area, more = f.area - f.bare_area;
    if (before + more > 0) {
        figures.first_share_2 = (before * figures.first_share_2 + more * f.first_share_2) / (before + more);
        figures.first_share_5 = (before * figures.first_share_5 + more * f.first_share_5) / (before + more);
    }
    if (more > 0) {
        figures.first_min = before > 0 ? std::min(figures.first_min, f.first_min) : f.first_min;
        figures.first_max = std::max(figures.first_max, f.first_max);
    }
    figures.most = std::max(figures.most, f.most);
    figures.area += f.area;
    figures.full_area += f.full_area;
    figures.bare_area += f.bare_area;
    zone.area += z.area;
    zone.full_area += z.full_area;
    zone.squeezed_area += z.squeezed_area;
    zone.bare_area += z.bare_area;
    for (const ZoneLayers::Shortfall& s : z.shortfalls) {
        const auto same = std::find_if(zone.shortfalls.begin(), zone.shortfalls.end(),
                                       [&s](const auto& t) { return t.limit == s.limit; });
        if (same == zone.shortfalls.end())
            zone.shortfalls.push_back(s);
        else
            same->area += s.area;
    }
}

}  // namespace

void join_alike(std::vector<ZoneLayers>& all_zones, std::vector<LayerFigures>& all_figures) {
    std::vector<ZoneLayers> zones;
    std::vector<LayerFigures> figures;
    for (std::size_t k = 0; k < all_zones.size(); ++k) {
        const ZoneLayers& z = all_zones[k];
        std::size_t at = 0;
        while (at < zones.size() && (zones[at].zone != z.zone || zones[at].region != z.region)) ++at;
        if (at < zones.size()) {
            add(z, all_figures[k], zones[at], figures[at]);
            continue;
        }
        zones.push_back(z);
        figures.push_back(all_figures[k]);
    }
    all_zones = std::move(zones);
    all_figures = std::move(figures);
}

LayerPlan plan_layers(const Outline& outline, const std::vector<PlaneCurve>& curves, const Walls& walls,
                      std::span<const Face> faces, const std::vector<LayerRecipe>& recipes, const LayerRecipes& how,
                      const SizeField& sizes) {
    LayerPlan plan;
    const std::size_t n = outline.strands.size();
    plan.recipe.assign(n, {kNone, kNone});
    plan.stack.assign(n, {kNone, kNone});
    plan.slid.assign(n, {0, 0});
    if (recipes.empty()) return plan;
    std::vector<Region> regions;
    for (const DomainRegion& r : walls.domain.regions) regions.push_back({r.name, r.kind});
    const Domain& d = walls.domain;
    layers::Assignment found =
        layers::assign(d.boundary, d.sides, regions, sizes, {recipes, how.wall, how.y_plus_at, {}});
    for (Index side = 0; side < found.recipe_of_side.size(); ++side) {
        if (found.recipe_of_side[side] == kNone) continue;
        const Index i = walls.strand_of[side / 2], area = d.sides[side / 2][side & 1U];
        const std::size_t k = outline.strands[i].area[0] == area ? 0 : 1;
        plan.recipe[i][k] = found.recipe_of_side[side];
        plan.stack[i][k] = found.stack_of_side[side];
    }
    plan.zones = std::move(found.zones);
    for (ZoneLayers& z : plan.zones) z.area /= walls.height;
    plan.stacks = std::move(found.stacks);
    const Neighbours neighbours(outline, curves, faces);
    for (const Face& face : faces) {
        auto look = [&](const Loop& loop) {
            for (std::size_t j = 0; j < loop.size(); ++j) {
                const auto walls_here = neighbours.at(loop, j);
                if (!walls_here) continue;
                const Pass &before = walls_here->before, &after = walls_here->after;
                const bool has_before = plan.has_layers(before), has_after = plan.has_layers(after);
                if (has_before && !has_after) note_slide(outline, after, before, true, recipes, sizes, plan);
                if (has_after && !has_before) note_slide(outline, before, after, false, recipes, sizes, plan);
            }
        };
        look(face.outer);
        for (const Loop& hole : face.holes) look(hole);
    }
    return plan;
}

}  // namespace anvilcast::planar
