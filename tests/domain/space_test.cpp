#include <gtest/gtest.h>
#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/shapes.hpp>
#include <anvilcast/surround.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <random>
#include <set>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

using std::numbers::pi;

const LengthUnit kMetre = parse_length_unit("m");

Surface part(Surface s) {
    for (Zone& z : s.zones) z.part = z.name;
    return s;
}
Surface box(const Vec3& lo, const Vec3& hi, const char* name) { return part(kit::box(lo, hi, name)); }

double area_of_zone(const Surface& s, const std::string& name) {
    double sum = 0;
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (s.zones[s.zone_of[t]].name == name) sum += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    return sum;
}
const Zone& zone_of(const Domain& d, const std::string& name) {
    for (const Zone& z : d.boundary.zones)
        if (z.name == name) return z;
    throw InputError("no zone " + name);
}

std::string message_of(const std::function<void()>& action) { return kit::message_of<Error>(action); }

/// A chamber of 4 x 2 x 2 with a block that stands on its floor and reaches through one wall, and a rod inside the
/// block.
Surface chamber() {
    return joined({box({0, 0, 0}, {4, 2, 2}, "chamber"), box({1, -0.25, 0}, {2, 1, 1}, "block"),
                   box({1.25, 0.25, 0.25}, {1.75, 0.75, 0.75}, "core")});
}

TEST(Space, ListsEveryCellWithItsMaterial) {
    const Space space = divide_space(chamber());
    ASSERT_EQ(space.cells.size(), 5U);
    EXPECT_EQ(space.part_is_closed, (std::vector<bool>{true, true, true}));
    double sum = 0;
    std::map<std::vector<std::string>, double> by_material;
    for (Index c = 1; c < space.cells.size(); ++c) {
        sum += space.cells[c].volume;
        by_material[space.cells[c].inside_of] += space.cells[c].volume;
        const TriangleTree tree(space.complex.surface.points, space.complex.surface.triangles);
        EXPECT_EQ(region_at(space.complex.surface, tree, space.regions, space.cells[c].inside), c);
    }
    EXPECT_NEAR(sum, 16 + 0.25, 1e-12);
    EXPECT_NEAR((by_material[{"chamber"}]), 15, 1e-12);
    EXPECT_NEAR((by_material[{"chamber", "block"}]), 0.875, 1e-12);
    EXPECT_NEAR((by_material[{"block"}]), 0.25, 1e-12);
    EXPECT_NEAR((by_material[{"chamber", "block", "core"}]), 0.125, 1e-12);
}

TEST(Space, RandomBricksOnALatticeCountLikeVoxels) {
    // Faces, edges and corners coincide all the time. Each voxel knows which bricks it is in.
    std::mt19937 random(31);
    for (int run = 0; run < 12; ++run) {
        SCOPED_TRACE(run);
        struct Brick {
            std::array<int, 3> lo, hi;
        };
        std::vector<Brick> bricks;
        std::vector<Surface> parts;
        for (int k = 0; k < 7; ++k) {
            Brick b{};
            for (std::size_t axis = 0; axis < 3; ++axis) {
                b.lo[axis] = static_cast<int>(random() % 5);
                b.hi[axis] = b.lo[axis] + 1 + static_cast<int>(random() % 3);
            }
            bricks.push_back(b);
            auto corner = [](const std::array<int, 3>& c) {
                return Vec3{static_cast<double>(c[0]), static_cast<double>(c[1]), static_cast<double>(c[2])};
            };
            parts.push_back(box(corner(b.lo), corner(b.hi), std::string(1, static_cast<char>('a' + k)).c_str()));
        }
        std::map<std::vector<std::string>, double> voxels, cells;
        for (int x = 0; x < 8; ++x)
            for (int y = 0; y < 8; ++y)
                for (int z = 0; z < 8; ++z) {
                    std::vector<std::string> in;
                    for (std::size_t k = 0; k < bricks.size(); ++k) {
                        const Brick& b = bricks[k];
                        if (x >= b.lo[0] && x < b.hi[0] && y >= b.lo[1] && y < b.hi[1] && z >= b.lo[2] && z < b.hi[2])
                            in.emplace_back(1, static_cast<char>('a' + k));
                    }
                    if (!in.empty()) voxels[in] += 1;
                }
        const Space space = divide_space(joined(parts));
        for (std::size_t c = 1; c < space.cells.size(); ++c)
            if (!space.cells[c].inside_of.empty()) cells[space.cells[c].inside_of] += space.cells[c].volume;
        ASSERT_EQ(cells.size(), voxels.size());
        for (const auto& [in, volume] : voxels) EXPECT_NEAR(cells[in], volume, 1e-9) << in[0];
        // Turned, nothing is degenerate any more but for rounding; the volumes stay.
        Surface askew = joined(parts);
        for (Vec3& p : askew.points)
            p = {0.6 * p.x - 0.8 * p.y, 0.48 * p.x + 0.36 * p.y - 0.8 * p.z, 0.64 * p.x + 0.48 * p.y + 0.6 * p.z};
        const Space turned = divide_space(askew);
        std::map<std::vector<std::string>, double> turned_cells;
        for (std::size_t c = 1; c < turned.cells.size(); ++c)
            if (!turned.cells[c].inside_of.empty()) turned_cells[turned.cells[c].inside_of] += turned.cells[c].volume;
        for (const auto& [in, volume] : voxels) EXPECT_NEAR(turned_cells[in], volume, 1e-9) << in[0];
    }
}

