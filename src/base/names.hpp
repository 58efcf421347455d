// Names of zones, regions and parts: what is one, and what becomes of it where a format allows less.
#pragma once

#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace anvilcast::base {

/// Bytes of a name; longer ones make no file names.
inline constexpr std::size_t kLongestName = 120;

/// What is wrong with a name that a person gave, as the end of a sentence ("is blank"); empty when nothing is.
std::string fault_of_name(std::string_view name);

/// A name out of a file as one of ours: bytes that are no UTF-8 are taken for Latin-1, control characters become "_",
/// blanks at the ends go, what is too long is cut; "zone" where nothing is left.
std::string tidy_name(std::string_view name);

/// The first bytes of a text, but no part of a letter.
std::string_view cut_at_letter(std::string_view text, std::size_t bytes);

/// For files beside each other: without "/", not beginning with ".", each once whatever the case of its letters.
std::vector<std::string> file_names(const std::vector<std::string>& names);

/// Names each of which is there once: of the same name a second one gets "-2" at its end, within `most` bytes.
class UniqueNames {
  public:
    explicit UniqueNames(std::size_t most, std::set<std::string> taken = {}) : most_(most), taken_(std::move(taken)) {}
    std::string add(const std::string& wanted);

  private:
    std::size_t most_;
    std::set<std::string> taken_;
};

}  // namespace anvilcast::base
