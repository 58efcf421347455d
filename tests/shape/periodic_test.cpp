#include <gtest/gtest.h>
#include <anvilcast/anvilcast.hpp>

#include <cmath>
#include <numbers>
#include <set>

#include "fill/both_sides.hpp"
#include "kit/finite_volumes.hpp"
#include "kit/shapes.hpp"
#include "shape/repeats.hpp"

namespace anvilcast {
namespace {

const LengthUnit kMm = parse_length_unit("mm");
using Outline = std::vector<Vec2>;

/// A prism whose zones are called after the sides of its outline, and "floor" and "lid". Each triangle of a side is
/// told by where its outline's edge runs.
Surface prism(const Outline& outline, double height, const std::vector<std::string>& names) {
    Surface s = kit::prism(outline, height);
    s.zones.clear();
    s.zone_of.clear();
    std::map<std::string, Index> number;
    auto zone = [&](const std::string& name) {
        const auto [at, is_new] = number.try_emplace(name, static_cast<Index>(s.zones.size()));
        if (is_new) s.zones.push_back({name});
        return at->second;
    };
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Vec3 n = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        const Vec3 m = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
        if (std::abs(n.z) > 0.5) {
            s.zone_of.push_back(zone(n.z > 0 ? "lid" : "floor"));
            continue;
        }
        std::size_t best = 0;
        double least = Box::inf;
        for (std::size_t k = 0; k < outline.size(); ++k) {
            const Vec2 &a = outline[k], &b = outline[(k + 1) % outline.size()];
            const Vec3 p{a.x, a.y, m.z}, q{b.x, b.y, m.z};
            const double d = distance(m, closest_point_on_triangle(m, p, q, q));
            if (d >= least) continue;
            least = d;
            best = k;
        }
        s.zone_of.push_back(zone(names[best]));
    }
    return s;
}

Surface channel() {
    return prism({{0, 0}, {0.04, 0}, {0.04, 0.03}, {0, 0.03}}, 0.02, {"front", "right", "back", "left"});
}

Outline arc(double radius, double from, double to, int n) {
    Outline out;
    for (int k = 0; k <= n; ++k) {
        const double a = from + (to - from) * k / n;
        out.push_back({radius * std::cos(a), radius * std::sin(a)});
    }
    return out;
}

/// Of a ring, or, without an inner radius, of a disc; "first" lies in y = 0.
Surface sector(double inner, double angle) {
    Outline outline = arc(0.05, 0, angle, 8);
    std::vector<std::string> names(8, "outside");
    names.emplace_back("second");
    if (inner > 0) {
        const Outline back = arc(inner, angle, 0, 5);
        outline.insert(outline.end(), back.begin(), back.end());
        names.insert(names.end(), 5, "hub");
    } else {
        outline.push_back({0, 0});
    }
    names.emplace_back("first");
    return prism(outline, 0.025, names);
}

/// Between two waves; the upper one is divided elsewhere.
Surface wavy() {
    Outline outline;
    std::vector<std::string> names;
    auto wave = [](double x) { return 0.005 * std::sin(2 * std::numbers::pi * x / 0.03); };
    for (int k = 0; k < 24; ++k) {
        outline.push_back({0.06 * k / 24, wave(0.06 * k / 24)});
        names.emplace_back("low");
    }
    outline.push_back({0.06, wave(0.06)});
    names.emplace_back("out");
    for (int k = 24; k > 0; --k) {
        outline.push_back({0.06 * k / 24, wave(0.06 * k / 24) + 0.02});
        names.emplace_back("high");
    }
    outline.push_back({0, 0.02});
    names.emplace_back("in");
    return prism(outline, 0.015, names);
}

/// With a ball in it, whose zone is "ball".
Surface with_ball(Surface s, const Vec3& center, double radius) {
    return joined({std::move(s), kit::flipped(kit::sphere(center, radius, 2))});
}

Surface anywhere(const Surface& s) {
    return placed(s, after(Placement::turned({1, 2, -0.5}, 37, {0.1, 0, 0}), Placement::moved({0.3, -0.2, 0.05})));
}

Domain periodic(const Surface& s, const std::vector<PeriodicRequest>& requests) {
    return make_periodic(kit::inside_of(s), requests, kMm);
}

PeriodicRequest pair(const std::string& first, const std::string& second) { return {.first = first, .second = second}; }

struct Built {
    SurfaceMesh surface;
    LayerStacks stacks;
    VolumeMesh mesh;
};

Built built(const Domain& domain, double size, FillCells cells, const std::vector<std::string>& layers_on,
            int threads = 0) {
    Context context;
    context.threads = threads;
    SizeOptions options;
    options.surface = options.largest = size;
    const SizeField field = make_size_field(domain, options);
    Built out;
    out.surface = mesh_surface(domain, field, {}, context);
    if (layers_on.empty()) {
        out.mesh = cells == FillCells::polyhedra ? fill_with_polyhedra(out.surface, field, {}, context)
                                                 : fill_with_tetrahedra(out.surface, field, {}, context);
        return out;
    }
    LayerRecipe recipe;
    recipe.on = layers_on;
    recipe.first_height = 1e-4;
    recipe.count = 4;
    recipe.growth = 1.3;
    out.stacks = grow_layers(out.surface, field, {.recipes = {recipe}}, context);
    FillOptions fill;
    fill.cells = cells;
    out.mesh = fill_with_layers(out.surface, out.stacks, field, fill, context);
    return out;
}

const BoundaryZone& zone_of(const VolumeMesh& mesh, const std::string& name) {
    return *std::find_if(mesh.zones.begin(), mesh.zones.end(), [&](const auto& z) { return z.name == name; });
}

double off(const Placement& a, const Placement& b) {
    double most = 0;
    for (const Vec3& p : {Vec3{0, 0, 0}, Vec3{0.1, 0, 0}, Vec3{0, 0.1, 0}, Vec3{0, 0, 0.1}})
        most = std::max(most, distance(a(p), b(p)));
    return most;
}

TEST(Periodic, FindsHowSidesRepeat) {
    const Domain moved = periodic(channel(), {pair("left", "right"), pair("front", "back")});
    ASSERT_EQ(moved.periodic.size(), 2U);
    EXPECT_LT(off(moved.periodic[0].image, Placement::moved({0.04, 0, 0})), 1e-15);
    EXPECT_LT(off(moved.periodic[1].image, Placement::moved({0, 0.03, 0})), 1e-15);
    for (const Zone& z : moved.boundary.zones)
        EXPECT_EQ(z.role, z.name == "floor" || z.name == "lid" ? Role::wall : Role::periodic);
    for (const double degrees : {24.0, 60.0, 90.0, 180.0})
        for (const double inner : {0.0, 0.02}) {
            const Surface s = sector(inner, degrees * std::numbers::pi / 180);
            const Domain turned = periodic(s, {pair("first", "second")});
            EXPECT_LT(off(turned.periodic[0].image, Placement::turned({0, 0, 1}, degrees, {})), 1e-13) << degrees;
            // Tilted, and with the digits of single precision.
            Surface tilted = anywhere(s);
            for (Vec3& p : tilted.points)
                for (int k = 0; k < 3; ++k) p[k] = static_cast<float>(p[k]);
            const Domain rounded = periodic(tilted, {pair("first", "second")});
            EXPECT_LT(rounded.periodic[0].residual, 1e-7);
            EXPECT_NEAR(screw_of(rounded.periodic[0].image).degrees, degrees, 1e-9);
        }
}

TEST(Periodic, ScrewsTellOfPlacements) {
    for (const double degrees : {0.0, 1e-3, 30.0, 119.0, 179.9, 180.0}) {
        const Vec3 axis = normalized({1, -2, 0.7}), about{0.2, 0.1, -0.3};
        const Placement p = after(Placement::turned(axis, degrees, about), Placement::moved(axis * 0.4));
        const Screw s = screw_of(p);
        EXPECT_NEAR(s.degrees, degrees, 1e-6);
        EXPECT_LT(off(after(Placement::turned(s.axis, s.degrees, s.about), Placement::moved(s.axis * s.way)), p), 1e-9);
        EXPECT_LT(off(after(p, inverse(p)), {}), 1e-15);
        std::vector<Vec3> points{{0, 0, 0}, {1, 0, 0}, {0, 2, 0}, {0.3, 0.4, 3}}, images;
        for (const Vec3& q : points) images.push_back(p(q));
        EXPECT_LT(off(fitted(points, images), p), 1e-14);
    }
}

/// Rims get the points that the other side has, one after the other.
TEST(Periodic, RimsOfBothHaveAllPoints) {
    Surface s = wavy();
    // A point more in an edge of the upper rim, in both triangles at it.
    const SurfaceEdges edges(s.triangles, s.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const Vec3 &a = s.points[edges.ends(e)[0]], &b = s.points[edges.ends(e)[1]];
        if (a.z != 0 || b.z != 0 || midpoint(a, b).y < 0.016 || std::abs(a.x - b.x) > 0.004 || a.x == b.x) continue;
        const auto added = static_cast<Index>(s.points.size());
        s.points.push_back(a + (b - a) * 0.3);
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use) {
            const Triangle c = s.triangles[use->triangle];
            Triangle one = c, two = c;
            std::replace(one.begin(), one.end(), edges.ends(e)[0], added);
            std::replace(two.begin(), two.end(), edges.ends(e)[1], added);
            s.triangles[use->triangle] = one;
            s.triangles.push_back(two);
            s.zone_of.push_back(s.zone_of[use->triangle]);
        }
        break;
    }
    const Domain d = periodic(s, {pair("low", "high")});
    std::set<Index> points[2];
    for (Index t = 0; t < d.boundary.triangles.size(); ++t)
        for (std::size_t k = 0; k < 2; ++k)
            if (d.boundary.zones[d.boundary.zone_of[t]].name == (k == 0 ? "low" : "high"))
                points[k].insert(d.boundary.triangles[t].begin(), d.boundary.triangles[t].end());
    EXPECT_EQ(points[0].size(), points[1].size());
    EXPECT_EQ(points[0].size(), 51U);
    for (const Index p : points[0]) {
        const Vec3 there = d.periodic[0].image(d.boundary.points[p]);
        EXPECT_TRUE(
            std::any_of(points[1].begin(), points[1].end(), [&](Index q) { return d.boundary.points[q] == there; }));
    }
}

