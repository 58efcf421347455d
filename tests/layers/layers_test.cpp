#include <gtest/gtest.h>
#include <anvilcast/anvilcast.hpp>

#include <cmath>
#include <numbers>
#include <random>
#include <set>

#include "fill/fill_core.hpp"
#include "kit/scratch.hpp"
#include "kit/shapes.hpp"
#include "layers/directions.hpp"

namespace anvilcast {
namespace {

LayerRecipe recipe(double first, int count, double growth, std::vector<std::string> on = {}) {
    LayerRecipe r;
    r.on = std::move(on);
    r.first_height = first;
    r.count = count;
    r.growth = growth;
    return r;
}

SurfaceMesh meshed(const Domain& domain, double size) {
    SizeOptions options;
    options.surface = options.largest = size;
    return mesh_surface(domain, make_size_field(domain, options));
}

SizeField sizes_of(const SurfaceMesh& mesh, double size) {
    SizeOptions options;
    options.surface = options.largest = size;
    return size_field_of_mesh(mesh.surface, options);
}

/// The zones that a predicate of a triangle's normal picks get a role.
Surface with_role(Surface s, Role role, const std::function<bool(const Vec3&)>& picks) {
    s = split_at_sharp_edges(s, 40);
    for (Index t = 0; t < s.triangles.size(); ++t)
        if (picks(normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)))))
            s.zones[s.zone_of[t]].role = role;
    return s;
}

struct Result {
    LayerStacks stacks;
    VolumeMesh mesh;
};

Result layered(const SurfaceMesh& surface, double size, const std::vector<LayerRecipe>& recipes, int threads = 0,
               FillReport* report = nullptr) {
    Context context;
    context.threads = threads;
    const SizeField field = sizes_of(surface, size);
    Result r;
    r.stacks = grow_layers(surface, field, {.recipes = recipes}, context);
    r.mesh = fill_with_layers(surface, r.stacks, field, {}, context, report);
    EXPECT_EQ(find_faults(r.mesh), std::vector<std::string>{});
    return r;
}

double volume_of(const VolumeMesh& mesh, CellType type) {
    double sum = 0;
    for (std::size_t c = 0; c < mesh.n_cells(); ++c) {
        if (mesh.cell_types[c] != type) continue;
        const auto p = mesh.cell(c);
        auto at = [&](std::size_t k) { return mesh.points[p[k]]; };
        if (type == CellType::prism)
            sum += tetrahedron_volume(at(0), at(1), at(2), at(3)) + tetrahedron_volume(at(1), at(4), at(5), at(3)) +
                   tetrahedron_volume(at(1), at(5), at(2), at(3));
        else
            sum += tetrahedron_volume(at(0), at(1), at(2), at(3));
    }
    return std::abs(sum);
}

TEST(Layers, AreAsHighAsAskedOverAFlatFloor) {
    const Surface box =
        with_role(kit::box({0, 0, 0}, {1, 1, 0.6}), Role::symmetry, [](const Vec3& n) { return n.z > -0.5; });
    const SurfaceMesh surface = meshed(kit::inside_of(box), 0.1);
    const Result r = layered(surface, 0.1, {recipe(0.004, 6, 1.25)});
    // The levels lie in planes, at the geometric heights, to the last bits.
    std::vector<double> heights{0};
    for (int k = 0; k < 6; ++k) heights.push_back(heights.back() + 0.004 * std::pow(1.25, k));
    for (const LayerStacks::Column& c : r.stacks.columns) {
        ASSERT_EQ(c.count, 6U);
        for (Index k = 0; k <= 6; ++k) EXPECT_NEAR(r.stacks.level(c, k, surface.surface.points).z, heights[k], 1e-15);
    }
    EXPECT_NEAR(volume_of(r.mesh, CellType::prism), heights.back(), 1e-12);
    // What the stacks slide along keeps its area and its plane.
    const QualityReport q = assess(r.mesh);
    EXPECT_NEAR(q.volume, 0.6, 1e-12);
    for (std::size_t z = 0; z < r.mesh.zones.size(); ++z)
        EXPECT_NEAR(q.zone_areas[z],
                    surface.surface.zones[z].role == Role::wall ? 1
                    : q.zone_areas[z] > 0.8                     ? 1
                                                                : 0.6,
                    1e-12);
    ASSERT_EQ(q.layers.size(), 1U);
    EXPECT_NEAR(q.layers[0].first_min, 0.004, 1e-12);
    EXPECT_NEAR(q.layers[0].first_max, 0.004, 1e-12);
    EXPECT_NEAR(q.layers[0].growth_median, 1.25, 1e-9);
    EXPECT_EQ(q.layers[0].full_area, q.layers[0].area);
}

