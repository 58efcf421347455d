// Dirty geometry through the whole pipeline: wrapped, with layers, to a mesh that the oracle finds no fault in.
#include <gtest/gtest.h>
#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "kit/damage.hpp"
#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

const LengthUnit kMetres = parse_length_unit("m");

class WrapBuild : public kit::ScratchTest {
  protected:
    Case case_of(const Surface& body, const std::string& rest) const {
        write_stl(directory / "body.stl", body, kMetres);
        return parse_case(
            "[case]\nunit = \"m\"\n[[part]]\nfile = \"body.stl\"\nunit = \"m\"\nsplit_angle = 180\n" + rest,
            directory / "case.toml");
    }
};

const char* const kWithin =
    "[[region]]\nname = \"air\"\ninside = [0.05, 0.02, 0.6]\n[[layers]]\nfirst_height = 0.008\ncount = 3\ngrowth = "
    "1.2\n";

Surface dirty(const Surface& s) {
    return kit::half_turned(kit::overlapping(kit::shaken(kit::with_holes(kit::doubled(s), 500, 5), 0.002, 6), 1.05));
}

/// Nearly all of the walls have their layers.
void expect_layers(const BuildResult& r, double share) {
    ASSERT_FALSE(r.layers.empty());
    double area = 0, full = 0;
    for (const ZoneLayers& zone : r.layers) {
        area += zone.area;
        full += zone.full_area;
    }
    EXPECT_GT(full, share * area);
}

class DirtyBuild : public WrapBuild, public testing::WithParamInterface<std::size_t> {};

TEST_P(DirtyBuild, IsMeshedFromWithinWithLayers) {
    struct Body {
        Surface sound;
        double volume;
        const char* gap;
    };
    const std::vector<Body> bodies{{kit::sphere({0, 0, 0}, 1, 5), 4.16, "0.2"},
                                   {kit::divided(kit::box({-1, -1, -1}, {1, 1, 1}), 5), 8, "0.2"},
                                   {kit::divided(kit::separator_body(96), 2), 0.82, "0.1"}};
    const Body& body = bodies[GetParam()];
    for (const kit::Damage& damage : kit::damages()) {
        SCOPED_TRACE(damage.name);
        const Case c = case_of(damage.to(body.sound),
                               std::string(kWithin) + "[wrap]\ngap = " + body.gap + "\n[sizing]\nsurface = 0.15\n");
        const BuildResult r = build(c);
        ASSERT_TRUE(r.wrapped.has_value());
        EXPECT_NEAR(r.quality.region_volumes[0], body.volume, 0.05 * body.volume);
        EXPECT_NEAR(r.domain_volume, body.volume, 0.04 * body.volume);
        expect_layers(r, 0.85);
    }
}

const char* const kAround =
    "[surround]\nshape = \"box\"\nflow = [1, 0, 0]\nahead = 1\nbehind = 1\naside = 1\nabove = 1\n[wrap]\ngap = 0.1\n"
    "[sizing]\nsurface = 0.12\nlargest = 0.5\n[[layers]]\non = [\"body*\"]\nfirst_height = 0.008\ncount = 2\n"
    "growth = 1.2\n";

TEST_P(DirtyBuild, IsMeshedFromOutsideWithLayers) {
    const std::vector<Surface> bodies{kit::sphere({0, 0, 0}, 0.4, 5),
                                      kit::divided(kit::box({-0.4, -0.4, -0.4}, {0.4, 0.4, 0.4}), 5),
                                      kit::divided(kit::separator_body(96), 2)};
    for (const kit::Damage& damage : kit::damages()) {
        SCOPED_TRACE(damage.name);
        const BuildResult r = build(case_of(damage.to(bodies[GetParam()]), kAround));
        ASSERT_TRUE(r.wrapped.has_value());
        expect_layers(r, 0.85);
    }
}
INSTANTIATE_TEST_SUITE_P(All, DirtyBuild, testing::Range(std::size_t{0}, std::size_t{3}));

/// Sheets that cross each other everywhere, meshed at the size of the gap: the boundary is as rough as one can be. Of
/// its walls those that stand apart have their layers.
class SoupBuild : public WrapBuild, public testing::WithParamInterface<unsigned> {};

TEST_P(SoupBuild, IsMeshedWithLayers) {
    const unsigned seed = GetParam();
    const double size = seed % 3 == 0 ? 0.5 : seed % 3 == 1 ? 0.15 : 0.05, gap = seed % 4 < 2 ? 0.06 : 0.12;
    const BuildResult r = build(case_of(
        kit::soup(seed % 2 == 0 ? 40 : 300, size, seed),
        fmt::format("[surround]\nshape = \"box\"\nflow = [1, 0, 0]\nahead = 0.4\nbehind = 0.4\naside = 0.4\nabove = "
                    "0.4\n[wrap]\ngap = {0}\n[sizing]\nsurface = {0}\nlargest = 0.5\ngrowth = 1.6\n[[layers]]\non = "
                    "[\"body*\", \"bridged\"]\nfirst_height = {1}\ncount = 2\ngrowth = 1.2\n",
                    gap, gap / 15)));
    ASSERT_TRUE(r.wrapped.has_value());
    expect_layers(r, 0.1);
}
INSTANTIATE_TEST_SUITE_P(Some, SoupBuild, testing::Values(2U, 3U, 8U, 10U));

