// Points of the boundary that may slide make better cells, and leave the shape as it was.

#include <gtest/gtest.h>
#include <anvilcast/faults.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

/// A box meshed evenly, then drawn together and apart in waves: its faces stay flat, its triangles become needles.
SurfaceMesh wavy_box() {
    const Domain box = kit::inside_of(kit::box({0, 0, 0}, {1, 1, 1}));
    SizeOptions sizes;
    sizes.surface = sizes.largest = 0.15;
    SurfaceMesh mesh = mesh_surface(box, size_field_of_mesh(box.boundary, sizes));
    constexpr double kWave = 6 * std::numbers::pi;
    for (Vec3& p : mesh.surface.points)
        for (double* x : {&p.x, &p.y, &p.z})
            if (*x > 0 && *x < 1) *x += 0.85 / kWave * std::sin(kWave * *x);
    return mesh;
}

VolumeMesh filled(const SurfaceMesh& mesh, std::optional<double> slide, FillReport& report) {
    SizeOptions sizes;
    sizes.surface = sizes.largest = 0.15;
    FillOptions options;
    options.slide = slide;
    return fill_with_tetrahedra(mesh, size_field_of_mesh(mesh.surface, sizes), options, {}, &report);
}

TEST(Slide, MakesBetterCellsInABoxAndKeepsItABox) {
    const SurfaceMesh box = wavy_box();
    FillReport still, sliding;
    const VolumeMesh before = filled(box, std::nullopt, still), after = filled(box, 0.0, sliding);
    EXPECT_EQ(still.boundary_moves, 0U);
    EXPECT_GT(sliding.boundary_moves, 10U);
    EXPECT_GT(sliding.worst_shape, 1.2 * still.worst_shape);
    EXPECT_EQ(find_faults(after), std::vector<std::string>{});
    EXPECT_NEAR(assess(after).volume, 1, 1e-12);
    // Every boundary face still lies in one plane of the box, to the last bit.
    for (std::size_t f = after.n_inner_faces(); f < after.n_faces(); ++f) {
        int n_planes = 0;
        for (int axis = 0; axis < 3; ++axis)
            for (const double at : {0.0, 1.0}) {
                const auto face = after.face(f);
                n_planes += std::all_of(face.begin(), face.end(), [&](Index p) { return after.points[p][axis] == at; });
            }
        ASSERT_EQ(n_planes, 1);
    }
}

TEST(Slide, StaysWithinTheToleranceOfACurvedSurface) {
    SurfaceMesh ball = kit::as_mesh(kit::sphere({0, 0, 0}, 1, 3));
    const TriangleTree before(ball.surface.points, ball.surface.triangles);
    // Some needles, so that there is something to gain.
    std::mt19937 random(3);
    std::uniform_real_distribution<double> push(-0.06, 0.06);
    for (Vec3& p : ball.surface.points) p = before.closest(p + Vec3{push(random), push(random), push(random)}).point;
    const TriangleTree given(ball.surface.points, ball.surface.triangles);
    for (const double tolerance : {0.0, 0.002, 0.01}) {
        FillReport report;
        const VolumeMesh mesh = filled(ball, tolerance, report);
        EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
        EXPECT_EQ(report.boundary_moves > 0, tolerance > 0);
        double farthest = 0;
        for (std::size_t f = mesh.n_inner_faces(); f < mesh.n_faces(); ++f) {
            const auto c = mesh.face(f);
            const Vec3 &p = mesh.points[c[0]], &q = mesh.points[c[1]], &r = mesh.points[c[2]];
            for (const Vec3& x : {p, q, r, midpoint(p, q), midpoint(q, r), midpoint(r, p), (p + q + r) / 3.0})
                farthest = std::max(farthest, given.closest(x).distance);
        }
        EXPECT_LE(farthest, std::max(tolerance, 1e-9));
    }
}

}  // namespace
}  // namespace anvilcast
