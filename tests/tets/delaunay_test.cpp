#include <gtest/gtest.h>
#include <anvilcast/delaunay.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>

#include <cmath>
#include <map>
#include <numbers>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

double total_volume(const std::vector<Vec3>& p, const DelaunayMesh& mesh) {
    double sum = 0;
    for (const auto& t : mesh.tetrahedra) sum += tetrahedron_volume(p[t[0]], p[t[1]], p[t[2]], p[t[3]]);
    return sum;
}

/// The definition, by brute force and exactly: positive tetrahedra, no point inside any circumsphere, faces
/// shared by two tetrahedra or on the hull.
void expect_delaunay(const std::vector<Vec3>& p, const DelaunayMesh& mesh) {
    std::map<std::array<Index, 3>, std::vector<Index>> faces;
    for (const auto& t : mesh.tetrahedra) {
        ASSERT_EQ(orient3d(p[t[0]], p[t[1]], p[t[2]], p[t[3]]), 1);
        for (const Vec3& q : p) ASSERT_LE(insphere(p[t[0]], p[t[1]], p[t[2]], p[t[3]], q), 0);
        for (std::size_t k = 0; k < 4; ++k) {
            std::array<Index, 3> f{t[(k + 1) & 3], t[(k + 2) & 3], t[(k + 3) & 3]};
            std::sort(f.begin(), f.end());
            faces[f].push_back(t[k]);
        }
    }
    for (const auto& [f, apexes] : faces) {
        ASSERT_LE(apexes.size(), 2U);
        if (apexes.size() == 2) continue;
        const int side = orient3d(p[f[0]], p[f[1]], p[f[2]], p[apexes[0]]);
        for (const Vec3& q : p) ASSERT_GE(side * orient3d(p[f[0]], p[f[1]], p[f[2]], q), 0);
    }
}

TEST(Delaunay, HoldsTheDefinitionOnRandomPoints) {
    const auto points = kit::random_points(400, 11);
    expect_delaunay(points, delaunay(points));
}

TEST(Delaunay, HoldsTheDefinitionOnDegeneratePoints) {
    std::vector<Vec3> lattice, rounded, sphere_points = kit::sphere({0, 0, 0}, 1, 2).points, flat;
    for (int i = 0; i < 7; ++i)
        for (int j = 0; j < 7; ++j)
            for (int k = 0; k < 7; ++k) {
                lattice.push_back({static_cast<double>(i), static_cast<double>(j), static_cast<double>(k)});
                rounded.push_back({i * 0.1, j * 0.1, k * 0.3});
            }
    for (int i = 0; i < 14; ++i)
        for (int j = 0; j < 14; ++j) flat.push_back({i * 1.0, j * 1.0, 0});
    flat.push_back({3, 4, 5});
    flat.push_back({3.5, 4.5, -0.25});
    for (const auto& points : {lattice, rounded, sphere_points, flat}) expect_delaunay(points, delaunay(points));
    EXPECT_NEAR(total_volume(lattice, delaunay(lattice)), 216.0, 1e-10);
}

TEST(Delaunay, SurvivesPointsWithHundredsOfNeighbours) {
    // Two points on the axis see all of a circle: their stars outgrow every small table.
    std::vector<Vec3> points{{0, 0, -1}, {0, 0, 1}};
    for (int i = 0; i < 300; ++i)
        points.push_back({std::cos(2 * std::numbers::pi * i / 300), std::sin(2 * std::numbers::pi * i / 300), 0});
    const DelaunayMesh mesh = delaunay(points);
    expect_delaunay(points, mesh);
    EXPECT_NEAR(total_volume(points, mesh), 2.0 / 3.0 * 150 * std::sin(2 * std::numbers::pi / 300), 1e-12);
}

TEST(Delaunay, FillsTheCubeAndIsRepeatable) {
    std::vector<Vec3> points = kit::random_points(20000, 12);
    for (const Vec3& corner : kit::box({0, 0, 0}, {1, 1, 1}).points) points.push_back(corner);
    const DelaunayMesh mesh = delaunay(points);
    EXPECT_NEAR(total_volume(points, mesh), 1.0, 1e-12);
    EXPECT_EQ(mesh.tetrahedra, delaunay(points).tetrahedra);
    EXPECT_LE(static_cast<double>(mesh.peak_bytes), 120.0 * static_cast<double>(mesh.tetrahedra.size()));
}

TEST(Delaunay, LeavesOutDuplicates) {
    std::vector<Vec3> points = kit::random_points(200, 13);
    const DelaunayMesh once = delaunay(points);
    points.insert(points.end(), points.begin(), points.begin() + 100);
    const DelaunayMesh twice = delaunay(points);
    EXPECT_EQ(once.tetrahedra.size(), twice.tetrahedra.size());
    EXPECT_NEAR(total_volume(points, once), total_volume(points, twice), 1e-14);
}

TEST(Delaunay, RefusesWhatHasNoVolume) {
    EXPECT_THROW(delaunay({}), GeometryError);
    EXPECT_THROW(delaunay({{0, 0, 0}, {1, 0, 0}, {2, 0, 0}, {3, 0, 0}, {4, 0, 0}}), GeometryError);
    EXPECT_THROW(delaunay(std::vector<Vec3>(10, Vec3{1, 2, 3})), GeometryError);
    EXPECT_THROW(delaunay({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1e60}}), InputError);
    EXPECT_THROW(delaunay({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, std::nan("")}}), InputError);
}

TEST(Delaunay, StopsWhenAsked) {
    std::atomic<bool> stop{true};
    Context context;
    context.stop = &stop;
    EXPECT_THROW(delaunay(kit::random_points(10000, 14), context), Cancelled);
}

}  // namespace
}  // namespace anvilcast
