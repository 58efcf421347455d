#include <anvilcast/surface.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>
#include <cmath>
#include <numbers>
#include <unordered_map>

#include "base/disjoint_sets.hpp"
#include "surface/rims.hpp"

namespace anvilcast {
namespace {

constexpr std::array<const char*, 7> kRoleNames{"wall",     "inlet",     "outlet", "symmetry",
                                                "farfield", "interface", "baffle"};

bool in_line(const Vec3& a, const Vec3& b, const Vec3& c) {
    return orient2d({a.x, a.y}, {b.x, b.y}, {c.x, c.y}) == 0 && orient2d({a.y, a.z}, {b.y, b.z}, {c.y, c.z}) == 0 &&
           orient2d({a.z, a.x}, {b.z, b.x}, {c.z, c.x}) == 0;
}

void note(SurfaceHealth::Defects& defects, const Vec3& place) {
    ++defects.count;
    if (defects.places.size() < SurfaceHealth::kMaxPlaces) defects.places.push_back(place);
}

Vec3 centroid(const Surface& s, Index t) { return (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0; }

void measure(const Surface& surface, SurfaceHealth& health) {
    for (const Zone& zone : surface.zones) health.zones.push_back({zone.name, zone.role, 0, 0});
    const Vec3 origin = health.bounds.is_empty() ? Vec3{} : health.bounds.center();
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Vec3 &a = surface.corner(t, 0), &b = surface.corner(t, 1), &c = surface.corner(t, 2);
        const double area = triangle_area(a, b, c);
        health.area += area;
        health.enclosed_volume += tetrahedron_volume(a, b, c, origin);
        ZoneMeasure& zone = health.zones[surface.zone_of[t]];
        ++zone.triangles;
        zone.area += area;
        if (in_line(a, b, c)) note(health.degenerate_triangles, centroid(surface, t));
    }
    // A point on the inner side of an outward triangle gives a negative volume: the sum above has the sign reversed.
    health.enclosed_volume = -health.enclosed_volume;
}

void find_duplicates(const Surface& surface, SurfaceHealth& health) {
    std::vector<std::pair<Triangle, Index>> keys(surface.triangles.size());
    for (Index t = 0; t < keys.size(); ++t) {
        keys[t] = {surface.triangles[t], t};
        std::sort(keys[t].first.begin(), keys[t].first.end());
    }
    std::sort(keys.begin(), keys.end());
    for (std::size_t i = 1; i < keys.size(); ++i)
        if (keys[i].first == keys[i - 1].first) note(health.duplicate_triangles, centroid(surface, keys[i].second));
}

Rim measured_rim(const Surface& surface, std::vector<Index> loop) {
    Rim rim;
    Vec3 sum;
    for (std::size_t i = 0; i < loop.size(); ++i) {
        const Vec3 &a = surface.points[loop[i]], &b = surface.points[loop[(i + 1) % loop.size()]];
        const double l = distance(a, b);
        rim.length += l;
        sum += midpoint(a, b) * l;
    }
    rim.center = rim.length > 0 ? sum / rim.length : surface.points[loop.front()];
    rim.points = std::move(loop);
    return rim;
}

void examine_edges(const Surface& surface, SurfaceHealth& health) {
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    std::vector<std::array<Index, 2>> free_edges;
    DisjointSets shells(surface.triangles.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto [a, b] = edges.ends(e);
        const Vec3 place = midpoint(surface.points[a], surface.points[b]);
        const SurfaceEdges::Use* use = edges.begin(e);
        if (edges.n_uses(e) == 1) {
            note(health.free_edges, place);
            // The rim runs against the triangle, as a patch that closes it would.
            free_edges.push_back(use->forward ? std::array<Index, 2>{b, a} : std::array<Index, 2>{a, b});
        } else if (edges.n_uses(e) > 2) {
            note(health.non_manifold_edges, place);
        } else if (use[0].forward == use[1].forward) {
            note(health.inconsistent_edges, place);
        }
        for (const auto* u = use; u != edges.end(e); ++u) shells.join(use->triangle, u->triangle);
    }
    for (std::vector<Index>& loop : chain_loops(std::move(free_edges)))
        health.rims.push_back(measured_rim(surface, std::move(loop)));
    for (Index t = 0; t < surface.triangles.size(); ++t) health.n_shells += shells.find(t) == t ? 1 : 0;
}

/// Hash of the cell of a grid.
struct CellHash {
    std::size_t operator()(const std::array<std::int64_t, 3>& c) const {
        std::uint64_t h = 0;
        for (const std::int64_t k : c) h = (h ^ static_cast<std::uint64_t>(k)) * 0x9E3779B97F4A7C15ULL + (h >> 29);
        return h;
    }
};

/// For each point the number of the earlier point that it is merged into, or its own.
std::vector<Index> equal_points(const std::vector<Vec3>& points) {
    std::vector<Index> order(points.size()), target(points.size());
    for (Index i = 0; i < order.size(); ++i) order[i] = i;
    std::sort(order.begin(), order.end(), [&](Index i, Index j) {
        const Vec3 &a = points[i], &b = points[j];
        return a.x != b.x ? a.x < b.x : a.y != b.y ? a.y < b.y : a.z != b.z ? a.z < b.z : i < j;
    });
    for (std::size_t k = 0; k < order.size(); ++k)
        target[order[k]] = k > 0 && points[order[k]] == points[order[k - 1]] ? target[order[k - 1]] : order[k];
    return target;
}

std::vector<Index> near_points(const std::vector<Vec3>& points, double tolerance) {
    std::unordered_map<std::array<std::int64_t, 3>, std::vector<Index>, CellHash> grid;
    std::vector<Index> target(points.size());
    auto cell_of = [tolerance](const Vec3& p) {
        return std::array<std::int64_t, 3>{static_cast<std::int64_t>(std::floor(p.x / tolerance)),
                                           static_cast<std::int64_t>(std::floor(p.y / tolerance)),
                                           static_cast<std::int64_t>(std::floor(p.z / tolerance))};
    };
    for (Index i = 0; i < points.size(); ++i) {
        const auto cell = cell_of(points[i]);
        target[i] = i;
        double best = tolerance * tolerance;
        for (std::int64_t dx = -1; dx <= 1; ++dx)
            for (std::int64_t dy = -1; dy <= 1; ++dy)
                for (std::int64_t dz = -1; dz <= 1; ++dz) {
                    const auto it = grid.find({cell[0] + dx, cell[1] + dy, cell[2] + dz});
                    if (it == grid.end()) continue;
                    for (const Index j : it->second) {
                        const double d = distance_squared(points[i], points[j]);
                        if (d < best || (d == best && j < target[i])) {
                            best = d;
                            target[i] = j;
                        }
                    }
                }
        if (target[i] == i) grid[cell].push_back(i);
    }
    return target;
}

}  // namespace

const char* role_name(Role role) { return kRoleNames[static_cast<std::size_t>(role)]; }

Role parse_role(const std::string& name) {
    for (std::size_t i = 0; i < kRoleNames.size(); ++i)
        if (name == kRoleNames[i]) return static_cast<Role>(i);
    throw InputError(fmt::format("\"{}\" is not a role; write one of {}", name, fmt::join(kRoleNames, ", ")));
}

Box Surface::bounds() const {
    Box box;
    for (const Triangle& t : triangles)
        for (const Index p : t) box.include(points[p]);
    return box;
}

std::size_t SurfaceHealth::n_defects() const {
    return free_edges.count + non_manifold_edges.count + inconsistent_edges.count + duplicate_triangles.count +
           degenerate_triangles.count;
}

SurfaceHealth examine(const Surface& surface) {
    SurfaceHealth health;
    health.bounds = surface.bounds();
    health.n_points = surface.points.size();
    health.n_triangles = surface.triangles.size();
    measure(surface, health);
    find_duplicates(surface, health);
    examine_edges(surface, health);
    health.is_closed = health.free_edges.count == 0 && health.n_triangles > 0;
    health.is_sound = health.is_closed && health.n_defects() == 0;
    return health;
}

WeldResult weld(Surface& surface, double tolerance) {
    if (!(tolerance >= 0) || !std::isfinite(tolerance))
        throw InputError(fmt::format("the weld tolerance is {}; it must be 0 or a positive length", tolerance));
    const std::vector<Index> target =
        tolerance > 0 ? near_points(surface.points, tolerance) : equal_points(surface.points);
    WeldResult result;
    std::vector<Index> number(surface.points.size(), kNone);
    std::vector<Vec3> kept;
    for (Index i = 0; i < target.size(); ++i) {
        if (target[i] == i) {
            number[i] = static_cast<Index>(kept.size());
            kept.push_back(surface.points[i]);
        } else {
            ++result.points_merged;
            result.largest_move = std::max(result.largest_move, distance(surface.points[i], surface.points[target[i]]));
        }
    }
    std::size_t n = 0;
    for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
        Triangle moved = surface.triangles[t];
        for (Index& p : moved) p = number[target[p]];
        if (moved[0] == moved[1] || moved[1] == moved[2] || moved[2] == moved[0]) continue;
        surface.triangles[n] = moved;
        surface.zone_of[n++] = surface.zone_of[t];
    }
    result.triangles_dropped = surface.triangles.size() - n;
    surface.triangles.resize(n);
    surface.zone_of.resize(n);
    surface.points = std::move(kept);
    return result;
}

