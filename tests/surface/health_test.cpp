// What examine() finds, with geometry whose faults are known to the last digit.

#include <gtest/gtest.h>
#include <anvilcast/health.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

using enum DefectKind;

void add(Surface& s, const Vec3& a, const Vec3& b, const Vec3& c) {
    const auto n = static_cast<Index>(s.points.size());
    for (const Vec3& p : {a, b, c}) s.points.push_back(p);
    s.triangles.push_back({n, n + 1, n + 2});
    s.zone_of.push_back(0);
}

/// The kinds that were found, as text.
std::string found(const SurfaceHealth& h) {
    std::string text;
    for (const DefectList& list : h.defects)
        if (!list.items.empty())
            text += std::string(text.empty() ? "" : " ") + defect_info(list.kind).key + ":" +
                    std::to_string(list.items.size());
    return text;
}

TEST(Health, FindsARimWithItsMeasures) {
    Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    s.triangles.erase(s.triangles.begin(), s.triangles.begin() + 2);
    s.zone_of.resize(10);
    const SurfaceHealth h = examine(s);
    EXPECT_EQ(found(h), "rims:1");
    EXPECT_FALSE(h.is_closed);
    EXPECT_TRUE(h.is_blocked());
    ASSERT_EQ(h.rims.size(), 1U);
    EXPECT_TRUE(h.rims[0].is_flat && h.rims[0].is_loop && !h.rims[0].is_crack);
    EXPECT_DOUBLE_EQ(h.rims[0].rim.length, 4);
    EXPECT_EQ(h.rims[0].rim.center, (Vec3{0.5, 0.5, 0}));
    EXPECT_EQ(h.rims[0].bounds.extent(), (Vec3{1, 1, 0}));
    EXPECT_NE(verdict(h, parse_length_unit("mm")).find("Not closed"), std::string::npos);
}

TEST(Health, TellsTurnedTrianglesFromBodiesInsideOut) {
    Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    std::swap(s.triangles[0][1], s.triangles[0][2]);
    SurfaceHealth h = examine(s);
    EXPECT_EQ(found(h), "flipped_patches:1");
    EXPECT_DOUBLE_EQ(h.of(flipped_patch)[0].size, 0.5);
    EXPECT_TRUE(h.is_closed);
    EXPECT_FALSE(h.is_sound);
    EXPECT_FALSE(h.is_blocked());
    h = examine(kit::flipped(kit::box({0, 0, 0}, {1, 1, 1})));
    EXPECT_EQ(found(h), "inside_out_bodies:1");
    EXPECT_DOUBLE_EQ(h.of(inside_out)[0].size, 1);
    // A cavity has its normals inward: that is right, and it is known to be inside.
    h = examine(joined({kit::box({0, 0, 0}, {4, 4, 4}), kit::flipped(kit::box({1, 1, 1}, {2, 2, 2}))}));
    EXPECT_EQ(found(h), "");
    EXPECT_TRUE(h.is_sound);
    EXPECT_DOUBLE_EQ(h.enclosed_volume, 63);
    ASSERT_EQ(h.shells.size(), 2U);
    EXPECT_EQ(h.shells[1].depth, 1);
    EXPECT_EQ(h.shells[1].inside, 0U);
}

TEST(Health, FindsASurfaceWithoutTwoSides) {
    Surface band;
    band.zones.push_back({"band"});
    const int n = 24;
    for (int i = 0; i < n; ++i) {
        const double a = 2 * std::numbers::pi * i / n, twist = a / 2;
        for (const double w : {-0.3, 0.3})
            band.points.push_back({(1 + w * std::cos(twist)) * std::cos(a), (1 + w * std::cos(twist)) * std::sin(a),
                                   w * std::sin(twist)});
    }
    for (Index i = 0; i < 2 * n; i += 2) {
        const bool last = i + 2 == 2 * n;
        const Index p = i, q = i + 1, r = last ? 1 : i + 2, t = last ? 0 : i + 3;
        band.triangles.insert(band.triangles.end(), {{p, r, q}, {q, r, t}});
        band.zone_of.insert(band.zone_of.end(), {0, 0});
    }
    const SurfaceHealth h = examine(band);
    EXPECT_GE(h.count(one_sided), 1U);
    EXPECT_TRUE(h.is_blocked());
}

