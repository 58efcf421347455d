// Plane meshes: areas, cells, divisions; what is refused.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/planar.hpp>
#include <anvilcast/predicates.hpp>

#include <cmath>
#include <map>
#include <numbers>
#include <random>

#include "kit/scratch.hpp"

namespace anvilcast {
namespace {

constexpr double kPi = std::numbers::pi;

PlaneRequest request(std::vector<PlaneCurve> curves, double size, PlaneCells cells = PlaneCells::triangles) {
    PlaneRequest out;
    out.curves = std::move(curves);
    out.areas = {{"fluid", RegionKind::fluid, {}, cells}};
    out.sizing.surface = out.sizing.largest = size;
    return out;
}
PlaneCurve polygon(const std::string& name, std::vector<Vec2> corners) {
    corners.push_back(corners.front());
    return {{name}, straight_pieces(corners)};
}

double area_of_cell(const PlanarMesh& m, std::size_t c) {
    double twice = 0;
    const int n = PlanarMesh::n_corners(m.cells[c]);
    for (int k = 0; k < n; ++k) {
        const Vec2 &a = m.points[m.cells[c][static_cast<std::size_t>(k)]],
                   &b = m.points[m.cells[c][static_cast<std::size_t>((k + 1) % n)]];
        twice += a.x * b.y - a.y * b.x;
    }
    return twice / 2;
}
double area_of(const PlanarMesh& m, Index region = kNone) {
    double sum = 0;
    for (std::size_t c = 0; c < m.cells.size(); ++c)
        if (region == kNone || m.cell_region[c] == region) sum += area_of_cell(m, c);
    return sum;
}

struct Angles {
    double least = 180, largest = 0, mean_skewness = 0, worst_skewness = 0;
};
Angles angles_of(const PlanarMesh& m) {
    Angles out;
    for (const auto& cell : m.cells) {
        const int n = PlanarMesh::n_corners(cell);
        const double ideal = n == 3 ? 60 : 90;
        double least = 180, largest = 0;
        for (int k = 0; k < n; ++k) {
            auto p = [&](int i) { return m.points[cell[static_cast<std::size_t>((k + i) % n)]]; };
            const Vec2 a = p(0), b = p(1), c = p(n - 1);
            const double ux = b.x - a.x, uy = b.y - a.y, vx = c.x - a.x, vy = c.y - a.y;
            const double angle = std::atan2(ux * vy - uy * vx, ux * vx + uy * vy) * 180 / kPi;
            least = std::min(least, angle);
            largest = std::max(largest, angle);
        }
        const double skewness = std::max((largest - ideal) / (180 - ideal), (ideal - least) / ideal);
        out.least = std::min(out.least, least);
        out.largest = std::max(out.largest, largest);
        out.worst_skewness = std::max(out.worst_skewness, skewness);
        out.mean_skewness += skewness / static_cast<double>(m.cells.size());
    }
    return out;
}

/// Every corner turns left, exactly; every edge has two cells, or one and a zone; all points are used.
void expect_valid(const PlanarMesh& m) {
    std::map<std::pair<Index, Index>, int> sides;
    std::vector<char> is_used(m.points.size(), 0);
    for (const auto& cell : m.cells) {
        const int n = PlanarMesh::n_corners(cell);
        for (int k = 0; k < n; ++k) {
            auto at = [&](int i) { return cell[static_cast<std::size_t>((k + i) % n)]; };
            ASSERT_GT(orient2d(m.points[at(0)], m.points[at(1)], m.points[at(n - 1)]), 0);
            is_used[at(0)] = 1;
            EXPECT_EQ((++sides[{at(0), at(1)}]), 1);
        }
    }
    EXPECT_EQ(std::count(is_used.begin(), is_used.end(), 0), 0);
    std::map<std::pair<Index, Index>, int> in_zone;
    for (const PlanarEdge& e : m.edges) {
        EXPECT_TRUE(sides.contains({e.from, e.to}));
        EXPECT_EQ((++in_zone[{e.from, e.to}]), 1);
    }
    for (const auto& [side, n] : sides) {
        const bool has_zone = in_zone.contains(side) || in_zone.contains({side.second, side.first});
        EXPECT_EQ(sides.contains({side.second, side.first}) ? 2 : 1,
                  has_zone && !sides.contains({side.second, side.first}) ? 1 : 2);
    }
}

std::string refusal(const PlaneRequest& r) {
    return kit::message_of<Error>([&r] { mesh_plane(r); });
}

TEST(Curves, GoWhereTheirDefinitionsSay) {
    const CurvePieces arc = arc_through({1, 0}, {0, 1}, {-1, 0});
    for (int k = 0; k <= 10; ++k) {
        const Vec2 p = place_on(arc[0], k / 10.0);
        EXPECT_NEAR(std::hypot(p.x, p.y), 1, 1e-14);
        EXPECT_NEAR(std::atan2(p.y, p.x), kPi * k / 10, 1e-14);
    }
    // Clockwise as well, and more than half a turn.
    const CurvePieces other = arc_through({1, 0}, {0, -1}, {0, 1});
    EXPECT_NEAR(place_on(other[0], 0.5).x, -std::sqrt(0.5), 1e-14);

    // A spline through points of a circle is nearer to it than their chords by far; through points of a line it is it.
    std::vector<Vec2> points;
    for (int k = 0; k <= 24; ++k) points.push_back({std::cos(kPi * k / 12), std::sin(kPi * k / 12)});
    points.back() = points.front();
    const CurvePieces smooth = smooth_curve(points);
    ASSERT_EQ(smooth.size(), 1U);
    for (int k = 0; k < 1000; ++k) {
        const Vec2 p = place_on(smooth[0], k / 1000.0);
        EXPECT_NEAR(std::hypot(p.x, p.y), 1, 2e-5);
    }
    const CurvePieces line = smooth_curve({{0, 0}, {1, 2}, {2, 4}, {5, 10}});
    EXPECT_NEAR(place_on(line[0], 0.37).y, 2 * place_on(line[0], 0.37).x, 1e-12);
    // Where the way turns sharply there is a corner.
    EXPECT_EQ(smooth_curve({{0, 0}, {1, 0.1}, {2, 0}, {1, -3}, {0, 0}}).size(), 3U);
    EXPECT_THROW(arc_through({0, 0}, {1, 1}, {2, 2}), InputError);
    EXPECT_THROW(straight_pieces({{0, 0}, {0, 0}}), InputError);
}

TEST(Curves, AreMovedAsAWhole) {
    const PlaneMotion motion{{1, 0}, 90, 2, {0, 5}};
    const Vec2 p = place_on(moved_by(straight_pieces({{2, 0}, {3, 0}}), motion)[0], 0);
    EXPECT_NEAR(p.x, 1, 1e-14);
    EXPECT_NEAR(p.y, 7, 1e-14);
    const Vec2 q = place_on(moved_by(ellipse({0, 0}, 2, 1), {{0, 0}, 90, 1, {}})[0], 0);
    EXPECT_NEAR(q.x, 0, 1e-14);
    EXPECT_NEAR(q.y, 2, 1e-14);
}

TEST(PlaneTriangles, AreNearlyEquilateral) {
    const PlanarMesh even = mesh_plane(request({polygon("wall", {{0, 0}, {1, 0}, {1, 1}, {0, 1}})}, 0.02)).mesh;
    expect_valid(even);
    EXPECT_NEAR(area_of(even), 1, 1e-12);
    const Angles angles = angles_of(even);
    EXPECT_GT(angles.least, 35);
    EXPECT_LT(angles.mean_skewness, 0.06);
    // Two triangles to a point: an equilateral one of that side is 1 / 5774 of the square.
    EXPECT_NEAR(static_cast<double>(even.cells.size()), 5774, 0.08 * 5774);

    PlaneRequest graded =
        request({polygon("far", {{-5, -5}, {9, -5}, {9, 5}, {-5, 5}}), {{"rod"}, circle({0, 0}, 0.5)}}, 0.02);
    graded.areas[0].inside = Vec2{3, 3};
    graded.sizing.largest = 0.5;
    graded.sizing.growth = 1.15;
    graded.sizing.refine = {{.name = "far", .on = {"far"}, .size = 0.5}};
    const PlanarMesh round = mesh_plane(graded).mesh;
    expect_valid(round);
    EXPECT_GT(angles_of(round).least, 32);
    EXPECT_LT(angles_of(round).mean_skewness, 0.12);
    EXPECT_NEAR(area_of(round), 140 - kPi * 0.25, 1e-3);
}

TEST(PlaneTriangles, FillAnyPolygonExactly) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> radius(0.8, 1.2);
    for (int body = 0; body < 20; ++body) {
        // A star round the origin with a star-shaped hole and an island in it.
        auto star = [&](double scale, int n) {
            std::vector<Vec2> out;
            for (int k = 0; k < n; ++k) {
                const double r = scale * radius(random) * (k % 2 == 0 ? 1.2 : 0.3), angle = 2 * kPi * k / n;
                out.push_back({r * std::cos(angle), r * std::sin(angle)});
            }
            return out;
        };
        auto area = [](const std::vector<Vec2>& p) {
            double twice = 0;
            for (std::size_t k = 0; k < p.size(); ++k)
                twice += p[k].x * p[(k + 1) % p.size()].y - p[k].y * p[(k + 1) % p.size()].x;
            return twice / 2;
        };
        const auto outer = star(1, 10), hole = star(0.12, 6), island = star(0.015, 8);
        PlaneRequest r = request({polygon("outer", outer), polygon("hole", hole), polygon("island", island)}, 0.1);
        r.sizing.surface = 0.05;
        r.areas[0].inside = Vec2{outer[0].x * 0.9, 0};
        r.areas[0].inside->x = 0.5 * (outer[0].x + hole[0].x);
        r.areas.push_back({"core", RegionKind::solid, Vec2{0, 0}});
        const PlanarMesh m = mesh_plane(r).mesh;
        expect_valid(m);
        EXPECT_NEAR(area_of(m, 0), area(outer) - area(hole), 1e-12);
        EXPECT_NEAR(area_of(m, 1), area(island), 1e-12);
    }
}

TEST(PlaneQuadrangles, AreAllThereIs) {
    PlaneRequest r = request({polygon("far", {{-3, -3}, {5, -3}, {5, 3}, {-3, 3}}), {{"rod"}, circle({0, 0}, 0.5)}},
                             0.04, PlaneCells::quadrangles);
    r.areas[0].inside = Vec2{2, 2};
    r.sizing.largest = 0.3;
    r.sizing.growth = 1.15;
    r.sizing.refine = {{.name = "far", .on = {"far"}, .size = 0.3}};
    // Beside triangles and a map, with all points in common.
    r.curves.push_back({{"rib"}, straight_pieces({{3, -3}, {3, 3}})});
    r.areas.push_back({"behind", RegionKind::fluid, Vec2{4, 0}, PlaneCells::mapped});
    r.areas.push_back({"rod", RegionKind::solid, Vec2{0, 0}, PlaneCells::triangles});
    const PlanarMesh m = mesh_plane(r).mesh;
    expect_valid(m);
    for (std::size_t c = 0; c < m.cells.size(); ++c) EXPECT_EQ(m.cells[c][3] == kNone, m.cell_region[c] == 2);
    PlanarMesh own = m;
    own.cells.clear();
    for (std::size_t c = 0; c < m.cells.size(); ++c)
        if (m.cell_region[c] == 0) own.cells.push_back(m.cells[c]);
    EXPECT_LT(angles_of(own).worst_skewness, 0.7);
    EXPECT_LT(angles_of(own).mean_skewness, 0.17);
    EXPECT_NEAR(area_of(m), 48, 1e-12);
    // However coarse: a disc of six edges, a lens of twice four.
    PlaneRequest disc = request({{{"wall"}, circle({0, 0}, 1)}}, 10, PlaneCells::quadrangles);
    expect_valid(mesh_plane(disc).mesh);
    PlaneRequest lens =
        request({{{"left"}, circle({0, 0}, 1)}, {{"right"}, circle({1, 0}, 1)}}, 10, PlaneCells::quadrangles);
    lens.areas[0].inside = Vec2{0.5, 0};
    expect_valid(mesh_plane(lens).mesh);
    lens.areas[0].cells = PlaneCells::triangles;
    expect_valid(mesh_plane(lens).mesh);
    r.curves[1].divisions = 33;
    EXPECT_NE(refusal(r).find("needs an even number"), std::string::npos) << refusal(r);
}

TEST(PlaneAreas, ComeOfCurvesThatCross) {
    // Two circles that overlap: three areas, whose sizes have closed forms.
    PlaneRequest r = request({{{"left"}, circle({0, 0}, 1)}, {{"right"}, circle({1, 0}, 1)}}, 0.02);
    r.areas = {{"lens", RegionKind::fluid, Vec2{0.5, 0}}, {"moon", RegionKind::solid, Vec2{-0.7, 0}}};
    const PlanarMesh m = mesh_plane(r).mesh;
    expect_valid(m);
    const double lens = 2 * kPi / 3 - std::sqrt(3.0) / 2;
    EXPECT_NEAR(area_of(m, 0), lens, 3e-4);
    EXPECT_NEAR(area_of(m, 1), kPi - lens, 3e-4);
    // Between the two lies a part of the circle on the right, an interface; all else is of the one on the left.
    std::map<std::string, Role> roles;
    for (const Zone& z : m.zones) roles[z.name] = z.role;
    EXPECT_EQ(roles.at("right-to-moon"), Role::interface_);
    EXPECT_EQ(roles.size(), 2U);
    EXPECT_EQ(roles.at("left"), Role::wall);

    // A curve that ends on the middle of another divides just as well.
    PlaneRequest t = request(
        {polygon("frame", {{0, 0}, {2, 0}, {2, 1}, {0, 1}}), {{"rib"}, straight_pieces({{0.7, 0}, {0.7, 1}})}}, 0.1);
    t.areas[0].inside = Vec2{0.1, 0.1};
    EXPECT_NEAR(area_of(mesh_plane(t).mesh), 0.7, 1e-12);
}

TEST(PlaneMapped, DividesAsTold) {
    PlaneRequest r = request({{{"bed"}, straight_pieces({{0, 0}, {4, 0}}), 12},
                              {{"out"}, straight_pieces({{4, 0}, {4, 1}}), 5, 8, FinerAt::start},
                              {{"top"}, straight_pieces({{4, 1}, {0, 1}})},
                              {{"in"}, straight_pieces({{0, 1}, {0, 0}})}},
                             0.5, PlaneCells::mapped);
    const PlanarMesh m = mesh_plane(r).mesh;
    expect_valid(m);
    EXPECT_EQ(m.cells.size(), 60U);
    EXPECT_NEAR(area_of(m), 4, 1e-12);
    // The longest edge is eight times the shortest, each in between as many times the one before.
    std::vector<double> heights;
    for (const PlanarEdge& e : m.edges)
        if (m.zones[e.zone].name == "out") heights.push_back(m.points[e.to].y - m.points[e.from].y);
    ASSERT_EQ(heights.size(), 5U);
    for (std::size_t k = 1; k < 5; ++k) EXPECT_NEAR(heights[k] / heights[k - 1], std::pow(8, 0.25), 1e-9);
    r.curves[2].divisions = 13;
    EXPECT_NE(refusal(r).find("12 edges on \"bed\" and 13 on \"top\""), std::string::npos) << refusal(r);
}

TEST(PlaneMapped, RoundAndThreeSidedAreasHaveBlocks) {
    PlaneRequest round = request({{{"wall"}, circle({3, 2}, 1), 80}}, 0.05, PlaneCells::mapped);
    const PlanarMesh disc = mesh_plane(round).mesh;
    expect_valid(disc);
    EXPECT_LT(angles_of(disc).worst_skewness, 0.5);
    EXPECT_TRUE(std::all_of(disc.cells.begin(), disc.cells.end(), [](const auto& c) { return c[3] != kNone; }));
    EXPECT_NEAR(area_of(disc), 40 * std::sin(2 * kPi / 80), 1e-5);
    round.curves[0].divisions = 30;
    EXPECT_NE(refusal(round).find("a multiple of 4"), std::string::npos) << refusal(round);

    const PlanarMesh wedge =
        mesh_plane(request({polygon("wall", {{0, 0}, {1, 0}, {0.4, 0.9}})}, 0.05, PlaneCells::mapped)).mesh;
    expect_valid(wedge);
    EXPECT_LT(angles_of(wedge).worst_skewness, 0.7);
    EXPECT_NEAR(area_of(wedge), 0.45, 1e-12);
}

TEST(PlaneMapped, DoesNotFoldInBentOutlines) {
    // Between a bump and a hollow, a spiral of one turn and a half, and a horseshoe.
    auto band = [](double inner, double outer, double turn, double drift) {
        std::vector<Vec2> near, far;
        for (int k = 0; k <= 40; ++k) {
            const double angle = turn * k / 40, grown = drift * k / 40;
            near.push_back({(inner + grown) * std::cos(angle), (inner + grown) * std::sin(angle)});
            far.push_back({(outer + grown) * std::cos(angle), (outer + grown) * std::sin(angle)});
        }
        std::reverse(near.begin(), near.end());
        return std::vector<PlaneCurve>{{{"far"}, smooth_curve(far)},
                                       {{"end"}, straight_pieces({far.back(), near.front()})},
                                       {{"near"}, smooth_curve(near)},
                                       {{"start"}, straight_pieces({near.back(), far.front()})}};
    };
    for (const auto& [turn, drift] : {std::pair(1.7 * kPi, 0.0), std::pair(3 * kPi, 3.0), std::pair(0.5 * kPi, 0.0)}) {
        const PlanarMesh m = mesh_plane(request(band(1, 1.6, turn, drift), 0.08, PlaneCells::mapped)).mesh;
        expect_valid(m);
    }
    PlaneRequest bump = request({{{"bed"}, smooth_curve({{0, 0}, {0.8, 0}, {1.5, 0.7}, {2.2, 0}, {3, 0}}, 90)},
                                 {{"out"}, straight_pieces({{3, 0}, {3, 1}})},
                                 {{"top"}, smooth_curve({{3, 1}, {2, 1.1}, {1.5, 0.9}, {1, 1.1}, {0, 1}}, 90)},
                                 {{"in"}, straight_pieces({{0, 1}, {0, 0}})}},
                                0.06, PlaneCells::mapped);
    expect_valid(mesh_plane(bump).mesh);
}

TEST(PlaneAreas, TellWhatIsWrong) {
    PlaneRequest open = request(
        {{{"bed"}, straight_pieces({{0, 0}, {1, 0}, {1, 1}, {0, 1}})}, {{"in"}, straight_pieces({{0, 1}, {0, 0.003}})}},
        0.1);
    EXPECT_NE(refusal(open).find("by 0.003 m; where they should meet"), std::string::npos) << refusal(open);
    open.join = 0.004;
    EXPECT_NEAR(area_of(mesh_plane(open).mesh), 1, 0.01);
    // Pieces shorter than that are none.
    open.curves[0].pieces = straight_pieces({{0, 0}, {1, 0}, {1, 0.001}, {1, 1}, {0, 1}});
    EXPECT_NEAR(area_of(mesh_plane(open).mesh), 1, 0.01);

    PlaneRequest two = request({polygon("outer", {{0, 0}, {4, 0}, {4, 4}, {0, 4}}), {{"rod"}, circle({2, 2}, 1)}}, 0.2);
    EXPECT_NE(refusal(two).find("enclose 2 areas"), std::string::npos) << refusal(two);
    two.areas[0].inside = Vec2{9, 9};
    EXPECT_NE(refusal(two).find("nothing encloses"), std::string::npos) << refusal(two);
    two.areas[0].inside = Vec2{0.5, 0.5};
    two.areas.push_back({"again", RegionKind::fluid, Vec2{3.7, 3.7}});
    EXPECT_NE(refusal(two).find("one and the same"), std::string::npos) << refusal(two);
    two.areas.pop_back();
    two.areas[0].cells = PlaneCells::mapped;
    EXPECT_NE(refusal(two).find("1 hole(s)"), std::string::npos) << refusal(two);

    const PlaneRequest twice =
        request({polygon("a", {{0, 0}, {1, 0}, {1, 1}, {0, 1}}), polygon("b", {{1, 0}, {2, 0}, {2, 1}, {1, 1}})}, 0.2);
    EXPECT_NE(refusal(twice).find("run along each other"), std::string::npos) << refusal(twice);
    const PlaneRequest five = request({polygon("wall", {{0, 0}, {1, 0}, {1.4, 0.5}, {1, 1}, {0, 1}})}, 0.1);
    EXPECT_NEAR(area_of(mesh_plane(five).mesh), 1.2, 1e-12);
}

}  // namespace
}  // namespace anvilcast
