#include <gtest/gtest.h>
#include <anvilcast/cut.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <numbers>
#include <random>
#include <set>

#include "kit/shapes.hpp"
#include "robust/exact_point.hpp"

namespace anvilcast {
namespace {

Surface turned(Surface s, const Vec3& axis, double angle, const Vec3& shift = {}) {
    const Vec3 k = normalized(axis);
    for (Vec3& p : s.points)
        p = p * std::cos(angle) + cross(k, p) * std::sin(angle) + k * (dot(k, p) * (1 - std::cos(angle))) + shift;
    return s;
}

/// Volumes of all enclosed regions, sorted.
std::vector<double> volumes_of(const Surface& s) {
    const Regions regions = find_regions(s);
    std::vector<double> v(regions.volumes.begin() + 1, regions.volumes.end());
    std::sort(v.begin(), v.end());
    return v;
}

void expect_volumes(const Surface& s, std::vector<double> expected, double tolerance = 1e-12) {
    std::sort(expected.begin(), expected.end());
    const std::vector<double> found = volumes_of(s);
    ASSERT_EQ(found.size(), expected.size());
    for (std::size_t i = 0; i < found.size(); ++i) EXPECT_NEAR(found[i], expected[i], tolerance) << i;
}

void expect_conformal(const CutSurface& cut, const Surface& input) {
    const Surface& s = cut.surface;
    EXPECT_TRUE(find_self_intersections(s.points, s.triangles).empty());
    ASSERT_EQ(cut.first_origin.size(), s.triangles.size() + 1);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        ASSERT_FALSE(cut.origins_of(t).empty());
        EXPECT_EQ(cut.origins_of(t)[0].zone, s.zone_of[t]);
        for (const auto& o : cut.origins_of(t)) {
            EXPECT_EQ(o.zone, input.zone_of[o.triangle]);
            const Vec3 n = triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
            const Vec3 m =
                triangle_normal(input.corner(o.triangle, 0), input.corner(o.triangle, 1), input.corner(o.triangle, 2));
            // Nothing is turned over, but what is itself flat to rounding in the input.
            EXPECT_GE(dot(n, m) * (o.is_reversed ? -1 : 1), -1e-25);
        }
    }
}

CutSurface checked_cut(const Surface& s, const CutOptions& options = {}) {
    CutSurface cut = cut_at_intersections(s, options);
    expect_conformal(cut, s);
    return cut;
}

double area_of(const Surface& s) {
    double sum = 0;
    for (Index t = 0; t < s.triangles.size(); ++t) sum += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    return sum;
}

TEST(Cut, NeedlesAreSeenAlongAnAxisThatShowsTheirArea) {
    // So flat that its normal in doubles is that of rounding.
    const robust::ExactPoint a(Vec3{0, 0, 0}), b(Vec3{1, 1, 1}), c(Vec3{0.5, 0.5, std::nextafter(0.5, 1.0)});
    const int axis = robust::axis_across(a, b, c);
    EXPECT_NE(robust::orient2d(a, b, c, axis), 0);
    EXPECT_NE(robust::orient2d(b, c, a, axis), 0);
}

TEST(Regions, AreNestedThoughWallsAreCloserThanDoublesTell) {
    // Two shells a few units in the last place apart, far from the origin: every line meets them in one place but for
    // exact numbers.
    Surface outer = kit::box({1000, 1000, 1000}, {1001, 1001, 1001}, "outer"), inner = outer;
    for (Vec3& p : inner.points)
        for (int k = 0; k < 3; ++k) p[k] = std::nextafter(p[k], 1000.5);
    const Regions regions = find_regions(joined({outer, inner}));
    ASSERT_EQ(regions.volumes.size(), 3U);
    EXPECT_NEAR(*std::max_element(regions.volumes.begin() + 1, regions.volumes.end()), 1, 1e-9);
}

TEST(Cut, LeavesAloneWhatDoesNotMeet) {
    const Surface s = joined({kit::sphere({0, 0, 0}, 1, 2), kit::box({2, 0, 0}, {3, 1, 1})});
    const CutSurface cut = checked_cut(s);
    EXPECT_EQ(cut.surface.points, s.points);
    EXPECT_EQ(cut.surface.triangles, s.triangles);
    EXPECT_EQ(cut.surface.zone_of, s.zone_of);
    EXPECT_EQ(cut.pairs_cut, 0U);
}

TEST(Cut, BoxesAtGenericAndDegeneratePositions) {
    const Surface unit = kit::box({0, 0, 0}, {1, 1, 1}, "a");
    struct Position {
        Vec3 lo, hi;
        std::vector<double> volumes;
    };
    const std::vector<Position> positions{
        {{0.5, 0.25, 0.125}, {1.5, 1.25, 1.125}, {0.671875, 0.328125, 0.671875}},  // crossing
        {{1, 0, 0}, {2, 1, 1}, {1, 1}},                                            // the same face
        {{1, 0.25, 0.25}, {2, 0.5, 0.75}, {1, 0.125}},                             // a face within a face
        {{1, 0.5, 0.5}, {2, 1.5, 1.5}, {1, 1}},                                    // faces that overlap partly
        {{1, 1, 0}, {2, 2, 1}, {1, 1}},                                            // a shared edge
        {{1, 1, 0.5}, {2, 2, 1.5}, {1, 1}},                                        // part of an edge
        {{1, 1, 1}, {2, 2, 2}, {1, 1}},                                            // a corner
        {{0.25, 0.25, 1}, {0.75, 0.75, 3}, {1, 0.5}},                              // standing on it
        {{0.25, 0.25, 0}, {0.75, 0.75, 1}, {0.75, 0.25}},                          // flush at both ends
        {{0.25, 0.25, -1}, {0.75, 0.75, 2}, {0.75, 0.25, 0.25, 0.25}},             // through it
        {{0, 0, 0}, {1, 1, 1}, {1}},                                               // itself
        {{0, 0, 0}, {1, 1, 0.5}, {0.5, 0.5}},                                      // in a corner of it
    };
    for (std::size_t i = 0; i < positions.size(); ++i) {
        SCOPED_TRACE(i);
        const Surface both = joined({unit, kit::box(positions[i].lo, positions[i].hi, "b")});
        expect_volumes(checked_cut(both).surface, positions[i].volumes);
        // The same thing turned by an awkward angle: faces that were in one plane are only nearly so now.
        const Surface askew = turned(both, {1, 2, 3}, 0.7, {0.1, 0.2, 0.3});
        const std::vector<double> volumes = volumes_of(checked_cut(askew).surface);
        std::vector<double> large;
        std::copy_if(volumes.begin(), volumes.end(), std::back_inserter(large), [](double v) { return v > 1e-12; });
        ASSERT_EQ(large.size(), positions[i].volumes.size());
        double sum = 0, expected = 0;
        for (const double v : large) sum += v;
        for (const double v : positions[i].volumes) expected += v;
        EXPECT_NEAR(sum, expected, 1e-12);
    }
}

TEST(Cut, RemembersBothZonesWhereTwoCoincide) {
    const Surface both =
        joined({kit::box({0, 0, 0}, {1, 1, 1}, "plate"), kit::box({1, 0.25, 0.25}, {2, 0.75, 0.75}, "chip")});
    const CutSurface cut = checked_cut(both);
    double shared = 0;
    for (Index t = 0; t < cut.surface.triangles.size(); ++t) {
        if (cut.origins_of(t).size() < 2) continue;
        EXPECT_EQ(cut.origins_of(t)[0].zone, 0U);
        EXPECT_EQ(cut.origins_of(t)[1].zone, 1U);
        EXPECT_TRUE(cut.origins_of(t)[1].is_reversed);
        shared += triangle_area(cut.surface.corner(t, 0), cut.surface.corner(t, 1), cut.surface.corner(t, 2));
    }
    EXPECT_DOUBLE_EQ(shared, 0.25);
}

TEST(Cut, TangentAndCoaxialCylinders) {
    const int n = 48;
    const double area = 0.5 * n * std::sin(2 * std::numbers::pi / n);
    Surface a = kit::cylinder(1, 2, n), beside = a, inside = kit::cylinder(0.5, 2, n), low = kit::cylinder(1, 1, n);
    for (Vec3& p : beside.points) p.x += 2;  // tangent along a line
    expect_volumes(checked_cut(joined({a, beside})).surface, {2 * area, 2 * area}, 1e-9);
    // Same caps, a tube between.
    expect_volumes(checked_cut(joined({a, inside})).surface, {1.5 * area, 0.5 * area}, 1e-9);
    // Same bottom, same wall up to the middle.
    expect_volumes(checked_cut(joined({a, low})).surface, {area, area}, 1e-9);
}

TEST(Cut, UnionsOfBallsHaveTheVolumesOfTheirParts) {
    // Inclusion and exclusion: the parts of each ball add up to the ball.
    const std::vector<Surface> balls{kit::sphere({0, 0, 0}, 1, 3, "a"), kit::sphere({0.7, 0.3, 0.2}, 0.9, 3, "b"),
                                     kit::sphere({-0.2, 0.8, 0.4}, 0.8, 3, "c")};
    const CutSurface cut = checked_cut(joined(balls));
    const Regions regions = find_regions(cut.surface);
    EXPECT_EQ(regions.volumes.size(), 8U);
    for (Index ball = 0; ball < 3; ++ball) {
        double volume = 0;
        for (Index t = 0; t < cut.surface.triangles.size(); ++t)
            if (cut.surface.zone_of[t] == ball)
                volume += tetrahedron_volume(cut.surface.corner(t, 0), cut.surface.corner(t, 1),
                                             cut.surface.corner(t, 2), {}) *
                          -1;
        EXPECT_NEAR(std::abs(volume), volumes_of(balls[ball])[0], 1e-12);
    }
}

/// What a complex is, whatever the order of its triangles and points: its triangles by place.
std::multiset<std::array<double, 9>> by_place(const Surface& s) {
    std::multiset<std::array<double, 9>> out;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        std::array<std::array<double, 3>, 3> c;
        for (int k = 0; k < 3; ++k)
            c[static_cast<std::size_t>(k)] = {s.corner(t, k).x, s.corner(t, k).y, s.corner(t, k).z};
        std::sort(c.begin(), c.end());
        out.insert({c[0][0], c[0][1], c[0][2], c[1][0], c[1][1], c[1][2], c[2][0], c[2][1], c[2][2]});
    }
    return out;
}

