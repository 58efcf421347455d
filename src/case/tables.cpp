// A base is read first, and what the file above says is moved into it, so that every value keeps the line it came from.

#include "case/tables.hpp"

#include <algorithm>
#include <charconv>
#include <sstream>

#include "base/nearest_name.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

/// Bases of bases: more than anybody has, and an end for those that go round.
constexpr int kMostBases = 16;

/// TOML allows letters beyond ASCII in quotes and comments only, and quotes only where a key or a value begins. The
/// rest is refused before the parser sees it, because its tables do not cover all letters.
void check_letters(const std::string& text, const std::string& file) {
    enum class Within { nothing, comment, basic, literal, long_basic, long_literal } within = Within::nothing;
    std::size_t line = 1;
    char before = '\n';  // the last character outside of quotes and comments that is no blank
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        auto starts = [&](const char* mark, std::size_t n = 3) { return text.compare(i, n, mark) == 0; };
        if (c == '\n') {
            ++line;
            before = '\n';
            if (within != Within::long_basic && within != Within::long_literal) within = Within::nothing;
            continue;
        }
        switch (within) {
            case Within::nothing:
                if ((static_cast<unsigned char>(c) & 0x80U) != 0 && !(i < 3 && text.starts_with("\xEF\xBB\xBF")))
                    throw InputError(
                        fmt::format("{}, line {}: a letter beyond ASCII outside of quotes and comments", file, line));
                if ((c == '"' || c == '\'') && std::string_view("\n=[,{.").find(before) == std::string_view::npos)
                    throw InputError(fmt::format("{}, line {}: a quote in the middle of a value", file, line));
                if (c != ' ' && c != '\t' && c != '\r') before = c;
                if (c == '#')
                    within = Within::comment;
                else if (starts("\"\"\""))
                    within = Within::long_basic, i += 2;
                else if (starts("'''"))
                    within = Within::long_literal, i += 2;
                else if (c == '"')
                    within = Within::basic;
                else if (c == '\'')
                    within = Within::literal;
                break;
            case Within::basic:
                if (c == '\\' && text.compare(i, 2, "\\\n") != 0)
                    ++i;
                else if (c == '"')
                    within = Within::nothing;
                break;
            case Within::literal:
                if (c == '\'') within = Within::nothing;
                break;
            case Within::long_basic:
                if (c == '\\' && text.compare(i, 2, "\\\n") != 0)
                    ++i;
                else if (starts("\"\"\""))
                    within = Within::nothing, i += 2;
                break;
            case Within::long_literal:
                if (starts("'''")) within = Within::nothing, i += 2;
                break;
            case Within::comment:
                break;
        }
    }
}

toml::table parsed(const std::string& text, const std::string& file) {
    try {
        return toml::parse(text, file);
    } catch (const toml::parse_error& e) {
        throw InputError(fmt::format("{}, line {}: {}", file, e.source().begin.line, e.description()));
    }
}

void move_onto(toml::table& below, toml::table& above) {
    for (auto it = above.begin(); it != above.end(); ++it) {
        const toml::key& key = it->first;
        toml::table* own = it->second.as_table();
        toml::table* other = below[key.str()].as_table();
        if (own != nullptr && other != nullptr)
            move_onto(*other, *own);
        else
            it->second.visit([&below, &key](auto& value) { below.insert_or_assign(key, std::move(value)); });
    }
}

toml::table read_with_bases(const std::string& text, const fs::path& file, int depth, bool* has_base) {
    check_letters(text, file.string());
    toml::table own = parsed(text, file.string());
    const toml::node* base = own["case"]["base"].node();
    if (has_base != nullptr) *has_base = base != nullptr;
    if (base == nullptr) return own;
    auto refuse = [&](const std::string& what) {
        throw InputError(fmt::format("{}, line {}: [case] base {}", file.string(), base->source().begin.line, what));
    };
    const auto name = base->value<std::string>();
    if (!name || name->empty()) refuse("must be the name of a case file, e.g. base = \"common.toml\"");
    if (depth >= kMostBases) refuse("goes round, or through too many files");
    const fs::path path = file.parent_path() / *name;
    std::string base_text;
    try {
        base_text = io::read_file(path);
    } catch (const InputError& e) {
        refuse(fmt::format("cannot be read: {}", e.what()));
    }
    toml::table below = read_with_bases(base_text, path, depth + 1, nullptr);
    make_files_relative_to(below, fs::path(*name).parent_path());
    own["case"].as_table()->erase("base");
    move_onto(below, own);
    return below;
}

/// One step of a way: a key, and which of a list's tables.
struct Step {
    std::string key, which;
};

std::vector<Step> steps_of(const std::string& way) {
    std::vector<Step> steps;
    auto refuse = [&] {
        throw InputError(
            fmt::format("\"{}\" is no way to a key; write for example sizing.surface, layers[1].y_plus or "
                        "layers[floor].count",
                        way));
    };
    std::size_t at = 0;
    while (at < way.size()) {
        const std::size_t end = way.find_first_of(".[", at);
        Step step{way.substr(at, end - at), ""};
        at = end == std::string::npos ? way.size() : end;
        if (at < way.size() && way[at] == '[') {
            const std::size_t close = way.find(']', at);
            if (close == std::string::npos || close == at + 1) refuse();
            step.which = way.substr(at + 1, close - at - 1);
            at = close + 1;
            if (at < way.size() && way[at] != '.') refuse();
        }
        if (step.key.empty()) refuse();
        steps.push_back(step);
        if (at < way.size() && ++at == way.size()) refuse();
    }
    if (steps.size() < 2 || !steps.back().which.empty()) refuse();
    return steps;
}

