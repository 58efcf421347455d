// What stands on a plane mesh and beside it: layers, dividing lines, sections of bodies, surrounds, sheets.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/planar.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sheet.hpp>
#include <anvilcast/sweep.hpp>

#include <cmath>
#include <numbers>
#include <random>

#include "kit/finite_volumes.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

constexpr double kPi = std::numbers::pi;

PlaneCurve line(const std::string& name, std::vector<Vec2> points, Role role = Role::wall) {
    return {{name, role}, straight_pieces(points)};
}
PlaneCurve loop(const std::string& name, std::vector<Vec2> points) {
    points.push_back(points.front());
    return line(name, std::move(points));
}
PlaneCurve divider(const Vec2& a, const Vec2& b) {
    PlaneCurve out{{"a dividing line"}, straight_pieces({a, b})};
    out.divides = true;
    return out;
}
/// A channel along x, h high.
std::vector<PlaneCurve> channel(double l, double h) {
    return {line("bed", {{0, 0}, {l, 0}}), line("outlet", {{l, 0}, {l, h}}, Role::outlet),
            line("roof", {{l, h}, {0, h}}), line("inlet", {{0, h}, {0, 0}}, Role::inlet)};
}
PlaneRequest request(std::vector<PlaneCurve> curves, double size, PlaneCells cells) {
    PlaneRequest out;
    out.curves = std::move(curves);
    out.areas = {{"water", RegionKind::fluid, {}, cells}};
    out.sizing.surface = out.sizing.largest = size;
    return out;
}
LayerRecipe recipe(double first, int count, double growth) {
    LayerRecipe r;
    r.first_height = first;
    r.count = count;
    r.growth = growth;
    return r;
}

double area_of(const PlanarMesh& m, Index region = kNone) {
    double sum = 0;
    for (std::size_t c = 0; c < m.cells.size(); ++c) {
        if (region != kNone && m.cell_region[c] != region) continue;
        const int n = PlanarMesh::n_corners(m.cells[c]);
        for (int k = 0; k < n; ++k) {
            const Vec2 &a = m.points[m.cells[c][static_cast<std::size_t>(k)]],
                       &b = m.points[m.cells[c][static_cast<std::size_t>((k + 1) % n)]];
            sum += 0.5 * (a.x * b.y - a.y * b.x);
        }
    }
    return sum;
}
void expect_sound(const PlanarMesh& m) {
    const auto faults = find_faults(sheet_of(m));
    EXPECT_TRUE(faults.empty()) << faults.front();
}
const Metric& metric(const QualityReport& r, MetricId id) {
    for (const Metric& m : r.metrics)
        if (m.id == id) return m;
    throw InternalError("no such metric");
}

TEST(PlaneLayers, HaveTheHeightsAskedForOnStraightWalls) {
    for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::quadrangles, PlaneCells::mapped}) {
        PlaneRequest r = request(channel(0.2, 0.04), 0.002, cells);
        r.layers = {recipe(1e-4, 10, 1.2)};
        const PlaneResult made = mesh_plane(r);
        expect_sound(made.mesh);
        EXPECT_NEAR(area_of(made.mesh), 0.2 * 0.04, 1e-15);
        ASSERT_EQ(made.figures.size(), 2U);
        for (const LayerFigures& f : made.figures) {
            EXPECT_EQ(f.most, 10U);
            EXPECT_NEAR(f.full_area, 0.2, 1e-12);
            EXPECT_NEAR(f.first_min, 1e-4, 1e-6);
            EXPECT_NEAR(f.first_max, 1e-4, 1e-6);
            EXPECT_NEAR(f.growth_median, 1.2, 0.012);
        }
        // Every layer is of quadrangles, a row of them for each.
        std::size_t n_walls = 0, n_low = 0;
        for (const PlanarEdge& e : made.mesh.edges) {
            const std::string& zone = made.mesh.zones[e.zone].name;
            if (zone == "bed" || zone == "roof") ++n_walls;
        }
        EXPECT_EQ(made.layer_cells, 10.0 * static_cast<double>(n_walls));
        for (const auto& cell : made.mesh.cells) {
            double high = 0;
            for (const Index p : cell)
                if (p != kNone) high = std::max(high, made.mesh.points[p].y);
            if (high < 1.05e-4) {
                ++n_low;
                EXPECT_EQ(PlanarMesh::n_corners(cell), 4);
            }
        }
        EXPECT_EQ(2 * n_low, n_walls);
        // What is measured on the sheet is the same.
        if (cells != PlaneCells::triangles) continue;
        for (const LayerFigures& f : measure_layers(sheet_of(made.mesh))) {
            EXPECT_EQ(f.most, 10U);
            EXPECT_NEAR(f.first_median, 1e-4, 1e-9);
        }
    }
}

