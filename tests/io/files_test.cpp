// Readers and writers: round trips, dialects, and hostile input, which must end in an InputError with a place.

#include <gtest/gtest.h>
#include <anvilcast/assembly.hpp>
#include <anvilcast/case.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/shapes.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/weld.hpp>

#include <cstring>
#include <fstream>
#include <map>
#include <numbers>
#include <random>
#include <set>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;
const LengthUnit kMm = parse_length_unit("mm");

class Files : public kit::ScratchTest {};

std::string message_of(const std::function<void()>& action) { return kit::message_of<InputError>(action); }

VolumeMesh small_mesh() {
    const Surface s = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 1}), 40);
    SizeOptions sizes;
    sizes.surface = 0.5;
    SurfaceMesh surface = kit::as_mesh(s);
    surface.regions = {{"gas", RegionKind::fluid}};
    VolumeMesh mesh = fill_with_tetrahedra(surface, size_field_of_mesh(s, sizes));
    mesh.zones[0].role = Role::inlet;
    mesh.zones[1].role = Role::outlet;
    return mesh;
}

void expect_same(const VolumeMesh& a, const VolumeMesh& b) {
    EXPECT_EQ(a.points, b.points);
    EXPECT_EQ(a.cell_points, b.cell_points);
    EXPECT_EQ(a.face_points, b.face_points);
    EXPECT_EQ(a.owner, b.owner);
    ASSERT_EQ(a.zones.size(), b.zones.size());
    for (std::size_t z = 0; z < a.zones.size(); ++z) {
        EXPECT_EQ(a.zones[z].name, b.zones[z].name);
        EXPECT_EQ(a.zones[z].role, b.zones[z].role);
        EXPECT_EQ(a.zones[z].n_faces, b.zones[z].n_faces);
    }
    EXPECT_EQ(a.regions[0].name, b.regions[0].name);
}

TEST_F(Files, StlRoundTrips) {
    const Surface box = split_at_sharp_edges(kit::box({-0.5, 0, 0.25}, {1, 2, 3}), 40);
    for (const StlFormat format : {StlFormat::ascii, StlFormat::binary}) {
        write_stl(directory / "box.stl", box, kMm, format);
        const Surface back = read_stl(directory / "box.stl", kMm);
        EXPECT_EQ(back.zones.size(), format == StlFormat::ascii ? 6U : 1U);
        EXPECT_EQ(back.points.size(), 8U);
        EXPECT_NEAR(examine(back).enclosed_volume, 1.5 * 2 * 2.75, 1e-6);
    }
    EXPECT_EQ(std::distance(fs::directory_iterator(directory), {}), 1);
}

TEST(Stl, ReadsTheDialectsOfPractice) {
    const std::string facet =
        "facet normal 0 0 1\n outer loop\n  vertex 0 0 0\n  vertex 1 0 0\n  vertex 0 1 0\n endloop\nendfacet\n";
    std::string shouted = "SOLID Grand Duct\n" + facet;
    for (char& c : shouted) c = static_cast<char>(std::toupper(c));
    EXPECT_EQ(parse_stl(shouted, "a.stl", kMm).zones[0].name, "GRAND DUCT");
    std::string dos =
        "solid one\r\n\tfacet normal 0 0 1\r\nouter loop\r\nvertex 0 0 0\r\nvertex +1.0E+00 0 0\r\nvertex 0 1 "
        "0\r\nendloop\r\nendfacet\r\n"
        "endsolid one\r\nsolid two\r\nfacet\r\nouter loop\r\nvertex 0 0 0\r\nvertex 0 1 0\r\nvertex 0 0 "
        "1\r\nendloop\r\nendfacet\r\nendsolid\r\n";
    const Surface two = parse_stl(dos, "b.stl", kMm);
    EXPECT_EQ(two.zones.size(), 2U);
    EXPECT_EQ(two.points.size(), 4U);
    EXPECT_NEAR(two.points[1].x, 0.001, 1e-15);
    EXPECT_EQ(parse_stl("solid \xC3\xA9t\xC3\xA9\n" + facet, "c.stl", kMm).zones[0].name, "\xC3\xA9t\xC3\xA9");
    EXPECT_EQ(parse_stl("solid\n" + facet, "dir/part-7.stl", kMm).zones[0].name, "part-7");
    EXPECT_EQ(parse_stl("solid x\n" + facet, "d.stl", kMm).triangles.size(), 1U);  // no endsolid

    // A binary file whose head begins with "solid".
    std::string binary(84 + 50, '\0');
    std::memcpy(binary.data(), "solid but binary", 16);
    const std::uint32_t n = 1;
    std::memcpy(binary.data() + 80, &n, 4);
    const float corners[9] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
    std::memcpy(binary.data() + 84 + 12, corners, 36);
    EXPECT_EQ(parse_stl(binary, "e.stl", kMm).triangles.size(), 1U);
}

