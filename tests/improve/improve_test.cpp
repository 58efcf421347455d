#include <anvilcast/assembly.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/improve.hpp>
#include <anvilcast/weld.hpp>

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/planar.hpp>
#include <anvilcast/predicates.hpp>
#include <anvilcast/sheet.hpp>

#include <algorithm>
#include <limits>
#include <random>
#include <set>

#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

VolumeMesh filled_box(double size) {
    const Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 1}), 40);
    SizeOptions sizes;
    sizes.surface = sizes.largest = size;
    const Domain domain = kit::inside_of(box);
    const SizeField field = make_size_field(domain, sizes);
    return fill_with_tetrahedra(mesh_surface(domain, field), field);
}

bool is_valid_at(const VolumeMesh& mesh, const std::vector<std::vector<Index>>& cells_at, Index p) {
    return std::all_of(cells_at[p].begin(), cells_at[p].end(), [&](Index c) {
        const auto v = mesh.cell(c);
        return mesh.cell_types[c] != CellType::tetrahedron ||
               orient3d(mesh.points[v[0]], mesh.points[v[1]], mesh.points[v[2]], mesh.points[v[3]]) > 0;
    });
}

/// Points that belong to tetrahedra within alone are moved at random, as far as the cells stay valid.
void spoil(VolumeMesh& mesh, double step) {
    std::vector<std::vector<Index>> cells_at(mesh.points.size());
    for (Index c = 0; c < mesh.n_cells(); ++c)
        for (const Index p : mesh.cell(c)) cells_at[p].push_back(c);
    std::vector<bool> is_fixed(mesh.points.size(), false);
    for (std::size_t f = mesh.n_plain_faces(); f < mesh.n_faces(); ++f)
        for (const Index p : mesh.face(f)) is_fixed[p] = true;
    for (Index c = 0; c < mesh.n_cells(); ++c)
        if (mesh.cell_types[c] != CellType::tetrahedron)
            for (const Index p : mesh.cell(c)) is_fixed[p] = true;
    std::mt19937 random(3);
    std::uniform_real_distribution<double> part(-step, step);
    for (Index p = 0; p < mesh.points.size(); ++p) {
        if (is_fixed[p]) continue;
        const Vec3 old = mesh.points[p];
        mesh.points[p] += Vec3{part(random), part(random), part(random)};
        if (!is_valid_at(mesh, cells_at, p)) mesh.points[p] = old;
    }
}

/// The places of a zone's faces.
std::multiset<std::array<double, 3>> face_middles(const VolumeMesh& mesh, const BoundaryZone& zone) {
    std::multiset<std::array<double, 3>> all;
    for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
        std::vector<Vec3> corners;
        for (const Index p : mesh.face(f)) corners.push_back(mesh.points[p]);
        // The sum must not depend on which corner comes first.
        std::sort(corners.begin(), corners.end(), [](const Vec3& a, const Vec3& b) {
            return std::array{a.x, a.y, a.z} < std::array{b.x, b.y, b.z};
        });
        Vec3 sum;
        for (const Vec3& p : corners) sum += p;
        all.insert({sum.x, sum.y, sum.z});
    }
    return all;
}

void expect_same_boundary(const VolumeMesh& a, const VolumeMesh& b) {
    ASSERT_EQ(a.zones.size(), b.zones.size());
    for (std::size_t z = 0; z < a.zones.size(); ++z) {
        EXPECT_EQ(a.zones[z].name, b.zones[z].name);
        EXPECT_EQ(a.zones[z].role, b.zones[z].role);
        EXPECT_EQ(face_middles(a, a.zones[z]), face_middles(b, b.zones[z]));
    }
}

