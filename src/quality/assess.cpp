#include <anvilcast/errors.hpp>
#include <anvilcast/quality.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/thread_limit.hpp"
#include "quality/causes.hpp"
#include "quality/groups.hpp"
#include "quality/summary.hpp"
#include "quality/values.hpp"
#include "quality/verdict.hpp"

namespace anvilcast {
namespace {

using quality::Measures;
using quality::MetricValues;

void measure_regions_and_zones(const VolumeMesh& mesh, const Measures& m, QualityReport& report) {
    report.region_volumes.assign(mesh.regions.size(), 0);
    for (std::size_t c = 0; c < mesh.n_cells(); ++c) {
        report.volume += m.cell[c].volume;
        report.region_volumes[mesh.cell_region[c]] += m.cell[c].volume;
    }
    if (mesh.is_plane()) {
        report.volume /= mesh.plane_depth;
        for (double& v : report.region_volumes) v /= mesh.plane_depth;
    }
    for (const BoundaryZone& zone : std::span(mesh.zones).first(mesh.n_named_zones())) {
        double area = 0;
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f)
            area += length(quality::measure_face(mesh, f).area);
        report.zone_areas.push_back(mesh.is_plane() ? area / mesh.plane_depth : area);
    }
    report.zone_areas.resize(mesh.zones.size(), report.volume);
}

/// Volumes of a plane mesh's cells are areas, by its depth.
void make_area(Metric& metric, double depth) {
    metric.key = metric.name = "area";
    metric.unit = "m\xC2\xB2";
    for (double* v : {&metric.min, &metric.mean, &metric.max, &metric.p1, &metric.p50, &metric.p99}) *v /= depth;
    for (double& edge : metric.histogram.edges) edge /= depth;
    for (WorstPlace& w : metric.worst) w.value /= depth;
}

/// Statistics of one metric; the cells or faces of its worst places go to `worst`.
Metric metric_of(const VolumeMesh& mesh, const Measures& m, const MetricInfo& info, std::span<const float> values,
                 const QualityLimits& limits, std::size_t n_worst, std::vector<std::size_t>& worst) {
    Metric out = quality::metric_of(info, limits.of(info.id));
    const quality::Summary s = quality::summarise(values, info, out.limit, n_worst, &out.histogram);
    out.count = s.count;
    if (s.count == 0) return out;
    out.mean = s.mean;
    out.p1 = s.p1;
    out.p50 = s.p50;
    out.p99 = s.p99;
    out.n_beyond = s.n_beyond;
    out.min = quality::exact_value(mesh, m, info.id, s.smallest);
    out.max = quality::exact_value(mesh, m, info.id, s.largest);
    worst = s.worst;
    return out;
}

void explain_worst(const VolumeMesh& mesh, const Measures& m, std::vector<Metric>& metrics,
                   const std::vector<std::vector<std::size_t>>& worst) {
    std::vector<quality::BadPlace> places;
    for (std::size_t k = 0; k < metrics.size(); ++k)
        for (const std::size_t i : worst[k]) {
            const bool is_face = metric_info(metrics[k].id).of == MetricOf::faces;
            places.push_back({metrics[k].id, is_face ? mesh.owner[i] : static_cast<Index>(i),
                              is_face ? static_cast<Index>(i) : kNone});
        }
    std::vector<WorstPlace> explained = quality::explain(mesh, m, places);
    std::size_t next = 0;
    for (std::size_t k = 0; k < metrics.size(); ++k)
        for (const std::size_t i : worst[k]) {
            metrics[k].worst.push_back(std::move(explained[next++]));
            metrics[k].worst.back().value = quality::exact_value(mesh, m, metrics[k].id, i);
        }
}

/// All but the boundary's triangles and the layers. What it needs is gone before those are looked at.
void measure_cells_and_faces(const VolumeMesh& mesh, const QualityLimits& limits, const Context& context,
                             const QualityOptions& options, QualityReport& report) {
    const Measures m(mesh);
    measure_regions_and_zones(mesh, m, report);

    context.report("assess", "metrics", 0.2);
    const MetricValues values = quality::metric_values(mesh, m);
    context.report("assess", "statistics", 0.6);
    std::vector<Metric> metrics(values.size());
    std::vector<std::vector<std::size_t>> worst(values.size());
    tbb::parallel_for(std::size_t{0}, values.size(), [&](std::size_t k) {
        metrics[k] = metric_of(mesh, m, metric_infos()[k], values[k], limits, options.n_worst, worst[k]);
    });
    context.report("assess", "worst places", 0.75);
    explain_worst(mesh, m, metrics, worst);
    if (mesh.is_plane()) make_area(metrics[static_cast<std::size_t>(MetricId::volume)], mesh.plane_depth);
    for (Metric& metric : metrics)
        if (metric.count > 0) report.metrics.push_back(std::move(metric));
    context.report("assess", "groups", 0.8);
    if (options.groups) report.groups = quality::groups_of(mesh, m, values, limits, options);
}

}  // namespace

