// Cubes: the balance of their octree, sides divided in every way, and meshes with them in the core.

#include <gtest/gtest.h>
#include <anvilcast/anvilcast.hpp>

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "cubes/cubes.hpp"
#include "cubes/faces.hpp"
#include "cubes/octree.hpp"
#include "kit/finite_volumes.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

using cubes::At;
using cubes::Octree;
using cubes::Piece;
using cubes::SidePoints;

/// By how many levels leaves differ that touch at a corner at least, and how many cubes lie between changes of level.
TEST(CubeOctree, IsBalancedOverCornersWithCubesBetweenItsLevels) {
    for (const int per_level : {1, 2, 3})
        for (unsigned seed = 0; seed < 6; ++seed) {
            std::mt19937 random(seed);
            std::uniform_real_distribution<double> unit(0, 1);
            const Vec3 fine{3 * unit(random), 2 * unit(random), 2 * unit(random)};
            const Octree tree(
                {{0, 0, 0}, {3, 2, 2}}, {3, 2, 2},
                [&](const Vec3& c, double edge) { return edge > 0.02 + 0.02 * seed && distance(c, fine) < edge; },
                per_level);
            ASSERT_GT(tree.finest(), 2);
            double volume = 0;
            std::map<std::array<std::uint32_t, 3>, int> level_at;  // of each finest place
            const int finest = tree.finest();
            for (const cubes::Cube& c : tree.leaves()) {
                volume += std::pow(tree.edge(c.level), 3);
                EXPECT_EQ(tree.leaf_at(c.level, c.at), static_cast<Index>(&c - tree.leaves().data()));
            }
            EXPECT_NEAR(volume, 12, 1e-12);
            auto leaf_round = [&](At at) {
                for (int level = finest; level >= 0; --level, at = {at[0] / 2, at[1] / 2, at[2] / 2})
                    if (tree.leaf_at(level, at) != kNone) return level;
                return -1;
            };
            for (const cubes::Cube& c : tree.leaves()) {
                // Within so many cubes of its size nothing is coarser by two levels.
                const auto span = static_cast<std::int64_t>(1) << (finest - c.level);
                for (int k = 0; k < 27; ++k) {
                    At at{};
                    bool is_inside = true;
                    const std::array<int, 3> way{k % 3 - 1, k / 3 % 3 - 1, k / 9 - 1};
                    for (std::size_t a = 0; a < 3; ++a) {
                        const std::int64_t reach = way[a] == 0  ? span / 2
                                                   : way[a] < 0 ? -1 - (per_level - 1) * span
                                                                : per_level * span;
                        const std::int64_t there = static_cast<std::int64_t>(c.at[a]) * span + reach;
                        is_inside = is_inside && there >= 0 && there < (a == 0 ? 3LL : 2LL) << finest;
                        at[a] = static_cast<std::uint32_t>(std::max<std::int64_t>(0, there));
                    }
                    if (is_inside) {
                        EXPECT_GE(leaf_round(at), c.level - 1);
                    }
                }
            }
        }
}

/// Area vectors of the pieces add up to the side's, the rim is as it was, and from behind the same lines are seen.
TEST(CubeSides, AreDividedInEveryWayWithoutGaps) {
    const std::array<Vec3, 9> place{Vec3{0, 0, 0}, {1, 0, 0},   {1, 1, 0},   {0, 1, 0},    {0.5, 0, 0},
                                    {1, 0.5, 0},   {0.5, 1, 0}, {0, 0.5, 0}, {0.5, 0.5, 0}};
    auto lines_of = [](const std::vector<Piece>& pieces) {
        std::set<std::array<Index, 2>> out;
        for (const Piece& p : pieces) {
            const std::size_t n = p[3] == kNone ? 3 : 4;
            for (std::size_t k = 0; k < n; ++k)
                out.insert({std::min(p[k], p[(k + 1) % n]), std::max(p[k], p[(k + 1) % n])});
        }
        return out;
    };
    for (unsigned mask = 0; mask < 16; ++mask)
        for (const bool is_in_four : {false, true}) {
            if (is_in_four && mask != 15) continue;
            SidePoints side{{0, 1, 2, 3}, {kNone, kNone, kNone, kNone}, kNone}, back{{0, 3, 2, 1}, side.middles, kNone};
            for (unsigned k = 0; k < 4; ++k)
                if ((mask >> k & 1) != 0) {
                    side.middles[k] = 4 + k;
                    back.middles[3 - k] = 4 + k;
                }
            EXPECT_EQ(cubes::needs_center(side), std::popcount(mask) >= 2);
            if (is_in_four || cubes::needs_center(side)) side.center = back.center = 8;
            const std::vector<Piece> pieces = cubes::pieces_of(side);
            double area = 0;
            std::map<std::array<Index, 2>, int> edges;
            for (const Piece& p : pieces) {
                const std::size_t n = p[3] == kNone ? 3 : 4;
                for (std::size_t k = 2; k < n; ++k) {
                    const double twice = cross(place[p[k - 1]] - place[p[0]], place[p[k]] - place[p[0]]).z;
                    EXPECT_GT(twice, 0);
                    area += 0.5 * twice;
                }
                for (std::size_t k = 0; k < n; ++k) ++edges[{p[k], p[(k + 1) % n]}];
            }
            EXPECT_NEAR(area, 1, 1e-15);
            std::size_t n_rim = 0;
            for (const auto& [edge, n] : edges) {
                EXPECT_EQ(n, 1);
                if (!edges.contains({edge[1], edge[0]})) ++n_rim;
            }
            EXPECT_EQ(n_rim, 4U + static_cast<std::size_t>(std::popcount(mask)));
            EXPECT_EQ(lines_of(pieces), lines_of(cubes::pieces_of(back)));
        }
}

