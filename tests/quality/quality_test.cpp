#include <gtest/gtest.h>
#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/selection.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "kit/shapes.hpp"

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

/// Cells by their corner determinant: 1 when regular or right-angled, 0 when flat, negative when turned inside out.
TEST(Quality, CornerDeterminantsAreKnown) {
    const std::vector<Vec3> cube{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},
                                 {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
    const std::vector<Vec3> prism{{0, 0, 0}, {1, 0, 0}, {0.5, kRoot3 / 2, 0},
                                  {0, 0, 1}, {1, 0, 1}, {0.5, kRoot3 / 2, 1}};
    const std::vector<Vec3> pyramid{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, std::sqrt(0.5)}};
    auto determinant = [](CellType type, std::vector<Vec3> points, const Vec3& scale) {
        for (Vec3& p : points) p = {p.x * scale.x + 0.5 * scale.z * p.z, p.y * scale.y, p.z};
        return assess(single_cell(type, points)).metric("corner determinant").min;
    };
    const Vec3 as_it_is{1, 1, 0};
    EXPECT_NEAR(determinant(CellType::tetrahedron, kRegularTet, as_it_is), 1, 1e-12);
    EXPECT_NEAR(determinant(CellType::hexahedron, cube, as_it_is), 1, 1e-12);
    EXPECT_NEAR(determinant(CellType::prism, prism, as_it_is), 1, 1e-12);
    EXPECT_NEAR(determinant(CellType::pyramid, pyramid, as_it_is), 1, 1e-12);
    // A box is as good; one that leans by half its height has the cosine of that.
    EXPECT_NEAR(determinant(CellType::hexahedron, cube, {3, 7, 0}), 1, 1e-12);
    EXPECT_NEAR(determinant(CellType::hexahedron, cube, {1, 1, 1}), 1 / std::hypot(1, 0.5), 1e-12);
    std::vector<Vec3> turned = cube;
    std::swap(turned[4], turned[6]);
    EXPECT_LT(determinant(CellType::hexahedron, turned, as_it_is), 0);
}

TEST(Quality, FlatAndNeedlesAreBadInEveryType) {
    const std::vector<std::pair<CellType, std::vector<Vec3>>> cells{
        {CellType::tetrahedron, kRegularTet},
        {CellType::pyramid, {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0.5, 0.5, 1}}},
        {CellType::prism, {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {0, 1, 1}}},
        {CellType::hexahedron,
         {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}}}};
    for (const auto& [type, points] : cells) {
        SCOPED_TRACE(cell_type_name(type));
        std::vector<Vec3> thin = points, sheared = points;
        for (Vec3& p : thin) p.z *= 1e-3;
        for (Vec3& p : sheared) p.x += 20 * p.z;
        EXPECT_GT(assess(single_cell(type, thin)).metric("aspect ratio").max, 100);
        const QualityReport r = assess(single_cell(type, sheared));
        EXPECT_GT(r.metric("equiangle skewness").max, 0.9);
        EXPECT_LT(r.metric("smallest dihedral").min, 6);
        EXPECT_LT(r.metric("corner determinant").min, 0.1);
        EXPECT_LT(r.metric("orthogonality").min, 0.1);
        // Without any volume there are figures all the same, and none is a number that is none.
        std::vector<Vec3> flat = points;
        for (Vec3& p : flat) p.z = 0;
        for (const Metric& m : assess(single_cell(type, flat)).metrics) EXPECT_FALSE(std::isnan(m.max)) << m.name;
    }
}

