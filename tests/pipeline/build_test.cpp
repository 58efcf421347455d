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

TEST_F(Build, TellsOfCubesBeforeAndAfter) {
    write_stl(directory / "hull.stl", kit::box({0, 0, 0}, {0.1, 0.1, 0.1}), kMm);
    const std::string part = "[[part]]\nfile = \"hull.stl\"\nunit = \"mm\"\n[[region]]\ninside = [50, 50, 50]\n";
    const Case c = made(part + "[sizing]\nsurface = 3\nlargest = 3\n[fill]\ncore = \"cubes\"\n");
    const Plan before = plan(c);
    const BuildResult result = build(c);
    const auto n = static_cast<double>(result.mesh.n_cells());
    ASSERT_TRUE(before.cubes.has_value());
    EXPECT_NEAR(before.total_cells(), n, 0.15 * n);
    EXPECT_GT(before.cubes->cells_alone, 1.5 * n);
    EXPECT_NEAR(before.cubes->whole, static_cast<double>(result.fill.cubes), 0.05 * before.cubes->whole);
    EXPECT_NE(plan_text(before, c).find(" of 3.125 mm, which are "), std::string::npos) << plan_text(before, c);
    EXPECT_NE(build_text(result, c, "out", false).find(" whole cubes; "), std::string::npos);
    EXPECT_TRUE(result.warnings.empty()) << result.warnings.front();
    // Where there is no room for them the plan says so.
    const Plan thin = plan(made(part + "[sizing]\nsurface = 40\n[fill]\ncore = \"cubes\"\n"));
    ASSERT_EQ(thin.warnings.size(), 1U);
    EXPECT_NE(thin.warnings[0].find("no cube fits"), std::string::npos);
    EXPECT_THROW(made(part + "[sizing]\nsurface = 3\n[fill]\ncore = \"bricks\""), InputError);
}

TEST_F(Build, NamesTheCaseFileOnceWhereSidesDoNotRepeat) {
    for (const char* zones : {"\"wall\", \"wail\"", "\"start\", \"wall\""}) try {
            plan(
                made("[[curve]]\nname = \"wall\"\ncircle = { middle = [0, 0], radius = 5 }\n[sizing]\nsurface = 2\n"
                     "[[periodic]]\nzones = [" +
                     std::string(zones) + "]\n[sweep]\nalong = [0, 0, 9]\nsteps = 3\n"));
            ADD_FAILURE() << "nothing was told";
        } catch (const InputError& e) {
            const std::string what = e.what(), file = (directory / "case.toml").string();
            EXPECT_EQ(what.find(file + ", line 8: [[periodic]]"), 0U) << what;
            EXPECT_EQ(what.find(file, 1), std::string::npos) << what;
        }
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
    // A rod through the outlet leaves a ring of it.
    Surface rod = kit::box({-0.005, -0.005, 0.3}, {0.005, 0.005, 0.7}, "rod");
    const Surface with_rod = joined({shell, rod});
    const auto around_rod = find_openings(with_rod);
    ASSERT_EQ(around_rod.size(), 3U);
    EXPECT_TRUE(around_rod[0].is_ring);
    EXPECT_NEAR(around_rod[0].area, openings[0].area - 1e-4, 1e-9);
}

/// A block in a chamber, flush with its floor, and a sheet across half of it.
const char* const kHeated =
    "[[part]]\nfile = \"chamber.stl\"\nunit = \"mm\"\n[[part]]\nfile = \"block.stl\"\nunit = \"mm\"\n"
    "[[part]]\nname = \"sheet\"\nfile = \"thin.stl\"\nunit = \"mm\"\n"
    "[[zone]]\nname = \"in\"\nrole = \"inlet\"\npart = \"chamber\"\nnormal = [-1, 0, 0]\n"
    "[[zone]]\nname = \"skin\"\npart = \"chamber\"\n[[zone]]\nname = \"block\"\npart = \"block\"\n"
    "[[zone]]\nname = \"sheet\"\npart = \"sheet\"\nrole = \"baffle\"\n"
    "[[region]]\nname = \"air\"\ninside = [10, 10, 50]\n[[region]]\nname = \"iron\"\nsolid_of = \"block\"\n"
    "[sizing]\nsurface = 20\n[[refine]]\non = [\"block\"]\nsize = 10\n";

