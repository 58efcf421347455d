// OBJ, PLY, gzip and the choice between formats: dialects, round trips, and hostile files.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cstring>
#include <random>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

const LengthUnit kMm = parse_length_unit("mm");

class SurfaceFiles : public kit::ScratchTest {};

std::vector<std::string> zone_names(const Surface& s) {
    std::vector<std::string> names;
    for (const Zone& z : s.zones) names.push_back(z.name);
    return names;
}

std::string refusal(const std::function<void()>& action) { return kit::message_of<InputError>(action); }

TEST_F(SurfaceFiles, EveryFormatKeepsPointsTrianglesAndZones) {
    const Surface box = split_at_sharp_edges(kit::box({-0.5, 0, 0.25}, {1, 2, 3.3}), 40);
    for (const char* name : {"a.obj", "a.ply", "a.obj.gz", "a.ply.gz", "A.PLY", "a.stl", "a.stl.gz"})
        for (const bool ascii : {false, true}) {
            write_surface(directory / name, box, kMm, ascii);
            const SurfaceFile back = read_surface(directory / name, {.unit = kMm});
            const bool is_stl = std::string(name).find("stl") != std::string::npos;
            ASSERT_EQ(back.surface.triangles.size(), 12U) << name;
            EXPECT_EQ(back.surface.points.size(), 8U) << name;
            EXPECT_EQ(back.surface.zones.size(), is_stl && !ascii ? 1U : 6U) << name;
            EXPECT_TRUE(examine(back.surface).is_sound) << name;
            EXPECT_NEAR(examine(back.surface).enclosed_volume, 1.5 * 2 * 3.05, is_stl && !ascii ? 1e-6 : 1e-14) << name;
            for (const Zone& z : back.surface.zones) EXPECT_EQ(z.part, std::string(name).substr(0, 1)) << name;
            if (!is_stl) {
                EXPECT_EQ(zone_names(back.surface), zone_names(box)) << name;
            }
        }
    EXPECT_NE(refusal([&] { read_surface(directory / "a.stl"); }).find("unit"), std::string::npos);
    EXPECT_NE(refusal([&] { write_surface(directory / "a.step", box, kMm); }).find(".stl"), std::string::npos);
}

TEST(Obj, DividesByObjectGroupAndMaterial) {
    const std::string points = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\n";
    EXPECT_EQ(zone_names(parse_obj(points + "f 1 2 3\nf 1 3 4\n", "dir/kiln.obj", kMm)),
              std::vector<std::string>{"kiln"});
    EXPECT_EQ(zone_names(parse_obj(points + "o kiln\ng door\nf 1 2 3\ng flue pipe\nf 1 3 4\n", "a.obj", kMm)),
              (std::vector<std::string>{"door", "flue pipe"}));
    EXPECT_EQ(
        zone_names(parse_obj(points + "g all\nusemtl brick\nf 1 2 3\nusemtl steel\nf 1 3 4\nusemtl brick\nf 1 2 5\n",
                             "a.obj", kMm)),
        (std::vector<std::string>{"brick", "steel"}));
    EXPECT_EQ(zone_names(parse_obj(points + "o a\nusemtl x\nf 1 2 3\no b\nf 1 3 4\nusemtl y\nf 1 2 5\n", "a.obj", kMm)),
              (std::vector<std::string>{"a.x", "b.x", "b.y"}));
}

TEST(Obj, ReadsTheDialectsOfPractice) {
    // Comments, carriage returns, continued lines, texture and normal numbers, counting back, colours behind points.
    const Surface s = parse_obj(
        "# made up\r\nmtllib none.mtl\r\n\r\nv 0 0 0 0.5 0.5 0.5\r\nv 1 0 0\r\nv 1 1 \\\r\n 0\r\nv 0 1 0\r\nvn 0 0 "
        "1\r\nvt 0 0\r\ns off\r\n"
        "f 1/1/1 2//1 3/1\r\nf -4 \\\r\n -2 -1\r\n",
        "a.obj", kMm);
    EXPECT_EQ(s.triangles, (std::vector<Triangle>{{0, 1, 2}, {0, 2, 3}}));
    EXPECT_DOUBLE_EQ(s.points[2].y, 0.001);
    // A concave polygon and a plain quadrilateral: areas tell that no triangle lies outside.
    const Surface ell = parse_obj(
        "v 0 0 0\nv 2 0 0\nv 2 1 0\nv 1 1 0\nv 1 2 0\nv 0 2 0\nv 5 0 0\nv 6 0 0\nv 6 1 1\nv 5 1 1\nf 1 2 3 4 5 6\nf 7 "
        "8 9 10\n",
        "a.obj", parse_length_unit("m"));
    EXPECT_EQ(ell.triangles.size(), 6U);
    EXPECT_NEAR(examine(ell).area, 3 + std::sqrt(2.0), 1e-12);
    EXPECT_EQ(examine(ell).count(DefectKind::overlap) + examine(ell).count(DefectKind::self_intersection), 0U);
}