TEST(PlaneLayers, FanOutRoundSharpEndsAndAreSquareInCorners) {
    // A wedge with a razor edge of 8 degrees in a box.
    PlaneRequest r =
        request({loop("box", {{-1, -1}, {2, -1}, {2, 1}, {-1, 1}}), loop("wedge", {{0, -0.07}, {1, 0}, {0, 0.07}})},
                0.05, PlaneCells::triangles);
    r.areas[0].inside = Vec2{-0.5, 0};
    r.layers = {recipe(1e-3, 8, 1.25)};
    r.layers[0].on = {"wedge"};
    const PlaneResult made = mesh_plane(r);
    expect_sound(made.mesh);
    EXPECT_NEAR(area_of(made.mesh), 6 - 0.07, 1e-12);
    EXPECT_NEAR(made.figures.at(0).full_area, made.figures.at(0).area, 1e-12);
    // Beyond the razor's end stand whole stacks, straight ahead too, and their first cells are quadrangles.
    std::size_t n_at_tip = 0;
    double reach = 0;
    for (std::size_t c = 0; c < static_cast<std::size_t>(made.layer_cells); ++c) {
        const auto& cell = made.mesh.cells[c];
        EXPECT_EQ(PlanarMesh::n_corners(cell), 4);
        for (const Index p : cell) {
            if (made.mesh.points[p].x == 1 && made.mesh.points[p].y == 0) ++n_at_tip;
            reach = std::max(reach, made.mesh.points[p].x - 1);
        }
    }
    EXPECT_GE(n_at_tip, 4U);
    EXPECT_NEAR(reach, 1e-3 * (std::pow(1.25, 8) - 1) / 0.25, 1e-5);
    EXPECT_LT(metric(assess(sheet_of(made.mesh)), MetricId::equiangle_skewness).max, 0.8);
}

TEST(PlaneLayers, ShareGapsAndSayWhyTheyAreFewer) {
    // Room for a third of both stacks.
    PlaneRequest r = request(channel(0.1, 0.004), 0.002, PlaneCells::triangles);
    r.layers = {recipe(2e-4, 10, 1.2)};
    r.layers[0].gap_cells = 0.5;
    r.layers[0].squeeze_to = 0.9;
    const PlaneResult made = mesh_plane(r);
    expect_sound(made.mesh);
    EXPECT_NEAR(area_of(made.mesh), 0.1 * 0.004, 1e-15);
    for (std::size_t k = 0; k < 2; ++k) {
        EXPECT_EQ(made.figures[k].full_area, 0);
        EXPECT_GT(made.figures[k].most, 3U);
        EXPECT_LT(made.figures[k].most, 7U);
        ASSERT_FALSE(made.layers[k].shortfalls.empty());
        EXPECT_EQ(made.layers[k].shortfalls[0].limit, LayerLimit::narrow_gap);
    }
}

