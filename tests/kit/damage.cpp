#include "damage.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <random>

#include "shapes.hpp"

namespace anvilcast::kit {
namespace {

/// Numbers between -1 and 1. The standard's distributions differ between libraries.
class Dice {
  public:
    explicit Dice(unsigned seed) : engine_(seed) {}
    double operator()() { return 2.0 * static_cast<double>(engine_()) / 4294967295.0 - 1; }
    Vec3 vector() {
        const double x = (*this)(), y = (*this)(), z = (*this)();
        return {x, y, z};
    }
    std::size_t below(std::size_t n) { return engine_() % n; }

  private:
    std::mt19937 engine_;
};

/// Corners of their own for each triangle, moved as `move(triangle, corner place, middle)` says.
template <typename Move>
Surface apart(const Surface& s, const Move& move) {
    Surface out;
    out.zones = s.zones;
    out.zone_of = s.zone_of;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Vec3 middle = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
        Triangle own;
        for (int k = 0; k < 3; ++k) {
            own[static_cast<std::size_t>(k)] = static_cast<Index>(out.points.size());
            out.points.push_back(move(s.corner(t, k), middle));
        }
        out.triangles.push_back(own);
    }
    return out;
}

}  // namespace

Surface divided(Surface s, int times) {
    for (int i = 0; i < times; ++i) {
        std::map<Edge, Index> middles;
        auto middle = [&](Index a, Index b) {
            const auto [at, is_new] =
                middles.try_emplace({std::min(a, b), std::max(a, b)}, static_cast<Index>(s.points.size()));
            if (is_new) s.points.push_back(midpoint(s.points[a], s.points[b]));
            return at->second;
        };
        std::vector<Triangle> triangles;
        std::vector<Index> zones;
        for (std::size_t t = 0; t < s.triangles.size(); ++t) {
            const auto [a, b, c] = s.triangles[t];
            const Index ab = middle(a, b), bc = middle(b, c), ca = middle(c, a);
            triangles.insert(triangles.end(), {{a, ab, ca}, {ab, b, bc}, {ca, bc, c}, {ab, bc, ca}});
            zones.insert(zones.end(), 4, s.zone_of[t]);
        }
        s.triangles = std::move(triangles);
        s.zone_of = std::move(zones);
    }
    return s;
}

Surface with_holes(Surface s, std::size_t n, unsigned seed) {
    Dice dice(seed);
    for (std::size_t k = 0; k < n; ++k) {
        const auto at = static_cast<std::ptrdiff_t>(dice.below(s.triangles.size()));
        s.triangles.erase(s.triangles.begin() + at);
        s.zone_of.erase(s.zone_of.begin() + at);
    }
    return s;
}

Surface shaken(const Surface& s, double distance, unsigned seed) {
    Dice dice(seed);
    return apart(s, [&](const Vec3& corner, const Vec3&) { return corner + dice.vector() * distance; });
}

Surface doubled(Surface s) {
    const std::vector<Triangle> again = s.triangles;
    s.triangles.insert(s.triangles.end(), again.begin(), again.end());
    const std::vector<Index> zones = s.zone_of;
    s.zone_of.insert(s.zone_of.end(), zones.begin(), zones.end());
    return s;
}

Surface half_turned(Surface s) {
    for (std::size_t t = 0; t < s.triangles.size(); t += 2) std::swap(s.triangles[t][0], s.triangles[t][1]);
    return s;
}

Surface overlapping(const Surface& s, double factor) {
    return apart(s, [&](const Vec3& corner, const Vec3& middle) { return middle + (corner - middle) * factor; });
}

const std::vector<Damage>& damages() {
    static const std::vector<Damage> all{
        {"sound", [](const Surface& s) { return s; }},
        {"one hole", [](const Surface& s) { return with_holes(s, 1, 1); }},
        {"ten holes", [](const Surface& s) { return with_holes(s, 10, 2); }},
        {"500 holes", [](const Surface& s) { return with_holes(s, 500, 3); }},
        {"shaken", [](const Surface& s) { return shaken(s, 0.004, 4); }, 0.008},
        {"doubled", [](const Surface& s) { return doubled(s); }},
        {"half turned", [](const Surface& s) { return half_turned(s); }},
        {"overlapping sheets", [](const Surface& s) { return overlapping(s, 1.1); }, 0.003},
        {"all of it",
         [](const Surface& s) {
             return half_turned(overlapping(shaken(with_holes(doubled(s), 500, 5), 0.004, 6), 1.1));
         },
         0.011},
    };
    return all;
}

Surface soup(std::size_t n, double size, unsigned seed) {
    Dice dice(seed);
    Surface s;
    s.zones.push_back({"soup"});
    for (std::size_t k = 0; k < n; ++k) {
        const Vec3 middle = Vec3{0.5, 0.5, 0.5} + dice.vector() * 0.5;
        const auto first = static_cast<Index>(s.points.size());
        for (int c = 0; c < 3; ++c) s.points.push_back(middle + dice.vector() * (0.5 * size));
        s.triangles.push_back({first, first + 1, first + 2});
        s.zone_of.push_back(0);
    }
    return s;
}

Surface separator_body(int n) {
    const std::vector<Vec2> profile{{0.15, 0}, {0.5, 0.8}, {0.5, 1.4}, {0.25, 1.4}, {0.25, 1.7}};
    Surface s;
    s.zones = {{"floor"}, {"cone"}, {"barrel"}, {"shoulder"}, {"neck"}, {"top"}};
    auto ring = [&](const Vec2& p) {
        const auto first = static_cast<Index>(s.points.size());
        for (int i = 0; i < n; ++i) {
            const double a = 2 * std::numbers::pi * i / n;
            s.points.push_back({p.x * std::cos(a), p.x * std::sin(a), p.y});
        }
        return first;
    };
    const auto sides = static_cast<Index>(n);
    auto add = [&](Index a, Index b, Index c, Index zone) {
        s.triangles.push_back({a, b, c});
        s.zone_of.push_back(zone);
    };
    std::vector<Index> rings;
    for (const Vec2& p : profile) rings.push_back(ring(p));
    for (Index k = 0; k + 1 < rings.size(); ++k)
        for (Index i = 0; i < sides; ++i) {
            const Index a = rings[k] + i, b = rings[k] + (i + 1) % sides, c = rings[k + 1] + (i + 1) % sides,
                        d = rings[k + 1] + i;
            add(a, b, c, k + 1);
            add(a, c, d, k + 1);
        }
    const auto low = static_cast<Index>(s.points.size());
    s.points.push_back({0, 0, profile.front().y});
    s.points.push_back({0, 0, profile.back().y});
    for (Index i = 0; i < sides; ++i) {
        add(low, rings.front() + (i + 1) % sides, rings.front() + i, 0);
        add(low + 1, rings.back() + i, rings.back() + (i + 1) % sides, 5);
    }
    return s;
}

Surface slotted_block(double width) {
    const double l = 0.5 - 0.5 * width, r = 0.5 + 0.5 * width;
    return prism({{0, 0}, {1, 0}, {1, 1}, {r, 1}, {r, 0.5}, {l, 0.5}, {l, 1}, {0, 1}}, 1);
}

}  // namespace anvilcast::kit
