#include <gtest/gtest.h>
#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/polygon.hpp>
#include <anvilcast/predicates.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <numbers>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

const LengthUnit kMetre = parse_length_unit("m");

std::string message_of(const std::function<void()>& action) {
    try {
        action();
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), Error::Kind::geometry);
        return e.what();
    }
    return "nothing was thrown";
}

double polygon_area(int n, double radius) { return 0.5 * n * radius * radius * std::sin(2 * std::numbers::pi / n); }

TEST(Polygon, TriangulatesWhatIsSimple) {
    // A comb with corners in line, both ways round.
    std::vector<Vec2> comb{{0, 0}, {1, 0}, {2, 0}, {5, 0}, {5, 3}, {4, 3}, {4, 1},
                           {3, 1}, {3, 3}, {2, 3}, {2, 1}, {1, 1}, {1, 3}, {0, 3}};
    for (int way = 0; way < 2; ++way) {
        double area = 0;
        const auto triangles = triangulate_polygon(comb);
        EXPECT_EQ(triangles.size(), comb.size() - 2);
        for (const Triangle& t : triangles) {
            EXPECT_EQ(orient2d(comb[t[0]], comb[t[1]], comb[t[2]]), way == 0 ? 1 : -1);
            area += 0.5 * std::abs((comb[t[1]].x - comb[t[0]].x) * (comb[t[2]].y - comb[t[0]].y) -
                                   (comb[t[1]].y - comb[t[0]].y) * (comb[t[2]].x - comb[t[0]].x));
        }
        EXPECT_DOUBLE_EQ(area, 11);
        std::reverse(comb.begin(), comb.end());
    }
    EXPECT_THROW(triangulate_polygon({{0, 0}, {1, 1}, {1, 0}, {0, 1}}), GeometryError);
    EXPECT_THROW(triangulate_polygon({{0, 0}, {1, 0}, {2, 0}}), GeometryError);
}

TEST(Regions, OfNestedAndTouchingBoxes) {
    // A shell of 1 in a shell of 27; beside it one that shares a face, as two parts that touch would.
    Surface s =
        joined({kit::box({0, 0, 0}, {3, 3, 3}), kit::box({1, 1, 1}, {2, 2, 2}), kit::box({3, 0, 0}, {5, 3, 3})});
    weld(s);
    // The shared face is there twice, in opposite directions: keep one.
    std::vector<Triangle> kept;
    std::vector<Index> zone;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const bool shared =
            s.zone_of[t] == 2 && s.corner(t, 0).x == 3 && s.corner(t, 1).x == 3 && s.corner(t, 2).x == 3;
        if (shared) continue;
        kept.push_back(s.triangles[t]);
        zone.push_back(s.zone_of[t]);
    }
    s.triangles = kept;
    s.zone_of = zone;
    const Regions regions = find_regions(s);
    ASSERT_EQ(regions.volumes.size(), 4U);
    const TriangleTree tree(s.points, s.triangles);
    auto volume_at = [&](const Vec3& p) { return regions.volumes[*region_at(s, tree, regions, p)]; };
    EXPECT_NEAR(volume_at({0.5, 0.5, 0.5}), 26, 1e-12);
    EXPECT_NEAR(volume_at({1.5, 1.5, 1.5}), 1, 1e-12);
    EXPECT_NEAR(volume_at({4, 1, 1}), 18, 1e-12);
    EXPECT_EQ(region_at(s, tree, regions, {-1, 1, 1}), Regions::kOutside);
    EXPECT_EQ(region_at(s, tree, regions, {3, 1.2, 1.7}), std::nullopt);
}

TEST(Regions, AnOpenSheetHasOneSpaceRoundIt) {
    Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    s.triangles.resize(4);
    s.zone_of.resize(4);
    EXPECT_EQ(find_regions(s).volumes.size(), 1U);
}

TEST(Openings, OfAPipeAreItsTwoEnds) {
    const Surface pipe = split_at_sharp_edges(kit::pipe(0.8, 1, 5, 48), 40);
    const auto openings = find_openings(pipe);
    ASSERT_EQ(openings.size(), 2U);
    for (const Opening& o : openings) {
        EXPECT_NEAR(o.area, polygon_area(48, 0.8), 1e-12);
        EXPECT_NEAR(o.hydraulic_diameter(), 1.6, 0.01);
        EXPECT_NEAR(std::abs(o.facing.z), 1, 1e-12);
        EXPECT_NEAR(o.center.z, o.facing.z > 0 ? 5 : 0, 1e-12);
    }
    EXPECT_TRUE(find_openings(split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 1}), 40)).empty());
}