/// The figures of the fast way and of the exact way are the same, wherever the mesh is, however large, and whatever the
/// order of its points.
TEST(Quality, DoesNotDependOnPlaceSizeAndOrder) {
    const Domain domain = kit::inside_of(kit::sphere({0, 0, 0}, 1, 3));
    SizeOptions sizes;
    sizes.surface = sizes.largest = 0.2;
    const SurfaceMesh surface = mesh_surface(domain, make_size_field(domain, sizes));
    const VolumeMesh mesh = fill_with_tetrahedra(surface, make_size_field(domain, sizes));
    const QualityReport expected = assess(mesh);
    VolumeMesh other = mesh;
    const double c = std::cos(0.7), s = std::sin(0.7), scale = 1e-5;
    for (Vec3& p : other.points) {
        const Vec3 q = p * scale;
        p = {c * q.x - s * q.y + 0.3, s * q.x + c * q.y - 0.2, q.z + 0.1};
    }
    const auto n = static_cast<Index>(mesh.points.size());
    std::reverse(other.points.begin(), other.points.end());
    for (auto* list : {&other.cell_points, &other.face_points})
        for (Index& p : *list) p = n - 1 - p;
    const QualityReport found = assess(other);
    ASSERT_EQ(found.metrics.size(), expected.metrics.size());
    for (std::size_t k = 0; k < found.metrics.size(); ++k) {
        const Metric &a = expected.metrics[k], &b = found.metrics[k];
        SCOPED_TRACE(a.name);
        const double factor = a.id == MetricId::volume ? scale * scale * scale : 1;
        const double grain = a.id == MetricId::closedness ? 1e-9 : 1e-4 * std::max(std::abs(a.max), std::abs(a.min));
        EXPECT_EQ(a.count, b.count);
        // The smallest of many small angles is found by cosines in single precision.
        EXPECT_NEAR(a.min * factor, b.min, a.id == MetricId::non_orthogonality ? 0.02 : grain * factor);
        EXPECT_NEAR(a.max * factor, b.max, grain * factor);
        EXPECT_NEAR(a.mean * factor, b.mean, grain * factor);
        EXPECT_NEAR(a.p99 * factor, b.p99, 2 * grain * factor);
    }
    // What is told of the whole is what the single values come to.
    for (const Metric& m : expected.metrics) {
        if (metric_info(m.id).of != MetricOf::cells) continue;
        std::vector<float> values = metric_by_cell(mesh, m.id);
        std::sort(values.begin(), values.end());
        const double grain = 1e-6 * std::max(1.0, std::abs(m.max));
        EXPECT_NEAR(static_cast<double>(values.front()), m.min, 30 * grain) << m.name;
        EXPECT_NEAR(static_cast<double>(values.back()), m.max, 30 * grain) << m.name;
        const auto rank = static_cast<std::size_t>(std::llround(0.99 * static_cast<double>(values.size() - 1)));
        EXPECT_EQ(static_cast<double>(values[rank]), m.p99) << m.name;
        EXPECT_EQ(std::accumulate(m.histogram.counts.begin(), m.histogram.counts.end(), std::size_t{0}), m.count);
        for (std::size_t b = 0; b + 1 < m.histogram.counts.size(); ++b) {
            const auto below =
                std::lower_bound(values.begin(), values.end(), static_cast<float>(m.histogram.edges[b + 1])) -
                values.begin();
            EXPECT_EQ(static_cast<std::size_t>(below),
                      std::accumulate(m.histogram.counts.begin(),
                                      m.histogram.counts.begin() + static_cast<std::ptrdiff_t>(b + 1), std::size_t{0}))
                << m.name << " bar " << b;
        }
        // By a limit in the middle.
        QualityLimits limits;
        limits.metrics.push_back({m.id, m.p50});
        const std::size_t beyond = assess(mesh, limits).metric(m.key).n_beyond;
        const auto middle = static_cast<float>(m.p50);
        EXPECT_EQ(beyond, static_cast<std::size_t>(
                              std::count_if(values.begin(), values.end(),
                                            [&](float v) { return m.low_is_better ? v > middle : v < middle; })))
            << m.name;
    }
}

/// A prism under a tetrahedron: what one of them has not counts for the other alone.
TEST(Quality, OfMixedMeshesIsByType) {
    CellsAndBoundary in;
    in.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {0, 1, 1}, {0.3, 0.3, 2}};
    in.cell_types = {CellType::prism, CellType::tetrahedron};
    in.cell_points = {0, 1, 2, 3, 4, 5, 3, 4, 5, 6};
    in.cell_offsets = {0, 6, 10};
    in.cell_region = {0, 0};
    in.regions.push_back({"fluid", RegionKind::fluid});
    in.zones = {{"low", Role::wall}, {"rest", Role::inlet}};
    for (const auto& face : std::vector<std::vector<Index>>{
             {0, 2, 1}, {0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}, {3, 4, 6}, {4, 5, 6}, {5, 3, 6}}) {
        in.boundary_points.insert(in.boundary_points.end(), face.begin(), face.end());
        in.boundary_offsets.push_back(in.boundary_points.size());
        in.boundary_zone.push_back(face.size() == 3 && face[0] == 0 ? 0 : 1);
    }
    const QualityReport r = assess(assemble_mesh(std::move(in)));
    EXPECT_EQ(r.metric("visibility").count, 1U);
    EXPECT_EQ(r.metric("equivolume skewness").count, 1U);
    EXPECT_EQ(r.metric("aspect ratio").count, 2U);
    EXPECT_EQ(r.metric("warp").count, 3U);
    EXPECT_NEAR(r.metric("volume ratio").max, 3, 1e-12);
    ASSERT_EQ(r.groups.size(), 4U);  // two types, two zones
    EXPECT_EQ(r.groups[0].name, "tetrahedra");
    EXPECT_EQ(r.groups[2].name, "low");
    EXPECT_EQ(r.groups[2].n_cells, 1U);
    EXPECT_NEAR(r.groups[2].volume, 0.5, 1e-14);
    EXPECT_EQ(r.layers.size(), 1U);
}

