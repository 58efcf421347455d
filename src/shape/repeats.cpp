#include "shape/repeats.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <algorithm>

namespace anvilcast::shape {

std::array<Index, 2> zones_of(const Surface& surface, const PeriodicPair& pair) {
    std::array<Index, 2> out{kNone, kNone};
    for (Index z = 0; z < surface.zones.size(); ++z) {
        if (surface.zones[z].name == pair.first) out[0] = z;
        if (surface.zones[z].name == pair.second) out[1] = z;
    }
    return out;
}

std::vector<Index> points_of_zone(const Surface& surface, Index zone) {
    std::vector<Index> points;
    for (Index t = 0; t < surface.triangles.size(); ++t)
        if (surface.zone_of[t] == zone)
            points.insert(points.end(), surface.triangles[t].begin(), surface.triangles[t].end());
    std::sort(points.begin(), points.end());
    points.erase(std::unique(points.begin(), points.end()), points.end());
    return points;
}

std::vector<Index> images_among(const std::vector<Vec3>& points, std::span<const Index> from, std::span<const Index> to,
                                const Placement& image, double reach) {
    std::vector<Triangle> places;
    for (const Index p : to) places.push_back({p, p, p});
    std::vector<Index> out(from.size(), kNone);
    if (places.empty()) return out;
    const TriangleTree tree(points, places);
    for (std::size_t i = 0; i < from.size(); ++i)
        if (const auto near = tree.closest(image(points[from[i]]), reach); near.triangle != kNone)
            out[i] = to[near.triangle];
    return out;
}

std::vector<std::vector<Index>> images_of_points(const Surface& surface, const std::vector<PeriodicPair>& pairs) {
    std::vector<std::vector<Index>> out;
    const double reach = kSameImage * surface.bounds().diagonal();
    for (const PeriodicPair& pair : pairs) {
        const auto [first, second] = zones_of(surface, pair);
        const std::vector<Index> from = points_of_zone(surface, first), to = points_of_zone(surface, second);
        const std::vector<Index> found = images_among(surface.points, from, to, pair.image, reach);
        std::vector<Index>& images = out.emplace_back(surface.points.size(), kNone);
        for (std::size_t i = 0; i < from.size(); ++i) images[from[i]] = found[i];
    }
    return out;
}

Originals originals_of(std::size_t n, std::vector<ImageLink> links, const std::vector<PeriodicPair>& pairs) {
    std::erase_if(links, [](const ImageLink& l) { return l.from == l.to; });
    struct Way {
        Index from, to;
        Placement by;
    };
    std::vector<Way> ways;
    std::vector<char> is_second(n, 0), is_done(n, 0);
    for (const ImageLink& l : links) {
        ways.push_back({l.from, l.to, pairs[l.pair].image});
        ways.push_back({l.to, l.from, inverse(pairs[l.pair].image)});
        is_second[l.to] = 1;
    }
    std::stable_sort(ways.begin(), ways.end(), [](const Way& a, const Way& b) { return a.from < b.from; });
    Originals out;
    out.by.resize(n);
    for (Index i = 0; i < n; ++i) out.of.push_back(i);
    auto spread = [&](Index start) {
        std::vector<Index> front{start};
        is_done[start] = 1;
        for (std::size_t k = 0; k < front.size(); ++k) {
            const Index i = front[k];
            auto way =
                std::lower_bound(ways.begin(), ways.end(), i, [](const Way& w, Index from) { return w.from < from; });
            for (; way != ways.end() && way->from == i; ++way) {
                if (is_done[way->to] != 0) continue;
                is_done[way->to] = 1;
                out.of[way->to] = start;
                out.by[way->to] = after(out.by[i], way->by);
                front.push_back(way->to);
            }
        }
    };
    for (const char wanted : {char{0}, char{1}})
        for (Index i = 0; i < n; ++i)
            if (is_second[i] == wanted && is_done[i] == 0) spread(i);
    return out;
}

}  // namespace anvilcast::shape
