// CAD files, made by the CAD kernel in the test, read by ours.

#include <gtest/gtest.h>

#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <IGESControl_Writer.hxx>
#include <Interface_Static.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_Printer.hxx>
#include <STEPControl_Writer.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Shape.hxx>
#include <gp_Ax2.hxx>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/first_case.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

const double kPi = std::numbers::pi;

class Cad : public kit::ScratchTest {
  protected:
    void SetUp() override {
        ScratchTest::SetUp();
        Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer));
    }
    std::filesystem::path step(const TopoDS_Shape& shape, const char* unit, const char* protocol) {
        STEPControl_Writer writer;  // its making registers the parameters
        Interface_Static::SetCVal("write.step.unit", unit);
        Interface_Static::SetCVal("write.step.schema", protocol);
        STEPControl_Writer fresh;
        fresh.Transfer(shape, STEPControl_AsIs);
        const auto file = directory / (std::string(protocol) + unit + ".step");
        fresh.Write(file.c_str());
        return file;
    }
    /// The kernel writes AP203 only where the machine's own name can be looked up; the geometry in it is the same.
    std::filesystem::path as_ap203(const std::filesystem::path& file) {
        std::string text = content(file);
        const std::size_t at = text.find("FILE_SCHEMA"), end = text.find(';', at);
        text.replace(at, end - at, "FILE_SCHEMA(('CONFIG_CONTROL_DESIGN'))");
        put(directory / "ap203.step", text);
        return directory / "ap203.step";
    }
    static TopoDS_Shape cylinder() {
        return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(5, 6, 7), gp_Dir(1, 2, 3)), 20, 60).Shape();
    }
};

TEST_F(Cad, SolidsComeInClosedWithTheirUnit) {
    EXPECT_TRUE(examine(read_surface(as_ap203(step(cylinder(), "MM", "AP214IS"))).surface).is_sound);
    for (const char* protocol : {"AP214IS", "AP242DIS"})
        for (const auto& [unit, name] :
             std::vector<std::pair<const char*, std::string>>{{"MM", "mm"}, {"INCH", "in"}, {"M", "m"}}) {
            const SurfaceFile file = read_surface(step(cylinder(), unit, protocol), {.chord = 2e-6});
            EXPECT_TRUE(file.knows_unit && file.is_cad);
            EXPECT_EQ(file.unit.name, name) << protocol;
            const SurfaceHealth h = examine(file.surface);
            EXPECT_TRUE(h.is_sound) << protocol << unit << ": " << verdict(h, file.unit);
            EXPECT_NEAR(h.enclosed_volume, kPi * 0.02 * 0.02 * 0.06, 1e-8);
            EXPECT_EQ(h.zones.size(), 3U);
        }
    const auto file = step(cylinder(), "MM", "AP214IS");
    EXPECT_NE(kit::message_of<InputError>([&] { read_surface(file, {.unit = parse_length_unit("in")}); }).find("mm"),
              std::string::npos);
    EXPECT_NO_THROW(read_surface(file, {.unit = parse_length_unit("mm")}));
}

TEST_F(Cad, TrianglesStayWithinTheTolerances) {
    const TopoDS_Shape ball = BRepPrimAPI_MakeSphere(50).Shape();
    const auto file = step(ball, "MM", "AP214IS");
    std::size_t before = 0;
    for (const double chord : {1e-3, 1e-4, 1e-5}) {
        const SurfaceFile in = read_surface(file, {.chord = chord, .angle = 80});
        EXPECT_TRUE(examine(in.surface).is_sound);  // poles and seam included
        double deepest = 0;
        for (Index t = 0; t < in.surface.triangles.size(); ++t) {
            const Vec3 m = (in.surface.corner(t, 0) + in.surface.corner(t, 1) + in.surface.corner(t, 2)) / 3.0;
            deepest = std::max(deepest, 0.05 - length(m));
        }
        EXPECT_LT(deepest, 1.02 * chord);
        EXPECT_GT(in.surface.triangles.size(), 2 * before);
        before = in.surface.triangles.size();
    }
    // A careless chord is bounded by the model's extent.
    EXPECT_GT(read_surface(file, {.chord = 1}).surface.triangles.size(), 300U);
}

