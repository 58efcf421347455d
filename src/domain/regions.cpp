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
#include <anvilcast/predicates.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "base/disjoint_sets.hpp"
#include "domain/facing_sides.hpp"
#include "robust/exact_point.hpp"

namespace anvilcast {
namespace {

struct Hit {
    Index triangle;
    bool from_front;
};

/// Floating point is believed where hits are this far from edges (barycentric) and from each other (of the extent).
constexpr double kClearMargin = 1e-6, kClearDistance = 1e-12;
constexpr int kMostLines = 200;

bool is_clear(const std::vector<TriangleTree::RayHit>& hits, double scale) {
    for (std::size_t i = 0; i < hits.size(); ++i)
        if (!(hits[i].margin > kClearMargin) || (i > 0 && !(hits[i].t - hits[i - 1].t > kClearDistance * scale)))
            return false;
    return !hits.empty();
}

/// What the line from one place to another meets, all along, in exact numbers; nothing when it meets an edge, or two
/// triangles in one place. O(n).
std::optional<std::vector<Hit>> exact_hits(const Surface& s, const Vec3& from, const Vec3& to) {
    struct Place {
        robust::ExactPoint at;
        Hit hit;
    };
    // A line down through a triangle that turns counter-clockwise seen from above.
    static const int kFromFront = orient3d({0.25, 0.25, 1}, {0.25, 0.25, -1}, {0, 0, 0}, {1, 0, 0});
    std::vector<Place> places;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const std::array<Vec3, 3> c{s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)};
        std::array<int, 3> side{};
        for (std::size_t k = 0; k < 3; ++k) side[k] = orient3d(from, to, c[k], c[(k + 1) % 3]);
        const auto [least, most] = std::minmax_element(side.begin(), side.end());
        if (*least < 0 && *most > 0) continue;
        if (*least == 0 || *most == 0) return std::nullopt;
        places.push_back({robust::line_meets_plane(from, to, c[0], c[1], c[2]), {t, side[0] * kFromFront > 0}});
    }
    const bool is_forward = robust::compare(from, to) < 0;
    std::sort(places.begin(), places.end(), [&](const Place& a, const Place& b) {
        return (robust::compare(a.at, b.at) < 0) == is_forward && !(a.at == b.at);
    });
    std::vector<Hit> hits;
    for (std::size_t i = 0; i < places.size(); ++i) {
        if (i > 0 && places[i].at == places[i - 1].at) return std::nullopt;
        hits.push_back(places[i].hit);
    }
    return hits;
}

/// What a line through an inner point of a triangle of the shell meets, in order.
std::vector<Hit> line_through(const Surface& s, const TriangleTree& tree, const std::vector<Index>& shell,
                              std::mt19937& random) {
    std::uniform_real_distribution<double> unit(-1, 1);
    const double scale = tree.bounds().diagonal();
    Vec3 origin;
    for (int attempt = 0; attempt < 2 * kMostLines; ++attempt) {
        const Index t = shell[random() % shell.size()];
        origin = 0.3 * s.corner(t, 0) + 0.37 * s.corner(t, 1) + 0.33 * s.corner(t, 2);
        const Vec3 normal = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        const Vec3 direction = normalized(normal + 0.7 * Vec3{unit(random), unit(random), unit(random)});
        if (attempt >= kMostLines) {
            if (const auto hits = exact_hits(s, origin, origin + scale * direction); hits && !hits->empty())
                return *hits;
            continue;
        }
        const auto hits = tree.line_hits(origin, direction);
        if (!is_clear(hits, scale)) continue;
        std::vector<Hit> out;
        for (const auto& hit : hits) out.push_back({hit.triangle, hit.from_front});
        return out;
    }
    throw GeometryError(fmt::format(
        "near [{:.9g}, {:.9g}, {:.9g}] m no line tells what lies inside of what: the surface there is finer "
        "than numbers can tell apart; move it nearer to the origin, or take it out",
        origin.x, origin.y, origin.z));
}

void join_shells(const Surface& s, DisjointSets& shells, DisjointSets& sides, Index outside) {
    std::vector<std::vector<Index>> members(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t) members[shells.find(t)].push_back(t);
    const TriangleTree tree(s.points, s.triangles);
    std::mt19937 random(12345);
    for (const std::vector<Index>& shell : members) {
        if (shell.empty()) continue;
        Index before = outside;
        for (const Hit& hit : line_through(s, tree, shell, random)) {
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
    if (tree.closest(point).distance <= kClearDistance * scale) return std::nullopt;
    std::mt19937 random(777);
    for (int attempt = 0; attempt < kMostLines; ++attempt) {
        const auto t = static_cast<Index>(random() % surface.triangles.size());
        const Vec3 aim = 0.3 * surface.corner(t, 0) + 0.37 * surface.corner(t, 1) + 0.33 * surface.corner(t, 2);
        const auto hits = tree.line_hits(point, normalized(aim - point));
        const auto first = std::find_if(hits.begin(), hits.end(), [](const auto& h) { return h.t > 0; });
        if (first == hits.end() || first->margin < kClearMargin) continue;
        if (first + 1 != hits.end() && (first + 1)->t - first->t < kClearDistance * scale) continue;
        return regions.sides[first->triangle][first->from_front ? 0 : 1];
    }
    return std::nullopt;
}

std::optional<Index> region_at(const Domain& domain, const TriangleTree& tree, const Vec3& point) {
    const Box& box = tree.bounds();
    if (box.is_empty() || box.distance_squared_to(point) > 0) return std::nullopt;
    const double reach = 2 * box.diagonal();
    std::minstd_rand random(777);  // small: this is asked for millions of places
    for (int attempt = 0; attempt < kMostLines; ++attempt) {
        Vec3 direction;
        for (int i = 0; i < 3; ++i) direction[i] = static_cast<double>(random() % 20001) / 10000 - 1;
        const auto hit = tree.first_hit(point, normalized(direction), 0, reach);
        if (hit.triangle == kNone) return std::nullopt;
        if (hit.margin < kClearMargin || hit.t < kClearDistance * reach) continue;
        const Index region = domain.sides[hit.triangle][hit.from_front ? 0 : 1];
        return region != kNone ? std::optional(region) : std::nullopt;
    }
    return std::nullopt;
}

}  // namespace anvilcast