TEST(Space, RegionsSideBySideShareTheirInterfaces) {
    const Domain d = choose_regions(divide_space(chamber()),
                                    {{.name = "air", .inside = Vec3{3, 1, 1}},
                                     {.name = "core", .kind = RegionKind::void_, .solid_of = "core"},
                                     {.name = "block", .kind = RegionKind::solid, .solid_of = "block"}},
                                    kMetre);
    ASSERT_EQ(d.regions.size(), 2U);
    EXPECT_NEAR(d.regions[0].volume, 15, 1e-12);
    EXPECT_NEAR(d.regions[1].volume, 0.875 + 0.25, 1e-12);
    // The sides, the far end and the top in the chamber; the floor below it is the block's own.
    EXPECT_NEAR(area_of_zone(d.boundary, "block"), 2 * 1 + 1 + 1, 1e-12);
    EXPECT_EQ(zone_of(d, "block").role, Role::interface_);
    EXPECT_NEAR(area_of_zone(d.boundary, "core"), 6 * 0.25, 1e-12);
    EXPECT_EQ(zone_of(d, "core").role, Role::wall);
    EXPECT_NEAR(area_of_zone(d.boundary, "block-outside-block"), 1 + 4 * 0.25 + 1, 1e-12);
    for (Index t = 0; t < d.boundary.triangles.size(); ++t)
        EXPECT_TRUE(d.sides[t][0] == kNone || d.sides[t] == (std::array<Index, 2>{1, 0}));
    EXPECT_TRUE(d.left_out.empty());
}

TEST(Space, CoincidingZonesNameAnInterfaceFromBothSides) {
    const Surface s = joined({box({0, 0, 0}, {1, 1, 1}, "plate"), box({1, 0, 0}, {2, 1, 1}, "chip")});
    const Domain d = choose_regions(divide_space(s),
                                    {{.name = "metal", .kind = RegionKind::solid, .solid_of = "plate"},
                                     {.name = "silicon", .kind = RegionKind::solid, .solid_of = "chip"}},
                                    kMetre);
    double area = 0;
    for (const Zone& z : d.boundary.zones) {
        if (z.role != Role::interface_) continue;
        EXPECT_EQ(z.name, "plate-to-silicon");
        EXPECT_EQ(z.other_name, "chip-to-metal");
        area += area_of_zone(d.boundary, z.name);
    }
    EXPECT_NEAR(area, 1, 1e-12);
}

TEST(Space, LeftoversAreToldAndDroppedWhenAsked) {
    Surface sheet;
    sheet.zones = {{"sheet", Role::wall, "sheet"}};
    sheet.points = {{1, 0.5, 0.5}, {1, 1.5, 0.5}, {1, 1.5, 2}};  // one edge in the wall
    sheet.triangles = {{0, 1, 2}};
    sheet.zone_of = {0};
    Surface s = joined({box({0, 0, 0}, {4, 2, 2}, "chamber"), sheet});
    const std::vector<RegionRequest> air{{.name = "air", .inside = Vec3{3, 1, 1}}};
    const Domain kept = choose_regions(divide_space(s), air, kMetre);
    ASSERT_EQ(kept.leftovers.size(), 1U);
    EXPECT_EQ(kept.leftovers[0].zone, "sheet");
    EXPECT_NEAR(kept.leftovers[0].area, 0.75, 1e-12);
    EXPECT_NEAR(area_of_zone(kept.boundary, "sheet"), 0.75, 1e-12);
    const Domain dropped = choose_regions(divide_space(s), air, kMetre, {.drop_leftovers = true});
    EXPECT_EQ(area_of_zone(dropped.boundary, "sheet"), 0);
    EXPECT_EQ(dropped.leftovers.size(), 1U);
    s.zones[1].role = Role::baffle;
    const Domain baffle = choose_regions(divide_space(s), air, kMetre, {.drop_leftovers = true});
    EXPECT_NEAR(area_of_zone(baffle.boundary, "sheet"), 0.75, 1e-12);
    EXPECT_TRUE(baffle.leftovers.empty());
}

TEST(Space, SaysWhatIsWrongWithARequest) {
    const Space space = divide_space(chamber());
    auto choose = [&](std::vector<RegionRequest> r) { return message_of([&] { choose_regions(space, r, kMetre); }); };
    EXPECT_NE(choose({{.name = "a", .inside = Vec3{3, 1, 1}}, {.name = "b", .inside = Vec3{0.5, 1, 1}}})
                  .find("\"a\" and \"b\" are one"),
              std::string::npos);
    EXPECT_NE(choose({{.name = "a", .solid_of = "fin"}}).find("the parts are \"chamber\", \"block\", \"core\""),
              std::string::npos);
    EXPECT_NE(choose({{.name = "a", .inside = Vec3{4, 1, 1}}}).find("lies on a surface"), std::string::npos);
    EXPECT_NE(choose({{.name = "a", .inside = Vec3{9, 1, 1}}}).find("nearest enclosed volume"), std::string::npos);
    EXPECT_NE(choose({{.name = "a", .kind = RegionKind::void_, .inside = Vec3{3, 1, 1}}}).find("void"),
              std::string::npos);
}

// ---- Openings -----------------------------------------------------------------------------------------------------

double ring_area(int n, double outer, double inner) {
    return 0.5 * n * std::sin(2 * pi / n) * (outer * outer - inner * inner);
}

Divider shape(Surface skin, const char* region, std::vector<std::string> within = {}) {
    skin.zones = {{region}};
    return {std::move(skin), region, RegionKind::fluid, std::move(within)};
}

