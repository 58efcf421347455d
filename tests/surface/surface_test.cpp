#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <numbers>
#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

TEST(Examine, MeasuresASoundBox) {
    const SurfaceHealth h = examine(kit::box({-1, 0, 2}, {1, 3, 6}));
    EXPECT_TRUE(h.is_closed);
    EXPECT_TRUE(h.is_sound);
    EXPECT_DOUBLE_EQ(h.enclosed_volume, 24);
    EXPECT_DOUBLE_EQ(h.area, 2 * (2 * 3 + 3 * 4 + 2 * 4));
    EXPECT_EQ(h.n_triangles, 12U);
    EXPECT_EQ(h.shells.size(), 1U);
    EXPECT_EQ(h.bounds.extent(), (Vec3{2, 3, 4}));
    EXPECT_LT(examine(kit::flipped(kit::box({0, 0, 0}, {1, 1, 1}))).enclosed_volume, 0);
}

TEST(Weld, MergesEqualAndNearPoints) {
    Surface soup;
    const Surface box = kit::box({0, 0, 0}, {1, 1, 1});
    soup.zones = box.zones;
    std::mt19937 random(1);
    std::uniform_real_distribution<double> noise(-1e-6, 1e-6);
    for (Index t = 0; t < 12; ++t) {
        const auto first = static_cast<Index>(soup.points.size());
        for (int k = 0; k < 3; ++k)
            soup.points.push_back(box.corner(t, k) + Vec3{noise(random), noise(random), noise(random)});
        soup.triangles.push_back({first, first + 1, first + 2});
        soup.zone_of.push_back(0);
    }
    Surface exact = soup;
    EXPECT_EQ(weld(exact).points_merged, 0U);
    const WeldResult result = weld(soup, 1e-5);
    EXPECT_EQ(result.points_merged, 28U);
    EXPECT_LT(result.largest_move, 1e-5);
    EXPECT_GT(result.largest_move, 0);
    EXPECT_TRUE(examine(soup).is_sound);
    EXPECT_EQ(weld(soup, 1e-5).points_merged, 0U);  // a second time changes nothing
    EXPECT_THROW(weld(soup, -1), InputError);
    Surface collapsed = kit::box({0, 0, 0}, {1, 1, 1e-9});
    EXPECT_EQ(weld(collapsed, 1e-6).triangles_dropped, 8U);
}

TEST(Split, DividesAtSharpEdges) {
    const Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 3}), 40);
    ASSERT_EQ(box.zones.size(), 6U);
    EXPECT_EQ(box.zones[0].name, "box-1");
    const SurfaceHealth h = examine(box);
    EXPECT_DOUBLE_EQ(h.zones[0].area, 6);  // the largest first
    EXPECT_DOUBLE_EQ(h.zones[5].area, 2);
    EXPECT_EQ(split_at_sharp_edges(kit::sphere({0, 0, 0}, 1, 3), 40).zones.size(), 1U);
    EXPECT_EQ(split_at_sharp_edges(kit::sphere({0, 0, 0}, 1, 3), 40).zones[0].name, "ball");
    EXPECT_EQ(split_at_sharp_edges(kit::cylinder(1, 2, 36), 40).zones.size(), 3U);
}

TEST(Units, ReadLengthsAsPeopleWriteThem) {
    const LengthUnit mm = parse_length_unit("mm");
    EXPECT_DOUBLE_EQ(parse_length("12", mm), 0.012);
    EXPECT_DOUBLE_EQ(parse_length(" 2.5 in ", mm), 0.0635);
    EXPECT_DOUBLE_EQ(parse_length("-3um", mm), -3e-6);
    for (const char* bad : {"", "mm", "12 parsec", "1e999", "nan", "1 2"})
        EXPECT_THROW(parse_length(bad, mm), InputError) << bad;
    EXPECT_EQ(format_length(0.64, mm), "640 mm");
    EXPECT_EQ(format_length(-123.4567, mm), "-123 500 mm");
    EXPECT_EQ(format_length(4.163e-7, mm), "0.0004163 mm");
    EXPECT_EQ(format_area(0.27091, mm), "270 900 mm\xC2\xB2");
    EXPECT_EQ(format_volume(1, parse_length_unit("um")), "1e+18 um\xC2\xB3");
    EXPECT_THROW(parse_role("inflow"), InputError);
    EXPECT_EQ(parse_role("interface").role, Role::interface_);
    const BoundaryRole hot = parse_role("BC:BCWallViscousIsothermal");
    EXPECT_EQ(hot.role, Role::wall);
    EXPECT_EQ(hot.bc_type, "BCWallViscousIsothermal");
    EXPECT_EQ(parse_role(role_text(hot)), hot);
    EXPECT_THROW(parse_role("BC:BCWarmWall"), InputError);
}

}  // namespace
}  // namespace anvilcast