TEST_F(Files, BadStlIsToldWithItsPlace) {
    auto told = [&](const std::string& bytes) {
        put(directory / "bad.stl", bytes);
        return message_of([&] { read_stl(directory / "bad.stl", kMm); });
    };
    EXPECT_NE(message_of([&] { read_stl(directory / "none.stl", kMm); }).find("no such file"), std::string::npos);
    EXPECT_NE(message_of([&] { read_stl(directory, kMm); }).find("is a directory"), std::string::npos);
    EXPECT_NE(told("").find("empty"), std::string::npos);
    EXPECT_NE(told("solid nothing\nendsolid nothing\n").find("no triangle"), std::string::npos);
    EXPECT_NE(told("solid a\nfacet\nouter loop\nvertex 0 zero 0\n").find("line 4"), std::string::npos);
    EXPECT_NE(told("solid a\nfacet\nouter loop\nvertex 0 nan 0\n").find("line 4"), std::string::npos);
    EXPECT_NE(told("solid a\nfacet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nendloop\n").find("has 2"),
              std::string::npos);
    EXPECT_NE(told("solid a\nfacet\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n").find("truncated"), std::string::npos);
    EXPECT_NE(told("solid a\nfacet\nouter loop\nvertex 0 0 0 4\n").find("three numbers"), std::string::npos);
    EXPECT_NE(told("solid a\nhello\n").find("line 2"), std::string::npos);
    EXPECT_NE(told("some words").find("is it an STL file"), std::string::npos);
    std::string lying(200, '\xFF');  // announces four billion triangles
    EXPECT_NE(told(lying).find("4294967295"), std::string::npos);
    std::string infinite(84 + 50, '\0');
    const std::uint32_t one = 1;
    std::memcpy(infinite.data() + 80, &one, 4);
    const float inf = std::numeric_limits<float>::infinity();
    std::memcpy(infinite.data() + 84 + 20, &inf, 4);
    EXPECT_NE(told(infinite).find("triangle 1"), std::string::npos);
}

TEST_F(Files, MeshesRoundTrip) {
    const VolumeMesh mesh = small_mesh();
    ASSERT_TRUE(find_faults(mesh).empty());
    for (const char* name : {"mesh.cgns", "mesh.vtu"}) {
        write_mesh(directory / name, mesh);
        const VolumeMesh back = read_mesh(directory / name);
        expect_same(mesh, back);
        EXPECT_TRUE(find_faults(back).empty());
        const std::string first = content(directory / name);
        write_mesh(directory / name, back);
        EXPECT_EQ(content(directory / name).size(), first.size());
    }
    EXPECT_NEAR(examine(boundary_surface(mesh)).enclosed_volume, 2, 1e-12);
    EXPECT_THROW(write_mesh(directory / "mesh.obj", mesh), InputError);
    EXPECT_THROW(write_mesh(directory / "no" / "such" / "dir.vtu", mesh), FailureError);
    EXPECT_THROW(write_mesh(directory / "no" / "such" / "dir.cgns", mesh), FailureError);
    EXPECT_EQ(std::distance(fs::directory_iterator(directory), {}), 2);  // nothing half-written beside
}