TEST_F(Build, SidesOfABaffleThatIsOneTriangleWideHavePointsOfTheirOwn) {
    write_stl(directory / "box.stl", kit::box({0, 0, 0}, {0.1, 0.06, 0.06}), kMm);
    Surface strip;
    strip.zones = {{"strip"}};
    strip.points = {{0.04, 0.02, 0.03}, {0.06, 0.02, 0.03}, {0.06, 0.024, 0.03}, {0.04, 0.024, 0.03}};
    strip.triangles = {{0, 1, 2}, {0, 2, 3}};
    strip.zone_of = {0, 0};
    write_stl(directory / "strip.stl", strip, kMm);
    const BuildResult r =
        build(made("[[part]]\nfile = \"box.stl\"\nunit = \"mm\"\n[[part]]\nfile = \"strip.stl\"\nunit = \"mm\"\n"
                   "[[zone]]\nname = \"fin\"\nrole = \"baffle\"\npart = \"strip\"\n"
                   "[[region]]\nname = \"air\"\ninside = [5, 5, 5]\n[sizing]\nsurface = 10\n"
                   "[[refine]]\non = [\"fin\"]\nsize = 6\n"));
    std::set<std::vector<Index>> seen;
    for (std::size_t f = r.mesh.n_inner_faces(); f < r.mesh.n_faces(); ++f) {
        std::vector<Index> p(r.mesh.face(f).begin(), r.mesh.face(f).end());
        std::sort(p.begin(), p.end());
        EXPECT_TRUE(seen.insert(p).second) << "two faces of the boundary have the same points";
    }
}

TEST_F(Build, MeshesAirAndSolidFaceToFaceRoundABaffle) {
    write_stl(directory / "chamber.stl", kit::box({0, 0, 0}, {0.2, 0.1, 0.1}), kMm);
    write_stl(directory / "block.stl", kit::box({0.06, 0.03, 0}, {0.1, 0.07, 0.05}), kMm);
    Surface sheet;
    sheet.zones = {{"sheet"}};
    sheet.points = {{0.15, 0, 0}, {0.15, 0.1, 0}, {0.15, 0.1, 0.06}, {0.15, 0, 0.06}};
    sheet.triangles = {{0, 1, 2}, {0, 2, 3}};
    sheet.zone_of = {0, 0};
    write_stl(directory / "thin.stl", sheet, kMm);
    const BuildResult r = build(made(kHeated));
    ASSERT_EQ(r.mesh.regions.size(), 2U);
    EXPECT_EQ(r.mesh.regions[1].kind, RegionKind::solid);
    EXPECT_NEAR(r.quality.region_volumes[0], 2e-3 - 8e-5, 1e-12);
    EXPECT_NEAR(r.quality.region_volumes[1], 8e-5, 1e-12);
    EXPECT_TRUE(r.warnings.empty());
    std::map<std::string, double> areas;
    for (std::size_t z = 0; z < r.mesh.zones.size(); ++z) areas[r.mesh.zones[z].name] = r.quality.zone_areas[z];
    EXPECT_NEAR(areas["block"], 0.04 * 0.04 + 4 * 0.04 * 0.05, 1e-12);
    EXPECT_NEAR(areas["block-outside-iron"], 0.04 * 0.04, 1e-12);
    EXPECT_NEAR(areas["sheet"], 2 * 0.1 * 0.06, 1e-12);
    EXPECT_NEAR(areas["in"], 0.01, 1e-12);
    // The sheet's two sides meet at its free edge only, and at the walls not at all.
    const BoundaryZone& sides = *std::find_if(r.mesh.zones.begin(), r.mesh.zones.end(),
                                              [](const BoundaryZone& z) { return z.name == "sheet"; });
    std::map<Index, std::set<bool>> seen;
    const Vec3 x{1, 0, 0};
    for (std::size_t f = sides.first_face; f < sides.first_face + sides.n_faces; ++f) {
        const auto p = r.mesh.face(f);
        const Vec3 n = triangle_normal(r.mesh.points[p[0]], r.mesh.points[p[1]], r.mesh.points[p[2]]);
        for (const Index q : p) seen[q].insert(dot(n, x) > 0);
    }
    for (const auto& [p, faces] : seen) EXPECT_EQ(faces.size(), std::abs(r.mesh.points[p].z - 0.06) < 1e-12 ? 2U : 1U);

    // A region's own size holds in all of it, and nowhere far from it.
    std::string finer = kHeated;
    finer.replace(finer.find("solid_of = \"block\""), 18, "solid_of = \"block\"\nsize = 4");
    const BuildResult own = build(made(finer));
    std::vector<std::size_t> cells(2), cells_before(2);
    for (const Index region : own.mesh.cell_region) ++cells[region];
    for (const Index region : r.mesh.cell_region) ++cells_before[region];
    EXPECT_GT(cells[1], 8 * cells_before[1]);
    EXPECT_NEAR(8e-5 / static_cast<double>(cells[1]), 0.118 * std::pow(0.004, 3), 0.35 * 0.118 * std::pow(0.004, 3));
    finer.replace(finer.find("size = 4"), 8, "size = 40");
    finer.replace(finer.find("surface = 20"), 12, "surface = 20\nlargest = 30");
    EXPECT_NE(kit::message_of<InputError>([&] { build(made(finer)); }).find("region iron"), std::string::npos);

    // Both formats bring it back: regions, kinds, the interface with both names.
    for (const char* name : {"mesh.cgns", "mesh.vtu"}) {
        SCOPED_TRACE(name);
        write_mesh(directory / name, r.mesh);
        const VolumeMesh back = read_mesh(directory / name);
        EXPECT_EQ(find_faults(back), std::vector<std::string>{});
        ASSERT_EQ(back.regions.size(), 2U);
        EXPECT_EQ(back.n_cells(), r.mesh.n_cells());
        EXPECT_EQ(back.points.size(), r.mesh.points.size());
        const QualityReport q = assess(back);
        const std::size_t iron = back.regions[0].name == "iron" ? 0 : 1;
        EXPECT_EQ(back.regions[iron].kind, RegionKind::solid);
        EXPECT_NEAR(q.region_volumes[iron], 8e-5, 1e-12);
        const auto between = std::find_if(back.zones.begin(), back.zones.end(),
                                          [](const BoundaryZone& z) { return z.role == Role::interface_; });
        ASSERT_NE(between, back.zones.end());
        EXPECT_EQ(between->name, "block");
        EXPECT_EQ(between->other_name, "block");
        EXPECT_NEAR(q.zone_areas[static_cast<std::size_t>(between - back.zones.begin())], areas["block"], 1e-12);
    }
}