/// What people know a table of a list by.
std::vector<std::string> names_of(const toml::table& table) {
    std::vector<std::string> names;
    for (const char* key : {"name", "file"})
        if (const auto value = table[key].value<std::string>()) {
            names.push_back(*value);
            if (std::string_view(key) == "file") names.push_back(fs::path(*value).stem().string());
        }
    if (const toml::array* on = table["on"].as_array())
        for (const toml::node& item : *on)
            if (const auto value = item.value<std::string>()) names.push_back(*value);
    return names;
}

std::string list_of_tables(const toml::array& list) {
    std::string text;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const toml::table* table = list[i].as_table();
        const auto names = table != nullptr ? names_of(*table) : std::vector<std::string>{};
        text += fmt::format("{}{}{}", i == 0 ? "" : ", ", i + 1, names.empty() ? "" : " (" + names.front() + ")");
    }
    return text;
}

toml::table* table_of(toml::array& list, const Step& step, const std::string& way) {
    std::size_t number = 0;
    const char* end = step.which.data() + step.which.size();
    if (const auto [rest, code] = std::from_chars(step.which.data(), end, number); code == std::errc() && rest == end) {
        if (number >= 1 && number <= list.size()) return list[number - 1].as_table();
    } else {
        for (toml::node& item : list)
            if (toml::table* table = item.as_table()) {
                const auto names = names_of(*table);
                if (std::find(names.begin(), names.end(), step.which) != names.end()) return table;
            }
    }
    if (step.which.empty() && list.size() == 1) return list[0].as_table();
    throw InputError(fmt::format("\"{}\": {} [[{}]]; there are {}", way,
                                 step.which.empty() ? "say which" : fmt::format("there is no \"{}\" among", step.which),
                                 step.key, list_of_tables(list)));
}

/// The table that a way's last key is in.
toml::table* last_table(toml::table& tables, const std::string& way, std::string& key) {
    const std::vector<Step> steps = steps_of(way);
    toml::table* at = &tables;
    for (std::size_t i = 0; i + 1 < steps.size(); ++i) {
        toml::node* next = at->get(steps[i].key);
        if (next == nullptr) {
            std::vector<std::string> known;
            for (auto&& [name, node] : *at) known.emplace_back(name.str());
            const std::string_view nearest = nearest_name(steps[i].key, known);
            throw InputError(fmt::format("\"{}\": the case has no \"{}\"{}", way, steps[i].key,
                                         nearest.empty() ? fmt::format("; it has {}", fmt::join(known, ", "))
                                                         : fmt::format("; did you mean \"{}\"?", nearest)));
        }
        if (toml::array* list = next->as_array())
            at = table_of(*list, steps[i], way);
        else
            at = next->as_table();
        if (at == nullptr) throw InputError(fmt::format("\"{}\": \"{}\" is no table", way, steps[i].key));
    }
    key = steps.back().key;
    return at;
}

/// A number, or a text that begins with one, times a factor.
void scale(toml::table& table, const char* key, double factor) {
    toml::node* node = table.get(key);
    if (node == nullptr) return;
    if (node->is_number()) {
        table.insert_or_assign(key, Section::number_of(*node) * factor);
    } else if (const auto text = node->value<std::string>()) {
        double value = 0;
        const auto [rest, code] = std::from_chars(text->data(), text->data() + text->size(), value);
        if (code == std::errc()) table.insert_or_assign(key, fmt::format("{}{}", value * factor, rest));
    }
}

}  // namespace

void make_files_relative_to(toml::table& tables, const fs::path& folder) {
    for (const char* list : {"part", "curve", "divide", "refine"}) {
        toml::array* items = tables[list].as_array();
        if (items == nullptr) continue;
        for (toml::node& item : *items)
            if (toml::table* table = item.as_table())
                if (toml::value<std::string>* file = (*table)["file"].as_string())
                    **file = (folder / **file).lexically_normal().string();
    }
    toml::array* finer = tables["wrap"]["finer"].as_array();
    if (finer == nullptr) return;
    for (toml::node& item : *finer)
        if (toml::table* table = item.as_table())
            if (toml::value<std::string>* file = (*table)["file"].as_string())
                **file = (folder / **file).lexically_normal().string();
}

toml::table read_tables(const std::string& text, const fs::path& file, bool* has_base) {
    return read_with_bases(text, file, 0, has_base);
}

std::string text_of_tables(const toml::table& tables) {
    std::ostringstream out;
    out << tables << "\n";
    return out.str();
}

void set_value(toml::table& tables, const std::string& way, const toml::node& value) {
    std::string key;
    toml::table* table = last_table(tables, way, key);
    value.visit([&](const auto& v) { table->insert_or_assign(key, v); });
}

const toml::node* value_at(const toml::table& tables, const std::string& way) {
    std::string key;
    // Looking changes nothing.
    return last_table(const_cast<toml::table&>(tables), way, key)->get(key);  // NOLINT
}

void scale_lengths(toml::table& tables, double factor) {
    if (toml::table* sizing = tables["sizing"].as_table())
        for (const char* key : {"surface", "largest", "smallest", "gap_floor"}) scale(*sizing, key, factor);
    auto scale_each = [&](const char* list, std::initializer_list<const char*> keys) {
        toml::array* items = tables[list].as_array();
        if (items == nullptr) return;
        for (toml::node& item : *items)
            if (toml::table* table = item.as_table())
                for (const char* key : keys) scale(*table, key, factor);
    };
    scale_each("refine", {"size", "at_least"});
    scale_each("layers", {"first_height", "total_height", "last_height"});
}

}  // namespace anvilcast