TEST(PlaneLayers, GrowFromTheFluidAloneOnItsInterfacesWithSolids) {
    PlaneRequest r = request({loop("duct", {{0, 0}, {0.2, 0}, {0.2, 0.1}, {0, 0.1}}),
                              loop("plate", {{0.06, 0.045}, {0.14, 0.045}, {0.14, 0.055}, {0.06, 0.055}})},
                             0.004, PlaneCells::triangles);
    r.areas = {{"water", RegionKind::fluid, Vec2{0.01, 0.05}, PlaneCells::triangles},
               {"steel", RegionKind::solid, Vec2{0.1, 0.05}, PlaneCells::quadrangles}};
    r.layers = {recipe(3e-4, 5, 1.2)};
    const PlaneResult made = mesh_plane(r);
    expect_sound(made.mesh);
    EXPECT_NEAR(area_of(made.mesh, 1), 0.08 * 0.01, 1e-15);
    ASSERT_EQ(made.layers.size(), 2U);
    for (const ZoneLayers& z : made.layers) {
        EXPECT_EQ(z.region, 0U);
        EXPECT_NEAR(z.full_area, z.area, 1e-12);
    }
    bool has_interface = false;
    for (const ZoneLayers& z : made.layers) {
        const Zone& zone = made.mesh.zones[z.zone];
        has_interface = has_interface || (zone.role == Role::interface_ && zone.name == "plate-to-steel");
    }
    EXPECT_TRUE(has_interface);
    // Nothing lands on what is no wall.
    r.layers[0].on = {"plat"};
    EXPECT_THROW(mesh_plane(r), InputError);
}

TEST(PlaneLayers, OnRandomPolygonsNothingTurnsOver) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> radius(0.4, 1), turn(0.3, 0.9);
    for (int k = 0; k < 24; ++k) {
        std::vector<Vec2> outer, inner;
        double exact = 0;
        for (double a = 0; a < 2 * kPi - 0.2; a += turn(random)) {
            const double s = radius(random);
            outer.push_back({s * std::cos(a), s * std::sin(a)});
            inner.push_back({0.25 * s * std::cos(a), 0.25 * s * std::sin(a)});
        }
        for (std::size_t i = 0; i < outer.size(); ++i) {
            const Vec2 &a = outer[i], &b = outer[(i + 1) % outer.size()];
            exact += 0.5 * (a.x * b.y - a.y * b.x) * (1 - 0.25 * 0.25);
        }
        const auto cells = k % 2 == 0 ? PlaneCells::triangles : PlaneCells::quadrangles;
        PlaneRequest r = request({loop("rim", outer), loop("core", inner)}, 0.05, cells);
        r.areas[0].inside = Vec2{outer[0].x * 0.6, outer[0].y * 0.6};
        // Every corner is one, however flat.
        for (PlaneCurve& c : r.curves) c.corner_angle_deg = 0.01;
        r.layers = {recipe(2e-3, 4 + k % 9, 1.2 + 0.02 * (k % 5))};
        const PlaneResult made = mesh_plane(r);
        expect_sound(made.mesh);
        EXPECT_NEAR(area_of(made.mesh), exact, 1e-12) << k;
    }
}

TEST(DividingLines, MakePatchesOfOneRegionAndLayersGoOnAcrossThem) {
    // A step, which has six corners: three patches of four.
    std::vector<PlaneCurve> curves{line("floor", {{0, 0}, {0.05, 0}, {0.05, -0.01}, {0.12, -0.01}}),
                                   line("outlet", {{0.12, -0.01}, {0.12, 0.04}}, Role::outlet),
                                   line("roof", {{0.12, 0.04}, {0, 0.04}}),
                                   line("inlet", {{0, 0.04}, {0, 0}}, Role::inlet)};
    PlaneRequest r = request(curves, 0.002, PlaneCells::mapped);
    r.curves.push_back(divider({0.05, 0}, {0.05, 0.04}));
    r.curves.push_back(divider({0.05, 0}, {0.12, 0}));
    r.areas[0].inside = Vec2{0.01, 0.01};
    for (const bool with_layers : {false, true}) {
        if (with_layers) r.layers = {recipe(1e-4, 6, 1.2)};
        const PlaneResult made = mesh_plane(r);
        expect_sound(made.mesh);
        EXPECT_EQ(made.mesh.regions.size(), 1U);
        EXPECT_EQ(made.mesh.zones.size(), 4U);
        EXPECT_NEAR(area_of(made.mesh), 0.05 * 0.04 + 0.07 * 0.05, 1e-15);
        for (const auto& cell : made.mesh.cells) EXPECT_EQ(PlanarMesh::n_corners(cell), 4);
        for (const LayerFigures& f : made.figures) EXPECT_NEAR(f.full_area, f.area, 1e-12);
    }
    // A curve that bends away from the line's end is met; a line that ends in the middle of nowhere is told.
    PlaneRequest round =
        request({{{"wall"}, circle({0, 0}, 0.1)}, divider({-0.1, 0}, {0.1, 0})}, 0.01, PlaneCells::quadrangles);
    round.areas[0].inside = Vec2{0, 0.05};
    EXPECT_NEAR(area_of(mesh_plane(round).mesh), kPi * 0.01, 2e-3 * kPi * 0.01);
    round.curves[1] = divider({-0.1, 0}, {0.05, 0});
    EXPECT_THROW(mesh_plane(round), GeometryError);
    // On the rim it is no zone.
    PlaneRequest open = request(channel(0.1, 0.05), 0.01, PlaneCells::triangles);
    open.curves[3].divides = true;
    EXPECT_THROW(mesh_plane(open), InputError);
}

