// What the mesher reaches on bodies of all kinds, in one table, against what it is to reach. The table is printed, so
// that a change shows before it breaks a bound.

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <anvilcast/anvilcast.hpp>

#include <cstdio>
#include <filesystem>
#include <functional>

#include "kit/finite_volumes.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

struct Row {
    VolumeMesh mesh;
    SizeField sizes;  ///< empty for whole builds
    double volume = 0;
};

Row meshed(const Surface& body, double surface, double largest, FillCells cells = FillCells::tetrahedra) {
    const Domain domain = kit::inside_of(body);
    SizeOptions options;
    options.surface = surface;
    options.largest = largest;
    const Sizing sizing = make_sizing(domain, options);
    const SurfaceMesh skin = mesh_surface(domain, sizing.field);
    const SizeField field = with_finer_surface(sizing.field, skin.surface);
    return {cells == FillCells::polyhedra ? fill_with_polyhedra(skin, field) : fill_with_tetrahedra(skin, field), field,
            examine(body).enclosed_volume};
}

Row demo(const char* name, double scale, FillCells cells = FillCells::tetrahedra) {
    Case c = read_case(std::filesystem::path(ANVILCAST_DEMO) / name / "case.toml");
    c.layers.clear();  // have a table of their own
    c.cells = cells;
    c.sizing.surface *= scale;
    c.sizing.largest *= scale;
    for (Refinement& r : c.sizing.refine) r.size *= scale;
    const BuildResult built = build(c);
    return {built.mesh, {}, 0};
}

Surface box_with_balls() {
    std::vector<Surface> all{split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 1}), 40)};
    std::vector<Vec3> middles;
    for (const Vec3& p : kit::random_points(400, 7)) {
        const Vec3 q = p * 0.84 + Vec3{0.08, 0.08, 0.08};
        const bool is_free =
            std::all_of(middles.begin(), middles.end(), [&](const Vec3& m) { return distance(m, q) > 0.13; });
        if (!is_free || middles.size() >= 50) continue;
        middles.push_back(q);
        all.push_back(kit::flipped(kit::sphere(q, 0.06, 3)));
    }
    return joined(all);
}

/// Of all edges of cells, those between 0.55 and 1.7 sizes.
double share_of_fitting_edges(const VolumeMesh& mesh, const SizeField& sizes) {
    std::size_t n = 0, fitting = 0;
    for (std::size_t c = 0; c < mesh.n_cells(); ++c)
        for (std::size_t i = 0; i < 4; ++i)
            for (std::size_t j = 0; j < i; ++j) {
                const Vec3 &p = mesh.points[mesh.cell(c)[i]], &q = mesh.points[mesh.cell(c)[j]];
                const double l = distance(p, q) / sizes.at(midpoint(p, q));
                ++n;
                fitting += static_cast<std::size_t>(l > 0.55 && l < 1.7);
            }
    return static_cast<double>(fitting) / static_cast<double>(n);
}

TEST(QualityTable, HoldsOnAllBodies) {
    double block_volume = 0;
    const Surface block = kit::block_of_sockets(17, &block_volume);
    ASSERT_GE(block.zones.size(), 2000U);
    const std::vector<std::pair<const char*, std::function<Row()>>> cases{
        {"ball, one size",
         [] {
             return meshed(kit::sphere({0, 0, 0}, 1, 4), 0.07, 0.07);
         }},
        {"ball, growing inward",
         [] {
             return meshed(kit::sphere({0, 0, 0}, 1, 4), 0.05, 0.5);
         }},
        {"box, 50 balls cut out", [] { return meshed(box_with_balls(), 0.03, 0); }},
        {"block, 2000 patches", [&] { return meshed(block, 0.18, 0.4); }},
        {"dust-cyclone", [] { return demo("dust-cyclone", 1.2); }},
        {"drying-chamber", [] { return demo("drying-chamber", 2); }},
        {"wind-hut", [] { return demo("wind-hut", 1); }},
    };
    fmt::print("\n{:24}{:>9}{:>10}{:>9}{:>17}{:>17}{:>10}\n{:24}{:>9}{:>10}{:>9}{:>17}{:>17}{:>10}\n", "", "",
               "smallest", "largest", "equiangle skew.", "volume ratio", "edges", "case", "cells", "dihedral",
               "dihedral", "mean   largest", "99 %   largest", "that fit");
    for (const auto& [name, make] : cases) {
        SCOPED_TRACE(name);
        const Row row = make();
        EXPECT_EQ(find_faults(row.mesh), std::vector<std::string>{});
        const QualityReport q = assess(row.mesh);
        const Metric &low = q.metric("smallest dihedral"), &high = q.metric("largest dihedral"),
                     &skewness = q.metric("equiangle skewness"), &ratio = q.metric("volume ratio");
        const double fitting = row.volume > 0 ? share_of_fitting_edges(row.mesh, row.sizes) : 1;
        fmt::print("{:24}{:>9}{:>10.1f}{:>9.1f}{:>9.3f}{:>8.2f}{:>9.2f}{:>8.2f}{:>9.2f}%\n", name, row.mesh.n_cells(),
                   low.min, high.max, skewness.mean, skewness.max, ratio.p99, ratio.max, 100 * fitting);
        EXPECT_GE(low.min, 15);
        EXPECT_LE(high.max, 155);
        EXPECT_LE(skewness.max, 0.8);
        EXPECT_LE(skewness.mean, 0.3);
        EXPECT_LE(ratio.p99, 2.5);
        EXPECT_LE(ratio.max, 8);
        EXPECT_GE(fitting, 0.97);
        if (row.volume > 0) {
            EXPECT_NEAR(q.volume / row.volume, 1, 0.01);
        }
    }
    std::fflush(stdout);
}