TEST_F(Files, RolesTypesSheetsAndLongNamesComeBack) {
    // Two layers of cells with a sheet between, one region on; walls of every role that the files know.
    const Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 2}), 40);
    Surface sheet = rectangle_surface({0.5, 0.5, 1}, {0, 0, 1}, {0, 1, 0}, 3, 3, "x");
    SpaceOptions options;
    options.dividers = {{sheet}};
    const std::string long_name = "the zone whose name is much too long for the standard, ";
    for (const bool has_polyhedra : {false, true})
        for (const std::vector<BoundaryRole>& roles :
             {std::vector<BoundaryRole>{{Role::fan}, {Role::slip}, {Role::open}, {Role::axis}, {Role::degenerate}},
              std::vector<BoundaryRole>{{Role::screen},
                                        parse_role("BC:BCWallViscousHeatFlux"),
                                        parse_role("BC:BCTunnelInflow"),
                                        parse_role("BC:BCExtrapolate"),
                                        {Role::farfield}}}) {
            options.dividers[0].surface.zones[0].set(roles[0]);
            Domain d = choose_regions(divide_space(box, {}, options),
                                      {{.name = long_name, .inside = Vec3{0.4, 0.4, 0.4}}}, kMm);
            std::size_t next = 1;
            for (Zone& z : d.boundary.zones) {
                if (is_within_region(z.role)) continue;
                z.set(roles[next++ % 5 == 0 ? 1 : (next - 1) % 5]);
                z.name = long_name + std::to_string(next);
            }
            SizeOptions sizes;
            sizes.surface = sizes.largest = 0.5;
            const SizeField field = make_size_field(d, sizes);
            const SurfaceMesh surface = mesh_surface(d, field);
            const VolumeMesh mesh =
                has_polyhedra ? fill_with_polyhedra(surface, field) : fill_with_tetrahedra(surface, field);
            ASSERT_EQ(find_faults(mesh), std::vector<std::string>{});
            for (const char* name : {"mesh.cgns", "mesh.vtu"}) {
                write_mesh(directory / name, mesh);
                const VolumeMesh back = read_mesh(directory / name);
                EXPECT_TRUE(find_faults(back).empty());
                EXPECT_EQ(back.regions[0].name, long_name);
                EXPECT_EQ(back.n_inner_faces() - back.n_plain_faces(), mesh.n_inner_faces() - mesh.n_plain_faces());
                EXPECT_GT(back.n_inner_faces(), back.n_plain_faces());
                std::map<std::string, std::pair<BoundaryRole, std::size_t>> own, read;
                for (const BoundaryZone& z : mesh.zones) own[z.name] = {z.boundary_role(), z.n_faces};
                for (const BoundaryZone& z : back.zones) read[z.name] = {z.boundary_role(), z.n_faces};
                EXPECT_TRUE(own == read) << name;
            }
            const CgnsNames names = cgns_names(mesh);
            EXPECT_EQ(std::set<std::string>(names.zones.begin(), names.zones.end()).size(), mesh.zones.size());
            for (const std::string& n : names.zones) EXPECT_LE(n.size(), 32U);
        }
}

TEST_F(Files, SidesThatRepeatRoundTrip) {
    // A quarter of a disc, somewhere.
    std::vector<Vec2> outline{{0, 0}};
    for (int k = 0; k <= 6; ++k)
        outline.push_back({std::cos(k * std::numbers::pi / 12), std::sin(k * std::numbers::pi / 12)});
    const Placement there = after(Placement::turned({1, 2, 3}, 50, {}), Placement::moved({3, -1, 2}));
    Surface s = placed(split_at_sharp_edges(kit::prism(outline, 0.5), 40), there);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Vec3 n = inverse(there).direction(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        if (n.y < -0.9 * length(n)) s.zones[s.zone_of[t]].name = "first";
        if (n.x < -0.9 * length(n)) s.zones[s.zone_of[t]].name = "second";
    }
    const Domain d = make_periodic(kit::inside_of(s), {{.first = "first", .second = "second"}}, kMm);
    SizeOptions sizes;
    sizes.surface = sizes.largest = 0.3;
    const SizeField field = make_size_field(d, sizes);
    const SurfaceMesh surface = mesh_surface(d, field);
    for (const bool has_polyhedra : {false, true}) {
        const VolumeMesh mesh =
            has_polyhedra ? fill_with_polyhedra(surface, field) : fill_with_tetrahedra(surface, field);
        ASSERT_EQ(find_faults(mesh), std::vector<std::string>{});
        for (const char* name : {"mesh.cgns", "mesh.vtu"}) {
            write_mesh(directory / name, mesh);
            const VolumeMesh back = read_mesh(directory / name);
            EXPECT_EQ(find_faults(back), std::vector<std::string>{}) << name;
            ASSERT_EQ(back.periodic.size(), 1U) << name;
            EXPECT_EQ(back.periodic[0].first, "first");
            EXPECT_EQ(back.periodic[0].second, "second");
            for (const Vec3& p : {Vec3{0, 0, 0}, Vec3{3, -1, 2}, Vec3{2, 0, 1}})
                EXPECT_LT(distance(back.periodic[0].image(p), mesh.periodic[0].image(p)), 1e-13) << name;
            for (const BoundaryZone& z : back.zones)
                EXPECT_EQ(z.role == Role::periodic, z.name == "first" || z.name == "second");
        }
    }
}