TEST(MappedAreas, AreUnfoldedWhereTheirOutlineTurnsBack) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> radius(0.5, 1);
    int n_refused = 0;
    for (int k = 0; k < 40; ++k) {
        const int n = 8 + 4 * (k % 4);
        std::vector<Vec2> corners;
        double exact = 0;
        for (int i = 0; i < n; ++i) {
            const double a = 2 * kPi * i / n, r = radius(random);
            corners.push_back({r * std::cos(a), r * std::sin(a)});
        }
        for (std::size_t i = 0; i < corners.size(); ++i) {
            const Vec2 &a = corners[i], &b = corners[(i + 1) % corners.size()];
            exact += 0.5 * (a.x * b.y - a.y * b.x);
        }
        PlaneRequest r = request({loop("rim", corners)}, 0.06, PlaneCells::mapped);
        r.curves[0].corner_angle_deg = 0.01;
        try {
            const PlanarMesh m = mesh_plane(r).mesh;
            expect_sound(m);
            EXPECT_NEAR(area_of(m), exact, 1e-12);
            for (const auto& cell : m.cells)
                for (std::size_t c = 0; c < 4; ++c) {
                    const Vec2 &a = m.points[cell[(c + 3) % 4]], &b = m.points[cell[c]],
                               &d = m.points[cell[(c + 1) % 4]];
                    EXPECT_GT((b.x - a.x) * (d.y - b.y) - (b.y - a.y) * (d.x - b.x), 0);
                }
        } catch (const GeometryError&) {
            ++n_refused;
        }
    }
    // A corner of more than 180 degrees that is one of the four cannot be in one cell.
    EXPECT_LE(n_refused, 2);
}

TEST(Sections, AreTheOutlinesOfBodiesWithTheirZones) {
    const Surface box = kit::box({-1, -2, -3}, {1, 2, 3});
    for (const SectionPlane& plane : {SectionPlane{{0, 0, 1}, 0.5}, SectionPlane{{0, 0, 1}, -3},
                                      SectionPlane{{1, 0, 0}, 0.2}, SectionPlane{{0, 1, 0}, 0}}) {
        PlaneRequest r = request(section_of(box, plane), 0.2, PlaneCells::triangles);
        const double exact = plane.normal.z == 1 ? 8 : plane.normal.x == 1 ? 24 : 12;
        EXPECT_NEAR(area_of(mesh_plane(r).mesh), exact, 1e-12);
    }
    // Across a corner: a hexagon of the cube.
    const Surface cube = kit::box({0, 0, 0}, {1, 1, 1});
    const double s = 1 / std::sqrt(3.0);
    PlaneRequest tilted = request(section_of(cube, {{s, s, s}, 1.5 * s}), 0.05, PlaneCells::triangles);
    EXPECT_NEAR(area_of(mesh_plane(tilted).mesh), 0.75 * std::sqrt(3.0), 1e-12);
    // A ball of many facets is one smooth curve.
    const Surface ball = kit::sphere({0, 0, 0}, 1, 4);
    const auto curves = section_of(ball, {{0, 0, 1}, 0.3});
    ASSERT_EQ(curves.size(), 1U);
    const PlanarMesh m = mesh_plane(request(curves, 0.1, PlaneCells::triangles)).mesh;
    EXPECT_NEAR(area_of(m), kPi * (1 - 0.09), 0.02);
    EXPECT_LT(m.edges.size(), 75U);
    EXPECT_THROW(section_of(ball, {{0, 0, 1}, 1.5}), GeometryError);
}