TEST(Periodic, RefusesWhatDoesNotRepeat) {
    auto refused = [](const Surface& s, const std::vector<PeriodicRequest>& requests) -> std::string {
        try {
            periodic(s, requests);
        } catch (const InputError& e) {
            return e.what();
        } catch (const GeometryError& e) {
            return e.what();
        }
        return "";
    };
    Surface bent = channel();
    for (Vec3& p : bent.points)
        if (p.x > 0.03 && p.y > 0.02 && p.z > 0.01) p.z += 2e-3;
    const std::string told = refused(bent, {pair("left", "right")});
    EXPECT_NE(told.find("\"left\" differs from \"right\" by "), std::string::npos) << told;
    EXPECT_NE(told.find("most at [40, 30, 22] mm"), std::string::npos) << told;
    EXPECT_NE(refused(channel(), {pair("left", "floor")}), "");
    EXPECT_NE(refused(channel(), {pair("left", "rihgt")}).find("did you mean \"right\"?"), std::string::npos);
    EXPECT_NE(refused(channel(), {pair("left", "right"), pair("front", "left")}).find("one other only"),
              std::string::npos);
    PeriodicRequest wrong = pair("left", "right");
    wrong.image = Placement::moved({0.05, 0, 0});
    EXPECT_NE(refused(channel(), {wrong}).find("moved by [50, 0, 0] mm"), std::string::npos);
    PeriodicRequest mirrored = pair("left", "right");
    mirrored.image = Placement::mirrored(0, 0.02);
    EXPECT_NE(refused(channel(), {mirrored}).find("never mirrored"), std::string::npos);
    wrong.tolerance = 0.02;
    EXPECT_EQ(refused(channel(), {wrong}), "");
}