TEST_F(Files, MixedCellsRoundTripThroughCgns) {
    CellsAndBoundary in;
    in.points = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}, {0.5, 0.5, 2}};
    in.cell_types = {CellType::hexahedron, CellType::pyramid};
    in.cell_points = {0, 1, 2, 3, 4, 5, 6, 7, 4, 5, 6, 7, 8};
    in.cell_offsets = {0, 8, 13};
    in.cell_region = {0, 0};
    in.regions.push_back({"gas", RegionKind::fluid});
    in.zones.push_back({"a zone with a name of more than 32 letters", Role::farfield});
    for (const std::vector<Index>& f : std::vector<std::vector<Index>>{{0, 3, 2, 1},
                                                                       {0, 1, 5, 4},
                                                                       {1, 2, 6, 5},
                                                                       {2, 3, 7, 6},
                                                                       {0, 4, 7, 3},
                                                                       {4, 5, 8},
                                                                       {5, 6, 8},
                                                                       {6, 7, 8},
                                                                       {7, 4, 8}}) {
        in.boundary_points.insert(in.boundary_points.end(), f.begin(), f.end());
        in.boundary_offsets.push_back(in.boundary_points.size());
        in.boundary_zone.push_back(0);
    }
    const VolumeMesh mesh = assemble_mesh(std::move(in));
    write_cgns(directory / "mixed.cgns", mesh);
    const VolumeMesh back = read_cgns(directory / "mixed.cgns");
    EXPECT_TRUE(find_faults(back).empty());
    EXPECT_NEAR(assess(back).volume, 4.0 / 3, 1e-14);
    EXPECT_EQ(back.zones[0].n_faces, 9U);
    EXPECT_EQ(back.zones[0].role, Role::farfield);
}

/// Two regions, one on the other, of polyhedra.
VolumeMesh small_polyhedra() {
    const Surface two = joined({split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 1}, "low"), 40),
                                split_at_sharp_edges(kit::box({0.2, 0.2, 1}, {0.8, 0.8, 1.5}, "high"), 40)});
    RegionRequest gas, block;
    gas.name = "gas";
    gas.inside = Vec3{0.5, 0.5, 0.5};
    block.name = "block";
    block.kind = RegionKind::solid;
    block.inside = Vec3{0.5, 0.5, 1.2};
    const Domain domain = choose_regions(divide_space(two), {gas, block}, kMm);
    SizeOptions options;
    options.surface = options.largest = 0.3;
    const SizeField sizes = make_size_field(domain, options);
    return fill_with_polyhedra(mesh_surface(domain, sizes), sizes);
}

