// What is kept of a build is what a fresh one would make, and is used exactly as long as that is so.

#include <gtest/gtest.h>
#include <anvilcast/kept.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/tell.hpp>

#include <nlohmann/json.hpp>
#include <random>
#include <thread>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"
#include "pipeline/kept/keys.hpp"

namespace anvilcast {
namespace {

constexpr const char* kCase = R"([case]
name = "lamp"
unit = "mm"
[[part]]
file = "shell.stl"
unit = "mm"
name = "shell"
split_angle = 40
weld = 0.001
[[part]]
file = "bulb.stl"
unit = "mm"
name = "bulb"
[mend]
weld = 0.002
stitch = 0
[[zone]]
name = "floor"
part = "shell"
normal = [0, 0, -1]
normal_tolerance = 10
[domain]
join = 0
leftovers = "keep"
[[region]]
name = "air"
kind = "fluid"
inside = [2, 2, 2]
[sizing]
surface = 5
largest = 6
growth = 1.3
per_turn = 8
tolerance = 0.5
[[refine]]
name = "near"
shape = "sphere"
center = [20, 20, 20]
radius = 6
size = 3
[flow]
speed = 2
length = 40
[[layers]]
on = ["floor"]
first_height = 0.4
count = 2
growth = 1.3
[fill]
cells = "tetrahedra"
[limits]
skewness = 0.95
[export]
formats = ["cgns"]
[keep]
size = "1 GB"
)";

class Kept : public kit::ScratchTest {
  protected:
    void SetUp() override {
        ScratchTest::SetUp();
        const LengthUnit mm = parse_length_unit("mm");
        auto write = [&](const char* name, const Surface& s) {
            Surface scaled = s;
            for (Vec3& p : scaled.points) p = 1e-3 * p;
            write_stl(directory / name, scaled, mm);
        };
        write("shell.stl", kit::box({0, 0, 0}, {40, 40, 40}, "shell"));
        write("bulb.stl", kit::sphere({20, 20, 20}, 8, 2, "bulb"));
        write("other.stl", kit::sphere({20, 20, 21}, 8, 2, "bulb"));
    }
    Case with(std::vector<std::pair<std::string, std::string>> changes = {}) const {
        std::string text = kCase;
        for (const auto& [from, to] : changes) {
            const std::size_t at = text.find(from);
            EXPECT_NE(at, std::string::npos) << from;
            if (at != std::string::npos) text.replace(at, from.size(), to);
        }
        return parse_case(text, directory / "case.toml");
    }
    /// All of a result but what it took.
    static std::string told(const BuildResult& r, const Case& c) {
        auto summary = nlohmann::json::parse(summary_json(r, c));
        summary.erase("stages");
        return summary.dump();
    }
    static void expect_same(const BuildResult& a, const BuildResult& b, const Case& c) {
        EXPECT_TRUE(a.mesh.points == b.mesh.points);
        EXPECT_TRUE(a.mesh.cell_points == b.mesh.cell_points);
        EXPECT_TRUE(a.mesh.face_points == b.mesh.face_points);
        EXPECT_TRUE(a.mesh.owner == b.mesh.owner && a.mesh.neighbour == b.mesh.neighbour);
        EXPECT_EQ(told(a, c), told(b, c));
    }
    static std::vector<std::string> kept_stages(const BuildResult& r) {
        std::vector<std::string> out;
        for (const StageCost& s : r.costs)
            if (s.is_kept) out.push_back(s.stage);
        return out;
    }
};

TEST_F(Kept, EveryKeyOfACaseIsInTheKeysOfTheStagesThatReadIt) {
    enum First { domain, sizes, surface, mesh, none };
    struct Change {
        std::string from, to;
        First first;
    };
    const std::vector<Change> changes{
        {"name = \"lamp\"", "name = \"lantern\"", none},
        {"unit = \"mm\"\n[[part]]", "unit = \"cm\"\n[[part]]", domain},
        {"file = \"bulb.stl\"", "file = \"other.stl\"", domain},
        {"unit = \"mm\"\nname = \"shell\"", "unit = \"cm\"\nname = \"shell\"", domain},
        {"name = \"bulb\"", "name = \"globe\"", domain},
        {"split_angle = 40", "split_angle = 50", domain},
        {"weld = 0.001", "weld = 0.003", domain},
        {"weld = 0.002", "weld = 0.003", domain},
        {"stitch = 0", "stitch = 0.001", domain},
        {"stitch = 0", "remove_needles = 0.001", domain},
        {"stitch = 0", "drop_specks = 0.001", domain},
        {"stitch = 0", "close_rims = 0.001", domain},
        {"stitch = 0", "drop_duplicates = false", domain},
        {"stitch = 0", "orient = false", domain},
        {"name = \"floor\"", "name = \"ground\"", domain},
        {"part = \"shell\"\nnormal", "part = \"she*\"\nnormal", domain},
        {"normal = [0, 0, -1]", "normal = [0, 0, 1]", domain},
        {"normal_tolerance = 10", "normal_tolerance = 11", domain},
        {"normal_tolerance = 10", "role = \"outlet\"", domain},
        {"normal_tolerance = 10", "matches = \"*\"", domain},
        {"normal_tolerance = 10", "near = [1, 1, 0]", domain},
        {"normal_tolerance = 10", "inside_box = [[-1, -1, -1], [41, 41, 1]]", domain},
        {"normal_tolerance = 10", "on_plane = { point = [0, 0, 0], normal = [0, 0, 1] }", domain},
        {"normal_tolerance = 10", "on_cylinder = { from = [0, 0, 0], to = [0, 0, 1], radius = 9 }", domain},
        {"normal_tolerance = 10", "tolerance = 0.1", domain},
        {"normal_tolerance = 10", "area = [1, 9000]", domain},
        {"normal_tolerance = 10", "touching = \"bulb\"", domain},
        {"[domain]", "[[opening]]\nname = \"in\"\nrole = \"inlet\"\nnear = [0, 0, 0]\n[domain]", domain},
        {"[domain]", "[surround]\nahead = 2\n[domain]", domain},
        {"[domain]", "[wrap]\ngap = 4\n[domain]", domain},
        {"join = 0", "join = 0.01", domain},
        {"leftovers = \"keep\"", "leftovers = \"drop\"", domain},
        {"name = \"air\"", "name = \"gas\"", domain},
        {"kind = \"fluid\"", "kind = \"solid\"", domain},
        {"inside = [2, 2, 2]", "inside = [2, 2, 3]", domain},
        {"surface = 5", "surface = 5.5", sizes},
        {"surface = 5", "surface = 5\nabsorb = 0.1", domain},
        {"surface = 5", "surface = 5\nsmallest = 2", sizes},
        {"surface = 5", "surface = 5\nacross_gaps = 2", sizes},
        {"largest = 6", "largest = 7", sizes},
        {"growth = 1.3\nper_turn", "growth = 1.2\nper_turn", sizes},
        {"per_turn = 8", "per_turn = 9", sizes},
        {"name = \"near\"", "name = \"far\"", sizes},
        {"center = [20, 20, 20]", "center = [20, 20, 21]", sizes},
        {"radius = 6", "radius = 7", sizes},
        {"size = 3", "size = 4", sizes},
        {"size = 3", "size = 3\ngrowth = 1.1", sizes},
        {"tolerance = 0.5", "feature_angle = 35", sizes},
        {"tolerance = 0.5", "gap_floor = 1", sizes},
        {"tolerance = 0.5", "tolerance = 0.4", surface},
        {"tolerance = 0.5", "curved = true", surface},
        {"speed = 2", "speed = 3", mesh},
        {"length = 40", "length = 41", mesh},
        {"length = 40", "length = 40\nfluid = \"water\"", mesh},
        {"on = [\"floor\"]", "on = [\"bulb\"]", mesh},
        {"first_height = 0.4", "first_height = 0.5", mesh},
        {"first_height = 0.4", "y_plus = 1", mesh},
        {"count = 2", "count = 3", mesh},
        {"count = 2\ngrowth = 1.3", "count = 2\ngrowth = 1.2", mesh},
        {"count = 2", "count = 2\nplateau = 2", mesh},
        {"count = 2", "count = 2\nsqueeze_to = 0.5", mesh},
        {"count = 2", "count = 2\ngap_cells = 3", mesh},
        {"count = 2", "count = 2\nin = [\"air\"]", mesh},
        {"\"tetrahedra\"", "\"polyhedra\"", mesh},
        {"skewness = 0.95", "skewness = 0.9", none},
        {"skewness = 0.95", "cells = 100_000", none},
        {"[\"cgns\"]", "[\"cgns\", \"vtu\"]", none},
        {"\"1 GB\"", "\"2 GB\"", none},
        {"[flow]", "# a comment\n[flow]", none},
    };
    const kept::StageKeys before = kept::keys_of(with());
    for (const Change& change : changes) {
        const kept::StageKeys now = kept::keys_of(with({{change.from, change.to}}));
        const std::string what = change.from + " -> " + change.to;
        EXPECT_EQ(now.domain != before.domain, change.first <= domain) << what;
        EXPECT_EQ(now.sizes != before.sizes, change.first <= sizes) << what;
        EXPECT_EQ(now.surface != before.surface, change.first <= surface) << what;
        EXPECT_EQ(now.mesh != before.mesh, change.first <= mesh) << what;
    }
    // What is in a file counts, not its time.
    put(directory / "bulb.stl", content(directory / "other.stl"));
    EXPECT_NE(kept::keys_of(with()).domain, before.domain);
}

TEST_F(Kept, BuildsAfterRandomChangesAreWhatFreshOnesWouldBe) {
    const std::vector<std::pair<std::string, std::vector<std::string>>> choices{
        {"per_turn = 8", {"per_turn = 8", "per_turn = 10"}},
        {"tolerance = 0.5", {"tolerance = 0.5", "tolerance = 0.4"}},
        {"count = 2", {"count = 2", "count = 3", "count = 1"}},
        {"\"tetrahedra\"", {"\"tetrahedra\"", "\"polyhedra\""}},
        {"skewness = 0.95", {"skewness = 0.95", "skewness = 0.3", "cells = 100_000"}},
        {"center = [20, 20, 20]", {"center = [20, 20, 20]", "center = [5, 5, 5]"}},
        {"file = \"bulb.stl\"", {"file = \"bulb.stl\"", "file = \"other.stl\""}},
    };
    KeptStages kept(directory / "kept");
    std::mt19937 random(5);
    std::size_t n_kept = 0;
    for (int round = 0; round < 8; ++round) {
        std::vector<std::pair<std::string, std::string>> changes;
        for (const auto& [from, to] : choices) changes.emplace_back(from, to[random() % to.size()]);
        const Case c = with(changes);
        const BuildResult result = build(c, {}, &kept);
        n_kept += kept_stages(result).size();
        expect_same(result, build(c), c);
        // And once more, with nothing changed.
        const BuildResult again = build(c, {}, &kept);
        EXPECT_EQ(kept_stages(again).front(), "fill");
        expect_same(again, result, c);
    }
    EXPECT_GT(n_kept, 4U);
    EXPECT_TRUE(kept.warnings().empty());
}

TEST_F(Kept, BeginsWhereSomethingChanged) {
    KeptStages kept(directory / "kept");
    EXPECT_TRUE(kept_stages(build(with(), {}, &kept)).empty());
    using Stages = std::vector<std::string>;
    EXPECT_EQ(kept_stages(build(with({{"count = 2", "count = 3"}}), {}, &kept)),
              (Stages{"domain", "sizes", "surface"}));
    EXPECT_EQ(kept_stages(build(with({{"largest = 6", "largest = 7"}}), {}, &kept)), (Stages{"domain"}));
    // The field's volumes are asked for by the assessment.
    EXPECT_EQ(kept_stages(build(with({{"skewness = 0.95", "skewness = 0.9"}}), {}, &kept)), (Stages{"fill", "domain"}));
    const SurfaceBuild surface = build_surface(with({{"count = 2", "count = 4"}}), {}, &kept);
    EXPECT_EQ(kept_stages(surface.result), (Stages{"domain", "sizes", "surface"}));
    // A limit that would have stopped the build stops it still.
    EXPECT_THROW(build(with({{"skewness = 0.95", "cells = 500"}}), {}, &kept), FailureError);
    KeptStages fresh(directory / "kept", KeptStages::kUsualBytes, true);
    EXPECT_TRUE(kept_stages(build(with(), {}, &fresh)).empty());
}

TEST_F(Kept, WhatDoesNotCheckIsMadeAnewAndTold) {
    const Case c = with();
    const BuildResult whole = build(c);
    std::mt19937 random(11);
    for (int round = 0; round < 12; ++round) {
        {
            KeptStages kept(directory / "kept");
            build(c, {}, &kept);
        }
        for (const auto& entry : std::filesystem::directory_iterator(directory / "kept")) {
            std::string bytes = content(entry.path());
            if (round % 3 == 0)
                bytes[random() % bytes.size()] ^= static_cast<char>(1 + random() % 255);
            else if (round % 3 == 1)
                bytes.resize(random() % bytes.size());
            else
                bytes += "more";
            put(entry.path(), bytes);
        }
        KeptStages kept(directory / "kept");
        const BuildResult result = build(c, {}, &kept);
        EXPECT_TRUE(kept_stages(result).empty());
        EXPECT_GE(kept.warnings().size(), 4U);
        expect_same(result, whole, c);
    }
    // A whole file under another stage's name is of another kind.
    std::vector<std::filesystem::path> files;
    for (const auto& entry : std::filesystem::directory_iterator(directory / "kept")) files.push_back(entry.path());
    const std::string first = content(files[0]);
    put(files[0], content(files[1]));
    put(files[1], first);
    KeptStages kept(directory / "kept");
    expect_same(build(c, {}, &kept), whole, c);
}

TEST_F(Kept, RoomIsBoundedAndTheOldestGo) {
    const auto bytes_of = [&] {
        double sum = 0;
        for (const auto& entry : std::filesystem::directory_iterator(directory / "kept"))
            sum += static_cast<double>(entry.file_size());
        return sum;
    };
    {
        KeptStages kept(directory / "kept");
        build(with(), {}, &kept);
    }
    const double all = bytes_of();
    KeptStages kept(directory / "kept", 1.2 * all);
    for (const char* count : {"count = 3", "count = 4", "count = 5"}) {
        build(with({{"count = 2", count}}), {}, &kept);
        EXPECT_LE(bytes_of(), 1.2 * all);
    }
    // The surface was used all the time, the first mesh was not.
    EXPECT_EQ(kept_stages(build(with(), {}, &kept)), (std::vector<std::string>{"domain", "sizes", "surface"}));
    KeptStages no_room(directory / "kept", 1);
    const Case other = with({{"count = 2", "count = 6"}});
    expect_same(build(other, {}, &no_room), build(other), other);
    EXPECT_EQ(std::distance(std::filesystem::directory_iterator(directory / "kept"), {}), 1);
    // Where nothing can be kept the build goes on.
    put(directory / "taken", "a file");
    KeptStages nowhere(directory / "taken");
    expect_same(build(with(), {}, &nowhere), build(with()), with());
    EXPECT_FALSE(nowhere.warnings().empty());
}

TEST_F(Kept, WhatABuildWarnedOfIsToldUntilItsCauseIsGone) {
    // A blade whose ends are needles, which only a surface mesh shows.
    Surface blade = kit::prism({{0, 0}, {0.020, 0}, {0.020, 0.00005}}, 0.010);
    for (Vec3& p : blade.points) p += Vec3{0.010, 0.010, 0.010};
    write_stl(directory / "bulb.stl", blade, parse_length_unit("mm"));
    auto tells_of_needles = [](const std::vector<std::string>& told) {
        return std::any_of(told.begin(), told.end(),
                           [](const std::string& w) { return w.find("needle") != std::string::npos; });
    };
    KeptStages kept(directory / "kept");
    EXPECT_TRUE(warnings_of_build(with(), kept).empty());
    const BuildResult built = build(with(), {}, &kept);
    ASSERT_TRUE(tells_of_needles(built.warnings));
    EXPECT_EQ(warnings_of_build(with(), kept), built.warnings);
    // The same surface, other layers.
    EXPECT_TRUE(tells_of_needles(warnings_of_build(with({{"count = 2", "count = 3"}}), kept)));
    EXPECT_TRUE(warnings_of_build(with({{"surface = 5", "surface = 4"}}), kept).empty());
    EXPECT_TRUE(warnings_of_build(with({{"bulb.stl", "other.stl"}}), kept).empty());
    EXPECT_TRUE(warnings_of_build(with({{"bulb.stl", "missing.stl"}}), kept).empty());
}

TEST_F(Kept, BuildsSideBySideShareWhatTheyMake) {
    std::vector<BuildResult> results(4);
    std::vector<std::thread> threads;
    std::vector<Case> cases;
    for (const char* count : {"count = 1", "count = 2", "count = 3", "count = 4"})
        cases.push_back(with({{"count = 2", count}}));
    for (std::size_t i = 0; i < results.size(); ++i)
        threads.emplace_back([&, i] {
            KeptStages kept(directory / "kept");
            results[i] = build(cases[i], {}, &kept);
        });
    for (std::thread& t : threads) t.join();
    std::size_t n_surfaces_made = 0;
    for (std::size_t i = 0; i < results.size(); ++i) {
        expect_same(results[i], build(cases[i]), cases[i]);
        const auto kept = kept_stages(results[i]);
        n_surfaces_made += std::find(kept.begin(), kept.end(), "surface") == kept.end() ? 1 : 0;
    }
    EXPECT_EQ(n_surfaces_made, 1U);
    for (const auto& entry : std::filesystem::directory_iterator(directory / "kept"))
        EXPECT_EQ(entry.path().extension(), ".kept") << entry.path();
}

}  // namespace
}  // namespace anvilcast