TEST(PlaneSurrounds, HaveTheirShapesAndZones) {
    const PlaneCurve body = loop("body", {{-0.5, 0}, {0.5, 0}, {0.5, 0.4}, {-0.5, 0.4}});
    LengthUnit m;
    auto area = [&](const SurroundOptions& o, std::size_t n_zones) {
        Vec2 within;
        std::vector<PlaneCurve> curves = surround_of({body}, o, m, &within);
        curves.insert(curves.begin(), body);
        PlaneRequest r = request(curves, 0.3, PlaneCells::triangles);
        r.areas[0].inside = within;
        const PlaneResult made = mesh_plane(r);
        expect_sound(made.mesh);
        EXPECT_EQ(made.mesh.zones.size(), n_zones);
        return area_of(made.mesh);
    };
    SurroundOptions o;
    o.ahead = {2, true};
    o.behind = {4, true};
    o.above = {3, true};
    EXPECT_NEAR(area(o, 5), 7 * 6.4 - 0.4, 1e-9);
    // The body stands on the ground, which has a gap there.
    o.ground = true;
    EXPECT_NEAR(area(o, 5), 7 * 3.4 - 0.4, 1e-9);
    o.shape = SurroundShape::half_sphere;
    o.radius = 3;
    EXPECT_NEAR(area(o, 4), kPi * 9 / 2 - 0.4, 3e-2);
    o.ground = false;
    EXPECT_THROW(area(o, 4), InputError);
    o.shape = SurroundShape::sphere;
    EXPECT_NEAR(area(o, 3), kPi * 9 - 0.4, 6e-2);
    o.shape = SurroundShape::bullet;
    o.radius = 2;
    EXPECT_NEAR(area(o, 4), kPi * 2 + (4.5 - (-2.5 + 2)) * 4 - 0.4, 3e-2);
    // Lengths are those along the flow.
    o.shape = SurroundShape::box;
    o.corners = {};
    o.flow = {0, 1, 0};
    EXPECT_NEAR(area(o, 5), (0.4 * 7) * (1 + 0.4 * 6) - 0.4, 1e-9);
    o.flow = {0, 0, 1};
    EXPECT_THROW(area(o, 5), InputError);
    o.flow = {1, 0, 0};
    o.shape = SurroundShape::cylinder;
    EXPECT_THROW(area(o, 5), InputError);
}

TEST(Sheets, AreThePlaneMeshAndBack) {
    PlaneRequest r = request(channel(0.2, 0.04), 0.005, PlaneCells::triangles);
    r.layers = {recipe(1e-3, 3, 1.2)};
    const PlanarMesh plane = mesh_plane(r).mesh;
    const VolumeMesh sheet = sheet_of(plane);
    const PlanarMesh back = plane_of(sheet);
    EXPECT_EQ(back.cells, plane.cells);
    EXPECT_EQ(back.cell_region, plane.cell_region);
    EXPECT_EQ(back.edges.size(), plane.edges.size());
    for (std::size_t p = 0; p < plane.points.size(); ++p) {
        EXPECT_EQ(back.points[p].x, plane.points[p].x);
        EXPECT_EQ(back.points[p].y, plane.points[p].y);
    }
    EXPECT_THROW(plane_of(sweep(plane, StraightPath{{0, 0, 1}}, {})), InputError);
}

