// What a case file leaves out, as the readers of its tables take it. A test reads what is written here back.

#include <anvilcast/case.hpp>
#include <anvilcast/metrics.hpp>

#include <fmt/format.h>

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
    Default{"surround", "sides_apart", "false"},
    Default{"region", "name", "\"fluid\""},
    Default{"region", "kind", "\"fluid\""},
    Default{"refine", "bias", "1"},
    Default{"refine", "cells_thick", "0"},
    Default{"flow", "wall", "\"plate\""},
    Default{"flow", "y_plus_at", "\"center\""},
    Default{"plane", "join", "0"},
    Default{"curve", "bias", "1"},
    Default{"curve", "finer_at", "\"start\""},
    Default{"divide", "bias", "1"},
    Default{"divide", "finer_at", "\"start\""},
    Default{"area", "name", "\"fluid\""},
    Default{"area", "kind", "\"fluid\""},
    Default{"area", "cells", "\"triangles\""},
    Default{"sweep", "bias", "1"},
    Default{"sweep", "finer_at", "\"start\""},
    Default{"sweep", "twist", "0"},
    Default{"sweep", "scale", "1"},
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

/// What one value makes of another that was left out.
void put_computed(toml::table& tables, const Case& c) {
    auto put_length = [&](toml::table& table, const char* key, double metres) {
        // In the case's unit where that reads back as the same number.
        const double number = metres / c.unit.metres;
        if (table.contains(key)) return;
        if (number * c.unit.metres == metres)
            table.insert(key, number);
        else
            table.insert(key, fmt::format("{} m", metres));
    };
    if (toml::table* sizing = tables["sizing"].as_table()) {
        put_length(*sizing, "surface", c.sizing.surface);
        put_length(*sizing, "smallest", c.sizing.smallest);
        if (c.sizing.across_gaps > 0) put_length(*sizing, "gap_floor", c.sizing.gap_floor);
    }
    toml::table* surround = tables["surround"].as_table();
    if (surround != nullptr && !c.surround->options.corners && c.surround->options.shape == SurroundShape::box) {
        const SurroundOptions usual;
        for (const auto& [key, reach] : {std::pair{"ahead", usual.ahead}, std::pair{"behind", usual.behind},
                                         std::pair{"aside", usual.aside}, std::pair{"above", usual.above}})
            if (!surround->contains(key)) surround->insert(key, reach.value);
    }
    if (toml::table* sweep = tables["sweep"].as_table())
        for (const auto& [key, zone] :
             {std::pair{"start", c.plane->sweep.first_end}, std::pair{"end", c.plane->sweep.last_end}})
            if (!sweep->contains(key)) sweep->insert(key, zone.name);
}

/// What the usual limits are goes behind the key that asks for them.
void tell_usual_limits(std::string& text, const Case& c) {
    const std::size_t at = text.find("\nusual = true\n");
    if (at == std::string::npos) return;
    std::string told;
    for (const MetricInfo& m : metric_infos())
        if (m.has_usual_limit() && std::none_of(c.limits.metrics.begin(), c.limits.metrics.end(),
                                                [&](const QualityLimit& l) { return l.metric == m.id; }))
            told += fmt::format("{}{} {:.6g}", told.empty() ? "  # " : ", ", m.key, m.usual_limit);
    text.insert(at + std::string_view("\nusual = true").size(), told);
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
    put_computed(tables, c);
    std::string text = text_of_tables(tables);
    tell_usual_limits(text, c);
    return text;
}

}  // namespace anvilcast