TEST(QualityTable, HoldsForPolyhedra) {
    double block_volume = 0;
    const Surface block = kit::block_of_sockets(9, &block_volume);
    constexpr FillCells kPolyhedra = FillCells::polyhedra;
    const std::vector<std::pair<const char*, std::function<Row()>>> cases{
        {"ball, one size",
         [] {
             return meshed(kit::sphere({0, 0, 0}, 1, 4), 0.07, 0.07, kPolyhedra);
         }},
        {"ball, growing inward",
         [] {
             return meshed(kit::sphere({0, 0, 0}, 1, 4), 0.05, 0.5, kPolyhedra);
         }},
        {"box, 50 balls cut out", [] { return meshed(box_with_balls(), 0.03, 0, kPolyhedra); }},
        {"block of sockets", [&] { return meshed(block, 0.18, 0.4, kPolyhedra); }},
        {"dust-cyclone", [] { return demo("dust-cyclone", 1, kPolyhedra); }},
        {"drying-chamber", [] { return demo("drying-chamber", 2, kPolyhedra); }},
        {"wind-hut", [] { return demo("wind-hut", 1, kPolyhedra); }},
    };
    fmt::print("\n{:24}{:>10}{:>7}{:>21}{:>9}{:>8}{:>15}{:>11}\n{:24}{:>10}{:>7}{:>21}{:>9}{:>8}{:>15}{:>11}\n", "", "",
               "faces", "non-orthogonality", "orthog.", "warp", "volume ratio", "do not see", "case", "polyhedra",
               "each", "mean   99.9 %    max", "min", "99.9 %", "99 %     max", "all faces");
    for (const auto& [name, make] : cases) {
        SCOPED_TRACE(name);
        const Row row = make();
        EXPECT_EQ(find_faults(row.mesh), std::vector<std::string>{});
        const QualityReport q = assess(row.mesh);
        const kit::PolyhedraFigures p = kit::polyhedra_figures(row.mesh);
        const Metric &angle = q.metric("non-orthogonality"), &ratio = q.metric("volume ratio");
        fmt::print("{:24}{:>10}{:>7.1f}{:>6.1f}{:>8.1f}{:>7.1f}{:>9.3f}{:>8.3f}{:>7.2f}{:>8.2f}{:>10.3f}%\n", name,
                   row.mesh.n_cells(), p.faces, angle.mean, p.non_orthogonality, angle.max,
                   q.metric("orthogonality").min, p.warp, ratio.p99, ratio.max, 100 * p.unseen);
        EXPECT_GE(p.faces, 10);
        EXPECT_LE(p.faces, 15);
        EXPECT_LE(angle.mean, 8);
        // The block is edges and corners for the most part: hardly a polyhedron is free of them.
        const bool is_block = std::string_view(name).starts_with("block");
        EXPECT_LE(p.non_orthogonality, is_block ? 65 : 50);
        EXPECT_LE(p.unseen, is_block ? 0.001 : 0.0001);
        EXPECT_LE(angle.max, is_block ? 110 : 70);
        EXPECT_GE(q.metric("orthogonality").min, is_block ? -0.3 : -0.05);
        EXPECT_LE(p.warp, is_block ? 0.6 : 0.12);
        EXPECT_LE(ratio.p99, is_block ? 5 : 3);
    }
    std::fflush(stdout);
}

TEST(QualityTable, TheBlockIsWhatItSaysItIs) {
    double volume = 0;
    const Surface block = kit::block_of_sockets(3, &volume);
    EXPECT_EQ(block.zones.size(), 7U * 9 + 6);
    EXPECT_TRUE(examine(block).is_sound);
    EXPECT_NEAR(examine(block).enclosed_volume, volume, 1e-12);
}

}  // namespace
}  // namespace anvilcast
