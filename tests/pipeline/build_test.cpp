// The stages in order through the library, without the tool: zone rules, openings that are none, several parts.

#include <gtest/gtest.h>
#include <anvilcast/anvilcast.hpp>

#include <filesystem>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;
const LengthUnit kMm = parse_length_unit("mm");

class Build : public kit::ScratchTest {
  protected:
    Case made(const std::string& body) const {
        return parse_case("[case]\nunit = \"mm\"\n" + body, directory / "case.toml");
    }
    static std::vector<std::string> names(const VolumeMesh& mesh) {
        std::vector<std::string> out;
        for (const BoundaryZone& z : mesh.zones) out.push_back(z.name);
        std::sort(out.begin(), out.end());
        return out;
    }
};

TEST_F(Build, FillsBetweenABodyAndWhatIsInIt) {
    // A closed box with a ball inside, in two files: the space between is one region, the ball another.
    write_stl(directory / "hull.stl", kit::box({0, 0, 0}, {0.1, 0.1, 0.1}), kMm);
    write_stl(directory / "ball.stl", kit::sphere({0.05, 0.05, 0.05}, 0.025, 4), kMm);
    const std::string parts =
        "[[part]]\nfile = \"hull.stl\"\nunit = \"mm\"\n[[part]]\nfile = \"ball.stl\"\nunit = \"mm\"\n";
    const BuildResult between = build(made(parts + "[[region]]\ninside = [10, 10, 10]\n[sizing]\nsurface = 8\n"));
    EXPECT_EQ(names(between.mesh),
              (std::vector<std::string>{"ball", "hull-1", "hull-2", "hull-3", "hull-4", "hull-5", "hull-6"}));
    EXPECT_NEAR(between.quality.volume, 1e-3 - 4.0 / 3 * M_PI * std::pow(0.025, 3), 4e-6);  // chords of 8 mm
    const BuildResult ball =
        build(made(parts + "[[region]]\nkind = \"solid\"\ninside = [50, 50, 50]\n[sizing]\nsurface = 5\n"));
    EXPECT_EQ(names(ball.mesh), std::vector<std::string>{"ball"});
    EXPECT_EQ(ball.mesh.regions[0].kind, RegionKind::solid);
}

TEST_F(Build, NamesZonesByTheFirstRuleThatFits) {
    write_stl(directory / "hull.stl", kit::box({0, 0, 0}, {0.1, 0.1, 0.2}), kMm);
    const Case c = made(R"([[part]]
file = "hull.stl"
unit = "mm"
[[zone]]
name = "floor"
near = [50, 50, 0]
[[zone]]
name = "sky"
role = "symmetry"
inside_box = [[-1, -1, 199], [101, 101, 201]]
[[zone]]
name = "sides"
matches = "hull-*"
[[region]]
inside = [50, 50, 100]
[sizing]
surface = 30
)");
    const BuildResult result = build(c);
    EXPECT_EQ(names(result.mesh), (std::vector<std::string>{"floor", "sides", "sky"}));
    for (const BoundaryZone& z : result.mesh.zones) EXPECT_EQ(z.role, z.name == "sky" ? Role::symmetry : Role::wall);
    EXPECT_EQ(result.warnings.size(), 0U);
    EXPECT_EQ(result.guessed_roles.size(), 2U);  // walls, as nobody said otherwise
    EXPECT_NEAR(result.quality.zone_areas[0] + result.quality.zone_areas[1] + result.quality.zone_areas[2], 0.1, 1e-9);
}

TEST_F(Build, MendsPartsOnTheWayIn) {
    // A hull in two files that do not quite meet, with a hole and some triangles turned.
    const Surface hull = kit::box({0, 0, 0}, {0.1, 0.1, 0.1});
    Surface lower = hull, upper = hull;
    auto keep = [](Surface& s, auto wanted) {
        Surface out = s;
        out.triangles.clear();
        for (const Triangle& t : s.triangles)
            if (wanted(t)) out.triangles.push_back(t);
        out.zone_of.assign(out.triangles.size(), 0);
        s = out;
    };
    auto level = [&](const Triangle& t, double z) {
        return std::all_of(t.begin(), t.end(), [&](Index p) { return hull.points[p].z == z; });
    };
    keep(lower, [&](const Triangle& t) { return level(t, 0); });
    keep(upper, [&](const Triangle& t) { return !level(t, 0) && !level(t, 0.1); });
    for (Vec3& p : lower.points) p += Vec3{2e-6, 1e-6, -1e-6};
    std::swap(upper.triangles[0][0], upper.triangles[0][1]);
    write_stl(directory / "lower.stl", lower, kMm);
    write_stl(directory / "upper.stl", upper, kMm);
    const std::string parts =
        "[[part]]\nfile = \"lower.stl\"\nunit = \"mm\"\n[[part]]\nfile = \"upper.stl\"\nunit = \"mm\"\n"
        "[[region]]\ninside = [50, 50, 50]\n[sizing]\nsurface = 30\n";
    EXPECT_THROW(build(made(parts)), GeometryError);
    const BuildResult result = build(made(parts + "[mend]\nstitch = 0.01\nclose_rims = 200\n"));
    EXPECT_NEAR(result.quality.volume, 1e-3, 1e-7);
    ASSERT_EQ(result.mendings.size(), 3U);
    EXPECT_EQ(result.mendings[0].what, "points joined along cracks");
    EXPECT_LT(result.mendings[0].largest_move, 1e-5);
    EXPECT_NE(summary_json(result, made(parts)).find("rims closed"), std::string::npos);
}