TEST_F(Cad, FacesKeepTheirNamesBodiesAndEdges) {
    TopoDS_Compound both;
    BRep_Builder builder;
    builder.MakeCompound(both);
    builder.Add(both, BRepPrimAPI_MakeBox(10, 20, 30).Shape());
    builder.Add(both, BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(50, 0, 0), gp_Dir(0, 0, 1)), 10, 5, 10).Shape());
    const auto file = step(both, "MM", "AP214IS");
    std::string text = content(file);
    const std::size_t at = text.find("ADVANCED_FACE(''");
    ASSERT_NE(at, std::string::npos);
    text.replace(at, 16, "ADVANCED_FACE('Gas inlet'");
    put(directory / "named.step", text);
    const Surface s = read_surface(directory / "named.step").surface;
    const SurfaceHealth h = examine(s);
    EXPECT_TRUE(h.is_sound);
    EXPECT_EQ(h.shells.size(), 2U);
    EXPECT_EQ(s.zones.size(), 9U);
    std::vector<std::string> parts;
    for (const Zone& z : s.zones) parts.push_back(z.part);
    parts.erase(std::unique(parts.begin(), parts.end()), parts.end());
    EXPECT_EQ(parts.size(), 2U);  // each body a part
    const auto inlet =
        std::find_if(s.zones.begin(), s.zones.end(), [](const Zone& z) { return z.name == "Gas inlet"; });
    ASSERT_NE(inlet, s.zones.end());
    EXPECT_EQ(inlet->role, Role::inlet);
    EXPECT_TRUE(inlet->role_is_guess);
    // 12 edges of the box, two circles of the cone; the cone's seam is no edge to keep.
    double kept = 0;
    for (const Edge& e : s.feature_edges) kept += distance(s.points[e[0]], s.points[e[1]]);
    EXPECT_NEAR(kept, 4 * 0.06 + 2 * kPi * 0.015, 1e-3);
}

TEST_F(Cad, ReadsBrepAndIges) {
    BRepTools::Write(cylinder(), (directory / "a.brep").c_str());
    EXPECT_NE(kit::message_of<InputError>([&] { read_surface(directory / "a.brep"); }).find("unit"), std::string::npos);
    const SurfaceFile brep = read_surface(directory / "a.brep", {.unit = parse_length_unit("cm")});
    EXPECT_TRUE(examine(brep.surface).is_sound);
    // Wherever it is cut, that is told, and soon.
    const std::string whole = content(directory / "a.brep");
    for (std::size_t n = 100; n + 40 < whole.size(); n += whole.size() / 23) {
        put(directory / "cut.brep", whole.substr(0, n));
        EXPECT_NE(kit::message_of<InputError>(
                      [&] { read_surface(directory / "cut.brep", {.unit = parse_length_unit("cm")}); }),
                  "accepted")
            << n;
    }
    EXPECT_NEAR(examine(brep.surface).enclosed_volume, kPi * 0.2 * 0.2 * 0.6, 1e-3);

    IGESControl_Writer writer("MM", 0);
    writer.AddShape(cylinder());
    writer.ComputeModel();
    ASSERT_TRUE(writer.Write((directory / "a.iges").c_str()));
    const SurfaceFile iges = read_surface(directory / "a.iges");
    EXPECT_EQ(iges.unit.name, "mm");
    // The faces of IGES know nothing of their neighbours, and still come in closed.
    const SurfaceHealth h = examine(mend(iges.surface).surface);
    EXPECT_TRUE(h.is_sound) << verdict(h, iges.unit);
    EXPECT_NEAR(h.enclosed_volume, kPi * 0.02 * 0.02 * 0.06, 3e-7);
}

TEST_F(Cad, AFirstCaseTakesTrianglesBesideThemByTheirOwnExtent) {
    const auto rod = step(cylinder(), "MM", "AP214IS");
    Surface block = kit::box({1, 0, 0}, {1.02, 0.03, 0.02});
    write_surface(directory / "block.stl", block, parse_length_unit("mm"));
    const FirstCase first = first_case({rod, directory / "block.stl"}, directory / "case.toml",
                                       {.where = FirstCaseOptions::Where::around, .cells = 2e4});
    const Plan p = plan(parse_case(first.text, directory / "case.toml"));
    EXPECT_NEAR(p.bounds.hi.x, 1.02, 1e-9);
}

