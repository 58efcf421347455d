// Mends, on surfaces broken in known ways: what comes back must be whole, where it was, and of the known volume.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

void erase_if(Surface& s, const std::function<bool(Index)>& gone) {
    std::size_t n = 0;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        if (gone(t)) continue;
        s.triangles[n] = s.triangles[t];
        s.zone_of[n++] = s.zone_of[t];
    }
    s.triangles.resize(n);
    s.zone_of.resize(n);
}

Vec3 middle(const Surface& s, Index t) { return (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0; }

TEST(Mend, LeavesASoundSurfaceAsItIs) {
    for (const Surface& s : {kit::box({0, 0, 0}, {1, 2, 3}), kit::sphere({1, 2, 3}, 2, 3),
                             joined({kit::box({0, 0, 0}, {4, 4, 4}), kit::flipped(kit::box({1, 1, 1}, {2, 2, 2}))})}) {
        const MendResult r =
            mend(s, {.weld = 1e-6, .stitch = 1e-6, .remove_needles = 1e-6, .drop_specks = 1e-3, .close_rims = 1});
        EXPECT_FALSE(r.is_changed());
        EXPECT_EQ(r.surface.points, s.points);
        EXPECT_EQ(r.surface.triangles, s.triangles);
        EXPECT_EQ(r.surface.zone_of, s.zone_of);
    }
    EXPECT_THROW(mend(kit::box({0, 0, 0}, {1, 1, 1}), {.stitch = -1}), InputError);
}

TEST(Mend, TurnsAndDropsWithoutAsking) {
    Surface s = joined({kit::flipped(kit::sphere({0, 0, 0}, 1, 2)), kit::box({3, 0, 0}, {4, 1, 1})});
    for (const Index t : {5U, 6U, 77U, 325U}) std::swap(s.triangles[t][0], s.triangles[t][1]);
    s.triangles.push_back({s.triangles[9][1], s.triangles[9][2], s.triangles[9][0]});
    s.zone_of.push_back(0);
    const MendResult r = mend(s);
    const SurfaceHealth h = examine(r.surface);
    EXPECT_TRUE(h.is_sound);
    EXPECT_EQ(h.shells.size(), 2U);
    EXPECT_GT(h.shells[0].volume, 0);
    EXPECT_EQ(r.surface.triangles.size(), s.triangles.size() - 1);
    ASSERT_EQ(r.done.size(), 3U);
    EXPECT_EQ(r.done[0].what, "duplicate triangles dropped");
    EXPECT_EQ(r.done[1].count, 4U);
    EXPECT_EQ(r.done[2].count, 1U);
    EXPECT_FALSE(mend(s, {.drop_duplicates = false, .orient = false}).is_changed());
}

TEST(Mend, BodiesKeepTheWallsThatTheyHaveInCommon) {
    Surface two = joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({0, 0, 0}, {1, 1, 1})});
    weld(two);
    for (std::size_t z = 0; z < two.zones.size(); ++z) two.zones[z].part = z == 0 ? "inner" : "outer";
    EXPECT_EQ(mend(two).surface.triangles.size(), 24U);
    EXPECT_EQ(split_at_sharp_edges(two, 40).zones.size(), 12U);
    for (Zone& z : two.zones) z.part = "one";
    EXPECT_EQ(mend(two).surface.triangles.size(), 12U);
}

TEST(Mend, StitchesPiecesThatWereCutApart) {
    // Every triangle of a ball on its own, each corner moved a little.
    const Surface ball = kit::sphere({0, 0, 0}, 1, 3);
    Surface soup;
    soup.zones = ball.zones;
    std::mt19937 random(3);
    std::uniform_real_distribution<double> noise(-1e-5, 1e-5);
    for (Index t = 0; t < ball.triangles.size(); ++t) {
        for (int k = 0; k < 3; ++k)
            soup.points.push_back(ball.corner(t, k) + Vec3{noise(random), noise(random), noise(random)});
        soup.triangles.push_back({3 * t, 3 * t + 1, 3 * t + 2});
        soup.zone_of.push_back(0);
    }
    EXPECT_FALSE(examine(soup).is_closed);
    const MendResult r = mend(soup, {.stitch = 5e-5});
    const SurfaceHealth h = examine(r.surface);
    EXPECT_TRUE(h.is_sound) << verdict(h, parse_length_unit("m"));
    EXPECT_EQ(r.surface.points.size(), ball.points.size());
    EXPECT_NEAR(h.enclosed_volume, examine(ball).enclosed_volume, 1e-4);
    EXPECT_LT(r.done[0].largest_move, 5e-5);
    EXPECT_GT(r.done[0].largest_move, 1e-7);
}

