#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/flow.hpp>
#include <anvilcast/layer_stack.hpp>
#include <anvilcast/units.hpp>

#include <cmath>

#include "kit/scratch.hpp"

namespace anvilcast {
namespace {

TEST(Flow, FluidsHaveTheirTableValues) {
    const Fluid air = fluid_by_name("air", 293.15);
    EXPECT_NEAR(air.density, 1.204, 0.001);
    EXPECT_NEAR(air.viscosity, 1.813e-5, 0.01e-5);
    const Fluid water = fluid_by_name("water", 293.15);
    EXPECT_NEAR(water.density, 998.2, 0.1);
    EXPECT_NEAR(water.viscosity, 1.002e-3, 0.02e-3);
    EXPECT_NEAR(fluid_by_name("water", 333.15).density, 983.2, 0.1);
    EXPECT_THROW(fluid_by_name("water", 263), InputError);
    EXPECT_THROW(fluid_by_name("honey", 293), InputError);
}

TEST(Flow, SkinFrictionFollowsTheNamedCorrelations) {
    // A Reynolds number of 1e5: laminar, Cf = 0.664 / sqrt(Re).
    const WallEstimate laminar = estimate_wall({10, {"x", 1, 1e-5}, 0.1, WallKind::plate});
    EXPECT_DOUBLE_EQ(laminar.reynolds, 1e5);
    EXPECT_NEAR(laminar.skin_friction, 0.664 / std::sqrt(1e5), 1e-12);
    EXPECT_FALSE(laminar.is_turbulent);
    // 1e7: (2 * 7 - 0.65)^-2.3, boundary layer 0.16 L / Re^(1/7).
    const WallEstimate plate = estimate_wall({100, {"x", 1, 1e-5}, 1, WallKind::plate});
    EXPECT_NEAR(plate.skin_friction, std::pow(13.35, -2.3), 1e-12);
    EXPECT_NEAR(plate.layer_thickness, 0.16 / std::pow(1e7, 1.0 / 7), 1e-12);
    EXPECT_NEAR(plate.friction_velocity, 100 * std::sqrt(plate.skin_friction / 2), 1e-12);
    // y+ of 1 at the viscous length; the first cell's center is at half its height.
    EXPECT_NEAR(plate.viscous_length * plate.friction_velocity / 1e-5, 1, 1e-12);
    EXPECT_NEAR(first_height(plate, 30, YPlusAt::cell_center), 2 * first_height(plate, 30, YPlusAt::cell_top), 1e-18);
    // Laminar pipe: 16 / Re; the shear follows from the pressure drop 32 mu U L / D^2.
    const WallEstimate pipe = estimate_wall({1, {"x", 1, 1e-3}, 1, WallKind::pipe});
    EXPECT_NEAR(pipe.skin_friction, 16.0 / 1000, 1e-12);
    EXPECT_NEAR(pipe.layer_thickness, 0.5, 1e-12);
    // Petukhov at 1e5: a Darcy factor of 0.0180.
    EXPECT_NEAR(4 * estimate_wall({1, {"x", 1, 1e-5}, 1, WallKind::pipe}).skin_friction, 0.0180, 1e-4);
    EXPECT_FALSE(estimate_wall({1e5, {"x", 1, 1e-5}, 1, WallKind::plate}).warnings.empty());
    EXPECT_THROW(estimate_wall({0, {"x", 1, 1e-5}, 1, WallKind::plate}), InputError);
    EXPECT_THROW(estimate_wall({1, {"x", 1, std::nan("")}, 1, WallKind::plate}), InputError);
}

TEST(LayerStack, EveryThreeConditionsGiveTheSameStack) {
    // first 1, growth 1.25, 6 layers: last 1.25^5, together (1.25^6 - 1) / 0.25; millimetres.
    const double last = std::pow(1.25, 5) * 1e-3, total = (std::pow(1.25, 6) - 1) / 0.25 * 1e-3;
    struct Given {
        bool first, count, growth, total, last;
    };
    int tried = 0;
    for (int bits = 0; bits < 32; ++bits) {
        const Given g{(bits & 1) != 0, (bits & 2) != 0, (bits & 4) != 0, (bits & 8) != 0, (bits & 16) != 0};
        if (g.first + g.count + g.growth + g.total + g.last != 3) continue;
        LayerRecipe r;
        if (g.first) r.first_height = 1e-3;
        if (g.count) r.count = 6;
        if (g.growth) r.growth = 1.25;
        if (g.total) r.total_height = total;
        if (g.last) r.last_height = last;
        const LayerStack s = solve_stack(r, 0.01);
        EXPECT_EQ(s.count, 6) << bits;
        EXPECT_NEAR(s.first, 1e-3, 1e-9) << bits;
        EXPECT_NEAR(s.growth, 1.25, 1e-6) << bits;
        EXPECT_NEAR(s.total, total, 1e-9) << bits;
        EXPECT_NEAR(s.last, last, 1e-9) << bits;
        EXPECT_NEAR(s.step_to_core, kCoreHeight * 0.01 / s.last, 1e-9);
        ++tried;
    }
    EXPECT_EQ(tried, 10);
}

TEST(LayerStack, RoundsTheCountAndLetsTheGrowthGiveWay) {
    LayerRecipe r;
    r.first_height = 1e-4;
    r.growth = 1.2;
    r.meets_core = 0.8;
    const LayerStack s = solve_stack(r, 0.004);
    EXPECT_NEAR(s.last, 0.8 * kCoreHeight * 0.004, 1e-12);
    EXPECT_NEAR(s.step_to_core, 1 / 0.8, 1e-9);
    EXPECT_NEAR(s.growth, 1.2, 0.02);
    LayerRecipe by_flatness;
    by_flatness.first_flatness = 20;
    by_flatness.last_flatness = 2;
    by_flatness.count = 8;
    EXPECT_NEAR(solve_stack(by_flatness, 0.004).first, 0.004 / 20, 1e-12);
    EXPECT_EQ(layers_to_reach(1, 1, 5), 5);
    EXPECT_EQ(layers_to_reach(1, 2, 7), 3);
    EXPECT_EQ(layers_to_grow(1, 2, 8), 4);
}

TEST(LayerStack, TellsWhatToLeaveOutOrAdd) {
    auto told = [](const LayerRecipe& r) { return kit::message_of<InputError>([&] { solve_stack(r, 0.01); }); };
    EXPECT_NE(told({.first_height = 1e-3}).find("add two of"), std::string::npos) << told({.first_height = 1e-3});
    EXPECT_NE(told({.first_height = 1e-3, .count = 3, .growth = 1.2, .total_height = 1}).find("leave one out"),
              std::string::npos);
    EXPECT_NE(told({.first_height = 1e-3, .first_flatness = 3, .count = 3, .growth = 1.2}).find("first_flatness"),
              std::string::npos);
    EXPECT_NE(told({.y_plus = 1, .count = 3, .growth = 1.2}).find("[flow]"), std::string::npos);
    EXPECT_NE(told({.first_height = 1e-3, .count = 5, .total_height = 4e-3}).find("no growing layers"),
              std::string::npos);
    EXPECT_NE(told({.first_height = 1e-3, .count = 0, .growth = 1.2}).find("number of layers"), std::string::npos);
    EXPECT_NE(told({.first_height = -1, .count = 2, .growth = 1.2}).find("positive"), std::string::npos);
    // All ten combinations of small random values end with a stack that fulfils what it says, or with a reason.
    unsigned state = 5;
    auto random = [&state] { return state = state * 1664525U + 1013904223U, 0.05 + (state >> 8U) % 1000 / 250.0; };
    for (int i = 0; i < 3000; ++i) {
        LayerRecipe r;
        const int skip = i % 10;
        const std::array<std::array<int, 3>, 10> three{{{0, 1, 2},
                                                        {0, 1, 3},
                                                        {0, 1, 4},
                                                        {0, 2, 3},
                                                        {0, 2, 4},
                                                        {0, 3, 4},
                                                        {1, 2, 3},
                                                        {1, 2, 4},
                                                        {1, 3, 4},
                                                        {2, 3, 4}}};
        for (const int k : three[static_cast<std::size_t>(skip)]) {
            if (k == 0) r.first_height = random();
            if (k == 1) r.count = 1 + static_cast<int>(3 * random());
            if (k == 2) r.growth = 1 + 0.2 * random();
            if (k == 3) r.total_height = 4 * random();
            if (k == 4) r.last_height = 2 * random();
        }
        try {
            const LayerStack s = solve_stack(r, 1);
            ASSERT_TRUE(s.count >= 1 && s.first > 0 && s.growth >= 1 - 1e-9 && std::isfinite(s.total)) << i;
            if (r.first_height && !r.total_height && !r.last_height) {
                ASSERT_NEAR(s.first, *r.first_height, 1e-9);
            }
            if (r.count) {
                ASSERT_EQ(s.count, *r.count);
            }
        } catch (const InputError&) {
        }
    }
}

TEST(Units, ReadSpeedsAndTemperatures) {
    EXPECT_NEAR(parse_speed("72 km/h"), 20, 1e-12);
    EXPECT_NEAR(parse_speed("18"), 18, 1e-12);
    EXPECT_NEAR(parse_temperature("20"), 293.15, 1e-12);
    EXPECT_NEAR(parse_temperature("300 K"), 300, 1e-12);
    EXPECT_THROW(parse_speed("9 knots"), InputError);
    EXPECT_THROW(parse_temperature("70 F"), InputError);
}

}  // namespace
}  // namespace anvilcast
