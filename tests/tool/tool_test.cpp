// The real command-line tool, driven as a process.

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>

#include <csignal>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <thread>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace {

namespace fs = std::filesystem;
using anvilcast::kit::pipe;

struct Outcome {
    int status = -1;
    std::string out, err;
};

class Tool : public anvilcast::kit::ScratchTest {
  protected:
    void SetUp() override {
        ScratchTest::SetUp();
        anvilcast::write_stl(directory / "pipe.stl", pipe(0.02, 0.025, 0.1, 40), anvilcast::parse_length_unit("mm"));
        write_case("");
    }
    void write_case(const std::string& more, const std::string& inside = "[0, 0, 50]",
                    const std::string& first_near = "[0, 0, 0]") {
        std::ofstream(directory / "case.toml")
            << "[case]\nname = \"pipe\"\nunit = \"mm\"\n[[part]]\nfile = \"pipe.stl\"\nunit = \"mm\"\n"
               "[[opening]]\nname = \"feed\"\nrole = \"inlet\"\nnear = "
            << first_near
            << "\n[[opening]]\nname = \"drain\"\nrole = \"outlet\"\nnear = [0, 0, 100]\n"
               "[[zone]]\nname = \"bore\"\nnear = [20, 0, 50]\n"
               "[[region]]\nname = \"water\"\ninside = "
            << inside << "\n[sizing]\nsurface = 5\n"
            << more;
    }

    Outcome run(const std::string& arguments) const {
        const std::string command =
            "cd '" + directory.string() + "' && " ANVILCAST_TOOL " " + arguments + " >out.txt 2>err.txt </dev/null";
        const int raw = std::system(command.c_str());
        return {WIFEXITED(raw) ? WEXITSTATUS(raw) : -1, content(directory / "out.txt"), content(directory / "err.txt")};
    }

    /// The standard's own tool finds nothing to say about mesh.cgns in the directory; where there is no such tool,
    /// nothing is looked at.
    void expect_accepted_by_the_standards_checker([[maybe_unused]] const std::string& made) const {
#ifdef ANVILCAST_CGNSCHECK
        EXPECT_EQ(std::system(("cd '" + (directory / made).string() +
                               "' && " ANVILCAST_CGNSCHECK " mesh.cgns > ../check.txt 2>&1")
                                  .c_str()),
                  0);
        const std::string check = content(directory / "check.txt");
        EXPECT_NE(check.find("checking complete"), std::string::npos) << check;
        EXPECT_EQ(check.find("WARNING"), std::string::npos) << check;
        EXPECT_EQ(check.find("ERROR"), std::string::npos) << check;
#endif
    }

    /// What stages left in kept/ is no result.
    bool has_result(const fs::path& made) const {
        std::error_code none;
        return std::any_of(fs::directory_iterator(directory / made, none), fs::directory_iterator(),
                           [](const fs::directory_entry& e) { return e.path().filename() != "kept"; });
    }

    void expect_refused(const std::string& arguments, const std::vector<std::string>& told) const {
        const Outcome o = run(arguments);
        EXPECT_EQ(o.status, 2) << arguments << "\n" << o.err;
        for (const std::string& part : told)
            EXPECT_NE(o.err.find(part), std::string::npos) << arguments << " said: " << o.err;
        EXPECT_FALSE(has_result("made"));
    }
};

TEST_F(Tool, BuildsACaseWithAllItsFiles) {
    write_case("[limits]\nskewness = 0.9\nnon_orthogonality = 80\n[export]\nformats = [\"cgns\", \"vtu\", \"stl\"]\n");
    const Outcome o = run("build case.toml --out made");
    ASSERT_EQ(o.status, 0) << o.err;
    for (const char* part : {"feed", "inlet", "drain", "outlet", "bore", "wall", "Sound and fit: every limit holds",
                             "equiangle skewness", "fluid"})
        EXPECT_NE(o.out.find(part), std::string::npos) << part;
    std::vector<std::string> names;
    for (const auto& entry : fs::recursive_directory_iterator(directory / "made"))
        if (const std::string name = fs::relative(entry.path(), directory / "made"); !name.starts_with("kept"))
            names.push_back(name);
    std::sort(names.begin(), names.end());
    EXPECT_EQ(names,
              (std::vector<std::string>{"figures", "figures/boundary.png", "figures/cut.png", "figures/worst.png",
                                        "mesh.cgns", "mesh.vtu", "report.html", "summary.json", "zones",
                                        "zones/bore.stl", "zones/drain.stl", "zones/feed.stl"}));

    const auto summary = nlohmann::json::parse(content(directory / "made/summary.json"));
    EXPECT_GT(summary["cells"]["total"], 1000);
    EXPECT_EQ(summary["cells"]["total"], summary["cells"]["tetrahedra"]);
    EXPECT_NEAR(summary["predicted"]["cells"]["total"].get<double>() / summary["cells"]["total"].get<double>(), 1, 0.3);
    ASSERT_EQ(summary["zones"].size(), 3U);
    EXPECT_EQ(summary["regions"][0]["name"], "water");
    EXPECT_EQ(summary["regions"][0]["kind"], "fluid");
    const double disc = 0.5 * 40 * 0.02 * 0.02 * std::sin(2 * M_PI / 40);
    EXPECT_NEAR(summary["regions"][0]["volume"], 0.1 * disc, 0.01 * 0.1 * disc);
    EXPECT_NEAR(summary["domain_volume"], 0.1 * disc, 1e-4 * 0.1 * disc);

    const Outcome judged = run("assess made/mesh.cgns --json --limit skewness=0.9");
    EXPECT_EQ(judged.status, 0);
    EXPECT_EQ(nlohmann::json::parse(judged.out)["cells"]["total"], summary["cells"]["total"]);
    const Outcome broken = run("assess made/mesh.vtu --limit skewness=0.01 --worst 2 --histogram skewness --groups");
    EXPECT_EQ(broken.status, 1);
    for (const char* part : {"not within its limits", "above equiangle skewness of 0.01", "beyond the limit", "By zone",
                             "\u2588", "at 'bore'"})
        EXPECT_NE(broken.out.find(part), std::string::npos) << part << broken.out;
    auto refused = [this](const char* arguments, const std::vector<const char*>& told) {
        const Outcome out = run(arguments);
        EXPECT_EQ(out.status, 2) << arguments;
        for (const char* part : told) EXPECT_NE(out.err.find(part), std::string::npos) << arguments << out.err;
    };
    refused("assess made/mesh.vtu --limit skewnes=0.9", {"skewnes", "equiangle_skewness"});
    refused("assess made/mesh.vtu --limit skewness=2", {"0 to 1"});
    refused("assess made/mesh.vtu --limit skewness", {"METRIC=VALUE"});
    refused("assess made/mesh.vtu --histogram volume_rtio", {"volume_ratio"});
    refused("assess made/mesh.vtu --select \"zone = roof\" --write made-bad.vtu", {"roof", "bore, feed, drain"});
    refused("assess made/mesh.vtu --select skewness --write made-bad.vtu", {"no condition", "skewness > 0.8"});

    const Outcome chosen = run("assess made/mesh.cgns --select \"zone = feed and type = tetrahedra\" --write feed.vtu");
    EXPECT_EQ(chosen.status, 0) << chosen.err;
    const auto feed = nlohmann::json::parse(run("assess feed.vtu --json").out);
    EXPECT_LT(feed["cells"]["total"], summary["cells"]["total"]);
    EXPECT_EQ(feed["zones"].back()["name"], "cut");
    EXPECT_NE(content(directory / "feed.vtu").find("Name=\"equiangle skewness\""), std::string::npos);

    const Outcome compared = run("assess made/mesh.cgns --compare feed.vtu");
    EXPECT_EQ(compared.status, 0) << compared.err;
    for (const char* part : {"made/mesh.cgns", "feed.vtu", "time to build", "non-orthogonality", "not known"})
        EXPECT_NE(compared.out.find(part), std::string::npos) << part << compared.out;
    EXPECT_NE(run("assess --metrics").out.find("equivolume_skewness"), std::string::npos);

    for (const char* what :
         {"draw made/mesh.cgns --cut \"z = 50\" -o made/a.png",
          "draw made/mesh.cgns -o made/b.svg --colour role --dark",
          "draw made/mesh.vtu --worst skewness -o made/c.png --across \"8 mm\"",
          "draw pipe.stl --openings -o made/d.png", "draw case.toml --sizes --cut \"z = 50\" -o made/e.png",
          "draw made/mesh.cgns --stack 0,0,5 -o made/f.png"})
        EXPECT_EQ(run(what).status, 0) << what << run(what).err;
    for (const char* name : {"a.png", "b.svg", "c.png", "d.png", "e.png", "f.png"}) {
        EXPECT_GT(fs::file_size(directory / "made" / name), 4000U) << name;
        fs::remove(directory / "made" / name);
    }
    refused("draw made/mesh.cgns --cut \"z = 500\" -o a.png", {"misses the mesh", "100 mm"});
    refused("draw made/mesh.cgns --colour skewnes -o a.png", {"skewnes"});
    refused("draw made/mesh.cgns --worst skewness --histogram skewness -o a.png", {"--worst and --histogram", "one"});
    refused("draw made/mesh.cgns --limit skewness=0.5 -o a.png", {"--histogram"});
    EXPECT_EQ(nlohmann::json::parse(run("draw made/mesh.cgns --stack -20,0,50 -o a.png --json").out)["written"],
              "a.png");
    EXPECT_EQ(
        nlohmann::json::parse(run("assess made/mesh.cgns --select \"volume < 0\" --write no.vtu --json").out)["cells"],
        0);
    EXPECT_FALSE(fs::exists(directory / "no.vtu"));
    refused("draw made/mesh.cgns -o a.gif", {".png or .svg"});
    refused("draw made/mesh.cgns --size 20x20 -o a.png", {"200 to 8000"});
    EXPECT_EQ(run("report made --out page.html").status, 0);
    EXPECT_NE(content(directory / "page.html").find("pipe: mesh report"), std::string::npos);
    EXPECT_EQ(run("inspect pipe.stl --page body.html").status, 0);
    EXPECT_NE(content(directory / "body.html").find("[[opening]]"), std::string::npos);
    refused("report zones", {"no build is here", "summary.json"});
    refused("draw made/summary.json -o a.png", {".cgns or .vtu"});
    refused("draw pipe.stl --cut \"z = 5\" -o a.png", {"no cells"});

    const Outcome improved = run("improve made/mesh.cgns --out better.cgns --target 5 --all --json");
    EXPECT_EQ(improved.status, 0);
    const auto improvement = nlohmann::json::parse(improved.out);
    EXPECT_TRUE(improvement["reached"]);
    EXPECT_LE(improvement["cells"]["total"], summary["cells"]["total"]);
    EXPECT_EQ(run("assess better.cgns --quiet").status, 0);
    EXPECT_EQ(run("improve made/mesh.cgns --out other.vtu --target 69 --quiet").status, 1);
    EXPECT_TRUE(fs::exists(directory / "other.vtu"));

    EXPECT_EQ(run("convert made/mesh.cgns back.vtu").status, 0);
    EXPECT_TRUE(content(directory / "back.vtu") == content(directory / "made/mesh.vtu"));
    EXPECT_EQ(run("convert made/mesh.vtu walls.stl --ascii").status, 0);
    EXPECT_EQ(run("inspect walls.stl --quiet").status, 0);

    expect_accepted_by_the_standards_checker("made");
#ifdef ANVILCAST_PYTHON
    // VTK itself reads the file and sees the same cells, volume and names.
    std::ofstream(directory / "look.py") << R"(
import vtk, sys
r = vtk.vtkXMLUnstructuredGridReader(); r.SetFileName("made/mesh.vtu"); r.Update(); g = r.GetOutput()
tets = [i for i in range(g.GetNumberOfCells()) if g.GetCellType(i) == 10]
s = vtk.vtkCellSizeFilter(); s.SetInputData(g); s.Update(); v = s.GetOutput().GetCellData().GetArray("Volume")
names = g.GetFieldData().GetAbstractArray("zone names")
print(len(tets), sum(v.GetValue(i) for i in tets), sorted(names.GetValue(i) for i in range(names.GetNumberOfValues())))
)";
    ASSERT_EQ(
        std::system(
            ("cd '" + directory.string() + "' && " ANVILCAST_PYTHON " look.py > look.txt 2> look-err.txt").c_str()),
        0)
        << content(directory / "look-err.txt");
    std::istringstream seen(content(directory / "look.txt"));
    long cells = 0;
    double volume = 0;
    seen >> cells >> volume;
    EXPECT_EQ(cells, summary["cells"]["total"]);
    EXPECT_NEAR(volume, summary["regions"][0]["volume"], 1e-12);
    EXPECT_NE(content(directory / "look.txt").find("['bore', 'drain', 'feed']"), std::string::npos);
    // And we read what VTK writes, in each of its forms, without our arrays.
    std::ofstream(directory / "write.py") << R"(
