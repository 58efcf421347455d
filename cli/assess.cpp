// anvilcast assess: the quality of meshes, against limits, and side by side.

#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/selection.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "command.hpp"

namespace cli {
namespace {

struct AssessOptions : CommonOptions {
    std::string input, output, selection;
    std::vector<std::string> files, limit_texts;
    bool no_usual_limits = false, list = false;
    QualityView view;

    QualityLimits limits() const { return limits_of(limit_texts, !no_usual_limits); }
};

/// The chosen cells alone, with a field for each metric.
void write_selection(const AssessOptions& o, const VolumeMesh& mesh) {
    if (o.selection.empty() || o.output.empty()) throw InputError("--select and --write go together");
    if (std::filesystem::path(o.output).extension() != ".vtu")
        throw InputError(fmt::format("{}: chosen cells are written to a .vtu file", o.output));
    const std::vector<Index> cells = select_cells(mesh, o.selection);
    std::vector<CellField> fields;
    for (const MetricInfo& m : metric_infos()) {
        if (m.of == MetricOf::boundary || cells.empty()) continue;
        const std::vector<float> all = metric_by_cell(mesh, m.id);
        CellField field{m.name, {}};
        for (const Index c : cells) field.values.push_back(static_cast<double>(all[c]));
        if (std::any_of(field.values.begin(), field.values.end(), [](double v) { return !std::isnan(v); }))
            fields.push_back(std::move(field));
    }
    if (!cells.empty()) write_vtu(o.output, cells_alone(mesh, cells), {}, fields);
    if (o.json)
        print(selection_json(o.input, o.selection, cells.size(), cells.empty() ? "" : o.output));
    else if (!o.console.quiet)
        print(cells.empty() ? fmt::format("No cell has {}; nothing is written\n", o.selection)
                            : fmt::format("{} of {} cells with {} written to {}\n", cells.size(), mesh.n_cells(),
                                          o.selection, o.output));
}

int compare_meshes(const AssessOptions& o) {
    std::vector<AssessedMesh> meshes;
    std::vector<std::string> files{o.input};
    files.insert(files.end(), o.files.begin(), o.files.end());
    bool all_hold = true;
    for (const std::string& file : files) {
        const VolumeMesh mesh = read_valid_mesh(file);
        ProgressLine progress(o.console);
        meshes.push_back({file, assess(mesh, o.limits(), progress.context()), seconds_to_build(file, mesh.n_cells())});
        all_hold = all_hold && meshes.back().report.is_good();
    }
    if (o.json)
        print(comparison_json(meshes));
    else if (!o.console.quiet)
        print(comparison_text(meshes));
    return all_hold ? kDone : kBroken;
}

int list_metrics(const AssessOptions& o) {
    if (o.json) {
        print(metrics_json());
        return kDone;
    }
    for (const MetricInfo& m : metric_infos())
        print(fmt::format("{:<28}{}{}: {}\n{:<28}of {}; better is {}{}\n", m.key, m.name,
                          *m.unit != 0 ? fmt::format(", {}", m.unit) : "", m.definition, "", m.where,
                          m.low_is_better ? "low" : "high",
                          m.has_usual_limit() ? fmt::format("; usual limit {}", m.usual_limit) : ""));
    return kDone;
}

int assess_mesh(const AssessOptions& o) {
    if (o.list) return list_metrics(o);
    if (o.input.empty()) throw InputError("which mesh? `anvilcast assess MESH`");
    const QualityLimits limits = o.limits();
    for (const std::string& name : o.view.histograms)
        if (name != "all") find_metric(name);
    if (!o.files.empty()) return compare_meshes(o);
    const VolumeMesh mesh = read_valid_mesh(o.input);
    if (!o.selection.empty() || !o.output.empty()) {
        write_selection(o, mesh);
        return kDone;
    }
    QualityReport report;
    {
        ProgressLine progress(o.console);
        QualityOptions options;
        options.n_worst = std::max<std::size_t>(options.n_worst, o.view.n_worst);
        report = assess(mesh, limits, progress.context(), options);
    }
    if (o.json) {
        print(quality_json(mesh, report, o.input));
    } else if (!o.console.quiet) {
        print(assess_text(mesh, report, o.input, unit_of(o), o.view));
    }
    return report.is_good() ? kDone : kBroken;
}

}  // namespace

void add_assess(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<AssessOptions>();
    CLI::App* s =
        command(app, *o, "assess", "quality, limits, worst places; exit status 1 when a limit is broken",
                "anvilcast assess mesh.cgns --limit skewness=0.9\n  anvilcast assess mesh.cgns --select \"skewness > "
                "0.8\" --write bad.vtu");
    s->add_option("MESH", o->input, "mesh file " + mesh_endings());
    s->add_option("--limit", o->limit_texts, "METRIC=VALUE or cells=N; several may be given");
    s->add_flag("--no-usual-limits", o->no_usual_limits, "hold it to the limits given here alone");
    s->add_option("--worst", o->view.n_worst, "list so many worst places of each leading metric")
        ->check(CLI::Range(0, 1000))
        ->capture_default_str();
    s->add_option("--histogram", o->view.histograms, "draw the histogram of a metric, or of all; several may be given");
    s->add_flag("--groups", o->view.groups, "figures by region, cell type, and zone that the cells touch");
    s->add_option("--select", o->selection,
                  "choose cells, e.g. \"skewness > 0.8 and zone = floor*\"; goes with --write");
    s->add_option("--write", o->output, "write the chosen cells, with all their metrics, to this file (.vtu)");
    s->add_option("--compare", o->files, "other meshes, to stand beside this one in one table");
    s->add_flag("--metrics", o->list, "list the metrics with their definitions, and do nothing else");
    add_unit(s, *o, "unit for the printed lengths");
    commands.push_back({s, &o->console, [o] { return assess_mesh(*o); }});
}

}  // namespace cli
