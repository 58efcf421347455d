// Polyhedra: what they are made of, what they keep, and what a solver makes of them.

#include <gtest/gtest.h>
#include <anvilcast/anvilcast.hpp>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <numeric>
#include <set>

#include "kit/finite_volumes.hpp"
#include "kit/shapes.hpp"
#include "poly/merge.hpp"

namespace anvilcast {
namespace {

struct Pair {
    VolumeMesh tetrahedra, polyhedra;
};

/// The same core both ways; with layers when there are recipes.
Pair both(const Domain& domain, double size, const std::vector<LayerRecipe>& recipes = {}, int threads = 0) {
    SizeOptions options;
    options.surface = options.largest = size;
    const SizeField sizes = make_size_field(domain, options);
    const SurfaceMesh surface = mesh_surface(domain, sizes);
    Context context;
    context.threads = threads;
    Pair out;
    if (recipes.empty()) {
        out.tetrahedra = fill_with_tetrahedra(surface, sizes, {}, context);
        out.polyhedra = fill_with_polyhedra(surface, sizes, {}, context);
    } else {
        const LayerStacks stacks = grow_layers(surface, sizes, {.recipes = recipes}, context);
        out.tetrahedra = fill_with_layers(surface, stacks, sizes, {}, context);
        FillOptions polyhedra;
        polyhedra.cells = FillCells::polyhedra;
        out.polyhedra = fill_with_layers(surface, stacks, sizes, polyhedra, context);
    }
    EXPECT_EQ(find_faults(out.polyhedra), std::vector<std::string>{});
    return out;
}

LayerRecipe stack(double first, int count, double growth) {
    LayerRecipe r;
    r.first_height = first;
    r.count = count;
    r.growth = growth;
    return r;
}

/// What any mesh of polyhedra must be beside valid: no polyhedron with fewer than four faces, no face with fewer than
/// three points or with one twice, no two faces alike, linear fields exact, closed to rounding.
void expect_sound(const VolumeMesh& mesh) {
    std::vector<int> n_faces(mesh.n_cells(), 0);
    std::set<std::vector<Index>> seen;
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        std::vector<Index> p(mesh.face(f).begin(), mesh.face(f).end());
        std::sort(p.begin(), p.end());
        ASSERT_GE(p.size(), 3U);
        ASSERT_EQ(std::adjacent_find(p.begin(), p.end()), p.end());
        ASSERT_TRUE(seen.insert(p).second);
        ++n_faces[mesh.owner[f]];
        if (f < mesh.n_inner_faces()) ++n_faces[mesh.neighbour[f]];
    }
    EXPECT_GE(*std::min_element(n_faces.begin(), n_faces.end()), 4);
    EXPECT_LT(kit::Cells(mesh).worst_gap, 1e-12);
    EXPECT_LT(kit::linear_gradient_error(mesh), 1e-10);
}

double worst_visibility(const VolumeMesh& mesh) { return assess(mesh).metric("visibility").min; }

TEST(Polyhedra, KeepABoxToTheLastBit) {
    const Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 0.8, 0.6}), 40);
    const Pair m = both(kit::inside_of(box), 0.09);
    expect_sound(m.polyhedra);
    const double share = static_cast<double>(m.polyhedra.n_cells()) / static_cast<double>(m.tetrahedra.n_cells());
    EXPECT_GT(share, 1.0 / 6);
    EXPECT_LT(share, 1.0 / 4);
    const QualityReport q = assess(m.polyhedra), t = assess(m.tetrahedra);
    EXPECT_NEAR(q.volume, 0.48, 1e-12);
    for (std::size_t z = 0; z < 6; ++z) EXPECT_NEAR(q.zone_areas[z], t.zone_areas[z], 1e-12);
    for (const double x : {0.0, 1.0})
        for (const double y : {0.0, 0.8})
            for (const double z : {0.0, 0.6})
                EXPECT_EQ(std::count(m.polyhedra.points.begin(), m.polyhedra.points.end(), Vec3{x, y, z}), 1);
    // Boundary faces lie in one side of the box each.
    for (std::size_t f = m.polyhedra.n_inner_faces(); f < m.polyhedra.n_faces(); ++f) {
        int n_sides = 0;
        for (const auto& [axis, at] : {std::pair{0, 0.0}, {0, 1.0}, {1, 0.0}, {1, 0.8}, {2, 0.0}, {2, 0.6}}) {
            const auto face = m.polyhedra.face(f);
            n_sides += std::all_of(face.begin(), face.end(),
                                   [&, axis = axis, at = at](Index p) { return m.polyhedra.points[p][axis] == at; });
        }
        ASSERT_EQ(n_sides, 1);
    }
    EXPECT_GT(worst_visibility(m.polyhedra), 0);
    EXPECT_LT(q.metric("non-orthogonality").mean, 8);
    EXPECT_LT(q.metric("non-orthogonality").max, 65.001);
    EXPECT_GT(q.metric("orthogonality").min, 0.2);
    EXPECT_LT(q.metric("volume ratio").p99, 3);
    EXPECT_TRUE(q.is_fit) << q.verdict;
}

