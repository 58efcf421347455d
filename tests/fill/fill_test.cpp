// The fill on its own: surfaces are taken as they are, without remeshing, so that recovery has to work.

#include <gtest/gtest.h>
#include <tbb/global_control.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <numbers>
#include <random>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

VolumeMesh filled(const Surface& s, double size, FillReport* report = nullptr) {
    SizeOptions sizes;
    sizes.surface = size;
    sizes.largest = 2 * size;
    return fill_with_tetrahedra(kit::as_mesh(s), size_field_of_mesh(s, sizes), {}, {}, report);
}

/// Valid, of the right volume, and with the areas of all zones kept.
void expect_sound(const Surface& s, const VolumeMesh& mesh) {
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    const QualityReport report = assess(mesh);
    const SurfaceHealth health = examine(s);
    EXPECT_NEAR(report.volume, health.enclosed_volume, 1e-9 * health.enclosed_volume);
    ASSERT_EQ(mesh.zones.size(), s.zones.size());
    for (std::size_t z = 0; z < mesh.zones.size(); ++z)
        EXPECT_NEAR(report.zone_areas[z], health.zones[z].area, 1e-9 * health.zones[z].area);
}

TEST(Fill, FillsABallWithGoodCells) {
    const Surface ball = kit::sphere({0.1, 0.2, 0.3}, 1, 4);
    FillReport report;
    const VolumeMesh mesh = filled(ball, 0.08, &report);
    expect_sound(ball, mesh);
    EXPECT_TRUE(report.boundary_points_added.empty());
    const QualityReport quality = assess(mesh);
    EXPECT_GT(quality.metric("smallest dihedral").min, 15);
    EXPECT_LT(quality.metric("largest dihedral").max, 155);
    EXPECT_LT(quality.metric("equiangle skewness").max, 0.8);
}

TEST(Fill, GrowsInwardAsAsked) {
    const Surface ball = kit::sphere({0, 0, 0}, 1, 4);
    SizeOptions sizes;
    sizes.surface = 0.07;
    sizes.largest = 0.3;
    sizes.growth = 1.2;
    const SizeField field = size_field_of_mesh(ball, sizes);
    const VolumeMesh mesh = fill_with_tetrahedra(kit::as_mesh(ball), field);
    // Edges that do not lie on the boundary follow the field.
    std::vector<bool> on_boundary(mesh.points.size(), false);
    for (std::size_t f = mesh.n_inner_faces(); f < mesh.n_faces(); ++f)
        for (const Index p : mesh.face(f)) on_boundary[p] = true;
    std::size_t n = 0, fitting = 0;
    for (std::size_t f = 0; f < mesh.n_inner_faces(); ++f) {
        const auto face = mesh.face(f);
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = face[k], b = face[(k + 1) % 3];
            if (on_boundary[a] || on_boundary[b]) continue;
            const double ratio =
                distance(mesh.points[a], mesh.points[b]) / field.at(midpoint(mesh.points[a], mesh.points[b]));
            ++n;
            fitting += ratio > 0.55 && ratio < 1.7 ? 1 : 0;
        }
    }
    EXPECT_GT(n, 1000U);
    EXPECT_GT(static_cast<double>(fitting), 0.97 * static_cast<double>(n));
    // The middle is coarser than the rim: far fewer cells than at the surface's size throughout.
    EXPECT_LT(mesh.n_cells(), 4.19 / (0.118 * 0.07 * 0.07 * 0.07) / 2.8);
}

