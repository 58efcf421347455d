// Plane meshes whose sides repeat, and what is swept from them.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/sheet.hpp>
#include <anvilcast/sweep.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

#include "kit/scratch.hpp"

namespace anvilcast {
namespace {

constexpr double kPi = std::numbers::pi;
constexpr Vec2 kBeside{0.1, 0.2};  // the slat of a cascade

Vec2 turned(const Vec2& p, double degrees) {
    const double c = std::cos(degrees * kPi / 180), s = std::sin(degrees * kPi / 180);
    return {c * p.x - s * p.y, s * p.x + c * p.y};
}

PeriodicRequest pair(const std::string& first, const std::string& second) {
    PeriodicRequest out;
    out.first = first;
    out.second = second;
    return out;
}

PlaneRequest request(std::vector<PlaneCurve> curves, double size, PlaneCells cells, std::vector<PeriodicRequest> pairs,
                     std::optional<Vec2> inside = {}) {
    PlaneRequest out;
    out.curves = std::move(curves);
    out.areas = {{"fluid", RegionKind::fluid, inside, cells}};
    out.sizing.surface = out.sizing.largest = size;
    out.periodic = std::move(pairs);
    return out;
}

LayerRecipe layers_on(std::vector<std::string> zones, double first, int count) {
    LayerRecipe out;
    out.on = std::move(zones);
    out.first_height = first;
    out.count = count;
    out.growth = 1.3;
    return out;
}

/// One slat of a cascade: flow from left to right between bent lines that repeat upwards, the second drawn backwards.
std::vector<PlaneCurve> cascade() {
    const std::vector<Vec2> bent{{0, 0}, {0.3, 0.02}, {0.6, 0.12}, {1, 0.3}};
    std::vector<Vec2> above;
    for (const Vec2& p : bent) above.insert(above.begin(), {p.x, p.y + 0.4});
    return {{{"low"}, smooth_curve(bent)},
            {{"high"}, smooth_curve(above)},
            {{"inflow"}, straight_pieces({{0, 0.4}, {0, 0}})},
            {{"outflow"}, straight_pieces({{1, 0.3}, {1, 0.7}})},
            {{"slat"}, ellipse({0.45, 0.26}, 0.2, 0.05, 20)}};
}

/// A sector of a ring between walls, as wide as an n-th part of a turn, drawn with its sides in any order.
std::vector<PlaneCurve> sector(int n) {
    const double degrees = 360.0 / n;
    auto at = [&](double r, double share) { return turned({r, 0}, share * degrees); };
    return {{{"first"}, straight_pieces({at(1, 0), at(2, 0)})},
            {{"second"}, straight_pieces({at(2, 1), at(1, 1)})},
            {{"hub"}, arc_through(at(1, 0), at(1, 0.5), at(1, 1))},
            {{"casing"}, arc_through(at(2, 0), at(2, 0.5), at(2, 1))}};
}

/// A square cell of an array of rods, whose corners are the rods' middles.
std::vector<PlaneCurve> between_rods() {
    std::vector<PlaneCurve> out;
    const double r = 0.3, q = r * std::sqrt(0.5);
    out.push_back({{"rod"}, arc_through({r, 0}, {q, q}, {0, r})});
    out.push_back({{"rod"}, arc_through({1, r}, {1 - q, q}, {1 - r, 0})});
    out.push_back({{"rod"}, arc_through({1 - r, 1}, {1 - q, 1 - q}, {1, 1 - r})});
    out.push_back({{"rod"}, arc_through({0, 1 - r}, {q, 1 - q}, {r, 1})});
    out.push_back({{"low"}, straight_pieces({{r, 0}, {1 - r, 0}})});
    out.push_back({{"high"}, straight_pieces({{r, 1}, {1 - r, 1}})});
    out.push_back({{"left"}, straight_pieces({{0, r}, {0, 1 - r}})});
    out.push_back({{"right"}, straight_pieces({{1, r}, {1, 1 - r}})});
    return out;
}

/// Every edge of a first zone has its image on the second, which has no others; all of it is a sound mesh.
void expect_repeats(const PlanarMesh& mesh, std::size_t n_pairs, const std::string& what) {
    ASSERT_EQ(mesh.periodic.size(), n_pairs) << what;
    const VolumeMesh sheet = sheet_of(mesh);
    for (const std::string& fault : find_faults(sheet)) ADD_FAILURE() << what << ": " << fault;
    for (const PeriodicPair& p : mesh.periodic) {
        std::array<std::vector<PlanarEdge>, 2> edges;
        for (const PlanarEdge& e : mesh.edges)
            for (std::size_t k = 0; k < 2; ++k)
                if (mesh.zones[e.zone].name == (k == 0 ? p.first : p.second)) {
                    edges[k].push_back(e);
                    EXPECT_EQ(mesh.zones[e.zone].role, Role::periodic);
                }
        ASSERT_EQ(edges[0].size(), edges[1].size()) << what;
        ASSERT_GT(edges[0].size(), 2U) << what;
        auto place = [&](Index i) { return Vec3{mesh.points[i].x, mesh.points[i].y, 0}; };
        for (const PlanarEdge& e : edges[0]) {
            double least = 1;
            for (const PlanarEdge& f : edges[1])
                least = std::min(least, std::max(distance(p.image(place(e.from)), place(f.to)),
                                                 distance(p.image(place(e.to)), place(f.from))));
            EXPECT_LT(least, 1e-14) << what;
        }
    }
}

TEST(PlaneRepeats, SidesAreEqualWithAllKindsOfCells) {
    for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::quadrangles}) {
        PlaneRequest slats = request(cascade(), 0.03, cells, {pair("low", "high")}, kBeside);
        slats.layers = {layers_on({"slat"}, 0.002, 6)};
        const PlaneResult made = mesh_plane(slats);
        expect_repeats(made.mesh, 1, "cascade");
        EXPECT_NEAR(made.mesh.periodic[0].image.origin.y, 0.4, 1e-15);
    }
    for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::quadrangles, PlaneCells::mapped})
        for (const int n : {3, 7, 12, 40}) {
            const PlaneResult made =
                mesh_plane(request(sector(n), std::min(0.2, 2.0 / n), cells, {pair("first", "second")}));
            expect_repeats(made.mesh, 1, "sector");
            EXPECT_NEAR(screw_of(made.mesh.periodic[0].image).degrees, 360.0 / n, 1e-12);
        }
}

