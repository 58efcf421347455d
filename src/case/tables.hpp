// The tables of case files before anybody reads them: one file's on top of another's, single values changed.
#pragma once

#include <anvilcast/case.hpp>

#include <filesystem>
#include <string>

#include "case/section.hpp"

namespace anvilcast {

/// Parses a file's text, and puts its tables on top of those of [case] base, if it has one: tables key by key, lists of
/// tables as a whole. Files that a base names stay relative to it. Throws InputError with file and line.
toml::table read_tables(const std::string& text, const std::filesystem::path& file, bool* has_base = nullptr);

/// The case that tables describe. `text`: for Case::text.
Case case_of_tables(const toml::table& tables, const std::filesystem::path& file, const std::string& text);

/// Names of files become those from the folder that `folder` is relative to.
void make_files_relative_to(toml::table& tables, const std::filesystem::path& folder);

/// As a case file.
std::string text_of_tables(const toml::table& tables);

/// A value by its way from the top, e.g. sizing.surface, layers[2].y_plus (from 1), layers[floor].count (by name, or by
/// what it is on) or part[shell].file. Throws InputError, without file and line, for a table that is not there, with
/// those that are.
void set_value(toml::table& tables, const std::string& way, const toml::node& value);
/// Null where there is none.
const toml::node* value_at(const toml::table& tables, const std::string& way);

/// Every length of sizes, refinements and layers that y+ does not fix, so many times as large.
void scale_lengths(toml::table& tables, double factor);

}  // namespace anvilcast
