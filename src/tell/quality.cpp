// What is told of the quality of a mesh: tables, worst places, groups, histograms, layers, and the verdict.

#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "tell/json_parts.hpp"
#include "tell/quality_parts.hpp"
#include "tell/text_parts.hpp"

namespace anvilcast {

using namespace tell;

namespace {

/// Of a plane mesh's cells.
bool is_area(const Metric& m) { return m.key == "area"; }

std::string label_of(const Metric& m, const LengthUnit& unit) {
    if (m.id == MetricId::volume)
        return fmt::format("{}, {}{}", m.name, unit.name, is_area(m) ? "\xC2\xB2" : "\xC2\xB3");
    return m.unit.empty() ? m.name : m.name + ", " + m.unit;
}

double scale_of(const Metric& m, const LengthUnit& unit) {
    if (m.id != MetricId::volume) return 1;
    return 1 / (unit.metres * unit.metres * (is_area(m) ? 1 : unit.metres));
}

std::string metric_row(const Metric& m, const LengthUnit& unit) {
    // Rounding is all that closedness shows where all is well.
    if (m.id == MetricId::closedness && m.max < 1e-9 && !m.limit) return "";
    std::string text = padded(label_of(m, unit), 28);
    for (const double v : {m.min, m.mean, m.p99_of_good(), m.max})
        text += fmt::format("{:>11.4g}", v * scale_of(m, unit));
    if (m.limit) {
        const std::string n =
            m.n_beyond == 0 ? good("none")
                            : bad(fmt::format("{} of {}, {:.2g} %", grouped(m.n_beyond), grouped(m.count),
                                              100.0 * static_cast<double>(m.n_beyond) / static_cast<double>(m.count)));
        text += fmt::format("{:>11.4g}   {}", *m.limit, n);
    }
    return text + "\n";
}

/// Those of the metrics that say most about a mesh.
std::vector<const Metric*> leading_metrics(const QualityReport& r) {
    std::vector<const Metric*> out;
    for (const MetricId id : {MetricId::equiangle_skewness, MetricId::smallest_dihedral, MetricId::visibility,
                              MetricId::orthogonality, MetricId::non_orthogonality, MetricId::volume_ratio,
                              // Of a plane mesh the place of dihedral angles is taken by those of its cells.
                              MetricId::smallest_angle})
        for (const Metric& m : r.metrics)
            if (m.id == id && (id != MetricId::smallest_angle || r.is_plane)) out.push_back(&m);
    return out;
}

std::string groups_text(const QualityReport& r) {
    const std::vector<const Metric*> shown = leading_metrics(r);
    std::size_t width = 18;
    for (const GroupQuality& g : r.groups) width = std::max(width, g.name.size() + 4);
    std::string text;
    for (const GroupQuality::Kind kind : {GroupQuality::Kind::region, GroupQuality::Kind::cell_type,
                                          GroupQuality::Kind::zone, GroupQuality::Kind::refinement}) {
        bool has_head = false;
        for (const GroupQuality& g : r.groups) {
            if (g.kind != kind) continue;
            if (!has_head) {
                text +=
                    padded(fmt::format("\nBy {}", group_kind_name(kind)), width + 1) + fmt::format("{:>11}", "cells");
                for (const Metric* m : shown) text += fmt::format("{:>24}", m->name);
                text += "\n";
                has_head = true;
            }
            text += padded("  " + g.name, width) + fmt::format("{:>11}", grouped(g.n_cells));
            for (const Metric* m : shown) {
                const auto figure = std::find_if(g.figures.begin(), g.figures.end(),
                                                 [m](const GroupFigure& f) { return f.metric == m->id; });
                text += figure == g.figures.end()
                            ? fmt::format("{:>24}", "")
                            : fmt::format("{:>24}", fmt::format("{:.3g} / {:.3g}", figure->mean, figure->worst));
            }
            text += "\n";
        }
    }
    return text.empty() ? text
                        : text + "(mean / worst; cells with a point on the zone, and centres in the refinement)\n";
}

std::string histogram_text(const Metric& m, const LengthUnit& unit) {
    constexpr double kLongest = 50;
    const std::size_t most = *std::max_element(m.histogram.counts.begin(), m.histogram.counts.end());
    std::string text = fmt::format("\n{}\n", label_of(m, unit));
    for (std::size_t k = 0; k < m.histogram.counts.size(); ++k) {
        const double low = m.histogram.edges[k] * scale_of(m, unit),
                     high = m.histogram.edges[k + 1] * scale_of(m, unit);
        const std::size_t n = m.histogram.counts[k];
        // Eighths of a character; what is not empty shows.
        auto eighths = static_cast<int>(std::lround(8 * kLongest * static_cast<double>(n) / static_cast<double>(most)));
        if (n > 0) eighths = std::max(eighths, 1);
        std::string bar;
        for (; eighths >= 8; eighths -= 8) bar += "\u2588";
        constexpr std::array<const char*, 8> kPart{"",       "\u258F", "\u258E", "\u258D",
                                                   "\u258C", "\u258B", "\u258A", "\u2589"};
        bar += kPart[static_cast<std::size_t>(eighths)];
        const bool is_beyond =
            m.limit && (m.low_is_better ? m.histogram.edges[k] >= *m.limit : m.histogram.edges[k + 1] <= *m.limit);
        const std::string line = fmt::format("  {:>9.4g} to {:<9.4g}{:>12}{:>9.3f} %  {}", low, high, grouped(n),
                                             100.0 * static_cast<double>(n) / static_cast<double>(m.count), bar);
        text += (is_beyond && n > 0 ? bad(line + "  beyond the limit") : line) + "\n";
    }
    return text;
}

std::string histograms_text(const QualityReport& r, const std::vector<std::string>& names, const LengthUnit& unit) {
    std::string text;
    const bool all = std::find(names.begin(), names.end(), "all") != names.end();
    if (all) {
        for (const auto* list : {&r.metrics, &r.surface})
            for (const Metric& m : *list) text += histogram_text(m, unit);
    } else {
        for (const std::string& name : names) text += histogram_text(r.metric(name), unit);
    }
    return text;
}

}  // namespace

namespace tell {

std::string zones_text(const VolumeMesh& mesh, const QualityReport& report, const LengthUnit& unit,
                       const std::vector<std::string>& guessed_roles) {
    const std::size_t width = name_width(mesh.zones);
    auto role_of = [&](const BoundaryZone& z) {
        const bool guessed = std::find(guessed_roles.begin(), guessed_roles.end(), z.name) != guessed_roles.end();
        return fmt::format("{}{}", role_text(z.boundary_role()), guessed ? " (guess)" : "");
    };
    std::string text = fmt::format("\n{:<{}}{:<18}{:>10}  {}\n", "Zones", width + 2, "role",
                                   report.is_plane ? "edges" : "faces", report.is_plane ? "length" : "area");
    for (std::size_t z = 0; z < mesh.n_named_zones(); ++z)
        text += fmt::format("  {:<{}}{:<18}{:>10}  {}\n", mesh.zones[z].name, width, role_of(mesh.zones[z]),
                            grouped(mesh.zones[z].n_faces), format_side(report.zone_areas[z], report.is_plane, unit));
    return text;
}

/// y+ of a first height, where the solver has its values.
double y_plus_of(double height, const WallEstimate& wall, YPlusAt at) {
    return height / wall.viscous_length * (at == YPlusAt::cell_center ? 0.5 : 1);
}

std::string layered_zone_name(const VolumeMesh& mesh, const std::vector<LayerFigures>& layers, Index zone,
                              Index region) {
    const BoundaryZone& z = mesh.zones[zone];
    const bool is_of_several =
        std::count_if(layers.begin(), layers.end(), [zone](const LayerFigures& f) { return f.zone == zone; }) > 1;
    return is_of_several || z.role == Role::interface_ || z.role == Role::baffle
               ? fmt::format("{} ({})", z.name, mesh.regions[region].name)
               : z.name;
}

/// Zone by zone what stands on the walls; `c`: the case that it was built by.
std::string layers_text(const VolumeMesh& mesh, const std::vector<LayerFigures>& layers, const LengthUnit& unit,
                        const Case* c) {
    if (layers.empty()) return "";
    std::size_t width = 8;
    auto name_of = [&](const LayerFigures& f) { return layered_zone_name(mesh, layers, f.zone, f.region); };
    for (const LayerFigures& f : layers) width = std::max(width, name_of(f).size());
    width += 2;
    std::optional<WallEstimate> wall;
    if (c != nullptr && c->flow) wall = estimate_wall(c->flow->conditions);
    std::string text = fmt::format("\n{:<{}}{:>7}{:>9}{:>8}{:>12}{:>12}{:>12}{:>10}{:>8}{:>9}{:>7}{}\n", "Layers",
                                   width + 2, "most", "full", "bare", "first, min", "median", "max", "in 5 %", "growth",
                                   "to core", "95 %", wall ? "   y+" : "");
    for (const LayerFigures& f : layers) {
        text += fmt::format(
            "  {:<{}}{:>7}{:>7.1f} %{:>6.1f} %{:>12}{:>12}{:>12}{:>8.1f} %{:>8}{:>9.2f}{:>7.2f}", name_of(f), width,
            f.most, 100 * f.full_area / f.area, 100 * f.bare_area / f.area, format_length(f.first_min, unit),
            format_length(f.first_median, unit), format_length(f.first_max, unit), 100 * f.first_share_5,
            f.growth_median > 0 ? fmt::format("{:.3f}", f.growth_median) : "-", f.step_median, f.step_95);
        if (wall)
            text += fmt::format(
                "   {:.3g} to {:.3g} ({:.4g} \xC2\xB5"
                "m)",
                y_plus_of(f.first_min, *wall, c->flow->y_plus_at), y_plus_of(f.first_max, *wall, c->flow->y_plus_at),
                1e6 * f.first_median);
        text += "\n";
    }
    return text +
           "(full, bare: of the area, with all layers and with none; to core: volumes of last layer and core, median "
           "and 95 %)\n";
}

/// By type, as far as there are any.
std::string cells_text(const VolumeMesh& mesh) {
    std::string text;
    for (const CellType type :
         {CellType::tetrahedron, CellType::pyramid, CellType::prism, CellType::hexahedron, CellType::polyhedron}) {
        const auto n = std::count(mesh.cell_types.begin(), mesh.cell_types.end(), type);
        if (n > 0)
            text += fmt::format("{}{} {}", text.empty() ? "" : ", ", grouped(static_cast<std::size_t>(n)),
                                cell_type_name(type, mesh.is_plane()));
    }
    return text;
}

std::string worst_row(const Metric& m, const LengthUnit& unit, std::size_t n_worst) {
    std::string text;
    for (std::size_t k = 0; k < std::min(n_worst, m.worst.size()); ++k) {
        const WorstPlace& w = m.worst[k];
        std::string where = w.zone.empty()    ? "inside"
                            : w.distance == 0 ? fmt::format("at '{}'", w.zone)
                                              : fmt::format("{} from '{}'", format_length(w.distance, unit), w.zone);
        if (w.zone.empty()) where.clear();
        std::string type = metric_info(m.id).of == MetricOf::boundary ? "" : cell_type_name(w.type, w.is_of_plane);
        if (type == "hexahedra" || type == "tetrahedra" || type == "polyhedra")
            type.replace(type.size() - 1, 1, "on");
        else if (!type.empty())
            type.pop_back();
        text += padded("  " + (k == 0 ? m.name : ""), 28) + fmt::format("{:>9.4g}  ", w.value * scale_of(m, unit)) +
                padded(fmt::format("{} at {}", type, place(w.place, unit)), 46) + where +
                (w.cause.empty() ? "" : ": " + w.cause) + "\n";
    }
    return text;
}

std::string surface_metrics_text(const std::vector<Metric>& metrics, const LengthUnit& unit) {
    if (metrics.empty()) return "";
    std::string text =
        fmt::format("\n{:<28}{:>11}{:>11}{:>11}{:>11}\n", "Boundary triangles", "min", "mean", "99 %", "max");
    for (const Metric& m : metrics) text += metric_row(m, unit);
    return text;
}

std::string quality_text(const VolumeMesh& mesh, const QualityReport& report, const LengthUnit& unit,
                         const QualityView& view) {
    std::string text = fmt::format("\n{:<28}{:>11}{:>11}{:>11}{:>11}{:>11}   beyond limit\n", "Quality", "min", "mean",
                                   "99 %", "max", "limit");
    for (const Metric& m : report.metrics) text += metric_row(m, unit);
    // The boundary of a swept mesh may have no triangle to judge.
    if (!report.surface.empty() && report.surface.front().max > 0) text += surface_metrics_text(report.surface, unit);
    text += "(99 %: the value that 99 of 100 cells or faces keep on the good side of)\n";
    if (view.groups) text += groups_text(report);
    text += histograms_text(report, view.histograms, unit) + "\nWorst places\n";
    std::vector<const Metric*> shown = leading_metrics(report);
    for (const auto* list : {&report.metrics, &report.surface})
        for (const Metric& m : *list)
            if (m.n_beyond > 0 && std::find(shown.begin(), shown.end(), &m) == shown.end()) shown.push_back(&m);
    for (const Metric* m : shown) text += worst_row(*m, unit, view.n_worst);
    if (report.cells_limit)
        text += fmt::format("\ncells {}, limit {}: {}\n", grouped(mesh.n_cells()),
                            grouped(static_cast<std::size_t>(*report.cells_limit)),
                            static_cast<double>(mesh.n_cells()) <= *report.cells_limit ? good("holds") : bad("broken"));
    return text + "\n" + (report.is_good() ? good(report.verdict) : bad(report.verdict)) + "\n";
}

}  // namespace tell

std::string assess_text(const VolumeMesh& mesh, const QualityReport& report, const std::string& source,
                        const LengthUnit& unit, const QualityView& view) {
    Box bounds;
    for (const Vec3& p : mesh.points) bounds.include(p);
    std::string text = fmt::format("{}\n  extent    {}\n  cells     {}, {} points\n", bold(source),
                                   mesh.is_plane() ? flat_extent(bounds, unit) : extent(bounds, unit), cells_text(mesh),
                                   grouped(report.n_points));
    for (std::size_t i = 0; i < mesh.regions.size(); ++i)
        text += fmt::format("  region    {}  {}\n", mesh.regions[i].name,
                            format_content(report.region_volumes[i], report.is_plane, unit));
    text += periodic_text(mesh.periodic, unit);
    return text + zones_text(mesh, report, unit) + layers_text(mesh, report.layers, unit) +
           quality_text(mesh, report, unit, view);
}

std::string quality_json(const VolumeMesh& mesh, const QualityReport& report, const std::string& source) {
    return dumped({{"mesh", source},
                   {"cells", cells_of(mesh)},
                   {"points", report.n_points},
                   {"zones", zones_of(mesh, report)},
                   {"regions", regions_of(mesh, report)},
                   {"periodic", json_of(mesh.periodic)},
                   {"layers", layers_of(mesh, report.layers)},
                   {"quality", quality_of(report)}});
}

std::string metrics_json() {
    ordered_json out = ordered_json::array();
    for (const MetricInfo& m : metric_infos()) {
        ordered_json entry{{"key", m.key},
                           {"name", m.name},
                           {"unit", m.unit},
                           {"of", m.where},
                           {"low_is_better", m.low_is_better},
                           {"definition", m.definition}};
        if (m.has_usual_limit()) entry["usual_limit"] = m.usual_limit;
        out.push_back(std::move(entry));
    }
    return ordered_json{{"metrics", out}}.dump(2) + "\n";
}

std::string selection_json(const std::string& source, const std::string& selection, std::size_t n_cells,
                           const std::string& file) {
    return dumped({{"source", source},
                   {"selection", selection},
                   {"cells", n_cells},
                   {"written", file.empty() ? ordered_json() : ordered_json(file)}});
}

}  // namespace anvilcast
