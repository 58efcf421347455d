// Studies: many variants of one case, built side by side and told in one table.
//
//     Study study = read_study("hut-study.toml");
//     for (const StudyVariant& v : study.variants) build(v.c, context, &kept);
#pragma once

#include <anvilcast/case.hpp>
#include <anvilcast/export.hpp>
#include <filesystem>
#include <string>
#include <vector>

namespace anvilcast {

struct StudyVariant {
    std::string name;                 ///< of its directory: the names of its values, e.g. "coarse-5"
    std::vector<std::string> values;  ///< as they are told, one for each column
    Case c;                           ///< its text is a case file that stands for itself
};

struct Study {
    std::string name;
    std::vector<std::string> columns;  ///< what varies
    std::vector<std::size_t> axis_of;  ///< of each column; those that go side by side have one
    std::vector<StudyVariant> variants;
};

/// Reads [[vary]] from a case file, or from a file whose [study] case names one. Every [[vary]] has a `key` with
/// `values`, or `scale` for all lengths of sizes, refinements and layers at once; `names` for people; `together = true`
/// goes side by side with the [[vary]] before it, all others are combined, the last one changing fastest. Throws
/// InputError with file and line for keys that are not there, lists of unequal length, names that collide and values
/// that make a case invalid.
ANVILCAST_API Study read_study(const std::filesystem::path& file);

/// The text of a variant's case for a directory of its own: files are named by their whole path.
ANVILCAST_API std::string case_text_of(const StudyVariant& variant);

/// What a variant is expected to take.
struct VariantForecast {
    double cells = 0, megabytes = 0, seconds = 0;
    std::string refused;  ///< why there is no prediction, or which limit it breaks
};

}  // namespace anvilcast