TEST(Shapes, AreClosedAndTheirNormalsPointOut) {
    for (const Surface& s :
         {box_surface({0, 0, 0}, {1, 2, 3}, "a"), ball_surface({1, 1, 1}, 0.5, "a"),
          cone_surface({0, 0, 0}, {0, 0, 2}, 1, 0.5, "a"), cone_surface({0, 0, 0}, {1, 1, 0}, 0, 1, "a"),
          capsule_surface({0, 0, 0}, {0, 1, 0}, 0.5, "a")}) {
        double six_volumes = 0;
        for (Index t = 0; t < s.triangles.size(); ++t)
            six_volumes += dot(s.corner(t, 0), cross(s.corner(t, 1), s.corner(t, 2)));
        EXPECT_GT(six_volumes, 0);
        const SurfaceEdges edges(s.triangles, s.points.size());
        for (std::size_t e = 0; e < edges.size(); ++e) ASSERT_EQ(edges.n_uses(e), 2U);
    }
    const Surface disc = disc_surface({0, 0, 0}, {0, 1, 0}, 1, "d");
    EXPECT_GT(triangle_normal(disc.corner(0, 0), disc.corner(0, 1), disc.corner(0, 2)).y, 0);
    EXPECT_GT(triangle_normal({-0.5, 0, 0}, {0, 1, 0}, {-1, 1, 0}).z, 0);
    EXPECT_THROW(ball_surface({0, 0, 0}, 0, "a"), InputError);
    EXPECT_THROW(rectangle_surface({0, 0, 0}, {0, 0, 1}, {0, 0, 2}, 1, 1, "a"), InputError);
}

TEST(Shapes, AreRegionsOfTheirOwnWithAnInterfaceNamedFromBothSides) {
    // A slab across a chamber, flush with its floor and reaching out of its sides, with a block that pokes into it.
    const Surface parts = joined({box({0, 0, 0}, {4, 2, 2}, "chamber"), box({1.8, 0.5, 0}, {2.2, 1, 1}, "block")});
    SpaceOptions options;
    options.dividers = {shape(box_surface({1, -1, 0}, {2, 3, 1.5}, "x"), "porous")};
    const Space space = divide_space(parts, {}, options);
    EXPECT_EQ(space.cells.size(), 3U);  // outside, fluid, block: the shape divides none of them
    const Domain d = choose_regions(space, {{.name = "gas", .inside = Vec3{1.5, 1.5, 1}}}, kMetre);
    ASSERT_EQ(d.regions.size(), 2U);
    EXPECT_EQ(d.regions[1].name, "porous");
    const double block = 0.4 * 0.5, taken = 2 * 1.5 - 0.2 * 0.5;
    EXPECT_NEAR(d.regions[1].volume, taken, 1e-12);
    EXPECT_NEAR(d.regions[0].volume, 16 - block - taken, 1e-12);
    EXPECT_NEAR(d.volume, 16 - block, 1e-12);
    EXPECT_EQ(d.left_out.size(), 1U);
    const Zone& between = zone_of(d, "gas-to-porous");
    EXPECT_EQ(between.role, Role::interface_);
    EXPECT_EQ(between.other_name, "porous-to-gas");
    EXPECT_NEAR(area_of_zone(d.boundary, "gas-to-porous"), 2 * (3 - 0.0) - 0.5 + 2, 1e-12);
    // Walls are one zone on, whatever region they bound.
    EXPECT_NEAR(area_of_zone(d.boundary, "chamber"), 40 - 0.2, 1e-12);
    EXPECT_TRUE(d.films.empty());
    for (const DomainRegion& r : d.regions) {
        const TriangleTree tree(d.boundary.points, d.boundary.triangles);
        EXPECT_EQ(region_at(d, tree, r.inside), static_cast<Index>(&r - d.regions.data())) << r.name;
    }
}

TEST(Shapes, TheFirstHasWhatTwoAskForAndFilmsAreTold) {
    const Surface parts = box({0, 0, 0}, {4, 2, 2}, "chamber");
    SpaceOptions options;
    options.dividers = {shape(box_surface({1, 0.5, 0.5}, {2, 1.5, 1.5}, "x"), "a"),
                        shape(box_surface({1.75, 0.5, 0.001}, {3, 1.5, 1.5}, "x"), "b")};
    const Domain d = choose_regions(divide_space(parts, {}, options), {{.name = "gas", .is_largest = true}}, kMetre);
    ASSERT_EQ(d.overlaps.size(), 1U);
    EXPECT_EQ(d.overlaps[0].first, "a");
    EXPECT_NEAR(d.overlaps[0].volume, 0.25, 1e-12);
    EXPECT_NEAR(d.regions[1].volume, 1, 1e-12);
    EXPECT_EQ(zone_of(d, "a-to-b").other_name, "b-to-a");
    ASSERT_EQ(d.films.size(), 1U);
    EXPECT_EQ(d.films[0].region, "b");
    EXPECT_EQ(d.films[0].zone, "chamber");
    EXPECT_NEAR(d.films[0].width, 0.001, 1e-9);
    // Close enough to be joined: no film is left.
    options.join = 0.002;
    EXPECT_TRUE(
        choose_regions(divide_space(parts, {}, options), {{.name = "gas", .is_largest = true}}, kMetre).films.empty());
}

