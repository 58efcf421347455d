#include <anvilcast/surface.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cmath>
#include <unordered_map>

#include "geometry/point_merger.hpp"

namespace anvilcast {
namespace {

/// Hash of the cell of a grid.
struct CellHash {
    std::size_t operator()(const std::array<std::int64_t, 3>& c) const {
        std::uint64_t h = 0;
        for (const std::int64_t k : c) h = (h ^ static_cast<std::uint64_t>(k)) * 0x9E3779B97F4A7C15ULL + (h >> 29);
        return h;
    }
};

/// Points by number, and for each old point its new number.
struct Merged {
    std::vector<Vec3> points;
    std::vector<Index> number;
};

Merged equal_points(const std::vector<Vec3>& points) {
    Merged merged;
    merged.number.resize(points.size());
    PointMerger merger(points.size() / 4);
    merger.numbers_of(points, merged.number.data());
    merged.points = merger.take_points();
    return merged;
}

/// Each point becomes the closest kept point within the tolerance; one without any is kept.
Merged near_points(const std::vector<Vec3>& points, double tolerance) {
    std::unordered_map<std::array<std::int64_t, 3>, std::vector<Index>, CellHash> grid;
    Merged merged;
    merged.number.resize(points.size());
    auto cell_of = [tolerance](const Vec3& p) {
        return std::array<std::int64_t, 3>{static_cast<std::int64_t>(std::floor(p.x / tolerance)),
                                           static_cast<std::int64_t>(std::floor(p.y / tolerance)),
                                           static_cast<std::int64_t>(std::floor(p.z / tolerance))};
    };
    for (Index i = 0; i < points.size(); ++i) {
        const auto cell = cell_of(points[i]);
        Index target = kNone;
        double best = tolerance * tolerance;
        for (std::int64_t dx = -1; dx <= 1; ++dx)
            for (std::int64_t dy = -1; dy <= 1; ++dy)
                for (std::int64_t dz = -1; dz <= 1; ++dz) {
                    const auto it = grid.find({cell[0] + dx, cell[1] + dy, cell[2] + dz});
                    if (it == grid.end()) continue;
                    for (const Index j : it->second) {
                        const double d = distance_squared(points[i], merged.points[j]);
                        if (d < best || (d == best && j < target)) {
                            best = d;
                            target = j;
                        }
                    }
                }
        if (target == kNone) {
            target = static_cast<Index>(merged.points.size());
            merged.points.push_back(points[i]);
            grid[cell].push_back(target);
        }
        merged.number[i] = target;
    }
    return merged;
}

void renumber_edges(std::vector<Edge>& edges, const std::vector<Index>& number) {
    for (Edge& e : edges) e = {std::min(number[e[0]], number[e[1]]), std::max(number[e[0]], number[e[1]])};
    std::erase_if(edges, [](const Edge& e) { return e[0] == e[1]; });
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
}

}  // namespace

Surface joined(const std::vector<Surface>& surfaces) {
    Surface all;
    for (const Surface& part : surfaces) {
        const auto first_point = static_cast<Index>(all.points.size());
        const auto first_zone = static_cast<Index>(all.zones.size());
        all.points.insert(all.points.end(), part.points.begin(), part.points.end());
        for (const Triangle& t : part.triangles)
            all.triangles.push_back({t[0] + first_point, t[1] + first_point, t[2] + first_point});
        for (const Index z : part.zone_of) all.zone_of.push_back(z + first_zone);
        for (const Edge& e : part.feature_edges) all.feature_edges.push_back({e[0] + first_point, e[1] + first_point});
        all.zones.insert(all.zones.end(), part.zones.begin(), part.zones.end());
    }
    return all;
}

void drop_unused_points(Surface& surface) {
    std::vector<Index> number(surface.points.size(), kNone);
    for (const Triangle& t : surface.triangles)
        for (const Index p : t) number[p] = 0;
    Index n = 0;
    for (Index p = 0; p < number.size(); ++p) {
        if (number[p] == kNone) continue;
        surface.points[n] = surface.points[p];
        number[p] = n++;
    }
    surface.points.resize(n);
    for (Triangle& t : surface.triangles)
        for (Index& p : t) p = number[p];
    std::erase_if(surface.feature_edges, [&](const Edge& e) { return number[e[0]] == kNone || number[e[1]] == kNone; });
    for (Edge& e : surface.feature_edges) e = {number[e[0]], number[e[1]]};
}

WeldResult weld(Surface& surface, double tolerance) {
    if (!(tolerance >= 0) || !std::isfinite(tolerance))
        throw InputError(fmt::format("the weld tolerance is {}; it must be 0 or a positive length", tolerance));
    Merged merged = tolerance > 0 ? near_points(surface.points, tolerance) : equal_points(surface.points);
    WeldResult result;
    result.points_merged = surface.points.size() - merged.points.size();
    if (result.points_merged == 0) return result;
    for (std::size_t i = 0; i < surface.points.size(); ++i)
        result.largest_move =
            std::max(result.largest_move, distance(surface.points[i], merged.points[merged.number[i]]));
    std::size_t n = 0;
    for (std::size_t t = 0; t < surface.triangles.size(); ++t) {
        Triangle moved = surface.triangles[t];
        for (Index& p : moved) p = merged.number[p];
        if (moved[0] == moved[1] || moved[1] == moved[2] || moved[2] == moved[0]) continue;
        surface.triangles[n] = moved;
        surface.zone_of[n++] = surface.zone_of[t];
    }
    result.triangles_dropped = surface.triangles.size() - n;
    surface.triangles.resize(n);
    surface.zone_of.resize(n);
    surface.points = std::move(merged.points);
    renumber_edges(surface.feature_edges, merged.number);
    return result;
}

}  // namespace anvilcast