TEST(Obj, LinesPointsAndCurvesAreSkippedAndCounted) {
    std::size_t dropped = 0, others = 0;
    const Surface s = parse_obj(
        "v 0 0 0\nv 1 0 0\nv 1 1 0\np 1\nl 1 2 3\ncstype bezier\ndeg 2\ncurv 0 1 1 2 3\nparm u 0 1\nend\nf 1 2 3\n",
        "mixed.obj", kMm, &dropped, &others);
    EXPECT_EQ(s.triangles.size(), 1U);
    EXPECT_EQ(others, 3U);
}

TEST(StlText, LinesMayEndAnywhereOrNotAtAll) {
    const std::string facet = "facet normal 0 0 1 outer loop vertex 0 0 0 vertex 1 0 0 vertex 0 1 0 endloop endfacet";
    const Surface one =
        parse_stl("solid my lid " + facet + " endsolid my lid solid rest " + facet + " endsolid rest", "one.stl", kMm);
    ASSERT_EQ(one.zones.size(), 2U);
    EXPECT_EQ(one.zones[0].name, "my lid");
    EXPECT_EQ(one.zones[1].name, "rest");
    EXPECT_EQ(one.triangles.size(), 2U);
    const Surface marked = parse_stl("\xEF\xBB\xBFsolid a\n" + facet + "\nendsolid left solid\n", "bom.stl", kMm);
    ASSERT_EQ(marked.zones.size(), 1U);
    EXPECT_EQ(marked.zones[0].name, "a");
    std::string huge(84 + 50, '\0');
    huge[80] = 1;
    const float far = 1e38F;
    std::memcpy(huge.data() + 84 + 12, &far, 4);
    EXPECT_NE(refusal([&] { parse_stl(huge, "huge.stl", kMm); }).find("no length of a body"), std::string::npos);
}

TEST(Obj, BadContentIsToldWithItsLine) {
    auto told = [](const std::string& text) { return refusal([&] { parse_obj(text, "bad.obj", kMm); }); };
    const std::string points = "v 0 0 0\nv 1 0 0\nv 1 1 0\n";
    for (const auto& [text, part] : std::vector<std::pair<std::string, std::string>>{
             {points + "f 1 2 4\n", "line 4: a face uses point 4, the file has 3"},
             {points + "f 1 2 -4\n", "line 4"},
             {points + "f 1 2 0\n", "line 4"},
             {points + "f 1 2\n", "at least three corners, this one has 2"},
             {points + "f 1 2 3x\n", "\"3x\""},
             {points + "f 1 2 99999999999999999999\n", "line 4"},
             {"v 0 0\n", "three finite numbers"},
             {"v 0 nan 0\n", "line 1"},
             {"v 0 1e999 0\n", "line 1"},
             {"v 0 1e300 0\n", "no length of a body"},
             {points + "hello\n", "\"hello\""},
             {points, "no triangle"}})
        EXPECT_NE(told(text).find(part), std::string::npos) << text << " said: " << told(text);
    std::string huge = points + "f";
    for (int i = 0; i < 3000; ++i) huge += " 1 2 3";
    EXPECT_NE(told(huge).find("9000 corners"), std::string::npos);
}

/// A tetrahedron as PLY, every number of the given types, with a property and an element that nobody needs.
std::string ply(bool big_endian) {
    std::string head = std::string("ply\nformat ") + (big_endian ? "binary_big_endian" : "binary_little_endian") +
                       " 1.0\ncomment made up\nelement vertex 4\nproperty float x\nproperty uchar red\nproperty float "
                       "y\nproperty double z\n"
                       "element marker 2\nproperty short a\nproperty list uchar ushort b\n"
                       "element face 4\nproperty list uchar ushort vertex_index\nproperty char flags\nend_header\n";
    auto put = [&](auto value) {
        char bytes[sizeof(value)];
        std::memcpy(bytes, &value, sizeof(value));
        if (big_endian) std::reverse(bytes, bytes + sizeof(value));
        head.append(bytes, sizeof(value));
    };
    const double p[4][3] = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 0.1}};
    for (const auto& q : p) {
        put(static_cast<float>(q[0]));
        put(std::uint8_t{200});
        put(static_cast<float>(q[1]));
        put(q[2]);
    }
    for (const int n : {0, 3}) {
        put(std::int16_t{-5});
        put(static_cast<std::uint8_t>(n));
        for (int i = 0; i < n; ++i) put(std::uint16_t{7});
    }
    for (const auto& t : {Triangle{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}}) {
        put(std::uint8_t{3});
        for (const Index i : t) put(static_cast<std::uint16_t>(i));
        put(std::int8_t{-1});
    }
    return head;
}