TEST(Shapes, SayWhatIsWrongWithThem) {
    const Surface parts = joined({box({0, 0, 0}, {4, 2, 2}, "chamber"), box({1, 0.5, 0}, {2, 1.5, 1}, "block")});
    auto message = [&](const Divider& d) {
        SpaceOptions options;
        options.dividers = {d};
        return message_of([&] {
            choose_regions(divide_space(parts, {}, options), {{.name = "gas", .inside = Vec3{3, 1, 1}}}, kMetre);
        });
    };
    EXPECT_NE(message(shape(box_surface({5, 0, 0}, {6, 1, 1}, "x"), "a")).find("has nothing of the regions"),
              std::string::npos);
    EXPECT_NE(
        message(shape(box_surface({1.2, 0.7, 0.2}, {1.5, 0.9, 0.7}, "x"), "a")).find("has nothing of the regions"),
        std::string::npos);
    EXPECT_NE(message(shape(box_surface({-1, -1, -1}, {6, 3, 3}, "x"), "a")).find("nothing is left of region \"gas\""),
              std::string::npos);
    EXPECT_NE(message(shape(box_surface({3, 1, 1}, {3.5, 1.5, 1.5}, "x"), "a", {"water"})).find("is within \"water\""),
              std::string::npos);
    Surface open = box_surface({3, 1, 1}, {3.5, 1.5, 1.5}, "x");
    open.triangles.pop_back();
    open.zone_of.pop_back();
    EXPECT_NE(message(shape(open, "a")).find("not closed"), std::string::npos);
}

TEST(Sheets, AreFacesWithinARegionCutOffAtItsWalls) {
    const Surface parts = joined({box({0, 0, 0}, {4, 2, 2}, "chamber"), box({1, 0.5, 0}, {2, 1.5, 1}, "block")});
    Surface plane = rectangle_surface({1.5, 1, 1}, {1, 0, 0}, {0, 0, 1}, 3, 3, "plane");
    plane.zones = {{"plane", Role::inner}};
    SpaceOptions options;
    options.dividers = {{plane}};
    const Domain d =
        choose_regions(divide_space(parts, {}, options), {{.name = "gas", .inside = Vec3{3, 1, 1}}}, kMetre);
    ASSERT_EQ(d.regions.size(), 1U);
    EXPECT_NEAR(area_of_zone(d.boundary, "plane"), 3, 1e-12);
    EXPECT_EQ(zone_of(d, "plane").role, Role::inner);
    EXPECT_TRUE(d.leftovers.empty());
    for (Index t = 0; t < d.sides.size(); ++t)
        EXPECT_EQ(d.is_baffle(t), d.boundary.zones[d.boundary.zone_of[t]].name == "plane");
}

TEST(Openings, AShaftThroughThemLeavesARing) {
    Surface shaft = kit::cylinder(0.3, 7, 48);
    for (Vec3& p : shaft.points) p.z -= 1;
    shaft.zones[0] = {"shaft", Role::wall, "shaft"};
    const Surface s = joined({part(kit::pipe(0.8, 1, 5, 48)), shaft});
    std::vector<Opening> openings = find_openings(s);
    ASSERT_EQ(openings.size(), 2U);
    for (Opening& o : openings) {
        EXPECT_TRUE(o.is_ring);
        EXPECT_NEAR(o.area, ring_area(48, 0.8, 0.3), 1e-9);
        o.zone = {o.facing.z > 0 ? "top" : "low", Role::inlet};
    }
    const Domain d = extract_region(s, openings, {0.5, 0, 2}, kMetre);
    EXPECT_NEAR(d.volume, 5 * ring_area(48, 0.8, 0.3), 1e-9);
    EXPECT_NEAR(area_of_zone(d.boundary, "top"), ring_area(48, 0.8, 0.3), 1e-9);
    // Closed a little inside at one end, with a duct at the other.
    openings[0] = moved(s, openings[0], 0.5);
    openings[1] = moved(s, openings[1], -0.25);
    EXPECT_NEAR(extract_region(s, openings, {0.5, 0, 2}, kMetre).volume, 5.25 * ring_area(48, 0.8, 0.3), 1e-9);
    EXPECT_NE(message_of([&] { moved(s, openings[1], -30); }).find("no bore at that depth"), std::string::npos);
}

/// Two rods side by side, one higher up, whose edges all but meet: a patch over the step would hold a pocket, though
/// half of it runs through the rods.
TEST(Openings, AStepBetweenRodsIsNone) {
    Surface low = kit::cylinder(2, 9, 12), high = low;
    low.zones[0] = {"low", Role::wall, "low"};
    high.zones[0] = {"high", Role::wall, "high"};
    for (Vec3& p : high.points) p += Vec3{0, 1.7321, 2.9536};
    for (const double join : {0.0, 0.05, 0.1, 0.15, 0.3})
        EXPECT_TRUE(find_openings(joined({low, high}), {.join = join}).empty()) << join;
}

/// As a file of text has it.
Vec3 with_twelve_digits(const Vec3& p) {
    Vec3 out;
    for (int k = 0; k < 3; ++k) out[k] = std::stod(fmt::format("{:.12g}", p[k]));
    return out;
}

/// The sides of a rod with nine meet at the very angle from which edges are sharp: whichever are, none is a bore's end.
TEST(Openings, AFaceThatAPatchLiesOnIsNone) {
    for (int k = 0; k < 60; ++k) {
        Surface rod = kit::cylinder(2, 20, 9);
        const Placement turn = Placement::turned({1, 0.2 * k, -0.5}, 7.0 * k, {});
        for (Vec3& p : rod.points) p = with_twelve_digits(turn(p + Vec3{300, 200, -100}));
        EXPECT_TRUE(find_openings(rod).empty()) << k;
    }
}

