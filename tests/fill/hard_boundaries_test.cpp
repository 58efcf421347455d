// Boundaries that are hard to recover. They are taken as they are, so that the fill has to cope.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <numbers>
#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

VolumeMesh filled(const SurfaceMesh& mesh, double size) {
    SizeOptions sizes;
    sizes.surface = size;
    sizes.largest = 2 * size;
    return fill_with_tetrahedra(mesh, size_field_of_mesh(mesh.surface, sizes));
}

/// Valid, of the volume and the zones' areas given: no more and no less than what the surface bounds.
void expect_filled(const Surface& s, double size, double volume) {
    const VolumeMesh mesh = filled(kit::as_mesh(s), size);
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    const QualityReport report = assess(mesh);
    EXPECT_NEAR(report.volume, volume, 1e-9 * volume);
    std::vector<double> areas(s.zones.size(), 0);
    for (Index t = 0; t < s.triangles.size(); ++t)
        areas[s.zone_of[t]] += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    ASSERT_EQ(report.zone_areas.size(), areas.size());
    for (std::size_t z = 0; z < areas.size(); ++z) EXPECT_NEAR(report.zone_areas[z], areas[z], 1e-9 * areas[z]);
}

double enclosed(const Surface& s) { return examine(s).enclosed_volume; }

TEST(HardBoundary, ATenthOfADegree) {
    for (const double degrees : {5.0, 0.5, 0.1}) {
        SCOPED_TRACE(degrees);
        const Surface wedge = kit::wedge(degrees);
        expect_filled(wedge, 0.3, enclosed(wedge));
    }
}

TEST(HardBoundary, ACornerWithDozensOfEdges) {
    // A star with two heights of rim: every other edge at the tip is a valley.
    for (const int n : {24, 96}) {
        SCOPED_TRACE(n);
        Surface star;
        star.zones = {{"side"}, {"base"}};
        star.points = {{0, 0, 1.5}, {0, 0, 0}};
        for (int k = 0; k < n; ++k) {
            const double angle = 2 * std::numbers::pi * k / n, r = k % 2 == 0 ? 1 : 0.6;
            star.points.push_back({r * std::cos(angle), r * std::sin(angle), 0});
        }
        for (int k = 0; k < n; ++k) {
            const auto a = static_cast<Index>(2 + k), b = static_cast<Index>(2 + (k + 1) % n);
            star.triangles.push_back({a, b, 0});
            star.triangles.push_back({b, a, 1});
            star.zone_of.insert(star.zone_of.end(), {0, 1});
        }
        expect_filled(star, 0.4, enclosed(star));
    }
}

TEST(HardBoundary, WallsAThousandthOfTheirLengthApart) {
    // Not one slab but two boxes, one in the other, with a thousandth between them on all sides.
    const double gap = 1e-3;
    std::vector<Surface> walls{kit::box({0, 0, 0}, {1, 1, 1}, "outer"),
                               kit::flipped(kit::box({gap, gap, gap}, {1 - gap, 1 - gap, 1 - gap}, "inner"))};
    const double inner = 1 - 2 * gap;
    expect_filled(joined(walls), 0.5, 1 - inner * inner * inner);
}

TEST(HardBoundary, TrianglesTenThousandTimesAsLongAsWide) {
    // A gable whose ridge is a face by a hair.
    for (const double width : {1e-3, 1e-4}) {
        SCOPED_TRACE(width);
        const Surface gable = kit::prism({{0, 0}, {1, 0}, {1, 1}, {0.5, 1.2}, {0.5 - width, 1.2}, {0, 1}}, 1);
        expect_filled(gable, 0.3, enclosed(gable));
    }
}

TEST(HardBoundary, LongThinCellsAreNotFlat) {
    // Nothing is put inside, so that cells as long as the rod and as thin as its facets lie along its side.
    const Surface rod = kit::cylinder(1, 650, 100);
    const SizeField coarse = size_field_of_places({{0, 0, 0}}, {1000}, 1000, 1.2);
    const VolumeMesh mesh = fill_with_tetrahedra(kit::as_mesh(rod), coarse, {.optimise = false});
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    const double volume = enclosed(rod);
    EXPECT_NEAR(assess(mesh).volume, volume, 1e-12 * volume);
}

TEST(HardBoundary, BodiesThatShareAnEdgeOrACorner) {
    for (const Vec3& at : {Vec3{1, 1, 0}, Vec3{1, 1, 1}}) {
        Surface two = joined({kit::box({0, 0, 0}, {1, 1, 1}, "one"), kit::box(at, at + Vec3{1, 1, 1}, "other")});
        weld(two);
        expect_filled(two, 0.4, 2);
    }
}

