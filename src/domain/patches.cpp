#include "domain/patches.hpp"

#include <anvilcast/polygon.hpp>

#include <cmath>

#include "surface/hole_patch.hpp"

namespace anvilcast::domain {

Vec3 loop_normal(const std::vector<Vec3>& loop) {
    Vec3 sum;
    for (std::size_t i = 1; i + 1 < loop.size(); ++i) sum += cross(loop[i] - loop[0], loop[i + 1] - loop[0]);
    return sum;
}

std::vector<Vec3> places_of(const Surface& s, const std::vector<Index>& loop) {
    std::vector<Vec3> places;
    for (const Index p : loop) places.push_back(s.points[p]);
    return places;
}

Surface flat_patch(const std::vector<Vec3>& rim) {
    const Vec3 normal = normalized(loop_normal(rim));
    const Vec3 u = normalized(std::abs(normal.x) < 0.7 ? cross(normal, Vec3{1, 0, 0}) : cross(normal, Vec3{0, 1, 0}));
    const Vec3 v = cross(normal, u);
    std::vector<Vec2> flat;
    for (const Vec3& p : rim) flat.push_back({dot(p - rim[0], u), dot(p - rim[0], v)});
    Surface patch;
    patch.points = rim;
    patch.triangles = triangulate_polygon(flat);
    return patch;
}

Surface bent_patch(const Surface& s, const std::vector<Index>& loop) {
    mending::Hole hole;
    hole.rim = places_of(s, loop);
    for (std::size_t i = 0; i < loop.size(); ++i) {
        const Vec3 &a = hole.rim[i], &b = hole.rim[(i + 1) % loop.size()];
        hole.scale.push_back(distance(a, b));
        // No slope is to be gone on with: as if the surface came from the rim's middle.
        hole.beyond.push_back(2 * midpoint(a, b) - hole.rim[(i + loop.size() / 2) % loop.size()]);
    }
    hole.joined = [](Index, Index) { return false; };
    const mending::Patch made = mending::minimal_patch(hole);
    Surface patch;
    patch.points = made.points;
    patch.triangles = made.triangles;
    return patch;
}

}  // namespace anvilcast::domain
