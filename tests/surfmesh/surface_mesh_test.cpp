#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <numbers>
#include <random>
#include <set>

#include "kit/shapes.hpp"
#include "surfmesh/rounds.hpp"

namespace anvilcast {
namespace {

SurfaceMesh meshed(const Surface& s, double size) {
    SizeOptions sizes;
    sizes.surface = size;
    const Domain domain = kit::inside_of(s);
    return mesh_surface(domain, make_size_field(domain, sizes));
}

SurfaceMesh meshed_as(const Surface& s, const SizeOptions& sizes, SurfaceMeshOptions options = {}) {
    const Domain domain = kit::inside_of(s);
    const Sizing sizing = make_sizing(domain, sizes);
    options.divisions = sizing.divisions;
    return mesh_surface(domain, sizing.field, options);
}

const Metric& metric(const std::vector<Metric>& metrics, const std::string& name) {
    return *std::find_if(metrics.begin(), metrics.end(), [&](const Metric& m) { return m.name == name; });
}

double smallest_angle_deg(const Surface& s) { return metric(assess_surface(s), "smallest angle").min; }

/// What is asked of surfaces without sharp corners of their own.
void expect_good(const SurfaceMesh& mesh, double mean_skewness = 0.16) {
    const std::vector<Metric> metrics = assess_surface(mesh.surface);
    EXPECT_GT(metric(metrics, "smallest angle").min, 20);
    EXPECT_LT(metric(metrics, "equiangle skewness").mean, mean_skewness);
    EXPECT_LT(metric(metrics, "equiangle skewness").max, 0.6);
    EXPECT_LT(metric(metrics, "area ratio").max, 3);
    EXPECT_LT(metric(metrics, "area ratio").p99, 2);
    EXPECT_TRUE(mesh.too_far.empty());
    EXPECT_TRUE(examine(mesh.surface).is_sound);
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

/// A sheet of n x n crumpled squares on a unit square, closed round its rim.
Surface crumpled_sheet(Index n, double thickness) {
    Surface s;
    s.zones.push_back({"sheet"});
    std::mt19937 random(5);
    auto at = [n](Index i, Index j, Index k) { return (k * (n + 1) + i) * (n + 1) + j; };
    for (Index i = 0; i <= n; ++i)
        for (Index j = 0; j <= n; ++j)
            s.points.push_back({1.0 * i / n, 1.0 * j / n, 3e-11 * static_cast<double>(random())});
    for (Index p = 0; p < (n + 1) * (n + 1); ++p) s.points.push_back(s.points[p] + Vec3{0, 0, thickness});
    auto add = [&s](Index a, Index b, Index c, Index d) {
        s.triangles.insert(s.triangles.end(), {{a, b, c}, {a, c, d}});
        s.zone_of.insert(s.zone_of.end(), {0, 0});
    };
    for (Index i = 0; i < n; ++i) {
        for (Index j = 0; j < n; ++j) {
            add(at(i, j, 1), at(i + 1, j, 1), at(i + 1, j + 1, 1), at(i, j + 1, 1));
            add(at(i + 1, j + 1, 0), at(i + 1, j, 0), at(i, j, 0), at(i, j + 1, 0));
        }
        add(at(i, 0, 0), at(i + 1, 0, 0), at(i + 1, 0, 1), at(i, 0, 1));
        add(at(i + 1, n, 0), at(i, n, 0), at(i, n, 1), at(i + 1, n, 1));
        add(at(0, i + 1, 0), at(0, i, 0), at(0, i, 1), at(0, i + 1, 1));
        add(at(n, i, 0), at(n, i + 1, 0), at(n, i + 1, 1), at(n, i, 1));
    }
    return s;
}

TEST(SurfaceMesh, DividesTheOriginalsTrianglesWhereNothingElseHolds) {
    // Far thinner than its size and crumpled: other triangles than its own would cross, until they were as small as the
    // sheet is thin.
    Surface sheet = crumpled_sheet(8, 1e-4);
    sheet.zones[0].is_wrapped = true;
    ASSERT_TRUE(find_self_intersections(sheet.points, sheet.triangles).empty());
    const SurfaceMesh mesh = meshed(sheet, 0.2);
    EXPECT_TRUE(find_self_intersections(mesh.surface.points, mesh.surface.triangles).empty());
    const auto health = examine(mesh.surface);
    EXPECT_TRUE(health.is_sound);
    EXPECT_NEAR(health.enclosed_volume, 1e-4, 1e-6);
    EXPECT_LT(mesh.surface.triangles.size(), 20000U);
}

TEST(SurfaceMesh, TellsTheNeedlesThatTheGeometryForcesOnIt) {
    // The wedge is a fifth of a degree wide: no size makes its tip blunter.
    const SurfaceMesh sharp = meshed(kit::wedge(0.2), 0.3);
    ASSERT_FALSE(sharp.flaws.empty());
    EXPECT_EQ(sharp.flaws.front().kind, SurfaceFlawKind::needle);
    EXPECT_LT(sharp.flaws.front().value, 0.5);
    EXPECT_LT(length(Vec3{sharp.flaws.front().place.x, sharp.flaws.front().place.y, 0}), 1);
    EXPECT_TRUE(meshed(kit::wedge(20), 0.3).flaws.empty());
    EXPECT_TRUE(meshed(kit::sphere({0, 0, 0}, 1, 3), 0.4).flaws.empty());
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

TEST(SurfaceMesh, IsGoodOnSmoothBodies) {
    SizeOptions o;
    o.surface = 0.06;
    expect_good(meshed_as(kit::sphere({0, 0, 0}, 1, 5), o));
    expect_good(meshed_as(kit::torus(1, 0.3, 200, 80), o));
    // Far too fine an original, far too coarse a one, and slivers from end to end.
    expect_good(meshed_as(split_at_sharp_edges(kit::cylinder(0.5, 2, 1500), 40), o));
    expect_good(meshed_as(split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 3}), 40), o), 0.18);
    // Sizes that vary: round a point, and by curvature.
    o.surface = 0.2;
    o.refine = {{.name = "place", .points = {{1, 0, 0}}, .size = 0.01}};
    expect_good(meshed_as(kit::sphere({0, 0, 0}, 1, 5), o));
    o.refine.clear();
    o.per_turn = 30;
    // Small, and sizes that double from rim to middle: that alone skews triangles.
    expect_good(meshed_as(split_at_sharp_edges(kit::cylinder(0.5, 2, 200), 40), o), 0.23);
}

/// How edges compare with the field: the share within [0.6, 1.6] of it.
double following_edges(const Surface& s, const SizeField& field) {
    std::size_t n = 0, fitting = 0;
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k, ++n) {
            const Vec3 &a = s.corner(t, k), &b = s.corner(t, (k + 1) % 3);
            const double ratio = distance(a, b) / field.at(midpoint(a, b));
            fitting += ratio > 0.6 && ratio < 1.6 ? 1 : 0;
        }
    return static_cast<double>(fitting) / static_cast<double>(n);
}