struct Made {
    SurfaceMesh surface;
    VolumeMesh mesh;
    FillReport report;
};
Made with_cubes(const Domain& domain, const SizeOptions& sizes, const std::vector<LayerRecipe>& recipes = {},
                int threads = 0, FillCore core = FillCore::cubes, FillCells cells = FillCells::tetrahedra,
                const CubeLayout& layout = {}) {
    Made out;
    const SizeField field = make_size_field(domain, sizes);
    out.surface = mesh_surface(domain, field);
    Context context;
    context.threads = threads;
    FillOptions options;
    options.core = core;
    options.layout = layout;
    options.cells = cells;
    if (recipes.empty() && cells == FillCells::polyhedra)
        out.mesh = fill_with_polyhedra(out.surface, field, options, context, &out.report);
    else if (recipes.empty())
        out.mesh = fill_with_tetrahedra(out.surface, field, options, context, &out.report);
    else
        out.mesh = fill_with_layers(out.surface, grow_layers(out.surface, field, {.recipes = recipes}, context), field,
                                    options, context, &out.report);
    EXPECT_EQ(find_faults(out.mesh), std::vector<std::string>{});
    return out;
}
SizeOptions even(double size) {
    SizeOptions out;
    out.surface = out.largest = size;
    return out;
}

/// Random sizes: each cell sound, all faces in common, nothing but the hull outside, and the hull closed.
TEST(Cubes, ShareAllFacesWhateverTheSizes) {
    const Domain ball = kit::inside_of(kit::sphere({0, 0, 0}, 1, 4));
    for (unsigned seed = 0; seed < 6; ++seed) {
        std::mt19937 random(seed);
        std::uniform_real_distribution<double> unit(-0.7, 0.7);
        SizeOptions sizes = even(0.14);
        sizes.growth = 1.3;
        for (int k = 0; k < 3; ++k) {
            Refinement r;
            r.volume = BallVolume{{unit(random), unit(random), unit(random)}, 0.1};
            r.size = 0.03;
            sizes.refine.push_back(r);
        }
        const SizeField field = make_size_field(ball, sizes);
        const SurfaceMesh surface = mesh_surface(ball, field);
        const cubes::CubeCore core = cubes::make_cubes(surface, field);
        ASSERT_FALSE(core.empty());
        CellsAndBoundary cells{core.points, core.types, core.offsets, core.corners, core.region,
                               {0},         {},         {},           {{"hull"}},   {{"inside"}}};
        for (const Triangle& t : core.hull) {
            cells.boundary_points.insert(cells.boundary_points.end(), t.begin(), t.end());
            cells.boundary_offsets.push_back(cells.boundary_points.size());
            cells.boundary_zone.push_back(0);
        }
        const VolumeMesh mesh = assemble_mesh(std::move(cells));
        EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
        const QualityReport q = assess(mesh);
        EXPECT_NEAR(q.volume, core.cube_volume, 1e-12);
        EXPECT_LT(q.metric("non-orthogonality").max, 56);
        // No cube is more than 1.2 times as large as was asked for.
        for (Index c = 0; c < mesh.n_cells(); ++c) {
            if (mesh.cell_types[c] != CellType::hexahedron) continue;
            const auto p = mesh.cell(c);
            const Vec3 middle = (mesh.points[p[0]] + mesh.points[p[6]]) / 2.0;
            EXPECT_LE(distance(mesh.points[p[0]], mesh.points[p[1]]), 1.2 * field.at(middle) * (1 + 1e-6));
        }
    }
}

