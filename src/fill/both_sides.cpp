#include "fill/both_sides.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace anvilcast::fill {
namespace {

/// Of a triangle's size: a point that is closer to a side than this lies on it.
constexpr double kOnEdge = 1e-6;

class Divider {
  public:
    Divider(DividedSurface& surface, const std::vector<char>& is_held) : d_(surface), is_held_(is_held) {}

    bool is_on_side(const AddedBoundaryPoint& point) const {
        if (zone_of(point.triangle).role == Role::periodic) return true;
        if (point.corners[2] != kNone) return false;
        const auto at = triangles_at(point.corners[0], point.corners[1]);
        return std::any_of(at.begin(), at.end(), [this](Index t) { return zone_of(t).role == Role::periodic; });
    }

    /// The place and where all pairs take it, each once.
    std::vector<Vec3> images_of(const Vec3& place) const {
        const double reach = kOnEdge * d_.mesh.surface.bounds().diagonal();
        std::vector<Vec3> all{place};
        for (std::size_t i = 0; i < all.size(); ++i)
            for (const PeriodicPair& pair : d_.mesh.periodic)
                for (const bool forward : {true, false}) {
                    if (!is_on(all[i], forward ? pair.first : pair.second, reach)) continue;
                    const Vec3 there = forward ? pair.image(all[i]) : inverse(pair.image)(all[i]);
                    if (std::none_of(all.begin(), all.end(), [&](const Vec3& p) { return distance(p, there) < reach; }))
                        all.push_back(there);
                }
        return all;
    }

    void put(const Vec3& place) {
        Surface& s = d_.mesh.surface;
        Index nearest = kNone;
        double least = Box::inf;
        for (Index t = 0; t < s.triangles.size(); ++t) {
            if (zone_of(t).role != Role::periodic) continue;
            const double d =
                distance(place, closest_point_on_triangle(place, s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
            if (d >= least) continue;
            least = d;
            nearest = t;
        }
        const Triangle c = s.triangles[nearest];
        const double size =
            std::max({distance(s.points[c[0]], s.points[c[1]]), distance(s.points[c[1]], s.points[c[2]]),
                      distance(s.points[c[2]], s.points[c[0]])});
        for (const Index p : c)
            if (distance(s.points[p], place) <= kOnEdge * size) return;  // it is there
        const auto point = static_cast<Index>(s.points.size());
        s.points.push_back(place);
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3 &a = s.points[c[k]], &b = s.points[c[(k + 1) % 3]];
            if (distance(place, closest_point_on_triangle(place, a, b, b)) <= kOnEdge * size)
                return divide_edge(c[k], c[(k + 1) % 3], point);
        }
        s.triangles[nearest] = {c[0], c[1], point};
        add({c[1], c[2], point}, nearest);
        add({c[2], c[0], point}, nearest);
    }

  private:
    const Zone& zone_of(Index t) const { return d_.mesh.surface.zones[d_.mesh.surface.zone_of[t]]; }

    std::vector<Index> triangles_at(Index a, Index b) const {
        std::vector<Index> out;
        const auto& triangles = d_.mesh.surface.triangles;
        for (Index t = 0; t < triangles.size(); ++t) {
            const Triangle& c = triangles[t];
            if (std::find(c.begin(), c.end(), a) != c.end() && std::find(c.begin(), c.end(), b) != c.end())
                out.push_back(t);
        }
        return out;
    }

    bool is_on(const Vec3& place, const std::string& zone, double reach) const {
        const Surface& s = d_.mesh.surface;
        for (Index t = 0; t < s.triangles.size(); ++t)
            if (zone_of(t).name == zone &&
                distance(place, closest_point_on_triangle(place, s.corner(t, 0), s.corner(t, 1), s.corner(t, 2))) <=
                    reach)
                return true;
        return false;
    }

    void divide_edge(Index a, Index b, Index point) {
        Surface& s = d_.mesh.surface;
        for (const Index t : triangles_at(a, b)) {
            if (!is_held_.empty() && is_held_[d_.parent[t]] != 0)
                throw FillObstacle(
                    fmt::format("the fill needs a point where layers end on a periodic side, near [{:.6g}, {:.6g}, "
                                "{:.6g}] m; ask for another size there",
                                s.points[point].x, s.points[point].y, s.points[point].z),
                    {s.points[point]});
            const Triangle c = s.triangles[t];
            Triangle with_a = c, with_b = c;
            std::replace(with_a.begin(), with_a.end(), b, point);
            std::replace(with_b.begin(), with_b.end(), a, point);
            s.triangles[t] = with_a;
            add(with_b, t);
        }
    }

    void add(const Triangle& c, Index like) {
        Surface& s = d_.mesh.surface;
        s.triangles.push_back(c);
        s.zone_of.push_back(s.zone_of[like]);
        d_.mesh.sides.push_back(d_.mesh.sides[like]);
        d_.parent.push_back(d_.parent[like]);
    }

    DividedSurface& d_;
    const std::vector<char>& is_held_;
};

}  // namespace

bool put_on_both_sides(DividedSurface& surface, const std::vector<AddedBoundaryPoint>& added,
                       const std::vector<char>& is_held) {
    Divider divider(surface, is_held);
    std::vector<Vec3> places;
    for (const AddedBoundaryPoint& point : added)
        if (divider.is_on_side(point)) places.push_back(point.place);
    for (const Vec3& place : places)
        for (const Vec3& there : divider.images_of(place)) divider.put(there);
    return !places.empty();
}

}  // namespace anvilcast::fill