TEST_F(Files, PolyhedraRoundTrip) {
    const VolumeMesh mesh = small_polyhedra();
    ASSERT_EQ(find_faults(mesh), std::vector<std::string>{});
    ASSERT_EQ(mesh.regions.size(), 2U);
    const QualityReport before = assess(mesh);
    for (const char* name : {"mesh.cgns", "mesh.vtu"}) {
        write_mesh(directory / name, mesh);
        const VolumeMesh back = read_mesh(directory / name);
        EXPECT_EQ(find_faults(back), std::vector<std::string>{});
        ASSERT_EQ(back.n_cells(), mesh.n_cells());
        EXPECT_EQ(back.n_faces(), mesh.n_faces());
        EXPECT_EQ(back.n_plain_faces(), mesh.n_plain_faces());
        EXPECT_EQ(back.points.size(), mesh.points.size());
        const QualityReport after = assess(back);
        EXPECT_NEAR(after.volume, before.volume, 1e-14);
        for (const char* metric : {"visibility", "warp", "non-orthogonality"})
            EXPECT_NEAR(after.metric(metric).mean, before.metric(metric).mean, 1e-9);
        for (const BoundaryZone& zone : mesh.zones) {
            const auto same = std::find_if(back.zones.begin(), back.zones.end(), [&](const BoundaryZone& z) {
                // A CGNS file has its regions by the alphabet.
                return z.name == zone.name || (!zone.other_name.empty() && z.name == zone.other_name);
            });
            ASSERT_NE(same, back.zones.end()) << zone.name;
            EXPECT_EQ(same->n_faces, zone.n_faces);
        }
    }
}

TEST_F(Files, DamagedMeshFilesNeverCrash) {
    std::mt19937 random(3);
    for (const char* name : {"mesh.vtu", "mesh.cgns", "polyhedra.vtu", "polyhedra.cgns"}) {
        const VolumeMesh mesh = name[0] == 'p' ? small_polyhedra() : small_mesh();
        write_mesh(directory / name, mesh);
        const std::string good = content(directory / name);
        const fs::path bad = directory / (std::string("bad-") + name);
        std::size_t refused = 0;
        const bool is_vtu = std::string(name).ends_with(".vtu");
        for (int i = 0; i < (is_vtu ? 400 : 40); ++i) {
            std::string bytes = good;
            if (i % 4 == 0) bytes.resize(random() % bytes.size() + 1);
            // The HDF5 library guards its own form; of it only truncations are tried.
            else if (!is_vtu)
                continue;
            else
                for (int k = 0; k < 3; ++k)
                    bytes[random() % std::min<std::size_t>(bytes.size(), i % 2 == 0 ? 4000 : bytes.size())] =
                        static_cast<char>(random());
            put(bad, bytes);
            try {
                read_mesh(bad);
            } catch (const InputError&) {
                ++refused;
            }
        }
        EXPECT_GT(refused, 5U);
    }
    put(directory / "words.cgns", "not a mesh");
    put(directory / "words.vtu", "not a mesh");
    EXPECT_THROW(read_mesh(directory / "words.cgns"), InputError);
    EXPECT_THROW(read_mesh(directory / "words.vtu"), InputError);
    EXPECT_THROW(read_mesh(directory / "words.txt"), InputError);
    EXPECT_THROW(read_mesh(directory / "missing.vtu"), InputError);
}

/// Random damage to good input: any outcome but an InputError or a result is a bug.
TEST(Hostile, MutatedTextIsReadOrRefused) {
    const std::string stl =
        "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
        "0\nendloop\nendfacet\nendsolid a\n";
    const std::string toml =
        "[case]\nunit = \"mm\"\n[[part]]\nfile = \"a.stl\"\nunit = \"mm\"\n[[opening]]\nname = \"in\"\nrole = "
        "\"inlet\"\nnear = [1, 2, \"3 mm\"]\n"
        "[[region]]\ninside = [0, 0, 1]\n[sizing]\nsurface = 5\ngrowth = 1.2\n[limits]\ncells = 1e6\n";
    std::mt19937 random(4);
    const std::string alphabet = "[]=\"\n.,0129eE-+ azN\\#'{}\t";
    for (int i = 0; i < 6000; ++i) {
        std::string text = i % 2 == 0 ? stl : toml;
        for (unsigned k = 0; k <= random() % 4; ++k) {
            const std::size_t at = random() % text.size();
            if (random() % 3 == 0)
                text.erase(at, 1 + random() % 5);
            else
                text[at] = alphabet[random() % alphabet.size()];
        }
        try {
            if (i % 2 == 0)
                parse_stl(text, "a.stl", kMm);
            else
                parse_case(text, "case.toml");
        } catch (const InputError& e) {
            ASSERT_NE(std::string(e.what()), "");
        }
    }
}

}  // namespace
}  // namespace anvilcast