TEST(SurfaceMesh, EdgesFollowTheField) {
    const Domain d = kit::inside_of(kit::sphere({0, 0, 0}, 1, 5));
    SizeOptions o;
    o.surface = 0.15;
    o.refine = {{.name = "ball", .volume = BallVolume{{1, 0, 0}, 0.3}, .size = 0.03}};
    const SizeField field = make_size_field(d, o);
    EXPECT_GT(following_edges(mesh_surface(d, field).surface, field), 0.98);
}

/// A scan of many triangles in a box of twelve, whose edges are as long as all that is worked on at once.
TEST(SurfaceMesh, DividesCoarseFacesBesideAFineBody) {
    const Domain d =
        kit::inside_of(joined({kit::box({-4, -4, -4}, {4, 4, 4}), kit::flipped(kit::sphere({0, 0, 0}, 1, 6, "scan"))}));
    SizeOptions o;
    o.surface = 0.4;
    o.refine = {{.name = "scan", .on = {"scan"}, .size = 0.02}};
    const SizeField field = make_size_field(d, o);
    const Surface s = mesh_surface(d, field).surface;
    EXPECT_GT(following_edges(s, field), 0.97);
    EXPECT_GT(smallest_angle_deg(s), 20);
}

TEST(SurfaceMesh, DividesFeatureEdgesByNumber) {
    // The back of the wedge meets its sides in two straight edges.
    SizeOptions o;
    o.surface = 0.1;
    o.refine = {{.name = "back", .between = {"sides", "back"}, .divisions = 40, .bias = 8, .towards = Vec3{1, 0, 0}}};
    const Surface s = meshed_as(kit::wedge(60), o).surface;
    const SurfaceEdges edges(s.triangles, s.points.size());
    std::vector<std::array<double, 2>> found;  // height and length of each division of the edge at positive y
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const Vec3 &a = s.points[edges.ends(e)[0]], &b = s.points[edges.ends(e)[1]];
        const auto* use = edges.begin(e);
        if (s.zone_of[use[0].triangle] == s.zone_of[use[1].triangle] || std::abs(a.z - b.z) < 1e-12 || a.y < 0.1)
            continue;
        found.push_back({std::min(a.z, b.z), std::abs(a.z - b.z)});
    }
    ASSERT_EQ(found.size(), 40U);
    std::sort(found.begin(), found.end());
    EXPECT_NEAR(found.back()[1] / found.front()[1], 8, 1e-6);
    EXPECT_NEAR(found[20][1] / found[19][1], std::pow(8, 1.0 / 39), 1e-6);
}