/// Each triangle's sides and inside divided at random places.
Surface divided_at_random(Surface s, int times, std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.25, 0.75);
    for (int k = 0; k < times; ++k) {
        const auto t = static_cast<Index>(random() % s.triangles.size());
        const Triangle v = s.triangles[t];
        const auto m = static_cast<Index>(s.points.size());
        std::vector<std::pair<Triangle, Index>> cut;  // and what each is a piece of
        const double a = share(random), b = share(random);
        if (random() % 2 == 0) {
            s.points.push_back(s.points[v[0]] * a + (s.points[v[1]] * b + s.points[v[2]] * (1 - b)) * (1 - a));
            for (std::size_t i = 0; i < 3; ++i) cut.push_back({{v[i], v[(i + 1) % 3], m}, t});
        } else {
            s.points.push_back(s.points[v[0]] * a + s.points[v[1]] * (1 - a));
            for (Index u = 0; u < s.triangles.size(); ++u)
                for (std::size_t i = 0; i < 3; ++i) {
                    const Index p = s.triangles[u][i], q = s.triangles[u][(i + 1) % 3], r = s.triangles[u][(i + 2) % 3];
                    if (std::minmax(p, q) != std::minmax(v[0], v[1])) continue;
                    cut.push_back({{p, m, r}, u});
                    cut.push_back({{m, q, r}, u});
                }
        }
        std::set<Index> replaced;
        for (const auto& [piece, of] : cut) {
            if (replaced.insert(of).second) {
                s.triangles[of] = piece;
                continue;
            }
            s.triangles.push_back(piece);
            s.zone_of.push_back(s.zone_of[of]);
        }
    }
    return s;
}

/// A chest of six plates with gaps between or none, each divided in its own way: joined, it holds what it should, and
/// there is nothing else between its plates. Each is a part of its own, or all are one.
TEST(Space, ASeamIsClosedHoweverItsSidesAreDivided) {
    for (unsigned seed = 0; seed < 36; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> width(0, 0.1), extent(60, 150), wall(4, 10);
        auto gap = [&](std::mt19937& r) { return r() % 3 == 0 ? 0 : width(r); };
        const double x = extent(random), y = extent(random), z = extent(random), w = wall(random);
        const std::array<double, 4> g{gap(random), gap(random), gap(random), gap(random)};
        std::vector<Surface> plates{box({-w, 0, 0}, {0, y, z}, "left"),
                                    box({x, 0, 0}, {x + w, y, z}, "right"),
                                    box({-w, -w - g[0], 0}, {x + w, -g[0], z}, "front"),
                                    box({-w, y + g[1], 0}, {x + w, y + g[1] + w, z}, "back"),
                                    box({-w - 2, -w - 2, -w - g[2]}, {x + w + 2, y + w + 2, -g[2]}, "floor"),
                                    box({-w - 2, -w - 2, z + g[3]}, {x + w + 2, y + w + 2, z + g[3] + w}, "lid")};
        for (Surface& plate : plates) plate = divided_at_random(plate, static_cast<int>(random() % 20), random);
        const Placement turn = Placement::turned({1, 0.1 * seed, 2}, 11.0 * seed, {});
        Surface chest = joined(plates);
        for (Vec3& p : chest.points) p = with_twelve_digits(turn(p));
        if (seed % 2 == 1) {
            for (Zone& plate : chest.zones) plate.part = "chest";
            weld(chest, 1e-9);
        }
        const Space space = divide_space(chest, {}, {.join = 0.15});
        // What two plates have in common, or leave between them out of sight, is dust.
        double held = 0, area = 0, dust = 0;
        for (const SpaceCell& cell : space.cells) {
            const bool is_held = cell.inside_of.empty() && std::isfinite(cell.volume) && cell.volume > 1000;
            held += is_held ? cell.volume : 0;
            area += is_held ? cell.area : 0;
            dust += is_held || cell.inside_of.size() == 1 || !std::isfinite(cell.volume) ? 0 : cell.volume;
        }
        EXPECT_NEAR(held, x * y * z, 1.4 * (x * y * (g[2] + g[3]) + x * z * (g[0] + g[1])) + 10) << seed;
        EXPECT_NEAR(area, 2 * (x * y + y * z + z * x), 0.01 * area) << seed;
        EXPECT_LT(dust, 10) << seed;
    }
}

TEST(Openings, OfADuctMadeOfFourPartsAndOfASkinThatEndsInAWave) {
    // Four boards, each a part of its own.
    const Surface boards = joined({box({0, 0, 0}, {1, 4, 10}, "left"), box({3, 0, 0}, {4, 4, 10}, "right"),
                                   box({1, 0, 0}, {3, 1, 10}, "front"), box({1, 3, 0}, {3, 4, 10}, "back")});
    std::vector<Opening> openings = find_openings(boards);
    ASSERT_EQ(openings.size(), 2U);
    EXPECT_NEAR(openings[0].area, 4, 1e-12);
    EXPECT_EQ(openings[0].rim_zones, (std::vector<std::string>{"back", "front", "left", "right"}));
    for (Opening& o : openings) o.zone = {"end", Role::inlet};
    // A dozen and more at once.
    std::vector<Surface> pipes;
    for (int k = 0; k < 8; ++k) {
        pipes.push_back(kit::pipe(0.8, 1, 3, 12, "pipe-" + std::to_string(k)));
        for (Vec3& p : pipes.back().points) p.x += 2.5 * k;
    }
    EXPECT_EQ(find_openings(joined(pipes)).size(), 16U);
    EXPECT_NEAR(extract_region(boards, openings, {2, 2, 5}, kMetre).volume, 40, 1e-9);

    auto wavy_skin = [](int n) {
        Surface s = kit::cylinder(1, 4, n);
        std::erase_if(s.triangles, [&](const Triangle& t) {
            return std::all_of(t.begin(), t.end(), [&](Index p) { return s.points[p].z > 3.9; });
        });
        s.zone_of.assign(s.triangles.size(), 0);
        for (Vec3& p : s.points)
            if (p.z > 3.9) p.z += 0.4 * (p.x * p.x - p.y * p.y);
        drop_unused_points(s);
        return s;
    };
    EXPECT_EQ(find_openings(wavy_skin(700)).size(), 1U);  // however many points its rim has
    const Surface skin = wavy_skin(32);
    std::vector<Opening> wavy = find_openings(skin);
    ASSERT_EQ(wavy.size(), 1U);
    EXPECT_FALSE(wavy[0].is_flat);
    wavy[0].zone = {"mouth", Role::outlet};
    EXPECT_NEAR(extract_region(skin, wavy, {0.1, 0.1, 1}, kMetre).volume, 4 * ring_area(32, 1, 0), 0.5);
    // A duct brings it to a flat end, 1 beyond its highest point.
    wavy[0] = moved(skin, wavy[0], 1);
    EXPECT_NEAR(extract_region(skin, wavy, {0.1, 0.1, 1}, kMetre).volume, 5.4 * ring_area(32, 1, 0), 1e-9);
}

