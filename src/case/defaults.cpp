// What a case file leaves out, as the readers of its tables take it. A test reads what is written here back.

#include <anvilcast/case.hpp>

#include <array>
#include <string_view>

#include "case/tables.hpp"

namespace anvilcast {
namespace {

struct Default {
    const char *table, *key;
    const char* value;  ///< as TOML
};

/// In the order of docs/case-file.md. What is not there when it is left out has none.
constexpr std::array kDefaults{
    Default{"mend", "weld", "0"},
    Default{"mend", "stitch", "0"},
    Default{"mend", "remove_needles", "0"},
    Default{"mend", "drop_specks", "0"},
    Default{"mend", "close_rims", "0"},
    Default{"mend", "drop_duplicates", "true"},
    Default{"mend", "orient", "true"},
    Default{"domain", "join", "0"},
    Default{"domain", "leftovers", "\"keep\""},
    Default{"sizing", "growth", "1.2"},
    Default{"sizing", "feature_angle", "30"},
    Default{"sizing", "tolerance", "0"},
    Default{"sizing", "curved", "false"},
    Default{"fill", "cells", "\"tetrahedra\""},
    Default{"limits", "usual", "true"},
    Default{"export", "formats", "[\"cgns\"]"},
    Default{"export", "stl_as_text", "false"},
    Default{"export", "report", "true"},
    Default{"keep", "size", "\"2 GB\""},
    // Tables that are there only where somebody wrote them.
    Default{"part", "weld", "0"},
    Default{"part", "angle", "10"},
    Default{"zone", "normal_tolerance", "20"},
    Default{"zone", "tolerance", "0"},
    Default{"opening", "swept", "false"},
    Default{"wrap", "feature_angle", "40"},
    Default{"surround", "shape", "\"box\""},
    Default{"surround", "flow", "[1, 0, 0]"},
    Default{"surround", "up", "[0, 0, 1]"},
    Default{"surround", "ground", "false"},
    Default{"region", "name", "\"fluid\""},
    Default{"region", "kind", "\"fluid\""},
    Default{"refine", "bias", "1"},
    Default{"refine", "cells_thick", "0"},
    Default{"flow", "wall", "\"plate\""},
    Default{"flow", "y_plus_at", "\"center\""},
    Default{"layers", "plateau", "1"},
    Default{"layers", "squeeze_to", "0.3"},
    Default{"layers", "gap_cells", "2"},
};
constexpr std::array<std::string_view, 7> kAlwaysThere{"mend", "domain", "sizing", "fill", "limits", "export", "keep"};
/// A mesh in a plane has no parts, unless a plane cuts them.
constexpr std::array<std::string_view, 3> kOfParts{"mend", "domain", "fill"};

void put_in(toml::table& table, const Default& d) {
    if (table.contains(d.key)) return;
    toml::table one = toml::parse(std::string(d.key) + " = " + d.value);
    one.begin()->second.visit([&](auto& value) { table.insert_or_assign(d.key, std::move(value)); });
}

template <std::size_t N>
bool is_among(const std::array<std::string_view, N>& names, std::string_view name) {
    return std::find(names.begin(), names.end(), name) != names.end();
}

}  // namespace

std::string case_with_defaults(const Case& c) {
    toml::table tables = read_tables(c.text, c.file);
    tables.erase("vary");
    tables.erase("study");
    if (toml::table* head = tables["case"].as_table()) head->insert_or_assign("name", c.name);
    for (const Default& d : kDefaults) {
        if (c.plane && is_among(kOfParts, d.table)) continue;
        if (is_among(kAlwaysThere, d.table) && !tables.contains(d.table)) tables.insert(d.table, toml::table{});
        toml::node* node = tables.get(d.table);
        if (node == nullptr) continue;
        if (toml::table* table = node->as_table())
            put_in(*table, d);
        else if (toml::array* list = node->as_array())
            for (toml::node& item : *list)
                if (toml::table* one = item.as_table()) put_in(*one, d);
    }
    return text_of_tables(tables);
}

}  // namespace anvilcast
