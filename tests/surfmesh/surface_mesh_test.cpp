#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <cmath>
#include <numbers>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

SurfaceMesh meshed(const Surface& s, double size) {
    SizeOptions sizes;
    sizes.surface = size;
    const Domain domain = kit::inside_of(s);
    return mesh_surface(domain, make_size_field(domain, sizes));
}

double smallest_angle_deg(const Surface& s) {
    double smallest = 180;
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k) {
            const Vec3 u = s.corner(t, (k + 1) % 3) - s.corner(t, k), v = s.corner(t, (k + 2) % 3) - s.corner(t, k);
            smallest = std::min(smallest, std::atan2(length(cross(u, v)), dot(u, v)) * 180 / std::numbers::pi);
        }
    return smallest;
}

/// Share of edges within [0.6, 1.6] of the wanted length.
double fitting_edges(const Surface& s, double size) {
    std::size_t n = 0;
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k) {
            const double ratio = distance(s.corner(t, k), s.corner(t, (k + 1) % 3)) / size;
            n += ratio > 0.6 && ratio < 1.6 ? 1 : 0;
        }
    return static_cast<double>(n) / (3.0 * static_cast<double>(s.triangles.size()));
}

TEST(SurfaceMesh, KeepsTheBoxExactly) {
    const Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 3}), 40);
    const SurfaceMesh mesh = meshed(box, 0.2);
    const SurfaceHealth before = examine(box), after = examine(mesh.surface);
    EXPECT_TRUE(after.is_sound);
    EXPECT_NEAR(after.enclosed_volume, 6, 1e-12);
    ASSERT_EQ(after.zones.size(), 6U);
    for (std::size_t z = 0; z < 6; ++z) EXPECT_NEAR(after.zones[z].area, before.zones[z].area, 1e-12);
    EXPECT_LT(mesh.largest_deviation, 1e-12);
    EXPECT_GT(smallest_angle_deg(mesh.surface), 25);
    EXPECT_GT(fitting_edges(mesh.surface, 0.2), 0.98);
    for (const Vec3& corner : box.points)
        EXPECT_NE(std::find(mesh.surface.points.begin(), mesh.surface.points.end(), corner), mesh.surface.points.end());
}

TEST(SurfaceMesh, PutsEveryPointOnTheOriginal) {
    const Surface ball = kit::sphere({0, 0, 0}, 1, 4);
    const SurfaceMesh mesh = meshed(ball, 0.15);
    const TriangleTree original(ball.points, ball.triangles);
    for (const Vec3& p : mesh.surface.points) ASSERT_LT(original.closest(p).distance, 1e-12);
    EXPECT_TRUE(examine(mesh.surface).is_sound);
    EXPECT_GT(smallest_angle_deg(mesh.surface), 25);
    EXPECT_GT(fitting_edges(mesh.surface, 0.15), 0.98);
    EXPECT_LT(mesh.largest_deviation, 0.1 * 0.15);
    // Area and volume fall short by the chord error only, which is of second order.
    const double lost = 4.0 / 3 * std::numbers::pi - examine(mesh.surface).enclosed_volume;
    const double lost_at_half =
        4.0 / 3 * std::numbers::pi - examine(meshed(kit::sphere({0, 0, 0}, 1, 5), 0.075).surface).enclosed_volume;
    EXPECT_GT(lost / lost_at_half, 3.2);
}

TEST(SurfaceMesh, KeepsRimsOfACylinder) {
    const Surface cylinder = split_at_sharp_edges(kit::cylinder(1, 3, 64), 40);
    const SurfaceMesh mesh = meshed(cylinder, 0.2);
    EXPECT_TRUE(examine(mesh.surface).is_sound);
    // Every triangle edge between two zones lies on one of the two circles.
    const SurfaceEdges edges(mesh.surface.triangles, mesh.surface.points.size());
    std::size_t on_rims = 0;
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto* use = edges.begin(e);
        if (mesh.surface.zone_of[use[0].triangle] == mesh.surface.zone_of[use[1].triangle]) continue;
        ++on_rims;
        for (const Index p : edges.ends(e)) {
            const Vec3& q = mesh.surface.points[p];
            EXPECT_TRUE(q.z == 0 || q.z == 3);
            EXPECT_NEAR(std::hypot(q.x, q.y), 1, 2e-3);
        }
    }
    EXPECT_NEAR(static_cast<double>(on_rims), 2 * 2 * std::numbers::pi / 0.2, 10);
}

TEST(SurfaceMesh, RefinesWhereWallsAlmostTouch) {
    // Two balls with a gap a hundredth of the size: chords of the coarse meshes would cross.
    const Surface pair = joined({kit::box({-3, -3, -3}, {3.2, 3, 3}), kit::flipped(kit::sphere({-1.001, 0, 0}, 1, 4)),
                                 kit::flipped(kit::sphere({1.001, 0, 0}, 1, 4))});
    const SurfaceMesh mesh = meshed(pair, 0.5);
    EXPECT_TRUE(find_self_intersections(mesh.surface.points, mesh.surface.triangles).empty());
    EXPECT_TRUE(examine(mesh.surface).is_sound);
}

TEST(SurfaceMesh, TellsWhereTheInputCrossesItself) {
    const Surface crossing = joined({kit::sphere({0, 0, 0}, 1, 2), kit::sphere({1.2, 0, 0}, 1, 2)});
    try {
        meshed(crossing, 0.2);
        FAIL() << "nothing was thrown";
    } catch (const GeometryError& e) {
        EXPECT_NE(std::string(e.what()).find("crosses itself"), std::string::npos);
    }
}

}  // namespace
}  // namespace anvilcast
