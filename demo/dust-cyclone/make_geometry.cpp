// Makes the geometry of the dust-cyclone demo: a closed, thick-walled solid with a tangential gas inlet, a vortex
// finder pipe that reaches into the body, and a dust outlet at the bottom. All dimensions are our own, in mm.
//
//     make_dust_cyclone cyclone-shell.stl

#include <anvilcast/polygon.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <cstdio>
#include <exception>
#include <numbers>
#include <vector>

namespace {

using namespace anvilcast;

constexpr double kWall = 4;
constexpr double kBodyRadius = 100;
// The duct enters at the side of the body, a little inward of the tangent: an exact tangent would leave a cusp.
constexpr double kDuctInset = 7;
constexpr double kDuctWidth = 50, kDuctEnd = 220, kDuctFloor = 450, kDuctCeiling = 540;
constexpr double kConeTop = 340, kConeBottom = 40, kDustRadius = 32;
constexpr double kFinderInner = 40, kFinderOuter = 43, kFinderLow = 410, kFinderHigh = 620;

struct Point2 {
    double x, y;
};
using Loop = std::vector<Point2>;  // counter-clockwise, seen from above

Loop arc(double radius, double from, double to, int n) {
    Loop points;
    for (int i = 0; i <= n; ++i) {
        const double a = from + (to - from) * i / n;
        points.push_back({radius * std::cos(a), radius * std::sin(a)});
    }
    return points;
}

Loop circle(double radius, int n) {
    Loop points = arc(radius, 0, 2 * std::numbers::pi, n);
    points.pop_back();
    return points;
}

/// A body circle with the mouth of the duct: first the arc across the mouth, then the wall all the way round.
struct Shell {
    double radius, duct_low, duct_high;  // duct between y = duct_low and y = duct_high
    double floor, ceiling;
    Loop mouth, wall;

    Shell(double offset)
        : radius(kBodyRadius + offset),
          duct_low(kBodyRadius - kDuctInset - kDuctWidth - offset),
          duct_high(kBodyRadius - kDuctInset + offset),
          floor(kDuctFloor - offset),
          ceiling(kDuctCeiling + offset) {
        const double low = std::asin(duct_low / radius), high = std::asin(duct_high / radius);
        mouth = arc(radius, low, high, 12);
        wall = arc(radius, high, 2 * std::numbers::pi + low, 84);
        mouth.back() = wall.front() = {radius * std::cos(high), duct_high};
        mouth.front() = wall.back() = {radius * std::cos(low), duct_low};
    }
    Loop full_circle() const {
        Loop all(mouth.begin(), mouth.end() - 1);
        all.insert(all.end(), wall.begin(), wall.end() - 1);
        return all;
    }
    /// Floor or ceiling of the duct, outside of the body circle.
    Loop duct_plan() const {
        Loop plan = mouth;
        plan.push_back({kDuctEnd, duct_high});
        plan.push_back({kDuctEnd, duct_low});
        return {plan.rbegin(), plan.rend()};
    }
};

class Builder {
  public:
    Builder() { surface_.zones.push_back({"cyclone-shell", Role::wall}); }

    void triangle(const Vec3& a, const Vec3& b, const Vec3& c, bool outward) {
        const auto first = static_cast<Index>(surface_.points.size());
        for (const Vec3& p : {a, b, c}) surface_.points.push_back(p * 1e-3);
        surface_.triangles.push_back(outward ? Triangle{first, first + 1, first + 2}
                                             : Triangle{first, first + 2, first + 1});
        surface_.zone_of.push_back(0);
    }
    /// The wall from loop a at height za down to loop b at zb; faces outward of a counter-clockwise loop.
    void skirt(const Loop& a, double za, const Loop& b, double zb, bool closed, bool outward) {
        const std::size_t n = a.size(), last = closed ? n : n - 1;
        for (std::size_t i = 0; i < last; ++i) {
            const std::size_t j = (i + 1) % n;
            const Vec3 p{a[i].x, a[i].y, za}, q{a[j].x, a[j].y, za}, r{b[i].x, b[i].y, zb}, s{b[j].x, b[j].y, zb};
            triangle(r, s, q, outward);
            triangle(r, q, p, outward);
        }
    }
    void plate(const Loop& plan, double z, bool upward) {
        std::vector<Vec2> flat;
        for (const Point2& p : plan) flat.push_back({p.x, p.y});
        for (const Triangle& t : triangulate_polygon(flat))
            triangle({plan[t[0]].x, plan[t[0]].y, z}, {plan[t[1]].x, plan[t[1]].y, z}, {plan[t[2]].x, plan[t[2]].y, z},
                     upward);
    }
    /// The flat ring between two circles with different numbers of points.
    void ring(const Loop& inner, const Loop& outer, double z, bool upward) {
        auto angle = [](const Point2& p) {
            return std::atan2(p.y, p.x) + (std::atan2(p.y, p.x) < -1e-12 ? 2 * std::numbers::pi : 0.0);
        };
        auto sorted = [&](Loop loop) {
            std::sort(loop.begin(), loop.end(), [&](const Point2& p, const Point2& q) { return angle(p) < angle(q); });
            return loop;
        };
        const Loop a = sorted(inner), b = sorted(outer);
        std::size_t i = 0, j = 0;
        while (i < a.size() || j < b.size()) {
            const double next_a = i + 1 < a.size() ? angle(a[i + 1]) : angle(a[0]) + 2 * std::numbers::pi;
            const double next_b = j + 1 < b.size() ? angle(b[j + 1]) : angle(b[0]) + 2 * std::numbers::pi;
            const Point2 &p = a[i % a.size()], &q = b[j % b.size()];
            if (j >= b.size() || (i < a.size() && next_a <= next_b)) {
                const Point2& r = a[(i + 1) % a.size()];
                triangle({p.x, p.y, z}, {q.x, q.y, z}, {r.x, r.y, z}, upward);
                ++i;
            } else {
                const Point2& r = b[(j + 1) % b.size()];
                triangle({p.x, p.y, z}, {q.x, q.y, z}, {r.x, r.y, z}, upward);
                ++j;
            }
        }
    }
    Surface finished() {
        weld(surface_);
        return std::move(surface_);
    }