TEST(Layers, OfABallFillAShell) {
    // Outside of a ball in a box: the stack's volume is that of the shell, but for the facets' chords.
    Surface tunnel = kit::box({-2, -2, -2}, {2, 2, 2}, "tunnel");
    tunnel.zones[0].role = Role::farfield;
    const Surface both = joined({tunnel, kit::flipped(kit::sphere({0, 0, 0}, 1, 4))});
    const SurfaceMesh surface = meshed(kit::inside_of(both), 0.14);
    const Result r = layered(surface, 0.14, {recipe(0.01, 5, 1.2)});
    const double height = 0.01 * (std::pow(1.2, 5) - 1) / 0.2;
    const double shell = 4 * std::numbers::pi / 3 * (std::pow(1 + height, 3) - 1);
    EXPECT_NEAR(volume_of(r.mesh, CellType::prism) / shell, 1, 0.01);
    const QualityReport q = assess(r.mesh);
    ASSERT_EQ(q.layers.size(), 1U);
    EXPECT_GT(q.layers[0].first_share_5, 0.999);
    EXPECT_NEAR(q.layers[0].first_median, 0.01, 1e-4);
}

TEST(Layers, KeepTheirHeightInCornersOfAnyAngle) {
    // A prism over a triangle with a corner of so many degrees: its columns lean, and keep their height over both
    // walls.
    for (const double degrees : {140.0, 90.0, 60.0, 50.0}) {
        SCOPED_TRACE(degrees);
        const Surface wedge =
            with_role(kit::wedge(degrees), Role::symmetry, [](const Vec3& n) { return std::abs(n.z) > 0.5; });
        const SurfaceMesh surface = meshed(kit::inside_of(wedge), 0.06);
        const Result r = layered(surface, 0.06, {recipe(0.002, 5, 1.2)});
        std::size_t n = 0;
        for (const LayerStacks::Face& f : r.stacks.faces) {
            const Triangle& t = surface.surface.triangles[f.side / 2];
            const auto& p = surface.surface.points;
            const Vec3 middle = (p[t[0]] + p[t[1]] + p[t[2]]) / 3.0;
            if (std::hypot(middle.x, middle.y) > 0.3) continue;
            const Vec3 inward = -normalized(triangle_normal(p[t[0]], p[t[1]], p[t[2]]));
            ++n;
            for (std::size_t k = 0; k < 3; ++k) {
                const LayerStacks::Column& c = r.stacks.columns[f.columns[k]];
                ASSERT_EQ(c.count, 5U);
                EXPECT_NEAR(dot(r.stacks.levels[c.first] - p[c.point], inward), 0.002, 2e-5);
            }
        }
        EXPECT_GT(n, 100U);
        const QualityReport q = assess(r.mesh);
        EXPECT_NEAR(q.volume, examine(wedge).enclosed_volume, 1e-12);
    }
}

TEST(Layers, SlideAlongACurvedShore) {
    // The end caps of a cylinder have layers, its side has none: columns at the rims go along the side's generators.
    const Surface can =
        with_role(kit::cylinder(0.5, 1, 64), Role::symmetry, [](const Vec3& n) { return std::abs(n.z) < 0.5; });
    const SurfaceMesh surface = meshed(kit::inside_of(can), 0.06);
    const Result r = layered(surface, 0.06, {recipe(0.005, 6, 1.2)});
    const double height = 0.005 * (std::pow(1.2, 6) - 1) / 0.2;
    for (const LayerStacks::Column& c : r.stacks.columns) {
        ASSERT_EQ(c.count, 6U);
        const Vec3 &foot = surface.surface.points[c.point], &top = r.stacks.levels[c.first + 5];
        EXPECT_NEAR(std::abs(top.z - foot.z) / height, 1, 1e-3);
        // On the side a column stays on the facets, which are chords of the circle.
        if (std::hypot(foot.x, foot.y) > 0.4999) {
            EXPECT_GT(std::hypot(top.x, top.y), 0.4985);
            EXPECT_LT(std::hypot(top.x, top.y), 0.5 + 1e-9);
        }
    }
    const QualityReport q = assess(r.mesh);
    // Meshed anew from its own facets the side comes in by another chord's height.
    EXPECT_NEAR(q.volume / examine(surface.surface).enclosed_volume, 1, 2e-3);
    EXPECT_GT(q.metric("smallest dihedral").min, 15);
}