TEST(Polyhedra, WithoutVolumeBecomeOneWithANeighbour) {
    VolumeMesh mesh =
        both(kit::inside_of(split_at_sharp_edges(kit::box({0, 0, 0}, {1, 0.8, 0.6}), 40)), 0.15).polyhedra;
    const std::size_t n = mesh.n_cells();
    EXPECT_EQ(poly::merge_unsound(mesh), 0U);
    // A point of an inner face, pulled through the cells about it.
    const std::size_t f = mesh.n_inner_faces() / 2;
    const Index p = mesh.face(f)[0];
    mesh.points[p] += 60.0 * (mesh.points[mesh.face(f)[1]] - mesh.points[p]);
    ASSERT_NE(find_faults(mesh), std::vector<std::string>{});
    auto n_zone_faces = [&mesh] {
        return std::accumulate(mesh.zones.begin(), mesh.zones.end(), std::size_t{0},
                               [](std::size_t sum, const BoundaryZone& z) { return sum + z.n_faces; });
    };
    const std::size_t n_before = n_zone_faces();
    const std::size_t merged = poly::merge_unsound(mesh);
    EXPECT_GT(merged, 0U);
    EXPECT_EQ(mesh.n_cells(), n - merged);
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_EQ(n_zone_faces(), n_before);
}

TEST(Polyhedra, ThatTouchThemselvesAlongAnEdgeBecomeOneWithANeighbour) {
    // Four cubes round an edge, two of which, not side by side, are one polyhedron.
    auto point = [](unsigned i, unsigned j, unsigned k) { return i + 3 * j + 9 * k; };
    auto cell = [](unsigned i, unsigned j) { return i == j ? Index{0} : i > j ? Index{1} : Index{2}; };
    FacesOfPolyhedra m;
    for (unsigned k = 0; k < 2; ++k)
        for (unsigned j = 0; j < 3; ++j)
            for (unsigned i = 0; i < 3; ++i) m.points.push_back({double(i), double(j), double(k)});
    auto add = [&m](const std::array<Index, 4>& face, Index owner, Index neighbour) {
        m.face_points.insert(m.face_points.end(), face.begin(), face.end());
        m.face_offsets.push_back(m.face_points.size());
        m.owner.push_back(owner);
        m.neighbour.push_back(neighbour);
        m.face_zone.push_back(neighbour == kNone ? 0 : kNone);
    };
    for (unsigned j = 0; j < 2; ++j)
        for (unsigned i = 0; i < 2; ++i) {
            const Index c = cell(i, j);
            add({point(i, j, 0), point(i, j + 1, 0), point(i + 1, j + 1, 0), point(i + 1, j, 0)}, c, kNone);
            add({point(i, j, 1), point(i + 1, j, 1), point(i + 1, j + 1, 1), point(i, j + 1, 1)}, c, kNone);
            add({point(i + 1, j, 0), point(i + 1, j + 1, 0), point(i + 1, j + 1, 1), point(i + 1, j, 1)}, c,
                i == 0 ? cell(1, j) : kNone);
            add({point(i, j + 1, 0), point(i, j + 1, 1), point(i + 1, j + 1, 1), point(i + 1, j + 1, 0)}, c,
                j == 0 ? cell(i, 1) : kNone);
            if (i == 0) add({point(0, j, 0), point(0, j, 1), point(0, j + 1, 1), point(0, j + 1, 0)}, c, kNone);
            if (j == 0) add({point(i, 0, 0), point(i + 1, 0, 0), point(i + 1, 0, 1), point(i, 0, 1)}, c, kNone);
        }
    m.cell_region = {0, 0, 0};
    m.zones = {{"wall"}};
    m.regions = {{"air"}};
    VolumeMesh mesh = assemble_polyhedra(std::move(m));
    ASSERT_NE(find_faults(mesh), std::vector<std::string>{});
    EXPECT_EQ(poly::merge_unsound(mesh), 1U);
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_EQ(mesh.n_cells(), 2U);
    EXPECT_NEAR(assess(mesh).volume, 4, 1e-12);
}