TEST(Ply, ReadsBothByteOrdersAndPassesOverTheRest) {
    for (const bool big_endian : {false, true}) {
        const Surface s = parse_ply(ply(big_endian), "dir/scan.ply", parse_length_unit("m"));
        EXPECT_EQ(zone_names(s), std::vector<std::string>{"scan"});
        EXPECT_TRUE(examine(s).is_closed);
        EXPECT_NEAR(examine(s).enclosed_volume, 0.1 / 6, 1e-15);
    }
    const Surface ascii = parse_ply(
        "ply\r\nformat ascii 1.0\r\nobj_info x\r\nelement vertex 4\r\nproperty double x\r\nproperty double "
        "y\r\nproperty double z\r\n"
        "element face 1\r\nproperty list uchar int vertex_indices\r\nend_header\r\n0 0 0\r\n\r\n1 0 0\r\n1 1 0\r\n0 1 "
        "0\r\n4 0 1 2 3\r\n",
        "a.ply", parse_length_unit("m"));
    EXPECT_NEAR(examine(ascii).area, 1, 1e-15);
}

TEST(Ply, BadContentIsToldWithItsPlace) {
    auto told = [](const std::string& text) { return refusal([&] { parse_ply(text, "bad.ply", kMm); }); };
    const std::string head =
        "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n";
    const std::string face =
        "element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n";
    for (const auto& [text, part] : std::vector<std::pair<std::string, std::string>>{
             {"plz\n", "line 1"},
             {"ply\nformat martian 1.0\n", "\"martian\""},
             {"ply\nformat ascii 1.0\nelement vertex many\n", "line 3"},
             {"ply\nformat ascii 1.0\nproperty float x\n", "before the first element"},
             {"ply\nformat ascii 1.0\nelement vertex 3\nproperty quad x\n", "\"quad\""},
             {"ply\nformat ascii 1.0\nelement vertex 3\nproperty list float int x\n", "integer"},
             {"ply\nformat ascii 1.0\n", "end_header"},
             {"ply\nend_header\n", "format"},
             {head + "end_header\n", "too short"},
             {head + face + "3 0 1 3\n", "uses point 3"},
             {head + face + "3 0 1 -1\n", "uses point -1"},
             {head + face + "3 0 1 1.5\n", "uses point 1.5"},
             {head + face + "2 0 1\n", "at least three"},
             {head + face + "3 0 1\n", "a number was expected"},
             {head + face + "3 0 1 2 7\n", "more on this line"},
             {head + face + "200 0 1 2\n", "does not fit"},
             {head + face, "too short"},
             {"ply\nformat ascii 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\nproperty float "
              "z\nend_header\n0 0 0\n",
              "4000000000"},
             {"ply\nformat ascii 1.0\nelement nothing 4000000000\nend_header\n0 0 0\n", "4000000000"},
             {"ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n0 0\n",
              "x, y and z"}})
        EXPECT_NE(told(text).find(part), std::string::npos) << text << "\nsaid: " << told(text) << "\nnot: " << part;
    // Wherever a binary file is cut, that is told.
    const std::string whole = ply(false);
    for (std::size_t n = 0; n < whole.size(); ++n) EXPECT_NE(told(whole.substr(0, n)), "accepted") << n;
    // The wrong byte order makes nonsense of the numbers; it is refused, not believed.
    std::string swapped = ply(true);
    swapped.replace(swapped.find("binary_big_endian"), 17, "binary_little_endian");
    EXPECT_NE(told(swapped), "accepted");
}