/// A ball of another region in a room.
Domain room_with_ball() {
    const Surface room = split_at_sharp_edges(kit::box({0, 0, 0}, {2, 1.6, 1.6}, "room"), 40);
    const Surface ball = kit::sphere({0.4, 0.35, 0.4}, 0.2, 3);
    return choose_regions(divide_space(joined({room, ball})),
                          {{.name = "air", .inside = Vec3{0.1, 0.1, 0.1}},
                           {.name = "iron", .kind = RegionKind::solid, .inside = Vec3{0.4, 0.35, 0.4}}},
                          LengthUnit{"m", 1});
}
LayerRecipe layers_on_one_side() {
    LayerRecipe layers;
    layers.on = {"room-1"};
    layers.first_height = 0.005;
    layers.count = 4;
    layers.growth = 1.3;
    return layers;
}

TEST(Cubes, FillTheCoreOfRegionsWithLayers) {
    const Domain d = room_with_ball();
    SizeOptions sizes = even(0.06);
    Refinement r;
    r.volume = BallVolume{{0, 0, 0}, 0.1};
    r.size = 0.03;
    sizes.refine = {r};
    const LayerRecipe layers = layers_on_one_side();
    const Made plain = with_cubes(d, sizes, {layers}, 0, FillCore::same), made = with_cubes(d, sizes, {layers});
    EXPECT_GT(made.report.cubes, 3000U);
    EXPECT_EQ(plain.report.cubes, 0U);
    EXPECT_LT(static_cast<double>(made.mesh.n_cells()), 0.8 * static_cast<double>(plain.mesh.n_cells()));
    const QualityReport q = assess(made.mesh), p = assess(plain.mesh);
    ASSERT_EQ(q.region_volumes.size(), 2U);
    for (std::size_t k = 0; k < 2; ++k) EXPECT_NEAR(q.region_volumes[k], p.region_volumes[k], 1e-11);
    ASSERT_EQ(q.zone_areas.size(), p.zone_areas.size());
    for (std::size_t k = 0; k < q.zone_areas.size(); ++k) EXPECT_NEAR(q.zone_areas[k], p.zone_areas[k], 1e-12);
    EXPECT_GT(q.metric("smallest dihedral").min, 12);
    EXPECT_LT(q.metric("largest dihedral").max, 160);
    EXPECT_LT(q.metric("equiangle skewness").max, 0.85);
    EXPECT_LT(q.metric("non-orthogonality").max, 68);
    for (const int threads : {1, 7}) {
        const Made again = with_cubes(d, sizes, {layers}, threads);
        EXPECT_EQ(again.mesh.points, made.mesh.points);
        EXPECT_EQ(again.mesh.cell_points, made.mesh.cell_points);
        EXPECT_EQ(again.mesh.face_points, made.mesh.face_points);
    }
    // Where there is no room for any, the core is meshed without.
    const Made thin = with_cubes(kit::inside_of(kit::sphere({0, 0, 0}, 0.1, 3)), even(0.09));
    EXPECT_EQ(thin.report.cubes, 0U);
    EXPECT_TRUE(std::all_of(thin.mesh.cell_types.begin(), thin.mesh.cell_types.end(),
                            [](CellType t) { return t == CellType::tetrahedron; }));
}

Vec3 turned_by(double about_z, double about_x, Vec3 p) {
    p = {std::cos(about_z) * p.x - std::sin(about_z) * p.y, std::sin(about_z) * p.x + std::cos(about_z) * p.y, p.z};
    return {p.x, std::cos(about_x) * p.y - std::sin(about_x) * p.z, std::sin(about_x) * p.y + std::cos(about_x) * p.z};
}
std::size_t squares_of_boundary(const VolumeMesh& mesh) {
    std::size_t n = 0;
    for (std::size_t f = mesh.n_inner_faces(); f < mesh.n_faces(); ++f) n += mesh.face(f).size() == 4 ? 1 : 0;
    return n;
}

