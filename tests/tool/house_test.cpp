// The house: which room may know which. What a file includes is read, and every arrow that is not in the table is
// named.

#include <gtest/gtest.h>
#include <anvilcast/formats.hpp>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <map>
#include <regex>
#include <set>
#include <sstream>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

/// From the ground up: a room may know those named with it.
const std::vector<std::pair<std::string, std::string>> kHouse{
    {"base", ""},
    {"robust", "base"},
    {"geometry", "base robust"},
    {"mesh", "base geometry"},
    {"assemble", "base mesh"},
    {"tets", "base robust geometry mesh"},
    {"surface", "base robust geometry mesh"},
    {"check", "base mesh"},
    {"cut", "base robust geometry mesh surface"},
    {"domain", "base robust geometry mesh surface cut"},
    {"wrap", "base robust geometry mesh surface tets domain"},
    {"shape", "base robust geometry mesh surface domain"},
    {"sizing", "base robust geometry mesh surface domain shape"},
    {"surfmesh", "base robust geometry mesh surface domain shape sizing"},
    {"layers", "base robust geometry mesh surface domain shape sizing surfmesh"},
    {"poly", "base geometry mesh assemble"},
    {"cubes", "base robust geometry mesh surface domain sizing surfmesh"},
    {"quality", "base robust geometry mesh"},
    {"planar", "base robust geometry mesh surface domain shape sizing surfmesh layers quality"},
    {"fill",
     "base robust geometry mesh assemble tets surface domain shape sizing surfmesh layers poly cubes quality planar"},
    {"sweep", "base geometry mesh surface domain sizing surfmesh layers quality assemble planar"},
    {"forecast", "base robust geometry mesh surface domain shape sizing layers"},
    {"improve", "base robust geometry mesh assemble tets fill check quality"},
    {"io", "base robust geometry mesh assemble surface"},
    {"case", "base geometry mesh surface cut domain wrap shape sizing surfmesh layers fill planar sweep quality io"},
    {"pipeline",
     "base geometry mesh assemble surface cut domain wrap shape sizing surfmesh layers cubes fill planar sweep "
     "forecast "
     "check "
     "quality improve io case"},
    {"tell",
     "base geometry mesh surface cut domain wrap shape sizing surfmesh layers fill forecast quality improve io case "
     "pipeline"},
    {"figures", "base geometry mesh surface domain sizing quality io pipeline tell"},
};

/// Whose the public headers are.
const std::map<std::string, std::string> kHeaders{
    {"vectors", "base"},
    {"errors", "base"},
    {"units", "base"},
    {"context", "base"},
    {"export", "base"},
    {"version", "base"},
    {"predicates", "robust"},
    {"polygon", "geometry"},
    {"triangle_tree", "geometry"},
    {"triangle_intersection", "geometry"},
    {"zones", "mesh"},
    {"surface", "mesh"},
    {"volume_mesh", "mesh"},
    {"planar_mesh", "mesh"},
    {"planar", "planar"},
    {"sweep", "sweep"},
    {"assembly", "assemble"},
    {"sheet", "assemble"},
    {"delaunay", "tets"},
    {"placement", "mesh"},
    {"shapes", "surface"},
    {"weld", "surface"},
    {"health", "surface"},
    {"mend", "surface"},
    {"naming", "surface"},
    {"cut", "cut"},
    {"openings", "domain"},
    {"surround", "domain"},
    {"domain", "domain"},
    {"leaks", "domain"},
    {"wrap", "wrap"},
    {"absorb", "shape"},
    {"periodic", "shape"},
    {"sizing", "sizing"},
    {"surface_mesh", "surfmesh"},
    {"flow", "layers"},
    {"layer_stack", "layers"},
    {"layers", "layers"},
    {"cube_layout", "cubes"},
    {"fill", "fill"},
    {"prediction", "forecast"},
    {"faults", "check"},
    {"tell", "tell"},
    {"metrics", "quality"},
    {"quality", "quality"},
    {"selection", "quality"},
    {"layer_figures", "quality"},
    {"improve", "improve"},
    {"kept", "pipeline"},
    {"study", "pipeline"},
    {"surface_files", "io"},
    {"stl", "io"},
    {"formats", "io"},
    {"mesh_files", "io"},
    {"case", "case"},
    {"pipeline", "pipeline"},
    {"plan", "pipeline"},
    {"first_case", "pipeline"},
    {"results", "pipeline"},
    {"figures", "figures"},
    {"report", "figures"},
};

std::set<std::string> known_to(const std::string& room) {
    std::set<std::string> out{room};
    for (const auto& [name, known] : kHouse)
        if (name == room) {
            std::istringstream words(known);
            for (std::string word; words >> word;) out.insert(word);
        }
    return out;
}

/// The room of an included file; empty for what is not ours.
std::string room_of(const std::string& included) {
    const fs::path path(included);
    if (path.begin()->string() != "anvilcast") return path.begin()->string();
    const auto header = kHeaders.find(path.stem().string());
    return header == kHeaders.end() ? "public header of no room" : header->second;
}