TEST(Cut, DoesNotDependOnOrderAndIsDoneOnce) {
    const Surface a = kit::sphere({0, 0, 0}, 1, 3, "a"),
                  b = turned(kit::box({-0.6, -0.6, -2}, {0.6, 0.6, 2}, "b"), {1, 1, 0}, 0.4),
                  c = kit::box({-3, -3, -0.5}, {3, 3, 0.5}, "c");
    const CutSurface cut = checked_cut(joined({a, b, c}));
    EXPECT_EQ(by_place(cut.surface), by_place(checked_cut(joined({c, b, a})).surface));
    EXPECT_EQ(by_place(cut.surface), by_place(checked_cut(joined({b, a, c})).surface));
    const CutSurface again = checked_cut(cut.surface);
    EXPECT_EQ(again.surface.triangles, cut.surface.triangles);
    EXPECT_EQ(again.surface.points, cut.surface.points);
    Context one;
    one.threads = 1;
    const CutSurface alone = cut_at_intersections(joined({a, b, c}), {}, one);
    EXPECT_EQ(alone.surface.points, cut.surface.points);
    EXPECT_EQ(alone.surface.triangles, cut.surface.triangles);
}

Surface soup(int n, const std::function<double()>& coordinate) {
    Surface s;
    s.zones.push_back({"soup"});
    for (int t = 0; t < n; ++t) {
        const auto first = static_cast<Index>(s.points.size());
        for (int k = 0; k < 3; ++k) {
            const double x = coordinate(), y = coordinate(), z = coordinate();
            s.points.push_back({x, y, z});
        }
        s.triangles.push_back({first, first + 1, first + 2});
        s.zone_of.push_back(0);
    }
    return s;
}

