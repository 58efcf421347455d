// Case files on top of others, and the variants of a study, before anything is built.

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/study.hpp>

#include "kit/scratch.hpp"
#include "pipeline/kept/keys.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

constexpr const char* kCase = R"([case]
name = "lamp"
unit = "mm"
[[part]]
file = "shell.stl"
unit = "mm"
[[part]]
file = "bulb.stl"
unit = "mm"
[[region]]
name = "air"
inside = [2, 2, 2]
[sizing]
surface = "5 mm"
largest = 6
per_turn = 12
[[refine]]
name = "near"
on = ["bulb"]
size = "2 mm"
[flow]
speed = 2
length = 40
[[layers]]
on = ["floor"]
first_height = 0.4
count = 2
growth = 1.3
[[layers]]
on = ["bulb"]
y_plus = 1
count = 4
growth = 1.2
)";

class Studies : public kit::ScratchTest {
  protected:
    Study study(const std::string& vary) const {
        put(directory / "study.toml", kCase + vary);
        return read_study(directory / "study.toml");
    }
    void expect_refused(const std::string& vary, const std::string& told) const {
        const std::string said = kit::message_of<InputError>([&] { study(vary); });
        EXPECT_NE(said.find(told), std::string::npos) << vary << "\n" << said;
        EXPECT_NE(said.find(directory.string()), std::string::npos) << said;
    }
};

TEST_F(Studies, CombineAllValuesTheLastOneFastest) {
    const Study s = study(
        "[[vary]]\nkey = \"sizing.surface\"\nvalues = [\"4 mm\", 2]\nnames = [\"coarse\", \"fine\"]\n"
        "[[vary]]\nkey = \"layers[bulb].y_plus\"\nvalues = [1, 5, 30]\n"
        "[[vary]]\nkey = \"layers[2].count\"\nvalues = [8, 5, 3]\ntogether = true\n");
    EXPECT_EQ(s.name, "study");
    EXPECT_EQ(s.columns, (std::vector<std::string>{"surface", "y_plus", "count"}));
    EXPECT_EQ(s.axis_of, (std::vector<std::size_t>{0, 1, 1}));
    ASSERT_EQ(s.variants.size(), 6U);
    EXPECT_EQ(s.variants[0].name, "coarse-1");
    EXPECT_EQ(s.variants[2].name, "coarse-30");
    EXPECT_EQ(s.variants[5].name, "fine-30");
    EXPECT_DOUBLE_EQ(s.variants[0].c.sizing.surface, 0.004);
    EXPECT_DOUBLE_EQ(s.variants[3].c.sizing.surface, 0.002);
    EXPECT_EQ(s.variants[4].c.layers[1].y_plus, 5);
    EXPECT_EQ(s.variants[4].c.layers[1].count, 5);
    EXPECT_EQ(s.variants[4].c.layers[0].count, 2);
    EXPECT_EQ(s.variants[4].values, (std::vector<std::string>{"fine", "5", "5"}));
    // A variant's case stands for itself, anywhere.
    fs::create_directory(directory / "elsewhere");
    put(directory / "elsewhere" / "v.toml", case_text_of(s.variants[4]));
    const Case c = read_case(directory / "elsewhere" / "v.toml");
    EXPECT_EQ(c.layers[1].y_plus, 5);
    EXPECT_EQ(c.parts[0].file, fs::absolute(directory / "shell.stl"));
    EXPECT_EQ(c.name, "lamp");
}

TEST_F(Studies, ScaleLengthsThatNothingElseFixes) {
    const Study s = study("[[vary]]\nname = \"mesh\"\nscale = [2, 1]\nnames = [\"coarse\", \"fine\"]\n");
    ASSERT_EQ(s.variants.size(), 2U);
    const Case &coarse = s.variants[0].c, &fine = s.variants[1].c;
    EXPECT_DOUBLE_EQ(coarse.sizing.surface, 0.010);
    EXPECT_DOUBLE_EQ(coarse.sizing.largest, 0.012);
    EXPECT_DOUBLE_EQ(coarse.sizing.refine[0].size, 0.004);
    EXPECT_DOUBLE_EQ(*coarse.layers[0].first_height, 0.0008);
    EXPECT_EQ(coarse.layers[1].y_plus, 1);
    EXPECT_EQ(coarse.sizing.per_turn, 12);
    EXPECT_DOUBLE_EQ(fine.sizing.surface, 0.005);
    EXPECT_DOUBLE_EQ(*fine.layers[0].first_height, 0.0004);
}