TEST(Layers, GrowIntoTheRegionsThatAreNamed) {
    Surface box = kit::box({0, 0, 0}, {1, 0.5, 0.5}, "case");
    box.zones[0].role = Role::symmetry;
    Surface wall;
    wall.points = {{0.5, 0, 0}, {0.5, 0.5, 0}, {0.5, 0.5, 0.5}, {0.5, 0, 0.5}};
    wall.triangles = {{0, 1, 2}, {0, 2, 3}};
    wall.zones = {{"between"}};
    wall.zone_of = {0, 0};
    RegionRequest air, brick;
    air.name = "air";
    air.inside = Vec3{0.25, 0.25, 0.25};
    brick.name = "brick";
    brick.kind = RegionKind::solid;
    brick.inside = Vec3{0.75, 0.25, 0.25};
    const Domain domain = choose_regions(divide_space(joined({split_at_sharp_edges(box, 40), wall})), {air, brick},
                                         parse_length_unit("m"));
    const SurfaceMesh surface = meshed(domain, 0.06);
    // By default the fluid alone.
    for (const auto& [in, names] : {std::pair{std::vector<std::string>{}, std::set<std::string>{"air"}},
                                    std::pair{std::vector<std::string>{"brick"}, std::set<std::string>{"brick"}},
                                    std::pair{std::vector<std::string>{"*"}, std::set<std::string>{"air", "brick"}}}) {
        LayerRecipe r = recipe(0.004, 3, 1.2);
        for (const Zone& z : domain.boundary.zones)
            if (z.role == Role::interface_) r.on = {z.name, z.other_name};
        r.in = in;
        std::set<std::string> found;
        const Result result = layered(surface, 0.06, {r});
        for (const LayerFigures& f : assess(result.mesh).layers)
            if (f.full_area == f.area) found.insert(result.mesh.regions[f.region].name);
        EXPECT_EQ(found, names);
    }
}

TEST(Layers, FanOutRoundARazor) {
    // A thin rhombus in a box: round its two sharp edges and the four at their ends no column would see both sides.
    Surface tunnel = kit::box({-1.5, -1, -1}, {1.5, 1, 1.5}, "tunnel");
    tunnel.zones[0].role = Role::farfield;
    Surface razor = kit::prism({{-0.5, 0}, {0, -0.03}, {0.5, 0}, {0, 0.03}}, 0.5);
    razor.zones[0].name = "razor";
    const Surface both = joined({tunnel, kit::flipped(split_at_sharp_edges(razor, 40))});
    SizeOptions options;
    options.surface = options.largest = 0.3;
    options.refine = {{.name = "r", .on = {"razor*"}, .size = 0.06}};
    const Domain domain = kit::inside_of(both);
    const SizeField field = make_size_field(domain, options);
    const SurfaceMesh surface = mesh_surface(domain, field);
    const LayerStacks stacks = grow_layers(surface, field, {.recipes = {recipe(0.003, 5, 1.25)}});
    const VolumeMesh mesh = fill_with_layers(surface, stacks, field);
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_GT(std::count(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::hexahedron), 50);
    for (const LayerFigures& f : assess(mesh).layers) {
        EXPECT_EQ(f.full_area, f.area);
        EXPECT_GT(f.first_share_5, 0.99);
    }
    EXPECT_NEAR(assess(mesh).volume, examine(surface.surface).enclosed_volume, 1e-9);
}

TEST(Layers, EndInStepsWhereAZoneLeavesNoWay) {
    // A floor with layers up to another region only: columns beside that have none, and go up by one from edge to edge.
    Surface box =
        with_role(kit::box({0, 0, 0}, {1.2, 0.6, 0.6}), Role::symmetry, [](const Vec3& n) { return n.z > -0.5; });
    Surface sheet;
    sheet.points = {{0.6, 0, 0}, {0.6, 0.6, 0}, {0.6, 0.6, 0.6}, {0.6, 0, 0.6}};
    sheet.triangles = {{0, 1, 2}, {0, 2, 3}};
    sheet.zones = {{"sheet", Role::baffle}};
    sheet.zone_of = {0, 0};
    RegionRequest left, right;
    left.name = "left";
    left.inside = Vec3{0.3, 0.3, 0.3};
    right.name = "right";
    right.inside = Vec3{0.9, 0.3, 0.3};
    const Domain domain = choose_regions(divide_space(joined({box, sheet})), {left, right}, parse_length_unit("m"));
    const SurfaceMesh surface = meshed(domain, 0.05);
    LayerRecipe in_left = recipe(0.004, 4, 1.2);
    in_left.in = {"left"};
    const Result r = layered(surface, 0.05, {in_left});
    Index least = 9, most = 0;
    for (const LayerStacks::Column& c : r.stacks.columns) {
        least = std::min(least, c.count);
        most = std::max(most, c.count);
    }
    EXPECT_EQ(least, 0U);
    EXPECT_EQ(most, 4U);
    for (const LayerStacks::Face& f : r.stacks.faces)
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = r.stacks.columns[f.columns[k]].count, b = r.stacks.columns[f.columns[(k + 1) % 3]].count;
            EXPECT_LE(std::max(a, b) - std::min(a, b), 1U);
        }
    ASSERT_FALSE(r.stacks.zones.empty());
    ASSERT_FALSE(r.stacks.zones[0].shortfalls.empty());
    EXPECT_EQ(r.stacks.zones[0].shortfalls[0].limit, LayerLimit::corner_of_zone);
    EXPECT_NEAR(r.stacks.zones[0].shortfalls[0].at.x, 0.6, 0.3);
    EXPECT_GT(std::count(r.mesh.cell_types.begin(), r.mesh.cell_types.end(), CellType::pyramid), 10);
    EXPECT_NEAR(assess(r.mesh).volume, 1.2 * 0.6 * 0.6, 1e-12);
}