/// A block of which one side has layers, and of which a ball near one wall makes cubes of two sizes stand on it.
TEST(Cubes, StandOnFlatWalls) {
    const Domain d = kit::inside_of(split_at_sharp_edges(kit::box({0, 0, 0}, {1.3, 1, 0.9}, "room"), 40));
    SizeOptions sizes = even(0.05);
    Refinement r;
    r.volume = BallVolume{{0.6, 0.5, 0.9}, 0.15};
    r.size = 0.022;
    sizes.refine = {r};
    for (const auto& layers : {std::vector<LayerRecipe>{}, {layers_on_one_side()}}) {
        const Made made = with_cubes(d, sizes, layers), again = with_cubes(d, sizes, layers, 7);
        const QualityReport q = assess(made.mesh);
        EXPECT_NEAR(q.volume, 1.3 * 0.9, 1e-12);
        const std::array<double, 6> areas{0.9, 0.9, 1.3 * 0.9, 1.3 * 0.9, 1.3, 1.3};
        std::vector<double> told = q.zone_areas;
        std::sort(told.begin(), told.end());
        for (std::size_t k = 0; k < 6; ++k) EXPECT_NEAR(told[k], areas[k], 1e-12);
        EXPECT_GT(made.report.cube_volume, (layers.empty() ? 0.85 : 0.7) * q.volume);
        EXPECT_GT(squares_of_boundary(made.mesh), 1500U);
        EXPECT_GT(q.metric("smallest dihedral").min, 12);
        EXPECT_LT(q.metric("largest dihedral").max, 160);
        EXPECT_LT(q.metric("equiangle skewness").max, 0.85);
        EXPECT_EQ(measure_layers(made.mesh).size(), layers.size());  // cubes are none
        EXPECT_EQ(again.mesh.points, made.mesh.points);
        EXPECT_EQ(again.mesh.face_points, made.mesh.face_points);
    }
    const Made polyhedra = with_cubes(d, sizes, {layers_on_one_side()}, 0, FillCore::cubes, FillCells::polyhedra);
    const QualityReport q = assess(polyhedra.mesh);
    EXPECT_EQ(measure_layers(polyhedra.mesh).size(), 1U);
    EXPECT_NEAR(q.volume, 1.3 * 0.9, 1e-12);
    EXPECT_GT(polyhedra.report.cube_volume, 0.7 * q.volume);
    EXPECT_LT(q.metric("non-orthogonality").max, 65);
    EXPECT_LT(q.metric("non-orthogonality").mean, 5);
    EXPECT_GT(q.metric("visibility").min, 0.01);
    // The same block turned in space, where the lattice is turned as well; or stands along the world's axes if told to.
    Surface turned = split_at_sharp_edges(kit::box({0, 0, 0}, {1.3, 1, 0.9}, "room"), 40);
    for (Vec3& p : turned.points) p = turned_by(0.5, 0.3, p);
    const Domain askew = kit::inside_of(turned);
    const Made fitted = with_cubes(askew, even(0.05)),
               along_world = with_cubes(askew, even(0.05), {}, 0, FillCore::cubes, FillCells::tetrahedra,
                                        {.axes = {{1, 0, 0}, {0, 1, 0}}});
    EXPECT_NEAR(assess(fitted.mesh).volume, 1.3 * 0.9, 1e-12);
    EXPECT_GT(fitted.report.cube_volume, 0.85 * 1.3 * 0.9);
    EXPECT_LT(along_world.report.cube_volume, 0.6 * 1.3 * 0.9);
    // A slab of two cubes.
    const Made slab = with_cubes(kit::inside_of(kit::box({0, 0, 0}, {1, 1, 0.1})), even(0.05));
    EXPECT_GT(slab.report.cube_volume, 0.05);
    EXPECT_NEAR(assess(slab.mesh).volume, 0.1, 1e-12);
}