TEST_F(Build, JoinsPartsThatASinglePrecisionFileHasPulledApart) {
    // A chip on a plate, both turned: STL files round their corners, so that the faces do not quite lie on each other.
    auto turned = [](Surface s) {
        const Vec3 k = normalized(Vec3{1, 2, 3});
        for (Vec3& p : s.points)
            p = p * std::cos(0.7) + cross(k, p) * std::sin(0.7) + k * (dot(k, p) * (1 - std::cos(0.7)));
        return s;
    };
    write_stl(directory / "plate.stl", turned(kit::box({0, 0, 0}, {0.04, 0.04, 0.01})), kMm);
    write_stl(directory / "chip.stl", turned(kit::box({0.01, 0.01, 0.01}, {0.02, 0.02, 0.02})), kMm);
    const std::string parts =
        "[[part]]\nfile = \"plate.stl\"\nunit = \"mm\"\n[[part]]\nfile = \"chip.stl\"\nunit = \"mm\"\n"
        "[[region]]\nname = \"plate\"\nsolid_of = \"plate\"\n[[region]]\nname = \"chip\"\nsolid_of = \"chip\"\n"
        "[sizing]\nsurface = 5\n";
    const BuildResult joined_parts = build(made(parts + "[domain]\njoin = \"1e-4 mm\"\n"));
    EXPECT_TRUE(joined_parts.warnings.empty());
    EXPECT_EQ(joined_parts.corners_joined, 4U);
    EXPECT_LT(joined_parts.largest_join, 1e-8);
    double touching = 0;
    for (std::size_t z = 0; z < joined_parts.mesh.zones.size(); ++z)
        if (joined_parts.mesh.zones[z].role == Role::interface_) touching += joined_parts.quality.zone_areas[z];
    EXPECT_NEAR(touching, 1e-4, 1e-9);
}

TEST_F(Build, TakesOutDetailsThatNobodyMeant) {
    // A step of 0.05 mm across a block of 40 mm, and a chamfer as wide.
    write_stl(
        directory / "block.stl",
        kit::prism({{0, 0}, {0.02, 0}, {0.02, -5e-5}, {0.04, -5e-5}, {0.04, 0.02}, {0.03995, 0.02005}, {0, 0.02005}},
                   0.02),
        kMm);
    const std::string parts =
        "[[part]]\nfile = \"block.stl\"\nunit = \"mm\"\n[[region]]\nname = \"block\"\nsolid_of = \"block\"\n"
        "[sizing]\nsurface = 4\n";
    const Case calm = made(parts + "absorb = 0.1\n");
    const SurfaceBuild as_drawn = build_surface(made(parts)), absorbed = build_surface(calm);
    EXPECT_EQ(as_drawn.result.absorbed.faces, 0U);
    EXPECT_EQ(absorbed.result.absorbed.faces, 2U);
    EXPECT_GT(absorbed.result.absorbed.largest_move, 0);
    EXPECT_LE(absorbed.result.absorbed.largest_move, 1e-4);
    EXPECT_EQ(plan(calm).absorbed.faces, 2U);
    auto smallest_angle = [](const SurfaceBuild& b) {
        return std::find_if(b.quality.begin(), b.quality.end(),
                            [](const Metric& m) { return m.name == "smallest angle"; })
            ->min;
    };
    EXPECT_LT(smallest_angle(as_drawn), 5);
    EXPECT_GT(smallest_angle(absorbed), 25);
}

