#include "shapes.hpp"

#include <anvilcast/polygon.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <map>
#include <numbers>
#include <random>

namespace anvilcast::kit {
namespace {

void add(Surface& s, Index a, Index b, Index c) {
    s.triangles.push_back({a, b, c});
    s.zone_of.push_back(0);
}

void add_quad(Surface& s, Index a, Index b, Index c, Index d) {
    add(s, a, b, c);
    add(s, a, c, d);
}

/// Adds a ring of n points; returns the number of the first.
Index add_ring(Surface& s, double radius, double z, int n) {
    const auto first = static_cast<Index>(s.points.size());
    for (int i = 0; i < n; ++i) {
        const double a = 2 * std::numbers::pi * i / n;
        s.points.push_back({radius * std::cos(a), radius * std::sin(a), z});
    }
    return first;
}

/// Quads between two rings; the normal is that of (low to high) turned right, seen along the ring.
void add_band(Surface& s, Index low, Index high, Index n) {
    for (Index i = 0; i < n; ++i) add_quad(s, low + i, low + (i + 1) % n, high + (i + 1) % n, high + i);
}

}  // namespace

Surface box(const Vec3& lo, const Vec3& hi, const std::string& name) {
    Surface s;
    s.zones.push_back({name, Role::wall});
    for (int i = 0; i < 8; ++i)
        s.points.push_back({(i & 1) != 0 ? hi.x : lo.x, (i & 2) != 0 ? hi.y : lo.y, (i & 4) != 0 ? hi.z : lo.z});
    add_quad(s, 0, 2, 3, 1);
    add_quad(s, 4, 5, 7, 6);
    add_quad(s, 0, 1, 5, 4);
    add_quad(s, 2, 6, 7, 3);
    add_quad(s, 0, 4, 6, 2);
    add_quad(s, 1, 3, 7, 5);
    return s;
}

Surface sphere(const Vec3& center, double radius, int levels, const std::string& name) {
    const double g = (1 + std::sqrt(5.0)) / 2;
    std::vector<Vec3> p{{-1, g, 0},  {1, g, 0},  {-1, -g, 0}, {1, -g, 0}, {0, -1, g},  {0, 1, g},
                        {0, -1, -g}, {0, 1, -g}, {g, 0, -1},  {g, 0, 1},  {-g, 0, -1}, {-g, 0, 1}};
    std::vector<Triangle> t{{0, 11, 5},  {0, 5, 1},  {0, 1, 7},  {0, 7, 10}, {0, 10, 11}, {1, 5, 9}, {5, 11, 4},
                            {11, 10, 2}, {10, 7, 6}, {7, 1, 8},  {3, 9, 4},  {3, 4, 2},   {3, 2, 6}, {3, 6, 8},
                            {3, 8, 9},   {4, 9, 5},  {2, 4, 11}, {6, 2, 10}, {8, 6, 7},   {9, 8, 1}};
    for (Vec3& q : p) q = normalized(q);
    for (int level = 0; level < levels; ++level) {
        std::map<std::pair<Index, Index>, Index> middle;
        auto between = [&](Index a, Index b) {
            const auto [it, fresh] = middle.try_emplace({std::min(a, b), std::max(a, b)}, static_cast<Index>(p.size()));
            if (fresh) p.push_back(normalized(p[a] + p[b]));
            return it->second;
        };
        std::vector<Triangle> finer;
        for (const auto& [a, b, c] : t) {
            const Index ab = between(a, b), bc = between(b, c), ca = between(c, a);
            finer.insert(finer.end(), {{a, ab, ca}, {ab, b, bc}, {ca, bc, c}, {ab, bc, ca}});
        }
        t = finer;
    }
    Surface s;
    s.zones.push_back({name, Role::wall});
    for (const Vec3& q : p) s.points.push_back(center + q * radius);
    s.triangles = t;
    s.zone_of.assign(t.size(), 0);
    return s;
}

Surface pipe(double inner, double outer, double height, int n, const std::string& name) {
    Surface s;
    s.zones.push_back({name, Role::wall});
    const Index in_low = add_ring(s, inner, 0, n), in_high = add_ring(s, inner, height, n),
                out_low = add_ring(s, outer, 0, n), out_high = add_ring(s, outer, height, n);
    const auto m = static_cast<Index>(n);
    add_band(s, out_low, out_high, m);
    add_band(s, in_high, in_low, m);
    add_band(s, out_high, in_high, m);
    add_band(s, in_low, out_low, m);
    return s;
}

Surface cylinder(double radius, double height, int n) {
    Surface s;
    s.zones.push_back({"cylinder", Role::wall});
    const Index low = add_ring(s, radius, 0, n), high = add_ring(s, radius, height, n);
    const auto m = static_cast<Index>(n), bottom = static_cast<Index>(s.points.size()), top = bottom + 1;
    s.points.push_back({0, 0, 0});
    s.points.push_back({0, 0, height});
    add_band(s, low, high, m);
    for (Index i = 0; i < m; ++i) {
        add(s, bottom, low + (i + 1) % m, low + i);
        add(s, top, high + i, high + (i + 1) % m);
    }
    return s;
}

Surface torus(double radius, double tube, int along, int across) {
    Surface s;
    s.zones.push_back({"torus"});
    auto number = [&](int i, int j) { return static_cast<Index>(i % along * across + j % across); };
    for (int i = 0; i < along; ++i)
        for (int j = 0; j < across; ++j) {
            const double u = 2 * std::numbers::pi * i / along, v = 2 * std::numbers::pi * j / across;
            const double r = radius + tube * std::cos(v);
            s.points.push_back({r * std::cos(u), r * std::sin(u), tube * std::sin(v)});
            s.triangles.push_back({number(i, j), number(i + 1, j), number(i + 1, j + 1)});
            s.triangles.push_back({number(i, j), number(i + 1, j + 1), number(i, j + 1)});
        }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

Surface wedge(double degrees) {
    const double half = 0.5 * degrees * std::numbers::pi / 180;
    Surface s;
    for (const double z : {0.0, 1.0})
        for (const double side : {0.0, -1.0, 1.0})
            s.points.push_back({side == 0 ? 0.0 : std::cos(half), side * std::sin(half), z});
    s.triangles = {{0, 2, 1}, {3, 4, 5}, {0, 1, 4}, {0, 4, 3}, {1, 2, 5}, {1, 5, 4}, {2, 0, 3}, {2, 3, 5}};
    s.zones = {{"ends"}, {"sides"}, {"back"}};
    s.zone_of = {0, 0, 1, 1, 2, 2, 1, 1};
    return s;
}

Surface prism(const std::vector<Vec2>& outline, double height) {
    const auto n = static_cast<Index>(outline.size());
    Surface s;
    for (const double z : {0.0, height})
        for (const Vec2& p : outline) s.points.push_back({p.x, p.y, z});
    for (const Triangle& t : triangulate_polygon(outline)) {
        s.triangles.push_back({t[0], t[2], t[1]});
        s.triangles.push_back({t[0] + n, t[1] + n, t[2] + n});
    }
    for (Index i = 0; i < n; ++i) {
        const Index j = (i + 1) % n;
        s.triangles.push_back({i, j, j + n});
        s.triangles.push_back({i, j + n, i + n});
    }
    s.zones = {{"prism"}};
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

Surface plate_with_holes(int n, double thickness) {
    constexpr int kRound = 16;
    Surface s;
    s.zones = {{"flat"}, {"rim"}, {"holes"}};
    auto quad = [&](Index a, Index b, Index c, Index d, Index zone) {
        s.triangles.push_back({a, b, c});
        s.triangles.push_back({a, c, d});
        s.zone_of.insert(s.zone_of.end(), 2, zone);
    };
    for (int cell = 0; cell < n * n; ++cell) {
        const double x = cell % n, y = cell / n;
        const auto first = static_cast<Index>(s.points.size());
        for (int k = 0; k < kRound; ++k) {
            const double angle = 2 * std::numbers::pi * k / kRound, cx = std::cos(angle), cy = std::sin(angle);
            const double to_square = 0.5 / std::max(std::abs(cx), std::abs(cy));
            for (const double z : {0.0, thickness}) {
                // Multiples of a 64th of the square's side, so that neighbours meet exactly.
                auto on_square = [&](double c) { return std::round(64 * c * to_square) / 64 + 0.5; };
                s.points.push_back({x + on_square(cx), y + on_square(cy), z});
                s.points.push_back({x + 0.5 + 0.3 * cx, y + 0.5 + 0.3 * cy, z});
            }
        }
        for (Index k = 0; k < kRound; ++k) {
            const Index a = first + 4 * k,
                        b = first + 4 * ((k + 1) % kRound);  // square low, hole low, square up, hole up
            quad(a, a + 1, b + 1, b, 0);
            quad(a + 2, b + 2, b + 3, a + 3, 0);
            quad(a + 1, a + 3, b + 3, b + 1, 2);
            const Vec3 middle = midpoint(s.points[a], s.points[b]);
            if (middle.x == 0 || middle.y == 0 || middle.x == n || middle.y == n) quad(a, b, b + 2, a + 2, 1);
        }
    }
    weld(s);
    return s;
}

Surface block_of_sockets(int n, double* volume) {
    constexpr int kRound = 24;
    constexpr double kBottom = -1;
    const double step = 2 * std::numbers::pi / kRound, half_side = std::numbers::pi / 6;
    Surface s;
    auto triangle = [&](Index a, Index b, Index c) {
        s.triangles.push_back({a, b, c});
        s.zone_of.push_back(0);
    };
    auto quad = [&](Index a, Index b, Index c, Index d) {
        triangle(a, b, c);
        triangle(a, c, d);
    };
    auto add = [&s](double x, double y, double z) {
        s.points.push_back({x, y, z});
        return static_cast<Index>(s.points.size() - 1);
    };
    s.zones = {{"block"}};
    *volume = -kBottom * n * n;
    for (int cell = 0; cell < n * n; ++cell) {
        const double x = cell % n + 0.5, y = cell / n + 0.5;
        const double radius = 0.26 + 0.02 * (cell % 7), height = (cell % 2 == 0 ? 0.3 : -0.2) - 0.04 * (cell % 5);
        *volume += height * 1.5 * std::sqrt(3.0) * radius * radius;
        std::vector<Index> ring;  // four points at each angle: square above and below, foot and top of the six sides
        for (int k = 0; k < kRound; ++k) {
            const double angle = step * k, cx = std::cos(angle), cy = std::sin(angle);
            const double to_square = 0.5 / std::max(std::abs(cx), std::abs(cy));
            // Multiples of a 64th of the square's side, so that neighbours meet exactly.
            const double sx = std::round(64 * cx * to_square) / 64, sy = std::round(64 * cy * to_square) / 64;
            const double r = radius * std::cos(half_side) / std::cos(std::fmod(angle, 2 * half_side) - half_side);
            ring.push_back(add(x + sx, y + sy, 0));
            add(x + sx, y + sy, kBottom);
            add(x + r * cx, y + r * cy, 0);
            add(x + r * cx, y + r * cy, height);
        }
        const Index low = add(x, y, kBottom), top = add(x, y, height);
        for (std::size_t k = 0; k < kRound; ++k) {
            const Index a = ring[k], b = ring[(k + 1) % kRound];
            quad(a, b, b + 2, a + 2);          // the block's top
            quad(a + 2, b + 2, b + 3, a + 3);  // a side of the six
            triangle(a + 3, b + 3, top);
            triangle(b + 1, a + 1, low);
            const Vec3 middle = midpoint(s.points[a], s.points[b]);
            if (middle.x == 0 || middle.y == 0 || middle.x == n || middle.y == n) quad(b, a, a + 1, b + 1);
        }
    }
    weld(s);
    return split_at_sharp_edges(s, 40);
}

Surface flipped(Surface s) {
    for (Triangle& t : s.triangles) std::swap(t[1], t[2]);
    return s;
}

Surface twisted_prism(double twist_deg) {
    Surface s;
    s.zones.push_back({"prism", Role::wall});
    for (int i = 0; i < 3; ++i)
        s.points.push_back({std::cos(2 * std::numbers::pi * i / 3), std::sin(2 * std::numbers::pi * i / 3), 0});
    const double turn = twist_deg * std::numbers::pi / 180;
    for (int i = 0; i < 3; ++i)
        s.points.push_back(
            {std::cos(2 * std::numbers::pi * i / 3 + turn), std::sin(2 * std::numbers::pi * i / 3 + turn), 1});
    add(s, 0, 2, 1);
    add(s, 3, 4, 5);
    for (Index i = 0; i < 3; ++i) {
        // The diagonal that the twist bends inward.
        const Index a = i, b = (i + 1) % 3, c = 3 + (i + 1) % 3, d = 3 + i;
        add(s, a, b, c);
        add(s, a, c, d);
    }
    return s;
}

Domain inside_of(const Surface& s) {
    Domain d;
    d.boundary = s;
    d.sides.assign(s.triangles.size(), {kNone, 0});
    d.regions = {{"fluid", RegionKind::fluid, 0, {}}};
    return d;
}

SurfaceMesh as_mesh(const Surface& s) {
    SurfaceMesh m;
    m.surface = s;
    m.sides.assign(s.triangles.size(), {kNone, 0});
    m.regions = {{"fluid", RegionKind::fluid}};
    return m;
}

std::vector<Vec3> random_points(std::size_t n, unsigned seed) {
    std::mt19937_64 random(seed);
    std::uniform_real_distribution<double> unit(0, 1);
    std::vector<Vec3> points(n);
    for (Vec3& p : points) p = {unit(random), unit(random), unit(random)};
    return points;
}

}  // namespace anvilcast::kit
