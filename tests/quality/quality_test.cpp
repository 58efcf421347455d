#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/quality.hpp>

#include <cmath>

namespace anvilcast {
namespace {

/// One cell with all its faces in one zone.
VolumeMesh single_cell(CellType type, std::vector<Vec3> points) {
    CellsAndBoundary in;
    in.points = std::move(points);
    in.cell_types = {type};
    for (Index i = 0; i < in.points.size(); ++i) in.cell_points.push_back(i);
    in.cell_offsets.push_back(in.points.size());
    in.cell_region = {0};
    in.regions.push_back({"fluid", RegionKind::fluid});
    in.zones.push_back({"wall", Role::wall});
    for (const auto& face : cell_faces(type)) {
        for (const int k : face) in.boundary_points.push_back(static_cast<Index>(k));
        in.boundary_offsets.push_back(in.boundary_points.size());
        in.boundary_zone.push_back(0);
    }
    return assemble_mesh(std::move(in));
}

const double kRoot3 = std::sqrt(3.0);
const std::vector<Vec3> kRegularTet{{0, 0, 0}, {1, 0, 0}, {0.5, kRoot3 / 2, 0}, {0.5, kRoot3 / 6, std::sqrt(2.0 / 3)}};

TEST(Quality, RegularCellsAreIdeal) {
    struct Case {
        CellType type;
        std::vector<Vec3> points;
        double volume, dihedral_low, dihedral_high;
    };
    const double tet_dihedral = std::acos(1.0 / 3) * 180 / M_PI;
    const std::vector<Case> cases{
        {CellType::tetrahedron, kRegularTet, std::sqrt(2.0) / 12, tet_dihedral, tet_dihedral},
        {CellType::hexahedron,
         {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}},
         1,
         90,
         90},
        {CellType::prism,
         {{0, 0, 0}, {1, 0, 0}, {0.5, kRoot3 / 2, 0}, {0, 0, 1}, {1, 0, 1}, {0.5, kRoot3 / 2, 1}},
         kRoot3 / 4,
         60,
         90},
        {CellType::pyramid,
         {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, std::sqrt(0.5)}},
         std::sqrt(2.0) / 6,
         std::acos(1 / kRoot3) * 180 / M_PI,
         180 - tet_dihedral}};
    for (const Case& c : cases) {
        SCOPED_TRACE(cell_type_name(c.type));
        const VolumeMesh mesh = single_cell(c.type, c.points);
        EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
        const QualityReport r = assess(mesh);
        EXPECT_NEAR(r.volume, c.volume, 1e-14);
        EXPECT_NEAR(r.metric("equiangle skewness").max, 0, 1e-12);
        EXPECT_NEAR(r.metric("aspect ratio").max, 1, 1e-6);
        EXPECT_NEAR(r.metric("smallest dihedral").min, c.dihedral_low, 1e-9);
        EXPECT_NEAR(r.metric("largest dihedral").max, c.dihedral_high, 1e-9);
        EXPECT_GT(r.metric("orthogonality").min, 0.9);
    }
    EXPECT_NEAR(assess(single_cell(CellType::tetrahedron, kRegularTet)).metric("equivolume skewness").max, 0, 1e-12);
}

TEST(Quality, BadTetrahedraAreSeen) {
    // The corner of a cube: right angles, known by hand.
    QualityReport r = assess(single_cell(CellType::tetrahedron, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}}));
    EXPECT_NEAR(r.metric("equiangle skewness").max, 0.25, 1e-12);
    EXPECT_NEAR(r.metric("largest dihedral").max, 90, 1e-9);
    EXPECT_NEAR(r.metric("equivolume skewness").max, 1 - (1.0 / 6) / (8 * kRoot3 / 27 * std::pow(kRoot3 / 2, 3)),
                1e-12);
    // A sliver: its faces look fine, its dihedral angles and volume tell.
    r = assess(single_cell(CellType::tetrahedron, {{1, 0, 0}, {0, 1, 0.01}, {0, -1, 0.01}, {-1, 0, 0}}));
    EXPECT_LT(r.metric("equiangle skewness").max, 0.3);
    EXPECT_GT(r.metric("equivolume skewness").max, 0.95);
    EXPECT_LT(r.metric("smallest dihedral").min, 2);
    EXPECT_GT(r.metric("largest dihedral").max, 178);
}

VolumeMesh two_tets(double apex = 1) {
    CellsAndBoundary in;
    in.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0.2, 0.2, 1}, {0.3, 0.3, -apex}};
    in.cell_types = {CellType::tetrahedron, CellType::tetrahedron};
    in.cell_points = {0, 1, 2, 3, 0, 2, 1, 4};
    in.cell_offsets = {0, 4, 8};
    in.cell_region = {0, 0};
    in.regions.push_back({"fluid", RegionKind::fluid});
    in.zones = {{"top", Role::wall}, {"low", Role::inlet}};
    for (const Triangle& t : {Triangle{0, 1, 3}, {1, 2, 3}, {2, 0, 3}, {0, 2, 4}, {2, 1, 4}, {1, 0, 4}}) {
        in.boundary_points.insert(in.boundary_points.end(), t.begin(), t.end());
        in.boundary_offsets.push_back(in.boundary_points.size());
        in.boundary_zone.push_back(in.boundary_zone.size() < 3 ? 0 : 1);
    }
    return assemble_mesh(std::move(in));
}

