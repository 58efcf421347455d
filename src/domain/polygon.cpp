// Ear clipping with exact decisions. An ear is a strictly convex corner whose closed triangle holds no other
// corner; every simple polygon has one, also when some corners lie in line with their neighbours.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>

namespace anvilcast {
namespace {

bool is_ear(const std::vector<Vec2>& p, const std::vector<Index>& ring, std::size_t i, int turn) {
    const std::size_t n = ring.size();
    const Index a = ring[(i + n - 1) % n], b = ring[i], c = ring[(i + 1) % n];
    if (orient2d(p[a], p[b], p[c]) != turn) return false;
    for (const Index v : ring) {
        if (v == a || v == b || v == c) continue;
        if (orient2d(p[a], p[b], p[v]) * turn >= 0 && orient2d(p[b], p[c], p[v]) * turn >= 0 &&
            orient2d(p[c], p[a], p[v]) * turn >= 0)
            return false;
    }
    return true;
}

}  // namespace

std::vector<Triangle> triangulate_polygon(const std::vector<Vec2>& corners) {
    double doubled_area = 0;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec2 &a = corners[i], &b = corners[(i + 1) % corners.size()];
        doubled_area += (a.x - corners[0].x) * (b.y - corners[0].y) - (a.y - corners[0].y) * (b.x - corners[0].x);
    }
    const int turn = doubled_area > 0 ? 1 : -1;
    std::vector<Index> ring(corners.size());
    for (Index i = 0; i < ring.size(); ++i) ring[i] = i;
    std::vector<Triangle> triangles;
    std::size_t at = 0, failures = 0;
    while (ring.size() > 3 && failures < ring.size()) {
        const std::size_t n = ring.size();
        at %= n;
        if (is_ear(corners, ring, at, turn)) {
            triangles.push_back({ring[(at + n - 1) % n], ring[at], ring[(at + 1) % n]});
            ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(at));
            failures = 0;
            ++at;  // skip one corner: fans of slivers are avoided
        } else {
            ++at;
            ++failures;
        }
    }
    if (ring.size() != 3 || orient2d(corners[ring[0]], corners[ring[1]], corners[ring[2]]) != turn)
        throw GeometryError("a rim that should be closed crosses itself; mend the surface there first");
    triangles.push_back({ring[0], ring[1], ring[2]});
    return triangles;
}

}  // namespace anvilcast