TEST(Fill, PutsAPointIntoThePrismThatNeedsOne) {
    for (const double twist : {10.0, 30.0, 45.0}) {
        const Surface prism = kit::twisted_prism(twist);
        ASSERT_TRUE(examine(prism).is_sound);
        SurfaceMesh as_is = kit::as_mesh(prism);
        FillReport report;
        SizeOptions sizes;
        sizes.surface = 100;  // no interior points wanted: recovery must find its own
        const VolumeMesh mesh = fill_with_tetrahedra(as_is, size_field_of_mesh(prism, sizes), {}, {}, &report);
        expect_sound(prism, mesh);
        // A point is needed, but not on the boundary: that keeps its triangles as they were.
        EXPECT_GT(report.boundary_points_lifted, 0U);
        EXPECT_TRUE(report.boundary_points_added.empty());
        EXPECT_EQ(mesh.n_faces() - mesh.n_inner_faces(), prism.triangles.size());
    }
}

TEST(Fill, RecoversCoarseAndCrookedSurfaces) {
    // Needles and slabs whose triangles the Delaunay tetrahedra do not have.
    for (const double height : {1.0, 0.05, 0.002}) {
        const Surface slab = kit::box({0, 0, 0}, {3, 2, height});
        expect_sound(slab, filled(slab, 1));
    }
    const Surface needles = kit::cylinder(1, 12, 40);
    expect_sound(needles, filled(needles, 0.5));
    const Surface pipe = kit::pipe(0.9, 1, 6, 36);
    SizeOptions sizes;
    sizes.surface = 0.3;
    sizes.largest = 0.6;
    FillReport report;
    const SurfaceMesh as_is = kit::as_mesh(pipe);
    const VolumeMesh mesh = fill_with_tetrahedra(as_is, size_field_of_mesh(pipe, sizes), {}, {}, &report);
    expect_sound(pipe, mesh);
    // Nearly all points that were needed are off the boundary again; where the others lie is told.
    EXPECT_GT(report.boundary_points_lifted, 9 * report.boundary_points_added.size());
    for (const AddedBoundaryPoint& p : report.boundary_points_added) {
        Vec3 place{};
        const Triangle& triangle = pipe.triangles[p.triangle];
        for (std::size_t k = 0; k < 3; ++k) {
            if (p.corners[k] == kNone) continue;
            EXPECT_NE(std::find(triangle.begin(), triangle.end(), p.corners[k]), triangle.end());
            place = place + pipe.points[p.corners[k]] * p.weights[k];
        }
        EXPECT_NEAR(p.weights[0] + p.weights[1] + p.weights[2], 1, 1e-12);
        EXPECT_LT(distance(place, p.place), 1e-12);
        EXPECT_NE(std::find(mesh.points.begin(), mesh.points.end(), p.place), mesh.points.end());
    }
}

TEST(Fill, RecoversSharpWedges) {
    for (const double angle_deg : {20.0, 2.0, 0.2}) {
        const double t = std::tan(angle_deg * std::numbers::pi / 180);
        Surface wedge = kit::box({0, 0, 0}, {1, 1, 1});
        for (Vec3& p : wedge.points)
            if (p.z > 0) p.z = p.x > 0.5 ? 1.0 * t : 1e-3 * t;
        expect_sound(wedge, filled(wedge, 0.4));
    }
}

TEST(Fill, KeepsHolesApart) {
    std::vector<Surface> parts{kit::box({0, 0, 0}, {1, 1, 1})};
    std::mt19937 random(7);
    std::uniform_real_distribution<double> unit(0.15, 0.85);
    std::vector<Vec3> centers;
    while (centers.size() < 12) {
        const Vec3 c{unit(random), unit(random), unit(random)};
        if (std::all_of(centers.begin(), centers.end(), [&](const Vec3& o) { return distance(o, c) > 0.21; }))
            centers.push_back(c);
    }
    for (std::size_t i = 0; i < centers.size(); ++i)
        parts.push_back(kit::flipped(kit::sphere(centers[i], 0.1, 2, "ball-" + std::to_string(i))));
    SizeOptions sizes;
    sizes.surface = 0.05;
    const Domain domain = kit::inside_of(joined(parts));
    const SurfaceMesh surface = mesh_surface(domain, make_size_field(domain, sizes));
    const VolumeMesh mesh = filled(surface.surface, 0.05);
    expect_sound(surface.surface, mesh);
    EXPECT_GT(assess(mesh).metric("smallest dihedral").min, 8);
}

