#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

const LengthUnit kMetre = parse_length_unit("m");

/// A box 1 x 2 x 3 with its six faces, and a cylinder standing beside it.
Surface model() {
    Surface tower = split_at_sharp_edges(kit::cylinder(0.5, 2, 48), 40);
    for (Vec3& p : tower.points) p += Vec3{5, 0, 0};
    for (Zone& z : tower.zones) z.part = "tower";
    Surface hall = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 3}, "hall"), 40);
    for (Zone& z : hall.zones) z.part = "hall";
    return joined({hall, tower});
}

ZoneRule rule(const std::function<void(ZoneRule&)>& set) {
    ZoneRule r;
    r.name = "it";
    r.place = "rules, line 7";
    set(r);
    return r;
}

/// The middle of the zone's box, where one zone took the name.
Vec3 named(const std::function<void(ZoneRule&)>& set) {
    Surface s = model();
    name_zones(s, {rule(set)}, kMetre);
    Box box;
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (s.zones[s.zone_of[t]].name == "it")
            for (int k = 0; k < 3; ++k) box.include(s.corner(t, k));
    return box.center();
}

TEST(Naming, PicksByEachConditionAndByAllTogether) {
    EXPECT_EQ(named([](ZoneRule& r) { r.near = Vec3{0.5, 1, 5}; }), (Vec3{0.5, 1, 3}));
    EXPECT_EQ(named([](ZoneRule& r) { r.normal = Vec3{0, -1, 0}; }), (Vec3{0.5, 0, 1.5}));
    EXPECT_EQ(named([](ZoneRule& r) {
                  r.normal = Vec3{0, 0, 1};
                  r.part = "tow*";
              }),
              (Vec3{5, 0, 2}));
    EXPECT_EQ(named([](ZoneRule& r) { r.inside_box = Box{{-1, -1, 2.9}, {2, 3, 3.1}}; }), (Vec3{0.5, 1, 3}));
    EXPECT_EQ(named([](ZoneRule& r) { r.on_plane = Plane{{1, 7, 7}, {2, 0, 0}}; }), (Vec3{1, 1, 1.5}));
    EXPECT_EQ(named([](ZoneRule& r) {
                  r.on_cylinder = Cylinder{{5, 0, -1}, {5, 0, 1}, 0.5};
                  r.area = {3, 7};
              }),
              (Vec3{5, 0, 1}));
    EXPECT_EQ(
        named([](ZoneRule& r) {
            r.area = {5.9, 6.1};
            r.near = Vec3{0.9, 1, 1};  // of the two largest faces the nearer one, though the floor is nearer still
        }),
        (Vec3{1, 1, 1.5}));
    EXPECT_EQ(named([](ZoneRule& r) { r.matches = "*-6"; }).z, 3);
}

TEST(Naming, LetsTheFirstRuleWinAndZonesTouch) {
    Surface s = model();
    ZoneRule roof = rule([](ZoneRule& r) { r.name = "roof", r.on_plane = Plane{{0, 0, 3}, {0, 0, 1}}; });
    ZoneRule walls = rule([](ZoneRule& r) { r.name = "walls", r.touching = "roof"; });
    ZoneRule rest = rule([](ZoneRule& r) { r.name = "outlet-rest", r.part = "hall"; });
    name_zones(s, {roof, walls, rest}, kMetre);
    std::vector<std::string> names;
    for (const Zone& z : s.zones) names.push_back(z.name);
    std::sort(names.begin(), names.end());
    ASSERT_EQ(names.size(), 6U);  // three of the tower keep their names
    EXPECT_EQ((std::vector<std::string>{names.end() - 3, names.end()}),
              (std::vector<std::string>{"outlet-rest", "roof", "walls"}));
    for (const Zone& z : s.zones)
        if (z.name == "outlet-rest") {
            EXPECT_EQ(z.role, Role::outlet);
            EXPECT_TRUE(z.role_is_guess);
        }
    const auto walls_at = static_cast<Index>(
        std::find_if(s.zones.begin(), s.zones.end(), [](const Zone& z) { return z.name == "walls"; }) -
        s.zones.begin());
    EXPECT_EQ(std::count(s.zone_of.begin(), s.zone_of.end(), walls_at), 8);
}

TEST(Naming, TellsWhatComesNearestToARuleThatFitsNothing) {
    Surface s = model();
    try {
        name_zones(s, {rule([](ZoneRule& r) {
                       r.normal = Vec3{0, 0, 1};
                       r.area = {2.5, 3};
                   })},
                   kMetre);
        FAIL() << "accepted";
    } catch (const GeometryError& e) {
        const std::string text = e.what();
        for (const char* part : {"rules, line 7", "\"it\"", "[0.5, 1, 3]", "its area is 2 m", "nearest"})
            EXPECT_NE(text.find(part), std::string::npos) << part << " is not in: " << text;
    }
    // A zone that is taken is not given twice.
    const ZoneRule top = rule([](ZoneRule& r) { r.near = Vec3{0.5, 1, 3}; });
    EXPECT_THROW(name_zones(s, {top, top}, kMetre), GeometryError);
    EXPECT_THROW(name_zones(s, {rule([](ZoneRule& r) { r.touching = "moon"; })}, kMetre), GeometryError);
}

TEST(Naming, GuessesRolesFromWholeWordsOnly) {
    for (const char* name : {"inlet", "gas-in", "MainInlet_2", "SUPPLY air", "intake1", "feed"})
        EXPECT_EQ(guess_role(name), Role::inlet) << name;
    for (const char* name : {"outlet", "flue.exhaust", "dust-out", "drain"})
        EXPECT_EQ(guess_role(name), Role::outlet) << name;
    for (const char* name : {"outside", "inside", "finder-bore", "feeder", "wall", "", "farm", "drainage"})
        EXPECT_EQ(guess_role(name), Role::wall) << name;
    EXPECT_EQ(guess_role("symmetry-y"), Role::symmetry);
    EXPECT_EQ(guess_role("FarField"), Role::farfield);
}

}  // namespace
}  // namespace anvilcast