/// A plate over [0, 1] x [y0, y1] at z, divided into n by 1 quads.
void add_plate(Surface& s, int n, double y0, double y1, double z, double bump) {
    const auto first = static_cast<Index>(s.points.size());
    for (int i = 0; i <= n; ++i)
        for (const double y : {y0, y1})
            s.points.push_back({static_cast<double>(i) / n, y, z + (i % 2 == 1 ? bump : 0)});
    for (Index i = 0; i < static_cast<Index>(n); ++i) {
        const Index a = first + 2 * i;
        s.triangles.push_back({a, a + 2, a + 3});
        s.triangles.push_back({a, a + 3, a + 1});
        s.zone_of.insert(s.zone_of.end(), {0, 0});
    }
}

TEST(Mend, StitchesSidesWithDifferentPoints) {
    Surface s;
    s.zones.push_back({"plates"});
    add_plate(s, 7, 0, 1, 0, 0);
    add_plate(s, 5, 1 + 1e-4, 2, 1e-4, 0);
    const MendResult r = mend(s, {.stitch = 5e-4});
    const SurfaceHealth h = examine(r.surface, {.tolerance = 1e-3});
    ASSERT_EQ(h.rims.size(), 1U);
    EXPECT_NEAR(h.rims[0].rim.length, 6, 1e-3);
    EXPECT_EQ(h.count(DefectKind::crack) + h.count(DefectKind::t_junction), 0U);
    EXPECT_EQ(h.count(DefectKind::self_intersection) + h.count(DefectKind::overlap), 0U);
    EXPECT_NEAR(h.area, 2, 1e-3);
    EXPECT_LE(r.done[0].largest_move, 2 * 5e-4);
}

TEST(Mend, RemovesNeedlesWithoutMovingTheShape) {
    // A point just off the middle of an edge makes a cap; two points almost in one place make a needle.
    Surface s = kit::sphere({0, 0, 0}, 1, 2);
    const double before = examine(s).enclosed_volume;
    const SurfaceEdges edges(s.triangles, s.points.size());
    for (const std::size_t e : {10U, 100U, 200U}) {
        const auto [a, b] = edges.ends(e);
        const Index t = edges.begin(e)[0].triangle;
        const auto m = static_cast<Index>(s.points.size());
        s.points.push_back(midpoint(s.points[a], s.points[b]) +
                           1e-6 * normalized(middle(s, t) - midpoint(s.points[a], s.points[b])));
        // Split only t, towards its third corner, and fill the sliver beside the edge.
        Triangle first = s.triangles[t], second = first, sliver = first;
        std::replace(first.begin(), first.end(), b, m);
        std::replace(second.begin(), second.end(), a, m);
        for (Index& p : sliver)
            if (p != a && p != b) p = m;
        s.triangles[t] = first;
        s.triangles.push_back(second);
        s.triangles.push_back(sliver);
        s.zone_of.insert(s.zone_of.end(), {0, 0});
    }
    EXPECT_TRUE(examine(s).is_closed);
    EXPECT_EQ(examine(s).count(DefectKind::needle), 3U);
    const MendResult r = mend(s, {.remove_needles = 1e-5});
    const SurfaceHealth h = examine(r.surface);
    EXPECT_EQ(h.count(DefectKind::needle), 0U);
    EXPECT_TRUE(h.is_sound);
    EXPECT_NEAR(h.enclosed_volume, before, 1e-5);
    EXPECT_LE(r.done[0].largest_move, 1e-5);

    Surface flat = kit::box({0, 0, 0}, {1, 1, 1});
    flat.points.push_back({0.5, 0, 0});
    // Exactly on an edge: a triangle without area closes the T-junction.
    const auto it = std::find_if(flat.triangles.begin(), flat.triangles.end(), [](const Triangle& t) {
        return std::count(t.begin(), t.end(), 0U) == 1 && std::count(t.begin(), t.end(), 1U) == 1;
    });
    Triangle first = *it, second = *it, none = *it;
    std::replace(first.begin(), first.end(), 1U, 8U);
    std::replace(second.begin(), second.end(), 0U, 8U);
    for (Index& p : none)
        if (p > 1) p = 8;
    *it = first;
    flat.triangles.insert(flat.triangles.end(), {second, none});
    flat.zone_of.insert(flat.zone_of.end(), {0, 0});
    EXPECT_EQ(examine(flat).count(DefectKind::degenerate), 1U);
    const MendResult exact = mend(flat, {.remove_needles = 1e-9});
    EXPECT_TRUE(examine(exact.surface).is_sound);
    EXPECT_DOUBLE_EQ(examine(exact.surface).enclosed_volume, 1);
    EXPECT_EQ(exact.done[0].largest_move, 0);
}

