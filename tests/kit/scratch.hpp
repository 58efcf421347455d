// A directory of its own for each test that writes files, gone afterwards.
#pragma once

#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <functional>
#include <iterator>
#include <string>

namespace anvilcast::kit {

class ScratchTest : public ::testing::Test {
  protected:
    void SetUp() override {
        const auto* info = ::testing::UnitTest::GetInstance()->current_test_info();
        directory = std::filesystem::temp_directory_path() / ("anvilcast-" + std::string(info->test_suite_name()) +
                                                              "-" + std::to_string(::getpid()) + "-" + info->name());
        std::filesystem::create_directories(directory);
    }
    void TearDown() override { std::filesystem::remove_all(directory); }

    static std::string content(const std::filesystem::path& file) {
        std::ifstream in(file, std::ios::binary);
        return {std::istreambuf_iterator<char>(in), {}};
    }
    static void put(const std::filesystem::path& file, const std::string& bytes) {
        std::ofstream(file, std::ios::binary) << bytes;
    }

    std::filesystem::path directory;
};

/// What an action says when it refuses; "accepted" when it does not. E: what it must throw.
template <typename E>
std::string message_of(const std::function<void()>& action) {
    try {
        action();
    } catch (const E& e) {
        return e.what();
    }
    return "accepted";
}

}  // namespace anvilcast::kit
