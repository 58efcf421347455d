#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/prediction.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

constexpr double kPi = std::numbers::pi;

/// An empty room with its walls 3 m away from the middle, coarse enough not to matter.
Domain room(const std::vector<Surface>& bodies = {}) {
    std::vector<Surface> all{kit::box({-3, -3, -3}, {3, 3, 3}, "room")};
    for (const Surface& body : bodies) all.push_back(kit::flipped(body));
    return kit::inside_of(split_at_sharp_edges(joined(all), 40));
}

SizeOptions coarse() {
    SizeOptions o;
    o.surface = o.largest = 0.8;
    o.growth = 1.2;
    return o;
}

void expect_growth(const SizeField& field, double half_width, double slope) {
    const auto points = kit::random_points(20000, 11);
    for (std::size_t i = 0; i + 1 < points.size(); i += 2) {
        const Vec3 a = (points[i] - Vec3{0.5, 0.5, 0.5}) * (2 * half_width);
        // Near and far pairs alike.
        const double reach = std::pow(10.0, -3 + 3.0 * static_cast<double>(i % 7) / 6);
        const Vec3 b = a + (points[i + 1] - Vec3{0.5, 0.5, 0.5}) * reach;
        ASSERT_LE(field.at(a), 1.05 * (field.at(b) + slope * distance(a, b))) << i;
    }
}