TEST(Mend, ClosesFlatRimsFlat) {
    Surface s = split_at_sharp_edges(kit::cylinder(1, 2, 40), 40);
    const double volume = examine(s).enclosed_volume;
    erase_if(s, [&](Index t) { return middle(s, t).z == 2; });
    EXPECT_EQ(examine(s).count(DefectKind::rim), 1U);
    EXPECT_EQ(mend(s, {.close_rims = 1.9}).done.size(), 0U);  // larger than that: left open
    const MendResult r = mend(s, {.close_rims = 3});
    const SurfaceHealth h = examine(r.surface);
    EXPECT_TRUE(h.is_sound);
    EXPECT_NEAR(h.enclosed_volume, volume, 1e-12);
    EXPECT_EQ(r.surface.points.size(), 80U + 1U);  // no new point
}

TEST(Mend, ClosesOtherRimsSmoothly) {
    Surface ball = kit::sphere({0, 0, 0}, 1, 4);
    const double whole = examine(ball).enclosed_volume;
    // A hole with a wavy border round the pole.
    erase_if(ball, [&](Index t) {
        const Vec3 m = middle(ball, t);
        return m.z > 0.75 + 0.08 * std::sin(5 * std::atan2(m.y, m.x));
    });
    const double open_area = examine(ball).area;
    const MendResult r = mend(ball, {.close_rims = 2});
    const SurfaceHealth h = examine(r.surface);
    EXPECT_TRUE(h.is_sound) << verdict(h, parse_length_unit("m"));
    // The cap goes on with the curvature around it: nearly the ball again, where a flat lid would lose a twentieth.
    EXPECT_NEAR(h.enclosed_volume, whole, 0.01 * whole);
    double lowest = 1;
    for (const Vec3& p : r.surface.points) lowest = std::min(lowest, length(p));
    EXPECT_GT(lowest, 0.9);
    // As fine as its surroundings.
    const double mean_before = open_area / static_cast<double>(ball.triangles.size());
    const double mean_patch =
        (h.area - open_area) / static_cast<double>(r.surface.triangles.size() - ball.triangles.size());
    EXPECT_LT(mean_patch, 2 * mean_before);
    EXPECT_GT(mean_patch, mean_before / 3);
}

TEST(Mend, ClosesALongRimInReasonableTime) {
    // More points than the table of all runs takes: corners are cut off first. The rim is a wave round a cylinder.
    const int n = 700;
    Surface s;
    s.zones.push_back({"wave"});
    for (int i = 0; i < n; ++i) {
        const double a = 2 * std::numbers::pi * i / n;
        s.points.push_back({std::cos(a), std::sin(a), 0});
        s.points.push_back({std::cos(a), std::sin(a), 1 + 0.1 * std::sin(8 * a)});
    }
    for (Index i = 0; i < static_cast<Index>(n); ++i) {
        const Index a = 2 * i, b = 2 * ((i + 1) % static_cast<Index>(n));
        s.triangles.insert(s.triangles.end(), {{a, b, b + 1}, {a, b + 1, a + 1}});
        s.zone_of.insert(s.zone_of.end(), {0, 0});
    }
    const MendResult r = mend(s, {.close_rims = 3});
    const SurfaceHealth h = examine(r.surface);
    EXPECT_TRUE(h.is_closed);
    EXPECT_FALSE(h.is_blocked()) << verdict(h, parse_length_unit("m"));
    // The patch goes on with the slope of the wall: a dome, of about half a ball.
    EXPECT_NEAR(h.enclosed_volume, std::numbers::pi * (1 + 2.0 / 3), 0.6);
}