TEST(Openings, OfASkinAreItsFreeRims) {
    Surface skin = kit::cylinder(1, 4, 36);
    // Take the caps away: triangles with all corners at one height.
    std::vector<Triangle> wall;
    for (Index t = 0; t < skin.triangles.size(); ++t)
        if (skin.corner(t, 0).z != skin.corner(t, 1).z || skin.corner(t, 1).z != skin.corner(t, 2).z)
            wall.push_back(skin.triangles[t]);
    skin.triangles = wall;
    skin.zone_of.assign(wall.size(), 0);
    const auto openings = find_openings(skin);
    ASSERT_EQ(openings.size(), 2U);
    EXPECT_TRUE(openings[0].is_free_rim);
    EXPECT_NEAR(extract_region(skin, openings, {0, 0, 2}, kMetre).volume, 4 * polygon_area(36, 1), 1e-12);
}

TEST(Openings, ArePickedByPlaceOrRefused) {
    const auto openings = find_openings(split_at_sharp_edges(kit::pipe(0.8, 1, 5, 48), 40));
    EXPECT_GT(openings[pick_opening(openings, {0.1, 0, 4.9}, kMetre)].facing.z, 0);
    EXPECT_NE(message_of([&] {
                  pick_opening(openings, {0, 0, 2.5}, kMetre);
              }).find("two openings about equally well"),
              std::string::npos);
    EXPECT_NE(message_of([&] {
                  pick_opening(openings, {0, 0, 5000}, kMetre);
              }).find("equally well"),
              std::string::npos);
    EXPECT_NE(message_of([&] {
                  pick_opening({openings[0]}, {0, 0, 500}, kMetre);
              }).find("matches no opening"),
              std::string::npos);
    EXPECT_NE(message_of([&] { pick_opening({}, {0, 0, 0}, kMetre); }).find("no opening was found"), std::string::npos);
}

TEST(ExtractRegion, GivesTheFlowInAPipeAndSaysWhatIsWrongElsewhere) {
    const Surface pipe = split_at_sharp_edges(kit::pipe(0.8, 1, 5, 48), 40);
    auto openings = find_openings(pipe);
    openings[0].zone = {"one", Role::inlet};
    openings[1].zone = {"two", Role::outlet};
    const Domain flow = extract_region(pipe, openings, {0, 0, 2}, kMetre);
    EXPECT_NEAR(flow.volume, 5 * polygon_area(48, 0.8), 1e-12);
    EXPECT_NEAR(examine(flow.boundary).enclosed_volume, flow.volume, 1e-12);  // normals point out of the flow
    EXPECT_TRUE(examine(flow.boundary).is_sound);
    ASSERT_EQ(flow.boundary.zones.size(), 3U);

    const auto leak = message_of([&] { extract_region(pipe, {openings[0]}, {0, 0, 2}, kMetre); });
    EXPECT_NE(leak.find("leaks through"), std::string::npos) << leak;
    EXPECT_NE(leak.find("[[opening]]"), std::string::npos) << leak;
    EXPECT_NE(message_of([&] {
                  extract_region(pipe, openings, {0.9, 0.01, 2}, kMetre);
              }).find("in the material"),
              std::string::npos);
    EXPECT_NE(message_of([&] {
                  extract_region(pipe, openings, {0, 0, 9}, kMetre);
              }).find("outside of everything"),
              std::string::npos);
    EXPECT_NE(message_of([&] { extract_region(pipe, openings, pipe.corner(0, 0), kMetre); }).find("lies on a surface"),
              std::string::npos);

    Surface holed = kit::box({0, 0, 0}, {1, 1, 1});
    holed.triangles.erase(holed.triangles.begin() + 4);
    holed.zone_of.pop_back();
    EXPECT_NE(message_of([&] {
                  extract_region(holed, {}, {2, 2, 2}, kMetre);
              }).find("outside of everything"),
              std::string::npos);
    EXPECT_NE(message_of([&] {
                  extract_region(holed, {}, {0.6, 0.5, 0.5}, kMetre);
              }).find("a free rim at"),
              std::string::npos);
}

}  // namespace
}  // namespace anvilcast