/// Sides divided where levels meet, layers, two regions, and nothing cut up.
TEST(Cubes, BecomePolyhedraWithWhatIsRoundThem) {
    const Domain d = room_with_ball();
    SizeOptions sizes = even(0.08);
    Refinement r;
    r.volume = BallVolume{{0, 0, 0}, 0.5};
    r.size = 0.04;
    sizes.refine = {r};
    const LayerRecipe layers = layers_on_one_side();
    auto made_with = [&](FillCore core, int threads = 0) {
        return with_cubes(d, sizes, {layers}, threads, core, FillCells::polyhedra);
    };
    const Made plain = made_with(FillCore::same), made = made_with(FillCore::cubes);
    EXPECT_GT(made.report.cubes, 3000U);
    const QualityReport q = assess(made.mesh), p = assess(plain.mesh);
    EXPECT_GT(made.report.cube_volume, 0.4 * q.volume);
    for (std::size_t k = 0; k < 2; ++k) EXPECT_NEAR(q.region_volumes[k], p.region_volumes[k], 2e-5);
    ASSERT_EQ(q.zone_areas.size(), p.zone_areas.size());
    for (std::size_t k = 0; k < q.zone_areas.size(); ++k) EXPECT_NEAR(q.zone_areas[k], p.zone_areas[k], 1e-4);
    EXPECT_GT(q.metric("visibility").min, 0.02);
    EXPECT_LT(q.metric("non-orthogonality").max, 68);
    EXPECT_LT(q.metric("non-orthogonality").mean, 6);
    EXPECT_LT(q.metric("volume ratio").max, 20);
    // Far from everything cells are cubes of the lattice, which is fitted to the room.
    std::size_t n_lattice = 0;
    const kit::Cells cells(made.mesh);
    for (Index c = 0; c < made.mesh.n_cells(); ++c)
        n_lattice += std::abs(cells.volume[c] / std::pow(0.08 * 1.2 * 0.95, 3) - 1) < 0.12 ? 1 : 0;
    EXPECT_GT(n_lattice, 1000U);
    for (const int threads : {1, 7}) {
        const Made again = made_with(FillCore::cubes, threads);
        EXPECT_EQ(again.mesh.points, made.mesh.points);
        EXPECT_EQ(again.mesh.face_points, made.mesh.face_points);
    }
}

/// A weir that ends within the floor of a basin.
TEST(Cubes, LeaveRoomForWhatStandsOnAFlatWall) {
    const Surface basin = split_at_sharp_edges(kit::box({0, 0, 0}, {1.4, 1, 0.8}, "basin"), 40);
    Surface weir;
    weir.points = {{0.7, 0.3, 0}, {0.7, 0.7, 0}, {0.7, 0.7, 0.4}, {0.7, 0.3, 0.4}};
    weir.triangles = {{0, 1, 2}, {0, 2, 3}};
    weir.zones = {{"weir"}};
    weir.zone_of = {0, 0};
    const Domain d = choose_regions(divide_space(joined({basin, weir})),
                                    {{.name = "water", .inside = Vec3{0.1, 0.1, 0.1}}}, LengthUnit{"m", 1});
    const Made made = with_cubes(d, even(0.05));
    const QualityReport q = assess(made.mesh);
    EXPECT_NEAR(q.volume, 1.4 * 0.8, 1e-12);
    EXPECT_GT(made.report.cube_volume, 0.7 * q.volume);
    for (std::size_t z = 0; z < made.mesh.zones.size(); ++z)
        if (made.mesh.zones[z].name == "weir") {
            EXPECT_NEAR(q.zone_areas[z], 2 * 0.4 * 0.4, 1e-12);
        }
    EXPECT_GT(squares_of_boundary(made.mesh), 1000U);
}

TEST(Cubes, RefuseLayoutsThatAreNone) {
    const Domain d = kit::inside_of(kit::box({0, 0, 0}, {1, 1, 1}));
    for (const std::vector<Vec3>& axes :
         {std::vector<Vec3>{{0, 0, 0}}, {{1, 0, 0}, {-2, 0, 0}}, {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}})
        EXPECT_THROW(with_cubes(d, even(0.1), {}, 0, FillCore::cubes, FillCells::tetrahedra, {.axes = axes}),
                     InputError);
    for (const int per_level : {0, -1, 9})
        EXPECT_THROW(with_cubes(d, even(0.1), {}, 0, FillCore::cubes, FillCells::tetrahedra, {.per_level = per_level}),
                     InputError);
}

TEST(Cubes, KeepLinearFieldsExact) {
    for (const FillCells cells : {FillCells::tetrahedra, FillCells::polyhedra}) {
        const Made m =
            with_cubes(kit::inside_of(kit::box({0, 0, 0}, {1, 1, 1})), even(0.05), {}, 0, FillCore::cubes, cells);
        EXPECT_GT(m.report.cubes, 1000U);
        EXPECT_LT(kit::linear_gradient_error(m.mesh), 1e-10);
        EXPECT_LT(kit::Cells(m.mesh).worst_gap, 1e-12);
    }
}

}  // namespace
}  // namespace anvilcast