TEST(Improve, MendsASpoiledMeshWithoutMoreCells) {
    VolumeMesh mesh = filled_box(0.1);
    spoil(mesh, 0.08);
    ImproveReport report;
    const VolumeMesh better = improve_mesh(mesh, {.target = 15, .all_cells = true}, {}, &report);
    EXPECT_EQ(find_faults(better), std::vector<std::string>{});
    EXPECT_LT(report.before.metric("smallest dihedral").min, 2);
    EXPECT_GT(report.after.metric("smallest dihedral").min, 15);
    EXPECT_TRUE(report.is_reached);
    EXPECT_GT(report.sharp_before.n, 10U);
    EXPECT_EQ(report.sharp_after.n, 0U);
    EXPECT_EQ(report.sharp_after.smallest, report.after.metric("smallest dihedral").min);
    EXPECT_LT(report.after.metric("equiangle skewness").mean, report.before.metric("equiangle skewness").mean);
    EXPECT_LE(better.n_cells(), mesh.n_cells());
    EXPECT_NEAR(report.after.volume, 1, 1e-12);
    EXPECT_GT(report.points_moved, 100U);
    EXPECT_GT(report.largest_move, 0);
    expect_same_boundary(mesh, better);
}

TEST(Improve, LeavesAloneWhatIsGoodEnough) {
    const VolumeMesh mesh = filled_box(0.2);
    ImproveReport report;
    const VolumeMesh same = improve_mesh(mesh, {.target = 10}, {}, &report);
    EXPECT_TRUE(report.is_reached);
    EXPECT_EQ(report.points_moved, 0U);
    EXPECT_EQ(same.points, mesh.points);
    EXPECT_EQ(same.cell_points, mesh.cell_points);
    // Nobody reaches that: it is told, and nothing is worse for it.
    ImproveReport far;
    improve_mesh(mesh, {.target = 69}, {}, &far);
    EXPECT_FALSE(far.is_reached);
    EXPECT_GE(far.after.metric("smallest dihedral").min, far.before.metric("smallest dihedral").min);
}

/// Prisms of the height `h` below the face z = 0 of a mesh of the unit cube.
VolumeMesh on_prisms(const VolumeMesh& tets, double h) {
    CellsAndBoundary in;
    in.points = tets.points;
    in.regions = tets.regions;
    std::vector<Index> low(tets.points.size(), kNone);
    auto below = [&](Index p) {
        if (low[p] == kNone) {
            low[p] = static_cast<Index>(in.points.size());
            in.points.push_back(tets.points[p] - Vec3{0, 0, h});
        }
        return low[p];
    };
    auto cell = [&](CellType type, std::span<const Index> corners) {
        in.cell_points.insert(in.cell_points.end(), corners.begin(), corners.end());
        in.cell_offsets.push_back(in.cell_points.size());
        in.cell_types.push_back(type);
        in.cell_region.push_back(0);
    };
    auto face = [&](std::initializer_list<Index> corners, Index zone) {
        in.boundary_points.insert(in.boundary_points.end(), corners.begin(), corners.end());
        in.boundary_offsets.push_back(in.boundary_points.size());
        in.boundary_zone.push_back(zone);
    };
    for (Index c = 0; c < tets.n_cells(); ++c) cell(CellType::tetrahedron, tets.cell(c));
    in.zones = {{"above"}, {"beside"}, {"below"}};
    std::set<std::array<Index, 2>> rim;
    for (std::size_t f = tets.n_inner_faces(); f < tets.n_faces(); ++f) {
        const auto p = tets.face(f);
        if (tets.points[p[0]].z != 0 || tets.points[p[1]].z != 0 || tets.points[p[2]].z != 0) {
            face({p[0], p[1], p[2]}, 0);
            continue;
        }
        // The face's normal points down: seen from above its points turn clockwise.
        const std::array<Index, 6> corners{below(p[0]), below(p[2]), below(p[1]), p[0], p[2], p[1]};
        cell(CellType::prism, corners);
        face({below(p[0]), below(p[1]), below(p[2])}, 2);
        for (std::size_t k = 0; k < 3; ++k)
            if (rim.erase({p[(k + 1) % 3], p[k]}) == 0) rim.insert({p[k], p[(k + 1) % 3]});
    }
    for (const auto& [a, b] : rim) face({a, b, below(b), below(a)}, 1);
    return assemble_mesh(std::move(in));
}

