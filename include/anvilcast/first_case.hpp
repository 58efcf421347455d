// A first case file for geometry that nobody has described yet: everything decided as well as it can be, and said.
//
//     FirstCase first = first_case({"hood.step"}, "hood.toml", {.speed = 12});
//     write(first.text);               // a comment on each line; ready for plan() and build()
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/units.hpp>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

struct FirstCaseOptions {
    /// Of the numbers in files that do not say; left out: guessed from the extent.
    std::optional<LengthUnit> unit = {};
    /// What is meshed: what the bodies enclose, or what is round them. Guessed: what openings lead to, or what is
    /// hollow, or inside of a body whose zones are named as inlets and outlets; otherwise the flow round the bodies.
    enum class Where { guessed, inside, around } where = Where::guessed;
    std::optional<double> speed = {};  ///< of the flow, m/s; with it layers grow on the walls
    std::string fluid = "air";         ///< see fluid_by_name()
    double cells = 1e6;                ///< sizes are chosen for no more than so many
};

struct FirstCase {
    std::string text;                  ///< of the case file
    std::vector<std::string> guesses;  ///< what should be looked at, a sentence each
    double cells = 0;                  ///< predicted
    bool is_around = false;
    bool has_layers = false;
    std::size_t n_openings = 0;
};

/// `files`: surface files; they are named relative to the directory of `case_file`, which need not exist. Every case is
/// planned before it is returned, with seams joined, layers by shape or a wrap where it does not work without. Throws
/// what reading and planning throw. As long as a few plans.
ANVILCAST_API FirstCase first_case(const std::vector<std::filesystem::path>& files,
                                   const std::filesystem::path& case_file, const FirstCaseOptions& options = {},
                                   const Context& context = {});

/// Whole or not at all. Throws InputError where there is a file already that is not to be replaced.
ANVILCAST_API void write_first_case(const std::filesystem::path& case_file, const FirstCase& first,
                                    bool replaces = false);

}  // namespace anvilcast