TEST(Surrounds, SidesOfABoxMayBeZonesOfTheirOwn) {
    SurroundOptions options;
    options.sides_apart = true;
    for (const Vec3& flow : {Vec3{1, 0, 0}, Vec3{0, -1, 0}}) {
        options.flow = flow;
        const Surface s = make_surround(box({0, 0, 0}, {1, 1, 1}, "body"), options, kMetre).surface;
        const Vec3 to_left = cross(options.up, flow);
        for (Index t = 0; t < s.triangles.size(); ++t) {
            const Vec3 n = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
            const std::string& zone = s.zones[s.zone_of[t]].name;
            EXPECT_NE(zone, "sides");
            EXPECT_EQ(zone == "left", dot(n, to_left) > 0.9);
            EXPECT_EQ(zone == "right", dot(n, to_left) < -0.9);
        }
    }
}

// ---- Leaks --------------------------------------------------------------------------------------------------------

TEST(Leaks, NameTheGapAndAWayOutThatIsClear) {
    const Surface pot = joined({box({0, 0, 0}, {10, 10, 1}, "floor"), box({0, 0, 1}, {1, 10, 10}, "w1"),
                                box({9, 0, 1}, {10, 10, 10}, "w2"), box({1, 0, 1}, {9, 1, 10}, "w3"),
                                box({1, 9, 1}, {9, 10, 10}, "w4"), box({-1, -1, 10.05}, {11, 11, 11}, "lid")});
    try {
        extract_region(pot, {}, {5, 5, 5}, kMetre);
        FAIL() << "it leaks";
    } catch (const LeakError& e) {
        ASSERT_EQ(e.leaks().size(), 1U);
        const Leak& leak = e.leaks()[0];
        EXPECT_EQ(leak.kind, Leak::Kind::gap);
        EXPECT_NEAR(leak.width, 0.05, 1e-9);
        EXPECT_NEAR(leak.at.z, 10.025, 0.026);
        EXPECT_NE(std::find(leak.zones.begin(), leak.zones.end(), "lid"), leak.zones.end());
        ASSERT_GT(leak.path.size(), 2U);
        EXPECT_EQ(leak.path.front(), (Vec3{5, 5, 5}));
        EXPECT_GT(pot.bounds().distance_squared_to(leak.path.back()), 0);
        EXPECT_NE(std::string(e.what()).find("join = \"0.055 m\""), std::string::npos) << e.what();
    }
    // Where a join should have closed it already the message does not offer a smaller one.
    Space unjoined = divide_space(pot);
    unjoined.join = 0.2;
    try {
        choose_regions(unjoined, {{.inside = Vec3{5, 5, 5}}}, kMetre);
        FAIL() << "it leaks";
    } catch (const LeakError& e) {
        EXPECT_NE(std::string(e.what()).find("has not closed it"), std::string::npos) << e.what();
        EXPECT_NE(std::string(e.what()).find("join = \"0.4 m\""), std::string::npos) << e.what();
    }
    // What the message offers helps.
    const Space joint = divide_space(pot, {}, {.join = 0.055});
    EXPECT_NEAR(choose_regions(joint, {{.inside = Vec3{5, 5, 5}}}, kMetre).volume, 8 * 8 * 9.05, 1e-9);
}

/// A piece of a tube round z, in n steps round and m along.
Surface tube_piece(double inner, double outer, double begin, double end, double low, double high, Index n, Index m,
                   const std::string& name) {
    Surface s;
    s.zones = {{name}};
    s.zones[0].part = name;
    auto patch = [&](Index columns, Index rows, auto at) {
        const auto first = static_cast<Index>(s.points.size());
        for (Index i = 0; i <= columns; ++i)
            for (Index j = 0; j <= rows; ++j) s.points.push_back(at(i, j));
        for (Index i = 0; i < columns; ++i)
            for (Index j = 0; j < rows; ++j) {
                const Index a = first + i * (rows + 1) + j, b = a + rows + 1;
                s.triangles.push_back({a, b, b + 1});
                s.triangles.push_back({a, b + 1, a + 1});
            }
    };
    auto at = [&](double r, double i, double j) {
        const double angle = begin + (end - begin) * i / n;
        return Vec3{r * std::cos(angle), r * std::sin(angle), low + (high - low) * j / m};
    };
    auto radius = [&](Index k) { return k == 0 ? inner : outer; };
    patch(n, m, [&](Index i, Index j) { return at(outer, i, j); });
    patch(m, n, [&](Index j, Index i) { return at(inner, i, j); });
    patch(n, 1, [&](Index i, Index k) { return at(radius(k), i, 0); });
    patch(1, n, [&](Index k, Index i) { return at(radius(k), i, m); });
    patch(1, m, [&](Index k, Index j) { return at(radius(k), 0, j); });
    patch(m, 1, [&](Index j, Index k) { return at(radius(k), n, j); });
    s.zone_of.assign(s.triangles.size(), 0);
    weld(s);
    return s;
}

