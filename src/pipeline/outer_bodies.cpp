#include "pipeline/outer_bodies.hpp"

#include <anvilcast/naming.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <map>
#include <set>
#include <string_view>
#include <variant>

#include "base/disjoint_sets.hpp"

namespace anvilcast {
namespace {

/// Of the model's diagonal: what is larger shapes it.
constexpr double kSmall = 0.25;
/// Of 26 lines from one of its points so many must meet nothing large; and so many points are tried.
constexpr int kLeastOpen = 8;
constexpr std::size_t kMostPoints = 32;
/// Fewer bodies are not worth a second look.
constexpr std::size_t kWorthIt = 4;

/// Patterns for parts and zones that a case speaks of after its zones have been named.
std::vector<std::string> named_in(const Case& c) {
    std::vector<std::string> out;
    for (const RegionRequest& r : c.regions)
        for (const std::string& name : {r.solid_of, r.at_zone})
            if (!name.empty()) out.push_back(name);
    for (const Refinement& r : c.sizing.refine) {
        if (!r.volume) continue;
        if (const auto* box = std::get_if<RelativeBox>(&*r.volume)) out.push_back(box->of);
        if (const auto* wake = std::get_if<WakeVolume>(&*r.volume)) out.push_back(wake->of);
    }
    return out;
}

/// Triangles that hang together, part by part.
std::vector<std::vector<Index>> pieces_of(const Surface& s, const std::vector<std::string>& part_of) {
    DisjointSets sets(s.triangles.size());
    std::map<std::string_view, Index> number;
    struct Corner {
        Index part, point, triangle;
        auto operator<=>(const Corner&) const = default;
    };
    std::vector<Corner> corners;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Index part = number.try_emplace(part_of[t], static_cast<Index>(number.size())).first->second;
        for (const Index p : s.triangles[t]) corners.push_back({part, p, t});
    }
    std::sort(corners.begin(), corners.end());
    for (std::size_t k = 1; k < corners.size(); ++k)
        if (corners[k].part == corners[k - 1].part && corners[k].point == corners[k - 1].point)
            sets.join(corners[k].triangle, corners[k - 1].triangle);
    std::map<Index, std::vector<Index>> pieces;
    for (Index t = 0; t < s.triangles.size(); ++t) pieces[sets.find(t)].push_back(t);
    std::vector<std::vector<Index>> out;
    for (auto& [root, list] : pieces) out.push_back(std::move(list));
    return out;
}

bool is_closed(const Surface& s, const std::vector<Index>& piece) {
    std::map<Edge, int> balance;
    for (const Index t : piece)
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
            balance[{std::min(a, b), std::max(a, b)}] += a < b ? 1 : -1;
        }
    return std::all_of(balance.begin(), balance.end(), [](const auto& e) { return e.second == 0; });
}

Box bounds_of(const Surface& s, const std::vector<Index>& piece) {
    Box box;
    for (const Index t : piece)
        for (const Index p : s.triangles[t]) box.include(s.points[p]);
    return box;
}

/// Of 26 lines from a point, those that meet nothing.
int open_ways(const Vec3& p, const TriangleTree& tree) {
    int open = 0;
    for (int x = -1; x <= 1; ++x)
        for (int y = -1; y <= 1; ++y)
            for (int z = -1; z <= 1; ++z) {
                const Vec3 way{static_cast<double>(x), static_cast<double>(y), static_cast<double>(z)};
                if (x != 0 || y != 0 || z != 0) open += tree.first_hit(p, way, 0, Box::inf).triangle == kNone ? 1 : 0;
            }
    return open;
}

/// From some point of it, which may lie within something large, a wide view opens.
bool is_seen_from_outside(const Surface& s, const std::vector<Index>& piece, const TriangleTree& large) {
    std::set<Index> points;
    for (const Index t : piece) points.insert(s.triangles[t].begin(), s.triangles[t].end());
    const std::size_t step = 1 + points.size() / kMostPoints;
    std::size_t number = 0;
    for (const Index p : points) {
        if (number++ % step != 0) continue;
        const int open = open_ways(s.points[p], large);
        if (open >= kLeastOpen) return true;
    }
    return false;
}

/// A closed boundary is met by every line from within, but for one that slips through where triangles meet.
bool is_in(const Domain& domain, const TriangleTree& tree, const Vec3& p) {
    constexpr int kNoSlip = 3;
    return open_ways(p, tree) < kNoSlip && region_at(domain, tree, p).has_value();
}

}  // namespace

