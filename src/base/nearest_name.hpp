// The known name that a misspelt one was meant to be.
#pragma once

#include <algorithm>
#include <numeric>
#include <string_view>
#include <vector>

namespace anvilcast {

/// Insertions, deletions and replacements that turn a into b (Levenshtein 1966). O(|a| |b|).
inline std::size_t edit_distance(std::string_view a, std::string_view b) {
    std::vector<std::size_t> row(b.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 0; i < a.size(); ++i) {
        std::size_t diagonal = row[0];
        row[0] = i + 1;
        for (std::size_t j = 0; j < b.size(); ++j) {
            const std::size_t above = row[j + 1];
            row[j + 1] = std::min({above + 1, row[j] + 1, diagonal + (a[i] == b[j] ? 0 : 1)});
            diagonal = above;
        }
    }
    return row.back();
}

/// Empty where none is close. `names`: anything that becomes a string_view.
template <typename Names>
std::string_view nearest_name(std::string_view wanted, const Names& names) {
    std::string_view best;
    std::size_t least = std::max<std::size_t>(2, wanted.size() / 3) + 1;
    for (const std::string_view name : names)
        if (const std::size_t d = edit_distance(wanted, name); d < least) {
            least = d;
            best = name;
        }
    return best;
}

}  // namespace anvilcast
