#include <gtest/gtest.h>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/weld.hpp>

#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

TEST(TriangleTree, ClosestPointAgreesWithBruteForce) {
    const Surface ball = kit::sphere({0, 0, 0}, 1, 3);
    const TriangleTree tree(ball.points, ball.triangles);
    for (Vec3 p : kit::random_points(500, 1)) {
        p = (p - Vec3{0.5, 0.5, 0.5}) * 4;
        double best = 1e300;
        for (Index t = 0; t < ball.triangles.size(); ++t)
            best = std::min(best, distance(p, closest_point_on_triangle(p, ball.corner(t, 0), ball.corner(t, 1),
                                                                        ball.corner(t, 2))));
        const auto hit = tree.closest(p);
        ASSERT_EQ(hit.distance, best);
        ASSERT_NEAR(distance(hit.point, p), best, 1e-15);
        ASSERT_EQ(tree.closest(p, best * 0.99).triangle, kNone);
    }
}

TEST(TriangleTree, ClosestPointOfATriangleIsClosest) {
    std::mt19937 random(2);
    std::uniform_real_distribution<double> unit(0, 1);
    for (const Vec3& seed : kit::random_points(300, 3)) {
        const auto p = kit::random_points(4, static_cast<unsigned>(seed.x * 1e6));
        const double d = distance(p[3], closest_point_on_triangle(p[3], p[0], p[1], p[2]));
        for (int i = 0; i < 50; ++i) {
            double u = unit(random), v = unit(random);
            if (u + v > 1) u = 1 - u, v = 1 - v;
            ASSERT_LE(d, distance(p[3], p[0] + (p[1] - p[0]) * u + (p[2] - p[0]) * v) + 1e-12);
        }
    }
}

TEST(TriangleTree, LinesThroughAClosedSurfaceGoInAndOutInTurn) {
    const Surface ball = kit::sphere({1, 2, 3}, 2, 3);
    const TriangleTree tree(ball.points, ball.triangles);
    for (const Vec3& p : kit::random_points(200, 4)) {
        const auto hits = tree.line_hits(Vec3{1, 2, 3} + p, normalized(Vec3{0.3, 1, -0.7} + p));
        ASSERT_EQ(hits.size(), 2U);
        ASSERT_TRUE(hits[0].from_front);
        ASSERT_FALSE(hits[1].from_front);
    }
}

TEST(TriangleTree, BoxQueryFindsAllThatOverlap) {
    const Surface ball = kit::sphere({0, 0, 0}, 1, 3);
    const TriangleTree tree(ball.points, ball.triangles);
    Box query;
    query.include(Vec3{0.2, -0.1, 0.3});
    query.include(Vec3{0.6, 0.5, 2});
    std::vector<bool> found(ball.triangles.size(), false);
    tree.overlapping(query, [&](Index t) { found[t] = true; });
    for (Index t = 0; t < ball.triangles.size(); ++t) {
        Box own;
        for (int k = 0; k < 3; ++k) own.include(ball.corner(t, k));
        EXPECT_EQ(found[t], own.overlaps(query));
    }
}

bool conflict(const std::vector<Vec3>& p, const Triangle& s, const Triangle& t) {
    const bool there = triangles_conflict(p, s, t), back = triangles_conflict(p, t, s);
    EXPECT_EQ(there, back);
    return there;
}

TEST(TriangleIntersection, TellsConflictsFromNeighbours) {
    const std::vector<Vec3> p{{0, 0, 0}, {2, 0, 0},   {0, 2, 0}, {2, 2, 0},  {0.5, 0.5, -1}, {0.5, 0.5, 1}, {3, 3, 1},
                              {1, 1, 0}, {0.5, 0, 0}, {5, 5, 0}, {1, -1, 0}, {0.5, 0.5, 0},  {-1, -1, 0},   {0, 0, 2}};
    EXPECT_FALSE(conflict(p, {0, 1, 2}, {1, 3, 2}));    // neighbours in a plane
    EXPECT_TRUE(conflict(p, {0, 1, 2}, {0, 2, 1}));     // the same twice
    EXPECT_TRUE(conflict(p, {0, 1, 2}, {0, 1, 3}));     // share an edge, lie over each other
    EXPECT_FALSE(conflict(p, {0, 1, 2}, {0, 1, 13}));   // share an edge, stand on each other
    EXPECT_TRUE(conflict(p, {0, 1, 2}, {4, 5, 6}));     // pierced
    EXPECT_TRUE(conflict(p, {0, 1, 2}, {7, 5, 6}));     // corner on the edge
    EXPECT_TRUE(conflict(p, {0, 1, 2}, {8, 10, 5}));    // touches an edge with a corner
    EXPECT_FALSE(conflict(p, {0, 1, 2}, {9, 6, 3}));    // apart
    EXPECT_TRUE(conflict(p, {0, 1, 2}, {0, 11, 13}));   // shares a corner, cuts along an inner line
    EXPECT_FALSE(conflict(p, {0, 1, 2}, {0, 12, 13}));  // shares a corner, leads away
}

TEST(TriangleIntersection, FindsAllPairsOfTwoBalls) {
    const Surface apart = joined({kit::sphere({0, 0, 0}, 1, 2), kit::sphere({3, 0, 0}, 1, 2)});
    EXPECT_TRUE(find_self_intersections(apart.points, apart.triangles).empty());
    const Surface crossing = joined({kit::sphere({0, 0, 0}, 1, 2), kit::sphere({1.2, 0.1, 0}, 1, 2)});
    std::vector<std::array<Index, 2>> brute;
    for (Index i = 0; i < crossing.triangles.size(); ++i)
        for (Index j = i + 1; j < crossing.triangles.size(); ++j)
            if (triangles_conflict(crossing.points, crossing.triangles[i], crossing.triangles[j]))
                brute.push_back({i, j});
    EXPECT_GT(brute.size(), 20U);
    EXPECT_EQ(find_self_intersections(crossing.points, crossing.triangles), brute);
}

}  // namespace
}  // namespace anvilcast