TEST(Fill, RecoversRandomStarShapedBodies) {
    std::mt19937 random(21);
    std::uniform_real_distribution<double> unit(0.35, 1);
    for (int i = 0; i < 25; ++i) {
        Surface body = kit::sphere({0, 0, 0}, 1, 1 + i % 2);
        for (Vec3& p : body.points) p *= unit(random);
        SCOPED_TRACE(i);
        expect_sound(body, filled(body, 0.5));
    }
}

TEST(Fill, KeepsABaffleAsTwoFaces) {
    Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    s = split_at_sharp_edges(s, 40);
    SurfaceMesh mesh = kit::as_mesh(s);
    const auto first = static_cast<Index>(mesh.surface.points.size());
    for (const Vec3& p : {Vec3{0.3, 0.3, 0.5}, Vec3{0.7, 0.3, 0.5}, Vec3{0.7, 0.7, 0.55}, Vec3{0.3, 0.7, 0.5}})
        mesh.surface.points.push_back(p);
    mesh.surface.triangles.push_back({first, first + 1, first + 2});
    mesh.surface.triangles.push_back({first, first + 2, first + 3});
    mesh.surface.zone_of.insert(mesh.surface.zone_of.end(), 2, static_cast<Index>(mesh.surface.zones.size()));
    mesh.surface.zones.push_back({"plate", Role::baffle});
    mesh.sides.insert(mesh.sides.end(), 2, {0, 0});
    SizeOptions sizes;
    sizes.surface = 0.3;
    const VolumeMesh volume = fill_with_tetrahedra(mesh, size_field_of_mesh(mesh.surface, sizes));
    EXPECT_EQ(find_faults(volume), std::vector<std::string>{});
    const QualityReport report = assess(volume);
    EXPECT_NEAR(report.volume, 1, 1e-12);
    const double plate =
        triangle_area(mesh.surface.points[first], mesh.surface.points[first + 1], mesh.surface.points[first + 2]) +
        triangle_area(mesh.surface.points[first], mesh.surface.points[first + 2], mesh.surface.points[first + 3]);
    EXPECT_EQ(volume.zones.back().name, "plate");
    EXPECT_NEAR(report.zone_areas.back(), 2 * plate, 1e-12);
}

TEST(Fill, IsTheSameOnAnyNumberOfThreads) {
    const Surface ball = kit::sphere({0, 0, 0}, 1, 4);
    std::vector<VolumeMesh> meshes;
    for (const std::size_t threads : {1U, 2U, 7U}) {
        tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
        meshes.push_back(filled(ball, 0.045));
    }
    // Enough to be shared out.
    EXPECT_GT(meshes[0].n_cells(), 50'000U);
    for (const VolumeMesh& m : meshes) {
        EXPECT_EQ(m.points, meshes[0].points);
        EXPECT_EQ(m.cell_points, meshes[0].cell_points);
        EXPECT_EQ(m.face_points, meshes[0].face_points);
    }
}

TEST(Fill, TellsWhatIsWrong) {
    Surface open = kit::box({0, 0, 0}, {1, 1, 1});
    open.triangles.pop_back();
    open.zone_of.pop_back();
    EXPECT_THROW(filled(open, 0.5), GeometryError);
    Surface doubled = kit::box({0, 0, 0}, {1, 1, 1});
    doubled.points.push_back(doubled.points[0]);
    doubled.triangles[0][0] = 8;
    EXPECT_THROW(filled(doubled, 0.5), GeometryError);
    FillOptions few;
    few.max_cells = 100;
    const Surface ball = kit::sphere({0, 0, 0}, 1, 3);
    SizeOptions sizes;
    sizes.surface = 0.1;
    EXPECT_THROW(fill_with_tetrahedra(kit::as_mesh(ball), size_field_of_mesh(ball, sizes), few), FailureError);
}

}  // namespace
}  // namespace anvilcast