TEST(Quality, NamesTheLikelyCause) {
    // A wedge of 5 degrees: its sharp edge is the cause of the worst angle.
    auto worst_of = [](const Surface& s, double size, const char* metric) {
        const Domain domain = kit::inside_of(split_at_sharp_edges(s, 40));
        SizeOptions sizes;
        sizes.surface = sizes.largest = size;
        const SizeField field = make_size_field(domain, sizes);
        return assess(fill_with_tetrahedra(mesh_surface(domain, field), field)).metric(metric).worst.at(0);
    };
    const WorstPlace wedge = worst_of(kit::wedge(5), 0.1, "smallest dihedral");
    EXPECT_NE(wedge.cause.find("which meet at 5"), std::string::npos) << wedge.cause;
    EXPECT_EQ(wedge.distance, 0);
    const WorstPlace plate = worst_of(kit::box({0, 0, 0}, {1, 1, 0.02}), 0.1, "smallest dihedral");
    EXPECT_NE(plate.cause.find("one cell wide"), std::string::npos) << plate.cause;
    EXPECT_NE(assess(two_tets()).verdict.find("Sound"), std::string::npos);
}

TEST(Selection, ChoosesCellsByWhatTheyAre) {
    const VolumeMesh mesh = two_tets(3);
    auto chosen = [&mesh](const char* text) { return select_cells(mesh, text); };
    EXPECT_EQ(chosen("volume > 0.2"), std::vector<Index>{1});
    EXPECT_EQ(chosen("volume ratio > 2"), (std::vector<Index>{0, 1}));
    EXPECT_EQ(chosen("volume > 0.2 and type != tetrahedra"), std::vector<Index>{});
    EXPECT_EQ(chosen("volume > 0.2 or volume < 0.2"), (std::vector<Index>{0, 1}));
    EXPECT_EQ(chosen("zone = t*"), (std::vector<Index>{0, 1}));  // the other one has points on it, too
    EXPECT_EQ(chosen("region = fluid and volume <= 0.17"), std::vector<Index>{0});
    for (const char* wrong : {"volume > x", "volume = 1", "zone > a", "type = balls", "skewnes > 1", "area_ratio > 1"})
        EXPECT_THROW(chosen(wrong), InputError) << wrong;
    const VolumeMesh alone = cells_alone(mesh, std::vector<Index>{1});
    EXPECT_EQ(find_faults(alone), std::vector<std::string>{});
    EXPECT_EQ(alone.n_cells(), 1U);
    EXPECT_EQ(alone.zones.size(), 2U);
    EXPECT_EQ(alone.zones.back().name, "cut");
    EXPECT_NEAR(assess(alone).volume, 0.5, 1e-12);
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

TEST(Quality, OfFacesBetweenCells) {
    const QualityReport r = assess(two_tets(3), QualityLimits{{{MetricId::volume_ratio, 2.5}}, {}});
    EXPECT_NEAR(r.metric("volume ratio").max, 3, 1e-12);
    EXPECT_EQ(r.metric("volume ratio").n_beyond, 1U);
    EXPECT_FALSE(r.limits_hold);
    EXPECT_EQ(r.metric("volume ratio").count, 1U);
    EXPECT_TRUE(assess(two_tets(2), QualityLimits{{{MetricId::volume_ratio, 2.5}}, {}}).limits_hold);
    // Centroids at (0.3, 0.3, 0.25) and (0.325, 0.325, -0.75): the angle to the vertical is known.
    EXPECT_NEAR(r.metric("non-orthogonality").max, std::atan(std::hypot(0.025, 0.025) / 1.0) * 180 / M_PI, 1e-9);
    EXPECT_EQ(r.metric("volume").worst[0].zone, "top");
    EXPECT_FALSE(assess(two_tets(), QualityLimits{{}, 1}).limits_hold);
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
    EXPECT_TRUE(found([](VolumeMesh& m) { m.face_offsets[1] = 7; }, "do not fit together"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.cell_offsets.front() = 1; }, "do not fit together"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.face_offsets[1] = 2; }, "fewer than three points"));
    EXPECT_TRUE(found([](VolumeMesh& m) { std::swap(m.cell_points[0], m.cell_points[1]); }, "other corners than"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.cell_points[3] = m.cell_points[7]; }, "other corners than"));
    EXPECT_TRUE(found([](VolumeMesh& m) { m.cell_types[0] = CellType::polyhedron; }, "other corners than"));
    // Counted in a byte, 257 times would be once.
    EXPECT_TRUE(found([](VolumeMesh& m) { m.zones.insert(m.zones.end(), 256, m.zones[0]); }, "257 zones, not in one"));
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
        for (const Index p : {0U, 2U, 1U, 0U, 1U, 3U, 1U, 2U, 3U, 2U, 0U, 3U}) in.boundary_points.push_back(p);
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
