// Regions: the cells that triangles divide space into.
//
// Every triangle has two sides. Round an edge the triangles are sorted by angle; between two that follow
// each other there is one wedge of space, so the sides that face each other belong to one region. An edge
// with a single triangle joins its two sides (one can walk round it). That leaves one set of sides for each
// region and SHELL (piece of surface connected over edges); shells are nested by a line through each: the
// sides between two consecutive hits face the same region, and before the first and after the last hit
// there is the outside. One line through a shell suffices, for it passes all that is round the shell.
// The order round an edge is exact: it rests on orient3d only.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>

#include <algorithm>
#include <cmath>
#include <random>

#include "base/disjoint_sets.hpp"
#include "domain/facing_sides.hpp"

namespace anvilcast {
namespace {

/// A line through an inner point of a triangle of the shell that meets all triangles well inside.
std::vector<TriangleTree::RayHit> clean_line(const Surface& s, const TriangleTree& tree,
                                             const std::vector<Index>& shell, std::mt19937& random) {
    std::uniform_real_distribution<double> unit(-1, 1);
    std::vector<TriangleTree::RayHit> hits;
    for (int attempt = 0; attempt < 200; ++attempt) {
        const Index t = shell[random() % shell.size()];
        const Vec3 origin = 0.3 * s.corner(t, 0) + 0.37 * s.corner(t, 1) + 0.33 * s.corner(t, 2);
        const Vec3 normal = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        const Vec3 direction = normalized(normal + 0.7 * Vec3{unit(random), unit(random), unit(random)});
        hits = tree.line_hits(origin, direction);
        bool clean = !hits.empty();
        const double scale = tree.bounds().diagonal();
        for (std::size_t i = 0; i < hits.size() && clean; ++i)
            clean = hits[i].margin > 1e-6 && (i == 0 || hits[i].t - hits[i - 1].t > 1e-12 * scale);
        if (clean) return hits;
    }
    return hits;
}

void join_shells(const Surface& s, DisjointSets& shells, DisjointSets& sides, Index outside) {
    std::vector<std::vector<Index>> members(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t) members[shells.find(t)].push_back(t);
    const TriangleTree tree(s.points, s.triangles);
    std::mt19937 random(12345);
    for (const std::vector<Index>& shell : members) {
        if (shell.empty()) continue;
        Index before = outside;
        for (const TriangleTree::RayHit& hit : clean_line(s, tree, shell, random)) {
            const Index entered = hit.from_front ? front_of(hit.triangle) : back_of(hit.triangle);
            sides.join(before, entered);
            before = entered == front_of(hit.triangle) ? back_of(hit.triangle) : front_of(hit.triangle);
        }
        sides.join(before, outside);
    }
}

}  // namespace

Regions find_regions(const Surface& surface) {
    const auto n = static_cast<Index>(surface.triangles.size());
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const Index outside = 2 * n;
    DisjointSets sides(2 * std::size_t{n} + 1), shells(n);
    for_facing_sides(surface.points, surface.triangles, edges,
                     [&](std::size_t, const SurfaceEdges::Use& use, Index side, const SurfaceEdges::Use& other_use,
                         Index other_side) {
                         shells.join(use.triangle, other_use.triangle);
                         sides.join(side, other_side);
                     });
    join_shells(surface, shells, sides, outside);

    Regions regions;
    std::vector<Index> number(2 * std::size_t{n} + 1, kNone);
    number[sides.find(outside)] = Regions::kOutside;
    regions.volumes.push_back(0);
    regions.sides.resize(n);
    const Vec3 origin = surface.bounds().center();
    for (Index t = 0; t < n; ++t) {
        const double volume =
            -tetrahedron_volume(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2), origin);
        for (const Index side : {front_of(t), back_of(t)}) {
            Index& region = number[sides.find(side)];
            if (region == kNone) {
                region = static_cast<Index>(regions.volumes.size());
                regions.volumes.push_back(0);
            }
            regions.sides[t][side & 1U] = region;
            regions.volumes[region] += side == back_of(t) ? volume : -volume;
        }
    }
    return regions;
}

std::optional<Index> region_at(const Surface& surface, const TriangleTree& tree, const Regions& regions,
                               const Vec3& point) {
    const double scale = tree.bounds().diagonal();
    if (surface.triangles.empty() || tree.bounds().distance_squared_to(point) > 0) return Regions::kOutside;
    if (tree.closest(point).distance <= 1e-12 * scale) return std::nullopt;
    std::mt19937 random(777);
    for (int attempt = 0; attempt < 200; ++attempt) {
        const auto t = static_cast<Index>(random() % surface.triangles.size());
        const Vec3 aim = 0.3 * surface.corner(t, 0) + 0.37 * surface.corner(t, 1) + 0.33 * surface.corner(t, 2);
        const auto hits = tree.line_hits(point, normalized(aim - point));
        const auto first = std::find_if(hits.begin(), hits.end(), [](const auto& h) { return h.t > 0; });
        if (first == hits.end() || first->margin < 1e-6) continue;
        if (first + 1 != hits.end() && (first + 1)->t - first->t < 1e-12 * scale) continue;
        return regions.sides[first->triangle][first->from_front ? 0 : 1];
    }
    return std::nullopt;
}

Index region_at(const Domain& domain, const TriangleTree& tree, const Vec3& point) {
    const Box& box = tree.bounds();
    if (box.is_empty() || box.distance_squared_to(point) > 0) return kNone;
    const double reach = 2 * box.diagonal();
    std::mt19937 random(777);
    for (int attempt = 0; attempt < 50; ++attempt) {
        Vec3 direction;
        for (int i = 0; i < 3; ++i) direction[i] = static_cast<double>(random() % 20001) / 10000 - 1;
        const auto hit = tree.first_hit(point, normalized(direction), 0, reach);
        if (hit.triangle == kNone) return kNone;
        if (hit.margin < 1e-6 || hit.t < 1e-12 * reach) continue;
        return domain.sides[hit.triangle][hit.from_front ? 0 : 1];
    }
    return kNone;
}

}  // namespace anvilcast
