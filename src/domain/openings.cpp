#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "surface/rims.hpp"

namespace anvilcast {
namespace {

constexpr double kEndFaceAngle = 40;  // degrees between an end face and what surrounds it

/// Twice the vector area of a loop: its direction is the normal of the plane that fits it best (Newell).
Vec3 loop_normal(const std::vector<Vec3>& points, const std::vector<Index>& loop) {
    Vec3 sum;
    for (std::size_t i = 1; i + 1 < loop.size(); ++i)
        sum += cross(points[loop[i]] - points[loop[0]], points[loop[i + 1]] - points[loop[0]]);
    return sum;
}

bool is_flat(const std::vector<Vec3>& points, const std::vector<Index>& loop, double flatness) {
    const Vec3 normal = normalized(loop_normal(points, loop));
    Box box;
    Vec3 mean;
    for (const Index p : loop) {
        box.include(points[p]);
        mean += points[p] / static_cast<double>(loop.size());
    }
    return std::all_of(loop.begin(), loop.end(),
                       [&](Index p) { return std::abs(dot(points[p] - mean, normal)) <= flatness * box.diagonal(); });
}

/// Are all triangles of a zone within the flatness of one plane?
bool zone_is_flat(const Surface& s, const std::vector<Index>& triangles, double flatness) {
    Vec3 normal, mean;
    Box box;
    for (const Index t : triangles) {
        normal += triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
        for (int k = 0; k < 3; ++k) box.include(s.corner(t, k));
    }
    normal = normalized(normal);
    mean = s.corner(triangles.front(), 0);
    for (const Index t : triangles)
        for (int k = 0; k < 3; ++k)
            if (std::abs(dot(s.corner(t, k) - mean, normal)) > flatness * box.diagonal()) return false;
    return normal != Vec3{};
}

/// The hole is a bore through a wall, not the foot of something that stands on the face: the surface on the other
/// side of its edge falls away behind the face.
bool edge_falls_away(const Surface& s, const SurfaceEdges& edges, Index triangle, Index side) {
    const Index e = edges.edge_of(triangle, side);
    if (edges.n_uses(e) != 2) return false;
    const auto* use = edges.begin(e);
    const auto& other = use[0].triangle == triangle ? use[1] : use[0];
    const Vec3& tip = s.points[s.triangles[other.triangle][(other.side + 2) % 3]];
    return orient3d(s.corner(triangle, 0), s.corner(triangle, 1), s.corner(triangle, 2), tip) < 0;
}

Opening opening_of(const Surface& s, std::vector<Index> rim) {
    Opening opening;
    const Vec3 normal = normalized(loop_normal(s.points, rim));
    const Vec3 u = normalized(std::abs(normal.x) < 0.7 ? cross(normal, Vec3{1, 0, 0}) : cross(normal, Vec3{0, 1, 0}));
    const Vec3 v = cross(normal, u);
    std::vector<Vec2> flat;
    for (const Index p : rim) {
        const Vec3 r = s.points[p] - s.points[rim[0]];
        flat.push_back({dot(r, u), dot(r, v)});
    }
    for (const Triangle& t : triangulate_polygon(flat)) {
        opening.patch.push_back({rim[t[0]], rim[t[1]], rim[t[2]]});
        const Vec3 &a = s.points[rim[t[0]]], &b = s.points[rim[t[1]]], &c = s.points[rim[t[2]]];
        const double area = triangle_area(a, b, c);
        opening.area += area;
        opening.center += (a + b + c) * (area / 3);
    }
    opening.center = opening.center / opening.area;
    opening.facing = normal;
    for (std::size_t i = 0; i < rim.size(); ++i)
        opening.perimeter += distance(s.points[rim[i]], s.points[rim[(i + 1) % rim.size()]]);
    opening.rim = std::move(rim);
    return opening;
}

/// Does the patch cut through the body, rather than just close its rim?
bool cuts_body(const Surface& s, const TriangleTree& tree, const Opening& opening) {
    bool cuts = false;
    for (const Triangle& t : opening.patch) {
        Box box;
        for (const Index p : t) box.include(s.points[p]);
        tree.overlapping(box, [&](Index other) { cuts = cuts || triangles_conflict(s.points, t, s.triangles[other]); });
        if (cuts) break;
    }
    return cuts;
}

void add_if_closable(const Surface& s, const TriangleTree& tree, std::vector<Index> rim, bool is_free_rim,
                     std::vector<Opening>& found) {
    try {
        Opening opening = opening_of(s, std::move(rim));
        opening.is_free_rim = is_free_rim;
        if (!cuts_body(s, tree, opening)) found.push_back(std::move(opening));
    } catch (const GeometryError&) {
        // A rim that crosses itself in its own plane cannot be closed by a flat patch: not a candidate.
    }
}

void add_end_face_rims(const Surface& s, const SurfaceEdges& edges, const TriangleTree& tree, double flatness,
                       std::vector<Opening>& found) {
    std::vector<std::vector<Index>> triangles(s.zones.size());
    for (Index t = 0; t < s.triangles.size(); ++t) triangles[s.zone_of[t]].push_back(t);
    for (const std::vector<Index>& zone : triangles) {
        if (zone.empty() || !zone_is_flat(s, zone, flatness)) continue;
        std::vector<std::array<Index, 2>> border;
        std::vector<std::array<Index, 2>> rising;  // border edges that do not fall away
        for (const Index t : zone)
            for (Index k = 0; k < 3; ++k) {
                const Index e = edges.edge_of(t, k);
                const bool inner = edges.n_uses(e) == 2 &&
                                   s.zone_of[edges.begin(e)[0].triangle] == s.zone_of[edges.begin(e)[1].triangle];
                if (inner) continue;
                const std::array<Index, 2> directed{s.triangles[t][k], s.triangles[t][(k + 1) % 3]};
                border.push_back(directed);
                if (!edge_falls_away(s, edges, t, k)) rising.push_back(directed);
            }
        std::sort(rising.begin(), rising.end());
        std::vector<std::vector<Index>> loops = chain_loops(std::move(border));
        if (loops.size() < 2) continue;
        const auto outer = std::max_element(loops.begin(), loops.end(), [&](const auto& a, const auto& b) {
            return length_squared(loop_normal(s.points, a)) < length_squared(loop_normal(s.points, b));
        });
        for (auto loop = loops.begin(); loop != loops.end(); ++loop) {
            if (loop == outer) continue;
            bool falls_away = true;
            for (std::size_t i = 0; i < loop->size(); ++i)
                falls_away = falls_away &&
                             !std::binary_search(rising.begin(), rising.end(),
                                                 std::array<Index, 2>{(*loop)[i], (*loop)[(i + 1) % loop->size()]});
            if (!falls_away) continue;
            add_if_closable(s, tree, {loop->rbegin(), loop->rend()}, false, found);
        }
    }
}

}  // namespace

std::vector<Opening> find_openings(const Surface& given, double flatness) {
    // End faces are told from walls by the edges between them, whatever the zones are.
    const Surface surface = split_at_sharp_edges(given, kEndFaceAngle);
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const TriangleTree tree(surface.points, surface.triangles);
    std::vector<Opening> candidates;
    add_end_face_rims(surface, edges, tree, flatness, candidates);
    for (const Rim& rim : find_rims(surface))
        if (rim.points.size() >= 3 && is_flat(surface.points, rim.points, flatness))
            add_if_closable(surface, tree, rim.points, true, candidates);

    // Close all of them; the true openings are those between the outside and something enclosed.
    const Regions regions = find_regions(close_openings(surface, candidates));
    std::vector<Opening> openings;
    std::size_t first = surface.triangles.size();
    for (Opening& opening : candidates) {
        const auto [in_front, behind] = regions.sides[first];
        first += opening.patch.size();
        if ((in_front == Regions::kOutside) != (behind == Regions::kOutside)) openings.push_back(std::move(opening));
    }
    std::stable_sort(openings.begin(), openings.end(),
                     [](const Opening& a, const Opening& b) { return a.area > b.area; });
    return openings;
}

Surface close_openings(const Surface& surface, const std::vector<Opening>& openings) {
    Surface closed = surface;
    for (const Opening& opening : openings) {
        const auto zone = static_cast<Index>(closed.zones.size());
        closed.zones.push_back(opening.zone);
        closed.triangles.insert(closed.triangles.end(), opening.patch.begin(), opening.patch.end());
        closed.zone_of.insert(closed.zone_of.end(), opening.patch.size(), zone);
    }
    return closed;
}

Vec3 rounded_place(const Opening& opening, const LengthUnit& unit) {
    const double grain = std::pow(10.0, std::floor(std::log10(opening.hydraulic_diameter() / unit.metres)) - 2);
    auto rounded = [&](double metres) { return std::round(metres / unit.metres / grain) * grain + 0.0; };
    return {rounded(opening.center.x), rounded(opening.center.y), rounded(opening.center.z)};
}

std::size_t pick_opening(const std::vector<Opening>& openings, const Vec3& near, const LengthUnit& unit) {
    auto place = [&unit](const Vec3& p) {
        return fmt::format("[{:.6g}, {:.6g}, {:.6g}]", p.x / unit.metres, p.y / unit.metres, p.z / unit.metres);
    };
    std::string list;
    for (const Opening& o : openings)
        list += fmt::format("\n  near = {}  # diameter {}", place(rounded_place(o, unit) * unit.metres),
                            format_length(o.hydraulic_diameter(), unit));
    if (openings.empty())
        throw GeometryError(
            "no opening was found in the parts; is the body thick-walled with flat end faces? "
            "`anvilcast openings FILE` shows what is seen");
    std::vector<std::pair<double, std::size_t>> ranked;
    for (std::size_t i = 0; i < openings.size(); ++i) ranked.emplace_back(distance(near, openings[i].center), i);
    std::sort(ranked.begin(), ranked.end());
    const Opening& best = openings[ranked[0].second];
    if (ranked.size() > 1 && ranked[0].first > 0.8 * ranked[1].first)
        throw GeometryError(
            fmt::format("near = {} matches two openings about equally well (at {} and {}); give one of:{}", place(near),
                        place(rounded_place(best, unit) * unit.metres),
                        place(rounded_place(openings[ranked[1].second], unit) * unit.metres), list));
    if (ranked[0].first > 2 * best.hydraulic_diameter())
        throw GeometryError(
            fmt::format("near = {} matches no opening: the closest is {} away; is the unit right? The "
                        "openings are:{}",
                        place(near), format_length(ranked[0].first, unit), list));
    return ranked[0].second;
}

}  // namespace anvilcast