Surface split_at_sharp_edges(const Surface& surface, double degrees) {
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const double limit = std::cos(degrees * std::numbers::pi / 180.0);
    DisjointSets pieces(surface.triangles.size());
    auto normal = [&](Index t) {
        return normalized(triangle_normal(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2)));
    };
    for (std::size_t e = 0; e < edges.size(); ++e) {
        if (edges.n_uses(e) != 2) continue;
        const auto &u = edges.begin(e)[0], &v = edges.begin(e)[1];
        if (surface.zone_of[u.triangle] != surface.zone_of[v.triangle]) continue;
        const double sense = u.forward != v.forward ? 1.0 : -1.0;
        if (sense * dot(normal(u.triangle), normal(v.triangle)) >= limit) pieces.join(u.triangle, v.triangle);
    }
    struct Piece {
        Index zone, root;
        double area;
    };
    std::vector<Piece> list;
    std::vector<Index> piece_of(surface.triangles.size(), kNone);
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Index root = pieces.find(t);
        if (root == t) {
            piece_of[t] = static_cast<Index>(list.size());
            list.push_back({surface.zone_of[t], t, 0});
        }
        list[piece_of[root]].area += triangle_area(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2));
    }
    std::vector<std::size_t> n_pieces(surface.zones.size(), 0), next(surface.zones.size(), 0);
    for (const Piece& p : list) ++n_pieces[p.zone];
    std::sort(list.begin(), list.end(), [](const Piece& a, const Piece& b) {
        return a.zone != b.zone ? a.zone < b.zone : a.area != b.area ? a.area > b.area : a.root < b.root;
    });
    Surface out = surface;
    out.zones.clear();
    std::vector<Index> zone_of_root(surface.triangles.size(), kNone);
    for (const Piece& p : list) {
        const Zone& whole = surface.zones[p.zone];
        zone_of_root[p.root] = static_cast<Index>(out.zones.size());
        out.zones.push_back(
            {n_pieces[p.zone] == 1 ? whole.name : fmt::format("{}-{}", whole.name, ++next[p.zone]), whole.role});
    }
    for (Index t = 0; t < out.triangles.size(); ++t) out.zone_of[t] = zone_of_root[pieces.find(t)];
    return out;
}

}  // namespace anvilcast