TEST_F(Cad, DamagedEntitiesAreToldNotTrusted) {
    const std::string good = content(step(cylinder(), "MM", "AP214IS"));
    std::string broken = good;
    const std::size_t at = broken.find("CARTESIAN_POINT");
    broken.replace(at, 15, "CARTESIAN_PAINT");
    put(directory / "broken.step", broken);
    EXPECT_NE(kit::message_of<InputError>([&] { read_surface(directory / "broken.step"); }).find("entity #"),
              std::string::npos);
}

/// Changes some bytes; the same ones for the same number.
std::string spoiled(std::string bytes, unsigned number) {
    std::mt19937 random(number);
    for (unsigned k = 0; k < 1 + number % 7; ++k) {
        const std::size_t at = random() % bytes.size();
        if (random() % 4 == 0)
            bytes.erase(at, random() % 40);
        else
            bytes[at] = static_cast<char>(random() % 3 == 0 ? '0' + random() % 10 : random());
        if (bytes.empty()) bytes.push_back('x');
    }
    return bytes;
}

TEST_F(Cad, WhateverDamagedFilesDoToTheKernelIsARefusal) {
    BRepTools::Write(cylinder(), (directory / "good.brep").c_str());
    IGESControl_Writer iges("MM", 0);
    iges.AddShape(cylinder());
    iges.ComputeModel();
    iges.Write((directory / "good.iges").c_str());
    const std::string good_step = content(step(cylinder(), "MM", "AP214IS")),
                      good_brep = content(directory / "good.brep"), good_iges = content(directory / "good.iges");
    for (unsigned number = 0; number < 60; ++number)
        for (const auto& [name, good] :
             {std::pair{"bad.step", good_step}, {"bad.brep", good_brep}, {"bad.iges", good_iges}}) {
            put(directory / name, spoiled(good, number));
            try {
                ReadSurfaceOptions options;
                if (std::string(name) == "bad.brep") options.unit = parse_length_unit("mm");
                read_surface(directory / name, options);
            } catch (const InputError&) {
            }
        }
}

TEST_F(Cad, ADiscOnATiltedShaftIsCut) {
    for (const double degrees : {20.0, 25.0, 30.0, 40.0}) {
        const double a = degrees * kPi / 180;
        const gp_Dir axis(std::sin(a), 0, std::cos(a));
        const gp_Ax2 place(gp_Pnt(-2 * std::sin(a), 0, -2 * std::cos(a)), axis);
        BRepTools::Write(BRepPrimAPI_MakeCylinder(place, 39.2, 4).Shape(), (directory / "disc.brep").c_str());
        BRepTools::Write(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -60), gp_Dir(0, 0, 1)), 4, 120).Shape(),
                         (directory / "shaft.brep").c_str());
        const ReadSurfaceOptions mm{.unit = parse_length_unit("mm")};
        const Space space = divide_space(joined(
            {read_surface(directory / "disc.brep", mm).surface, read_surface(directory / "shaft.brep", mm).surface}));
        ASSERT_EQ(space.cells.size(), 5U) << degrees;  // outside, disc, two ends of the shaft, and what both are
        double volume = 0;
        for (std::size_t c = 1; c < space.cells.size(); ++c) volume += space.cells[c].volume;
        const double both = kPi * 16 * 4 / std::cos(a);
        EXPECT_NEAR(1e9 * volume, kPi * (39.2 * 39.2 * 4 + 16 * 120) - both, 150) << degrees;
    }
}

TEST_F(Cad, BadFilesAreTold) {
    const std::string good = content(step(cylinder(), "MM", "AP214IS"));
    auto told = [&](const char* name, const std::string& bytes) {
        put(directory / name, bytes);
        return kit::message_of<InputError>([&] { read_surface(directory / name, {.unit = parse_length_unit("mm")}); });
    };
    EXPECT_NE(told("cut.step", good.substr(0, good.size() / 2)).find("truncated"), std::string::npos);
    EXPECT_NE(told("empty.step", ""), "accepted");
    EXPECT_NE(told("words.step", "just some words\n"), "accepted");
    EXPECT_NE(told("words.iges", "just some words\n"), "accepted");
    EXPECT_NE(told("words.brep", "just some words\n"), "accepted");
    EXPECT_NE(told("step.stl", good).find("its content is STEP"), std::string::npos);
    std::string hollow = good;
    for (std::size_t at; (at = hollow.find("ADVANCED_FACE")) != std::string::npos;)
        hollow.replace(at, 13, "NOTHING_AT_ALL");
    EXPECT_NE(told("hollow.step", hollow), "accepted");
}

}  // namespace
}  // namespace anvilcast