TEST(Cut, SurvivesSoups) {
    std::mt19937 random(4711);
    std::uniform_real_distribution<double> unit(0, 1);
    for (int run = 0; run < 8; ++run) {
        SCOPED_TRACE(run);
        // Anywhere; on a coarse lattice (all degeneracies at once); nearly in one plane; on a lattice that is shaken.
        checked_cut(soup(40, [&] { return unit(random); }));
        checked_cut(soup(40, [&] { return static_cast<double>(random() % 4); }));
        int axis = 0;
        const Surface flat =
            soup(12, [&] { return axis++ % 3 == 2 ? 1 + 1e-15 * static_cast<double>(random() % 5) : unit(random); });
        checked_cut(flat);
        checked_cut(soup(20, [&] { return static_cast<double>(random() % 4) * (1 + 1e-15 * unit(random)); }));
    }
}

TEST(Cut, OverlapsInOnePlaneKeepTheirArea) {
    // Random triangles of an inclined plane with exact coordinates: each is covered by its pieces.
    std::mt19937 random(99);
    Surface s;
    s.zones.push_back({"sheet"});
    for (Index t = 0; t < 25; ++t) {
        for (int k = 0; k < 3; ++k) {
            const auto u = static_cast<double>(random() % 16), v = static_cast<double>(random() % 16);
            s.points.push_back({u, v, 2 * u - 3 * v});
        }
        s.triangles.push_back({3 * t, 3 * t + 1, 3 * t + 2});
        s.zone_of.push_back(0);
    }
    const CutSurface cut = checked_cut(s);
    std::vector<double> covered(s.triangles.size(), 0);
    for (Index t = 0; t < cut.surface.triangles.size(); ++t)
        for (const auto& o : cut.origins_of(t))
            covered[o.triangle] +=
                triangle_area(cut.surface.corner(t, 0), cut.surface.corner(t, 1), cut.surface.corner(t, 2));
    for (Index t = 0; t < s.triangles.size(); ++t)
        EXPECT_NEAR(covered[t], triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)), 1e-9);
    EXPECT_LT(area_of(cut.surface), area_of(s));
}