TEST(Join, LaysCurvedHalvesOntoEachOtherAllAlong) {
    // Two lengths of duct, the first of three pieces, the second of two: seams of 0 and 0.05, divisions that never fit.
    const double gap = 0.05 / 40, turn = 2 * pi / 3;
    const Surface duct = joined({tube_piece(40, 46, 0, turn - gap, 0, 90, 24, 7, "a"),
                                 tube_piece(40, 46, turn, 2 * turn - gap, 0, 90, 31, 5, "b"),
                                 tube_piece(40, 46, 2 * turn, 3 * turn, 0, 90, 17, 4, "c"),
                                 tube_piece(40, 46, 0.3, 0.3 + pi - gap, 90.05, 160, 41, 6, "d"),
                                 tube_piece(40, 46, 0.3 + pi, 0.3 + 2 * pi, 90.05, 160, 29, 9, "e")});
    const std::vector<Opening> all = find_openings(split_at_sharp_edges(duct, 40), {.join = 0.1});
    ASSERT_EQ(all.size(), 2U);
    for (const Opening& o : all) {
        EXPECT_NEAR(o.seam, 0.05, 0.005);
        EXPECT_NEAR(o.area, pi * 40 * 40, 0.01 * o.area);
    }
    std::vector<Opening> openings = all;
    openings[0].zone = {"left", Role::inlet};
    openings[1].zone = {"right", Role::outlet};
    const Space space = divide_space(duct, openings, {.join = 0.1});
    EXPECT_EQ(space.part_is_closed, (std::vector<bool>(5, true)));
    const Domain d = choose_regions(space, {{.name = "gas", .at_zone = "left", .is_behind = true}}, kMetre);
    auto section = [](double angle, Index n) { return n * 0.5 * 40 * 40 * std::sin(angle / n); };
    const double first = section(turn, 24) + section(turn, 31) + section(turn, 17),
                 second = section(pi, 41) + section(pi, 29);
    EXPECT_NEAR(d.volume, first * 90 + second * 70, 1e-3 * d.volume);
    double wall = 0;
    for (Index t = 0; t < d.boundary.triangles.size(); ++t)
        if (d.boundary.zones[d.boundary.zone_of[t]].role == Role::wall)
            wall += triangle_area(d.boundary.corner(t, 0), d.boundary.corner(t, 1), d.boundary.corner(t, 2));
    EXPECT_NEAR(wall, 2 * pi * 40 * 160, 0.005 * wall);  // a film would add its own area twice
    // Without it the seams leak, and the message says what closes them.
    EXPECT_NE(message_of([&] {
                  choose_regions(divide_space(duct, openings), {{.name = "gas", .inside = Vec3{1, 1, 50}}}, kMetre);
              }).find("[domain] join = "),
              std::string::npos);
}

TEST(Leaks, ComeWidestFirst) {
    Surface s = split_at_sharp_edges(kit::pipe(0.8, 1, 5, 48), 40);
    s.triangles.erase(s.triangles.begin() + 1);  // and a hole in the outside, which does not matter
    s.zone_of.pop_back();
    const std::vector<Leak> leaks = find_leaks(s, {0, 0, 2});
    ASSERT_GE(leaks.size(), 2U);
    for (std::size_t k = 1; k < leaks.size(); ++k) EXPECT_GE(leaks[k - 1].width, leaks[k].width);
    EXPECT_EQ(leaks[0].kind, Leak::Kind::opening);
    EXPECT_NEAR(leaks[0].width, 1.6, 0.02);
    EXPECT_TRUE(find_leaks(s, {5, 5, 5}).empty());
}

// ---- Surrounds ----------------------------------------------------------------------------------------------------

double volume_around(const Surface& body, const SurroundOptions& o) {
    const Surround around = make_surround(body, o, kMetre);
    const Space space = divide_space(body, {}, {.surround = &around.surface});
    // What is enclosed adds up: the flow, and bodies inside and outside.
    return choose_regions(space, {{.name = "air", .is_around = true}}, kMetre).volume;
}