TEST(Health, FindsDoubledAndFlatTriangles) {
    Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    s.triangles.push_back({s.triangles[3][1], s.triangles[3][2], s.triangles[3][0]});
    s.triangles.push_back({s.triangles[5][1], s.triangles[5][0], s.triangles[5][2]});
    s.zone_of.insert(s.zone_of.end(), {0, 0});
    SurfaceHealth h = examine(s);
    EXPECT_EQ(h.count(duplicate), 1U);
    EXPECT_EQ(h.count(opposite_duplicate), 1U);
    EXPECT_EQ(h.count(non_manifold_edge), 6U);
    EXPECT_EQ(h.count(self_intersection) + h.count(overlap), 0U);

    Surface flat = kit::box({0, 0, 0}, {1, 1, 1});
    flat.points.push_back({0.25, 0, 0});
    flat.triangles.push_back({0, 8, 1});
    flat.zone_of.push_back(0);
    h = examine(flat);
    ASSERT_EQ(h.count(degenerate), 1U);
    EXPECT_DOUBLE_EQ(h.of(degenerate)[0].size, 1);
    EXPECT_NEAR(h.of(degenerate)[0].place.x, 1.25 / 3, 1e-15);

    Surface thin = kit::box({0, 0, 0}, {1, 1, 1});
    add(thin, {3, 0, 0}, {4, 0, 0}, {3.5, 0.0005, 0});
    h = examine(thin);
    ASSERT_EQ(h.count(needle), 1U);
    EXPECT_NEAR(h.of(needle)[0].size, 0.0005, 1e-12);
}

TEST(Health, TellsCracksAndTJunctionsFromRims) {
    // Two halves of a box that should meet at x = 1, 0.01 mm apart; one half has a point more on the seam.
    Surface left = kit::box({0, 0, 0}, {1, 1, 1}), right = kit::box({1.00001, 0, 0}, {2, 1, 1});
    auto open = [](Surface& s, double x) {
        for (std::size_t t = s.triangles.size(); t-- > 0;)
            if (s.corner(static_cast<Index>(t), 0).x == x && s.corner(static_cast<Index>(t), 1).x == x &&
                s.corner(static_cast<Index>(t), 2).x == x) {
                s.triangles.erase(s.triangles.begin() + static_cast<std::ptrdiff_t>(t));
                s.zone_of.pop_back();
            }
    };
    open(left, 1);
    open(right, 1.00001);
    const Surface both = joined({left, right});
    SurfaceHealth h = examine(both, {.tolerance = 1e-4});
    EXPECT_EQ(found(h), "cracks:1");
    EXPECT_NEAR(h.of(crack)[0].size, 1e-5, 1e-12);
    ASSERT_EQ(h.rims.size(), 2U);
    EXPECT_TRUE(h.rims[0].is_crack && h.rims[1].is_crack);
    EXPECT_EQ(examine(both, {.tolerance = 1e-6}).count(rim), 2U);

    Surface split = kit::box({0, 0, 0}, {1, 1, 1});
    // A point on the edge 0-1 that only one of the two triangles there knows of.
    const auto it = std::find_if(split.triangles.begin(), split.triangles.end(), [](const Triangle& t) {
        return std::count(t.begin(), t.end(), 0U) == 1 && std::count(t.begin(), t.end(), 1U) == 1;
    });
    Triangle first = *it, second = *it;
    std::replace(first.begin(), first.end(), 0U, 8U);
    std::replace(second.begin(), second.end(), 1U, 8U);
    split.points.push_back({0.5, 0, 0});
    *it = first;
    split.triangles.push_back(second);
    split.zone_of.push_back(0);
    h = examine(split);
    ASSERT_EQ(h.count(t_junction), 1U);
    EXPECT_EQ(h.of(t_junction)[0].place, (Vec3{0.5, 0, 0}));
    EXPECT_EQ(h.of(t_junction)[0].size, 0);
    EXPECT_EQ(h.count(rim), 0U);
}

TEST(Health, FindsWhereShellsCrossAndHowDeep) {
    const Surface a = kit::box({0, 0, 0}, {1, 1, 1});
    SurfaceHealth h = examine(joined({a, kit::box({0.8, 0.25, 0.25}, {2, 0.75, 0.75})}));
    ASSERT_EQ(h.count(interference), 1U);
    EXPECT_NEAR(h.of(interference)[0].size, 0.2, 1e-12);
    EXPECT_EQ(h.count(self_intersection), 0U);
    // Side by side with a common plane: the faces overlap.
    h = examine(joined({a, kit::box({1, 0.25, 0.25}, {2, 0.75, 0.75})}));
    EXPECT_GT(h.count(overlap), 0U);
    EXPECT_EQ(h.count(interference), 0U);
    // One shell through itself.
    Surface bent = kit::box({0, 0, 0}, {1, 1, 1});
    for (Vec3& p : bent.points)
        if (p == Vec3{1, 1, 1}) p = {0.5, 0.5, -0.5};
    EXPECT_GT(examine(bent).count(self_intersection), 0U);
    // Near each other.
    h = examine(joined({a, kit::box({1.00002, 0.25, 0.25}, {2, 0.75, 0.75})}), {.tolerance = 1e-4});
    EXPECT_EQ(found(h).substr(0, 12), "near_misses:");
    EXPECT_NEAR(h.of(near_miss)[0].size, 2e-5, 1e-12);
    EXPECT_TRUE(examine(joined({a, kit::box({1.001, 0.25, 0.25}, {2, 0.75, 0.75})})).is_sound);
}

