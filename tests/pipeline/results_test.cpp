// The directory of a build's results: its files belong together, and appear together.

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <anvilcast/errors.hpp>
#include <anvilcast/results.hpp>

#include <csignal>
#include <nlohmann/json.hpp>
#include <set>

#include "kit/scratch.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

class Results : public kit::ScratchTest {
  protected:
    fs::path out() const { return directory / "out"; }
    void write(const ResultDirectory& r, const std::string& mark, const std::vector<std::string>& zones = {}) const {
        put(r.path() / "mesh.cgns", mark);
        put(r.path() / "summary.json", "{\"mark\": \"" + mark + "\"}");
        for (const std::string& zone : zones) {
            fs::create_directories(r.path() / "zones");
            put(r.path() / "zones" / (zone + ".stl"), mark);
        }
    }
    void commit(const std::string& mark, const std::vector<std::string>& zones = {}) const {
        ResultDirectory r(out());
        write(r, mark, zones);
        r.commit();
    }
    std::set<std::string> files(const fs::path& of) const {
        std::set<std::string> names;
        for (const auto& entry : fs::recursive_directory_iterator(of))
            if (!entry.is_directory()) names.insert(entry.path().lexically_relative(of));
        return names;
    }
};

TEST_F(Results, ReplaceTheEarlierOnesAndNothingElse) {
    commit("one", {"wall", "lid"});
    put(out() / "notes.txt", "mine");
    fs::create_directories(out() / "zones");
    put(out() / "zones/mine.stl", "mine");
    commit("two", {"wall"});
    EXPECT_EQ(files(out()),
              (std::set<std::string>{"mesh.cgns", "summary.json", "notes.txt", "zones/wall.stl", "zones/mine.stl"}));
    EXPECT_EQ(content(out() / "mesh.cgns"), "two");
    const auto summary = nlohmann::json::parse(content(out() / "summary.json"));
    EXPECT_EQ(summary["files"], (std::set<std::string>{"mesh.cgns", "summary.json", "zones/wall.stl"}));
    EXPECT_EQ(std::distance(fs::directory_iterator(directory), fs::directory_iterator()), 1) << "litter";
}

TEST_F(Results, ThatNeverCameStandAsideWithTheReason) {
    commit("one");
    put(out() / "notes.txt", "mine");
    for (const char* reason : {"the tube leaks", "it still leaks"}) {
        ResultDirectory r(out());
        write(r, "half");
        r.set_earlier_result_aside(reason);
    }
    EXPECT_EQ(files(out()), (std::set<std::string>{"earlier-result/mesh.cgns", "earlier-result/summary.json",
                                                   "failed.txt", "notes.txt"}));
    EXPECT_EQ(content(out() / "earlier-result/mesh.cgns"), "one");
    EXPECT_NE(content(out() / "failed.txt").find("it still leaks"), std::string::npos);
    commit("two");
    EXPECT_EQ(files(out()), (std::set<std::string>{"mesh.cgns", "summary.json", "notes.txt"}));
    // Where there was nothing, nothing appears.
    ResultDirectory(directory / "other").set_earlier_result_aside("a reason");
    EXPECT_FALSE(fs::exists(directory / "other"));
}

TEST_F(Results, WhatAKilledRunLeftGoesWithTheNextOne) {
    commit("one");
    const pid_t child = ::fork();
    if (child == 0) {
        ResultDirectory r(out());
        write(r, "half");
        ::kill(::getpid(), SIGKILL);
    }
    int raw = 0;
    ::waitpid(child, &raw, 0);
    EXPECT_EQ(content(out() / "mesh.cgns"), "one");
    EXPECT_EQ(std::distance(fs::directory_iterator(directory), fs::directory_iterator()), 2);
    commit("two");
    EXPECT_EQ(content(out() / "mesh.cgns"), "two");
    EXPECT_EQ(std::distance(fs::directory_iterator(directory), fs::directory_iterator()), 1);
}

TEST_F(Results, TheCurrentDirectoryStaysTheSameOne) {
    fs::create_directories(out());
    const fs::path before = fs::current_path();
    fs::current_path(out());
    ResultDirectory r(".");
    write(r, "one");
    r.commit();
    EXPECT_EQ(content("mesh.cgns"), "one");
    fs::current_path(before);
    EXPECT_THROW(ResultDirectory(""), InputError);
    put(directory / "file", "x");
    EXPECT_THROW(ResultDirectory(directory / "file"), InputError);
}

TEST(Warnings, OfOneKindAreOneWithACount) {
    std::vector<std::string> many{"something else"};
    for (int i = 0; i < 17; ++i) many.push_back("opening \"in-" + std::to_string(i) + "\" touches nothing at 2.5 mm");
    const auto few = gathered(many);
    ASSERT_EQ(few.size(), 2U);
    EXPECT_NE(few[1].find("(and 16 more like it)"), std::string::npos) << few[1];
}

}  // namespace
}  // namespace anvilcast