TEST(Layers, GoOnBehindAnInterfaceASheetAndABaffle) {
    // A tube with walls all round, and something across it that has no layers; its ends have none, either.
    const Surface tube = with_role(kit::box({0, 0, 0}, {1.2, 0.6, 0.6}), Role::symmetry,
                                   [](const Vec3& n) { return std::abs(n.x) > 0.5; });
    Surface across;
    across.points = {{0.5, 0, 0}, {0.6, 0.6, 0}, {0.6, 0.6, 0.6}, {0.5, 0, 0.6}};
    across.triangles = {{0, 1, 2}, {0, 2, 3}};
    across.zone_of = {0, 0};
    for (const Role role : {Role::interface_, Role::inner, Role::baffle}) {
        across.zones = {{"across", role}};
        RegionRequest left, right;
        left.inside = Vec3{0.3, 0.3, 0.3};
        right.inside = Vec3{0.9, 0.3, 0.3};
        right.name = "right";
        SpaceOptions options;
        Domain domain;
        if (role == Role::inner) {
            options.dividers = {{across}};
            domain = choose_regions(divide_space(tube, {}, options), {left}, parse_length_unit("m"));
        } else {
            domain = choose_regions(divide_space(joined({tube, across})), {left, right}, parse_length_unit("m"));
            if (role == Role::baffle)
                for (Zone& z : domain.boundary.zones)
                    if (z.name == "across") z.role = role;
        }
        const SurfaceMesh surface = meshed(domain, 0.05);
        const Result r = layered(surface, 0.05, {recipe(0.004, 4, 1.2, {"box*"})});
        for (const LayerStacks::Column& c : r.stacks.columns) EXPECT_EQ(c.count, 4U) << role_name(role);
        for (const ZoneLayers& z : r.stacks.zones) EXPECT_NEAR(z.full_area, z.area, 1e-9) << role_name(role);
        EXPECT_NEAR(assess(r.mesh).volume, 1.2 * 0.6 * 0.6, 1e-12);
        double area = 0;
        for (const BoundaryZone& z : r.mesh.zones) {
            if (z.name != "across") continue;
            EXPECT_EQ(z.first_face < r.mesh.n_inner_faces(), role != Role::baffle);
            for (std::size_t f = z.first_face; f < z.first_face + z.n_faces; ++f) {
                const auto p = r.mesh.face(f);
                for (std::size_t k = 1; k + 1 < p.size(); ++k)
                    area += triangle_area(r.mesh.points[p[0]], r.mesh.points[p[k]], r.mesh.points[p[k + 1]]);
            }
        }
        EXPECT_NEAR(area, (role == Role::baffle ? 2 : 1) * 0.6 * std::hypot(0.1, 0.6), 1e-9);
        const VolumeMesh polyhedra = [&] {
            FillOptions fill;
            fill.cells = FillCells::polyhedra;
            return fill_with_layers(surface, r.stacks, sizes_of(surface, 0.05), fill, {}, nullptr);
        }();
        EXPECT_EQ(find_faults(polyhedra), std::vector<std::string>{}) << role_name(role);
    }
}

TEST(Layers, StandOnBothSidesOfABaffleAndOfAnInterface) {
    Surface box = kit::box({0, 0, 0}, {1, 0.8, 0.6});
    box.zones[0].role = Role::symmetry;
    for (const bool is_baffle : {true, false}) {
        // In the middle of the box, or from wall to wall.
        const double inset = is_baffle ? 0.25 : 0;
        Surface sheet;
        sheet.points = {
            {0.5, inset, inset}, {0.5, 0.8 - inset, inset}, {0.5, 0.8 - inset, 0.6 - inset}, {0.5, inset, 0.6 - inset}};
        sheet.triangles = {{0, 1, 2}, {0, 2, 3}};
        sheet.zones = {{"sheet", is_baffle ? Role::baffle : Role::wall}};
        sheet.zone_of = {0, 0};
        std::vector<RegionRequest> regions(is_baffle ? 1 : 2);
        regions[0].name = "one";
        regions[0].inside = Vec3{0.25, 0.4, 0.3};
        if (!is_baffle) {
            regions[1].name = "two";
            regions[1].inside = Vec3{0.75, 0.4, 0.3};
        }
        const Domain domain = choose_regions(divide_space(joined({split_at_sharp_edges(box, 40), sheet})), regions,
                                             parse_length_unit("m"));
        const SurfaceMesh surface = meshed(domain, 0.05);
        const Result r = layered(surface, 0.05, {recipe(0.003, 4, 1.25, {"sheet*"})});
        double area = 0, full = 0;
        for (const ZoneLayers& z : r.stacks.zones) {
            area += z.area;
            full += z.full_area;
        }
        EXPECT_NEAR(area, 2 * (0.8 - 2 * inset) * (0.6 - 2 * inset), 1e-9);
        EXPECT_GT(full, 0.999 * area);
        EXPECT_NEAR(assess(r.mesh).volume, 0.48, 1e-12);
    }
}