TEST(PlaneRepeats, LayersSlideAlikeAlongBoth) {
    for (const int n : {5, 12}) {
        PlaneRequest r =
            request(sector(n), 0.08, PlaneCells::triangles, {pair("second", "first")}, turned({1.2, 0}, 100.0 / n));
        // Less room is left beside a block before one side than beside the other.
        r.curves.push_back({{"block"}, ellipse(turned({1.6, 0}, 80.0 / n), 0.05, 0.05)});
        r.layers = {layers_on({"hub", "casing"}, 0.01, 8)};
        const PlaneResult made = mesh_plane(r);
        expect_repeats(made.mesh, 1, "layers");
        for (const ZoneLayers& z : made.layers) EXPECT_GT(z.full_area, 0.98 * z.area);
    }
    // A wall on one side only of what repeats: layers end before both.
    std::vector<PlaneCurve> half = cascade();
    half.pop_back();
    PlaneRequest r = request(half, 0.03, PlaneCells::triangles, {pair("inflow", "outflow")});
    r.curves[1].pieces = smooth_curve({{1, 0.7}, {0.5, 0.55}, {0, 0.4}});
    r.layers = {layers_on({"low", "high"}, 0.003, 5)};
    expect_repeats(mesh_plane(r).mesh, 1, "channel");
}

TEST(PlaneRepeats, TwoPairsShareWhatLiesBetween) {
    PlaneRequest r = request(between_rods(), 0.05, PlaneCells::triangles, {pair("low", "high"), pair("left", "right")});
    r.layers = {layers_on({"rod"}, 0.004, 6)};
    expect_repeats(mesh_plane(r).mesh, 2, "rods");
    // Corners that two pairs have in common, a body across none of them, and sizes that are felt beyond the side.
    const std::vector<Vec2> c{{0, 0}, {1.1, 0.1}, {1.4, 1.2}, {0.3, 1.1}};
    PlaneRequest skewed =
        request({{{"low"}, straight_pieces({c[0], c[1]})},
                 {{"right"}, straight_pieces({c[1], c[2]})},
                 {{"high"}, straight_pieces({c[2], c[3]})},
                 {{"left"}, straight_pieces({c[3], c[0]})},
                 {{"rod"}, circle({1.2, 0.7}, 0.04)}},
                0.2, PlaneCells::triangles, {pair("low", "high"), pair("left", "right")}, Vec2{0.7, 0.6});
    skewed.sizing.per_turn = 24;
    skewed.sizing.growth = 1.2;
    const PlanarMesh mesh = mesh_plane(skewed).mesh;
    expect_repeats(mesh, 2, "skewed");
    double least = 1;
    for (const PlanarEdge& e : mesh.edges)
        if (mesh.zones[e.zone].name == "left")
            least = std::min(least, std::hypot(mesh.points[e.to].x - mesh.points[e.from].x,
                                               mesh.points[e.to].y - mesh.points[e.from].y));
    EXPECT_LT(least, 0.06);
}

TEST(PlaneRepeats, DivisionsOfEitherSideRuleBoth) {
    for (const std::size_t given : {0U, 1U}) {
        PlaneRequest r = request(sector(8), 0.2, PlaneCells::mapped, {pair("first", "second")});
        r.curves[given].divisions = 11;
        r.curves[given].bias = 4;
        const PlanarMesh mesh = mesh_plane(r).mesh;
        expect_repeats(mesh, 1, "divided");
        EXPECT_EQ(std::count_if(mesh.edges.begin(), mesh.edges.end(),
                                [&](const PlanarEdge& e) { return mesh.zones[e.zone].name == "second"; }),
                  11);
    }
}