import vtk
r = vtk.vtkXMLUnstructuredGridReader(); r.SetFileName("made/mesh.vtu"); r.Update(); g = r.GetOutput()
g.GetCellData().Initialize(); g.GetFieldData().Initialize()
for k, (mode, bits, packed, encoded) in enumerate([("Ascii", 32, 0, 0), ("Binary", 32, 0, 1), ("Binary", 64, 1, 1), ("Appended", 32, 1, 1), ("Appended", 64, 0, 0)]):
    w = vtk.vtkXMLUnstructuredGridWriter(); w.SetInputData(g); w.SetFileName("foreign-%d.vtu" % k)
    getattr(w, "SetDataModeTo" + mode)(); w.SetHeaderType(bits); w.SetEncodeAppendedData(encoded)
    w.SetCompressorTypeToZLib() if packed else w.SetCompressorTypeToNone()
    w.Write()
)";
    ASSERT_EQ(
        std::system(
            ("cd '" + directory.string() + "' && " ANVILCAST_PYTHON " write.py > look.txt 2> look-err.txt").c_str()),
        0)
        << content(directory / "look-err.txt");
    for (int k = 0; k < 5; ++k) {
        const Outcome read = run("assess foreign-" + std::to_string(k) + ".vtu --json");
        ASSERT_EQ(read.status, 0) << k << read.err;
        const auto foreign = nlohmann::json::parse(read.out);
        EXPECT_EQ(foreign["cells"]["total"], summary["cells"]["total"]);
        EXPECT_EQ(foreign["zones"][0]["name"], "unnamed");
        EXPECT_NEAR(foreign["regions"][0]["volume"], summary["regions"][0]["volume"], 1e-9);
    }
#endif
}

TEST_F(Tool, TellsABuildOnOneScreen) {
    write_case("[[layers]]\nfirst_height = 0.3\ncount = 4\ngrowth = 1.2\n");
    const Outcome o = run("build case.toml --out made");
    ASSERT_NE(o.status, 2) << o.err;
    EXPECT_LE(std::count(o.out.begin(), o.out.end(), '\n'), 30) << o.out;
    const std::string first = o.out.substr(0, o.out.find('\n'));
    EXPECT_NE(first.find("ound"), std::string::npos) << first;
    EXPECT_NE(o.out.find("4 on 100 %, first 0.29"), std::string::npos) << o.out;
    EXPECT_NE(o.out.find("--full"), std::string::npos);
    EXPECT_GT(run("build case.toml --out made --full").out.size(), 2 * o.out.size());
    // What is beyond its limit comes first, whatever its sign.
    write_case("[limits]\northogonality = 0.999\n");
    const Outcome broken = run("build case.toml --out broken");
    EXPECT_EQ(broken.status, 1) << broken.err;
    const std::size_t places = broken.out.find("Worst places");
    ASSERT_NE(places, std::string::npos) << broken.out;
    EXPECT_EQ(broken.out.find("orthogonality", places), broken.out.find('\n', places) + 3) << broken.out;
}

TEST_F(Tool, BuildsPolyhedraWithLayers) {
    write_case(
        "[[layers]]\nfirst_height = 0.3\ncount = 4\ngrowth = 1.2\n[fill]\ncells = \"polyhedra\"\n"
        "[limits]\nnon_orthogonality = 75\nvolume_growth = 20\nusual = false\n[export]\nformats = [\"cgns\", "
        "\"vtu\"]\n");
    const Outcome planned = run("plan case.toml --json");
    ASSERT_EQ(planned.status, 0) << planned.err;
    const Outcome o = run("build case.toml --out made --full");
    ASSERT_EQ(o.status, 0) << o.err;
    for (const char* part : {"polyhedra", "visibility", "warp", "every limit holds"})
        EXPECT_NE(o.out.find(part), std::string::npos) << part << "\n" << o.out;
    EXPECT_EQ(o.out.find("tetrahedra"), std::string::npos);
    const auto summary = nlohmann::json::parse(content(directory / "made/summary.json"));
    const double built = summary["cells"]["total"];
    EXPECT_NEAR(nlohmann::json::parse(planned.out)["cells"]["total"].get<double>() / built, 1, 0.15);
    EXPECT_EQ(summary["fill"]["bad_polyhedra"], 0);
    EXPECT_NEAR(summary["layers"][0]["first"]["median"].get<double>(), 0.3e-3, 0.01e-3);
    EXPECT_EQ(run("assess made/mesh.vtu --no-usual-limits").status, 0);

    expect_accepted_by_the_standards_checker("made");
#ifdef ANVILCAST_PYTHON
    // VTK sees as many polyhedra, and the same volume within their faces.
    std::ofstream(directory / "look.py") << R"(
import vtk
r = vtk.vtkXMLUnstructuredGridReader(); r.SetFileName("made/mesh.vtu"); r.Update(); g = r.GetOutput()
n, volume = 0, 0.0
for i in range(g.GetNumberOfCells()):
    c = g.GetCell(i)
    if c.GetCellType() != 42: continue
    n += 1
    for k in range(c.GetNumberOfFaces()):
        p = c.GetFace(k).GetPoints(); m = p.GetNumberOfPoints()
        q = [p.GetPoint(j) for j in range(m)]
        o = [sum(x[a] for x in q) / m for a in range(3)]
        for j in range(m):
            a, b = q[j], q[(j + 1) % m]
            volume += (o[0] * (a[1] * b[2] - a[2] * b[1]) + o[1] * (a[2] * b[0] - a[0] * b[2]) + o[2] * (a[0] * b[1] - a[1] * b[0])) / 6
print(n, volume)
)";
    ASSERT_EQ(
        std::system(
            ("cd '" + directory.string() + "' && " ANVILCAST_PYTHON " look.py > look.txt 2> look-err.txt").c_str()),
        0)
        << content(directory / "look-err.txt");
    std::istringstream seen(content(directory / "look.txt"));
    long cells = 0;
    double volume = 0;
    seen >> cells >> volume;
    EXPECT_EQ(cells, summary["cells"]["total"]);
    EXPECT_NEAR(volume / summary["regions"][0]["volume"].get<double>(), 1, 1e-9);
