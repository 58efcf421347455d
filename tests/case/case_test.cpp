#include <gtest/gtest.h>
#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>

namespace anvilcast {
namespace {

const std::string kGood = R"([case]
name = "duct"
unit = "mm"

[[part]]
file = "duct.stl"
unit = "in"

[[opening]]
name = "in"
role = "inlet"
near = [1, "2 cm", 3]

[[region]]
name = "gas"
inside = [0, 0, 200]

[sizing]
surface = "5 mm"
largest = 10
growth = 1.15

[limits]
skewness = 0.9
cells = 2_000_000

[export]
formats = ["cgns", "vtu", "stl"]
)";

std::string replaced(std::string text, const std::string& what, const std::string& by) {
    const std::size_t at = text.find(what);
    EXPECT_NE(at, std::string::npos) << what;
    return text.replace(at, what.size(), by);
}

std::string message_of(const std::string& text) {
    try {
        parse_case(text, "dir/case.toml");
    } catch (const InputError& e) {
        return e.what();
    }
    return "accepted";
}

TEST(CaseFile, IsReadInItsUnits) {
    const Case c = parse_case(kGood, "dir/case.toml");
    EXPECT_EQ(c.name, "duct");
    ASSERT_EQ(c.parts.size(), 1U);
    EXPECT_EQ(c.parts[0].file, "dir/duct.stl");
    ASSERT_TRUE(c.parts[0].unit.has_value());
    EXPECT_DOUBLE_EQ(c.parts[0].unit->metres, 0.0254);
    EXPECT_FALSE(c.parts[0].split_angle.has_value());
    ASSERT_EQ(c.openings.size(), 1U);
    EXPECT_EQ(c.openings[0].role, Role::inlet);
    EXPECT_DOUBLE_EQ(c.openings[0].near->x, 0.001);
    EXPECT_DOUBLE_EQ(c.openings[0].near->y, 0.02);
    EXPECT_DOUBLE_EQ(c.regions[0].inside->z, 0.2);
    EXPECT_DOUBLE_EQ(c.sizing.surface, 0.005);
    EXPECT_DOUBLE_EQ(c.sizing.largest, 0.01);
    EXPECT_EQ(c.limits.of(MetricId::equiangle_skewness), 0.9);
    EXPECT_EQ(c.limits.cells, 2e6);
    EXPECT_TRUE(c.write_vtu);
    EXPECT_TRUE(c.write_stl);
}

struct BadCase {
    const char* what;
    const char* by;
    std::vector<std::string> told;
};

TEST(CaseFile, MistakesAreToldWithLineAndRemedy) {
    const std::vector<BadCase> cases{
        {"growth = 1.15", "grwoth = 1.15", {"line 21", "grwoth", "growth"}},
        {"growth = 1.15", "zebra = 1.15", {"line 21", "known are", "surface"}},
        {"[limits]", "[limit]", {"line 23", "limits"}},
        {"surface = \"5 mm\"", "surface = \"5 parsec\"", {"line 19", "parsec", "mm"}},
        {"surface = \"5 mm\"", "surface = -5", {"line 19", "[sizing] surface", "positive"}},
        {"surface = \"5 mm\"", "surface = 0", {"line 19", "[sizing] surface", "positive"}},
        {"surface = \"5 mm\"", "surface = 5\nsmallest = 6", {"smallest size", "above the surface size"}},
        {"surface = \"5 mm\"", "surface = 5\nper_turn = 2", {"line 20", "per_turn", "out of range"}},
        {"surface = \"5 mm\"", "surface = nan", {"line 19", "finite"}},
        {"surface = \"5 mm\"\nlargest = 10", "", {"surface is missing", "5 mm"}},
        {"[limits]", "[[refine]]\nsize = 2\n[limits]", {"line 23", "[[refine]]", "does not say where"}},
        {"[limits]", "[[refine]]\non = [\"a\"]\n[limits]", {"line 23", "size is missing"}},
        {"[limits]", "[[refine]]\non = [\"a\"]\nsize = 20\n[limits]", {"line 23", "above the largest size"}},
        {"[limits]", "[[refine]]\nshape = \"blob\"\nsize = 2\n[limits]", {"line 24", "blob", "capsule"}},
        {"[limits]", "[[refine]]\nshape = \"sphere\"\nsize = 2\ncenter = [0, 0, 0]\n[limits]", {"radius", "missing"}},
        {"[limits]", "[[refine]]\non = [\"a\"]\nat = [0, 0, 0]\nsize = 2\n[limits]", {"line 23", "in two ways"}},
        {"[limits]", "[[refine]]\non = [\"a\"]\nsize = 2\ngrowth = 1.5\n[limits]", {"line 23", "not above"}},
        {"[limits]", "[[layers]]\ny_plus = 1\n[limits]", {"line 23", "[flow]"}},
        {"[limits]", "[flow]\nspeed = \"9 knots\"\nlength = 1\n[limits]", {"line 24", "knots", "km/h"}},
        {"[limits]", "[flow]\nspeed = 9\nfluid = \"oil\"\nlength = 1\n[limits]", {"oil", "density"}},
        {"surface = \"5 mm\"", "surface = true", {"line 19", "length"}},
        {"largest = 10", "largest = 1", {"largest size"}},
        {"growth = 1.15", "growth = 1.0", {"line 21", "out of range"}},
        {"near = [1, \"2 cm\", 3]", "near = [1, 2]", {"line 12", "[x, y, z]"}},
        {"near = [1, \"2 cm\", 3]", "", {"line 9", "near = [x, y, z]", "all = true"}},
        {"role = \"inlet\"", "role = \"inflow\"", {"line 11", "inflow", "inlet"}},
        {"role = \"inlet\"", "", {"has no role"}},
        {"unit = \"mm\"", "unit = \"furlong\"", {"line 3", "furlong", "mm"}},
        {"unit = \"mm\"", "", {"unit is missing"}},
        {"unit = \"in\"", "", {"[[part]] unit is missing"}},
        {"file = \"duct.stl\"", "file = 7", {"line 6", "text in quotes"}},
        {"[[part]]", "[part]", {"line 5", "[[part]]"}},
        {"[[region]]\nname = \"gas\"\ninside = [0, 0, 200]", "", {"[[region]]", "inside"}},
        {"[sizing]", "[[sizing]]", {"line 18", "[sizing]"}},
        {"formats = [\"cgns\", \"vtu\", \"stl\"]", "formats = [\"png\"]", {"line 28", "png", "vtu"}},
        {"skewness = 0.9", "skewness = 9", {"line 24", "out of range"}},
        {"name = \"duct\"", "name = \"duct", {"line 2"}},
        {"cells = 2_000_000",
         "cells = 2_00\xD0\x97"
         "000",
         {"line 25", "beyond ASCII"}},
    };
    for (const BadCase& c : cases) {
        const std::string message = message_of(replaced(kGood, c.what, c.by));
        EXPECT_NE(message.find("case.toml"), std::string::npos) << message;
        for (const std::string& part : c.told)
            EXPECT_NE(message.find(part), std::string::npos) << c.by << " gave: " << message;
    }
    EXPECT_NE(message_of(kGood + "\n[[opening]]\nname = \"in\"\nrole = \"outlet\"\nnear = [0, 0, 0]\n")
                  .find("one zone, which cannot be inlet and outlet"),
              std::string::npos);
    EXPECT_NE(message_of(replaced(kGood, "unit = \"in\"", "unit = 1\"\xD2\x8C\"")).find("in the middle of a value"),
              std::string::npos);
    EXPECT_NE(message_of(kGood + "\n[[zone]]\nname = \"lid\"\n").find("not which zones"), std::string::npos);
}

TEST(CaseFile, LaysCubesOut) {
    const Case plain = parse_case(kGood + "[fill]\ncore = \"cubes\"\n", "case.toml");
    EXPECT_EQ(plain.layout.per_level, 2);
    EXPECT_TRUE(plain.layout.axes.empty());
    const Case laid =
        parse_case(kGood + "[fill]\ncore = \"cubes\"\nper_level = 3\naxes = [[0, 3, 0], [1, 1, 0]]\n", "case.toml");
    EXPECT_EQ(laid.layout.per_level, 3);
    ASSERT_EQ(laid.layout.axes.size(), 2U);
    EXPECT_EQ(laid.layout.axes[0], (Vec3{0, 1, 0}));
    EXPECT_EQ(parse_case(kGood + "[fill]\ncore = \"cubes\"\naxes = [0, 0, 2]\n", "case.toml").layout.axes.size(), 1U);
    auto mistake = [](const std::string& keys) { return message_of(kGood + "[fill]\n" + keys); };
    EXPECT_NE(mistake("per_level = 2\n").find("per_level is for cubes: write core = \"cubes\" as well"),
              std::string::npos);
    EXPECT_NE(mistake("core = \"cubes\"\nper_level = 0\n").find("[fill] per_level"), std::string::npos);
    EXPECT_NE(mistake("core = \"cubes\"\naxes = [0, 0, 0]\n").find("axes has no direction"), std::string::npos);
    EXPECT_NE(mistake("core = \"cubes\"\naxes = [[1, 0, 0], [-2, 0, 0]]\n").find("along each other"),
              std::string::npos);
    EXPECT_NE(mistake("core = \"cubes\"\naxes = [[1, 0, 0]]\n").find("or two of them"), std::string::npos);
}

TEST(CaseFile, IntegersTooLongForADoubleAreRounded) {
    const Case c = parse_case(replaced(kGood, "cells = 2_000_000", "cells = 9_007_199_254"), "case.toml");
    EXPECT_EQ(c.limits.cells, 9'007'199'254.0);
    EXPECT_NE(message_of(replaced(kGood, "cells = 2_000_000", "cells = 9_007_199_254_740_993")).find("out of range"),
              std::string::npos);
    EXPECT_EQ(parse_case(replaced(kGood, "[0, 0, 200]", "[0, 0, 9007199254740993]"), "case.toml").regions[0].inside->z,
              9007199254740992e-3);
}

TEST(CaseFile, AnyLetterMayStandInQuotesAndComments) {
    const Case c = parse_case(replaced(kGood, "\"duct\"",
                                       "\"ca\xC3\xB1"
                                       "o \\\" \xE7\xAE\xA1\"  # \xD0\x97"),
                              "case.toml");
    EXPECT_EQ(c.name,
              "ca\xC3\xB1"
              "o \" \xE7\xAE\xA1");
}

TEST(CaseFile, PatternsMatchNames) {
    EXPECT_TRUE(matches_pattern("floor-2", "floor*"));
    EXPECT_TRUE(matches_pattern("floor-2", "*-?"));
    EXPECT_TRUE(matches_pattern("", "*"));
    EXPECT_TRUE(matches_pattern("abcabd", "*abd"));
    EXPECT_FALSE(matches_pattern("floor-2", "floor"));
    EXPECT_FALSE(matches_pattern("floor", "floor?"));
    EXPECT_FALSE(matches_pattern("", "?"));
}

const std::string kSection = R"([case]
unit = "mm"
[[curve]]
name = "bed"
points = [[0, 0], [100, 0]]
divisions = 20
bias = 4
finer_at = "ends"
[[curve]]
name = "slat-*"
circle = { middle = [50, 10], radius = "2 mm" }
copies = { count = 3, step = [0, 12] }
[[curve]]
name = "inlet"
points = [[0, 0], [0, 50]]
[[area]]
name = "air"
inside = [5, 5]
cells = "triangles"
[sizing]
surface = 2
[sweep]
axis = [[-200, 0], [-200, 1]]
angle = 30
size = 4
end = "outflow"
)";

TEST(CaseFile, SectionsInAPlaneAreRead) {
    const Case c = parse_case(kSection, "duct.toml");
    ASSERT_TRUE(c.plane);
    ASSERT_EQ(c.plane->curves.size(), 5U);
    EXPECT_EQ(c.plane->curves[0].divisions, 20);
    EXPECT_EQ(c.plane->curves[0].finer_at, FinerAt::ends);
    EXPECT_EQ(c.plane->curves[3].zone.name, "slat-3");
    EXPECT_NEAR(place_on(c.plane->curves[3].pieces[0], 0.25).y, 0.036, 1e-15);
    EXPECT_EQ(c.plane->curves[4].zone.role, Role::inlet);
    EXPECT_TRUE(c.plane->curves[4].zone.role_is_guess);
    EXPECT_EQ(c.plane->areas[0].name, "air");
    EXPECT_NEAR(std::get<RoundPath>(c.plane->path).axis_from.x, -0.2, 1e-15);
    EXPECT_EQ(c.plane->sweep.last_end.role, Role::outlet);
    EXPECT_EQ(c.plane->step_size, 0.004);
    // A sheet of one cell lies between two mirrors.
    const Case sheet = parse_case(
        replaced(kSection, "axis = [[-200, 0], [-200, 1]]\nangle = 30\nsize = 4\nend = \"outflow\"", "one_cell = 1"),
        "x");
    EXPECT_EQ(sheet.plane->sweep.first_end.role, Role::symmetry);
    EXPECT_EQ(sheet.plane->sweep.steps, 1);
    // Sides repeat by a way in the plane, or, the ends of a sweep, in space.
    const std::string pair = "[[periodic]]\nzones = [\"a\", \"b\"]\n";
    const auto image_of = [&](const std::string& how) {
        return *parse_case(replaced(kSection, "[sizing]", pair + how + "[sizing]"), "x").periodic.at(0).image;
    };
    EXPECT_EQ(image_of("moved = [0, 12]\n").origin, (Vec3{0, 0.012, 0}));
    EXPECT_EQ(image_of("moved = [0, 0, 12]\n").origin, (Vec3{0, 0, 0.012}));
    EXPECT_EQ(image_of("turned = 90\nabout = [1, 0]\n")({0.002, 0, 0}), (Vec3{0.001, 0.001, 0}));
}

TEST(CaseFile, MistakesInSectionsAreToldWithLineAndRemedy) {
    struct Mistake {
        std::string what, by, told;
    };
    const std::vector<Mistake> mistakes{
        {"circle = {", "arc = [[0, 0], [1, 1], [2, 2]]\ncircle = {", "line 9: [[curve]] has 2 shapes"},
        {"points = [[0, 0], [100, 0]]", "arc = [[0, 0], [1, 1], [2, 2]]", "are in a line"},
        {"points = [[0, 0], [100, 0]]", "points = [[0, 0, 0], [100, 0, 0]]",
         "line 5: [[curve]] points must be a place"},
        {"finer_at = \"ends\"", "finer_at = \"both\"", "\"both\" is not known"},
        {"cells = \"triangles\"", "cells = \"squares\"", "write \"triangles\", \"quadrangles\" or \"mapped\""},
        {"step = [0, 12]", "count = 3", "duct.toml"},
        {"size = 4", "size = 4\nsteps = 9", "needs steps, how many, or size"},
        {"angle = 30\n", "", "angle is missing"},
        {"axis = [[-200, 0], [-200, 1]]", "axis = [[-200, 0], [-200, 1]]\nalong = [0, 0, 1]", "has one way"},
        {"[sizing]", "[[part]]\nfile = \"x.stl\"\n[sizing]", "which has no [part]"},
        {"[sizing]", "[[periodic]]\nzones = [\"a\"]\n[sizing]", "must be two names"},
        {"[sizing]", "[[periodic]]\nzones = [\"a\", \"b\"]\nmoved = [1]\n[sizing]", "moved must be"},
        {"end = \"outflow\"", "end = \"start\"", "need two names"},
        {"divisions = 20", "division = 20", "did you mean \"divisions\"?"},
    };
    for (const Mistake& m : mistakes) {
        try {
            parse_case(replaced(kSection, m.what, m.by), "duct.toml");
            ADD_FAILURE() << m.told << ": nothing was told";
        } catch (const InputError& e) {
            EXPECT_NE(std::string(e.what()).find(m.told), std::string::npos) << e.what();
        }
    }
}

TEST(CaseFile, ShapesAndSheetsDivideRegions) {
    const std::string shape =
        "\n[[region]]\nname = \"turning\"\nshape = \"cylinder\"\nfrom = [0, 0, 0]\nto = [0, 0, 20]\n"
        "radius = 5\nmoved = [1, 0, 0]\nwithin = [\"gas\"]\nsize = 2\n";
    const std::string sheet =
        "\n[[surface]]\nname = \"throat\"\nrole = \"fan\"\nshape = \"disc\"\ncenter = [0, 0, 9]\n"
        "normal = [0, 0, 1]\nradius = 5\n";
    const Case c = parse_case(kGood + shape + sheet, "dir/case.toml");
    EXPECT_EQ(c.regions.size(), 1U);
    ASSERT_EQ(c.dividers.size(), 2U);
    EXPECT_EQ(c.dividers[0].region, "turning");
    EXPECT_EQ(c.dividers[0].within, std::vector<std::string>{"gas"});
    EXPECT_NEAR(c.dividers[0].surface.bounds().hi.x, 0.006, 1e-12);
    ASSERT_EQ(c.sizing.refine.size(), 1U);
    EXPECT_DOUBLE_EQ(c.sizing.refine[0].size, 0.002);
    EXPECT_TRUE(c.dividers[1].is_sheet());
    EXPECT_EQ(c.dividers[1].surface.zones[0].role, Role::fan);
    // Two shapes of one name are one region; what contradicts each other is told.
    EXPECT_EQ(parse_case(kGood + shape + shape, "dir/case.toml").dividers.size(), 2U);
    auto told = [&](const std::string& text, const char* what) {
        EXPECT_NE(message_of(kGood + text).find(what), std::string::npos) << message_of(kGood + text);
    };
    told(shape + replaced(shape, "size = 2", "kind = \"solid\""), "which cannot be fluid and solid");
    told(replaced(shape, "turning", "gas"), "two regions called \"gas\"");
    told(replaced(shape, "cylinder", "wake"), "is not a shape");
    told(replaced(shape, "size = 2", "inside = [0, 0, 0]"), "has a shape and inside");
    told(replaced(shape, "size = 2", "kind = \"void\""), "would leave a hole");
    told(replaced(sheet, "fan", "wall"), "divides nothing and cannot be wall");
    told(replaced(sheet, "shape = \"disc\"", "up = [0, 0, 1]"), "does not say where it is");
    told(replaced(sheet, "radius = 5", "radius = -5"), "radius must be more than 0");
    EXPECT_NE(message_of(replaced(kGood, "role = \"inlet\"", "role = \"fan\"")).find("an end of the flow"),
              std::string::npos);
    const Case typed = parse_case(replaced(kGood, "role = \"inlet\"", "role = \"BC:BCTunnelInflow\""), "case.toml");
    EXPECT_EQ(typed.openings[0].role, Role::inlet);
    EXPECT_EQ(typed.openings[0].bc_type, "BCTunnelInflow");
}

TEST(CaseFile, SidesThatRepeat) {
    const std::string pair = "\n[[periodic]]\nzones = [\"left\", \"right\"]\n";
    const Case found = parse_case(kGood + pair, "case.toml");
    ASSERT_EQ(found.periodic.size(), 1U);
    EXPECT_EQ(found.periodic[0].second, "right");
    EXPECT_FALSE(found.periodic[0].image);
    const Case turned =
        parse_case(kGood + pair + "turned = 90\naxis = [0, 0, 1]\nabout = [10, 0, 0]\ntolerance = 2\n", "case.toml");
    ASSERT_TRUE(turned.periodic[0].image);
    EXPECT_LT(distance((*turned.periodic[0].image)({0.02, 0, 0}), {0.01, 0.01, 0}), 1e-15);
    EXPECT_EQ(turned.periodic[0].tolerance, 2e-3);
    auto told = [](const std::string& text, const char* what) {
        EXPECT_NE(message_of(text).find(what), std::string::npos) << message_of(text);
    };
    told(kGood + replaced(pair, ", \"right\"", ""), "must be two names");
    told(kGood + replaced(pair, "right", "left"), "must be two names");
    told(kGood + pair + "mirrored = \"x\"\n", "never mirrored");
    told(kGood + pair + "axis = [0, 0, 1]\n", "need turned");
    told(kGood + "\n[[zone]]\nname = \"left\"\nrole = \"periodic\"\nnear = [0, 0, 0]\n", "leave its role out");
    told(replaced(kGood, "role = \"inlet\"", "role = \"periodic\""), "an end of the flow");
}

}  // namespace
}  // namespace anvilcast