/// Every face of one side is the image of one of the other, which the oracle holds to 1e-9 of the extent; here, to
/// 1e-12.
void expect_equal_sides(const VolumeMesh& mesh, const std::string& what) {
    ASSERT_EQ(find_faults(mesh), std::vector<std::string>{}) << what;
    Box box;
    for (const Vec3& p : mesh.points) box.include(p);
    for (const PeriodicPair& p : mesh.periodic) {
        std::set<Index> on[2];
        const BoundaryZone* zones[2] = {&zone_of(mesh, p.first), &zone_of(mesh, p.second)};
        for (std::size_t k = 0; k < 2; ++k)
            for (std::size_t f = zones[k]->first_face; f < zones[k]->first_face + zones[k]->n_faces; ++f)
                for (const Index q : mesh.face(f)) on[k].insert(q);
        EXPECT_EQ(on[0].size(), on[1].size()) << what;
        std::vector<Triangle> places;
        for (const Index q : on[1]) places.push_back({q, q, q});
        const TriangleTree tree(mesh.points, places);
        double most = 0;
        for (const Index q : on[0]) most = std::max(most, tree.closest(p.image(mesh.points[q])).distance);
        EXPECT_LT(most, 1e-12 * box.diagonal()) << what;
    }
}

TEST(Periodic, MeshesAreEqualOnBothSides) {
    struct Body {
        std::string name;
        Surface surface;
        std::vector<PeriodicRequest> pairs;
        std::vector<std::string> layers_on;
        double size;
    };
    const Vec3 middle{0.02, 0.015, 0.01};
    const std::vector<Body> bodies{
        {"one pair", with_ball(channel(), middle, 0.005), {pair("left", "right")}, {"floor", "ball"}, 0.0015},
        {"three pairs",
         anywhere(with_ball(channel(), middle, 0.005)),
         {pair("left", "right"), pair("front", "back"), pair("floor", "lid")},
         {"ball"},
         0.0015},
        {"a ring's sector", sector(0.02, std::numbers::pi / 6), {pair("first", "second")}, {"floor", "hub"}, 0.0025},
        {"down to the axis",
         anywhere(sector(0, std::numbers::pi / 5)),
         {pair("first", "second"), pair("floor", "lid")},
         {"outside"},
         0.003},
        {"waves", wavy(), {pair("low", "high")}, {"floor", "lid"}, 0.002}};
    for (const Body& body : bodies)
        for (const FillCells cells : {FillCells::tetrahedra, FillCells::polyhedra})
            for (const bool has_layers : {false, true}) {
                const std::string what =
                    body.name + (cells == FillCells::polyhedra ? ", polyhedra" : "") + (has_layers ? ", layers" : "");
                const Domain domain = periodic(body.surface, body.pairs);
                const Built b =
                    built(domain, body.size, cells, has_layers ? body.layers_on : std::vector<std::string>{});
                expect_equal_sides(b.mesh, what);
                for (const ZoneLayers& z : b.stacks.zones)
                    EXPECT_GT(z.full_area, 0.98 * z.area)
                        << what << ", " << b.surface.surface.zones[z.zone].name << ": "
                        << layer_limit_text(z.shortfalls.empty() ? LayerLimit::none : z.shortfalls[0].limit) << " at "
                        << (z.shortfalls.empty() ? Vec3{} : z.shortfalls[0].at).x;
            }
}

