#include <gtest/gtest.h>
#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/first_case.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

using Where = FirstCaseOptions::Where;

class FirstCaseOf : public kit::ScratchTest {
  protected:
    std::filesystem::path written(const std::string& name, const Surface& s, const std::string& unit) const {
        write_surface(directory / name, s, parse_length_unit(unit));
        return directory / name;
    }
    FirstCase of(const std::vector<std::filesystem::path>& files, FirstCaseOptions options = {}) const {
        options.cells = std::min(options.cells, 2e4);
        return first_case(files, directory / "case.toml", options);
    }
    Case parsed(const FirstCase& first) const { return parse_case(first.text, directory / "case.toml"); }
    static bool mentions(const FirstCase& first, const std::string& what) {
        return std::any_of(first.guesses.begin(), first.guesses.end(),
                           [&](const std::string& g) { return g.find(what) != std::string::npos; });
    }
};

Surface scaled(Surface s, double factor) {
    for (Vec3& p : s.points) p = p * factor;
    return s;
}

TEST_F(FirstCaseOf, ATubeIsTheFlowThroughIt) {
    const auto file = written("tube.stl", scaled(kit::pipe(0.8, 1, 5, 40), 0.02), "mm");
    const FirstCase first = of({file}, {.speed = 12});
    EXPECT_FALSE(first.is_around);
    EXPECT_EQ(first.n_openings, 2U);
    EXPECT_TRUE(first.has_layers);
    EXPECT_TRUE(mentions(first, "taken for mm"));
    const Case c = parsed(first);
    EXPECT_EQ(c.unit.name, "mm");
    ASSERT_EQ(c.openings.size(), 2U);
    EXPECT_EQ(c.join, 0);
    const BuildResult made = build(c);
    EXPECT_NEAR(static_cast<double>(made.mesh.n_cells()) / first.cells, 1, 0.3);
    EXPECT_LE(first.cells, 2e4);
    // The same in metres, which small numbers are taken for.
    EXPECT_EQ(parsed(of({written("tube-m.stl", kit::pipe(0.8, 1, 5, 40), "m")})).unit.name, "m");
    EXPECT_EQ(parsed(of({written("tube-in.stl", kit::pipe(0.8, 1, 5, 40), "in")}, {.unit = parse_length_unit("in")}))
                  .unit.name,
              "in");
}

TEST_F(FirstCaseOf, ABodyIsTheFlowRoundItUnlessItIsTheFluid) {
    const auto file = written("block.stl", kit::box({0, 0, 0}, {2, 1, 1}), "m");
    const FirstCase around = of({file});
    EXPECT_TRUE(around.is_around);
    EXPECT_FALSE(around.has_layers);
    EXPECT_TRUE(mentions(around, "--inside"));
    EXPECT_TRUE(parsed(around).surround.has_value());
    const FirstCase inside = of({file}, {.where = Where::inside});
    EXPECT_FALSE(inside.is_around);
    EXPECT_NEAR(build(parsed(inside)).domain_volume, 2, 1e-9);
    // One that holds another is the skin of a fluid, and so is one with an inlet.
    const auto core = written("core.stl", kit::box({0.5, 0.3, 0.3}, {0.8, 0.6, 0.6}), "m");
    EXPECT_NEAR(build(parsed(of({file, core}))).domain_volume, 2 - 0.027, 1e-7);
    Surface named = kit::box({0, 0, 0}, {2, 1, 1});
    named.zones.push_back({"inlet"});
    named.zone_of[0] = named.zone_of[1] = 1;
    EXPECT_FALSE(of({written("named.obj", named, "m")}).is_around);
}

TEST_F(FirstCaseOf, HalvesWithASeamAreJoined) {
    std::vector<std::filesystem::path> files;
    for (int k = 0; k < 2; ++k) {
        // A trough, and the same upside down on it, a hair apart.
        Surface trough = kit::prism({{0, 0}, {10, 0}, {10, 5}, {8, 5}, {8, 2}, {2, 2}, {2, 5}, {0, 5}}, 40);
        for (Vec3& p : trough.points)
            if (k == 1) p = Vec3{10 - p.x, 10.01 - p.y, p.z};
        files.push_back(written("half-" + std::to_string(k) + ".obj", scaled(trough, 1e-3), "mm"));
    }
    const FirstCase first = of(files);
    EXPECT_EQ(first.n_openings, 2U);
    const Case c = parsed(first);
    EXPECT_GT(c.join, 1e-5);
    EXPECT_NEAR(build(c).domain_volume, 6e-3 * 6.01e-3 * 40e-3, 2e-3 * 6e-3 * 6e-3 * 40e-3);
}

TEST_F(FirstCaseOf, WhatCannotBeIsSaid) {
    Surface sheet = kit::box({0, 0, 0}, {1, 1, 1});
    sheet.triangles.resize(2);
    sheet.zone_of.resize(2);
    const auto file = written("sheet.stl", sheet, "m");
    EXPECT_NE(kit::message_of<Error>([&] { of({file}, {.where = Where::inside}); }).find("enclose nothing"),
              std::string::npos);
    EXPECT_THROW(of({}), InputError);
    EXPECT_THROW(of({file}, {.speed = -1}), InputError);
    put(directory / "there.toml", "mine");
    EXPECT_THROW(write_first_case(directory / "there.toml", {}), InputError);
    EXPECT_EQ(content(directory / "there.toml"), "mine");
    FirstCase fresh;
    fresh.text = "new";
    write_first_case(directory / "there.toml", fresh, true);
    EXPECT_EQ(content(directory / "there.toml"), "new");
}

}  // namespace
}  // namespace anvilcast
