#include "shape/features.hpp"

#include <gtest/gtest.h>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

using shape::PointKind;

Domain sheets(std::vector<Vec3> points, std::vector<Triangle> triangles) {
    Surface s;
    s.points = std::move(points);
    s.triangles = std::move(triangles);
    s.zones.push_back({.name = "sheets"});
    s.zone_of.assign(s.triangles.size(), 0);
    return kit::inside_of(s);
}

/// A ridge along x, through (k, 0, height[k]) for k = 0, 1, ..., with slopes down to both sides.
void add_ridge(const std::vector<double>& height, std::vector<Vec3>& points, std::vector<Triangle>& triangles) {
    const auto first = static_cast<Index>(points.size());
    for (std::size_t k = 0; k < height.size(); ++k)
        for (const double y : {0.0, -1.0, 1.0})
            points.push_back({static_cast<double>(k), y, height[k] - 2 * std::abs(y)});
    for (Index k = first; k + 3 < points.size(); k += 3)
        for (const Triangle& t : {Triangle{k, k + 4, k + 3}, {k, k + 1, k + 4}, {k, k + 3, k + 5}, {k, k + 5, k + 2}})
            triangles.push_back(t);
}

TEST(Features, ACurveOfOneSheetEndsWhereAnotherLeavesIt) {
    std::vector<Vec3> points;
    std::vector<Triangle> triangles;
    add_ridge({-0.1, 0, 0, -0.1}, points, triangles);
    // A level sheet above touches the ridge from 1 to 2 only.
    const Index a = 3, b = 6, n = static_cast<Index>(points.size());
    for (const Vec3& p : {Vec3{1, -1, 0}, Vec3{2, -1, 0}, Vec3{3, 0, 0}, Vec3{2, 1, 0}, Vec3{1, 1, 0}, Vec3{0, 0, 0}})
        points.push_back(p);
    for (const Triangle& t : {Triangle{a, n, n + 1},
                              {a, n + 1, b},
                              {b, n + 1, n + 2},
                              {b, n + 2, n + 3},
                              {b, n + 3, a},
                              {a, n + 3, n + 4},
                              {a, n + 4, n + 5},
                              {a, n + 5, n}})
        triangles.push_back(t);
    const shape::Features f = shape::find_features(sheets(points, triangles), 40);
    EXPECT_EQ(f.kind[a], PointKind::corner);
    EXPECT_EQ(f.kind[b], PointKind::corner);
    const Index edge = f.curve_at({a, b});
    ASSERT_NE(edge, kNone);
    EXPECT_EQ(f.curves[edge].points.size(), 2U);
}

TEST(Features, APointWhereSheetsTouchIsACorner) {
    std::vector<Vec3> points;
    std::vector<Triangle> triangles;
    add_ridge({-0.1, 0, -0.1}, points, triangles);
    const Index tip = 3;
    const shape::Features ridge = shape::find_features(sheets(points, triangles), 40);
    EXPECT_EQ(ridge.kind[tip], PointKind::curve);
    // A level sheet round the tip.
    const auto n = static_cast<Index>(points.size());
    for (const Vec3& p : {Vec3{2, 0, 0}, Vec3{1, 1, 0}, Vec3{0, 0, 0}, Vec3{1, -1, 0}}) points.push_back(p);
    for (Index k = 0; k < 4; ++k) triangles.push_back({tip, n + k, n + (k + 1) % 4});
    const shape::Features both = shape::find_features(sheets(points, triangles), 40);
    EXPECT_EQ(both.kind[tip], PointKind::corner);
}

}  // namespace
}  // namespace anvilcast