TEST(Cut, JoinsWhatAlmostTouches) {
    const double gap = 1e-5;
    const Surface plate = turned(kit::box({0, 0, 0}, {4, 4, 1}, "plate"), {1, 2, 3}, 0.7),
                  chip = turned(kit::box({1, 1, 1 + gap}, {2, 2, 2}, "chip"), {1, 2, 3}, 0.7);
    const Surface both = joined({plate, chip});
    EXPECT_EQ(checked_cut(both).pairs_cut, 0U);
    const CutSurface cut = checked_cut(both, {.join = 2e-5});
    EXPECT_EQ(cut.corners_joined, 4U);
    EXPECT_NEAR(cut.largest_move, gap, 1e-9);
    double shared = 0;
    for (Index t = 0; t < cut.surface.triangles.size(); ++t)
        if (cut.origins_of(t).size() == 2)
            shared += triangle_area(cut.surface.corner(t, 0), cut.surface.corner(t, 1), cut.surface.corner(t, 2));
    EXPECT_NEAR(shared, 1, 1e-9);
    expect_volumes(cut.surface, {16, 1}, 1e-4);
    EXPECT_THROW(cut_at_intersections(both, {.join = -1}), InputError);
}

/// A body flush with the side of one that it lies in, and with an edge in common, in numbers of single precision: laid
/// onto it, nothing is left between.
TEST(Cut, NoFilmStaysBetweenSidesThatShareAnEdge) {
    for (int degrees = 5; degrees < 90; degrees += 4) {
        const Placement turn = Placement::turned({0, 0, 1}, degrees, {});
        auto rounded = [&](Surface s, const std::string& part) {
            for (Vec3& p : s.points) {
                p = turn(p);
                for (int k = 0; k < 3; ++k) p[k] = static_cast<float>(p[k]);
            }
            for (Zone& z : s.zones) z.part = part;
            return s;
        };
        // The bar's corner lies within the side of the other, whose far edge is elsewhere.
        const Surface all = kit::prism({{0.04, 0}, {0.104, 0}, {0.09, 0.05}, {0.035, 0.02}}, 0.12),
                      bar = kit::prism({{0.04, 0}, {0.046, 0}, {0.041, 0.01}, {0.035, 0.02}}, 0.12);
        Surface both = joined({rounded(all, "all"), rounded(bar, "bar")});
        const Space space = divide_space(both, {}, {.join = 1e-6});
        ASSERT_EQ(space.cells.size(), 3U) << degrees;
        for (const SpaceCell& cell : space.cells) EXPECT_GT(cell.volume, 1e-6) << degrees;
    }
}

}  // namespace
}  // namespace anvilcast