TEST_F(SurfaceFiles, GzipIsUnpackedWithinBounds) {
    write_surface(directory / "a.stl.gz", kit::sphere({0, 0, 0}, 1, 3), kMm);
    const std::string packed = content(directory / "a.stl.gz");
    EXPECT_EQ(gunzip(packed + packed, "x").size(), 2 * gunzip(packed, "x").size());  // members one after the other
    for (const std::size_t n : {packed.size() - 1, packed.size() / 2, std::size_t{12}, std::size_t{2}})
        EXPECT_NE(refusal([&] { gunzip(packed.substr(0, n), "x"); }).find("byte"), std::string::npos) << n;
    std::string damaged = packed;
    damaged[damaged.size() / 2] ^= 0x55;
    EXPECT_NE(refusal([&] { gunzip(damaged, "x"); }), "accepted");
    // A bomb: ten megabytes of nothing.
    Surface nothing = kit::box({0, 0, 0}, {1, 1, 1}, std::string(10'000'000, 'n'));
    write_surface(directory / "bomb.ply.gz", nothing, kMm);
    EXPECT_NE(refusal([&] { read_surface(directory / "bomb.ply.gz", {.unit = kMm}); }).find("50 times"),
              std::string::npos);
}

TEST_F(SurfaceFiles, NamesThatDoNotFitTheContentAreTold) {
    const Surface box = kit::box({0, 0, 0}, {1, 1, 1});
    write_surface(directory / "box.ply", box, kMm);
    write_surface(directory / "box.stl.gz", box, kMm);
    auto told = [&](const char* from, const char* to) {
        std::filesystem::copy_file(directory / from, directory / to);
        return refusal([&] { read_surface(directory / to, {.unit = kMm}); });
    };
    EXPECT_NE(told("box.ply", "ply.stl").find("its content is PLY"), std::string::npos);
    EXPECT_NE(told("box.ply", "ply.obj").find("its content is PLY"), std::string::npos);
    EXPECT_NE(told("box.ply", "ply.step").find("its content is PLY"), std::string::npos);
    EXPECT_NE(told("box.stl.gz", "gz.stl").find("add .gz"), std::string::npos);
    EXPECT_NE(told("box.ply", "plain.ply.gz").find("take off the .gz"), std::string::npos);
    EXPECT_NE(told("box.ply", "box.xyz").find(".step"), std::string::npos);
}

TEST_F(SurfaceFiles, DroppedTrianglesAreTold) {
    Surface s = kit::box({0, 0, 0}, {1, 1, 1});
    s.triangles.push_back({0, 1, 1});
    s.points.push_back({1, 0, 0});  // point 1 again
    s.triangles.push_back({1, 2, 8});
    s.zone_of.insert(s.zone_of.end(), {0, 0});
    for (const char* name : {"a.stl", "a.obj", "a.ply"}) {
        write_surface(directory / name, s, kMm);
        const SurfaceFile file = read_surface(directory / name, {.unit = kMm});
        EXPECT_EQ(file.triangles_dropped, 2U) << name;
        ASSERT_EQ(file.warnings.size(), 1U) << name;
        EXPECT_NE(file.warnings[0].find("2 triangle(s)"), std::string::npos);
        EXPECT_EQ(file.surface.triangles.size(), 12U);
        EXPECT_EQ(file.surface.points.size(), 8U);
    }
}

TEST(SurfaceReaders, SurviveDamage) {
    // Bytes changed, dropped and doubled at random: a surface or an InputError, nothing else.
    const Surface ball = split_at_sharp_edges(kit::cylinder(1, 2, 12), 40);
    std::vector<std::pair<std::string, std::function<Surface(std::string_view)>>> readers;
    const auto name = [](const char* n) { return std::string(n); };
    readers.emplace_back(stl_text(ball, kMm), [&](std::string_view c) { return parse_stl(c, name("a.stl"), kMm); });
    readers.emplace_back(stl_bytes(ball, kMm), [&](std::string_view c) { return parse_stl(c, name("a.stl"), kMm); });
    readers.emplace_back(ply(true), [&](std::string_view c) { return parse_ply(c, name("a.ply"), kMm); });
    readers.emplace_back("o a\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nusemtl k\nf 1//1 2//1 3//1 4\nf -1 -2 -3\n",
                         [&](std::string_view c) { return parse_obj(c, name("a.obj"), kMm); });
    std::mt19937 random(4);
    for (const auto& [whole, read] : readers)
        for (int round = 0; round < 2000; ++round) {
            std::string bytes = whole;
            for (int k = 0; k <= round % 4; ++k) {
                const std::size_t at = random() % bytes.size();
                if (round % 3 == 0)
                    bytes[at] = static_cast<char>(random());
                else if (round % 3 == 1)
                    bytes.erase(at, random() % 20);
                else
                    bytes.insert(at, bytes.substr(random() % bytes.size(), random() % 20));
                if (bytes.empty()) break;
            }
            try {
                const Surface s = read(bytes);
                for (const Triangle& t : s.triangles)
                    for (const Index p : t) ASSERT_LT(p, s.points.size());
            } catch (const InputError&) {
            }
        }
}

}  // namespace
}  // namespace anvilcast