TEST(Sheets, AreJudgedAsWhatTheyAre) {
    // A square beside a right-angled triangle with legs 1 and 2.
    PlanarMesh m;
    m.points = {{0, 0}, {1, 0}, {1, 1}, {0, 1}, {3, 0}};
    m.cells = {{0, 1, 2, 3}, {1, 4, 2, kNone}};
    m.cell_region = {0, 0};
    m.regions = {{"water"}};
    m.zones = {{"wall"}};
    m.edges = {{0, 1, 0}, {1, 4, 0}, {4, 2, 0}, {2, 3, 0}, {3, 0, 0}};
    const QualityReport r = assess(sheet_of(m));
    EXPECT_TRUE(r.is_plane);
    EXPECT_EQ(r.n_points, 5U);
    EXPECT_NEAR(r.volume, 2, 1e-12);
    EXPECT_NEAR(r.zone_areas[0], 5 + std::sqrt(5.0), 1e-12);
    EXPECT_EQ(metric(r, MetricId::volume).name, "area");
    EXPECT_NEAR(metric(r, MetricId::volume).max, 1, 1e-12);
    const double angle = std::atan2(1.0, 2.0) * 180 / kPi;
    EXPECT_NEAR(metric(r, MetricId::smallest_angle).min, angle, 1e-9);
    EXPECT_NEAR(metric(r, MetricId::largest_angle).max, 90, 1e-9);
    EXPECT_NEAR(metric(r, MetricId::equiangle_skewness).max, (60 - angle) / 60, 1e-9);
    EXPECT_NEAR(metric(r, MetricId::equiangle_skewness).min, 0, 1e-12);
    // Longest edge over inradius, over that of the regular one.
    const double inradius = 2.0 / (3 + std::sqrt(5.0));
    EXPECT_NEAR(metric(r, MetricId::aspect_ratio).max, std::sqrt(5.0) / inradius / (2 * std::sqrt(3.0)), 1e-9);
    EXPECT_NEAR(metric(r, MetricId::aspect_ratio).min, 1, 1e-12);
    // From (0.5, 0.5) to (5/3, 1/3) through the edge x = 1.
    EXPECT_NEAR(metric(r, MetricId::non_orthogonality).max, std::atan2(1.0 / 6, 7.0 / 6) * 180 / kPi, 1e-9);
    EXPECT_NEAR(metric(r, MetricId::volume_ratio).max, 1, 1e-12);
    // A quadrangle that crosses itself is none.
    VolumeMesh sheet = sheet_of(m);
    for (const std::size_t p : {2U, 7U}) sheet.points[p] = {0.2, -0.5, sheet.points[p].z};
    EXPECT_NE(find_faults(sheet).at(0).find("volume"), std::string::npos);
    sheet.points[2].x = 0.3;
    EXPECT_NE(find_faults(sheet).at(0).find("no sheet"), std::string::npos);
    m.cells[0] = {0, 2, 1, 3};
    EXPECT_THROW(sheet_of(m), InputError);
}

/// Error of the flow through a duct, whose speed is the solution of a Poisson equation over its section.
double flow_error(double size, PlaneCells cells, bool in_plane) {
    PlaneRequest r =
        in_plane ? request(channel(2, 1), size, cells) : request({{{"wall"}, circle({0, 0}, 1)}}, size, cells);
    const PlanarMesh section = mesh_plane(r).mesh;
    SweepOptions options{.steps = static_cast<int>(std::lround(0.6 / size))};
    options.first_end.role = options.last_end.role = Role::symmetry;
    const VolumeMesh mesh = in_plane ? sheet_of(section) : sweep(section, StraightPath{{0, 0, 0.6}}, options);
    const auto speed = [&](const Vec3& p) {
        return in_plane ? std::sin(kPi * p.x / 2) * p.y * (1 - p.y) : (1 - p.x * p.x - p.y * p.y) / 4;
    };
    const auto source = [&](const Vec3& p) {
        return in_plane ? std::sin(kPi * p.x / 2) * (2 + kPi * kPi / 4 * p.y * (1 - p.y)) : 1.0;
    };
    return kit::poisson_error(mesh, speed, source);
}

TEST(PlaneFlow, IsOfSecondOrderInPlanesAndInSweptDucts) {
    for (const bool in_plane : {true, false})
        for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::quadrangles, PlaneCells::mapped}) {
            const double coarse = flow_error(0.1, cells, in_plane), fine = flow_error(0.05, cells, in_plane);
            EXPECT_GT(std::log2(coarse / fine), 1.7) << in_plane << ' ' << static_cast<int>(cells);
        }
}

}  // namespace
}  // namespace anvilcast