#endif
    fs::remove_all(directory / "made");
    // Shares of a budget are of what is counted.
    write_case("[fill]\ncells = \"polyhedra\"\n[limits]\ncells = 50\n");
    const Outcome refused = run("build case.toml --out made");
    EXPECT_EQ(refused.status, 3);
    const std::size_t makes = refused.err.find(" makes ");
    ASSERT_NE(makes, std::string::npos) << refused.err;
    EXPECT_LE(std::stod(refused.err.substr(makes + 7)), 100.5) << refused.err;
    write_case("[fill]\ncells = \"cubes\"\n");
    expect_refused("build case.toml --out made", {"\"cubes\"", "\"polyhedra\"", "case.toml, line"});
}

TEST_F(Tool, GivesTheSameBytesOnAnyNumberOfThreads) {
    write_case("[export]\nformats = [\"vtu\"]\n");
    for (const char* n : {"1", "2", "7"})
        ASSERT_EQ(run(std::string("build case.toml --quiet --out t") + n + " --threads " + n).status, 0);
    EXPECT_TRUE(content(directory / "t1/mesh.vtu") == content(directory / "t2/mesh.vtu"));
    EXPECT_TRUE(content(directory / "t1/mesh.vtu") == content(directory / "t7/mesh.vtu"));
    // The CGNS library stamps its files with the time, so those are compared by what is in them.
    for (const char* n : {"1", "2"})
        ASSERT_EQ(run(std::string("convert -q t") + n + "/mesh.cgns c" + n + ".vtu").status, 0);
    EXPECT_TRUE(content(directory / "c1.vtu") == content(directory / "c2.vtu"));
    EXPECT_TRUE(content(directory / "c1.vtu") == content(directory / "t1/mesh.vtu"));
}

TEST_F(Tool, InspectsAndFindsOpenings) {
    Outcome o = run("inspect pipe.stl");
    EXPECT_EQ(o.status, 0);
    EXPECT_NE(o.out.find("50 x 50 x 100 mm"), std::string::npos) << o.out;
    EXPECT_NE(o.out.find("Closed and sound."), std::string::npos) << o.out;
    o = run("inspect pipe.stl --json");
    const auto health = nlohmann::json::parse(o.out);
    EXPECT_TRUE(health["closed"]);
    EXPECT_NEAR(health["bounds"]["extent"][2], 0.1, 1e-9);
    o = run("openings pipe.stl");
    EXPECT_EQ(o.status, 0);
    EXPECT_NE(o.out.find("near = [0, 0, 100]"), std::string::npos) << o.out;
    EXPECT_NE(o.out.find("near = [0, 0, 0]"), std::string::npos) << o.out;
    EXPECT_EQ(nlohmann::json::parse(run("openings pipe.stl --json").out)["openings"].size(), 2U);

    std::string half = content(directory / "pipe.stl");
    half.resize(84 + 50 * 100);
    const std::uint32_t n = 100;
    half.replace(80, 4, reinterpret_cast<const char*>(&n), 4);
    std::ofstream(directory / "half.stl", std::ios::binary) << half;
    o = run("inspect half.stl");
    EXPECT_EQ(o.status, 1);  // defects found
    EXPECT_NE(o.out.find("Rims"), std::string::npos);
}

TEST_F(Tool, MendsAndMarksWhatItFinds) {
    using namespace anvilcast;
    // The pipe with some triangles loose, some turned, and one gone.
    Surface broken = pipe(0.02, 0.025, 0.1, 40);
    for (const Index t : {3U, 50U, 120U}) {
        std::swap(broken.triangles[t][0], broken.triangles[t][1]);
        for (Index& p : broken.triangles[t]) {
            broken.points.push_back(broken.points[p] + Vec3{1e-7, 0, 2e-7});
            p = static_cast<Index>(broken.points.size() - 1);
        }
    }
    broken.triangles.erase(broken.triangles.begin() + 77);
    broken.zone_of.pop_back();
    write_surface(directory / "broken.ply", broken, parse_length_unit("mm"));

    Outcome o = run("inspect broken.ply --write-defects marks.ply");
    EXPECT_EQ(o.status, 1);
    for (const char* part : {"Not closed", "rims (holes)", "cracks", "--stitch", "--close-rims", "blocking"})
        EXPECT_NE(o.out.find(part), std::string::npos) << part << " is not in:\n" << o.out;
    EXPECT_EQ(read_surface(directory / "marks.ply", {.unit = parse_length_unit("mm")}).surface.zones[0].name, "rims");

    o = run("inspect broken.ply --mend closed.ply --stitch '0.01 mm' --close-rims '150 mm' --json");
    EXPECT_EQ(o.status, 0) << o.out << o.err;
    const auto json = nlohmann::json::parse(o.out);
    EXPECT_TRUE(json["sound"]);
    EXPECT_EQ(json["mended"]["done"].size(), 3U);
    EXPECT_NEAR(json["enclosed_volume"], 0.1 * 0.5 * 40 * std::sin(2 * M_PI / 40) * (0.025 * 0.025 - 0.02 * 0.02),
                1e-8);
    EXPECT_EQ(json["defects"]["rims"]["count"], 0);
    o = run("inspect broken.ply --mend closed.stl --close-rims '150 mm'");
    EXPECT_NE(o.out.find("rims closed"), std::string::npos) << o.out;

    // The same findings in the same order on any number of threads.
    EXPECT_EQ(run("inspect broken.ply --json --threads 1").out, run("inspect broken.ply --json --threads 7").out);

    // A sound file comes out byte for byte, whoever wrote it.
    std::string bytes = content(directory / "pipe.stl");
    bytes.replace(0, 10, "other head");
    put(directory / "own.stl", bytes);
    EXPECT_EQ(run("inspect own.stl --mend same.stl --close-rims 100").status, 0);
    EXPECT_TRUE(content(directory / "same.stl") == bytes);

    // The pieces of one body in several files are one model.
    Surface half = pipe(0.02, 0.025, 0.1, 40), rest = half;
    half.triangles.resize(100);
    half.zone_of.resize(100);
    rest.triangles.erase(rest.triangles.begin(), rest.triangles.begin() + 100);
    rest.zone_of.resize(rest.triangles.size());
    write_surface(directory / "half.obj", half, parse_length_unit("mm"));
    write_surface(directory / "rest.ply.gz", rest, parse_length_unit("mm"));
    EXPECT_EQ(run("inspect half.obj").status, 1);
    EXPECT_EQ(run("inspect half.obj rest.ply.gz").status, 0);
    EXPECT_EQ(run("convert rest.ply.gz rest.stl --ascii").status, 0);
    expect_refused("inspect half.obj --stitch 1", {"--mend OUT"});
    expect_refused("inspect half.obj --mend made --stitch 1", {".stl"});
    expect_refused("inspect half.obj --tolerance -1", {"negative"});
}

TEST_F(Tool, TellsWhatIsWrongWithTheInput) {
    expect_refused("build missing.toml --out made", {"missing.toml", "no such file"});
    expect_refused("build . --out made", {"is a directory"});
    expect_refused("build case.toml", {"--out"});
    expect_refused("frobnicate", {});
    expect_refused("", {});
    expect_refused("inspect missing.stl", {"missing.stl", "no such file"});
    expect_refused("inspect pipe.stl --unit parsec", {"parsec", "mm"});
    expect_refused("assess pipe.stl", {".cgns or .vtu"});
    expect_refused("improve pipe.stl --out better.vtu", {".cgns or .vtu"});
    expect_refused("convert pipe.stl mesh.cgns", {"anvilcast build"});
    expect_refused("demo no-such-demo", {"dust-cyclone"});
    write_case("", "[22, 1, 50]");
    expect_refused("build case.toml --out made", {"material"});
    write_case("", "[0, 0, 500]");
    expect_refused("build case.toml --out made", {"outside of everything", "unit"});
    write_case("", "[0, 0, 50]", "[0, 0, 50]");
    expect_refused("build case.toml --out made", {"feed", "line 7", "equally well"});
    write_case("", "[0, 0, 50]", "[0, 0, 100]");
    expect_refused("build case.toml --out made", {"drain", "same opening"});
    write_case("colour = 1\n");
    expect_refused("build case.toml --out made", {"unknown key", "colour"});
    fs::remove(directory / "pipe.stl");
    write_case("");
    expect_refused("build case.toml --out made", {"pipe.stl", "no such file"});
}

TEST_F(Tool, EndsWithStatus3WhenItCannot) {
    write_case("[limits]\ncells = 300\n");
    const Outcome o = run("build case.toml --out made");
    EXPECT_EQ(o.status, 3);
    EXPECT_NE(o.err.find("300"), std::string::npos) << o.err;
    EXPECT_FALSE(has_result("made"));
    if (::geteuid() != 0) {
        fs::permissions(directory, fs::perms::owner_read | fs::perms::owner_exec);
        EXPECT_EQ(run("convert pipe.stl copy.stl").status, 3);
        fs::permissions(directory, fs::perms::owner_all);
    }
    std::ofstream(directory / "file") << "x";
    write_case("");
    EXPECT_EQ(run("build case.toml --out file/inside").status, 3);
}