TEST(Improve, KeepsPrismsToTheLastBit) {
    VolumeMesh mesh = on_prisms(filled_box(0.15), 0.03);
    ASSERT_EQ(find_faults(mesh), std::vector<std::string>{});
    spoil(mesh, 0.1);
    ImproveReport report;
    const VolumeMesh better = improve_mesh(mesh, {}, {}, &report);
    EXPECT_EQ(find_faults(better), std::vector<std::string>{});
    EXPECT_GT(report.after.metric("smallest dihedral").min, report.before.metric("smallest dihedral").min);
    EXPECT_NEAR(report.after.volume, 1.03, 1e-12);
    expect_same_boundary(mesh, better);
    auto prisms = [](const VolumeMesh& m) {
        std::vector<Vec3> corners;
        for (Index c = 0; c < m.n_cells(); ++c)
            if (m.cell_types[c] == CellType::prism)
                for (const Index p : m.cell(c)) corners.push_back(m.points[p]);
        return corners;
    };
    EXPECT_EQ(prisms(better), prisms(mesh));
}

TEST(Improve, PlaneMeshesKeepRimAndLayers) {
    for (const PlaneCells cells : {PlaneCells::triangles, PlaneCells::quadrangles}) {
        PlaneRequest request;
        request.curves = {{{"rim"}, straight_pieces({{0, 0}, {1, 0}, {1, 1}, {0, 1}, {0, 0}})}};
        request.areas = {{"water", RegionKind::fluid, {}, cells}};
        request.sizing.surface = request.sizing.largest = 0.05;
        if (cells == PlaneCells::triangles) {
            request.layers.emplace_back();
            request.layers[0].first_height = 0.005;
            request.layers[0].count = 3;
            request.layers[0].growth = 1.2;
        }
        const PlaneResult made = mesh_plane(request);
        PlanarMesh plane = made.mesh;
        std::vector<char> is_fixed(plane.points.size(), 0);
        for (const PlanarEdge& e : plane.edges) is_fixed[e.from] = 1;
        for (std::size_t c = 0; c < static_cast<std::size_t>(made.layer_cells); ++c)
            for (const Index p : plane.cells[c]) is_fixed[p] = 1;
        std::mt19937 random(5);
        std::uniform_real_distribution<double> shift(-0.012, 0.012);
        for (std::size_t p = 0; p < plane.points.size(); ++p)
            if (is_fixed[p] == 0)
                plane.points[p] = {plane.points[p].x + shift(random), plane.points[p].y + shift(random)};
        const VolumeMesh mesh = sheet_of(plane);
        ASSERT_EQ(find_faults(mesh), std::vector<std::string>{});
        ImproveReport report;
        const double target = cells == PlaneCells::triangles ? 32 : 55;
        const VolumeMesh better = improve_mesh(mesh, {.target = target}, {}, &report);
        EXPECT_EQ(find_faults(better), std::vector<std::string>{});
        EXPECT_GT(report.sharp_before.n, 5U);
        EXPECT_TRUE(report.is_reached) << report.sharp_after.smallest;
        EXPECT_NEAR(report.after.volume, 1, 1e-12);
        const PlanarMesh after = plane_of(better);
        for (std::size_t p = 0; p < plane.points.size(); ++p)
            if (is_fixed[p] != 0) {
                EXPECT_EQ(after.points[p].x, plane.points[p].x);
                EXPECT_EQ(after.points[p].y, plane.points[p].y);
            }
        EXPECT_EQ(after.edges.size(), plane.edges.size());
    }
}

TEST(Improve, RefusesWhatItCannotWorkOn) {
    VolumeMesh mesh = filled_box(0.3);
    for (const double target : {0.0, -3.0, 90.0, std::numeric_limits<double>::quiet_NaN()})
        EXPECT_THROW(improve_mesh(mesh, {.target = target}), InputError);
    std::swap(mesh.cell_points[0], mesh.cell_points[1]);
    EXPECT_THROW(improve_mesh(mesh), InputError);
}

}  // namespace
}  // namespace anvilcast