TEST(Layers, OfDifferentRecipesGoOverIntoEachOther) {
    Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 0.6}), 40);
    for (Zone& z : box.zones) z.role = Role::symmetry;
    // The floor in two halves, with stacks of different heights.
    for (Index t = 0; t < box.triangles.size(); ++t)
        box.zones[box.zone_of[t]].name = "side-" + std::to_string(box.zone_of[t]);
    Surface halves = box;
    std::vector<Index> floor;
    for (Index t = 0; t < box.triangles.size(); ++t)
        if (normalized(triangle_normal(box.corner(t, 0), box.corner(t, 1), box.corner(t, 2))).z < -0.5)
            floor.push_back(t);
    ASSERT_EQ(floor.size(), 2U);
    halves.zones.push_back({"low", Role::wall});
    halves.zones.push_back({"high", Role::wall});
    halves.zone_of[floor[0]] = 6;
    halves.zone_of[floor[1]] = 7;
    const SurfaceMesh surface = meshed(kit::inside_of(halves), 0.05);
    const Result r = layered(surface, 0.05, {recipe(0.002, 5, 1.2, {"low"}), recipe(0.004, 5, 1.2, {"high"})});
    // From edge to edge the first height changes by less than the recipes differ.
    std::set<double> firsts;
    double largest_jump = 1;
    for (const LayerStacks::Face& f : r.stacks.faces)
        for (std::size_t k = 0; k < 3; ++k) {
            const auto &a = r.stacks.columns[f.columns[k]], &b = r.stacks.columns[f.columns[(k + 1) % 3]];
            const double ha = r.stacks.levels[a.first].z, hb = r.stacks.levels[b.first].z;
            largest_jump = std::max(largest_jump, ha / hb);
        }
    EXPECT_LT(largest_jump, 1.45);
    for (const LayerFigures& f : assess(r.mesh).layers) {
        EXPECT_EQ(f.most, 5U);
        EXPECT_EQ(f.full_area, f.area);
        EXPECT_NEAR(f.first_median, surface.surface.zones[f.zone].name == "low" ? 0.002 : 0.004, 2e-4);
    }
}

TEST(Layers, ShareANarrowGapWithTheCore) {
    // Two plates so near that the stacks have to be squeezed, and nearer still, so that they lose layers.
    for (const auto& [gap, full] : {std::pair{0.2, true}, std::pair{0.1, true}, std::pair{0.062, false}}) {
        SCOPED_TRACE(gap);
        const Surface slot = with_role(kit::box({0, 0, 0}, {1, 1, gap}), Role::symmetry,
                                       [](const Vec3& n) { return std::abs(n.z) < 0.5; });
        const SurfaceMesh surface = meshed(kit::inside_of(slot), 0.03);
        const Result r = layered(surface, 0.03, {recipe(0.002, 6, 1.3)});
        for (const ZoneLayers& z : r.stacks.zones) {
            EXPECT_EQ(z.full_area > 0.999 * z.area, full);
            EXPECT_EQ(z.shortfalls.empty(), gap > 0.15);
            if (!z.shortfalls.empty()) {
                EXPECT_EQ(z.shortfalls[0].limit, LayerLimit::narrow_gap);
            }
        }
        // Two core cells are left between the tops; a squeezed stack keeps its first height as long as it can.
        double top = 0;
        for (const LayerStacks::Column& c : r.stacks.columns) {
            const Vec3& p = surface.surface.points[c.point];
            if (c.count > 0 && p.z == 0) top = std::max(top, r.stacks.levels[c.first + c.count - 1].z);
        }
        EXPECT_LT(2 * top, gap - 0.03);
        if (gap == 0.1) {
            EXPECT_GT(assess(r.mesh).layers[0].first_share_2, 0.99);
        }
    }
}

TEST(Layers, OfAnyBumpyBodyAreValidAndTheSameOnAnyNumberOfThreads) {
    for (const unsigned seed : {1U, 2U, 3U}) {
        SCOPED_TRACE(seed);
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(-1, 1);
        // A ball with dents and bumps of all sizes, and corners where they meet.
        std::vector<std::pair<Vec3, double>> bumps;
        for (int i = 0; i < 12; ++i)
            bumps.emplace_back(normalized({unit(random), unit(random), unit(random)}), 0.35 * unit(random));
        Surface body = kit::sphere({0, 0, 0}, 1, 4);
        for (Vec3& p : body.points) {
            double r = 1;
            for (const auto& [at, height] : bumps) r += height * std::max(0.0, 1 - 2.2 * distance(at, p));
            p = p * r;
        }
        const SurfaceMesh surface = meshed(kit::inside_of(body), 0.12);
        const Result one = layered(surface, 0.12, {recipe(0.01, 5, 1.3)}, 1);
        EXPECT_NEAR(assess(one.mesh).volume, examine(surface.surface).enclosed_volume, 1e-9);
        EXPECT_GT(one.stacks.zones[0].full_area, 0.9 * one.stacks.zones[0].area);
        for (const int threads : {2, 7}) {
            const Result other = layered(surface, 0.12, {recipe(0.01, 5, 1.3)}, threads);
            EXPECT_EQ(other.mesh.points, one.mesh.points);
            EXPECT_EQ(other.mesh.cell_points, one.mesh.cell_points);
            EXPECT_EQ(other.mesh.face_points, one.mesh.face_points);
        }
    }
}