TEST(Health, FindsBadEdgesAndVertices) {
    Surface edge = joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({1, 1, 0}, {2, 2, 1})});
    weld(edge);
    SurfaceHealth h = examine(edge);
    ASSERT_EQ(h.count(non_manifold_edge), 1U);
    EXPECT_EQ(h.of(non_manifold_edge)[0].place, (Vec3{1, 1, 0.5}));
    EXPECT_FALSE(h.is_blocked());
    Surface corner = joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({1, 1, 1}, {2, 2, 2})});
    weld(corner);
    h = examine(corner);
    EXPECT_EQ(found(h), "non_manifold_vertices:1");
    EXPECT_EQ(h.of(non_manifold_vertex)[0].place, (Vec3{1, 1, 1}));
    EXPECT_TRUE(h.is_sound);
}

TEST(Health, DoubtsExtentsAndPlaces) {
    EXPECT_EQ(found(examine(kit::box({0, 0, 0}, {1000, 2, 3}))), "odd_extent:1");
    EXPECT_EQ(found(examine(kit::box({0, 0, 0}, {1e-4, 1e-4, 1e-3}))), "odd_extent:1");
    const SurfaceHealth far = examine(kit::box({1e4, 0, 0}, {1e4 + 1, 1, 1}));
    EXPECT_EQ(found(far), "lost_digits:1");
    EXPECT_NEAR(far.of(lost_digits)[0].size, 1e4 / (1 << 23), 1e-6);
    const SurfaceHealth speck =
        examine(joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({2, 0, 0}, {2.001, 0.001, 0.001})}));
    EXPECT_EQ(found(speck), "tiny_pieces:1");
    EXPECT_TRUE(speck.is_sound);
    EXPECT_FALSE(examine({}).is_closed);
}

/// Everything about a surface that does not depend on its numbering or place.
std::string essence(const SurfaceHealth& h) {
    std::string text = found(h) + (h.is_closed ? " closed" : "") + (h.is_sound ? " sound" : "") + " " +
                       std::to_string(h.rims.size()) + " " + std::to_string(h.shells.size());
    return text;
}

TEST(Health, DoesNotDependOnOrderPlaceOrPieces) {
    Surface model =
        joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({0.8, 0.3, 0.2}, {2, 0.75, 0.8}),
                kit::flipped(kit::sphere({3, 0, 0}, 0.5, 2)), kit::box({1.50001, 0.2, 0.80002}, {1.7, 0.5, 1})});
    model.triangles.erase(model.triangles.begin() + 3);
    model.zone_of.erase(model.zone_of.begin() + 3);
    std::swap(model.triangles[40][0], model.triangles[40][1]);
    const HealthOptions options{.tolerance = 1e-4};
    const std::string expected = essence(examine(model, options));
    EXPECT_NE(expected.find("rims:1"), std::string::npos) << expected;
    EXPECT_NE(expected.find("near_misses"), std::string::npos) << expected;
    std::mt19937 random(5);
    for (int round = 0; round < 10; ++round) {
        Surface other = model;
        const auto order = [&] {
            std::vector<Index> list(other.triangles.size());
            for (Index i = 0; i < list.size(); ++i) list[i] = i;
            std::shuffle(list.begin(), list.end(), random);
            return list;
        }();
        for (Index i = 0; i < order.size(); ++i) other.triangles[i] = model.triangles[order[i]];
        for (Triangle& t : other.triangles)
            std::rotate(t.begin(), t.begin() + static_cast<std::ptrdiff_t>(random() % 3), t.end());
        EXPECT_EQ(essence(examine(other, options)), expected);

        // In two files, each with points of its own.
        Surface a = other, b = other;
        const std::size_t half = random() % other.triangles.size();
        a.triangles.resize(half);
        a.zone_of.resize(half);
        b.triangles.erase(b.triangles.begin(), b.triangles.begin() + static_cast<std::ptrdiff_t>(half));
        b.zone_of.erase(b.zone_of.begin(), b.zone_of.begin() + static_cast<std::ptrdiff_t>(half));
        Surface together = joined({a, b});
        weld(together);
        drop_unused_points(together);
        EXPECT_EQ(essence(examine(together, options)), expected);

        // Turned by quarter turns and moved by powers of two, exactly: even what touches stays so.
        for (Vec3& p : other.points) p = Vec3{p.y, p.z, p.x} + Vec3{4, -2, 8};
        EXPECT_EQ(essence(examine(other, options)), expected);

        // Turned by any angle, with rounding: nothing here is so close to a limit that it mattered.
        std::normal_distribution<double> any;
        const Vec3 u = normalized(Vec3{any(random), any(random), any(random)});
        const Vec3 v = normalized(cross(u, Vec3{any(random), any(random), any(random)})), w = cross(u, v);
        for (Vec3& p : other.points) p = Vec3{dot(p, u), dot(p, v), dot(p, w)} + Vec3{0.3, -0.7, 1.1};
        EXPECT_EQ(essence(examine(other, options)), expected);
    }
}

}  // namespace
}  // namespace anvilcast