TEST_F(Build, PutsBodiesIntoASurround) {
    write_stl(directory / "hut.stl", kit::box({0, -0.05, 0}, {0.1, 0.05, 0.05}), kMm);
    write_stl(directory / "mast.stl", kit::box({0.04, -0.01, 0.03}, {0.06, 0.01, 0.1}), kMm);
    const std::string bodies =
        "[[part]]\nfile = \"hut.stl\"\nunit = \"mm\"\n[[part]]\nfile = \"mast.stl\"\nunit = \"mm\"\n";
    const std::string sizes = "[sizing]\nsurface = 100\n[[refine]]\non = [\"hut*\", \"mast*\"]\nsize = 20\n";
    const BuildResult r = build(made(bodies +
                                     "[surround]\nahead = 2\nbehind = 3\naside = \"200 mm\"\nabove = \"200 "
                                     "mm\"\nground = true\nsymmetry = \"-y\"\n" +
                                     sizes));
    EXPECT_NEAR(r.quality.volume, 0.6 * 0.25 * 0.3 - 0.1 * 0.05 * 0.05 - 0.02 * 0.01 * 0.05, 1e-12);
    EXPECT_EQ(r.regions[0].name, "fluid");
    EXPECT_EQ(r.warnings.size(), 3U);  // small, ahead and behind
    EXPECT_NEAR(r.surround->frontal_area, 0.05 * 0.05 + 0.01 * 0.05, 3e-5);
    for (const char* zone : {"inflow", "outflow", "sides", "top", "ground", "symmetry"})
        EXPECT_TRUE(std::any_of(r.mesh.zones.begin(), r.mesh.zones.end(), [&](const BoundaryZone& z) {
            return z.name == zone && z.n_faces > 0;
        })) << zone;
    // What goes wrong is told with file and line.
    const std::string behind =
        kit::message_of<InputError>([&] { build(made(bodies + "[surround]\nbehind = -3\n" + sizes)); });
    EXPECT_NE(behind.find("measured outwards"), std::string::npos) << behind;
    const std::string askew = kit::message_of<InputError>(
        [&] { build(made(bodies + "[surround]\nflow = [1, 1, 0]\nsymmetry = \"y\"\n" + sizes)); });
    EXPECT_NE(askew.find("symmetry plane must run along the flow"), std::string::npos) << askew;
    EXPECT_NE(askew.find(", line "), std::string::npos) << askew;
}

TEST_F(Build, ClosesOpeningsByNearRimOrAll) {
    write_stl(directory / "pipe.stl", kit::pipe(0.02, 0.025, 0.1, 24), kMm);
    const std::string
        pipe = "[[part]]\nfile = \"pipe.stl\"\nunit = \"mm\"\n[[zone]]\nname = \"low-face\"\nnear = [22, 0, 0]\n",
        rest = "[[region]]\ninside = [0, 0, 50]\n[sizing]\nsurface = 10\n";
    auto volume = [&](const std::string& openings) { return build(made(pipe + openings + rest)).domain_volume; };
    const double area = 0.5 * 24 * 0.0004 * std::sin(2 * std::numbers::pi / 24);
    EXPECT_NEAR(volume("[[opening]]\nname = \"end-*\"\nrole = \"inlet\"\nall = true\nduct = 10\n"), 0.12 * area, 1e-12);
    EXPECT_NEAR(volume("[[opening]]\nname = \"low\"\nrole = \"inlet\"\nrim = \"low*\"\ninset = 20\n"
                       "[[opening]]\nname = \"rest-*\"\nrole = \"outlet\"\nall = true\n"),
                0.08 * area, 1e-12);
    auto refused = [&](const std::string& opening) {
        return kit::message_of<GeometryError>(
            [&] { volume("[[opening]]\nname = \"x\"\nrole = \"inlet\"\n" + opening); });
    };
    EXPECT_NE(refused("rim = \"lid\"\n").find("no rim touches a zone \"lid\""), std::string::npos);
    EXPECT_NE(refused("rim = \"*\"\n").find("fits 2 openings"), std::string::npos);
    EXPECT_NE(refused("near = [0, 0, 0]\ninset = 500\n").find("no bore at that depth"), std::string::npos);
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