TEST(SurfaceMesh, KeepsARazorEdgeAndManyHoles) {
    SizeOptions o;
    o.surface = 0.08;
    const SurfaceMesh wedge = meshed_as(kit::wedge(4), o);
    EXPECT_TRUE(examine(wedge.surface).is_sound);
    EXPECT_NEAR(examine(wedge.surface).enclosed_volume, 0.5 * std::sin(4 * std::numbers::pi / 180), 1e-12);
    EXPECT_LT(wedge.largest_deviation, 1e-12);
    // 196 holes: volume and areas of flat walls stay exactly; symmetric planes stay flat to the last bit.
    const Surface plate = kit::plate_with_holes(14, 0.25);
    ASSERT_TRUE(examine(plate).is_sound);
    o.surface = 0.12;
    const SurfaceMesh holes = meshed_as(plate, o);
    EXPECT_TRUE(examine(holes.surface).is_sound);
    for (Index t = 0; t < holes.surface.triangles.size(); ++t)
        for (int k = 0; k < 3 && holes.surface.zone_of[t] == 0; ++k) {
            const double z = holes.surface.corner(t, k).z;
            ASSERT_TRUE(z == 0 || z == 0.25) << z;
        }
    EXPECT_NEAR(examine(holes.surface).enclosed_volume, examine(plate).enclosed_volume,
                0.01 * examine(plate).enclosed_volume);
    EXPECT_GT(smallest_angle_deg(holes.surface), 20);
}

TEST(SurfaceMesh, CurvedPlacesAreFarCloserToTheSmoothBody) {
    // A ball of large facets: on them its points are off by the facets' chords.
    const Surface facets = kit::sphere({0, 0, 0}, 1, 2);
    SizeOptions o;
    o.surface = 0.1;
    auto largest_error = [&](bool curved) {
        double worst = 0;
        SurfaceMeshOptions options;
        options.curved = curved;
        for (const Vec3& p : meshed_as(facets, o, options).surface.points)
            worst = std::max(worst, std::abs(length(p) - 1));
        return worst;
    };
    EXPECT_LT(largest_error(true), 0.1 * largest_error(false));
}

TEST(SurfaceMesh, StaysWithinTheDeviationAskedFor) {
    const Surface ball = kit::sphere({0, 0, 0}, 1, 6);
    SizeOptions o;
    o.surface = 0.5;
    SurfaceMeshOptions options;
    options.tolerance = 0.004;
    const SurfaceMesh mesh = meshed_as(ball, o, options);
    EXPECT_TRUE(mesh.too_far.empty());
    EXPECT_LT(mesh.largest_deviation, 1.3 * 0.004);
    EXPECT_GT(mesh.largest_deviation, 0.001);
    // What it says is what another measure finds.
    const TriangleTree tree(ball.points, ball.triangles);
    double worst = 0;
    for (Index t = 0; t < mesh.surface.triangles.size(); ++t)
        worst = std::max(
            worst,
            tree.closest((mesh.surface.corner(t, 0) + mesh.surface.corner(t, 1) + mesh.surface.corner(t, 2)) / 3.0)
                .distance);
    EXPECT_LE(worst, mesh.largest_deviation + 1e-12);
}