TEST(Surround, BoxesByLengthsDistancesAndCorners) {
    const Surface body = box({0, 0, 1}, {2, 1, 2}, "body");
    SurroundOptions o;
    o.ahead = {5, true};
    o.behind = {10, true};
    o.aside = {6, false};
    o.above = {7, false};
    EXPECT_NEAR(volume_around(body, o), 32.0 * 13 * 15 - 2, 1e-9);
    o.below = Reach{1, false};
    EXPECT_NEAR(volume_around(body, o), 32.0 * 13 * 9 - 2, 1e-9);
    o.ground = true;  // on which the body stands
    EXPECT_NEAR(volume_around(body, o), 32.0 * 13 * 8 - 2, 1e-9);
    o.ground_at = 1.5;  // half of it sunk in
    EXPECT_NEAR(volume_around(body, o), 32.0 * 13 * 7.5 - 1, 1e-9);
    o.symmetry = SymmetryPlane{{0, 1, 0}, 0.25};
    EXPECT_NEAR(volume_around(body, o), 32.0 * 6.75 * 7.5 - 0.75, 1e-9);
    o.symmetry = SymmetryPlane{{0, -1, 0}, 0.25};
    EXPECT_NEAR(volume_around(body, o), 32.0 * 6.25 * 7.5 - 0.25, 1e-9);
    const Surround half = make_surround(body, o, kMetre);
    EXPECT_NEAR(half.frontal_area, 0.25 * 0.5, 0.01 * 0.125);
    EXPECT_TRUE(half.warnings.empty());
    for (const char* name : {"inflow", "outflow", "sides", "top", "ground", "symmetry"})
        EXPECT_GT(area_of_zone(half.surface, name), 0) << name;
    SurroundOptions corners;
    corners.corners = Box{{-1, -1, 0}, {3, 2, 4}};
    EXPECT_NEAR(volume_around(body, corners), 4 * 3 * 4 - 2, 1e-9);
    const auto small = make_surround(body, corners, kMetre).warnings;
    ASSERT_EQ(small.size(), 3U);
    EXPECT_NE(small[0].find("blocks 8.3 %"), std::string::npos) << small[0];
    EXPECT_NE(small[1].find("0.5 body lengths ahead"), std::string::npos) << small[1];
    corners.corners = Box{{10, 10, 10}, {12, 12, 12}};
    EXPECT_NE(message_of([&] { make_surround(body, corners, kMetre); }).find("lies beside the bodies"),
              std::string::npos);
    // Along another direction.
    SurroundOptions askew;
    askew.flow = {1, 1, 0};
    askew.ground = true;
    const double length = 3 / std::sqrt(2.0);
    EXPECT_NEAR(volume_around(body, askew), 21 * length * (10 * length + length) * (1 + 5 * length) - 2, 1e-8);
}

TEST(Surround, RoundShapesWholeAndCut) {
    const Surface body = box({-1, -1, -1}, {1, 1, 1}, "body");
    const double turn = 128 / pi / 2 * std::sin(2 * pi / 128);  // a polygon's share of the circle's area
    SurroundOptions o;
    o.shape = SurroundShape::cylinder;
    o.ahead = o.behind = o.aside = {8, false};
    const double r = 8 + std::sqrt(2.0);
    EXPECT_NEAR(volume_around(body, o), 18 * pi * r * r * turn - 8, 1e-8);
    o.ground = true;
    o.ground_at = 0;
    EXPECT_NEAR(volume_around(body, o), 9 * pi * r * r * turn - 4, 1e-8);
    o.symmetry = SymmetryPlane{{0, -1, 0}, 0};
    EXPECT_NEAR(volume_around(body, o), 4.5 * pi * r * r * turn - 2, 1e-8);
    o = {};
    o.shape = SurroundShape::sphere;
    o.center = Vec3{0, 0, 0};
    o.radius = 10;
    EXPECT_NEAR(volume_around(body, o), 4.0 / 3 * pi * 1000 - 8, 8);
    o.shape = SurroundShape::half_sphere;
    EXPECT_NE(message_of([&] { make_surround(body, o, kMetre); }).find("half-sphere needs the plane"),
              std::string::npos);
    o.symmetry = SymmetryPlane{{0, 1, 0}, 0};
    EXPECT_NEAR(volume_around(body, o), 2.0 / 3 * pi * 1000 - 4, 4);
    o = {};
    o.shape = SurroundShape::bullet;
    o.ahead = {20, false};
    o.behind = {30, false};
    o.aside = {8, false};
    EXPECT_NEAR(volume_around(body, o), (2.0 / 3 * r + 52 - r) * pi * r * r - 8, 0.002 * 52 * pi * r * r);
    o.aside = {60, false};
    EXPECT_NE(message_of([&] { make_surround(body, o, kMetre); }).find("nose"), std::string::npos);
    o.aside = {-1, false};
    EXPECT_NE(message_of([&] { make_surround(body, o, kMetre); }).find("measured outwards"), std::string::npos);
}

TEST(Surround, OfBodiesThatPokeIntoEachOther) {
    const Surface bodies = joined({box({0, 0, 0}, {2, 1, 1}, "hull"), box({0.5, 0.25, 0.5}, {1, 0.75, 2}, "mast"),
                                   box({2, 0, 0}, {3, 1, 1}, "stern")});
    SurroundOptions o;
    o.ahead = o.behind = o.aside = o.above = {10, false};
    EXPECT_NEAR(volume_around(bodies, o), 23.0 * 21 * 22 - 3 - 0.25, 1e-9);
    // All cells together are the surround; with bodies that have no names too.
    Surface nameless = bodies;
    for (Zone& z : nameless.zones) z.part.clear();
    const Surround around = make_surround(nameless, o, kMetre);
    const Space space = divide_space(nameless, {}, {.surround = &around.surface});
    double sum = 0;
    for (std::size_t c = 1; c < space.cells.size(); ++c) sum += space.cells[c].volume;
    EXPECT_NEAR(sum, 23.0 * 21 * 22, 1e-9);
    EXPECT_NEAR(volume_around(nameless, o), 23.0 * 21 * 22 - 3 - 0.25, 1e-9);
}

TEST(Surround, WhatStandsHollowOnTheGroundIsNotRoundIt) {
    const Surface bell =
        joined({box({0, 0, 0}, {1, 4, 3}, "a"), box({3, 0, 0}, {4, 4, 3}, "b"), box({1, 0, 0}, {3, 1, 3}, "c"),
                box({1, 3, 0}, {3, 4, 3}, "d"), box({0, 0, 3}, {4, 4, 4}, "roof")});
    SurroundOptions o;
    o.ahead = o.behind = o.aside = o.above = {10, false};
    o.ground = true;
    EXPECT_NEAR(volume_around(bell, o), 24.0 * 24 * 14 - 64, 1e-9);
}

}  // namespace
}  // namespace anvilcast