TEST_F(Studies, StandInFilesOfTheirOwnToo) {
    put(directory / "case.toml", kCase);
    fs::create_directory(directory / "studies");
    put(directory / "studies" / "parts.toml",
        "[study]\ncase = \"../case.toml\"\nname = \"bulbs\"\n"
        "[[vary]]\nkey = \"part[bulb].file\"\nvalues = [\"bulb.stl\", \"globe.stl\"]\n");
    const Study s = read_study(directory / "studies" / "parts.toml");
    EXPECT_EQ(s.name, "bulbs");
    EXPECT_EQ(s.variants[1].c.parts[1].file.lexically_normal(),
              (directory / "studies/../globe.stl").lexically_normal());
    EXPECT_EQ(s.variants[1].name, "globe.stl");
}

TEST_F(Studies, WrongOnesAreToldBeforeAnythingIsBuilt) {
    expect_refused("", "there is no [[vary]]");
    expect_refused("[[vary]]\nkey = \"sizng.surface\"\nvalues = [1]\n", "did you mean \"sizing\"?");
    expect_refused("[[vary]]\nkey = \"sizing.surfce\"\nvalues = [1]\n", "did you mean \"surface\"?");
    expect_refused("[[vary]]\nkey = \"layers[roof].count\"\nvalues = [1]\n",
                   "there is no \"roof\" among [[layers]]; there are 1 (floor), 2 (bulb)");
    expect_refused("[[vary]]\nkey = \"layers[3].count\"\nvalues = [1]\n", "there is no \"3\"");
    expect_refused("[[vary]]\nkey = \"layers.count\"\nvalues = [1]\n", "say which");
    expect_refused("[[vary]]\nkey = \"surface\"\nvalues = [1]\n", "is no way to a key");
    expect_refused("[[vary]]\nkey = \"sizing.surface\"\nvalues = []\n", "one value or more");
    expect_refused("[[vary]]\nkey = \"sizing.surface\"\nvalues = [1, 2]\nnames = [\"a\"]\n", "2 values and 1 names");
    expect_refused("[[vary]]\nkey = \"sizing.surface\"\nvalues = [1, 2]\nnames = [\"a\", \"a\"]\n",
                   "two variants would be called \"a\"");
    expect_refused("[[vary]]\nkey = \"sizing.surface\"\nvalues = [1, 2]\ntogether = true\n", "none before it");
    expect_refused(
        "[[vary]]\nkey = \"sizing.surface\"\nvalues = [1, 2]\n[[vary]]\nkey = \"sizing.largest\"\nvalues = [3]\n"
        "together = true\n",
        "it has 1 values, the one before it 2");
    expect_refused("[[vary]]\nscale = [1, -2]\n", "positive numbers");
    expect_refused("[[vary]]\nscale = [1]\nkey = \"sizing.surface\"\n", "not both");
    expect_refused("[[vary]]\nkey = \"sizing.surface\"\nvalues = [4, \"soon\"]\n", "variant \"soon\"");
    expect_refused("[[vary]]\nkey = \"layers[1].count\"\nvalues = [2, 2.5]\n", "variant \"2.5\"");
}

TEST_F(Studies, CasesStandOnTopOfOthers) {
    fs::create_directories(directory / "common");
    put(directory / "common" / "set-up.toml", kCase);
    put(directory / "case.toml",
        "[case]\nbase = \"common/set-up.toml\"\nname = \"lantern\"\n[sizing]\nlargest = 9\n"
        "[[layers]]\non = [\"bulb\"]\nfirst_height = 0.1\ncount = 3\ngrowth = 1.1\n");
    const Case c = read_case(directory / "case.toml");
    EXPECT_EQ(c.name, "lantern");
    EXPECT_DOUBLE_EQ(c.sizing.surface, 0.005);
    EXPECT_DOUBLE_EQ(c.sizing.largest, 0.009);
    ASSERT_EQ(c.layers.size(), 1U);
    EXPECT_EQ(c.layers[0].count, 3);
    EXPECT_EQ(c.parts[1].file.lexically_normal(), directory / "common" / "bulb.stl");
    // What was asked for is kept as a whole.
    EXPECT_NE(c.text.find("per_turn = 12"), std::string::npos) << c.text;

    auto told = [&](const std::string& text) {
        put(directory / "case.toml", text);
        return kit::message_of<InputError>([&] { read_case(directory / "case.toml"); });
    };
    EXPECT_NE(told("[case]\nbase = \"missing.toml\"\n").find("case.toml, line 2: [case] base cannot be read"),
              std::string::npos);
    EXPECT_NE(told("[case]\nbase = \"case.toml\"\n").find("goes round"), std::string::npos);
    EXPECT_NE(told("[case]\nbase = 3\n").find("must be the name of a case file"), std::string::npos);
    // Each mistake is told where it was made.
    EXPECT_NE(told("[case]\nbase = \"common/set-up.toml\"\n[sizing]\n\nsurface = \"wide\"\n").find("case.toml, line 5"),
              std::string::npos);
    std::string wrong = kCase;
    wrong.replace(wrong.find("speed = 2"), 9, "speed = \"fast\"");
    put(directory / "common" / "set-up.toml", wrong);
    const std::string said = told("[case]\nbase = \"common/set-up.toml\"\n[flow]\nlength = 20\n");
    EXPECT_NE(said.find("set-up.toml, line 22"), std::string::npos) << said;
}