TEST_F(Build, TheCyclonesInnerPipeEndIsNoOpening) {
    const Surface shell =
        split_at_sharp_edges(read_stl(fs::path(ANVILCAST_DEMO) / "dust-cyclone/cyclone-shell.stl", kMm), 40);
    const auto openings = find_openings(shell);
    ASSERT_EQ(openings.size(), 3U);
    for (const Opening& o : openings)
        EXPECT_GT(std::abs(o.center.z - 0.410), 0.05);  // the finder's lower end is at 410
    // A rod through the outlet: its patch would cut the rod, so it cannot be closed by a plain patch.
    Surface rod = kit::box({-0.005, -0.005, 0.3}, {0.005, 0.005, 0.7}, "rod");
    const Surface with_rod = joined({shell, rod});
    for (const Opening& o : find_openings(with_rod)) EXPECT_LT(o.center.z, 0.6);
}

TEST_F(Build, LeavesNothingBehindWhenStoppedAnywhere) {
    write_stl(directory / "ball.stl", kit::sphere({0.05, 0.05, 0.05}, 0.025, 4), kMm);
    const Case c = made(
        "[[part]]\nfile = \"ball.stl\"\nunit = \"mm\"\n[[region]]\ninside = [50, 50, 50]\n[sizing]\nsurface = 4\n");
    // Stop at the n-th report, for n = 1, 2, ... until the build gets through.
    int reports = 0;
    for (int n = 1;; ++n) {
        std::atomic<bool> stop{false};
        Context context;
        context.stop = &stop;
        int seen = 0;
        context.on_progress = [&](const Progress& p) {
            EXPECT_GE(p.fraction, 0);
            EXPECT_LE(p.fraction, 1.0 + 1e-9);
            if (++seen == n) stop = true;
        };
        try {
            const BuildResult result = build(c, context);
            EXPECT_TRUE(find_faults(result.mesh).empty());
            reports = n;
            break;
        } catch (const Cancelled& e) {
            EXPECT_EQ(e.kind(), Error::Kind::cancelled);
        }
        ASSERT_LT(n, 200);
    }
    EXPECT_GT(reports, 15);
}

TEST_F(Build, ScalesAndTurnsWithTheBody) {
    // The same body in other units: the same numbers of cells, quality to rounding.
    write_stl(directory / "ball.stl", kit::sphere({0, 0, 0}, 0.03125, 4), kMm);
    const std::string rest = "[[region]]\ninside = [0, 0, 0]\n[sizing]\nsurface = 8\n";
    const BuildResult mm = build(made("[[part]]\nfile = \"ball.stl\"\nunit = \"mm\"\n" + rest));
    Case metres = made(
        "[[part]]\nfile = \"ball.stl\"\nunit = \"m\"\n[[region]]\ninside = [0, 0, 0]\n[sizing]\nsurface = \"8 m\"\n");
    const BuildResult m = build(metres);
    EXPECT_NEAR(static_cast<double>(m.mesh.n_cells()), static_cast<double>(mm.mesh.n_cells()),
                0.05 * static_cast<double>(mm.mesh.n_cells()));
    EXPECT_NEAR(m.quality.volume / mm.quality.volume, 1e9, 1e7);
}

TEST_F(Build, GetsTheSameZonesFromCadAndFromTriangles) {
    if (!can_read_cad()) GTEST_SKIP() << "built without CAD";
    std::vector<std::map<std::string, double>> areas;
    for (const char* file : {"case.toml", "from-cad.toml"}) {
        Case c = read_case(fs::path(ANVILCAST_DEMO) / "dust-cyclone" / file);
        c.sizing.surface = c.sizing.largest = 0.015;
        const BuildResult result = build(c);
        std::map<std::string, double>& list = areas.emplace_back();
        for (std::size_t z = 0; z < result.mesh.zones.size(); ++z)
            list[result.mesh.zones[z].name] = result.quality.zone_areas[z];
    }
    ASSERT_EQ(areas[0].size(), 9U);
    for (const auto& [name, area] : areas[0]) {
        ASSERT_TRUE(areas[1].contains(name)) << name;
        EXPECT_NEAR(areas[1][name], area, 0.035 * area) << name;  // coarse chords of small circles
    }
    EXPECT_EQ(areas[1].size(), areas[0].size());
}

}  // namespace
}  // namespace anvilcast
