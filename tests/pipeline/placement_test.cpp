// Parts that stand elsewhere than in their files, several times; and regions that are told by the faces that they are
// at.

#include <gtest/gtest.h>
#include <anvilcast/health.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/stl.hpp>

#include <fmt/format.h>
#include <numbers>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"
#include "pipeline/prepare.hpp"

namespace anvilcast {
namespace {

TEST(Placement, KeepsShapesAndIsExactAtRightAngles) {
    const Placement quarter = Placement::turned({0, 0, 2}, 90, {1, 0, 0});
    EXPECT_EQ(quarter({3, 0, 5}), (Vec3{1, 2, 5}));
    EXPECT_EQ(Placement::turned({0, 0, 1}, -180, {})({3, 1, 5}), (Vec3{-3, -1, 5}));
    const Placement mirror = Placement::mirrored(1, 2);
    EXPECT_EQ(mirror({1, 5, 7}), (Vec3{1, -1, 7}));
    EXPECT_TRUE(mirror.is_mirrored());
    EXPECT_FALSE(after(mirror, Placement::mirrored(0, 0)).is_mirrored());
    // First the one, then the other.
    EXPECT_EQ(after(Placement::moved({1, 0, 0}), Placement::turned({0, 0, 1}, 90, {}))({0, 0, 0}), (Vec3{0, 1, 0}));
    const Placement skew = after(Placement::turned({1, 2, 3}, 31, {4, 5, 6}), mirror);
    const Vec3 p{1, 2, 3}, q{-4, 0.5, 2};
    EXPECT_NEAR(distance(skew(p), skew(q)), distance(p, q), 1e-14);
    const Surface ball = kit::sphere({1, 0, 0}, 0.5, 2);
    EXPECT_NEAR(examine(placed(ball, skew)).enclosed_volume, examine(ball).enclosed_volume, 1e-14);
}

class Copies : public kit::ScratchTest {
  protected:
    void SetUp() override {
        ScratchTest::SetUp();
        const LengthUnit m = parse_length_unit("m");
        write_stl(directory / "drum.stl", kit::box({-10, -10, 0}, {10, 10, 4}, "drum"), m);
        // A fin with unequal sides, so that a mirror image is another one.
        write_stl(directory / "fin.stl", kit::prism({{2, -0.5}, {6, -0.5}, {6, 1.5}}, 2), m);
    }
    Case with(const std::string& placement, const std::string& region = "largest = true") const {
        return parse_case(
            "[case]\nname = \"drum\"\nunit = \"m\"\n[[part]]\nfile = \"drum.stl\"\nunit = \"m\"\n"
            "[[part]]\nfile = \"fin.stl\"\nunit = \"m\"\n" +
                placement + "\n[[region]]\n" + region + "\n[sizing]\nsurface = 1\n",
            directory / "case.toml");
    }
    Domain domain_of(const Case& c) const {
        BuildResult result;
        return prepare_domain(c, result, {});
    }
    std::string refused(const std::string& placement) const {
        return kit::message_of<InputError>([&] { with(placement); });
    }
    static constexpr double kDrum = 20 * 20 * 4, kFin = 8;
};

TEST_F(Copies, StandWhereTheyAreTold) {
    const Case c = with("moved = [0, 0, 1]\ncopies = { count = 6, turned = 60 }");
    ASSERT_EQ(c.parts.size(), 7U);
    EXPECT_EQ(c.parts[1].name, "fin");
    EXPECT_EQ(c.parts[6].name, "fin.6");
    const Domain d = domain_of(c);
    EXPECT_NEAR(d.volume, kDrum - 6 * kFin, 1e-9);
    std::vector<std::string> names;
    for (const Zone& z : d.boundary.zones) names.push_back(z.name);
    EXPECT_TRUE(std::any_of(names.begin(), names.end(), [](const auto& n) { return n.starts_with("fin.4"); }))
        << fmt::format("{}", fmt::join(names, ", "));
    // One by one; each on top of where the part stands.
    const Case listed = with(
        "moved = [0, 0, 1]\ncopies = [{ mirrored = \"x\" }, { turned = 90, axis = [0, 0, 1] }, "
        "{ mirrored = \"z\", mirrored_at = 2, turned = -90 }]");
    const Domain three = domain_of(listed);
    EXPECT_NEAR(three.volume, kDrum - 4 * kFin, 1e-9);
    EXPECT_EQ(three.regions[0].kind, RegionKind::fluid);
}

TEST_F(Copies, TellWhatIsWrong) {
    EXPECT_NE(refused("copies = { count = 3 }").find("line 10: [[part]] copies: a copy stands where"),
              std::string::npos)
        << refused("copies = { count = 3 }");
    EXPECT_NE(refused("copies = { moved = [1, 0, 0] }").find("count is missing"), std::string::npos);
    EXPECT_NE(refused("copies = [3]").find("list of placements"), std::string::npos);
    EXPECT_NE(refused("copies = [{ mirrored = \"w\" }]").find("\"x\", \"y\" or \"z\""), std::string::npos);
    EXPECT_NE(refused("about = [0, 0, 1]").find("need turned"), std::string::npos);
    EXPECT_NE(refused("mirrored_at = 1").find("needs mirrored"), std::string::npos);
    EXPECT_NE(refused("copies = [{ shifted = [0, 0, 1] }]").find("unknown key \"shifted\""), std::string::npos);
    EXPECT_NE(
        refused("copies = { count = 3, turned = 60 }\n[[part]]\nfile = \"fin.stl\"\nunit = \"m\"\nname = \"fin.3\"")
            .find("two parts called \"fin.3\""),
        std::string::npos);
    const std::string fin = "moved = [0, 0, 1]\n";
    EXPECT_NE(kit::message_of<InputError>([&] { with(fin, "largest = true\ninside = [0, 0, 1]"); }).find("one of them"),
              std::string::npos);
    EXPECT_NE(kit::message_of<InputError>([&] {
                  with(fin, "inside = { zone = \"fin\", side = \"up\" }");
              }).find("\"up\" is no side"),
              std::string::npos);
    EXPECT_NE(kit::message_of<InputError>([&] {
                  domain_of(with(fin, "inside = { zone = \"fun*\" }"));
              }).find("no zone or opening is called \"fun*\"; there are"),
              std::string::npos);
    EXPECT_NE(kit::message_of<GeometryError>([&] {
                  domain_of(with(fin, "inside = { zone = \"drum*\" }"));
              }).find("there is only what is outside"),
              std::string::npos);
}

TEST_F(Copies, RegionsAreToldByTheFacesTheyAreAt) {
    const std::string fin = "moved = [0, 0, 1]\n";
    const double flow = kDrum - kFin;
    const std::string fin_zone = "*fin*";
    for (const std::string& inside :
         {std::string("inside = { zone = \"drum*\", side = \"in\" }"),
          "inside = { zone = \"" + fin_zone + "\", side = \"out\" }", "inside = { zone = \"" + fin_zone + "\" }"}) {
        const Case c = with(fin, inside);
        try {
            EXPECT_NEAR(domain_of(c).volume, flow, 1e-9) << inside;
        } catch (const Error& e) {
            ADD_FAILURE() << inside << ": " << e.what();
        }
    }
    const Domain solid = domain_of(with(fin, "kind = \"solid\"\ninside = { zone = \"*fin*\", side = \"in\" }"));
    EXPECT_NEAR(solid.volume, kFin, 1e-9);
}

}  // namespace
}  // namespace anvilcast