/// Patterns that name all zones name the sides as well, on which nothing can stand.
TEST(Periodic, NoLayersStandOnTheSides) {
    const Domain d = periodic(channel(), {pair("left", "right")});
    const Built b = built(d, 0.002, FillCells::tetrahedra, {"*"});
    expect_equal_sides(b.mesh, "all zones");
    EXPECT_EQ(b.stacks.zones.size(), 4U);
    for (const ZoneLayers& z : b.stacks.zones)
        for (const ZoneLayers::Shortfall& s : z.shortfalls)
            ADD_FAILURE() << b.surface.surface.zones[z.zone].name << ": " << layer_limit_text(s.limit) << " " << s.area
                          << " at " << s.at.x << " " << s.at.y << " " << s.at.z;
    EXPECT_THROW(built(d, 0.002, FillCells::tetrahedra, {"left"}), InputError);
}

/// Points that recovery needs on one side: within a triangle, on an edge of it, and on one of three sides' common
/// edges.
TEST(Periodic, PointsArePutOnBothSides) {
    const Domain d = periodic(channel(), {pair("left", "right"), pair("front", "back")});
    fill::DividedSurface s{built(d, 0.006, FillCells::tetrahedra, {}).surface, {}};
    for (Index t = 0; t < s.mesh.surface.triangles.size(); ++t) s.parent.push_back(t);
    const std::size_t n = s.mesh.surface.points.size();
    auto on_edge = [&](Index t, std::size_t k) {
        const Triangle& c = s.mesh.surface.triangles[t];
        const Index a = c[k], b = c[(k + 1) % 3];
        return AddedBoundaryPoint{
            midpoint(s.mesh.surface.points[a], s.mesh.surface.points[b]), t, {a, b, kNone}, {0.5, 0.5, 0}};
    };
    std::vector<AddedBoundaryPoint> added;
    for (Index t = 0; t < s.parent.size() && added.size() < 2; ++t) {
        const Triangle& c = s.mesh.surface.triangles[t];
        const auto& p = s.mesh.surface.points;
        if (s.mesh.surface.zones[s.mesh.surface.zone_of[t]].name != "left") continue;
        for (std::size_t k = 0; k < 3; ++k)
            if (const Vec3 m = midpoint(p[c[k]], p[c[(k + 1) % 3]]); added.empty() && m.x == 0 && m.y == 0)
                added.push_back(on_edge(t, k));
        if (added.size() == 1 &&
            std::find(added[0].corners.begin(), added[0].corners.end(), c[0]) == added[0].corners.end())
            added.push_back({(p[c[0]] + p[c[1]] + p[c[2]]) / 3.0, t, {c[0], c[1], c[2]}, {1.0 / 3, 1.0 / 3, 1.0 / 3}});
    }
    ASSERT_EQ(added.size(), 2U);
    ASSERT_TRUE(fill::put_on_both_sides(s, added, {}));
    // The edge is repeated at four places, the triangle at two.
    EXPECT_EQ(s.mesh.surface.points.size(), n + 4 + 2);
    EXPECT_EQ(examine(s.mesh.surface).shells.size(), 1U);
    EXPECT_TRUE(examine(s.mesh.surface).is_sound);
    const auto images = shape::images_of_points(s.mesh.surface, s.mesh.periodic);
    for (std::size_t k = 0; k < images.size(); ++k) {
        const Index first = shape::zones_of(s.mesh.surface, s.mesh.periodic[k])[0];
        for (const Index p : shape::points_of_zone(s.mesh.surface, first)) EXPECT_NE(images[k][p], kNone);
    }
    EXPECT_FALSE(fill::put_on_both_sides(s, {}, {}));
    EXPECT_THROW(fill::put_on_both_sides(s, {on_edge(added[1].triangle, 0)}, std::vector<char>(n * 4, 1)),
                 FillObstacle);
}