/// Three regions round one line, and at its ends points of all of them; each is a quarter of a box, the last is empty.
TEST(HardBoundary, ThreeRegionsRoundOneLine) {
    SurfaceMesh mesh;
    Surface& s = mesh.surface;
    auto at = [](int x, int y, int z) { return static_cast<Index>(x + 3 * y + 9 * z); };
    for (int z = 0; z < 2; ++z)
        for (int y = 0; y < 3; ++y)
            for (int x = 0; x < 3; ++x) s.points.push_back({x * 1.0, y * 1.0, z * 0.7});
    s.zones = {{"outside"}, {"between", Role::interface_}};
    mesh.regions = {{"a", RegionKind::fluid}, {"b", RegionKind::solid}, {"c", RegionKind::solid}};
    const std::array<std::array<Index, 2>, 2> region{{{0, 1}, {2, kNone}}};  // by y and x
    auto of = [&](int x, int y) {
        return x < 0 || x > 1 || y < 0 || y > 1 ? kNone
                                                : region[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)];
    };
    // A quad with the region in front of it (where its normal points) and behind.
    auto quad = [&](std::array<Index, 4> p, Index front, Index behind) {
        if (front == behind) return;
        if (behind == kNone || (front != kNone && front < behind)) {
            std::swap(front, behind);
            std::swap(p[1], p[3]);
        }
        for (const Triangle& t : {Triangle{p[0], p[1], p[2]}, Triangle{p[0], p[2], p[3]}}) {
            s.triangles.push_back(t);
            s.zone_of.push_back(front == kNone ? 0 : 1);
            mesh.sides.push_back({front, behind});
        }
    };
    for (int y = 0; y < 2; ++y)
        for (int x = 0; x <= 2; ++x)
            quad({at(x, y, 0), at(x, y + 1, 0), at(x, y + 1, 1), at(x, y, 1)}, of(x, y), of(x - 1, y));
    for (int y = 0; y <= 2; ++y)
        for (int x = 0; x < 2; ++x)
            quad({at(x, y, 0), at(x, y, 1), at(x + 1, y, 1), at(x + 1, y, 0)}, of(x, y), of(x, y - 1));
    for (int y = 0; y < 2; ++y)
        for (int x = 0; x < 2; ++x) {
            quad({at(x, y, 0), at(x, y + 1, 0), at(x + 1, y + 1, 0), at(x + 1, y, 0)}, kNone, of(x, y));
            quad({at(x, y, 1), at(x + 1, y, 1), at(x + 1, y + 1, 1), at(x, y + 1, 1)}, kNone, of(x, y));
        }
    const VolumeMesh volume = filled(mesh, 0.25);
    EXPECT_EQ(find_faults(volume), std::vector<std::string>{});
    const QualityReport report = assess(volume);
    for (const double v : report.region_volumes) EXPECT_NEAR(v, 0.7, 1e-12);
    EXPECT_NEAR(report.zone_areas[1], 2 * 0.7, 1e-12);
}

TEST(HardBoundary, ABaffleAHairAboveTheWall) {
    for (const double gap : {1e-2, 1e-4}) {
        SurfaceMesh mesh = kit::as_mesh(split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 1}), 40));
        Surface& s = mesh.surface;
        const auto first = static_cast<Index>(s.points.size());
        for (const Vec3& p : {Vec3{0.2, 0.5, gap}, Vec3{0.8, 0.5, gap}, Vec3{0.8, 0.5, 0.6}, Vec3{0.2, 0.5, 0.6}})
            s.points.push_back(p);
        s.triangles.push_back({first, first + 1, first + 2});
        s.triangles.push_back({first, first + 2, first + 3});
        s.zone_of.insert(s.zone_of.end(), 2, static_cast<Index>(s.zones.size()));
        s.zones.push_back({"vane", Role::baffle});
        mesh.sides.insert(mesh.sides.end(), 2, {0, 0});
        const VolumeMesh volume = filled(mesh, 0.3);
        EXPECT_EQ(find_faults(volume), std::vector<std::string>{});
        const QualityReport report = assess(volume);
        EXPECT_NEAR(report.volume, 1, 1e-9);
        EXPECT_NEAR(report.zone_areas.back(), 2 * 0.6 * (0.6 - gap), 1e-9);
    }
}