std::string wrong_arrows(const fs::path& file, const std::string& room) {
    static const std::regex include(R"re(^#include (?:"([a-z_/]+\.hpp)"|<(anvilcast/[a-z_]+\.hpp)>))re");
    const std::set<std::string> known = known_to(room);
    std::string out;
    std::ifstream in(file);
    for (std::string line; std::getline(in, line);) {
        std::smatch match;
        if (!std::regex_search(line, match, include)) continue;
        const std::string included = match[1].matched ? match[1].str() : match[2].str();
        if (!known.contains(room_of(included)))
            out += file.string() + ": " + room + " may not know " + room_of(included) + " (" + included + ")\n";
    }
    return out;
}

TEST(House, ArrowsPointDownwards) {
    const fs::path source = ANVILCAST_SOURCE;
    std::string wrong;
    std::set<std::string> rooms;
    for (const auto& entry : fs::recursive_directory_iterator(source / "src")) {
        const auto ending = entry.path().extension();
        if (ending != ".hpp" && ending != ".cpp") continue;
        const std::string room = fs::relative(entry.path(), source / "src").begin()->string();
        rooms.insert(room);
        wrong += wrong_arrows(entry.path(), room);
    }
    for (const auto& [header, room] : kHeaders)
        wrong += wrong_arrows(source / "include/anvilcast" / (header + ".hpp"), room);
    EXPECT_EQ(wrong, "");
    std::set<std::string> in_table;
    for (const auto& [room, known] : kHouse) in_table.insert(room);
    EXPECT_EQ(rooms, in_table);
}

TEST(House, HasNoCircles) {
    std::set<std::string> below;
    for (const auto& [room, known] : kHouse) {
        for (const std::string& other : known_to(room))
            EXPECT_TRUE(other == room || below.contains(other)) << room << " stands before " << other;
        below.insert(room);
    }
}

TEST(House, EveryPublicHeaderHasARoom) {
    for (const auto& entry : fs::directory_iterator(fs::path(ANVILCAST_SOURCE) / "include/anvilcast")) {
        const std::string name = entry.path().stem();
        EXPECT_TRUE(name == "anvilcast" || kHeaders.contains(name)) << name;
    }
}

/// A line as it is seen: a letter may take several bytes.
std::size_t width(const std::string& line) {
    return static_cast<std::size_t>(std::count_if(line.begin(), line.end(), [](char c) { return (c & 0xC0) != 0x80; }));
}

std::vector<fs::path> documents() {
    std::vector<fs::path> out{fs::path(ANVILCAST_SOURCE) / "README.md", fs::path(ANVILCAST_SOURCE) / "CONTRIBUTING.md"};
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(ANVILCAST_SOURCE) / "docs"))
        if (entry.path().extension() == ".md") out.push_back(entry.path());
    return out;
}

TEST(Documents, HaveShortLines) {
    for (const fs::path& file : documents()) {
        std::ifstream in(file);
        int number = 0;
        for (std::string line; std::getline(in, line);) {
            ++number;
            const bool is_prose = !line.starts_with("|") && !line.starts_with("![") && !line.starts_with("    ");
            EXPECT_TRUE(!is_prose || width(line) <= 120) << file << ":" << number;
        }
    }
}

TEST(Documents, NameFilesThatAreThere) {
    static const std::regex path(
        R"re(`((?:src|include|tests|cli|bench|fuzz|examples|demo|docs|scripts)/[A-Za-z0-9_./-]+)`)re");
    for (const fs::path& file : documents()) {
        if (file.parent_path().filename() == "decisions") continue;  // they tell of the day they were made
        std::ifstream in(file);
        const std::string text{std::istreambuf_iterator<char>(in), {}};
        for (auto it = std::sregex_iterator(text.begin(), text.end(), path); it != std::sregex_iterator(); ++it)
            EXPECT_TRUE(fs::exists(fs::path(ANVILCAST_SOURCE) / (*it)[1].str())) << file << ": " << (*it)[1];
    }
}

/// What is said of formats comes from one table, or is held against it.
TEST(Documents, NameEveryFormat) {
    auto text_of = [](const char* name) {
        std::ifstream in(fs::path(ANVILCAST_SOURCE) / name);
        return std::string{std::istreambuf_iterator<char>(in), {}};
    };
    const std::string documents = text_of("docs/geometry.md") + text_of("docs/quality.md") + text_of("README.md");
    // The completions of the third shell offer all files.
    const std::vector<std::string> completions{text_of("cli/completions/anvilcast.bash"),
                                               text_of("cli/completions/_anvilcast")};
    for (const anvilcast::FileFormat& format : anvilcast::file_formats()) {
        EXPECT_NE(documents.find(format.name), std::string::npos) << format.name;
        if (format.kind == anvilcast::FileKind::mesh) continue;
        for (const char* ending : format.endings)
            for (const std::string& completion : completions)
                EXPECT_NE(completion.find(std::string(ending).substr(1)), std::string::npos) << ending;
    }
}

}  // namespace
