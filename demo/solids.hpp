// Simple solids, for the makers of the demos' geometry. Normals point out.
#pragma once

#include <anvilcast/polygon.hpp>
#include <anvilcast/surface.hpp>

#include <cmath>
#include <numbers>
#include <string>
#include <vector>

namespace demo {

using anvilcast::Index;
using anvilcast::Surface;
using anvilcast::Triangle;
using anvilcast::Vec2;
using anvilcast::Vec3;

/// A polygon, counter-clockwise in the plane of u and v, swept from `from` to `to` along the normal u x v.
inline Surface prism(const std::vector<Vec2>& polygon, const Vec3& u, const Vec3& v, double from, double to,
                     const std::string& name) {
    const Vec3 w = cross(u, v);
    const auto n = static_cast<Index>(polygon.size());
    Surface s;
    s.zones = {{name}};
    for (const double height : {from, to})
        for (const Vec2& p : polygon) s.points.push_back(u * p.x + v * p.y + w * height);
    for (const Triangle& t : anvilcast::triangulate_polygon(polygon)) {
        s.triangles.push_back({t[0], t[2], t[1]});
        s.triangles.push_back({n + t[0], n + t[1], n + t[2]});
    }
    for (Index i = 0; i < n; ++i) {
        const Index j = (i + 1) % n;
        s.triangles.push_back({i, j, n + j});
        s.triangles.push_back({i, n + j, n + i});
    }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

inline Surface box(const Vec3& lo, const Vec3& hi, const std::string& name) {
    return prism({{lo.x, lo.y}, {hi.x, lo.y}, {hi.x, hi.y}, {lo.x, hi.y}}, {1, 0, 0}, {0, 1, 0}, lo.z, hi.z, name);
}

inline std::vector<Vec2> circle(const Vec2& center, double radius, int n) {
    std::vector<Vec2> points;
    for (int i = 0; i < n; ++i) {
        const double a = 2 * std::numbers::pi * i / n;
        points.push_back({center.x + radius * std::cos(a), center.y + radius * std::sin(a)});
    }
    return points;
}

}  // namespace demo
