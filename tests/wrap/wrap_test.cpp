#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/weld.hpp>
#include <anvilcast/wrap.hpp>

#include <atomic>
#include <cmath>
#include <numbers>

#include "kit/damage.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

const LengthUnit kMetres = parse_length_unit("m");

WrapResult wrapped(const Surface& s, double gap, const std::vector<Vec3>& inside = {}) {
    WrapOptions options;
    options.gap = gap;
    options.inside = inside;
    return wrap(s, options, kMetres);
}

double enclosed_volume(const Surface& s) {
    double sum = 0;
    for (Index t = 0; t < s.triangles.size(); ++t)
        sum += tetrahedron_volume({}, s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    return sum;
}
double area_of(const Surface& s) {
    double sum = 0;
    for (Index t = 0; t < s.triangles.size(); ++t) sum += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    return sum;
}
double area_of_zone(const Surface& s, const std::string& name) {
    double sum = 0;
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (s.zones[s.zone_of[t]].name == name) sum += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    return sum;
}

/// Closed, two-manifold, turned outward, and free of self-intersections.
void expect_sound(const Surface& s) {
    ASSERT_FALSE(s.triangles.empty());
    ASSERT_EQ(s.zone_of.size(), s.triangles.size());
    const SurfaceEdges edges(s.triangles, s.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        ASSERT_EQ(edges.n_uses(e), 2U);
        ASSERT_NE(edges.begin(e)[0].forward, edges.begin(e)[1].forward);
    }
    EXPECT_TRUE(find_self_intersections(s.points, s.triangles).empty());
    const SurfaceHealth health = examine(s, {.tolerance = 1e-12});
    EXPECT_EQ(health.count(DefectKind::non_manifold_vertex), 0U);
    EXPECT_EQ(health.count(DefectKind::inside_out), 0U);
    EXPECT_EQ(health.count(DefectKind::degenerate), 0U);
    EXPECT_GT(enclosed_volume(s), 0);
}

/// Of the points that no bridge has.
double share_of_points_beyond(const WrapResult& w, const Surface& original, double limit) {
    std::vector<bool> is_bridge(w.surface.points.size(), false);
    for (std::size_t t = 0; t < w.surface.triangles.size(); ++t)
        if (w.surface.zones[w.surface.zone_of[t]].name == "bridged")
            for (const Index p : w.surface.triangles[t]) is_bridge[p] = true;
    const TriangleTree tree(original.points, original.triangles);
    double n = 0, far = 0;
    for (std::size_t p = 0; p < is_bridge.size(); ++p) {
        if (is_bridge[p]) continue;
        ++n;
        if (tree.closest(w.surface.points[p]).distance > limit) ++far;
    }
    return far / n;
}

struct Body {
    const char* name;
    Surface sound;
    double gap;
};

class DirtyBodies : public testing::TestWithParam<std::size_t> {
  protected:
    static Body body(std::size_t k) {
        if (k == 0) return {"ball", kit::sphere({0, 0, 0}, 1, 5), 0.2};
        if (k == 1) return {"box", kit::divided(kit::box({-1, -1, -1}, {1, 1, 1}), 5), 0.2};
        return {"separator", kit::divided(kit::separator_body(96), 2), 0.1};
    }
};

TEST_P(DirtyBodies, AreWrappedAsIfTheyWereSound) {
    const Body b = body(GetParam());
    const double volume = enclosed_volume(b.sound), area = area_of(b.sound);
    for (const kit::Damage& damage : kit::damages()) {
        SCOPED_TRACE(std::string(b.name) + ", " + damage.name);
        const Surface dirty = damage.to(b.sound);
        const WrapResult w = wrapped(dirty, b.gap);
        expect_sound(w.surface);
        EXPECT_NEAR(enclosed_volume(w.surface), volume, 0.01 * volume + damage.reach * area);
        EXPECT_NEAR(area_of(w.surface), area, 0.04 * area);
        EXPECT_LT(share_of_points_beyond(w, dirty, 0.05 * b.gap), 0.01);
    }
}

TEST_P(DirtyBodies, AreWrappedFromWithinAsWell) {
    const Body b = body(GetParam());
    const double volume = enclosed_volume(b.sound), area = area_of(b.sound);
    for (const kit::Damage& damage : kit::damages()) {
        SCOPED_TRACE(std::string(b.name) + ", " + damage.name);
        const WrapResult w = wrapped(damage.to(b.sound), b.gap, {{0.05, 0.02, 0.6}});
        expect_sound(w.surface);
        EXPECT_NEAR(enclosed_volume(w.surface), volume, 0.01 * volume + damage.reach * area);
    }
}
INSTANTIATE_TEST_SUITE_P(All, DirtyBodies, testing::Range(std::size_t{0}, std::size_t{3}));

TEST(Wrap, KeepsABoxToTheLastEdge) {
    for (const bool from_within : {false, true}) {
        const WrapResult w = wrapped(kit::box({-1, -1, -1}, {1, 1, 1}), 0.15,
                                     from_within ? std::vector<Vec3>{{0.1, 0.2, 0.3}} : std::vector<Vec3>{});
        expect_sound(w.surface);
        EXPECT_NEAR(enclosed_volume(w.surface), 8, 1e-12);
        EXPECT_NEAR(area_of(w.surface), 24, 1e-11);
        EXPECT_NEAR(w.edges_asked, 24, 1e-9);
        EXPECT_NEAR(w.edges_kept, 24, 1e-9);
        EXPECT_LT(w.to_original.largest, 1e-12);
        EXPECT_TRUE(w.bridged.empty());
        EXPECT_TRUE(w.lost.empty());
    }
}

TEST(Wrap, KeepsTheEdgesAndZonesOfATurnedBody) {
    const Surface s = kit::separator_body(96);
    const WrapResult w = wrapped(s, 0.05);
    expect_sound(w.surface);
    EXPECT_GT(w.edges_kept, 0.99 * w.edges_asked);
    for (const Zone& z : s.zones)
        EXPECT_NEAR(area_of_zone(w.surface, z.name), area_of_zone(s, z.name), 0.01 * area_of_zone(s, z.name)) << z.name;
}

TEST(Wrap, ClosesWhatIsNarrowerThanTheGapAndNothingWider) {
    const double gap = 0.1;
    for (const double share : {0.5, 0.7, 0.8, 0.85, 0.9, 1.1, 1.2}) {
        SCOPED_TRACE(share);
        const double width = share * gap;
        const WrapResult w = wrapped(kit::slotted_block(width), gap);
        expect_sound(w.surface);
        const double slot = 1 - enclosed_volume(w.surface);
        if (share < 1) {
            EXPECT_LT(slot, 0.12 * 0.5 * width);
            ASSERT_EQ(w.bridged.size(), 1U);
            // Over the top, and half as much at either end.
            EXPECT_NEAR(w.bridged.front().area, 2 * width, 0.02 * width);
            EXPECT_NEAR(area_of_zone(w.surface, "bridged"), 2 * width, 0.02 * width);
        } else {
            EXPECT_NEAR(slot, 0.5 * width, 0.03 * 0.5 * width);
            EXPECT_TRUE(w.bridged.empty());
        }
    }
}

TEST(Wrap, GoesRoundThroughHolesOfAFrame) {
    const WrapResult w = wrapped(kit::plate_with_holes(2, 0.4), 0.15);
    expect_sound(w.surface);
    const double volume = enclosed_volume(kit::plate_with_holes(2, 0.4));
    EXPECT_NEAR(enclosed_volume(w.surface), volume, 0.01 * volume);
    // One piece with four tunnels: V - E + F = 2 - 2 * 4.
    const SurfaceEdges edges(w.surface.triangles, w.surface.points.size());
    EXPECT_EQ(static_cast<int>(w.surface.points.size()) - static_cast<int>(edges.size()) +
                  static_cast<int>(w.surface.triangles.size()),
              -6);
}

TEST(Wrap, UnitesAPinThatPokesThroughAWallByALittle) {
    const Surface wall = kit::box({0, 0, 0}, {1, 1, 0.2}, "wall");
    const Surface pin = kit::box({0.4, 0.4, -0.003}, {0.6, 0.6, 0.9}, "pin");
    const WrapResult w = wrapped(joined({wall, pin}), 0.06);
    expect_sound(w.surface);
    EXPECT_NEAR(enclosed_volume(w.surface), 0.2 + 0.04 * 0.7 + 0.04 * 0.003, 0.0015);
}

TEST(Wrap, LeavesOutWhatTheFluidDoesNotReach) {
    const Surface outer = kit::sphere({0, 0, 0}, 1, 4, "outer"), inner = kit::sphere({0, 0, 0}, 0.6, 4, "inner");
    const WrapResult w = wrapped(joined({outer, inner}), 0.15);
    expect_sound(w.surface);
    EXPECT_NEAR(enclosed_volume(w.surface), enclosed_volume(outer), 0.01 * enclosed_volume(outer));
    ASSERT_EQ(w.lost.size(), 1U);
    EXPECT_EQ(w.lost[0].zone, "inner");
    EXPECT_NEAR(w.lost[0].share, 1, 1e-9);
    EXPECT_NEAR(w.lost[0].area, area_of(inner), 0.01 * area_of(inner));
}

TEST(Wrap, TakesSeveralVolumesAtOnce) {
    const Surface left = kit::box({0, 0, 0}, {1, 1, 1}, "left"), right = kit::box({1.02, 0, 0}, {2, 1, 1}, "right");
    const WrapResult w = wrapped(joined({left, right}), 0.12, {{0.5, 0.5, 0.5}, {1.5, 0.5, 0.5}});
    expect_sound(w.surface);
    EXPECT_NEAR(enclosed_volume(w.surface), 1.98, 1e-9);
    const SurfaceHealth health = examine(w.surface);
    EXPECT_EQ(health.shells.size(), 2U);
}

TEST(Wrap, GivesASheetTwoSides) {
    Surface sheet = kit::divided(kit::box({0, 0, 0}, {1, 1, 1}), 2);
    for (std::size_t t = sheet.triangles.size(); t-- > 0;)
        if (std::abs(sheet.corner(static_cast<Index>(t), 0).z) + std::abs(sheet.corner(static_cast<Index>(t), 1).z) +
                std::abs(sheet.corner(static_cast<Index>(t), 2).z) >
            0) {
            sheet.triangles.erase(sheet.triangles.begin() + static_cast<std::ptrdiff_t>(t));
            sheet.zone_of.erase(sheet.zone_of.begin() + static_cast<std::ptrdiff_t>(t));
        }
    const WrapResult w = wrapped(sheet, 0.1);
    expect_sound(w.surface);
    EXPECT_NEAR(area_of(w.surface), 2, 0.1);
    // As thick as both offsets, which are a twentieth of the gap each.
    EXPECT_NEAR(enclosed_volume(w.surface), 2 * 0.1 / 20, 0.1 * 2 * 0.1 / 20);
    EXPECT_GT(w.points_held_off, 100U);
}

TEST(Wrap, ClosesTheSlitsOfASheetFromBothSides) {
    // Slits of 0.05, and round holes of 0.14, in a sheet without thickness.
    Surface sheet;
    sheet.zones = {{"sheet"}};
    constexpr int kN = 40;
    for (int i = 0; i <= kN; ++i)
        for (int j = 0; j <= kN; ++j) sheet.points.push_back({i / 20.0, j / 20.0, 0});
    auto at = [](int i, int j) { return static_cast<Index>(i * (kN + 1) + j); };
    for (int i = 0; i < kN; ++i)
        for (int j = 0; j < kN; ++j) {
            const bool is_slit = i % 4 == 1 && i < 20 && j > 4 && j < 35;
            const bool is_hole = i >= 28 && i < 32 && j % 12 >= 4 && j % 12 < 8 && j < 36;
            if (is_slit || is_hole) continue;
            sheet.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
            sheet.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
        }
    sheet.zone_of.assign(sheet.triangles.size(), 0);
    const WrapResult w = wrapped(sheet, 0.1);
    expect_sound(w.surface);
    // Three tunnels, through the holes.
    const SurfaceEdges edges(w.surface.triangles, w.surface.points.size());
    EXPECT_EQ(static_cast<int>(w.surface.points.size()) - static_cast<int>(edges.size()) +
                  static_cast<int>(w.surface.triangles.size()),
              2 - 2 * 3);
    EXPECT_NEAR(area_of(w.surface), 2 * (4 - 3 * 0.04), 0.06);
}

TEST(Wrap, IsFinerWhereTheGapIs) {
    // Two slots, one of them where the gap is a third.
    const double width = 0.06;
    const double l = 0.3, r = 1.7;
    const Surface s = kit::prism({{0, 0},
                                  {2, 0},
                                  {2, 1},
                                  {r, 1},
                                  {r, 0.5},
                                  {r - width, 0.5},
                                  {r - width, 1},
                                  {l + width, 1},
                                  {l + width, 0.5},
                                  {l, 0.5},
                                  {l, 1},
                                  {0, 1}},
                                 1);
    WrapOptions options;
    options.gap = 0.12;
    options.gap_at = [](const Vec3& p) { return 0.04 + 0.3 * std::max(0.0, p.x - 0.6); };
    const WrapResult w = wrap(s, options, kMetres);
    expect_sound(w.surface);
    EXPECT_NEAR(enclosed_volume(w.surface), 2 - 0.5 * width, 0.15 * 0.5 * width);
    ASSERT_FALSE(w.bridged.empty());
    EXPECT_GT(w.bridged.front().place.x, 1.5);
    // What is no number is left out.
    options.gap_at = [](const Vec3&) { return std::nan(""); };
    EXPECT_EQ(wrap(s, options, kMetres).surface.triangles, wrapped(s, options.gap).surface.triangles);
}

TEST(Wrap, TellsHowTheFluidLeaksOut) {
    Surface s = kit::divided(kit::box({0, 0, 0}, {1, 1, 1}), 4);
    // A hole of 0.125 in the middle of the top.
    for (std::size_t t = s.triangles.size(); t-- > 0;) {
        const auto at = static_cast<Index>(t);
        const Vec3 m = (s.corner(at, 0) + s.corner(at, 1) + s.corner(at, 2)) / 3.0;
        if (m.z < 0.999 || std::abs(m.x - 0.5) > 0.0625 || std::abs(m.y - 0.5) > 0.0625) continue;
        s.triangles.erase(s.triangles.begin() + at);
        s.zone_of.erase(s.zone_of.begin() + at);
    }
    const Vec3 inside{0.4, 0.45, 0.3};
    try {
        wrapped(s, 0.1, {inside});
        FAIL() << "the fluid leaks out";
    } catch (const LeakError& e) {
        const Leak& leak = e.leaks().front();
        EXPECT_NEAR(leak.at.z, 1, 0.1);
        EXPECT_NEAR(leak.at.x, 0.5, 0.1);
        EXPECT_NEAR(leak.width, 0.125, 0.01);
        ASSERT_GT(leak.path.size(), 2U);
        EXPECT_LT(distance(leak.path.front(), inside), 0.2);
        EXPECT_GT(leak.path.back().z, 1);
        EXPECT_NE(std::string(e.what()).find("smallest gap that holds"), std::string::npos) << e.what();
        // What is promised holds, and little less does not.
        expect_sound(wrapped(s, 1.12 * leak.width, {inside}).surface);
        EXPECT_THROW(wrapped(s, 0.85 * leak.width, {inside}), LeakError);
    }
    const auto gap = suggest_gap(s, {inside}, kMetres);
    ASSERT_TRUE(gap.has_value());
    const WrapResult w = wrapped(s, *gap, {inside});
    EXPECT_NEAR(enclosed_volume(w.surface), 1, 0.02);
    ASSERT_EQ(w.bridged.size(), 1U);
    EXPECT_NEAR(w.bridged[0].area, 0.125 * 0.125, 0.1 * 0.125 * 0.125);
}

TEST(Wrap, SurvivesRandomSoups) {
    for (unsigned seed = 1; seed <= 12; ++seed) {
        SCOPED_TRACE(seed);
        const double size = seed % 3 == 0 ? 0.5 : seed % 3 == 1 ? 0.15 : 0.05;
        const Surface s = kit::soup(seed % 2 == 0 ? 40 : 300, size, seed);
        const WrapResult w = wrapped(s, seed % 4 < 2 ? 0.06 : 0.12);
        expect_sound(w.surface);
        const TriangleTree tree(s.points, s.triangles);
        // But for the middle of what is closed.
        for (const Vec3& p : w.surface.points) ASSERT_LE(tree.closest(p).distance, 0.6 * w.gap);
        EXPECT_LT(share_of_points_beyond(w, s, w.gap / 19), 0.01);
    }
}

TEST(Wrap, IsTheSameOnAnyNumberOfThreads) {
    const Surface s = kit::with_holes(kit::sphere({0, 0, 0}, 1, 4), 50, 7);
    WrapOptions options;
    options.gap = 0.2;
    Context one, three;
    one.threads = 1;
    three.threads = 3;
    const WrapResult a = wrap(s, options, kMetres, one), b = wrap(s, options, kMetres, three);
    EXPECT_EQ(a.surface.points, b.surface.points);
    EXPECT_EQ(a.surface.triangles, b.surface.triangles);
    EXPECT_EQ(a.surface.zone_of, b.surface.zone_of);
}

template <typename Call>
std::string message_of(const Call& call) {
    try {
        call();
    } catch (const Error& e) {
        return e.what();
    }
    return "nothing was thrown";
}

TEST(Wrap, RefusesWhatCannotBe) {
    const Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    auto expect = [&](const Surface& of, double gap, const std::vector<Vec3>& inside, const char* part) {
        const std::string message = message_of([&] { wrapped(of, gap, inside); });
        EXPECT_NE(message.find(part), std::string::npos) << message;
    };
    expect(s, 0, {}, "must be more than 0");
    expect(s, -1, {}, "must be more than 0");
    expect(s, 1.2, {}, "as large as the geometry");
    expect({}, 1, {}, "no triangles");
    expect(s, 0.1, std::vector<Vec3>(300, Vec3{0.5, 0.5, 0.5}), "at most 200 volumes");
    expect(s, 0.1, {{std::nan(""), 0, 0}}, "not finite");
    expect(s, 0.1, {{0.5, 0.5, 0.98}}, "within half of the gap");
    expect(s, 0.1, {{0.5, 0.5, 0.98}}, "\"box\"");
    // Two points in one volume.
    const std::string joined = message_of([&] {
        wrapped(kit::box({0, 0, 0}, {2, 1, 1}), 0.1, {{0.5, 0.5, 0.5}, {1.5, 0.5, 0.5}});
    });
    EXPECT_NE(joined.find("are joined at"), std::string::npos) << joined;
    // No inside at all: a sheet, and a point beside it.
    Surface sheet;
    sheet.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
    sheet.triangles = {{0, 1, 2}};
    sheet.zone_of = {0};
    sheet.zones = {{"sheet"}};
    EXPECT_THROW(wrapped(sheet, 0.1, {{0.3, 0.3, 0.2}}), LeakError);
    EXPECT_THROW(wrapped(s, 0.1, {{5, 5, 5}}), Error);
    EXPECT_FALSE(suggest_gap(sheet, {{0.3, 0.3, 0.2}}, kMetres).has_value());
}

TEST(Wrap, Stops) {
    std::atomic<bool> stop{true};
    Context context;
    context.stop = &stop;
    WrapOptions options;
    options.gap = 0.05;
    EXPECT_THROW(wrap(kit::sphere({0, 0, 0}, 1, 3), options, kMetres, context), Cancelled);
}

}  // namespace
}  // namespace anvilcast
