// Sections swept into volumes.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sweep.hpp>

#include <cmath>
#include <numbers>

namespace anvilcast {
namespace {

constexpr double kPi = std::numbers::pi;

PlanarMesh section(const CurvePieces& outline, double size, PlaneCells cells) {
    PlaneRequest r;
    r.curves = {{{"wall"}, outline}};
    r.areas = {{"water", RegionKind::fluid, {}, cells}};
    r.sizing.surface = r.sizing.largest = size;
    return mesh_plane(r).mesh;
}
CurvePieces rectangle(const Vec2& lo, const Vec2& hi) {
    return straight_pieces({lo, {hi.x, lo.y}, hi, {lo.x, hi.y}, lo});
}

double volume_of(const VolumeMesh& m) {
    EXPECT_EQ(find_faults(m).size(), 0U) << find_faults(m)[0];
    return assess(m, {}).volume;
}
std::string refusal(const PlanarMesh& m, const SweepPath& path, const SweepOptions& o) {
    try {
        sweep(m, path, o);
    } catch (const Error& e) {
        return e.what();
    }
    return "nothing was refused";
}

struct Moments {
    double area = 0, x = 0;  ///< of the section, and its first moment
};
Moments moments_of(const PlanarMesh& m) {
    Moments out;
    for (const auto& cell : m.cells)
        for (int k = 2; k < PlanarMesh::n_corners(cell); ++k) {
            const Vec2 &a = m.points[cell[0]], &b = m.points[cell[static_cast<std::size_t>(k - 1)]],
                       &c = m.points[cell[static_cast<std::size_t>(k)]];
            const double area = 0.5 * ((b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x));
            out.area += area;
            out.x += area * (a.x + b.x + c.x) / 3;
        }
    return out;
}

TEST(Sweep, StraightWaysKeepTheSection) {
    for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::mapped}) {
        const PlanarMesh s = section(rectangle({0, 0}, {2, 1}), 0.2, cells);
        const VolumeMesh m = sweep(s, StraightPath{{0.5, 0, 3}}, {.steps = 12, .bias = 4, .finer_at = FinerAt::ends});
        EXPECT_NEAR(volume_of(m), 6, 1e-12);
        EXPECT_EQ(m.n_cells(), 12 * s.cells.size());
        ASSERT_EQ(m.zones.size(), 3U);
        EXPECT_EQ(m.zones[1].name, "start");
        EXPECT_EQ(m.zones[1].n_faces, s.cells.size());
        EXPECT_EQ(m.cell_types[0], cells == PlaneCells::mapped ? CellType::hexahedron : CellType::prism);
        EXPECT_EQ(swept_cells(s, StraightPath{{0, 0, 3}}, 12), static_cast<double>(m.n_cells()));
    }
}

TEST(Sweep, BendsHaveTheVolumeOfPappus) {
    const PlanarMesh s = section(circle({5, 1}, 1), 0.2, PlaneCells::mapped);
    const Moments moments = moments_of(s);
    for (const double angle : {30.0, 90.0, 360.0}) {
        const int steps = 24;
        const double step = angle * kPi / 180 / steps;
        const double expected = moments.x * steps * std::sin(step);
        // The axis either way round.
        for (const RoundPath& path : {RoundPath{{0, 0}, {0, -1}, angle}, RoundPath{{0, 7}, {0, 9}, angle}}) {
            const VolumeMesh m = sweep(s, path, {.steps = steps});
            EXPECT_NEAR(volume_of(m) / expected, 1, 1e-12);
            EXPECT_EQ(m.zones.size(), angle == 360 ? 1U : 3U);
        }
    }
}

TEST(Sweep, TheAxisMayBeASideOfTheSection) {
    for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::mapped})
        for (const double angle : {45.0, 360.0}) {
            const PlanarMesh s = section(rectangle({0, 0}, {1, 2}), 0.25, cells);
            const RoundPath path{{0, 0}, {0, 1}, angle};
            const VolumeMesh m = sweep(s, path, {.steps = 16});
            EXPECT_NEAR(volume_of(m), 16 * std::sin(angle * kPi / 180 / 16), 1e-12);
            EXPECT_EQ(swept_cells(s, path, 16), static_cast<double>(m.n_cells()));
        }
    // A quadrangle that touches the axis with one corner becomes two pyramids.
    const PlanarMesh tip = section(straight_pieces({{0, 0}, {1, -1}, {2, 0}, {1, 1}, {0, 0}}), 0.5, PlaneCells::mapped);
    const RoundPath path{{0, 0}, {0, 1}, 120};
    const VolumeMesh m = sweep(tip, path, {.steps = 10});
    EXPECT_NEAR(volume_of(m), 2 * 10 * std::sin(2 * kPi / 30), 1e-12);
    EXPECT_EQ(swept_cells(tip, path, 10), static_cast<double>(m.n_cells()));
}

