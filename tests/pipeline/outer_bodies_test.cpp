// Bodies outside of the flow cost nothing, unless they matter.

#include <gtest/gtest.h>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/weld.hpp>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"
#include "pipeline/outer_bodies.hpp"
#include "pipeline/prepare.hpp"

namespace anvilcast {
namespace {

class Bolts : public kit::ScratchTest {
  protected:
    /// A tub of walls half a unit thick, whose lid has nine holes of radius 0.3, and cylinders over these.
    Case tub(double radius, double low, double high, const std::string& region = "inside = [1, 1, -1.5]") const {
        const LengthUnit m = parse_length_unit("m");
        Surface lid = kit::plate_with_holes(3, 0.5);
        const Surface pan =
            joined({kit::box({-0.5, -0.5, -2.5}, {3.5, 3.5, -2}), kit::box({-0.5, -0.5, -2.2}, {0, 3.5, 0.5}),
                    kit::box({3, -0.5, -2.2}, {3.5, 3.5, 0.5}), kit::box({-0.2, -0.5, -2.2}, {3.2, 0, 0.5}),
                    kit::box({-0.2, 3, -2.2}, {3.2, 3.5, 0.5})});
        write_stl(directory / "lid.stl", lid, m);
        write_stl(directory / "pan.stl", pan, m);
        std::vector<Surface> bolts;
        for (int k = 0; k < 9; ++k)
            bolts.push_back(
                placed(kit::cylinder(radius, high - low, 12), Placement::moved({k % 3 + 0.5, k / 3 + 0.5, low})));
        write_stl(directory / "bolts.stl", joined(bolts), m);
        std::string text = "[case]\nunit = \"m\"\n";
        for (const char* file : {"lid", "pan", "bolts"})
            text += std::string("[[part]]\nfile = \"") + file + ".stl\"\nunit = \"m\"\n";
        return parse_case(text + "[[region]]\n" + region + "\n[sizing]\nsurface = 1\n", directory / "case.toml");
    }
    /// How many bodies are left out at first.
    std::size_t left_out(const Case& c) const {
        const LoadedParts parts = load_parts(c);
        return OuterBodies(parts.surface, parts.part_of, c).cells().size();
    }
    static constexpr double kInside = 3.0 * 3 * 2;
};

TEST_F(Bolts, ThatLieOutsideAreLeftOut) {
    // Heads on the lid, which is closed by a plate below it.
    Case c = tub(0.2, 0.4, 0.9);
    write_stl(directory / "lid.stl", kit::box({0, 0, 0}, {3, 3, 0.5}), parse_length_unit("m"));
    EXPECT_EQ(left_out(c), 9U);
    BuildResult result;
    const Domain d = prepare_domain(c, result, {});
    EXPECT_NEAR(d.volume, kInside, 1e-6);
    EXPECT_EQ(d.boundary.triangles.size(), d.sides.size());
    EXPECT_EQ(std::count_if(result.left_out.begin(), result.left_out.end(),
                            [](const SpaceCell& cell) { return cell.inside_of == std::vector<std::string>{"bolts"}; }),
              9);
}

TEST_F(Bolts, ThatPlugHolesStay) {
    // As wide as the holes and more: the flow is closed by them alone.
    const Case c = tub(0.4, 0.1, 0.9);
    EXPECT_EQ(left_out(c), 9U);
    BuildResult result;
    const Domain d = prepare_domain(c, result, {});
    const double hole = 16 * 0.5 * 0.3 * 0.3 * std::sin(2 * 3.14159265358979 / 16);
    EXPECT_NEAR(d.volume, kInside + 9 * 0.1 * hole, 1e-6);
}

TEST_F(Bolts, ThatReachIntoTheFlowStay) {
    Case c = tub(0.2, -0.25, 0.9);
    write_stl(directory / "lid.stl", kit::box({0, 0, 0}, {3, 3, 0.5}), parse_length_unit("m"));
    EXPECT_EQ(left_out(c), 9U);
    BuildResult result;
    const Domain d = prepare_domain(c, result, {});
    const double shank = 12 * 0.5 * 0.2 * 0.2 * std::sin(2 * 3.14159265358979 / 12);
    EXPECT_NEAR(d.volume, kInside - 9 * 0.25 * shank, 1e-6);
}

TEST_F(Bolts, AreNotLeftOutWhereTheCaseSpeaksOfThem) {
    EXPECT_EQ(left_out(tub(0.2, 0.4, 0.9, "largest = true")), 0U);
    EXPECT_EQ(left_out(tub(0.2, 0.4, 0.9, "solid_of = \"bolts\"")), 0U);
}

}  // namespace
}  // namespace anvilcast