TEST_F(Tool, PlansAndStopsAtTheSurface) {
    const Outcome text = run("plan case.toml");
    EXPECT_EQ(text.status, 0) << text.err;
    EXPECT_NE(text.out.find("surface size"), std::string::npos) << text.out;
    EXPECT_FALSE(fs::exists(directory / "made"));
    const auto planned = nlohmann::json::parse(run("plan case.toml --json").out);
    const Outcome surface = run("build case.toml --until surface --out made --json");
    ASSERT_EQ(surface.status, 0) << surface.err;
    const auto made = nlohmann::json::parse(surface.out);
    EXPECT_NEAR(planned["triangles"].get<double>() / made["triangles"].get<double>(), 1, 0.15);
    EXPECT_TRUE(fs::exists(directory / "made/surface.vtu"));
    EXPECT_FALSE(fs::exists(directory / "made/mesh.cgns"));
    EXPECT_EQ(run("inspect made/surface.stl --unit mm").status, 0);
    ASSERT_EQ(run("build case.toml --out made").status, 0);
    const auto summary = nlohmann::json::parse(content(directory / "made/summary.json"));
    EXPECT_NEAR(planned["cells"]["total"].get<double>() / summary["cells"]["total"].get<double>(), 1, 0.15);
    EXPECT_EQ(summary["quality"]["surface_metrics"].size(), 4U);

    write_case("[limits]\ncells = 300\n");
    const Outcome over = run("plan case.toml");
    EXPECT_EQ(over.status, 1);
    EXPECT_NE(over.out.find("\"surface size\" makes 100 %"), std::string::npos) << over.out;
}

/// Three blocks whose triangles hang together no more, each corner of each off by up to 0.4 mm.
void write_shaken_blocks(const fs::path& directory, const std::string& more) {
    fs::copy_file(ANVILCAST_SOURCE "/tests/tool/shaken_blocks.stl", directory / "blocks.stl");
    std::ofstream(directory / "shaken.toml") << R"([case]
unit = "mm"
[[part]]
file = "blocks.stl"
unit = "mm"
[wrap]
gap = 4
[surround]
ahead = 0.5
behind = 0.5
aside = 0.5
above = 0.5
[sizing]
surface = 4
largest = 16
growth = 1.4
)" << more;
}