std::string refusal(const PlaneRequest& r) {
    return kit::message_of<Error>([&r] { mesh_plane(r); });
}

TEST(PlaneRepeats, WhatDoesNotRepeatIsRefusedWithItsPlace) {
    auto refused = [](std::vector<PlaneCurve> curves, PeriodicRequest p) {
        return refusal(request(std::move(curves), 0.1, PlaneCells::triangles, {std::move(p)}, kBeside));
    };
    EXPECT_NE(refused(cascade(), pair("low", "hihg")).find("did you mean \"high\""), std::string::npos);
    EXPECT_NE(refused(cascade(), pair("slat", "high")).find("not each other's image"), std::string::npos);
    EXPECT_NE(refused(cascade(), pair("inflow", "high")).find("not each other's image"), std::string::npos);
    PeriodicRequest told = pair("low", "high");
    told.image = Placement::moved({0, 0.41, 0});
    EXPECT_NE(refused(cascade(), told).find("differs from \"high\" by 0.01 m"), std::string::npos);
    told.image = Placement::moved({0, 0.4, 0.1});
    EXPECT_NE(refused(cascade(), told).find("in a plane"), std::string::npos);
    std::vector<PlaneCurve> met = cascade();
    met.push_back({{"rib"}, straight_pieces({{1, 0.45}, {1.2, 0.45}})});
    met.push_back({{"rib"}, straight_pieces({{1.2, 0.45}, {1.2, 0.6}, {1, 0.6}})});
    const std::string words = refusal([&] {
        PlaneRequest r = request(met, 0.1, PlaneCells::triangles, {pair("inflow", "outflow")}, kBeside);
        r.areas.push_back({"pocket", RegionKind::solid, Vec2{1.1, 0.5}});
        return r;
    }());
    EXPECT_NE(words.find("areas on both sides"), std::string::npos) << words;
    PlaneRequest contradicting = request(sector(8), 0.2, PlaneCells::triangles, {pair("first", "second")});
    contradicting.curves[0].divisions = 5;
    contradicting.curves[1].divisions = 6;
    EXPECT_NE(refusal(contradicting).find("5 and 6 edges"), std::string::npos);
    PlaneRequest twice =
        request(between_rods(), 0.1, PlaneCells::triangles, {pair("low", "high"), pair("high", "low")});
    EXPECT_NE(refusal(twice).find("at one other only"), std::string::npos);
}

TEST(PlaneRepeats, GoOnInSpaceWhereTheSweepLetsThem) {
    const PlanarMesh slats =
        mesh_plane(request(cascade(), 0.06, PlaneCells::triangles, {pair("low", "high")}, kBeside)).mesh;
    SweepOptions o;
    o.steps = 4;
    o.ends_repeat = true;
    const VolumeMesh straight = sweep(slats, StraightPath{{0.1, 0.2, 0.5}}, o);
    EXPECT_TRUE(find_faults(straight).empty());
    ASSERT_EQ(straight.periodic.size(), 2U);
    EXPECT_EQ(straight.periodic[1].image.origin, (Vec3{0.1, 0.2, 0.5}));
    EXPECT_EQ(std::count_if(straight.zones.begin(), straight.zones.end(),
                            [](const BoundaryZone& z) { return z.role == Role::periodic; }),
              4);
    // Round a line along which the sides repeat, and one along which they do not.
    const VolumeMesh bend = sweep(slats, RoundPath{{-1, 0}, {-1, 1}, 40}, o);
    EXPECT_TRUE(find_faults(bend).empty());
    ASSERT_EQ(bend.periodic.size(), 2U);
    EXPECT_NEAR(screw_of(bend.periodic[1].image).degrees, 40, 1e-10);
    EXPECT_THROW(sweep(slats, RoundPath{{0, -1}, {1, -1}, 40}, o), InputError);
    // A sector goes on as a screw does, and no longer repeats where it is scaled or its ends are none.
    const PlanarMesh ring = mesh_plane(request(sector(6), 0.3, PlaneCells::mapped, {pair("first", "second")})).mesh;
    SweepOptions twisted = o;
    twisted.twist_deg = 30;
    const VolumeMesh screw = sweep(ring, StraightPath{{0, 0, 1}}, twisted);
    EXPECT_TRUE(find_faults(screw).empty());
    EXPECT_NEAR(screw_of(screw.periodic[1].image).degrees, 30, 1e-10);
    twisted.scale_at_end = 2;
    EXPECT_THROW(sweep(ring, StraightPath{{0, 0, 1}}, twisted), InputError);
    EXPECT_THROW(sweep(slats, RoundPath{{-1, 0}, {-1, 1}, 360}, o), InputError);
}

}  // namespace
}  // namespace anvilcast