/// The inside of a tetrahedron cut into tetrahedra by one more point on its boundary: on an edge, or on a face.
fill::FilledCore tetrahedron_with_point(const SurfaceMesh& core, const AddedBoundaryPoint& added) {
    fill::FilledCore out;
    out.cells.points = core.surface.points;
    out.cells.points.push_back(added.place);
    out.cells.regions = core.regions;
    out.cells.zones = core.surface.zones;
    out.number_of = {0, 1, 2, 3};
    for (Index t = 0; t < 4; ++t) {
        const Triangle& c = core.surface.triangles[t];
        // Of a face that has the point among its corners or on it: its parts; else a cell from the point to it.
        bool is_at_point = true;
        for (std::size_t k = 0; k < 3; ++k)
            if (added.corners[k] != kNone) is_at_point &= std::find(c.begin(), c.end(), added.corners[k]) != c.end();
        if (!is_at_point) {
            for (const Index p : {c[0], c[2], c[1], Index{4}}) out.cells.cell_points.push_back(p);
            out.cells.cell_types.push_back(CellType::tetrahedron);
            out.cells.cell_offsets.push_back(out.cells.cell_points.size());
            out.cells.cell_region.push_back(0);
        }
        for (std::size_t k = 0; k < (is_at_point ? 3U : 1U); ++k) {
            Triangle part = c;
            if (is_at_point) {
                const auto is_of_edge = [&](Index p) {
                    return added.corners[2] == kNone && (p == added.corners[0] || p == added.corners[1]);
                };
                if (is_of_edge(c[k]) && is_of_edge(c[(k + 1) % 3])) continue;  // the point lies on this side
                part = {c[k], c[(k + 1) % 3], 4};
            }
            out.cells.boundary_points.insert(out.cells.boundary_points.end(), part.begin(), part.end());
            out.cells.boundary_offsets.push_back(out.cells.boundary_points.size());
            out.cells.boundary_zone.push_back(core.surface.zone_of[t]);
            out.parent.push_back(t);
        }
    }
    return out;
}

TEST(Layers, TakeUpPointsThatTheFillHasToLeaveOnTheirTops) {
    Surface s;
    s.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    s.triangles = {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}};
    s.zones = {{"wall"}};
    s.zone_of = {0, 0, 0, 0};
    const SurfaceMesh wall = kit::as_mesh(s);
    LayerRecipe thin = recipe(0.0005, 3, 1.2);
    thin.gap_cells = 0.01;
    const LayerStacks stacks = grow_layers(wall, sizes_of(wall, 1), {.recipes = {thin}});
    ASSERT_EQ(stacks.core.surface.triangles.size(), 4U);
    for (const bool is_on_edge : {true, false}) {
        const Triangle& c = stacks.core.surface.triangles[2];
        const auto& p = stacks.core.surface.points;
        AddedBoundaryPoint added{{}, 2, {c[0], c[1], is_on_edge ? kNone : c[2]}, {0.4, 0.6, 0}};
        if (!is_on_edge) added.weights = {0.3, 0.3, 0.4};
        for (std::size_t k = 0; k < (is_on_edge ? 2U : 3U); ++k) added.place += p[added.corners[k]] * added.weights[k];
        const VolumeMesh mesh =
            assemble_mesh(fill::with_layer_cells(wall, stacks, tetrahedron_with_point(stacks.core, added), {added}));
        EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
        EXPECT_NEAR(assess(mesh).volume, 1.0 / 6, 1e-12);
        EXPECT_EQ(std::count(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::prism), 3 * 6);
        // The wall has the point too, in the same share of its edge or face.
        const auto at = std::count_if(mesh.points.begin(), mesh.points.end(), [&](const Vec3& q) {
            const Triangle& w = s.triangles[2];
            Vec3 expected{};
            for (std::size_t k = 0; k < 3; ++k)
                for (std::size_t j = 0; j < 3; ++j)
                    if (added.corners[k] != kNone && distance(p[added.corners[k]], s.points[w[j]]) < 0.1)
                        expected += s.points[w[j]] * added.weights[k];
            return distance(q, expected) < 1e-12;
        });
        EXPECT_EQ(at, 1);
    }
}