  private:
    Surface surface_;
};

void add_shell(Builder& b, const Shell& s, double offset, bool outward) {
    const Loop body = s.full_circle(), finder = circle(kFinderOuter, 48);
    const double scale = (kDustRadius + offset) / s.radius;
    Loop dust = body;
    for (Point2& p : dust) p = {p.x * scale, p.y * scale};
    b.ring(finder, body, s.ceiling, outward);
    b.plate(s.duct_plan(), s.ceiling, outward);
    b.plate(s.duct_plan(), s.floor, !outward);
    b.skirt(s.wall, s.ceiling, s.wall, s.floor, false, outward);
    const Loop far_side{{kDuctEnd, s.duct_high}, s.mouth.back()}, near_side{s.mouth.front(), {kDuctEnd, s.duct_low}};
    b.skirt(far_side, s.ceiling, far_side, s.floor, false, outward);
    b.skirt(near_side, s.ceiling, near_side, s.floor, false, outward);
    b.skirt(body, s.floor, body, kConeTop, true, outward);
    b.skirt(body, kConeTop, dust, kConeBottom, true, outward);
    b.skirt(dust, kConeBottom, dust, 0, true, outward);
}

Surface cyclone() {
    Builder b;
    const Shell inner(0), outer(kWall);
    add_shell(b, inner, 0, false);
    add_shell(b, outer, kWall, true);

    const Loop bore = circle(kFinderInner, 48), finder = circle(kFinderOuter, 48);
    b.skirt(bore, kFinderHigh, bore, kFinderLow, true, false);
    b.skirt(finder, inner.ceiling, finder, kFinderLow, true, true);
    b.skirt(finder, kFinderHigh, finder, outer.ceiling, true, true);
    b.ring(bore, finder, kFinderLow, false);
    b.ring(bore, finder, kFinderHigh, true);

    Loop dust_inner = inner.full_circle(), dust_outer = outer.full_circle();
    for (Point2& p : dust_inner) p = {p.x * kDustRadius / inner.radius, p.y * kDustRadius / inner.radius};
    for (Point2& p : dust_outer)
        p = {p.x * (kDustRadius + kWall) / outer.radius, p.y * (kDustRadius + kWall) / outer.radius};
    b.ring(dust_inner, dust_outer, 0, false);

    // The end face of the duct: a rectangle with a rectangular hole.
    const double y[4] = {outer.duct_low, inner.duct_low, inner.duct_high, outer.duct_high};
    const double z[4] = {outer.floor, inner.floor, inner.ceiling, outer.ceiling};
    auto at = [&](int i, int j) { return Vec3{kDuctEnd, y[i], z[j]}; };
    const Vec3 in[4] = {at(1, 1), at(2, 1), at(2, 2), at(1, 2)}, out[4] = {at(0, 0), at(3, 0), at(3, 3), at(0, 3)};
    for (int k = 0; k < 4; ++k) {
        b.triangle(out[k], out[(k + 1) % 4], in[(k + 1) % 4], true);
        b.triangle(out[k], in[(k + 1) % 4], in[k], true);
    }
    return b.finished();
}

}  // namespace

int main(int argc, char** argv) try {
    if (argc != 2) return std::fputs("usage: make_dust_cyclone OUT.stl\n", stderr), 2;
    write_stl(argv[1], cyclone(), parse_length_unit("mm"));
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 3;
}
