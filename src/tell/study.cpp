// The table of a study comes together from the summaries of its variants, wherever and in whatever order they were
// built.

#include <anvilcast/tell.hpp>
#include <anvilcast/units.hpp>

#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <sstream>

#include "tell/text_parts.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;
using nlohmann::ordered_json;
using tell::bad;
using tell::bold;

std::string content_of(const fs::path& file) {
    std::ifstream in(file, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}

/// Metrics that the table shows in words, with their ends that count.
struct Column {
    const char* key;
    const char* title;
};
constexpr std::array<Column, 3> kColumns{
    {{"equiangle_skewness", "skewness"}, {"non_orthogonality", "non-orthogonality"}, {"volume_ratio", "volume ratio"}}};

/// The share of the layers' walls that has all layers, and of the largest of these walls its heights.
void tell_layers(const ordered_json& summary, ordered_json& row) {
    if (!summary.contains("layers") || summary["layers"].empty()) return;
    double area = 0, full = 0, largest = 0;
    for (const auto& zone : summary["layers"]) {
        const double a = zone.value("area", 0.0);
        area += a;
        full += a * zone.value("full_share", 0.0);
        if (a <= largest || !zone.contains("first")) continue;
        largest = a;
        row["first_asked"] = zone["first"]["asked"];
        row["first_median"] = zone["first"]["median"];
        if (zone.contains("y_plus")) row["y_plus"] = zone["y_plus"];
    }
    if (area > 0) row["full_layers_share"] = full / area;
}

ordered_json row_of(const Study& study, const StudyVariant& v, const fs::path& directory) {
    ordered_json row{{"variant", v.name}};
    for (std::size_t i = 0; i < study.columns.size(); ++i) row["values"][study.columns[i]] = v.values[i];
    const auto summary = ordered_json::parse(content_of(directory / v.name / "summary.json"), nullptr, false);
    const std::string failure = content_of(directory / "failed" / (v.name + ".txt"));
    row["state"] = summary.is_object() ? "built" : failure.empty() ? "not built" : "failed";
    if (!failure.empty()) row["failure"] = failure;
    if (!summary.is_object() || !summary.contains("cells") || !summary.contains("quality")) return row;
    row["warnings"] = summary.value("warnings", ordered_json::array());
    row["fit"] = summary["quality"].value("fit", false);
    row["cells"] = summary["cells"];
    row["predicted_cells"] = summary["predicted"]["cells"]["total"];
    double seconds = 0, megabytes = 0;
    for (const auto& stage : summary["stages"]) {
        seconds += stage.value("seconds", 0.0);
        megabytes = std::max(megabytes, stage.value("peak_megabytes", 0.0));
    }
    row["seconds"] = seconds;
    row["peak_megabytes"] = megabytes;
    tell_layers(summary, row);
    for (const auto& m : summary["quality"]["metrics"]) {
        const bool is_high_good = m.value("better", "") == "high";
        row["metrics"][m.value("key", "")] = {{"worst", m[is_high_good ? "min" : "max"]}, {"mean", m["mean"]}};
    }
    return row;
}

/// The variant before one that differs from it by the first [[vary]] alone: mostly the next coarser mesh.
std::optional<std::size_t> neighbour_of(const Study& study, std::size_t variant) {
    auto is_neighbour = [&](std::size_t other) {
        for (std::size_t c = 0; c < study.columns.size(); ++c)
            if (study.axis_of[c] != 0 && study.variants[other].values[c] != study.variants[variant].values[c])
                return false;
        return true;
    };
    for (std::size_t other = variant; other-- > 0;)
        if (is_neighbour(other)) return other;
    return std::nullopt;
}

ordered_json rows_of(const Study& study, const fs::path& directory) {
    ordered_json rows = ordered_json::array();
    for (const StudyVariant& v : study.variants) rows.push_back(row_of(study, v, directory));
    auto cells = [&](std::size_t i) { return rows[i].contains("cells") ? rows[i]["cells"].value("total", 0.0) : 0; };
    // Edges of one mesh over those of the next: in three dimensions the cube root of their numbers of cells.
    for (std::size_t i = 0; i < rows.size(); ++i)
        if (const auto other = neighbour_of(study, i); other && cells(*other) > 0 && cells(i) > 0)
            rows[i]["finer_by"] = std::cbrt(cells(i) / cells(*other));
    return rows;
}

/// Nested objects become columns of their own: "metrics.skewness.worst".
void flatten(const ordered_json& value, const std::string& name,
             std::vector<std::pair<std::string, std::string>>& out) {
    if (value.is_object()) {
        for (const auto& [key, item] : value.items()) flatten(item, name.empty() ? key : name + "." + key, out);
    } else {
        out.emplace_back(name, value.is_string() ? value.get<std::string>() : value.dump());
    }
}

std::string quoted(const std::string& text) {
    if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

std::string count_or_dash(const ordered_json& row) {
    return row.contains("cells") ? format_count(row["cells"].value("total", std::size_t{0})) : "-";
}

std::string metric_or_dash(const ordered_json& row, const char* key) {
    if (!row.contains("metrics") || !row["metrics"].contains(key)) return "-";
    const auto& m = row["metrics"][key];
    if (!m["worst"].is_number() || !m["mean"].is_number()) return "-";
    return fmt::format("{:.3g} / {:.3g}", m["worst"].get<double>(), m["mean"].get<double>());
}

using Table = std::vector<std::vector<std::string>>;

/// Columns as wide as their widest entry, the first ones to the left.
std::string aligned(const Table& table, std::size_t n_left) {
    std::vector<std::size_t> width;
    for (const auto& row : table)
        for (std::size_t i = 0; i < row.size(); ++i) {
            width.resize(std::max(width.size(), row.size()));
            width[i] = std::max(width[i], row[i].size());
        }
    std::string text;
    for (const auto& row : table) {
        std::string line;
        for (std::size_t i = 0; i < row.size(); ++i)
            line += i < n_left ? fmt::format("  {:<{}}", row[i], width[i]) : fmt::format("  {:>{}}", row[i], width[i]);
        text += line.substr(0, line.find_last_not_of(' ') + 1) + "\n";
    }
    return text;
}

/// Each warning once, with the variants that it is of.
std::string warnings_text(const ordered_json& rows) {
    std::vector<std::string> warnings;
    std::map<std::string, std::vector<std::string>> variants;
    for (const ordered_json& row : rows)
        for (const auto& w : row.value("warnings", ordered_json::array())) {
            const auto warning = w.get<std::string>();
            if (!variants.contains(warning)) warnings.push_back(warning);
            variants[warning].push_back(row["variant"]);
        }
    std::string text;
    for (const std::string& w : warnings) {
        constexpr std::size_t kFew = 4;
        const auto& of = variants[w];
        const std::string who = of.size() == rows.size() ? "all"
                                : of.size() > kFew       ? fmt::format("{} and {} more", of.front(), of.size() - 1)
                                                         : fmt::format("{}", fmt::join(of, ", "));
        text += fmt::format("\n{} {}: {}\n", bad("careful"), who, w);
    }
    return text;
}

}  // namespace

std::string study_text(const Study& study, const fs::path& directory) {
    Table table;
    std::vector<std::string> head = study.columns;
    for (const char* title : {"cells", "predicted", "finer by", "full layers", "y+", "s", "MB"})
        head.emplace_back(title);
    for (const Column& c : kColumns) head.emplace_back(c.title);
    head.emplace_back("verdict");
    table.push_back(std::move(head));
    std::size_t n_built = 0, n_failed = 0;
    std::string failures;
    const ordered_json rows = rows_of(study, directory);
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const ordered_json& r = rows[i];
        std::vector<std::string> row = study.variants[i].values;
        const bool is_built = r.contains("cells");
        n_built += is_built ? 1 : 0;
        auto number = [&](const char* key, const char* format, double times = 1) {
            return r.contains(key) && r[key].is_number()
                       ? fmt::format(fmt::runtime(format), times * r[key].get<double>())
                       : std::string("-");
        };
        row.push_back(count_or_dash(r));
        row.push_back(is_built
                          ? fmt::format("{:+.0f} %",
                                        100 * (r["predicted_cells"].get<double>() / r["cells"].value("total", 1.0) - 1))
                          : "-");
        row.push_back(number("finer_by", "{:.2f}"));
        row.push_back(number("full_layers_share", "{:.1f} %", 100));
        row.push_back(r.contains("y_plus") ? fmt::format("{:.3g}", r["y_plus"]["median"].get<double>()) : "-");
        row.push_back(number("seconds", "{:.1f}"));
        row.push_back(number("peak_megabytes", "{:.0f}"));
        for (const Column& c : kColumns) row.push_back(metric_or_dash(r, c.key));
        row.push_back(!is_built ? r["state"].get<std::string>() : r["fit"].get<bool>() ? "fit" : "not fit");
        if (r["state"] == "failed") {
            ++n_failed;
            failures +=
                fmt::format("\n{} {}: {}", bad("failed"), study.variants[i].name, r["failure"].get<std::string>());
        }
        table.push_back(std::move(row));
    }
    return fmt::format("{}\n\n{}\n{} of {} variants built{}; of metrics the worst and the mean\n{}{}", bold(study.name),
                       aligned(table, study.columns.size()), n_built, study.variants.size(),
                       n_failed > 0 ? fmt::format(", {} failed", n_failed) : "", failures, warnings_text(rows));
}