TEST_F(Tool, AWrapsRidgesAreNoNeedlesOfItsSurfaceMesh) {
    // The wrap has ridges that are far longer than the sizes that its curvature asks for.
    write_shaken_blocks(directory, "per_turn = 16\n");
    const Outcome o = run("build shaken.toml --until surface --out made --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const auto made = nlohmann::json::parse(o.out);
    for (const auto& flaw : made["surface"]["flaws"]) EXPECT_GT(flaw["value"].get<double>(), 0.01) << flaw;
}

TEST_F(Tool, PredictsAWrap) {
    write_shaken_blocks(directory, "");
    const Outcome planned = run("plan shaken.toml --json"), built = run("build shaken.toml --out made --json");
    ASSERT_LE(built.status, 1) << built.err;
    const auto plan = nlohmann::json::parse(planned.out), made = nlohmann::json::parse(built.out);
    const auto cells = made["cells"]["total"].get<double>();
    EXPECT_NEAR(plan["cells"]["total"].get<double>() / cells, 1, 0.15);
    EXPECT_NEAR(made["predicted"]["cells"]["total"].get<double>() / cells, 1, 0.15);
}

TEST_F(Tool, BuildsAStudyAndWhatIsMissingOfIt) {
    write_case(
        "[[layers]]\non = [\"bore\"]\nfirst_height = 0.3\ncount = 2\ngrowth = 1.2\n[limits]\nusual = false\n"
        "[export]\nreport = false\n"
        "[[vary]]\nname = \"mesh\"\nkey = \"sizing.surface\"\nvalues = [6, 4]\nnames = [\"coarse\", \"fine\"]\n"
        "[[vary]]\nname = \"first\"\nkey = \"layers[bore].first_height\"\nvalues = [0.3, 0.5, 40]\n");
    const Outcome planned = run("study case.toml --plan --json");
    EXPECT_EQ(planned.status, 0) << planned.err;
    EXPECT_EQ(nlohmann::json::parse(planned.out)["predicted"].size(), 6U);
    EXPECT_FALSE(fs::exists(directory / "made"));

    // The third height is more than the bore has room for, but a mesh all the same; a variant that cannot be built
    // leaves the others alone.
    const Outcome built = run("study case.toml --out made --json");
    EXPECT_EQ(built.status, 0) << built.err;
    const auto study = nlohmann::json::parse(built.out);
    ASSERT_EQ(study["variants"].size(), 6U);
    for (const auto& v : study["variants"]) {
        EXPECT_EQ(v["state"], "built") << v;
        EXPECT_GT(v["cells"]["total"].get<int>(), 500);
        EXPECT_GT(v["metrics"]["non_orthogonality"]["worst"].get<double>(), 20);
    }
    EXPECT_GT(study["variants"][3]["finer_by"].get<double>(), 1.2);
    EXPECT_FALSE(study["variants"][1].contains("finer_by"));
    EXPECT_NEAR(study["variants"][4]["first_median"].get<double>(), 0.0005, 1e-5);
    // Two surfaces serve six meshes.
    std::size_t n_surfaces = 0;
    for (const auto& file : fs::directory_iterator(directory / "made" / "kept"))
        n_surfaces += file.path().filename().string().starts_with("surface-") ? 1 : 0;
    EXPECT_EQ(n_surfaces, 2U);
    const std::string table = content(directory / "made" / "study.csv");
    EXPECT_EQ(std::count(table.begin(), table.end(), '\n'), 7);

    // What is there stays; what is missing comes from what is kept.
    const auto before = fs::last_write_time(directory / "made" / "fine-0.5" / "mesh.cgns");
    fs::remove_all(directory / "made" / "coarse-0.5");
    EXPECT_EQ(run("study case.toml --out made").status, 0);
    EXPECT_EQ(fs::last_write_time(directory / "made" / "fine-0.5" / "mesh.cgns"), before);
    EXPECT_TRUE(fs::exists(directory / "made" / "coarse-0.5" / "mesh.cgns"));

    // Each variant by its own command, as a cluster would.
    const Outcome listed = run("study case.toml --out apart --list");
    EXPECT_EQ(std::count(listed.out.begin(), listed.out.end(), '\n'), 6);
    const std::string first = listed.out.substr(0, listed.out.find('\n'));
    EXPECT_EQ(run(first.substr(first.find("build")) + " --quiet").status, 0) << first;
    EXPECT_TRUE(fs::exists(directory / "apart" / "coarse-0.3" / "mesh.cgns")) << first << listed.out;
}

TEST_F(Tool, AVariantThatFailsLeavesTheOthersAlone) {
    write_case(
        "[export]\nreport = false\n[limits]\nusual = false\n[[vary]]\nkey = \"region[1].inside\"\n"
        "values = [[0, 0, 50], [0, 0, 500], [1, 0, 50]]\nnames = [\"in\", \"out\", \"beside\"]\n");
    expect_refused("study case.toml", {"--out DIR"});
    expect_refused("study missing.toml --plan", {"missing.toml"});
    const Outcome o = run("study case.toml --out made");
    EXPECT_EQ(o.status, 3);
    EXPECT_NE(o.out.find("2 of 3 variants built, 1 failed"), std::string::npos) << o.out;
    EXPECT_NE(o.out.find("failed out: anvilcast: "), std::string::npos) << o.out;
    EXPECT_TRUE(fs::exists(directory / "made" / "beside" / "mesh.cgns"));
}

TEST_F(Tool, TellsAgainWhatABuildWarnedOf) {
    // A name that the file format cuts, and a limit that polyhedra do not have.
    const std::string cells = "[fill]\ncells = \"polyhedra\"\n";
    write_case(cells +
               "[export]\nreport = false\n[limits]\nusual = false\nskewness = 0.9\n"
               "[[vary]]\nkey = \"sizing.growth\"\nvalues = [1.3, 1.4]\n");
    const std::string warning = "skewness is not checked";
    const Outcome built = run("build case.toml --out made");
    ASSERT_EQ(built.status, 0) << built.err;
    EXPECT_NE(built.err.find(warning), std::string::npos) << built.err;
    const Outcome again = run("build case.toml --out made");
    EXPECT_NE(again.out.find("Nothing has changed"), std::string::npos) << again.out;
    EXPECT_NE(again.err.find(warning), std::string::npos) << again.err;
    const Outcome study = run("study case.toml --out both");
    EXPECT_EQ(study.status, 0);
    EXPECT_NE(study.out.find("careful all: "), std::string::npos) << study.out;
    EXPECT_NE(study.out.find(warning), std::string::npos) << study.out;
    EXPECT_EQ(std::count(study.out.begin(), study.out.end(), ':'), 3) << "once for both";
}

TEST_F(Tool, TheFlowIsBehindAnOpening) {
    auto planned = [&](const std::string& inside) {
        write_case("", inside);
        const Outcome o = run("plan case.toml --json");
        EXPECT_EQ(o.status, 0) << inside << o.err;
        return nlohmann::json::parse(o.out)["regions"][0]["volume"].get<double>();
    };
    const double by_point = planned("[0, 0, 50]");
    for (const char* opening : {"feed", "drain"})
        EXPECT_EQ(planned(std::string("{ opening = \"") + opening + "\" }"), by_point) << opening;
    write_case("", "{ opening = \"fed\" }");
    expect_refused("plan case.toml", {"no zone or opening is called \"fed\"", "\"feed\""});
    write_case("", "{ opening = \"feed\", zone = \"bore\" }");
    expect_refused("plan case.toml", {"case.toml, line", "give an opening, or a zone"});
}

TEST_F(Tool, APlanTellsWhatTheLastBuildWarnedOf) {
    // A blade whose ends are needles, which a surface mesh shows and a plan does not.
    const anvilcast::LengthUnit m = anvilcast::parse_length_unit("m");
    anvilcast::write_stl(directory / "room.stl", anvilcast::kit::box({-10, -10, -10}, {30, 20, 20}), m);
    anvilcast::write_stl(directory / "blade.stl", anvilcast::kit::prism({{0, 0}, {20, 0}, {20, 0.05}}, 10), m);
    auto write = [&](const char* surface) {
        std::ofstream(directory / "case.toml")
            << "[case]\nunit = \"m\"\n[[part]]\nfile = \"room.stl\"\nunit = \"m\"\n[[part]]\nfile = \"blade.stl\"\n"
               "unit = \"m\"\n[[region]]\nlargest = true\n[limits]\nusual = false\n[export]\nreport = false\n"
               "[sizing]\nsurface = "
            << surface << "\n";
    };
    write("5");
    EXPECT_EQ(run("plan case.toml").out.find("also warned"), std::string::npos);
    const Outcome built = run("build case.toml --out made");
    ASSERT_EQ(built.status, 0) << built.err;
    ASSERT_NE(built.err.find("needle"), std::string::npos) << built.err;
    const Outcome planned = run("plan case.toml");
    EXPECT_NE(planned.out.find("Its last build also warned\n  careful: the surface mesh has"), std::string::npos)
        << planned.out;
    EXPECT_FALSE(nlohmann::json::parse(run("plan case.toml --kept made/kept --json").out)["warnings_of_build"].empty());
    write("4");
    EXPECT_EQ(run("plan case.toml").out.find("also warned"), std::string::npos);
}

TEST_F(Tool, SaysThatNothingHasChanged) {
    write_case("[limits]\nusual = false\n[export]\nreport = false\n");
    ASSERT_EQ(run("build case.toml --out made").status, 0);
    const auto before = fs::last_write_time(directory / "made" / "mesh.cgns");
    const Outcome again = run("build case.toml --out made");
    EXPECT_EQ(again.status, 0);
    EXPECT_NE(again.out.find("Nothing has changed"), std::string::npos) << again.out;
    EXPECT_EQ(nlohmann::json::parse(run("build case.toml --out made --json").out)["case"]["name"], "pipe");
    EXPECT_EQ(fs::last_write_time(directory / "made" / "mesh.cgns"), before);
    const std::string mesh = content(directory / "made" / "mesh.cgns");
    // A result that somebody changed is made again, from what is kept.
    put(directory / "made" / "mesh.cgns", mesh + "more");
    const Outcome mended = run("build case.toml --out made");
    EXPECT_NE(mended.out.find("(kept)"), std::string::npos) << mended.out;
    EXPECT_EQ(content(directory / "made" / "mesh.cgns").size(), mesh.size());
    const Outcome fresh = run("build case.toml --out made --fresh");
    EXPECT_EQ(fresh.out.find("kept"), std::string::npos) << fresh.out;
    EXPECT_EQ(run("build case.toml --out bare --until surface").status, 0);
    write_case("[keep]\nsize = 0\n");
    EXPECT_EQ(run("build case.toml --out nothing").status, 0);
    EXPECT_FALSE(fs::exists(directory / "nothing" / "kept"));
}

TEST_F(Tool, AnswersForYPlus) {
    const Outcome text = run("yplus --speed '18 m/s' --length '200 mm' --target 30 --core-size 4");
    EXPECT_EQ(text.status, 0) << text.err;
    EXPECT_NE(text.out.find("First cell 1.926 mm high"), std::string::npos) << text.out;
    EXPECT_NE(text.out.find("Blasius"), std::string::npos);
    const auto json = nlohmann::json::parse(run("yplus --speed 2 --fluid water --length 50 --pipe --json").out);
    EXPECT_NEAR(json["wall"]["reynolds"].get<double>(), 2 * 0.05 * 998.2 / 1.002e-3, 2000);
    for (const char* wrong : {"--speed 0 --length 1", "--speed 1 --length 1 --fluid honey",
                              "--speed 1 --length 1 --density 2", "--speed 'fast' --length 1", "--speed 1"})
        EXPECT_EQ(run(std::string("yplus ") + wrong).status, 2) << wrong;
}

TEST_F(Tool, StopsWhenItIsToldToAndLeavesNothing) {
    std::string text = content(directory / "case.toml");
    text.replace(text.find("surface = 5"), 11, "surface = 0.7");
    std::ofstream(directory / "case.toml") << text;
    for (const auto& [signal, after_ms, status] :
         {std::array{SIGINT, 500, 130}, std::array{SIGTERM, 1300, 143}, std::array{SIGHUP, 100, 129}}) {
        const fs::path told = directory / "told.txt";
        fs::remove(told);
        const pid_t child = ::fork();
        if (child == 0) {
            ::chdir(directory.c_str());
            if (std::freopen("told.txt", "w", stderr) != nullptr)
                ::execl(ANVILCAST_TOOL, ANVILCAST_TOOL, "build", "case.toml", "--out", "made", "--verbose", nullptr);
            ::_exit(99);
        }
        // Once it tells a stage it is at work, however busy the machine is.
        for (int k = 0; k < 2000 && content(told).empty(); ++k)
            std::this_thread::sleep_for(std::chrono::milliseconds(10));
        std::this_thread::sleep_for(std::chrono::milliseconds(after_ms));
        ::kill(child, signal);
        int raw = 0;
        ::waitpid(child, &raw, 0);
        ASSERT_TRUE(WIFEXITED(raw)) << signal;
        EXPECT_EQ(WEXITSTATUS(raw), status);
        EXPECT_FALSE(has_result("made")) << signal;
        for (const auto& entry : fs::recursive_directory_iterator(directory))
            EXPECT_EQ(entry.path().string().find(".part"), std::string::npos) << entry.path();
    }
}

TEST_F(Tool, WorksWithoutStandardStreamsAndRefusesWhatNeverEnds) {
    const std::string in = "cd '" + directory.string() + "' && ";
    EXPECT_EQ(std::system((in + ANVILCAST_TOOL " build case.toml --out quiet -v 2>&- >/dev/null").c_str()), 0);
    EXPECT_EQ(std::system((in + ANVILCAST_TOOL " build case.toml --out full -v 2>/dev/full >/dev/null").c_str()), 0);
    EXPECT_EQ(WEXITSTATUS(std::system((in + ANVILCAST_TOOL " inspect pipe.stl 2>/dev/null >&-").c_str())), 3);
    EXPECT_EQ(
        std::system((in + "mkfifo pipe.fifo.stl && ln -s /dev/zero zero.stl && ln -s /dev/null null.stl").c_str()), 0);
    expect_refused("inspect pipe.fifo.stl", {"pipe or a device"});
    expect_refused("inspect zero.stl", {"pipe or a device"});
    expect_refused("build case.toml --out \"\"", {"is empty"});
    EXPECT_EQ(run("convert pipe.stl null.stl").status, 3);
}

TEST_F(Tool, AFailedBuildLeavesNoStaleResult) {
    ASSERT_EQ(run("build case.toml --out made").status, 0);
    write_case("", "[300, 0, 50]");
    EXPECT_EQ(run("build case.toml --out made").status, 2);
    EXPECT_FALSE(fs::exists(directory / "made/mesh.cgns"));
    EXPECT_TRUE(fs::exists(directory / "made/earlier-result/mesh.cgns"));
    EXPECT_NE(content(directory / "made/failed.txt").find("inside"), std::string::npos);
}

TEST_F(Tool, StartsACaseThatBuilds) {
    const Outcome o = run("start pipe.stl --speed '4 m/s' --cells 20000");
    ASSERT_EQ(o.status, 0) << o.err;
    for (const char* part : {"pipe.toml", "2 openings", "layers", "taken for mm", "anvilcast build pipe.toml"})
        EXPECT_NE(o.out.find(part), std::string::npos) << part << " is not in " << o.out;
    EXPECT_LE(run("build pipe.toml --out started").status, 1);
    EXPECT_TRUE(fs::exists(directory / "started/mesh.cgns"));
    const Outcome again = run("start pipe.stl");
    EXPECT_EQ(again.status, 2);
    EXPECT_NE(again.err.find("there is a pipe.toml already"), std::string::npos) << again.err;
    const auto json = nlohmann::json::parse(run("start pipe.stl --around --cells 20000 --replace --json").out);
    EXPECT_TRUE(json["is_around"]);
    EXPECT_LE(json["cells"], 20000);
}

TEST_F(Tool, AWrongUnitIsSuspected) {
    std::string text = content(directory / "case.toml");
    text.replace(text.find("file = \"pipe.stl\"\nunit = \"mm\""), 29, "file = \"pipe.stl\"\nunit = \"m\"");
    std::ofstream(directory / "case.toml") << text;
    const Outcome o = run("plan case.toml");
    EXPECT_EQ(o.status, 2);
    EXPECT_NE(o.err.find("is the unit of the parts right"), std::string::npos) << o.err;
}

TEST_F(Tool, HelpsEveryCommandWithAnExample) {
    for (const char* command : {"start", "inspect", "openings", "yplus", "plan", "build", "assess", "draw", "report",
                                "improve", "convert", "demo"}) {
        const Outcome o = run(std::string(command) + " --help");
        EXPECT_EQ(o.status, 0);
        EXPECT_NE(o.out.find(std::string("anvilcast ") + command), std::string::npos) << o.out;
        EXPECT_NE(o.out.find("Example"), std::string::npos) << command;
        // The manual page and the shell completions know it too.
        for (const char* file :
             {"anvilcast.1", "completions/anvilcast.bash", "completions/_anvilcast", "completions/anvilcast.fish"})
            EXPECT_NE(content(fs::path(ANVILCAST_SOURCE) / "cli" / file).find(command), std::string::npos)
                << file << " lacks " << command;
        // And so they do each of its options.
        std::istringstream words(o.out);
        for (std::string word; words >> word;) {
            const std::size_t dashes = word.find("--");
            if (dashes == std::string::npos || word == "--help" || (dashes > 0 && word[dashes - 1] != ',')) continue;
            std::string option = word.substr(dashes + 2);
            option.resize(std::min(option.find_first_not_of("abcdefghijklmnopqrstuvwxyz-"), option.size()));
            for (const char* file :
                 {"anvilcast.1", "completions/anvilcast.bash", "completions/_anvilcast", "completions/anvilcast.fish"})
                EXPECT_NE(content(fs::path(ANVILCAST_SOURCE) / "cli" / file).find(option), std::string::npos)
                    << file << " lacks --" << option;
        }
    }
    EXPECT_NE(run("--version").out.find("0.1.0"), std::string::npos);
}

TEST_F(Tool, TheDemoKeepsItsPromises) {
    const Outcome o = run("demo dust-cyclone --out cyclone --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const auto summary = nlohmann::json::parse(o.out);
    EXPECT_GT(summary["cells"]["total"], 150'000);
    EXPECT_LT(summary["cells"]["total"], 300'000);
    std::map<std::string, std::string> roles;
    for (const auto& zone : summary["zones"]) roles[zone["name"]] = zone["role"];
    EXPECT_EQ(roles["gas-in"], "inlet");
    EXPECT_EQ(roles["clean-gas"], "outlet");
    EXPECT_EQ(roles["dust-out"], "outlet");
    EXPECT_EQ(roles["body-wall"], "wall");
    std::map<std::string, nlohmann::json> metrics;
    for (const auto& m : summary["quality"]["metrics"]) metrics[m["name"]] = m;
    EXPECT_LT(metrics["equiangle skewness"]["max"], 0.8);
    EXPECT_GT(metrics["smallest dihedral"]["min"], 10);
    EXPECT_GT(metrics["volume"]["min"], 0);
    EXPECT_TRUE(summary["quality"]["limits_hold"]);
    // Layers on all six walls, with the y+ that was asked for; the mesh file alone tells the same.
    ASSERT_EQ(summary["layers"].size(), 6U);
    for (const auto& wall : summary["layers"]) {
        EXPECT_EQ(wall["asked"]["count"], 5);
        EXPECT_GT(wall["full_share"], 0.99) << wall["zone"];
        EXPECT_GT(wall["first"]["share_within_2_percent"], 0.9) << wall["zone"];
        EXPECT_NEAR(wall["y_plus"]["median"], 30, 0.3) << wall["zone"];
        EXPECT_LT(wall["step_to_core"]["p95"], 2.5) << wall["zone"];
    }
    const auto assessed = nlohmann::json::parse(run("assess cyclone/mesh.cgns --json").out);
    ASSERT_EQ(assessed["layers"].size(), 6U);
    EXPECT_EQ(assessed["cells"]["prisms"], summary["cells"]["prisms"]);
    EXPECT_NE(content(directory / "cyclone/mesh.vtu").find("Name=\"height of lowest layer\""), std::string::npos);
    EXPECT_NE(run("demo --list").out.find("dust-cyclone"), std::string::npos);
    // The geometry in the tree is what its maker makes.
    ASSERT_EQ(
        std::system((std::string(ANVILCAST_MAKE_CYCLONE " '") + (directory / "remade.stl").string() + "'").c_str()), 0);
    EXPECT_TRUE(content(directory / "remade.stl") ==
                content(fs::path(ANVILCAST_SOURCE) / "demo/dust-cyclone/cyclone-shell.stl"));
#ifdef ANVILCAST_MAKE_CYCLONE_STEP
    ASSERT_EQ(std::system((std::string(ANVILCAST_MAKE_CYCLONE_STEP " '") + (directory / "remade.step").string() +
                           "' >/dev/null")
                              .c_str()),
              0);
    EXPECT_TRUE(content(directory / "remade.step") ==
                content(fs::path(ANVILCAST_SOURCE) / "demo/dust-cyclone/cyclone-shell.step"));
#endif
}

std::string coarser(std::string text, const std::vector<std::pair<std::string, std::string>>& changes) {
    for (const auto& [from, to] : changes) {
        EXPECT_NE(text.find(from), std::string::npos) << from;
        text.replace(text.find(from), from.size(), to);
    }
    return text;
}

TEST_F(Tool, MeshesWhatTurnsAsARegionOfItsOwn) {
    const fs::path demo = fs::path(ANVILCAST_SOURCE) / "demo/butter-churn";
    ASSERT_EQ(std::system((std::string(ANVILCAST_MAKERS "/make_butter_churn '") + directory.string() + "'").c_str()),
              0);
    for (const char* file : {"barrel.stl", "rib.stl", "shaft.stl", "board.stl"})
        EXPECT_TRUE(content(directory / file) == content(demo / file)) << file;
    const std::string sheet =
        "[[surface]]\nname = \"half way\"\nrole = \"screen\"\nshape = \"rectangle\"\n"
        "center = [100, 0, 100]\nnormal = [0, 0, 1]\nup = [0, 1, 0]\nwidth = 60\nheight = 60\n\n";
    for (const bool has_sheet : {false, true}) {
        const std::string cells = has_sheet ? "polyhedra" : "tetrahedra";
        std::ofstream(directory / "churn.toml")
            << coarser(content(demo / "case.toml"),
                       {{"per_turn = 36", "per_turn = 16"},
                        {"surface = 6", "surface = 12"},
                        {"largest = 9", "largest = 16"},
                        {"count = 5", "count = 3"},
                        {"part = \"shaft\"", "part = \"shaft\"\nrole = \"BC:BCWallViscousIsothermal\""},
                        {"[sizing]", (has_sheet ? sheet : "") + "[fill]\ncells = \"" + cells + "\"\n\n[sizing]"}});
        const Outcome o = run("build churn.toml --out churn --json");
        ASSERT_LE(o.status, 1) << o.err;
        const nlohmann::json summary = nlohmann::json::parse(o.out);
        ASSERT_EQ(summary["regions"].size(), 2U);
        EXPECT_EQ(summary["regions"][1]["name"], "turning");
        EXPECT_NEAR(summary["regions"][0]["volume"].get<double>() + summary["regions"][1]["volume"].get<double>(),
                    8.471e-3, 0.02e-3);
        std::map<std::string, nlohmann::json> zone;
        for (const auto& z : summary["zones"]) zone[z["name"]] = z;
        EXPECT_EQ(zone.at("cream-to-turning")["other_name"], "turning-to-cream");
        EXPECT_NEAR(zone.at("cream-to-turning")["area"].get<double>(), 2 * 3.14159265 * 0.094 * 0.2, 5e-4);
        EXPECT_EQ(zone.contains("half way"), has_sheet);
        EXPECT_EQ(has_sheet ? zone.at("half way")["role"] : "screen", "screen");
        EXPECT_EQ(zone.at("shaft")["bc_type"], "BCWallViscousIsothermal");
        for (const auto& z : summary["layers"]) {
            if (z["zone"] != "lids" && z["zone"] != "barrel") continue;
            EXPECT_GT(z["full_share"].get<double>(), 0.9) << z;
        }
        // The checker warns of faces within.
        if (!has_sheet) expect_accepted_by_the_standards_checker("churn");
    }
    std::ofstream(directory / "wrong.toml") << coarser(content(demo / "case.toml"), {{"radius = 94", "radius = 0"}});
    const Outcome wrong = run("plan wrong.toml");
    EXPECT_EQ(wrong.status, 2);
    EXPECT_NE(wrong.err.find("line 57: [[region]] \"turning\": radii"), std::string::npos) << wrong.err;
}

TEST_F(Tool, MeshesOneOfTwelveFins) {
    const fs::path demo = fs::path(ANVILCAST_SOURCE) / "demo/stove-fins";
    ASSERT_EQ(std::system((std::string(ANVILCAST_MAKERS "/make_stove_fins '") + directory.string() + "'").c_str()), 0);
    for (const char* file : {"sector.stl", "iron.stl"})
        EXPECT_TRUE(content(directory / file) == content(demo / file)) << file;
    const std::string coarse =
        coarser(content(demo / "case.toml"),
                {{"surface = 4", "surface = 8"}, {"largest = 6", "largest = 9"}, {"size = 2", "size = 4"}});
    std::ofstream(directory / "fins.toml") << coarse;
    const Outcome o = run("build fins.toml --out fins --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const nlohmann::json summary = nlohmann::json::parse(o.out);
    ASSERT_EQ(summary["periodic"].size(), 2U);
    for (const auto& pair : summary["periodic"]) {
        EXPECT_NEAR(pair["turned"].get<double>(), 30, 1e-12);
        EXPECT_LT(pair["largest_difference"].get<double>(), 1e-8);
    }
    std::map<std::string, nlohmann::json> zone;
    for (const auto& z : summary["zones"]) zone[z["name"]] = z;
    EXPECT_EQ(zone.at("left")["role"], "periodic");
    EXPECT_EQ(zone.at("left")["faces"], zone.at("right")["faces"]);
    EXPECT_EQ(zone.at("iron-left")["faces"], zone.at("iron-right")["faces"]);
    for (const auto& layers : summary["layers"]) EXPECT_GT(layers["full_share"].get<double>(), 0.98);
    expect_accepted_by_the_standards_checker("fins");
    EXPECT_NE(run("plan fins.toml").out.find("right is left, turned by 30 degrees round [0, 0, 1]"), std::string::npos);
    // What is told again, from the file.
    EXPECT_EQ(nlohmann::json::parse(run("assess fins/mesh.cgns --json").out)["periodic"].size(), 2U);
    std::ofstream(directory / "wrong.toml") << coarser(coarse, {{"[\"left\", \"right\"]", "[\"left\", \"below\"]"}});
    const Outcome wrong = run("plan wrong.toml");
    EXPECT_EQ(wrong.status, 2);
    EXPECT_NE(wrong.err.find("[[periodic]] these zones are not each other's image"), std::string::npos) << wrong.err;
}

TEST_F(Tool, MeshesTheSolidsInAChamberThatTheStandardsCheckerAccepts) {
    const fs::path demo = fs::path(ANVILCAST_SOURCE) / "demo/drying-chamber";
    for (const char* file : {"chamber.stl", "rods.stl", "brick.stl", "weir.stl"}) {
        fs::copy_file(demo / file, directory / file);
        fs::create_directories(directory / "remade");
    }
    // The geometry in the tree is what its maker makes.
    ASSERT_EQ(
        std::system(
            (std::string(ANVILCAST_MAKERS "/make_drying_chamber '") + (directory / "remade").string() + "'").c_str()),
        0);
    for (const char* file : {"chamber.stl", "rods.stl", "brick.stl", "weir.stl"})
        EXPECT_TRUE(content(directory / "remade" / file) == content(demo / file)) << file;
    std::ofstream(directory / "chamber.toml")
        << coarser(content(demo / "case.toml"), {{"surface = 15", "surface = 50"},
                                                 {"largest = 20", "largest = 60"},
                                                 {"per_turn = 24", "per_turn = 9"},
                                                 {"size = 5", "size = 20"},
                                                 {"size = 8", "size = 30"}});
    const Outcome o = run("build chamber.toml --out chamber --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const nlohmann::json summary = nlohmann::json::parse(o.out);
    ASSERT_EQ(summary["regions"].size(), 3U);
    EXPECT_EQ(summary["regions"][1]["name"], "rods");
    EXPECT_EQ(summary["regions"][1]["kind"], "solid");
    EXPECT_NEAR(summary["regions"][2]["volume"].get<double>(), 0.12 * 0.12 * 0.06, 1e-12);
    EXPECT_TRUE(summary["left_out"].empty());
    ASSERT_EQ(summary["warnings"].size(), 1U) << summary["warnings"];
    EXPECT_EQ(summary["warnings"][0],
              "no layers are asked for on walls of \"air\": chamber-wall, weir; other walls of it have some");
    expect_accepted_by_the_standards_checker("chamber");
    // Each volume can be found before anything is meshed.
    const nlohmann::json volumes =
        nlohmann::json::parse(run("inspect chamber.stl rods.stl brick.stl weir.stl --volumes --json").out)["volumes"];
    EXPECT_EQ(volumes.size(), 5U);
}

TEST_F(Tool, MeshesTheWindRoundAHut) {
    ASSERT_EQ(std::system((std::string(ANVILCAST_MAKERS "/make_wind_hut '") + directory.string() + "'").c_str()), 0);
    for (const char* file : {"walls.stl", "roof.stl", "chimney.stl"})
        EXPECT_TRUE(content(directory / file) == content(fs::path(ANVILCAST_SOURCE) / "demo/wind-hut" / file)) << file;
    const Outcome o = run("demo wind-hut --out hut");
    ASSERT_EQ(o.status, 0) << o.err;
    EXPECT_NE(o.out.find("blocks 1.27 % of the section"), std::string::npos) << o.out;
    const nlohmann::json summary = nlohmann::json::parse(content(directory / "hut/summary.json"));
    // The halves with y > 0; the walls' top 0.3 m are within the roof, the chimney's lower part is within both.
    const double walls_and_roof = 6 * 2 * 2.3 + 6.8 * 0.5 * 2.5 * 1.8,
                 chimney = 0.5 * 32 * 0.3 * 0.3 * std::sin(std::acos(-1.0) / 16) / 2 * (4.8 - 4.1 + 0.72 * 0.127);
    EXPECT_NEAR(summary["domain_volume"], 108.8 * 22.5 * 24.8 - walls_and_roof - chimney, 0.01);
    for (const nlohmann::json& zone : summary["zones"]) EXPECT_GT(zone["faces"], 0) << zone["name"];
}

TEST_F(Tool, WrapsAnOvenThatNobodyCleaned) {
    ASSERT_EQ(std::system((std::string(ANVILCAST_MAKERS "/make_bread_oven '") + directory.string() + "'").c_str()), 0);
    const fs::path demo = fs::path(ANVILCAST_SOURCE) / "demo/bread-oven";
    for (const char* file : {"panels.stl", "fittings.stl", "loaves.stl"})
        EXPECT_TRUE(content(directory / file) == content(demo / file)) << file;
    // Coarser than the demo, through to the mesh with layers.
    std::ofstream(directory / "oven.toml")
        << coarser(content(demo / "case.toml"), {{"gap = \"10 mm\"", "gap = \"20 mm\""},
                                                 {"gap = \"6 mm\"", "gap = \"14 mm\""},
                                                 {"surface = 8", "surface = 16"},
                                                 {"largest = 16", "largest = 32"}});
    const Outcome o = run("build oven.toml --out oven --json");
    ASSERT_EQ(o.status, 1) << o.err;  // a mesh, but rough places of the wrap are not what a solver likes
    const nlohmann::json summary = nlohmann::json::parse(o.out);
    EXPECT_GT(summary["cells"]["prisms"].get<int>(), 1000);
    EXPECT_FALSE(summary["wrap"]["bridged"].empty());
    // The chamber, without loaves and shelf, and the pipes.
    EXPECT_NEAR(summary["domain_volume"].get<double>(), 0.42 * 0.3 * 0.26, 0.04 * 0.42 * 0.3 * 0.26);
    for (const nlohmann::json& zone : summary["zones"]) EXPECT_GT(zone["faces"], 0) << zone["name"];

    const std::string files = "panels.stl fittings.stl loaves.stl --unit mm ";
    const Outcome wrapped = run("inspect " + files + "--wrap around.stl --gap \"25 mm\"");
    EXPECT_EQ(wrapped.status, 0) << wrapped.err;
    EXPECT_NE(wrapped.out.find("closed and free of self-intersections"), std::string::npos) << wrapped.out;
    EXPECT_EQ(run("inspect around.stl --quiet").status, 0);
    const Outcome leaky = run("inspect " + files + "--wrap in.stl --gap \"20 mm\" --inside \"60, 150, 200\"");
    EXPECT_EQ(leaky.status, 2);  // the pipes are open
    EXPECT_NE(leaky.err.find("the smallest gap that holds it is about"), std::string::npos) << leaky.err;
    EXPECT_FALSE(fs::exists(directory / "in.stl"));
    const Outcome unsaid = run("inspect " + files + "--wrap in.stl");
    EXPECT_EQ(unsaid.status, 2);
    EXPECT_NE(unsaid.err.find("is one to begin with"), std::string::npos) << unsaid.err;
    EXPECT_EQ(run("inspect " + files + "--gap \"20 mm\"").status, 2);
    EXPECT_EQ(run("inspect " + files + "--wrap in.stl --gap \"20 mm\" --inside here").status, 2);
}

TEST_F(Tool, DuctsAreSweptFromTheirOpenings) {
    auto case_of = [&](const std::string& cells, const std::string& swept) {
        std::ofstream(directory / "duct.toml")
            << "[case]\nunit = \"mm\"\n[[part]]\nfile = \"pipe.stl\"\nunit = \"mm\"\n"
               "[[opening]]\nname = \"feed\"\nrole = \"inlet\"\nnear = [0, 0, 0]\nduct = 60\n"
            << swept
            << "[[opening]]\nname = \"drain\"\nrole = \"outlet\"\nnear = [0, 0, 100]\n[[region]]\nname = \"water\"\n"
               "inside = [0, 0, 50]\n[sizing]\nsurface = 5\nlargest = 5\n[[layers]]\nfirst_height = 0.3\ncount = 4\n"
               "growth = 1.2\n[fill]\ncells = \""
            << cells << "\"\n";
    };
    for (const std::string cells : {"tetrahedra", "polyhedra"}) {
        case_of(cells, "");
        const Outcome plain = run("build duct.toml --out plain --json");
        ASSERT_LT(plain.status, 2) << plain.err;
        case_of(cells, "swept = true\n");
        const double planned = nlohmann::json::parse(run("plan duct.toml --json").out)["cells"]["total"];
        const Outcome o = run("build duct.toml --out swept --json");
        ASSERT_LT(o.status, 2) << o.err;
        const auto summary = nlohmann::json::parse(o.out), other = nlohmann::json::parse(plain.out);
        EXPECT_NEAR(summary["regions"][0]["volume"].get<double>() / other["regions"][0]["volume"].get<double>(), 1,
                    5e-3);
        EXPECT_NEAR(planned / summary["cells"]["total"].get<double>(), 1, 0.15);
        for (const auto& zone : summary["zones"]) {
            for (const auto& same : other["zones"])
                if (same["name"] == zone["name"]) {
                    EXPECT_NEAR(zone["area"].get<double>() / same["area"].get<double>(), 1, 1e-2) << zone;
                }
        }
        // Layers go on along the duct.
        bool has_duct = false;
        for (const auto& layers : summary["layers"])
            if (layers["zone"] == "feed-duct") {
                has_duct = true;
                EXPECT_EQ(layers["most"], 4);
                EXPECT_GT(layers["full_share"].get<double>(), 0.99);
            }
        if (cells == "tetrahedra") {
            EXPECT_TRUE(has_duct);
            EXPECT_GT(summary["cells"]["hexahedra"].get<int>(), 100);
            EXPECT_LT(summary["cells"]["total"].get<double>(), other["cells"]["total"].get<double>());
        }
        EXPECT_LT(run("assess swept/mesh.cgns -q").status, 2);
    }
    case_of("tetrahedra", "swept = true\nsteps = 2.5\n");
    EXPECT_NE(run("plan duct.toml").err.find("whole number"), std::string::npos);
}

TEST_F(Tool, PlaneMeshesGoThroughAllCommands) {
    const std::string walls = std::string(ANVILCAST_SOURCE) + "/demo/wind-hut/walls.stl";
    std::ofstream(directory / "hut.toml")
        << "[case]\nunit = \"m\"\n[[part]]\nfile = \"" << walls
        << "\"\nunit = \"m\"\n[plane]\nat = \"y = 1.5\"\n[surround]\nshape = \"half-circle\"\nground = true\n"
           "[[area]]\nname = \"air\"\n[sizing]\nsurface = 0.2\nlargest = 5\n[[layers]]\non = [\"walls*\"]\n"
           "first_height = 0.02\ncount = 4\ngrowth = 1.3\n[limits]\nskewness = 0.8\n";
    const auto plan = nlohmann::json::parse(run("plan hut.toml --json").out);
    const Outcome o = run("build hut.toml --out hut --json");
    ASSERT_EQ(o.status, 0) << o.err;
    const auto summary = nlohmann::json::parse(o.out);
    EXPECT_EQ(plan["cells"]["total"], summary["cells"]["total"]);
    EXPECT_NEAR(plan["regions"][0]["area"].get<double>() / summary["regions"][0]["area"].get<double>(), 1, 1e-9);
    for (const auto& layers : summary["layers"]) {
        EXPECT_EQ(layers["most"], 4);
        EXPECT_NEAR(layers["full_share"].get<double>(), 1, 1e-12);
    }
    const Outcome assessed = run("assess hut/mesh.cgns --unit m");
    EXPECT_EQ(assessed.status, 0) << assessed.out;
    for (const char* words : {"triangles", "quadrangles", "area, m", "edges  length", "smallest face angle"})
        EXPECT_NE(assessed.out.find(words), std::string::npos) << words;
    EXPECT_EQ(assessed.out.find("dihedral"), std::string::npos);
    EXPECT_EQ(assessed.out.find("front of"), std::string::npos);
    ASSERT_EQ(run("convert hut/mesh.cgns hut.vtu").status, 0);
    EXPECT_EQ(nlohmann::json::parse(run("assess hut.vtu --json").out)["cells"],
              nlohmann::json::parse(run("assess hut/mesh.cgns --json").out)["cells"]);
    EXPECT_EQ(run("draw hut/mesh.cgns --out a.png --colour skewness").status, 0);
    EXPECT_EQ(run("draw hut/mesh.cgns --out a.png --worst skewness").status, 0);
    const Outcome cut = run("draw hut/mesh.cgns --out a.png --cut \"x = 0\"");
    EXPECT_EQ(cut.status, 2);
    EXPECT_NE(cut.err.find("leave out --cut"), std::string::npos) << cut.err;
    EXPECT_EQ(run("report hut --out again.html").status, 0);
    const Outcome better = run("improve hut/mesh.cgns --out better.cgns --target 30");
    EXPECT_LT(better.status, 2) << better.err;
    EXPECT_EQ(run("assess better.cgns -q").status, 0);
#ifdef ANVILCAST_CGNSCHECK
    for (const char* file : {"hut/mesh.cgns", "better.cgns"}) {
        EXPECT_EQ(std::system((std::string(ANVILCAST_CGNSCHECK " -v ") + (directory / file).string() + " > " +
                               (directory / "checked").string() + " 2>&1")
                                  .c_str()),
                  0);
        EXPECT_EQ(content(directory / "checked").find("ERROR"), std::string::npos);
    }
#endif
    // What a plane case has not is told with its line.
    std::ofstream(directory / "bad.toml") << "[case]\nunit = \"m\"\n[plane]\nat = \"y is 1\"\n[[part]]\nfile = \""
                                          << walls << "\"\nunit = \"m\"\n[sizing]\nsurface = 1\n";
    const Outcome bad = run("build bad.toml --out bad");
    EXPECT_EQ(bad.status, 2);
    EXPECT_NE(bad.err.find("line 4"), std::string::npos) << bad.err;
}

TEST_F(Tool, SectionsAreSweptFromTheCaseToTheFile) {
    // The one as it is, the other as a sheet of one cell.
    std::ofstream(directory / "sheet.toml")
        << content(std::filesystem::path(ANVILCAST_SOURCE) / "demo/louvre/case.toml")
        << "\n[sweep]\none_cell = \"2 mm\"\n";
    const std::string mill_race = std::string(ANVILCAST_SOURCE) + "/demo/mill-race/case.toml";
    for (const auto& [demo, file] :
         {std::pair("louvre", std::string("sheet.toml")), std::pair("mill-race", mill_race)}) {
        const auto plan = nlohmann::json::parse(run("plan " + file + " --json").out);
        const Outcome o = run("build " + file + " --out " + demo + " --json");
        ASSERT_EQ(o.status, 0) << o.err;
        const auto summary = nlohmann::json::parse(o.out);
        // What is swept is predicted exactly: cells, faces, volume.
        EXPECT_EQ(plan["cells"]["total"].get<double>(), summary["cells"]["total"].get<double>());
        EXPECT_EQ(summary["cells"]["prisms"].get<double>() + summary["cells"]["hexahedra"].get<double>(),
                  summary["cells"]["total"].get<double>());
        EXPECT_NEAR(plan["regions"][0]["volume"].get<double>() / summary["regions"][0]["volume"].get<double>(), 1,
                    1e-9);
        for (std::size_t z = 0; z < plan["zones"].size(); ++z)
            EXPECT_EQ(plan["zones"][z]["faces"].get<double>(), summary["zones"][z]["faces"].get<double>());
#ifdef ANVILCAST_CGNSCHECK
        EXPECT_EQ(std::system((std::string(ANVILCAST_CGNSCHECK " -v ") + (directory / demo / "mesh.cgns").string() +
                               " > " + (directory / "checked").string() + " 2>&1")
                                  .c_str()),
                  0);
        EXPECT_EQ(content(directory / "checked").find("ERROR"), std::string::npos);
#endif
    }
    // A curve of places in a file, comments and commas and all; a line that is none is told.
    std::ofstream(directory / "places.txt") << "my section\n# x y\n0, 0\n40, 0\n40; 30\n0 30\n0 0\n";
    const std::string text =
        "[case]\nunit = \"mm\"\n[[curve]]\nname = \"wall\"\nfile = \"places.txt\"\nunit = \"mm\"\n"
        "[sizing]\nsurface = 5\n[sweep]\nalong = [0, 0, 20]\nsteps = 4\n";
    std::ofstream(directory / "section.toml") << text;
    const Outcome o = run("build section.toml --out section --json");
    ASSERT_EQ(o.status, 0) << o.err;
    EXPECT_NEAR(nlohmann::json::parse(o.out)["regions"][0]["volume"].get<double>(), 24e-6, 1e-15);
    std::ofstream(directory / "places.txt") << "0 0\n40 0\n40\n0 30\n";
    const Outcome bad = run("build section.toml --out section");
    EXPECT_EQ(bad.status, 2);
    EXPECT_NE(bad.err.find("line 3: expected two numbers"), std::string::npos) << bad.err;
    EXPECT_EQ(run("build section.toml --until surface --out section").status, 2);
    // A section that shrinks, and one with the axis for a side, which has no faces.
    for (const std::string way : {"along = [0, 0, 30]\nscale = 0.5", "axis = [[0, 0], [0, 1]]\nangle = 90"}) {
        std::ofstream(directory / "half.toml")
            << "[case]\nunit = \"mm\"\n[[curve]]\nname = \"shell\"\narc = [[0, -10], [10, 0], [0, "
               "10]]\n[[curve]]\nname = "
               "\"axis\"\npoints = [[0, 10], [0, -10]]\n[sizing]\nsurface = 2\n[sweep]\nsteps = 8\n"
            << way << "\n";
        const auto planned = nlohmann::json::parse(run("plan half.toml --json").out);
        const auto made = nlohmann::json::parse(run("build half.toml --out half --json").out);
        EXPECT_NEAR(planned["regions"][0]["volume"].get<double>() / made["regions"][0]["volume"].get<double>(), 1,
                    1e-9);
        EXPECT_EQ(planned["cells"]["total"].get<double>(), made["cells"]["total"].get<double>());
        for (std::size_t z = 0; z < 4; ++z)
            EXPECT_EQ(planned["zones"][z]["faces"].get<double>(), made["zones"][z]["faces"].get<double>()) << z;
    }
}

TEST_F(Tool, DrawsTheWayOutOfALeak) {
    write_case("");
    std::string text = content(directory / "case.toml");
    text.replace(text.find("[[opening]]\nname = \"drain\""),
                 text.find("[[zone]]") - text.find("[[opening]]\nname = \"drain\""), "");
    std::ofstream(directory / "leaky.toml") << text;
    const Outcome o = run("build leaky.toml --out leaky");
    EXPECT_EQ(o.status, 2);
    EXPECT_NE(o.err.find("an opening at [0, 0, 100] mm, 39.8"), std::string::npos) << o.err;
    EXPECT_NE(o.err.find("near = [0, 0, 100]"), std::string::npos) << o.err;
    EXPECT_NE(content(directory / "leaky/leaks.vtu").find("NumberOfCells=\"1\""), std::string::npos);
    EXPECT_FALSE(fs::exists(directory / "leaky/mesh.cgns"));
}

}  // namespace