TEST(Layers, FollowTheSizeWhereTheRecipeTiesThemToIt) {
    const Surface box =
        with_role(kit::box({0, 0, 0}, {2, 1, 1}), Role::symmetry, [](const Vec3& n) { return n.z > -0.5; });
    const Domain domain = kit::inside_of(box);
    SizeOptions options;
    options.surface = options.largest = 0.16;
    options.refine = {{.name = "p", .points = {{0, 0.5, 0}}, .size = 0.03}};
    const SizeField field = make_size_field(domain, options);
    const SurfaceMesh surface = mesh_surface(domain, field);
    LayerRecipe r;
    r.first_flatness = 10;
    r.count = 4;
    r.growth = 1.2;
    const LayerStacks stacks = grow_layers(surface, field, {.recipes = {r}});
    for (const LayerStacks::Column& c : stacks.columns) {
        const Vec3& p = surface.surface.points[c.point];
        EXPECT_NEAR(stacks.levels[c.first].z, field.at(p) / 10, 1e-9);
    }
    EXPECT_EQ(find_faults(fill_with_layers(surface, stacks, field)), std::vector<std::string>{});
}

TEST(Layers, SayWhatIsWrongWithARequest) {
    const SurfaceMesh surface = kit::as_mesh(kit::sphere({0, 0, 0}, 1, 3));
    const SizeField field = sizes_of(surface, 0.2);
    auto message = [&](LayerRecipe r) {
        r.line = 7;
        return kit::message_of<InputError>([&] { grow_layers(surface, field, {.recipes = {r}}); });
    };
    EXPECT_EQ(message(recipe(0.01, 3, 1.2, {"lid*"})), "line 7: [[layers]]: \"lid*\" fits no zone; there are ball");
    LayerRecipe in = recipe(0.01, 3, 1.2);
    in.in = {"brick"};
    EXPECT_EQ(message(in), "line 7: [[layers]]: \"brick\" fits no region; there are fluid");
    EXPECT_NE(message(recipe(1, 5, 1.2)).find("more than the whole model"), std::string::npos);
    EXPECT_NE(message(recipe(0.01, 0, 1.2)).find("number of layers"), std::string::npos);
    LayerRecipe y_plus = recipe(0.01, 3, 1.2);
    y_plus.first_height.reset();
    y_plus.y_plus = 1;
    EXPECT_NE(message(y_plus).find("needs the flow"), std::string::npos);
    LayerRecipe low = recipe(0.01, 3, 1.2);
    low.growth.reset();
    low.total_height = 0.02;
    EXPECT_NE(message(low).find("no growing layers"), std::string::npos);
    LayerRecipe squeeze = recipe(0.01, 3, 1.2);
    squeeze.squeeze_to = 0;
    EXPECT_NE(message(squeeze).find("squeeze_to is 0"), std::string::npos);
}

TEST(Layers, MostNormalIsNoWorseThanAnyDirection) {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> unit(-1, 1);
    for (int round = 0; round < 200; ++round) {
        std::vector<Vec3> normals;
        const std::size_t n = 1 + static_cast<std::size_t>(round) % 12;
        while (normals.size() < n) {
            const Vec3 v = normalized({unit(random), unit(random), 0.3 + unit(random)});
            if (v.z > 0) normals.push_back(v);
        }
        auto least = [&](const Vec3& d) {
            double l = 1;
            for (const Vec3& m : normals) l = std::min(l, dot(d, m));
            return l;
        };
        const double found = least(layers::most_normal(normals));
        for (int k = 0; k < 300; ++k)
            EXPECT_GE(found, least(normalized({unit(random), unit(random), unit(random)})) - (n > 8 ? 0.02 : 1e-12));
    }
}

TEST(LayerStack, IsSqueezedByItsGrowthFirst) {
    LayerRecipe r = recipe(0.01, 5, 1.3);
    r.plateau = 2;
    const LayerStack s = solve_stack(r, 1);
    EXPECT_NEAR(s.total, 0.01 * (2 + 1.3 + 1.69 + 2.197), 1e-15);
    EXPECT_NEAR(s.last, 0.01 * 2.197, 1e-15);
    const LayerStack fits = squeezed(s, 5, 1), less = squeezed(s, 5, 0.06), flat = squeezed(s, 5, 0.03),
                     few = squeezed(s, 3, 1);
    EXPECT_EQ(fits.total, s.total);
    EXPECT_EQ(less.first, 0.01);
    EXPECT_NEAR(less.total, 0.06, 1e-12);
    EXPECT_LT(less.growth, 1.3);
    EXPECT_EQ(flat.growth, 1);
    EXPECT_NEAR(flat.first, 0.006, 1e-15);
    EXPECT_NEAR(few.total, 0.01 * 3.3, 1e-15);
}

