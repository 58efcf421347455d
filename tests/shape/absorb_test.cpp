#include <gtest/gtest.h>
#include <anvilcast/absorb.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <limits>
#include <set>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

/// A block with what careless CAD leaves behind, each `w` wide: a chamfer, two steps in its sides, a groove, and a hair
/// of an edge between two sides that almost meet.
Surface careless_block(double w) {
    return kit::prism({{0, 0},
                       {0.3, 0},
                       {0.3 + 0.2 * w, -w},  // a step out
                       {1 - w, -w},
                       {1, 0},  // a chamfer
                       {1, 0.5},
                       {1 - 0.7 * w, 0.5},  // a step in
                       {1 - 0.7 * w, 1},
                       {0.6 + w, 1},
                       {0.6 + w, 1 - 0.5 * w},  // a shallow groove
                       {0.6, 1 - 0.5 * w},
                       {0.6, 1},
                       {0, 1},
                       {0.3 * w, 0.4}},
                      0.8);
}

double size_of_smallest_triangle(const Surface& s) {
    double least = std::numeric_limits<double>::infinity();
    for (Index t = 0; t < s.triangles.size(); ++t)
        least = std::min(least, length(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2))) / 2);
    return std::sqrt(least);
}

TEST(AbsorbDetails, MakesACarelessBlockMeshable) {
    constexpr double kWidth = 1e-3, kSize = 0.1;
    const Surface block = careless_block(kWidth);
    ASSERT_TRUE(examine(block).is_sound);
    const Domain domain = kit::inside_of(block);
    AbsorbReport report;
    const Domain calm = absorb_details(domain, {.width = 2 * kWidth}, &report);
    EXPECT_GE(report.faces, 5U);
    EXPECT_EQ(report.narrowed, 0U);
    EXPECT_GT(report.largest_move, 0);
    EXPECT_LE(report.largest_move, 2 * kWidth);
    const SurfaceHealth health = examine(calm.boundary);
    EXPECT_TRUE(health.is_sound);
    EXPECT_NEAR(health.enclosed_volume, 0.8, 2 * kWidth * 4);
    EXPECT_NEAR(calm.volume, health.enclosed_volume, 1e-12);
    EXPECT_EQ(calm.sides.size(), calm.boundary.triangles.size());
    std::set<Index> used;
    for (const Triangle& t : calm.boundary.triangles) used.insert(t.begin(), t.end());
    EXPECT_EQ(used.size(), calm.boundary.points.size());

    const TriangleTree before(block.points, block.triangles), after(calm.boundary.points, calm.boundary.triangles);
    for (const Vec3& p : block.points) EXPECT_LE(after.closest(p).distance, 2 * kWidth);
    for (const Vec3& p : calm.boundary.points) EXPECT_EQ(before.closest(p).distance, 0);

    SizeOptions sizes;
    sizes.surface = kSize;
    const SurfaceMesh mesh = mesh_surface(calm, make_size_field(calm, sizes));
    EXPECT_GT(size_of_smallest_triangle(mesh.surface), 0.25 * kSize);
    const auto metrics = assess_surface(mesh.surface);
    EXPECT_GT(
        std::find_if(metrics.begin(), metrics.end(), [](const Metric& m) { return m.name == "smallest angle"; })->min,
        20);
}

TEST(AbsorbDetails, LeavesWhatIsWiderThanAsked) {
    const Domain domain = kit::inside_of(careless_block(1e-3));
    AbsorbReport report;
    const Domain same = absorb_details(domain, {.width = 1e-4}, &report);
    EXPECT_EQ(report.faces + report.narrowed + report.edges, 0U);
    EXPECT_EQ(same.boundary.points.size(), domain.boundary.points.size());
    // Facets of a round are no slivers, however narrow.
    const Domain round = kit::inside_of(kit::cylinder(1, 2, 400));
    EXPECT_EQ(absorb_details(round, {.width = 0.02}).boundary.triangles.size(), round.boundary.triangles.size());
}

TEST(AbsorbDetails, TellsOfZonesThatWentButKeepsOpenings) {
    Surface block = split_at_sharp_edges(careless_block(1e-3), 20);
    for (const Role role : {Role::inlet, Role::wall}) {
        Index slit = kNone;  // the chamfer
        for (Index t = 0; t < block.triangles.size(); ++t) {
            const Vec3 n = normalized(triangle_normal(block.corner(t, 0), block.corner(t, 1), block.corner(t, 2)));
            if (n.x > 0.5 && n.y < -0.5) slit = block.zone_of[t];
        }
        ASSERT_NE(slit, kNone);
        block.zones[slit].name = "slit";
        block.zones[slit].role = role;
        AbsorbReport report;
        const Domain out = absorb_details(kit::inside_of(block), {.width = 2e-3}, &report);
        const bool is_told = std::find(report.zones.begin(), report.zones.end(), "slit") != report.zones.end();
        const bool is_there = std::any_of(out.boundary.zones.begin(), out.boundary.zones.end(),
                                          [](const Zone& z) { return z.name == "slit"; });
        EXPECT_EQ(is_told, role == Role::wall);
        EXPECT_NE(is_told, is_there);
    }
}

TEST(AbsorbDetails, RefusesToTakeAWholeRegion) {
    // All of a chip of glass is narrower than the width, and it is the only region.
    const Domain chip = kit::inside_of(kit::prism({{0, 0}, {1, 0}, {0.5, 1e-4}}, 1e-4));
    try {
        absorb_details(chip, {.width = 1e-3});
        FAIL();
    } catch (const GeometryError& e) {
        EXPECT_NE(std::string(e.what()).find("is narrower everywhere than the details"), std::string::npos) << e.what();
    }
    EXPECT_THROW(make_sizing(Domain{}, {.surface = 1}), GeometryError);
}

TEST(AbsorbDetails, RefusesSenselessWidths) {
    const Domain domain = kit::inside_of(kit::box({0, 0, 0}, {1, 1, 1}));
    for (const double width : {0.0, -1.0, std::numeric_limits<double>::quiet_NaN()})
        EXPECT_THROW(absorb_details(domain, {.width = width}), InputError);
}

}  // namespace
}  // namespace anvilcast