std::string study_json(const Study& study, const fs::path& directory) {
    return ordered_json{{"study", study.name}, {"columns", study.columns}, {"variants", rows_of(study, directory)}}
               .dump(2) +
           "\n";
}

std::string study_csv(const Study& study, const fs::path& directory) {
    std::vector<std::string> columns;
    std::vector<std::vector<std::pair<std::string, std::string>>> rows;
    for (const ordered_json& row : rows_of(study, directory)) {
        rows.emplace_back();
        flatten(row, "", rows.back());
        for (const auto& [name, value] : rows.back())
            if (std::find(columns.begin(), columns.end(), name) == columns.end()) columns.push_back(name);
    }
    std::string text;
    auto end_line = [&text] { text.back() = '\n'; };
    for (const std::string& c : columns) text += quoted(c) + ",";
    end_line();
    for (const auto& row : rows) {
        for (const std::string& c : columns) {
            const auto found = std::find_if(row.begin(), row.end(), [&](const auto& item) { return item.first == c; });
            text += (found != row.end() ? quoted(found->second) : "") + ",";
        }
        end_line();
    }
    return text;
}

std::string study_plan_text(const Study& study, const std::vector<VariantForecast>& forecasts) {
    Table table{study.columns};
    for (const char* title : {"cells", "s", "MB"}) table.front().emplace_back(title);
    VariantForecast all;
    std::string refused;
    auto count = [](double cells) { return format_count(static_cast<std::size_t>(std::round(cells))); };
    for (std::size_t i = 0; i < forecasts.size(); ++i) {
        const VariantForecast& f = forecasts[i];
        table.push_back(study.variants[i].values);
        for (const std::string& entry :
             {count(f.cells), fmt::format("{:.1f}", f.seconds), fmt::format("{:.0f}", f.megabytes)})
            table.back().push_back(entry);
        all.cells += f.cells;
        all.seconds += f.seconds;
        all.megabytes = std::max(all.megabytes, f.megabytes);
        if (!f.refused.empty()) refused += fmt::format("\n{} {}\n", bad(study.variants[i].name + ":"), f.refused);
    }
    return fmt::format("{}\n\n{}\nTogether {} cells in about {:.0f} s, one after the other; at most {:.0f} MB each\n{}",
                       bold(study.name), aligned(table, study.columns.size()), count(all.cells), all.seconds,
                       all.megabytes, refused);
}

std::string study_plan_json(const Study& study, const std::vector<VariantForecast>& forecasts) {
    ordered_json rows = ordered_json::array();
    for (std::size_t i = 0; i < forecasts.size(); ++i) {
        const VariantForecast& f = forecasts[i];
        rows.push_back({{"variant", study.variants[i].name},
                        {"cells", std::round(f.cells)},
                        {"seconds", f.seconds},
                        {"megabytes", f.megabytes}});
        if (!f.refused.empty()) rows.back()["refused"] = f.refused;
    }
    return ordered_json{{"study", study.name}, {"predicted", rows}}.dump(2) + "\n";
}

}  // namespace anvilcast