TEST(Polyhedra, StayNearACurvedSurface) {
    const Surface ball = kit::sphere({0.1, 0.2, 0.3}, 1, 4);
    const Pair m = both(kit::inside_of(ball), 0.12);
    expect_sound(m.polyhedra);
    EXPECT_GT(worst_visibility(m.polyhedra), 0);
    // A chord of 0.12 on a radius of 1 is 0.0018 below it.
    for (std::size_t f = m.polyhedra.n_inner_faces(); f < m.polyhedra.n_faces(); ++f)
        for (const Index p : m.polyhedra.face(f))
            EXPECT_NEAR(distance(m.polyhedra.points[p], {0.1, 0.2, 0.3}), 1, 0.006);
}

/// A room with a block standing on its floor and a sheet hanging in it.
Surface furnished_room() {
    Surface room = split_at_sharp_edges(kit::box({0, 0, 0}, {2, 1.5, 1}, "room"), 40);
    Surface sheet;
    sheet.points = {{0.3, 0.4, 0.5}, {0.7, 0.4, 0.5}, {0.7, 1.0, 0.5}, {0.3, 1.0, 0.5}};
    sheet.triangles = {{0, 1, 2}, {0, 2, 3}};
    sheet.zone_of = {0, 0};
    sheet.zones = {{"sheet", Role::baffle}};
    return joined({room, split_at_sharp_edges(kit::box({1.1, 0.5, 0}, {1.6, 1, 0.4}, "block"), 40), sheet});
}

Domain furnished(bool with_block) {
    const Space space = divide_space(furnished_room());
    RegionRequest air, block;
    air.name = "air";
    air.inside = Vec3{0.2, 0.2, 0.8};
    block.name = "block";
    block.kind = RegionKind::solid;
    block.inside = Vec3{1.35, 0.75, 0.2};
    return choose_regions(space, with_block ? std::vector{air, block} : std::vector{air}, LengthUnit{"m", 1});
}

TEST(Polyhedra, DivideWhereWallsStandOut) {
    const Pair m = both(furnished(false), 0.11);
    expect_sound(m.polyhedra);
    EXPECT_NEAR(assess(m.polyhedra).volume, 2 * 1.5 * 1 - 0.5 * 0.5 * 0.4, 1e-12);
    // Neither the corners of the block nor the free edges of the sheet leave a polyhedron concave, but for a hair at a
    // corner of the sheet, round which there is nothing to move.
    EXPECT_GT(worst_visibility(m.polyhedra), -0.02);
    EXPECT_GT(assess(m.polyhedra).metric("visibility").p1, 0.2);
    EXPECT_GT(assess(m.polyhedra).metric("orthogonality").min, 0.1);
}

