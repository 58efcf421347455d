// What is told of several meshes, or of one before and after.

#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "tell/json_parts.hpp"
#include "tell/quality_parts.hpp"
#include "tell/text_parts.hpp"

namespace anvilcast {

using namespace tell;

/// One row for each figure, one column for each mesh.
std::string comparison_text(const std::vector<AssessedMesh>& meshes) {
    std::size_t width = 30;
    for (const AssessedMesh& m : meshes) width = std::max(width, m.name.size() + 3);
    std::string text = std::string(44, ' ');
    for (const AssessedMesh& m : meshes) text += fmt::format("{:>{}}", m.name, width);
    text += "\n";
    auto row = [&](const std::string& label, const auto& value_of) {
        text += padded(label, 44);
        for (const AssessedMesh& m : meshes) text += fmt::format("{:>{}}", value_of(m), width);
        text += "\n";
    };
    row("cells", [](const AssessedMesh& m) { return grouped(m.report.n_cells); });
    row("points", [](const AssessedMesh& m) { return grouped(m.report.n_points); });
    row("points per cell", [](const AssessedMesh& m) {
        return fmt::format("{:.3f}", static_cast<double>(m.report.n_points) / static_cast<double>(m.report.n_cells));
    });
    row(meshes.front().report.is_plane ? "area, m\xC2\xB2" : "volume, m\xC2\xB3",
        [](const AssessedMesh& m) { return fmt::format("{:.6g}", m.report.volume); });
    if (std::any_of(meshes.begin(), meshes.end(), [](const AssessedMesh& m) { return m.seconds.has_value(); }))
        row("time to build, s", [](const AssessedMesh& m) {
            return m.seconds ? fmt::format("{:.1f}", *m.seconds) : std::string("not known");
        });
    for (const MetricInfo& info : metric_infos()) {
        auto find = [&info](const AssessedMesh& m) -> const Metric* {
            for (const auto* list : {&m.report.metrics, &m.report.surface})
                for (const Metric& metric : *list)
                    if (metric.id == info.id) return &metric;
            return nullptr;
        };
        if (info.id == MetricId::closedness || std::none_of(meshes.begin(), meshes.end(), find)) continue;
        const char* of = info.of == MetricOf::boundary ? "surface " : "";
        row(fmt::format("{}{}{}{}: mean, 99 %, worst", of, info.name, *info.unit != 0 ? ", " : "", info.unit),
            [&](const AssessedMesh& m) {
                const Metric* metric = find(m);
                return metric == nullptr ? std::string("-")
                                         : fmt::format("{:.3g}  {:.3g}  {:.3g}", metric->mean, metric->p99_of_good(),
                                                       metric->worst_value());
            });
    }
    return text;
}

std::string comparison_json(const std::vector<AssessedMesh>& meshes) {
    ordered_json list = ordered_json::array();
    for (const AssessedMesh& m : meshes) {
        list.push_back({{"mesh", m.name},
                        {"cells", {{"total", m.report.n_cells}}},
                        {"points", m.report.n_points},
                        {"volume", m.report.volume},
                        {"quality", quality_of(m.report)}});
        if (m.seconds) list.back()["seconds_to_build"] = *m.seconds;
    }
    return dumped({{"meshes", list}});
}

std::optional<double> seconds_to_build(const std::filesystem::path& mesh, std::size_t n_cells) {
    std::ifstream in(mesh.parent_path() / "summary.json");
    const ordered_json summary = ordered_json::parse(in, nullptr, false);
    if (!summary.is_object() || !summary.contains("stages") || !summary.contains("cells")) return std::nullopt;
    if (!summary["cells"].is_object() || summary["cells"].value("total", std::size_t{0}) != n_cells)
        return std::nullopt;
    double sum = 0;
    for (const auto& stage : summary["stages"])
        if (stage.is_object()) sum += stage.value("seconds", 0.0);
    return sum;
}

std::string improve_text(const VolumeMesh& after, const ImproveReport& r, const ImproveOptions& options,
                         const std::string& source, const std::string& output, const LengthUnit& unit) {
    std::string text = fmt::format("{}\n  cells     {}, {} before\n  points    {}, {} before\n", bold(source),
                                   grouped(after.n_cells()), grouped(r.before.n_cells), grouped(r.after.n_points),
                                   grouped(r.before.n_points));
    if (r.points_moved > 0)
        text += fmt::format(
            "  moved     {} points within; boundary and layers are as before\n  farthest  {}, at {} {}\n",
            grouped(r.points_moved), format_length(r.largest_move, unit), place(r.largest_move_at, unit), unit.name);
    text += fmt::format("\n{:<26}{:>12}{:>12}{:>12}{:>12}\n{:<26}{:>12}{:>12}{:>12}{:>12}\n", "", "worst", "worst",
                        "mean", "mean", "Quality", "before", "after", "before", "after");
    for (std::size_t k = 0; k < r.before.metrics.size(); ++k) {
        const Metric &b = r.before.metrics[k], &a = r.after.metrics[k];
        if (b.id == MetricId::volume) continue;
        const std::string label = b.unit.empty() ? b.name : b.name + ", " + b.unit;
        text += padded(label, 26);
        text += fmt::format("{:>12.4g}{:>12.4g}{:>12.4g}{:>12.4g}\n", b.low_is_better ? b.max : b.min,
                            a.low_is_better ? a.max : a.min, b.mean, a.mean);
    }
    text += "\nWorst place\n" +
            worst_row(r.after.metric(after.is_plane() ? "smallest face angle" : "smallest dihedral"), unit);
    if (!after.is_plane() &&
        std::find(after.cell_types.begin(), after.cell_types.end(), CellType::tetrahedron) == after.cell_types.end())
        return text + fmt::format("\nThere are no tetrahedra in it, and other cells stay as they are.\nWritten to {}\n",
                                  output);
    text += fmt::format("\n{} with an angle below {:.4g}\xC2\xB0: {}, {} before; the smallest is {:.4g}\xC2\xB0.\n",
                        after.is_plane() ? "Cells" : "Tetrahedra", options.target, grouped(r.sharp_after.n),
                        grouped(r.sharp_before.n), r.sharp_after.smallest);
    if (r.is_reached)
        text += good("The target is reached.") + "\n";
    else
        text += bad("The target is not reached") +
                fmt::format("; what is left is at the boundary as a rule, and that stays.{}\n",
                            options.may_add_cells || after.is_plane() ? "" : "\nNew points may help: --more-cells.");
    return text + fmt::format("Written to {}\n", output);
}

std::string improve_json(const VolumeMesh& mesh, const ImproveReport& report, const std::string& source) {
    return dumped({{"mesh", source},
                   {"cells", cells_of(mesh)},
                   {"points", report.after.n_points},
                   {"cells_before", report.before.n_cells},
                   {"points_before", report.before.n_points},
                   {"reached", report.is_reached},
                   {mesh.is_plane() ? "smallest_angle" : "smallest_dihedral",
                    {report.sharp_before.smallest, report.sharp_after.smallest}},
                   {"cells_below_target", {report.sharp_before.n, report.sharp_after.n}},
                   {"points_moved", report.points_moved},
                   {"largest_move", report.largest_move},
                   {"at", json_of(report.largest_move_at)},
                   {"before", quality_of(report.before)},
                   {"after", quality_of(report.after)}});
}

std::string written_json(const std::string& source, const std::string& file) {
    return dumped({{"source", source}, {"written", file}});
}

std::string names_json(const std::string& key, const std::vector<std::string>& names) {
    return ordered_json{{key, names}}.dump(2) + "\n";
}

}  // namespace anvilcast