TEST(Quality, OfFacesBetweenCells) {
    const QualityReport r = assess(two_tets(3), QualityLimits{{}, 2.5, {}, {}});
    EXPECT_NEAR(r.metric("volume ratio").max, 3, 1e-12);
    EXPECT_EQ(r.metric("volume ratio").n_beyond, 1U);
    EXPECT_FALSE(r.limits_hold);
    EXPECT_EQ(r.metric("volume ratio").count, 1U);
    EXPECT_TRUE(assess(two_tets(2), QualityLimits{{}, 2.5, {}, {}}).limits_hold);
    // Centroids at (0.3, 0.3, 0.25) and (0.325, 0.325, -0.75): the angle to the vertical is known.
    EXPECT_NEAR(r.metric("non-orthogonality").max, std::atan(std::hypot(0.025, 0.025) / 1.0) * 180 / M_PI, 1e-9);
    EXPECT_EQ(r.metric("volume").worst[0].zone, "top");
    EXPECT_FALSE(assess(two_tets(), QualityLimits{{}, {}, {}, 1}).limits_hold);
    EXPECT_THROW(r.metric("beauty"), InputError);
}

/// The oracle itself: each kind of damage must be found.
TEST(Faults, OfDamagedMeshesAreFound) {
    ASSERT_TRUE(find_faults(two_tets()).empty());
    auto found = [](const std::function<void(VolumeMesh&)>& damage, const char* expected) {
        VolumeMesh mesh = two_tets();
        damage(mesh);
        for (const std::string& f : find_faults(mesh))
            if (f.find(expected) != std::string::npos) return true;
        return false;
    };
    EXPECT_TRUE(found([](VolumeMesh& m) { m.points[3].z = -2; }, "has volume"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.points[3].x = std::nan(""); }, "not finite"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.face_points[3] = 4; }, "not closed"));
    EXPECT_TRUE(found([](VolumeMesh& m) { std::swap(m.face_points[3], m.face_points[4]); }, "not closed"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.owner[2] = 1; }, "not closed"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.neighbour[0] = 0; }, "same cell on both sides"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.zones[1].first_face = 3; }, "zones, not in one"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.zones[0].n_faces = 2; }, "zones, not in one"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.zones[0].first_face = 0; }, "not on the boundary"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.face_points[0] = 99; }, "point that is not there"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.owner[0] = 7; }, "cell that is not there"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.cell_region[1] = 3; }, "region that is not there"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.face_offsets.pop_back(); }, "do not fit together"));
}

TEST(Assemble, RefusesWhatIsNoMesh) {
    auto broken = [](const std::function<void(CellsAndBoundary&)>& damage) {
        CellsAndBoundary in;
        in.points = kRegularTet;
        in.cell_types = {CellType::tetrahedron};
        in.cell_points = {0, 1, 2, 3};
        in.cell_offsets = {0, 4};
        in.cell_region = {0};
        in.regions.push_back({"fluid", RegionKind::fluid});
        in.zones.push_back({"wall", Role::wall});
        for (const Index p : {0, 2, 1, 0, 1, 3, 1, 2, 3, 2, 0, 3}) in.boundary_points.push_back(static_cast<Index>(p));
        in.boundary_offsets = {0, 3, 6, 9, 12};
        in.boundary_zone = {0, 0, 0, 0};
        damage(in);
        return assemble_mesh(std::move(in));
    };
    EXPECT_NO_THROW(broken([](CellsAndBoundary&) {}));
    EXPECT_THROW(broken([](CellsAndBoundary& in) { in.cell_points[2] = 9; }), InputError);
    EXPECT_THROW(broken([](CellsAndBoundary& in) { in.boundary_points[2] = 9; }), InputError);
    EXPECT_THROW(broken([](CellsAndBoundary& in) { in.boundary_points[0] = 1; }), InputError);
    EXPECT_THROW(broken([](CellsAndBoundary& in) { in.boundary_zone.pop_back(); }), InputError);
}

TEST(SurfaceQuality, HasClosedFormValues) {
    // A right triangle with 30 degrees beside a regular one on its longest side.
    Surface s;
    s.points = {{0, 0, 0}, {kRoot3, 0, 0}, {0, 1, 0}, {kRoot3, 2, 0}};
    s.triangles = {{0, 1, 2}, {1, 3, 2}};
    s.zones = {{"one"}, {"other"}};
    s.zone_of = {0, 1};
    const std::vector<Metric> metrics = assess_surface(s);
    ASSERT_EQ(metrics.size(), 4U);
    EXPECT_NEAR(metrics[0].min, 30, 1e-9);
    EXPECT_NEAR(metrics[0].max, 60, 1e-9);
    EXPECT_NEAR(metrics[1].max, 90, 1e-9);
    EXPECT_NEAR(metrics[2].max, 0.5, 1e-9);
    EXPECT_NEAR(metrics[2].min, 0, 1e-9);
    EXPECT_NEAR(metrics[3].max, 2, 1e-9);
    EXPECT_EQ(metrics[2].worst.front().zone, "one");
}

}  // namespace
}  // namespace anvilcast