TEST(SizeField, RefusesSizesThatAreFarTooSmallAlikeOnAnyNumberOfThreads) {
    const Domain d = room({kit::sphere({0, 0, 0}, 1, 3)});
    SizeOptions o = coarse();
    o.refine = {{.name = "skin", .on = {"ball*"}, .size = 0.01}};
    std::vector<std::string> messages;
    for (const int threads : {1, 2, 7}) {
        Context context;
        context.threads = threads;
        try {
            make_sizing(d, o, context, 20'000);
            FAIL() << "nothing was thrown";
        } catch (const FailureError& e) {
            messages.emplace_back(e.what());
        }
    }
    EXPECT_NE(messages[0].find("\"skin\""), std::string::npos) << messages[0];
    EXPECT_EQ(messages[0], messages[1]);
    EXPECT_EQ(messages[0], messages[2]);
    // The budget itself may be used up.
    const std::size_t n = make_sizing(d, o).field.n_cells();
    EXPECT_NO_THROW(make_sizing(d, o, {}, n));
    EXPECT_THROW(make_sizing(d, o, {}, n - 1), FailureError);
}

TEST(SizeField, GrowsFromAWallAsAsked) {
    const Domain d = room({kit::sphere({0, 0, 0}, 1, 4)});
    SizeOptions o = coarse();
    o.refine = {{.name = "ball", .on = {"ball*"}, .size = 0.05}};
    const SizeField field = make_size_field(d, o);
    for (const Vec3& direction : kit::random_points(300, 3)) {
        const Vec3 n = normalized(direction - Vec3{0.5, 0.5, 0.5});
        EXPECT_NEAR(field.at(n), 0.05, 0.05 * 0.08);
        for (const double r : {1.1, 1.4, 2.0}) {
            const double h = 0.05 + 0.2 * (r - 1);
            EXPECT_NEAR(field.at(n * r), h, 0.08 * h);
        }
    }
    EXPECT_NEAR(field.at({2.9, 2.9, 2.9}), 0.8, 0.03);
    expect_growth(field, 3, 0.2);
    EXPECT_NEAR(field.smallest(), 0.05, 0.003);
    EXPECT_EQ(field.sources()[field.source_at({1.05, 0, 0})], "ball");
    // Outside of its box the field holds what its rim says.
    EXPECT_NEAR(field.at({50, 0, 0}), 0.05 + 0.2 * 2, 0.03);
}

TEST(SizeField, EveryShapeHoldsItsSizeInsideAndGrowsOutside) {
    struct Shape {
        Volume volume;
        Vec3 inside, outside;
        double distance;  // from it to the place outside
    };
    const std::vector<Shape> shapes{
        {BoxVolume{{-1, -1, -1}, {0, 1, 1}}, {-0.9, 0.9, 0.9}, {1, 0, 0}, 1},
        {BallVolume{{0, 0, 0}, 1}, {0.5, 0.5, 0.5}, {0, 2, 0}, 1},
        {ConeVolume{{0, 0, -1}, {0, 0, 1}, 0.5, 0.5}, {0.3, 0.3, 0.9}, {1.5, 0, 0}, 1},
        {ConeVolume{{0, 0, -1}, {0, 0, 1}, 0, 1}, {0, 0.8, 0.9}, {0, 0, 2}, 1},
        {ConeVolume{{0, 0, -1}, {0, 0, 1}, 1, 0}, {0, 0, 0.8}, {2, 0, -1}, 1},
        {ConeVolume{{0, 0, -1}, {0, 0, 1}, 0.5, 0.5, true}, {0, 0, 1.4}, {0, 0, 2.5}, 1},
        {BodyVolume{kit::box({-1, -1, -1}, {1, 1, 1})}, {0.9, -0.9, 0.9}, {0, 0, 2}, 1},
    };
    for (std::size_t i = 0; i < shapes.size(); ++i) {
        SizeOptions o = coarse();
        o.refine = {{.name = "shape", .volume = shapes[i].volume, .size = 0.06}};
        const Sizing sizing = make_sizing(room(), o);
        EXPECT_TRUE(sizing.warnings.empty()) << i;
        EXPECT_NEAR(sizing.field.at(shapes[i].inside), 0.06, 0.004) << i;
        EXPECT_NEAR(sizing.field.at(shapes[i].outside), 0.26, 0.02) << i;
        expect_growth(sizing.field, 3, 0.2);
    }
}

TEST(SizeField, VolumesFollowBodies) {
    const Domain d = room({kit::box({-0.5, -0.2, -0.2}, {0.5, 0.2, 0.2}, "body")});
    SizeOptions o = coarse();
    o.refine = {{.name = "relative", .volume = RelativeBox{"body*", {1, 0, 0}, {2, 1, 1}}, .size = 0.1}};
    EXPECT_NEAR(make_size_field(d, o).at({1.0, 0, 0}), 0.1, 0.006);
    EXPECT_NEAR(make_size_field(d, o).at({2.5, 0, 0}), 0.3, 0.03);
    // Twenty degrees wide: at x = 2.5 the wake is 0.2 + 2.5 tan 20 = 1.11 high.
    o.refine = {{.name = "wake", .volume = WakeVolume{"body*", {1, 0, 0}, 20, 2.2}, .size = 0.1}};
    const SizeField wake = make_size_field(d, o);
    EXPECT_NEAR(wake.at({2.5, 0, 1.0}), 0.1, 0.006);
    EXPECT_GT(wake.at({2.5, 0, 1.9}), 0.2);
    EXPECT_GT(wake.at({-1.5, 0, 0}), 0.3);
    // All of a region, which is the room without the body here.
    o.refine = {{.name = "all", .volume = RegionVolume{d.regions.front().name}, .size = 0.2}};
    EXPECT_NEAR(make_size_field(d, o).at({2.0, 2.0, 0}), 0.2, 0.006);
    o.refine = {{.name = "lost", .volume = RegionVolume{"nowhere"}, .size = 0.1}};
    EXPECT_NE(kit::message_of<InputError>([&] { make_sizing(d, o); }).find("nowhere"), std::string::npos);
    o.refine = {{.name = "lost", .volume = RelativeBox{"nobody"}, .size = 0.1}};
    EXPECT_NE(kit::message_of<InputError>([&] { make_sizing(d, o); }).find("there are body"), std::string::npos);
}

TEST(SizeField, RefinementsHaveTheirOwnGrowthAndThickness) {
    SizeOptions o = coarse();
    o.refine = {{.name = "slow", .points = {{0, 0, 0}}, .size = 0.05, .growth = 1.05}};
    EXPECT_NEAR(make_size_field(room(), o).at({2, 0, 0}), 0.15, 0.012);
    o.refine = {{.name = "thick", .volume = BallVolume{{0, 0, 0}, 0.5}, .size = 0.05, .cells_thick = 10}};
    EXPECT_NEAR(make_size_field(room(), o).at({0.95, 0, 0}), 0.05, 0.006);
    EXPECT_NEAR(make_size_field(room(), o).at({2, 0, 0}), 0.25, 0.02);
}

TEST(SizeField, AtLeastRaisesWallsAndLetsSizesGrow) {
    const Domain d = room({kit::sphere({0, 0, 0}, 0.2, 3)});
    SizeOptions o = coarse();
    o.refine = {{.name = "ball", .on = {"ball*"}, .size = 0.02},
                {.name = "coarse", .volume = BallVolume{{0, 0, 0}, 1}, .at_least = 0.3}};
    const SizeField field = make_size_field(d, o);
    EXPECT_NEAR(field.at({0.2, 0, 0}), 0.3, 0.03);
    // Beyond the largest size only in the volume, growing from its rim.
    o.largest = o.surface = 0.3;
    o.refine = {{.name = "coarse", .volume = BallVolume{{0, 0, 0}, 2}, .at_least = 0.6}};
    const SizeField larger = make_size_field(room(), o);
    EXPECT_NEAR(larger.at({0, 0, 0}), 0.6, 0.03);
    EXPECT_NEAR(larger.at({1, 0, 0}), 0.5, 0.03);
    EXPECT_NEAR(larger.at({2.2, 0, 0}), 0.3, 0.02);
    expect_growth(larger, 3, 0.2);
}

TEST(SizeField, AtLeastRaisesJustItsShareOfALargeFacet) {
    // Two triangles make each side of the box.
    const Domain d = kit::inside_of(kit::box({0, 0, 0}, {20, 20, 10}));
    SizeOptions o;
    o.surface = 0.5;
    o.largest = 5;
    o.refine = {{.name = "coarse", .volume = BallVolume{{6, 11, 0}, 4}, .at_least = 2}};
    const SizeField field = make_size_field(d, o);
    EXPECT_NEAR(field.at({6, 11, 0}), 0.5 + 0.2 * (4 - 0.35 * 0.5), 0.2);
    for (const Vec3& p : {Vec3{1.2, 11, 0}, Vec3{11, 11, 0}, Vec3{15, 3, 0}, Vec3{20, 11, 5}})
        EXPECT_NEAR(field.at(p), 0.5, 0.06);
}

TEST(SizeField, CurvatureAsksForEdgesRoundTheCircle) {
    SizeOptions o = coarse();
    o.per_turn = 24;
    EXPECT_NEAR(make_size_field(room({kit::sphere({0, 0, 0}, 1, 4)}), o).at({0, 0, 1}), 2 * kPi / 24, 0.03);
    // A cylinder of slivers from end to end: the same round its rims and along its side.
    const SizeField cylinder = make_size_field(kit::inside_of(split_at_sharp_edges(kit::cylinder(0.5, 3, 90), 40)), o);
    EXPECT_NEAR(cylinder.at({0.5, 0, 1.5}), kPi / 24, 0.02);
    EXPECT_NEAR(cylinder.at({0, 0.5, 0}), kPi / 24, 0.02);
    // A torus is curved most round its tube.
    EXPECT_NEAR(make_size_field(room({kit::torus(1, 0.25, 160, 60)}), o).at({1.25, 0, 0}), 0.5 * kPi / 24, 0.008);
    // Boxes are not curved, and curvature never asks for less than the smallest size.
    EXPECT_NEAR(make_size_field(room({kit::box({-1, -1, -1}, {1, 1, 1})}), o).at({1, 1, 0}), 0.8, 0.04);
    o.smallest = 0.4;
    EXPECT_NEAR(make_size_field(room({kit::sphere({0, 0, 0}, 1, 4)}), o).at({0, 0, 1}), 0.4, 0.03);
}

TEST(SizeField, CuttingDoesNotCurveWhatItCuts) {
    SizeOptions o = coarse();
    o.per_turn = 24;
    // A rod crossed by a plate, off its middle and askew, so that cutting makes slivers all round.
    Surface rod = split_at_sharp_edges(kit::cylinder(0.5, 4, 48), 40);
    for (Vec3& p : rod.points) p.z -= 2;
    Surface plate = kit::box({-1.4, -1.3, -0.1}, {1.5, 1.2, 0.1}, "plate");
    for (Vec3& p : plate.points) p = {p.x + 0.013 * p.y, p.y - 0.017 * p.x, p.z + 0.11 * p.x};
    const SizeField field = make_size_field(room({rod, plate}), o);
    for (const double z : {-1.0, -0.3, 0.35, 1.2})
        for (const double turn : {0.3, 1.7, 3.9})
            EXPECT_NEAR(field.at({0.5 * std::cos(turn), 0.5 * std::sin(turn), z}), kPi / 24, 0.02) << z << " " << turn;
}

TEST(SizeField, GapsAreResolvedWithinTheFluidOnly) {
    const Surface left = kit::box({-1, -1, -1}, {-0.1, 1, 1}, "left"),
                  right = kit::box({0.1, -1, -1}, {1, 1, 1}, "right");
    SizeOptions o = coarse();
    o.across_gaps = 4;
    const SizeField field = make_size_field(room({left, right}), o);
    EXPECT_NEAR(field.at({0, 0, 0}), 0.05 + 0.2 * 0.1, 0.008);
    EXPECT_NEAR(field.at({0.1, 0.3, 0.3}), 0.05, 0.006);
    // The bodies are 0.9 thick: that is no gap of the fluid's.
    EXPECT_GT(field.at({-1.5, 0, 0}), 0.15);
    // A wedge closes to nothing at its tip: the floor holds there.
    SizeOptions w;
    w.surface = w.largest = 0.3;
    w.across_gaps = 3;
    w.gap_floor = 0.02;
    const SizeField wedge = make_size_field(kit::inside_of(kit::wedge(20)), w);
    EXPECT_NEAR(wedge.smallest(), 0.02, 0.004);
    EXPECT_NEAR(wedge.at({0.9, 0, 0.5}), 0.9 * std::tan(20 * kPi / 180) / 3, 0.03);
    // An edge that points at a wall: a thin plate standing on its narrow side over the floor.
    const SizeField edge = make_size_field(room({kit::box({-1, -0.005, -2.9}, {1, 0.005, 0}, "fin")}), [] {
        SizeOptions e = coarse();
        e.across_gaps = 4;
        return e;
    }());
    EXPECT_LT(edge.at({0, 0, -2.95}), 0.045);
}

TEST(SizeField, FeatureEdgesHaveSizesAndDivisions) {
    // A wedge's back meets its sides in two upright edges at x = cos 30.
    const Domain d = kit::inside_of(kit::wedge(60));
    const double x = std::cos(kPi / 6);
    SizeOptions o;
    o.surface = o.largest = 0.2;
    o.refine = {{.name = "edges", .edges = {"back"}, .size = 0.02}};
    const SizeField field = make_size_field(d, o);
    EXPECT_NEAR(field.at({x, 0.5, 0.5}), 0.02, 0.002);
    EXPECT_NEAR(field.at({x, 0, 1}), 0.02, 0.002);
    EXPECT_NEAR(field.at({x, 0, 0.5}), 0.02 + 0.2 * 0.5, 0.012);
    EXPECT_NEAR(field.at({0, 0, 0.5}), 0.19, 0.02);

    o.refine = {{.name = "between", .between = {"sides", "back"}, .divisions = 25, .bias = 4}};
    const Sizing sizing = make_sizing(d, o);
    ASSERT_EQ(sizing.divisions.size(), 1U);
    EXPECT_EQ(sizing.divisions[0].edges.size(), 2U);
    // Fine at both ends; in the middle the bias coarser, as far as growth allows.
    EXPECT_LT(sizing.field.at({x, 0.5, 0}), 0.5 * sizing.field.at({x, 0.5, 0.5}));
    EXPECT_NEAR(sizing.field.at({x, 0.5, 0}), sizing.field.at({x, -0.5, 1}), 0.004);

    auto told = [&] { return kit::message_of<InputError>([&] { make_sizing(d, o); }); };
    o.refine = {{.name = "lost", .edges = {"rim*"}, .size = 0.02}};
    EXPECT_NE(told().find("no zone has such a name"), std::string::npos);
    const Domain ball = kit::inside_of(kit::sphere({0, 0, 0}, 1, 3));
    o.refine = {{.name = "none", .edges = {"ball"}, .size = 0.02}};
    EXPECT_NE(kit::message_of<InputError>([&] { make_sizing(ball, o); }).find("have no feature edges"),
              std::string::npos);
}

TEST(SizeField, WarnsOfVolumesThatMiss) {
    SizeOptions o = coarse();
    o.refine = {{.name = "far", .volume = BallVolume{{9, 0, 0}, 1}, .size = 0.1}};
    const Sizing sizing = make_sizing(room(), o);
    ASSERT_EQ(sizing.warnings.size(), 1U);
    EXPECT_NE(sizing.warnings[0].find("\"far\" misses the domain"), std::string::npos);
    EXPECT_NE(sizing.warnings[0].find("5"), std::string::npos) << sizing.warnings[0];
}

TEST(SizeField, RefusesNonsense) {
    const Domain d = room();
    for (const SizeOptions& bad :
         {SizeOptions{0, 0, 1.2}, SizeOptions{-1, 0, 1.2}, SizeOptions{std::nan(""), 0, 1.2}, SizeOptions{1, 0.5, 1.2},
          SizeOptions{1, 2, 1.0}, SizeOptions{1, 2, 9}, SizeOptions{1, 2, 1.2, 3}, SizeOptions{1, 2, 1.2, 0, 1},
          SizeOptions{1, 2, 1.2, 0, 0, -1}})
        EXPECT_THROW(make_size_field(d, bad), InputError);
    // Sizes that no machine could mesh end soon, with the one to blame.
    SizeOptions tiny = coarse();
    tiny.refine = {{.name = "dust", .volume = BoxVolume{{-2, -2, -2}, {2, 2, 2}}, .size = 1e-4}};
    const std::string message = kit::message_of<FailureError>([&] { make_sizing(d, tiny, {}, 200'000); });
    EXPECT_NE(message.find("dust"), std::string::npos) << message;
    tiny = {.surface = 1e-6, .largest = 0.8, .growth = 1.2, .across_gaps = 4};
    EXPECT_NE(kit::message_of<FailureError>([&] { make_sizing(d, tiny); }).find("\"surface size\""), std::string::npos);
}

TEST(SizeField, IsTheSameOnAnyNumberOfThreads) {
    const Domain d = room({kit::sphere({0, 0, 0}, 1, 4), kit::torus(2, 0.2, 80, 30)});
    SizeOptions o = coarse();
    o.per_turn = 20;
    o.across_gaps = 3;
    std::vector<SizeField> fields;
    for (const int threads : {1, 2, 7}) {
        Context context;
        context.threads = threads;
        fields.push_back(make_sizing(d, o, context).field);
    }
    for (std::size_t f = 1; f < fields.size(); ++f) {
        ASSERT_EQ(fields[f].n_cells(), fields[0].n_cells());
        for (std::size_t i = 0; i < fields[0].n_cells(); ++i) {
            ASSERT_EQ(fields[f].cell(i).sizes, fields[0].cell(i).sizes);
            ASSERT_EQ(fields[f].cell(i).source, fields[0].cell(i).source);
        }
    }
}

TEST(Prediction, SumsAnEvenFieldExactly) {
    // Regular triangles and tetrahedra of edge 0.1, times what the mesher's own come to.
    SizeOptions o;
    o.surface = o.largest = 0.1;
    const Domain d = kit::inside_of(split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 3}), 40));
    const Prediction p = predict(d, make_size_field(d, o));
    EXPECT_NEAR(p.triangles, 22 / (0.433 * 0.01), 0.1 * p.triangles);
    EXPECT_NEAR(p.cells, 6 / (0.11785 * 0.001), 0.12 * p.cells);
    double cells = 0, volume = 0;
    for (const SourceShare& s : p.sources) {
        cells += s.cells;
        volume += s.volume;
    }
    EXPECT_NEAR(cells, p.cells, 1e-6 * p.cells);
    EXPECT_NEAR(volume, 6, 0.05);
    EXPECT_NEAR(p.size_of_zone[0], 0.1, 0.003);
    const Cost cost = predict_cost(1e5, 1e6);
    EXPECT_GT(cost.seconds, 1);
    EXPECT_GT(cost.megabytes, 100);
}

TEST(SizeField, SizesGrowFasterRoundFarSmallerTriangles) {
    const SizeField even = size_field_of_places({{0, 0, 0}}, {0.1}, 0.1, 1.2);
    auto round = [&](double edge) {
        Surface two;
        two.points = {{0, 0, 0}, {edge, 0, 0}, {0.5 * edge, 0.866 * edge, 0}, {-1, -1, -1}, {1, -1, -1}, {0, 1, 1}};
        two.triangles = {{0, 1, 2}, {3, 4, 5}};
        two.zones = {{"wall"}};
        two.zone_of = {0, 0};
        return with_finer_surface(even, two);
    };
    // A triangle of half the size, and one of a hundredth: ten per cent more than their edges, and from there on.
    EXPECT_NEAR(round(0.05).at({0.025, 0.01, 0}), 0.055, 0.006);
    EXPECT_NEAR(round(0.05).at({0.025, 0.01, 0.1}), 0.055 + 0.2 * 0.1, 0.008);
    EXPECT_NEAR(round(0.001).at({0.0005, 0.0002, 0}), 0.0011, 0.0003);
    EXPECT_NEAR(round(0.001).at({0.0005, 0.0002, 0.1}), 0.0011 + 0.35 * 0.1, 0.008);
    EXPECT_EQ(round(0.08).at({0.04, 0.02, 0}), even.at({0.04, 0.02, 0}));
}

}  // namespace
}  // namespace anvilcast