OuterBodies::OuterBodies(const Surface& surface, std::vector<std::string> part_of, const Case& c)
    : surface_(surface), part_of_(std::move(part_of)), body_of_(surface.triangles.size(), kNone) {
    // The largest volume is known when all bodies are there.
    const bool is_by_size =
        std::any_of(c.regions.begin(), c.regions.end(), [](const RegionRequest& r) { return r.is_largest; });
    if (c.surround || c.wrap || is_by_size) return;
    const double small = kSmall * surface.bounds().diagonal();
    std::vector<std::vector<Index>> candidates;
    std::vector<Triangle> large;
    for (std::vector<Index>& piece : pieces_of(surface, part_of_)) {
        if (bounds_of(surface, piece).diagonal() <= small && is_closed(surface, piece)) {
            candidates.push_back(std::move(piece));
            continue;
        }
        for (const Index t : piece) large.push_back(surface.triangles[t]);
    }
    if (candidates.size() < kWorthIt || large.empty()) return;
    const TriangleTree tree(surface.points, large);
    const std::vector<std::string> named = named_in(c);
    auto is_named = [&](const std::vector<Index>& piece) {
        return std::any_of(named.begin(), named.end(), [&](const std::string& pattern) {
            return std::any_of(piece.begin(), piece.end(), [&](Index t) {
                return matches_pattern(part_of_[t], pattern) ||
                       matches_pattern(surface.zones[surface.zone_of[t]].name, pattern);
            });
        });
    };
    for (std::vector<Index>& piece : candidates) {
        if (is_named(piece) || !is_seen_from_outside(surface, piece, tree)) continue;
        for (const Index t : piece) body_of_[t] = static_cast<Index>(bodies_.size());
        bodies_.push_back(std::move(piece));
    }
    if (bodies_.size() >= kWorthIt) return;
    bodies_.clear();
    body_of_.assign(body_of_.size(), kNone);
}

Surface OuterBodies::rest() const {
    Surface out = surface_;
    out.triangles.clear();
    out.zone_of.clear();
    for (Index t = 0; t < surface_.triangles.size(); ++t) {
        if (is_out(t)) continue;
        out.triangles.push_back(surface_.triangles[t]);
        out.zone_of.push_back(surface_.zone_of[t]);
    }
    return out;
}

std::vector<std::string> OuterBodies::parts_of_rest() const {
    std::vector<std::string> out;
    for (Index t = 0; t < surface_.triangles.size(); ++t)
        if (!is_out(t)) out.push_back(part_of_[t]);
    return out;
}

bool OuterBodies::drop_those_that_matter(const Domain& domain, double reach) {
    const Surface& wall = domain.boundary;
    const TriangleTree tree(wall.points, wall.triangles);
    auto meets = [&](Index t) {
        Box box;
        for (const Index p : surface_.triangles[t]) {
            box.include(surface_.points[p]);
            if (tree.closest(surface_.points[p], reach).triangle != kNone) return true;
        }
        bool found = false;
        tree.overlapping(box, [&](Index w) {
            if (found) return;
            std::vector<Vec3> places;
            for (const Index p : surface_.triangles[t]) places.push_back(surface_.points[p]);
            for (const Index p : wall.triangles[w]) places.push_back(wall.points[p]);
            found = triangles_conflict(places, {0, 1, 2}, {3, 4, 5});
        });
        return found;
    };
    bool has_dropped = false;
    for (std::vector<Index>& body : bodies_) {
        if (body.empty()) continue;
        const bool matters =
            std::any_of(body.begin(), body.end(), meets) || is_in(domain, tree, surface_.corner(body.front(), 0));
        if (!matters) continue;
        for (const Index t : body) body_of_[t] = kNone;
        body.clear();
        has_dropped = true;
    }
    return has_dropped;
}

std::vector<SpaceCell> OuterBodies::cells() const {
    std::vector<SpaceCell> out;
    for (const std::vector<Index>& body : bodies_) {
        if (body.empty()) continue;
        SpaceCell& cell = out.emplace_back();
        cell.bounds = bounds_of(surface_, body);
        std::set<std::string> zones;
        const Vec3 from = cell.bounds.center();
        for (const Index t : body) {
            const Vec3 a = surface_.corner(t, 0) - from, b = surface_.corner(t, 1) - from,
                       c = surface_.corner(t, 2) - from;
            cell.volume += dot(a, cross(b, c)) / 6;
            cell.area += length(cross(b - a, c - a)) / 2;
            zones.insert(surface_.zones[surface_.zone_of[t]].name);
        }
        cell.volume = std::abs(cell.volume);
        cell.inside = from;
        cell.zones.assign(zones.begin(), zones.end());
        cell.inside_of = {part_of_[body.front()]};
    }
    return out;
}

}  // namespace anvilcast