/// Every cell of a lattice whose corners were shaken is a region of its own, or empty.
TEST(HardBoundary, RandomComplexesOfManyRegions) {
    constexpr int n = 3;
    constexpr unsigned kSeeds = 12;
    unsigned n_crossing = 0;
    for (unsigned seed = 1; seed <= kSeeds; ++seed) {
        SCOPED_TRACE(seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> shake(-0.22, 0.22);
        SurfaceMesh mesh;
        Surface& s = mesh.surface;
        auto at = [](int x, int y, int z) { return static_cast<Index>(x + (n + 1) * (y + (n + 1) * z)); };
        for (int k = 0; k < (n + 1) * (n + 1) * (n + 1); ++k) {
            const int x = k % (n + 1), y = k / (n + 1) % (n + 1), z = k / (n + 1) / (n + 1);
            s.points.push_back(Vec3{x + shake(random), y + shake(random), z + shake(random)});
        }
        s.zones = {{"outside"}, {"between", Role::interface_}};
        std::vector<Index> region(n * n * n, kNone);
        for (Index& r : region) {
            if (random() % 5 == 0) continue;  // empty
            r = static_cast<Index>(mesh.regions.size());
            mesh.regions.push_back({"cell-" + std::to_string(r), RegionKind::fluid});
        }
        auto of = [&](int x, int y, int z) {
            const bool is_in = x >= 0 && y >= 0 && z >= 0 && x < n && y < n && z < n;
            return is_in ? region[static_cast<std::size_t>(x + n * (y + n * z))] : kNone;
        };
        auto quad = [&](const std::array<Index, 4>& p, Index front, Index behind) {
            if (front == behind) return;
            const bool turn = behind == kNone || (front != kNone && front < behind);
            for (Triangle t : {Triangle{p[0], p[1], p[2]}, Triangle{p[0], p[2], p[3]}}) {
                if (turn) std::swap(t[1], t[2]);
                s.triangles.push_back(t);
                s.zone_of.push_back(front == kNone || behind == kNone ? 0 : 1);
                mesh.sides.push_back(turn ? std::array{behind, front} : std::array{front, behind});
            }
        };
        for (int z = 0; z <= n; ++z)
            for (int y = 0; y <= n; ++y)
                for (int x = 0; x <= n; ++x) {
                    if (y < n && z < n)
                        quad({at(x, y, z), at(x, y + 1, z), at(x, y + 1, z + 1), at(x, y, z + 1)}, of(x, y, z),
                             of(x - 1, y, z));
                    if (x < n && z < n)
                        quad({at(x, y, z), at(x, y, z + 1), at(x + 1, y, z + 1), at(x + 1, y, z)}, of(x, y, z),
                             of(x, y - 1, z));
                    if (x < n && y < n)
                        quad({at(x, y, z), at(x + 1, y, z), at(x + 1, y + 1, z), at(x, y + 1, z)}, of(x, y, z),
                             of(x, y, z - 1));
                }
        // By the theorem of Gauss, from the triangles on both sides.
        std::vector<double> volume(mesh.regions.size(), 0);
        for (Index t = 0; t < s.triangles.size(); ++t) {
            const double v = dot(s.corner(t, 0), cross(s.corner(t, 1), s.corner(t, 2))) / 6;
            if (mesh.sides[t][1] != kNone) volume[mesh.sides[t][1]] += v;
            if (mesh.sides[t][0] != kNone) volume[mesh.sides[t][0]] -= v;
        }
        if (!find_self_intersections(s.points, s.triangles).empty()) {
            ++n_crossing;
            EXPECT_THROW(filled(mesh, 0.5), Error);
            continue;
        }
        const VolumeMesh filled_mesh = filled(mesh, 0.5);
        EXPECT_EQ(find_faults(filled_mesh), std::vector<std::string>{});
        const QualityReport report = assess(filled_mesh);
        ASSERT_EQ(report.region_volumes.size(), volume.size());
        for (std::size_t r = 0; r < volume.size(); ++r) EXPECT_NEAR(report.region_volumes[r], volume[r], 1e-9);
    }
    EXPECT_LT(n_crossing, kSeeds / 2);
}

TEST(HardBoundary, TellsOfFacesThatMeetAtNoAngle) {
    // A fin on the lid of a box, over its rim: as thick as the last place of a double at its middle, not at all at its
    // edges.
    Surface s;
    s.zones = {{"box"}};
    s.points = {{0.3, 0, 1}, {0.7, 0, 1}, {0.5, 0.4, 1}, {0.5, -0.2, std::nextafter(1.0, 2.0)},
                {0, 0, 0},   {1, 0, 0},   {1, 1, 0},     {0, 1, 0},
                {0, 0, 1},   {1, 0, 1},   {1, 1, 1},     {0, 1, 1}};
    const Index a = 0, b = 1, c = 2, v = 3;
    s.triangles = {{a, b, v}, {b, c, v},  {c, a, v},                            // the fin
                   {8, a, c}, {8, c, 11}, {11, c, 10}, {10, c, 9},  {9, c, b},  // round it
                   {8, 4, a}, {a, 4, 5},  {a, 5, b},   {b, 5, 9},               // in front
                   {9, 5, 6}, {9, 6, 10}, {10, 6, 7},  {10, 7, 11}, {11, 7, 4}, {11, 4, 8}, {4, 7, 6}, {4, 6, 5}};
    s.zone_of.assign(s.triangles.size(), 0);
    ASSERT_TRUE(examine(s).is_closed);
    try {
        filled(kit::as_mesh(s), 0.5);
        FAIL();
    } catch (const FillObstacle& e) {
        EXPECT_NE(std::string(e.what()).find("meet at no angle near [0.5, "), std::string::npos) << e.what();
        ASSERT_FALSE(e.places().empty());
        EXPECT_LT(distance(e.places()[0], {0.5, 0.05, 1}), 1e-3);
    }
}

TEST(HardBoundary, TellsOfASurfaceThatCrossesItself) {
    Surface crossing = joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({0.5, 0.4, 0.3}, {1.5, 1.4, 1.3})});
    crossing.zones = {{"all"}};
    crossing.zone_of.assign(crossing.triangles.size(), 0);
    try {
        filled(kit::as_mesh(crossing), 0.4);
        FAIL() << "nothing was said";
    } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find("["), std::string::npos) << e.what();
    }
}

}  // namespace
}  // namespace anvilcast