TEST(Periodic, TheSameOnAnyNumberOfThreads) {
    const Domain d = periodic(sector(0.02, std::numbers::pi / 6), {pair("first", "second")});
    const Built one = built(d, 0.003, FillCells::polyhedra, {"floor", "hub"}, 1),
                two = built(d, 0.003, FillCells::polyhedra, {"floor", "hub"}, 2);
    EXPECT_EQ(one.mesh.points, two.mesh.points);
    EXPECT_EQ(one.mesh.face_points, two.mesh.face_points);
}

TEST(Periodic, TheOracleSeesWhatDiffers) {
    const Domain d = periodic(channel(), {pair("left", "right")});
    VolumeMesh mesh = built(d, 0.005, FillCells::tetrahedra, {}).mesh;
    ASSERT_EQ(find_faults(mesh), std::vector<std::string>{});
    const BoundaryZone& right = zone_of(mesh, "right");
    for (std::size_t f = right.first_face; f < right.first_face + right.n_faces; ++f)
        for (const Index p : mesh.face(f))
            if (mesh.points[p].y > 0.01 && mesh.points[p].y < 0.02 && mesh.points[p].z > 0.005 &&
                mesh.points[p].z < 0.015) {
                mesh.points[p].y += 1e-8;
                const auto faults = find_faults(mesh);
                ASSERT_FALSE(faults.empty());
                EXPECT_NE(faults[0].find("of the periodic zone \"left\" has no image on \"right\""), std::string::npos);
                return;
            }
    FAIL() << "no point within the side";
}

/// Sizes near one side hold near the other one, too.
TEST(Periodic, SizesRepeat) {
    const Domain d = periodic(channel(), {pair("left", "right")});
    SizeOptions options;
    options.surface = options.largest = 0.005;
    Refinement near;
    near.name = "near the left";
    near.volume = BallVolume{{0.002, 0.015, 0.01}, 0.003};
    near.size = 0.0005;
    options.refine = {near};
    const SizeField field = make_size_field(d, options);
    for (const double y : {0.003, 0.012, 0.015, 0.021})
        EXPECT_NEAR(field.at({0, y, 0.01}) / field.at({0.04, y, 0.01}), 1, 0.1) << y;
}

/// A scalar that repeats, over a side where it is not given.
TEST(Periodic, SecondOrderAcrossThePair) {
    constexpr double kPi = std::numbers::pi;
    const Outline square{{0, 0}, {1, 0}, {1, 1}, {0, 1}};
    const Surface s = prism(square, 0.5, {"front", "right", "back", "left"});
    const auto exact = [](const Vec3& p) { return std::sin(2 * kPi * p.x + 0.7) * std::cos(p.y) * std::exp(p.z); };
    const auto source = [&](const Vec3& p) { return 4 * kPi * kPi * exact(p); };
    const Domain d = periodic(s, {pair("left", "right")});
    for (const FillCells cells : {FillCells::tetrahedra, FillCells::polyhedra}) {
        double error[2];
        for (int k = 0; k < 2; ++k)
            error[k] = kit::poisson_error(built(d, k == 0 ? 0.12 : 0.06, cells, {}).mesh, exact, source);
        EXPECT_GT(std::log2(error[0] / error[1]), 1.7) << (cells == FillCells::polyhedra ? "polyhedra" : "tetrahedra");
    }
}

}  // namespace
}  // namespace anvilcast