TEST_F(Studies, NumbersArePrintedAsShortAsTheyReadBack) {
    put(directory / "shell.stl", "solid s\nendsolid s\n");
    put(directory / "bulb.stl", "solid b\nendsolid b\n");
    const Case c =
        parse_case(std::string(kCase) + "[limits]\nskewness = 0.9\nvolume_growth = 1e3\n", directory / "case.toml");
    const std::string printed = case_with_defaults(c);
    EXPECT_NE(printed.find("\nskewness = 0.9\n"), std::string::npos) << printed;
    // What the usual limits are is told, but for the one that was given.
    EXPECT_NE(printed.find("usual = true  # "), std::string::npos) << printed;
    EXPECT_NE(printed.find("non_orthogonality 70"), std::string::npos) << printed;
    EXPECT_NE(printed.find("\nsmallest = 0.15625\n"), std::string::npos) << printed;
    EXPECT_EQ(parse_case(printed, directory / "case.toml").limits.metrics.size(), 2U);
}

TEST_F(Studies, PlaneCasesArePrintedWithWhatTheyLeftOut) {
    const char* text = R"([case]
name = "gap"
unit = "mm"
[plane]
[[curve]]
name = "rim"
points = [[0, 0], [20, 0], [20, 10], [0, 10], [0, 0]]
[[area]]
inside = [5, 5]
[sweep]
along = [0, 0, 4]
steps = 2
[sizing]
largest = 5
)";
    const Case c = parse_case(text, directory / "gap.toml");
    const std::string printed = case_with_defaults(c);
    for (const char* part : {"finer_at = 'start'", "cells = 'triangles'", "join = 0", "twist = 0", "start = 'start'",
                             "end = 'end'", "surface = 5"})
        EXPECT_NE(printed.find(part), std::string::npos) << part << "\n" << printed;
    const Case again = parse_case(printed, directory / "gap.toml");
    EXPECT_EQ(kept::section_key_of(again), kept::section_key_of(c)) << printed;
    EXPECT_EQ(case_with_defaults(again), printed);
}

TEST_F(Studies, CasesArePrintedWithWhatTheyLeftOut) {
    const std::string surrounded = std::string(kCase) + "[surround]\nahead = 3\n[wrap]\ngap = 2\n";
    for (const std::string& text : {std::string(kCase), surrounded}) {
        std::string without_region = text;
        if (text == surrounded)
            without_region.erase(text.find("[[region]]"), text.find("[sizing]") - text.find("[[region]]"));
        put(directory / "shell.stl", "solid s\nendsolid s\n");
        put(directory / "bulb.stl", "solid b\nendsolid b\n");
        const Case c = parse_case(without_region, directory / "case.toml");
        const std::string printed = case_with_defaults(c);
        for (const char* part :
             {"usual = true", "leftovers = ", "feature_angle = 30", "plateau = 1", "size = ", "name = "})
            EXPECT_NE(printed.find(part), std::string::npos) << part << printed;
        const Case again = parse_case(printed, directory / "case.toml");
        EXPECT_EQ(kept::keys_of(again).mesh, kept::keys_of(c).mesh) << printed;
        EXPECT_EQ(again.kept_bytes, c.kept_bytes);
        EXPECT_EQ(again.limits.usual, c.limits.usual);
        EXPECT_EQ(again.write_report, c.write_report);
        EXPECT_EQ(case_with_defaults(again), printed);
    }
}

}  // namespace
}  // namespace anvilcast