TEST_F(WrapBuild, LooksAtLayersAgainThatChangedWhileOthersFailed) {
    const Surface body = kit::overlapping(kit::divided(kit::separator_body(48), 1), 1.1);
    expect_layers(build(case_of(body, kAround)), 0.85);
}

TEST_F(WrapBuild, PutsAWrappedBodyBesideACleanOneInASurround) {
    write_stl(directory / "post.stl", kit::box({0.6, -0.1, -0.5}, {0.8, 0.1, 0.5}), kMetres);
    const Case c =
        case_of(dirty(kit::sphere({0, 0, 0}, 0.4, 5)),
                "[[part]]\nfile = \"post.stl\"\nunit = \"m\"\n[surround]\nshape = \"box\"\nflow = [1, 0, 0]\n"
                "ahead = 1\nbehind = 1\naside = 1\nabove = 1\n[wrap]\ngap = 0.08\nparts = [\"body\"]\n"
                "[sizing]\nsurface = 0.1\nlargest = 0.5\n[[layers]]\non = [\"body*\", \"post*\"]\n"
                "first_height = 0.01\ncount = 2\ngrowth = 1.2\n");
    const BuildResult r = build(c);
    ASSERT_TRUE(r.wrapped.has_value());
    // The clean one stays exact.
    double post = 0;
    for (std::size_t z = 0; z < r.mesh.zones.size(); ++z)
        if (r.mesh.zones[z].name.starts_with("post")) post += r.quality.zone_areas[z];
    EXPECT_NEAR(post, 2 * 0.04 + 4 * 0.2, 1e-6);  // as good as the file
    const auto summary = nlohmann::json::parse(summary_json(r, c));
    EXPECT_DOUBLE_EQ(summary["wrap"]["gap"].get<double>(), 0.08);
    EXPECT_LT(summary["wrap"]["to_original"]["percentile_99"].get<double>(), 0.08 * 0.15);
}

std::string message_of(const Case& c) {
    try {
        build(c);
    } catch (const Error& e) {
        return e.what();
    }
    return "nothing was thrown";
}

TEST_F(WrapBuild, IsOfferedWhereTheExactWayFails) {
    const Surface body = kit::with_holes(kit::divided(kit::box({-1, -1, -1}, {1, 1, 1}), 5), 60, 1);
    const std::string sizes = "[sizing]\nsurface = 0.2\n";
    const std::string message = message_of(case_of(body, kWithin + sizes));
    const std::size_t at = message.find("[wrap]\n  gap = \"");
    ASSERT_NE(at, std::string::npos) << message;
    // What is offered works.
    const std::string offer = message.substr(at + 9, message.find('\n', at + 9) - at - 9);
    const Plan p = plan(case_of(body, kWithin + sizes + "[wrap]\n" + offer + "\n"));
    ASSERT_TRUE(p.wrapped.has_value());
    EXPECT_NEAR(p.regions[0].volume, 8, 0.05);
}

TEST_F(WrapBuild, SaysWhatIsWrongInTheCaseFile) {
    const Surface body = kit::divided(kit::box({-1, -1, -1}, {1, 1, 1}), 3);
    const std::string sizes = "[sizing]\nsurface = 0.2\n";
    auto expect = [&](const std::string& rest, const char* part) {
        std::string message;
        try {
            message = message_of(case_of(body, rest + sizes));
        } catch (const Error& e) {
            message = e.what();
        }
        EXPECT_NE(message.find(part), std::string::npos) << message;
        EXPECT_NE(message.find("case.toml, line "), std::string::npos) << message;
    };
    expect(std::string(kWithin) + "[wrap]\n", "[wrap] gap is missing");
    expect(std::string(kWithin) + "[wrap]\ngap = 0\n", "must be more than 0");
    expect(std::string(kWithin) + "[wrap]\ngap = 5\n", "as large as the geometry");
    expect(std::string(kWithin) + "[wrap]\ngap = 0.2\nparts = [\"none\"]\n", "fits no part");
    expect(std::string(kWithin) + "[wrap]\ngap = 0.2\n[[wrap.finer]]\ngap = 0.1\n", "does not say where");
    expect(std::string(kWithin) + "[wrap]\ngap = 0.2\n[[wrap.finer]]\ngap = 0.3\nnear = [\"body\"]\n", "not finer");
    expect(std::string(kWithin) + "[wrap]\ngap = 0.2\n[[wrap.finer]]\ngap = 0.1\nnear = [\"roof\"]\n", "fits no zone");
    expect("[[region]]\nname = \"block\"\nsolid_of = \"body\"\n[wrap]\ngap = 0.2\n", "material of a part");
}

}  // namespace
}  // namespace anvilcast