TEST(Sweep, PathsTurnAsTheirPointsDo) {
    const PlanarMesh s = section(rectangle({-0.5, -0.5}, {0.5, 0.5}), 0.25, PlaneCells::mapped);
    // With mitred corners each straight piece has the section's area times its middle line's length.
    const VolumeMesh mitred = sweep(s, PointsPath{{{0, 0, 0}, {0, 0, 4}, {4, 0, 4}, {4, 3, 4}}, false}, {.steps = 40});
    EXPECT_NEAR(volume_of(mitred), 11, 1e-12);
    // Along many points of a quarter turn it comes to the bend's own volume.
    PointsPath bend;
    for (int k = 0; k <= 12; ++k)
        bend.points.push_back({4 - 4 * std::cos(kPi * k / 24), 0, 4 * std::sin(kPi * k / 24)});
    EXPECT_NEAR(volume_of(sweep(s, bend, {.steps = 60})), 2 * kPi, 0.01);
    // A twist and a taper: a frustum's volume does not change when it is twisted in small steps.
    const VolumeMesh taper = sweep(s, StraightPath{{0, 0, 3}}, {.steps = 40, .scale_at_end = 0.5});
    EXPECT_NEAR(volume_of(taper), 3 * (1 + 0.5 + 0.25) / 3, 1e-3);
    EXPECT_NEAR(volume_of(sweep(s, StraightPath{{0, 0, 3}}, {.steps = 200, .twist_deg = 90})), 3, 1e-3);
}

TEST(Ducts, AreSweptFromTheFacesOfAZone) {
    // Two plates side by side, of triangles and of quadrangles, whose tops are one zone in two pieces.
    PlaneRequest r;
    r.curves = {{{"rim"}, straight_pieces({{0, 0}, {1, 0}, {1, 1}, {0, 1}, {0, 0}})},
                {{"rim"}, straight_pieces({{2, 0}, {3, 0}, {3, 2}, {2, 2}, {2, 0}})}};
    r.areas = {{"left", RegionKind::fluid, Vec2{0.5, 0.5}, PlaneCells::triangles},
               {"right", RegionKind::fluid, Vec2{2.5, 0.5}, PlaneCells::quadrangles}};
    r.sizing.surface = r.sizing.largest = 0.2;
    const VolumeMesh plates = sweep(mesh_plane(r).mesh, StraightPath{{0, 0, 0.3}}, {.steps = 2});
    Index top = 0;
    while (plates.zones[top].name != "end") ++top;
    const std::size_t n_faces = plates.zones[top].n_faces;
    std::vector<Vec3> middles;
    const VolumeMesh mesh = add_duct(
        plates, top, 0.5,
        [&](const Vec3& middle, double length) {
            EXPECT_EQ(length, 0.5);
            middles.push_back(middle);
            return middle.x < 1 ? 5 : 3;
        },
        "end-duct");
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    ASSERT_EQ(middles.size(), 2U);
    EXPECT_NEAR(std::min(middles[0].x, middles[1].x), 0.5, 1e-2);
    std::size_t n_triangles = 0;
    for (std::size_t f = plates.zones[top].first_face; f < plates.zones[top].first_face + n_faces; ++f)
        n_triangles += plates.face(f).size() == 3 ? 1 : 0;
    EXPECT_EQ(mesh.n_cells(), plates.n_cells() + 5 * n_triangles + 3 * (n_faces - n_triangles));
    const QualityReport q = assess(mesh);
    EXPECT_NEAR(q.volume, 3 * 0.3 + 3 * 0.5, 1e-12);
    EXPECT_NEAR(q.region_volumes[0], 0.8, 1e-12);
    ASSERT_EQ(mesh.zones.size(), plates.zones.size() + 1);
    EXPECT_EQ(mesh.zones.back().name, "end-duct");
    EXPECT_NEAR(q.zone_areas.back(), (4 + 6) * 0.5, 1e-12);
    EXPECT_EQ(mesh.zones[top].n_faces, n_faces);
    EXPECT_NEAR(q.zone_areas[top], 3, 1e-12);
    for (std::size_t f = mesh.zones[top].first_face; f < mesh.zones[top].first_face + n_faces; ++f)
        for (const Index p : mesh.face(f)) EXPECT_NEAR(mesh.points[p].z, 0.8, 1e-12);
    EXPECT_THROW(add_duct(
                     plates, top, 0, [](const Vec3&, double) { return 1; }, "w"),
                 InputError);
    // The rims look to all sides.
    EXPECT_THROW(add_duct(
                     plates, 0, 1, [](const Vec3&, double) { return 1; }, "w"),
                 GeometryError);
}

TEST(Sweep, TellsWhereItCannotGo) {
    const PlanarMesh s = section(rectangle({-0.5, -0.5}, {0.5, 0.5}), 0.25, PlaneCells::mapped);
    EXPECT_NE(refusal(s, RoundPath{{0.1, 0}, {0.1, 1}, 90}, {.steps = 9}).find("cuts the section"), std::string::npos);
    EXPECT_NE(
        refusal(s, PointsPath{{{0, 0, 0}, {0, 0, 0.3}, {0.3, 0, 0.3}}, false}, {.steps = 9}).find("turns cells over"),
        std::string::npos);
    EXPECT_NE(refusal(s, StraightPath{{1, 0, 0}}, {}).find("+z"), std::string::npos);
    EXPECT_NE(refusal(s, StraightPath{{0, 0, 1}}, {.steps = 1'000'000'000}).find("fewer steps"), std::string::npos);
    EXPECT_NE(refusal(s, StraightPath{{0, 0, 1}}, {.steps = 0}).find("one step"), std::string::npos);
    EXPECT_NE(refusal(s, StraightPath{{0, 0, 0.1}}, {.steps = 1, .twist_deg = 180}).find("4 steps"), std::string::npos);
}

}  // namespace
}  // namespace anvilcast
