// Meshes as other programs write them.

#include <cgnslib.h>
#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/planar.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sheet.hpp>

#include <array>
#include <functional>
#include <random>
#include <set>

#include "kit/scratch.hpp"

namespace anvilcast {
namespace {

class ForeignMeshes : public kit::ScratchTest {
  protected:
    /// A CGNS file with one base of volumes, made by the standard's own library.
    std::filesystem::path cgns(const std::function<void(int, int)>& fill, int cell_dimension = 3) const {
        const std::filesystem::path file = directory / "foreign.cgns";
        int f = 0, base = 0;
        EXPECT_EQ(cg_open(file.c_str(), CG_MODE_WRITE, &f), CG_OK);
        EXPECT_EQ(cg_base_write(f, "Base", cell_dimension, 3, &base), CG_OK);
        fill(f, base);
        EXPECT_EQ(cg_close(f), CG_OK) << cg_get_error();
        return file;
    }
    static void write_points(int f, int base, int zone, const std::vector<Vec3>& points) {
        for (int axis = 0; axis < 3; ++axis) {
            std::vector<double> values;
            for (const Vec3& p : points) values.push_back(p[axis]);
            int c = 0;
            constexpr std::array<const char*, 3> kNames{"CoordinateX", "CoordinateY", "CoordinateZ"};
            EXPECT_EQ(
                cg_coord_write(f, base, zone, RealDouble, kNames[static_cast<std::size_t>(axis)], values.data(), &c),
                CG_OK);
        }
    }
    /// A block of n x m x l points over a box.
    static int write_block(int f, int base, const char* name, std::array<cgsize_t, 3> n, const Vec3& lo,
                           const Vec3& hi) {
        std::array<cgsize_t, 9> size{n[0], n[1], n[2], n[0] - 1, n[1] - 1, n[2] - 1, 0, 0, 0};
        int zone = 0;
        EXPECT_EQ(cg_zone_write(f, base, name, size.data(), Structured, &zone), CG_OK);
        std::vector<Vec3> points;
        for (cgsize_t k = 0; k < n[2]; ++k)
            for (cgsize_t j = 0; j < n[1]; ++j)
                for (cgsize_t i = 0; i < n[0]; ++i) {
                    auto at = [](cgsize_t q, cgsize_t of, double a, double b) {
                        return a + (b - a) * static_cast<double>(q) / static_cast<double>(of - 1);
                    };
                    points.push_back({at(i, n[0], lo.x, hi.x), at(j, n[1], lo.y, hi.y), at(k, n[2], lo.z, hi.z)});
                }
        write_points(f, base, zone, points);
        return zone;
    }
    static void write_condition(int f, int base, int zone, const char* name, BCType_t type, PointSetType_t set,
                                const std::vector<cgsize_t>& items, const char* family = nullptr,
                                GridLocation_t location = Vertex) {
        int bc = 0;
        const auto n = static_cast<cgsize_t>(set == PointRange ? 2 : items.size());
        ASSERT_EQ(cg_boco_write(f, base, zone, name, type, set, n, items.data(), &bc), CG_OK) << cg_get_error();
        if (location != Vertex) {
            EXPECT_EQ(cg_boco_gridlocation_write(f, base, zone, bc, location), CG_OK);
        }
        if (family != nullptr) {
            EXPECT_EQ(cg_goto(f, base, "Zone_t", zone, "ZoneBC_t", 1, "BC_t", bc, "end"), CG_OK);
            EXPECT_EQ(cg_famname_write(family), CG_OK);
        }
    }
};

TEST_F(ForeignMeshes, BlocksAreJoinedAndNamedByFamilies) {
    const auto file = cgns([](int f, int base) {
        // The second block counts its first direction along y, so that the two are turned against each other.
        write_block(f, base, "left", {4, 3, 5}, {0, 0, 0}, {1, 1, 1});
        std::array<cgsize_t, 9> size{3, 6, 5, 2, 5, 4, 0, 0, 0};
        int right = 0;
        EXPECT_EQ(cg_zone_write(f, base, "right", size.data(), Structured, &right), CG_OK);
        std::vector<Vec3> points;
        for (int k = 0; k < 5; ++k)
            for (int j = 0; j < 6; ++j)
                for (int i = 0; i < 3; ++i) points.push_back({1 + 0.4 * j, 0.5 * i, 0.25 * k});
        write_points(f, base, right, points);
        std::array<cgsize_t, 6> own{4, 1, 1, 4, 3, 5}, theirs{1, 1, 1, 3, 1, 5};
        std::array<int, 3> transform{2, 1, 3};
        int c = 0;
        EXPECT_EQ(cg_1to1_write(f, base, 1, "to-right", "right", own.data(), theirs.data(), transform.data(), &c),
                  CG_OK);
        int family = 0, bc = 0;
        EXPECT_EQ(cg_family_write(f, base, "floor", &family), CG_OK);
        EXPECT_EQ(cg_fambc_write(f, base, family, "FamBC", BCWall, &bc), CG_OK);
        write_condition(f, base, 1, "bottom-1", FamilySpecified, PointRange, {1, 1, 1, 4, 3, 1}, "floor");
        write_condition(f, base, 2, "bottom-2", FamilySpecified, PointRange, {1, 1, 1, 3, 6, 1}, "floor");
        write_condition(f, base, 1, "feed", BCInflow, PointRange, {1, 1, 1, 1, 3, 5});
        // By faces: the range counts cells.
        write_condition(f, base, 2, "drain", BCOutflow, PointRange, {1, 6, 1, 2, 6, 4}, nullptr, JFaceCenter);
    });
    const VolumeMesh mesh = read_mesh(file);
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_EQ(mesh.n_cells(), 3U * 2 * 4 + 2U * 5 * 4);
    EXPECT_EQ(mesh.regions.size(), 1U);
    ASSERT_EQ(mesh.zones.size(), 4U);
    const QualityReport r = assess(mesh);
    EXPECT_NEAR(r.volume, 3, 1e-12);
    EXPECT_EQ(mesh.zones[0].name, "floor");
    EXPECT_NEAR(r.zone_areas[0], 3, 1e-12);
    EXPECT_EQ(mesh.zones[1].name, "feed");
    EXPECT_EQ(mesh.zones[1].role, Role::inlet);
    EXPECT_NEAR(r.zone_areas[1], 1, 1e-12);
    EXPECT_EQ(mesh.zones[2].role, Role::outlet);
    EXPECT_NEAR(r.zone_areas[2], 1, 1e-12);
    EXPECT_EQ(mesh.zones[3].name, "unnamed");
    EXPECT_NEAR(r.zone_areas[3], 2 * 3 + 3, 1e-12);
    EXPECT_NEAR(r.metric("corner determinant").min, 1, 1e-12);
}

/// A cube of a hexahedron below and a pyramid with tetrahedra round it above, in one section, boundaries by points.
TEST_F(ForeignMeshes, MixedSectionsAndBoundariesByPoints) {
    const std::vector<Vec3> points{{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0},    {0, 0, 1},
                                   {1, 0, 1}, {1, 1, 1}, {0, 1, 1}, {0.5, 0.5, 2}};
    auto write = [&](int f, int base) {
        EXPECT_EQ(cg_goto(f, base, "end"), CG_OK);
        EXPECT_EQ(cg_units_write(Kilogram, Millimeter, Second, Kelvin, Degree), CG_OK);
        std::array<cgsize_t, 3> size{static_cast<cgsize_t>(points.size()), 2, 0};
        int zone = 0, section = 0;
        EXPECT_EQ(cg_zone_write(f, base, "part", size.data(), Unstructured, &zone), CG_OK);
        write_points(f, base, zone, points);
        const std::vector<cgsize_t> elements{HEXA_8, 1, 2, 3, 4, 5, 6, 7, 8, PYRA_5, 5, 6, 7, 8, 9};
        const std::vector<cgsize_t> offsets{0, 9, 15};
        EXPECT_EQ(
            cg_poly_section_write(f, base, zone, "all", MIXED, 1, 2, 0, elements.data(), offsets.data(), &section),
            CG_OK)
            << cg_get_error();
        write_condition(f, base, zone, "ground", BCSymmetryPlane, PointList, {1, 2, 3, 4});
    };
    const VolumeMesh mesh = read_mesh(cgns(write));
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_EQ(mesh.n_cells(), 2U);
    const QualityReport r = assess(mesh);
    EXPECT_NEAR(r.volume, 1e-9 * (1 + 1.0 / 3), 1e-22);  // millimetres
    ASSERT_EQ(mesh.zones.size(), 2U);
    EXPECT_EQ(mesh.zones[0].role, Role::symmetry);
    EXPECT_NEAR(r.zone_areas[0], 1e-6, 1e-18);
    EXPECT_EQ(mesh.zones[1].name, "unnamed");
    EXPECT_EQ(mesh.zones[1].n_faces, 8U);
}

/// Two cubes side by side by their faces, each with the cells on its sides and no list of cells.
TEST_F(ForeignMeshes, PolygonsWithTheirParents) {
    std::vector<Vec3> points;
    for (int k = 0; k < 2; ++k)
        for (int j = 0; j < 2; ++j)
            for (int i = 0; i < 3; ++i)
                points.push_back({static_cast<double>(i), static_cast<double>(j), static_cast<double>(k)});
    auto p = [](int i, int j, int k) { return static_cast<cgsize_t>(1 + i + 3 * j + 6 * k); };
    std::vector<cgsize_t> faces, offsets{0}, parents_left, parents_right;
    auto add = [&](std::vector<cgsize_t> corners, cgsize_t inside, cgsize_t beyond) {
        faces.insert(faces.end(), corners.begin(), corners.end());
        offsets.push_back(static_cast<cgsize_t>(faces.size()));
        parents_left.push_back(inside);
        parents_right.push_back(beyond);
    };
    add({p(1, 0, 0), p(1, 1, 0), p(1, 1, 1), p(1, 0, 1)}, 12, 13);  // between
    add({p(0, 0, 0), p(0, 0, 1), p(0, 1, 1), p(0, 1, 0)}, 12, 0);
    add({p(2, 0, 0), p(2, 1, 0), p(2, 1, 1), p(2, 0, 1)}, 13, 0);
    for (int c = 0; c < 2; ++c) {
        const cgsize_t cell = 12 + c;
        add({p(c, 0, 0), p(c, 1, 0), p(c + 1, 1, 0), p(c + 1, 0, 0)}, cell, 0);
        add({p(c, 0, 1), p(c + 1, 0, 1), p(c + 1, 1, 1), p(c, 1, 1)}, cell, 0);
        add({p(c, 0, 0), p(c + 1, 0, 0), p(c + 1, 0, 1), p(c, 0, 1)}, cell, 0);
        add({p(c, 1, 0), p(c, 1, 1), p(c + 1, 1, 1), p(c + 1, 1, 0)}, cell, 0);
    }
    std::vector<cgsize_t> parents = parents_left;
    parents.insert(parents.end(), parents_right.begin(), parents_right.end());
    parents.resize(4 * parents_left.size(), 0);
    const auto file = cgns([&](int f, int base) {
        std::array<cgsize_t, 3> size{12, 2, 0};
        int zone = 0, section = 0;
        EXPECT_EQ(cg_zone_write(f, base, "part", size.data(), Unstructured, &zone), CG_OK);
        write_points(f, base, zone, points);
        EXPECT_EQ(
            cg_poly_section_write(f, base, zone, "faces", NGON_n, 1, 11, 0, faces.data(), offsets.data(), &section),
            CG_OK);
        EXPECT_EQ(cg_parent_data_write(f, base, zone, section, parents.data()), CG_OK) << cg_get_error();
        write_condition(f, base, zone, "feed", BCInflow, PointList, {2}, nullptr, FaceCenter);
    });
    const VolumeMesh mesh = read_mesh(file);
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_EQ(mesh.n_cells(), 2U);
    EXPECT_EQ(mesh.cell_types[0], CellType::polyhedron);
    EXPECT_NEAR(assess(mesh).volume, 2, 1e-12);
    ASSERT_EQ(mesh.zones.size(), 2U);
    EXPECT_EQ(mesh.zones[0].name, "feed");
    EXPECT_EQ(mesh.zones[0].n_faces, 1U);
    EXPECT_EQ(mesh.zones[1].n_faces, 9U);
}

/// A cube with its six sides as elements 2 to 7.
void write_cube(int f, int base, const std::function<void(int zone)>& more) {
    std::array<cgsize_t, 3> size{8, 1, 0};
    int zone = 0, section = 0;
    EXPECT_EQ(cg_zone_write(f, base, "cube", size.data(), Unstructured, &zone), CG_OK);
    std::array<std::vector<double>, 3> values;
    for (int k = 0; k < 8; ++k) {
        values[0].push_back((k & 3) == 1 || (k & 3) == 2);
        values[1].push_back((k & 3) >= 2);
        values[2].push_back(k >= 4);
    }
    const std::array<const char*, 3> axes{"CoordinateX", "CoordinateY", "CoordinateZ"};
    int coordinate = 0;
    for (std::size_t a = 0; a < 3; ++a)
        EXPECT_EQ(cg_coord_write(f, base, zone, RealDouble, axes[a], values[a].data(), &coordinate), CG_OK);
    const std::vector<cgsize_t> cell{1, 2, 3, 4, 5, 6, 7, 8};
    const std::vector<cgsize_t> sides{1, 4, 3, 2, 5, 6, 7, 8, 1, 2, 6, 5, 2, 3, 7, 6, 3, 4, 8, 7, 4, 1, 5, 8};
    EXPECT_EQ(cg_section_write(f, base, zone, "cells", HEXA_8, 1, 1, 0, cell.data(), &section), CG_OK);
    EXPECT_EQ(cg_section_write(f, base, zone, "sides", QUAD_4, 2, 7, 0, sides.data(), &section), CG_OK);
    more(zone);
}

TEST_F(ForeignMeshes, WhereRangesOverlapTheShorterOneNamesTheFace) {
    const VolumeMesh mesh = read_mesh(cgns([](int f, int base) {
        write_cube(f, base, [&](int zone) {
            write_condition(f, base, zone, "feed", BCInflow, PointRange, {4, 4}, nullptr, FaceCenter);
            write_condition(f, base, zone, "walls", BCWall, PointRange, {2, 7}, nullptr, FaceCenter);
        });
    }));
    ASSERT_EQ(mesh.zones.size(), 2U);
    EXPECT_EQ(mesh.zones[0].name, "feed");
    EXPECT_EQ(mesh.zones[0].n_faces, 1U);
    EXPECT_EQ(mesh.zones[1].n_faces, 5U);
}

TEST_F(ForeignMeshes, SidesThatRepeatEachOtherAreNotJoined) {
    const VolumeMesh mesh = read_mesh(cgns([](int f, int base) {
        write_cube(f, base, [&](int zone) {
            auto join = [&](const char* name, cgsize_t own, cgsize_t theirs, const std::array<float, 3>& angle,
                            const std::array<float, 3>& way) {
                int connection = 0;
                EXPECT_EQ(cg_conn_write(f, base, zone, name, FaceCenter, Abutting1to1, PointList, 1, &own, "cube",
                                        Unstructured, PointListDonor, sizeof(cgsize_t) == 8 ? LongInteger : Integer, 1,
                                        &theirs, &connection),
                          CG_OK);
                const std::array<float, 3> none{0, 0, 0};
                EXPECT_EQ(cg_conn_periodic_write(f, base, zone, connection, none.data(), angle.data(), way.data()),
                          CG_OK);
            };
            join("below", 2, 3, {0, 0, 0}, {0, 0, 1});
            join("above", 3, 2, {0, 0, 0}, {0, 0, -1});
            // A quarter turn, in radians where no unit is told.
            join("front", 4, 7, {0, 0, 1.5707964F}, {0, 0, 0});
            join("left", 7, 4, {0, 0, -1.5707964F}, {0, 0, 0});
        });
    }));
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    EXPECT_NEAR(assess(mesh).volume, 1, 1e-12);
    ASSERT_EQ(mesh.periodic.size(), 2U);
    EXPECT_EQ(mesh.periodic[0].first, "below");
    EXPECT_EQ(mesh.periodic[0].second, "above");
    EXPECT_EQ(mesh.periodic[0].image.origin, (Vec3{0, 0, 1}));
    EXPECT_EQ(mesh.periodic[1].first, "front");
    EXPECT_NEAR(screw_of(mesh.periodic[1].image).degrees, 90, 1e-5);
    for (const BoundaryZone& z : mesh.zones) EXPECT_EQ(z.role == Role::periodic, z.name != "unnamed") << z.name;
}

TEST_F(ForeignMeshes, ASideThatRepeatsMayBeToldOfOnce) {
    for (const bool has_conditions : {false, true}) {
        const VolumeMesh mesh = read_mesh(cgns([&](int f, int base) {
            write_cube(f, base, [&](int zone) {
                if (has_conditions) {
                    write_condition(f, base, zone, "low", BCWall, PointRange, {2, 2}, nullptr, FaceCenter);
                    write_condition(f, base, zone, "high", BCWall, PointRange, {3, 3}, nullptr, FaceCenter);
                }
                const cgsize_t own = 2, theirs = 3;
                const std::array<float, 3> none{0, 0, 0}, way{0, 0, 1};
                int connection = 0;
                EXPECT_EQ(cg_conn_write(f, base, zone, "below", FaceCenter, Abutting1to1, PointList, 1, &own, "cube",
                                        Unstructured, PointListDonor, sizeof(cgsize_t) == 8 ? LongInteger : Integer, 1,
                                        &theirs, &connection),
                          CG_OK);
                EXPECT_EQ(cg_conn_periodic_write(f, base, zone, connection, none.data(), none.data(), way.data()),
                          CG_OK);
            });
        }));
        EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
        ASSERT_EQ(mesh.periodic.size(), 1U);
        EXPECT_EQ(mesh.periodic[0].first, has_conditions ? "low" : "below");
        EXPECT_EQ(mesh.periodic[0].second, has_conditions ? "high" : "below-image");
        EXPECT_EQ(mesh.periodic[0].image.origin, (Vec3{0, 0, 1}));
    }
}

TEST_F(ForeignMeshes, DamagedOnesAreToldNotTrusted) {
    const auto good_file = cgns([](int f, int base) { write_cube(f, base, [](int) {}); });
    const std::string good = content(good_file);
    for (unsigned number = 0; number < 120; ++number) {
        std::mt19937 random(number);
        std::string bytes = good;
        for (unsigned k = 0; k < 1 + number % 30; ++k) bytes[random() % bytes.size()] = static_cast<char>(random());
        if (number % 10 == 0) bytes.resize(random() % bytes.size());
        put(directory / "bad.cgns", bytes);
        try {
            const VolumeMesh mesh = read_mesh(directory / "bad.cgns");
            for (const Index p : mesh.face_points) ASSERT_LT(p, mesh.points.size());
        } catch (const InputError& e) {
            EXPECT_NE(std::string(e.what()).find("bad.cgns"), std::string::npos);
        }
    }
}

/// A square of 2 x 2 beside a triangle, some cells clockwise; boundaries by edges, by points, or not at all.
TEST_F(ForeignMeshes, PlaneMeshesAreRead) {
    auto write = [&](double lift, bool as_polygons) {
        return [=](int f, int base) {
            const std::vector<Vec3> points{{0, 0, 5}, {1, 0, 5}, {1, 1, 5}, {0, 1, 5 + lift}, {2, 0, 5}};
            std::array<cgsize_t, 3> size{5, 2, 0};
            int zone = 0, section = 0;
            EXPECT_EQ(cg_zone_write(f, base, "plate", size.data(), Unstructured, &zone), CG_OK);
            write_points(f, base, zone, points);
            if (as_polygons) {
                const std::vector<cgsize_t> elements{1, 2, 3, 4, 2, 5, 3}, offsets{0, 4, 7};
                EXPECT_EQ(cg_poly_section_write(f, base, zone, "cells", NGON_n, 1, 2, 0, elements.data(),
                                                offsets.data(), &section),
                          CG_OK);
                return;
            }
            const std::vector<cgsize_t> quad{4, 3, 2, 1}, triangle{2, 5, 3}, bars{1, 2, 2, 5};
            EXPECT_EQ(cg_section_write(f, base, zone, "quads", QUAD_4, 1, 1, 0, quad.data(), &section), CG_OK);
            EXPECT_EQ(cg_section_write(f, base, zone, "triangles", TRI_3, 2, 2, 0, triangle.data(), &section), CG_OK);
            EXPECT_EQ(cg_section_write(f, base, zone, "bars", BAR_2, 3, 4, 0, bars.data(), &section), CG_OK);
            write_condition(f, base, zone, "bed", BCWall, PointRange, {3, 4}, nullptr, EdgeCenter);
            write_condition(f, base, zone, "feed", BCInflow, PointList, {1, 4});
        };
    };
    const VolumeMesh mesh = read_mesh(cgns(write(0, false), 2));
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
    const QualityReport r = assess(mesh);
    EXPECT_TRUE(r.is_plane);
    EXPECT_NEAR(r.volume, 1.5, 1e-12);
    ASSERT_EQ(mesh.n_named_zones(), 3U);
    EXPECT_EQ(mesh.zones[0].name, "bed");
    EXPECT_NEAR(r.zone_areas[0], 2, 1e-12);
    EXPECT_EQ(mesh.zones[1].role, Role::inlet);
    EXPECT_NEAR(r.zone_areas[1], 1, 1e-12);
    EXPECT_EQ(mesh.zones[2].name, "unnamed");
    auto told = [&](const std::filesystem::path& file) {
        return kit::message_of<InputError>([&] { read_mesh(file); });
    };
    EXPECT_NE(told(cgns(write(0.1, false), 2)).find("one plane"), std::string::npos);
    EXPECT_NE(told(cgns(write(0, true), 2)).find("polygons"), std::string::npos);
}

TEST_F(ForeignMeshes, PlaneMeshesOfOursComeBackFromBothFormats) {
    PlaneRequest request;
    request.curves = {{{"duct"}, straight_pieces({{0, 0}, {0.2, 0}, {0.2, 0.1}, {0, 0.1}, {0, 0}})},
                      {{"rod"}, circle({0.1, 0.05}, 0.02)}};
    request.areas = {{"water", RegionKind::fluid, Vec2{0.01, 0.05}, PlaneCells::triangles},
                     {"steel", RegionKind::solid, Vec2{0.1, 0.05}, PlaneCells::quadrangles}};
    request.sizing.surface = request.sizing.largest = 0.01;
    const VolumeMesh mesh = sheet_of(mesh_plane(request).mesh);
    for (const char* name : {"plane.cgns", "plane.vtu"}) {
        write_mesh(directory / name, mesh);
        const VolumeMesh back = read_mesh(directory / name);
        EXPECT_EQ(find_faults(back), std::vector<std::string>{}) << name;
        EXPECT_EQ(back.n_cells(), mesh.n_cells());
        EXPECT_EQ(back.points.size(), mesh.points.size());
        ASSERT_EQ(back.n_named_zones(), mesh.n_named_zones());
        ASSERT_EQ(back.regions.size(), 2U);
        for (const Region& region : back.regions)
            EXPECT_EQ(region.kind, region.name == "steel" ? RegionKind::solid : RegionKind::fluid);
        const QualityReport a = assess(mesh), b = assess(back);
        EXPECT_NEAR(a.volume, b.volume, 1e-15);
        for (const BoundaryZone& zone : std::span(mesh.zones).first(mesh.n_named_zones())) {
            const auto same = std::find_if(back.zones.begin(), back.zones.end(), [&](const BoundaryZone& z) {
                return z.name == zone.name || z.other_name == zone.name;
            });
            ASSERT_NE(same, back.zones.end()) << zone.name;
            EXPECT_EQ(same->n_faces, zone.n_faces);
            EXPECT_EQ(same->role, zone.role);
            // The file lists the regions by name.
            EXPECT_EQ(std::set({same->name, same->other_name}), std::set({zone.name, zone.other_name}));
        }
    }
}

TEST_F(ForeignMeshes, WhatCannotBeReadSaysWhy) {
    auto told = [&](const std::filesystem::path& file) {
        return kit::message_of<InputError>([&] { read_mesh(file); });
    };
    EXPECT_NE(told(cgns([](int, int) {}, 2)).find("no zone"), std::string::npos);
    EXPECT_NE(told(cgns([](int, int) {})).find("no zone"), std::string::npos);
    EXPECT_NE(told(cgns([](int f, int base) {
                  write_block(f, base, "a", {2, 2, 2}, {0, 0, 0}, {1, 1, 1});
                  write_condition(f, base, 1, "in", BCInflow, PointRange, {1, 1, 1, 2, 2, 9});
              })).find("out of its block"),
              std::string::npos);
    EXPECT_NE(told(cgns([](int f, int base) {
                  write_block(f, base, "a", {2, 2, 2}, {0, 0, 0}, {1, 1, 1});
                  write_condition(f, base, 1, "in", BCInflow, PointRange, {1, 1, 1, 2, 2, 2});
              })).find("no side"),
              std::string::npos);
    // A left-handed block is turned, not refused.
    const VolumeMesh mesh = read_mesh(cgns([](int f, int base) {
        write_block(f, base, "a", {3, 3, 3}, {0, 0, 1}, {1, 1, 0});
    }));
    EXPECT_EQ(find_faults(mesh), std::vector<std::string>{});
}

}  // namespace
}  // namespace anvilcast