TEST(Polyhedra, FitTogetherBetweenRegions) {
    const Pair m = both(furnished(true), 0.11);
    expect_sound(m.polyhedra);
    const QualityReport q = assess(m.polyhedra), t = assess(m.tetrahedra);
    ASSERT_EQ(q.region_volumes.size(), 2U);
    for (std::size_t r = 0; r < 2; ++r) EXPECT_NEAR(q.region_volumes[r], t.region_volumes[r], 1e-12);
    std::size_t n_between = 0;
    for (std::size_t z = 0; z < m.polyhedra.zones.size(); ++z) {
        EXPECT_EQ(m.polyhedra.zones[z].name, m.tetrahedra.zones[z].name);
        EXPECT_NEAR(q.zone_areas[z], t.zone_areas[z], 1e-12);
        if (m.polyhedra.zones[z].role == Role::interface_) n_between += m.polyhedra.zones[z].n_faces;
    }
    EXPECT_EQ(n_between, m.polyhedra.n_inner_faces() - m.polyhedra.n_plain_faces());
    EXPECT_GT(n_between, 50U);
    EXPECT_GT(worst_visibility(m.polyhedra), 0);
}

TEST(Polyhedra, OfLayersArePrismsOnTheWall) {
    Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 0.8}), 40);
    for (Zone& z : box.zones) z.role = Role::symmetry;
    std::size_t floor = 0;
    for (Index t = 0; t < box.triangles.size(); ++t)
        if (triangle_normal(box.corner(t, 0), box.corner(t, 1), box.corner(t, 2)).z < -0.1) floor = box.zone_of[t];
    box.zones[floor].role = Role::wall;
    const Pair m = both(kit::inside_of(box), 0.1, {stack(0.004, 5, 1.2)});
    expect_sound(m.polyhedra);
    EXPECT_NEAR(assess(m.polyhedra).volume, 0.8, 1e-12);
    const std::vector<FaceLayers> on_faces = layers_on_faces(m.polyhedra);
    ASSERT_EQ(on_faces.size(), m.polyhedra.zones[floor].n_faces);
    double top = 0, height = 0.004;
    for (int k = 0; k < 5; ++k, height *= 1.2) top += height;
    for (const FaceLayers& f : on_faces) {
        EXPECT_EQ(f.count, 5U);
        EXPECT_NEAR(f.first, 0.004, 1e-9);
        EXPECT_NEAR(f.total, top, 1e-8);
        EXPECT_NEAR(f.growth, 1.2, 1e-6);
    }
    // One column for each polyhedron on the floor: as many as points of the floor's triangles.
    std::set<Index> on_floor;
    const BoundaryZone& zone = m.tetrahedra.zones[floor];
    for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f)
        for (const Index p : m.tetrahedra.face(f)) on_floor.insert(p);
    EXPECT_EQ(on_faces.size(), on_floor.size());
}

TEST(Polyhedra, OfLayersStandTheirGroundAtStepsFansAndInterfaces) {
    LayerRecipe on_all = stack(0.006, 4, 1.3);
    on_all.on = {"block*", "sheet"};
    for (const bool with_block : {false, true}) {
        const Pair m = both(furnished(with_block), 0.12, {on_all});
        expect_sound(m.polyhedra);
        const QualityReport q = assess(m.polyhedra), t = assess(m.tetrahedra);
        EXPECT_NEAR(q.volume, t.volume, 1e-12);
        for (std::size_t z = 0; z < q.zone_areas.size(); ++z) EXPECT_NEAR(q.zone_areas[z], t.zone_areas[z], 1e-12);
    }
    // A wedge leaves no room for whole stacks in its corner.
    const Pair m = both(kit::inside_of(split_at_sharp_edges(kit::wedge(25), 40)), 0.1, {stack(0.01, 5, 1.2)});
    expect_sound(m.polyhedra);
    EXPECT_NEAR(assess(m.polyhedra).volume, assess(m.tetrahedra).volume, 1e-12);
}