TEST(SurfaceMesh, IsTheSameOnAnyNumberOfThreads) {
    // Large enough for several chunks.
    const Domain d = kit::inside_of(kit::torus(1, 0.4, 300, 150));
    SizeOptions o;
    o.surface = 0.015;
    const SizeField field = make_size_field(d, o);
    std::vector<SurfaceMesh> meshes;
    for (const int threads : {1, 2, 5}) {
        Context context;
        context.threads = threads;
        meshes.push_back(mesh_surface(d, field, {}, context));
    }
    EXPECT_GT(meshes[0].surface.triangles.size(), 60000U);
    for (const SurfaceMesh& mesh : meshes) {
        EXPECT_EQ(mesh.surface.points, meshes[0].surface.points);
        EXPECT_EQ(mesh.surface.triangles, meshes[0].surface.triangles);
    }
    expect_good(meshes[0]);
}

/// Triangles, by their corners' places, of which all are farther from a point than so much.
std::set<std::array<std::array<double, 3>, 3>> triangles_beyond(const surfmesh::Draft& draft, const Vec3& place,
                                                                double reach) {
    std::set<std::array<std::array<double, 3>, 3>> out;
    for (const Triangle& c : draft.triangles) {
        std::array<std::array<double, 3>, 3> corners;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3& p = draft.points[c[k]];
            corners[k] = {p.x, p.y, p.z};
        }
        std::sort(corners.begin(), corners.end());
        if (std::all_of(c.begin(), c.end(), [&](Index p) { return distance(draft.points[p], place) > reach; }))
            out.insert(corners);
    }
    return out;
}

TEST(FinerPlaces, AreMeshedOnAndNothingElseIs) {
    const Domain drum = kit::inside_of(kit::cylinder(1, 2, 64));
    const surfmesh::Original original(drum, 40);
    const Vec3 rim{1, 0, 0};
    const surfmesh::SizeAt before = [](const Vec3&) { return 0.1; };
    const surfmesh::SizeAt now = [&](const Vec3& p) { return std::min(0.1, 0.03 + 0.2 * distance(p, rim)); };
    const SurfaceMeshOptions options;
    const surfmesh::ShapeLimits limits{options.deviation, Box::inf};
    const auto coarse = surfmesh::mesh_in_rounds(original, before, options, limits, {});
    const auto finer = surfmesh::mesh_finer(coarse, original, before, now, options, limits, {});

    // 0.35 from the rim's point sizes are the same again; the belt is two rings wide.
    EXPECT_EQ(triangles_beyond(coarse.draft, rim, 0.75), triangles_beyond(finer.draft, rim, 0.75));
    Surface surface;
    surface.zones = {{"drum"}};
    surface.points = finer.draft.points;
    surface.triangles = finer.draft.triangles;
    surface.zone_of.assign(surface.triangles.size(), 0);
    EXPECT_TRUE(examine(surface).is_sound);
    EXPECT_GT(smallest_angle_deg(surface), 20);
    double shortest = 1, longest = 0;
    for (Index t = 0; t < surface.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k) {
            const Vec3 a = surface.corner(t, k), b = surface.corner(t, (k + 1) % 3);
            const double ratio = distance(a, b) / now(midpoint(a, b));
            if (distance(midpoint(a, b), rim) > 0.3) continue;
            shortest = std::min(shortest, ratio);
            longest = std::max(longest, ratio);
        }
    EXPECT_GT(shortest, 0.45);
    EXPECT_LT(longest, 1.8);
    // The rim through the place is divided on, and its old points are all there.
    for (std::size_t c = 0; c < coarse.places.size(); ++c) {
        EXPECT_GE(finer.places[c].size(), coarse.places[c].size());
        for (const auto& place : coarse.places[c])
            EXPECT_NE(std::find(finer.draft.points.begin(), finer.draft.points.end(), place.point),
                      finer.draft.points.end());
    }
}

}  // namespace
}  // namespace anvilcast
