// A build from a case file to a directory, for `build` and `demo`.
#pragma once

#include <filesystem>

#include "command.hpp"

namespace cli {

struct BuildOptions : CommonOptions {
    std::string input, directory, until, kept;
    bool full = false, fresh = false;
};

void add_full(CLI::App* sub, BuildOptions& o);

/// Returns the exit status.
int build_case(const BuildOptions& o, const std::filesystem::path& file, const std::filesystem::path& directory);

}  // namespace cli
