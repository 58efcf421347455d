// Ear clipping with exact decisions. An ear is a strictly convex corner whose closed triangle holds no other
// corner; every simple polygon has one, also when some corners lie in line with their neighbours.

#include <anvilcast/errors.hpp>
#include <anvilcast/polygon.hpp>
#include <anvilcast/predicates.hpp>

namespace anvilcast {
namespace {

/// In a simple polygon clipping an ear changes only its two neighbours (J. O'Rourke, Computational Geometry in C, 1998,
/// 1.5), so that the whole takes O(n^2). Where corners touch edges others can change too; all are looked at again then.
constexpr std::size_t kMostLooks = 8;

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
    std::vector<bool> ear(ring.size());
    auto look_at_all = [&] {
        for (std::size_t i = 0; i < ring.size(); ++i) ear[ring[i]] = is_ear(corners, ring, i, turn);
    };
    look_at_all();
    std::vector<Triangle> triangles;
    std::size_t at = 0, passed = 0, looks = 1;
    while (ring.size() > 3) {
        const std::size_t n = ring.size();
        at %= n;
        if (ear[ring[at]]) {
            triangles.push_back({ring[(at + n - 1) % n], ring[at], ring[(at + 1) % n]});
            ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(at));
            const std::size_t next = at % (n - 1), before = (at + n - 2) % (n - 1);
            ear[ring[next]] = is_ear(corners, ring, next, turn);
            ear[ring[before]] = is_ear(corners, ring, before, turn);
            passed = 0;
            ++at;  // skip one corner: fans of slivers are avoided
        } else if (++passed <= n) {
            ++at;
        } else if (++looks <= kMostLooks) {
            look_at_all();
            passed = 0;
        } else {
            break;
        }
    }
    if (ring.size() != 3 || orient2d(corners[ring[0]], corners[ring[1]], corners[ring[2]]) != turn)
        throw GeometryError("a rim that should be closed crosses itself; mend the surface there first");
    triangles.push_back({ring[0], ring[1], ring[2]});
    return triangles;
}

}  // namespace anvilcast