void QualityLimits::set(std::string_view name, double value) {
    if (name == "cells") {
        if (!(value >= 1)) throw InputError(fmt::format("a limit of {} cells is none", value));
        cells = value;
        return;
    }
    const MetricInfo& info = find_metric(name);
    if (!(value >= info.least && value <= info.most))
        throw InputError(fmt::format("{} cannot be {}: it is from {} to {}", info.key, value, info.least, info.most));
    for (QualityLimit& l : metrics)
        if (l.metric == info.id) {
            l.value = value;
            return;
        }
    metrics.push_back({info.id, value});
}

std::optional<double> QualityLimits::of(MetricId metric) const {
    for (const QualityLimit& l : metrics)
        if (l.metric == metric) return l.value;
    return std::nullopt;
}

const Metric& QualityReport::metric(const std::string& name) const {
    const MetricInfo& info = find_metric(name);
    for (const auto* list : {&metrics, &surface})
        for (const Metric& m : *list)
            if (m.id == info.id) return m;
    throw InputError(fmt::format("the mesh has no {}: that is of {}", info.name, info.where));
}

std::vector<WorstPlace> worst_places(const VolumeMesh& mesh, MetricId metric, std::size_t n, const Context& context) {
    const MetricInfo& info = metric_info(metric);
    if (info.of == MetricOf::boundary)
        throw InputError(fmt::format("{} is of {}; a metric of cells or faces was expected", info.key, info.where));
    const ThreadLimit limit(context);
    const Measures m(mesh);
    const MetricValues values = quality::metric_values(mesh, m, &metric);
    std::vector<Metric> list(1);
    std::vector<std::vector<std::size_t>> worst(1);
    list[0] = metric_of(mesh, m, info, values[static_cast<std::size_t>(metric)], {}, n, worst[0]);
    if (list[0].count == 0) throw InputError(fmt::format("the mesh has no {}: that is of {}", info.name, info.where));
    explain_worst(mesh, m, list, worst);
    return std::move(list[0].worst);
}

QualityReport assess(const VolumeMesh& mesh, const QualityLimits& limits, const Context& context,
                     const QualityOptions& options) {
    if (mesh.n_cells() == 0) throw InputError("there is nothing to assess: the mesh has no cells");
    context.report("assess", "measures", 0);
    const ThreadLimit limit(context);
    QualityReport report;
    report.n_cells = mesh.n_cells();
    report.n_points = mesh.is_plane() ? mesh.points.size() / 2 : mesh.points.size();
    report.is_plane = mesh.is_plane();
    measure_cells_and_faces(mesh, limits, context, options, report);

    context.report("assess", "boundary", 0.9);
    if (!mesh.is_plane()) report.surface = quality::boundary_metrics(mesh, limits);
    report.layers = measure_layers(mesh, {}, context);
    report.cells_limit = limits.cells;
    for (const auto* list : {&report.metrics, &report.surface})
        for (const Metric& metric : *list) report.limits_hold = report.limits_hold && metric.n_beyond == 0;
    if (limits.cells && static_cast<double>(mesh.n_cells()) > *limits.cells) report.limits_hold = false;
    for (const Metric& metric : report.metrics)
        report.is_fit = report.is_fit && !(limits.usual && quality::is_beyond_usual(metric));
    report.verdict = quality::verdict_of(report, limits);
    return report;
}

}  // namespace anvilcast