TEST(Polyhedra, GoRoundTheFreeEdgesOfSheetsThroughInterfaces) {
    LayerRecipe on_floor = stack(0.01, 3, 1.3);
    on_floor.on = {"box*"};
    for (const double off : {0.0, 0.21, 0.33})
        for (const bool has_layers : {false, true}) {
            Surface sheet = rectangle_surface({0.9, off, 0.45}, {0, 0, 1}, {0, 1, 0}, 1.1, 0.5, "sheet");
            sheet.zones[0].role = Role::inner;
            SpaceOptions options;
            options.dividers = {{cone_surface({0, 0, -1}, {0, 0, 2}, 0.6, 0.6, "x"), "drum"}, {sheet}};
            const Surface box = split_at_sharp_edges(kit::box({-1, -1, 0}, {1, 1, 0.9}, "box"), 40);
            const Domain d = choose_regions(divide_space(box, {}, options),
                                            {{.name = "air", .inside = Vec3{0.9, 0.9, 0.1}}}, LengthUnit{"m", 1});
            ASSERT_EQ(d.regions.size(), 2U);
            const Pair m = both(d, 0.12, has_layers ? std::vector{on_floor} : std::vector<LayerRecipe>{});
            expect_sound(m.polyhedra);
            const QualityReport q = assess(m.polyhedra), t = assess(m.tetrahedra);
            // All of the sheet is there, so no polyhedron lies on both sides of it; polygons on the drum are flatter.
            for (std::size_t z = 0; z < q.zone_areas.size(); ++z)
                EXPECT_NEAR(q.zone_areas[z], t.zone_areas[z],
                            m.polyhedra.zones[z].role == Role::interface_ ? 0.01 * t.zone_areas[z] : 1e-12);
        }
}

TEST(Polyhedra, AreTheSameOnAnyNumberOfThreads) {
    LayerRecipe on_block = stack(0.006, 4, 1.3);
    on_block.on = {"block*"};
    const VolumeMesh one = both(furnished(true), 0.12, {on_block}, 1).polyhedra;
    for (const int threads : {2, 7}) {
        const VolumeMesh many = both(furnished(true), 0.12, {on_block}, threads).polyhedra;
        EXPECT_EQ(one.points, many.points);
        EXPECT_EQ(one.face_points, many.face_points);
        EXPECT_EQ(one.owner, many.owner);
        EXPECT_EQ(one.neighbour, many.neighbour);
    }
}

/// Errors of a solved equation on both kinds of cells, at two sizes.
TEST(Polyhedra, SolveAnEquationToSecondOrder) {
    constexpr double kWave = std::numbers::pi;
    auto exact = [&](const Vec3& p) { return std::sin(kWave * p.x) * std::cos(kWave * p.y) * std::exp(0.5 * p.z); };
    auto source = [&](const Vec3& p) { return (2 * kWave * kWave - 0.25) * exact(p); };
    const Domain box = kit::inside_of(kit::box({0, 0, 0}, {1, 1, 1}));
    std::map<double, std::array<double, 2>> error;
    std::map<double, std::array<double, 2>> spacing;
    for (const double size : {0.14, 0.07}) {
        const Pair m = both(box, size);
        error[size] = {kit::poisson_error(m.tetrahedra, exact, source), kit::poisson_error(m.polyhedra, exact, source)};
        spacing[size] = {std::cbrt(1.0 / static_cast<double>(m.tetrahedra.n_cells())),
                         std::cbrt(1.0 / static_cast<double>(m.polyhedra.n_cells()))};
    }
    for (const std::size_t kind : {0U, 1U}) {
        const double order =
            std::log(error[0.14][kind] / error[0.07][kind]) / std::log(spacing[0.14][kind] / spacing[0.07][kind]);
        EXPECT_GT(order, 1.7) << (kind == 0 ? "tetrahedra" : "polyhedra");
        EXPECT_LT(error[0.07][kind], 0.01);
    }
}

}  // namespace
}  // namespace anvilcast
