#include <anvilcast/surface.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/disjoint_sets.hpp"

namespace anvilcast {

Surface split_at_sharp_edges(const Surface& surface, double degrees) {
    return split_at_sharp_edges(surface, std::vector<double>(surface.zones.size(), degrees));
}

Surface split_at_sharp_edges(const Surface& surface, const std::vector<double>& degrees_of_zone) {
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    std::vector<double> limit;
    for (const double degrees : degrees_of_zone) limit.push_back(std::cos(degrees * std::numbers::pi / 180.0));
    DisjointSets pieces(surface.triangles.size());
    auto normal = [&](Index t) {
        return normalized(triangle_normal(surface.corner(t, 0), surface.corner(t, 1), surface.corner(t, 2)));
    };
    using Use = SurfaceEdges::Use;
    auto look = [&](const Use& u, const Use& v) {
        if (surface.zone_of[u.triangle] != surface.zone_of[v.triangle]) return;
        const double sense = u.forward != v.forward ? 1.0 : -1.0;
        if (sense * dot(normal(u.triangle), normal(v.triangle)) >= limit[surface.zone_of[u.triangle]])
            pieces.join(u.triangle, v.triangle);
    };
    auto part_of = [&](const Use& u) -> const std::string& { return surface.zones[surface.zone_of[u.triangle]].part; };
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const Use *begin = edges.begin(e), *end = edges.end(e);
        if (edges.n_uses(e) == 2) look(begin[0], begin[1]);
        if (edges.n_uses(e) <= 2) continue;
        // Where bodies touch along an edge each is smooth or sharp there by itself.
        for (const Use* u = begin; u != end; ++u) {
            auto is_own = [&](const Use& v) { return part_of(v) == part_of(*u); };
            const Use* v = std::find_if(u + 1, end, is_own);
            if (v != end && std::count_if(begin, end, is_own) == 2) look(*u, *v);
        }
    }
    // A zone that stays whole is one piece, connected or not.
    std::vector<Index> first_of(surface.zones.size(), kNone);
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Index z = surface.zone_of[t];
        if (degrees_of_zone[z] > 0) continue;
        if (first_of[z] == kNone) first_of[z] = t;
        pieces.join(first_of[z], t);
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
        out.zones.push_back(whole);
        if (n_pieces[p.zone] > 1) out.zones.back().name = fmt::format("{}-{}", whole.name, ++next[p.zone]);
    }
    for (Index t = 0; t < out.triangles.size(); ++t) out.zone_of[t] = zone_of_root[pieces.find(t)];
    return out;
}

}  // namespace anvilcast