TEST(Mend, LeavesARimWhosePatchWouldCross) {
    // A can without its lid, and a rod through the opening: no lid can be put on.
    Surface can = kit::cylinder(1, 2, 24);
    erase_if(can, [&](Index t) { return middle(can, t).z == 2; });
    const Surface both = joined({can, kit::box({-0.1, -0.1, 1}, {0.1, 0.1, 3})});
    const MendResult r = mend(both, {.close_rims = 5});
    ASSERT_EQ(r.left.size(), 1U);
    EXPECT_NE(r.left[0].find("cross"), std::string::npos);
    EXPECT_EQ(r.surface.triangles, both.triangles);
}

TEST(Mend, JoinsNothingThatIsFartherApartOrOfOneTriangle) {
    // Two plates side by side, a gap between them ten times as wide as asked: untouched. Small triangles stay whole.
    Surface s = joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({1.01, 0, 0}, {2, 1, 1})});
    s.triangles.erase(s.triangles.begin());
    s.zone_of.pop_back();
    EXPECT_FALSE(mend(s, {.stitch = 1e-3}).is_changed());
    // A rim whose points are closer to each other than the distance: it must not fold onto itself.
    Surface small = kit::sphere({0, 0, 0}, 1e-3, 2);
    small.triangles.erase(small.triangles.begin());
    small.zone_of.pop_back();
    const MendResult r = mend(small, {.stitch = 1e-3});
    EXPECT_EQ(examine(r.surface).count(DefectKind::degenerate), 0U);
    EXPECT_EQ(examine(r.surface).count(DefectKind::self_intersection), 0U);
}

TEST(Mend, DropsSpecksButNotTheModel) {
    const Surface s =
        joined({kit::sphere({2, 0, 0}, 0.001, 1), kit::box({0, 0, 0}, {1, 1, 1}), kit::sphere({3, 0, 0}, 0.1, 1)});
    const MendResult r = mend(s, {.drop_specks = 0.01});
    EXPECT_EQ(examine(r.surface).shells.size(), 2U);
    EXPECT_EQ(mend(r.surface, {.drop_specks = 10}).surface.triangles.size(), 12U);
}

TEST(Mend, MendsASoupOfFaults) {
    // Random faults of every kind in a body; whatever the draw, the mended one is closed, sound and nearly unchanged.
    const Surface body = joined({kit::cylinder(1, 2, 48), kit::flipped(kit::sphere({0, 0, 1}, 0.5, 3))});
    const double volume = examine(body).enclosed_volume;
    std::mt19937 random(11);
    for (int round = 0; round < 12; ++round) {
        Surface s = body;
        std::uniform_real_distribution<double> noise(-2e-5, 2e-5);
        for (int i = 0; i < 20; ++i) {  // triangles torn loose
            const Index t = static_cast<Index>(random() % s.triangles.size());
            for (Index& p : s.triangles[t]) {
                s.points.push_back(s.points[p] + Vec3{noise(random), noise(random), noise(random)});
                p = static_cast<Index>(s.points.size() - 1);
            }
        }
        for (int i = 0; i < 5; ++i) {
            const Index t = static_cast<Index>(random() % s.triangles.size());
            std::swap(s.triangles[t][0], s.triangles[t][2]);
            s.triangles.push_back(s.triangles[random() % s.triangles.size()]);
            s.zone_of.push_back(0);
        }
        const Index hole = static_cast<Index>(random() % s.triangles.size());
        erase_if(s, [&](Index t) { return t == hole; });
        const MendResult r = mend(s, {.stitch = 1e-4, .close_rims = 3});
        const SurfaceHealth h = examine(r.surface);
        EXPECT_TRUE(h.is_sound) << "round " << round << ": " << verdict(h, parse_length_unit("m"));
        EXPECT_NEAR(h.enclosed_volume, volume, 0.01 * volume);
    }
}

}  // namespace
}  // namespace anvilcast