TEST(LayerStack, WithEqualFirstLayersSolvesForAnyThreeConditions) {
    LayerRecipe all = recipe(0.01, 7, 1.2);
    all.plateau = 3;
    const LayerStack s = solve_stack(all, 1);
    auto same = [&](LayerRecipe r) {
        r.plateau = 3;
        const LayerStack t = solve_stack(r, 1);
        EXPECT_EQ(t.count, 7);
        EXPECT_NEAR(t.first, s.first, 1e-9);
        EXPECT_NEAR(t.growth, s.growth, 1e-6);
        EXPECT_NEAR(t.total, s.total, 1e-7);
        EXPECT_NEAR(t.last, s.last, 1e-7);
    };
    LayerRecipe r;
    r.count = 7, r.growth = 1.2, r.total_height = s.total;
    same(r);
    r = {}, r.count = 7, r.growth = 1.2, r.last_height = s.last;
    same(r);
    r = {}, r.count = 7, r.first_height = s.first, r.total_height = s.total;
    same(r);
    r = {}, r.count = 7, r.last_height = s.last, r.total_height = s.total;
    same(r);
    r = {}, r.first_height = s.first, r.growth = 1.2, r.total_height = s.total;
    same(r);
    r = {}, r.first_height = s.first, r.growth = 1.2, r.last_height = s.last;
    same(r);
    r = {}, r.growth = 1.2, r.total_height = s.total, r.last_height = s.last;
    same(r);
    r = {}, r.first_height = s.first, r.total_height = s.total, r.last_height = s.last;
    same(r);
}

TEST(Layers, GrowInATubeOfUnsizedNeedles) {
    const Surface tube = kit::pipe(0.9, 1, 4, 28);
    const Result r = layered(kit::as_mesh(tube), 0.3, {recipe(0.004, 3, 1.2)});
    EXPECT_NEAR(assess(r.mesh).volume, examine(tube).enclosed_volume, 1e-9);
}

TEST(Layers, LeaveBallsBareThatTheyAreToldOf) {
    const SurfaceMesh surface = meshed(kit::inside_of(kit::sphere({0, 0, 0}, 1, 4)), 0.2);
    const SizeField field = sizes_of(surface, 0.2);
    const Ball bare{{0, 0, 1}, 0.5};
    const LayerStacks stacks = grow_layers(surface, field, {.recipes = {recipe(0.01, 3, 1.2)}, .bare = {bare}});
    std::size_t n_bare = 0, n_full = 0;
    for (const LayerStacks::Column& c : stacks.columns) {
        const bool is_within = distance(surface.surface.points[c.point], bare.center) <= bare.radius;
        if (is_within) {
            EXPECT_EQ(c.count, 0U);
        }
        n_bare += is_within ? 1 : 0;
        n_full += c.count == 3 ? 1 : 0;
    }
    EXPECT_GT(n_bare, 10U);
    EXPECT_GT(n_full, 4 * n_bare);
    ASSERT_FALSE(stacks.zones.empty());
    const auto& shortfalls = stacks.zones[0].shortfalls;
    EXPECT_TRUE(std::any_of(shortfalls.begin(), shortfalls.end(),
                            [](const ZoneLayers::Shortfall& s) { return s.limit == LayerLimit::fill; }));
    EXPECT_EQ(find_faults(fill_with_layers(surface, stacks, field)), std::vector<std::string>{});
}

TEST(Layers, GrownAgainBeginFromTheRoomsFoundBefore) {
    const SurfaceMesh surface = meshed(kit::inside_of(kit::sphere({0, 0, 0}, 1, 4)), 0.2);
    const SizeField field = sizes_of(surface, 0.2);
    LayerRequest request{.recipes = {recipe(0.01, 3, 1.2)}};
    LayerStacks first = grow_layers(surface, field, request);
    // A column that lost room for whatever reason does not get it back.
    const std::size_t low = first.columns.size() / 2;
    first.columns[low].room = 0;
    request.bare = {{{0, 0, 1}, 0.5}};
    const LayerStacks again = grow_layers(surface, field, request, {}, &first);
    EXPECT_EQ(again.columns[low].count, 0U);
    std::size_t n_bare = 0, n_full = 0;
    for (const LayerStacks::Column& c : again.columns) {
        const bool is_within = distance(surface.surface.points[c.point], {0, 0, 1}) <= 0.5;
        EXPECT_TRUE(!is_within || c.count == 0);
        n_bare += is_within ? 1 : 0;
        n_full += c.count == 3 ? 1 : 0;
    }
    EXPECT_GT(n_full, 4 * n_bare);
    EXPECT_EQ(find_faults(fill_with_layers(surface, again, field)), std::vector<std::string>{});
}

TEST(Layers, ThatWouldTurnOverAreNoCells) {
    const SurfaceMesh surface = meshed(kit::inside_of(kit::sphere({0, 0, 0}, 1, 4)), 0.2);
    const SizeField field = sizes_of(surface, 0.2);
    LayerStacks stacks = grow_layers(surface, field, {.recipes = {recipe(0.01, 3, 1.2)}});
    const LayerStacks::Column& column = stacks.columns[10];
    ASSERT_EQ(column.count, 3U);
    // Its first level, aside by two edges; what the core meets stays where it is.
    Vec3& level = stacks.levels[column.first];
    const Vec3 place = level;
    level += 0.4 * normalized(cross(level, Vec3{1, 2, 3}));
    try {
        fill_with_layers(surface, stacks, field);
        ADD_FAILURE() << "nothing was said";
    } catch (const FillObstacle& e) {
        ASSERT_FALSE(e.places().empty());
        for (const Vec3& p : e.places()) EXPECT_LT(distance(p, place), 1);
    }
}

}  // namespace
}  // namespace anvilcast
