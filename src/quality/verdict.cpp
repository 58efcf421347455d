#include "quality/verdict.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast::quality {
namespace {

std::string share_text(std::size_t n, std::size_t of) {
    const double share = 100.0 * static_cast<double>(n) / static_cast<double>(of);
    return share < 0.001 ? "below 0.001 %" : fmt::format("{:.2g} %", share);
}

std::string place_text(const WorstPlace& w) {
    std::string text = w.zone.empty() ? "" : fmt::format(" {} '{}'", w.distance > 0 ? "near" : "at", w.zone);
    if (!w.cause.empty()) text += fmt::format(" ({})", w.cause);
    return text;
}

std::string count_text(const Metric& m, std::size_t n_beyond, double limit) {
    const char* what = metric_info(m.id).of == MetricOf::cells ? (n_beyond == 1 ? "cell" : "cells")
                                                               : (n_beyond == 1 ? "face" : "faces");
    return fmt::format("{} {} ({}) {} {} of {:.4g}{}", n_beyond, what, share_text(n_beyond, m.count),
                       m.low_is_better ? "above" : "below", m.name, limit, m.unit);
}

/// Limits that were set.
std::string beyond_text(const QualityReport& r) {
    std::string text;
    const Metric* most = nullptr;
    double most_share = -1;
    for (const auto* list : {&r.metrics, &r.surface})
        for (const Metric& m : *list) {
            if (m.n_beyond == 0) continue;
            text += (text.empty() ? "" : ", ") + count_text(m, m.n_beyond, *m.limit);
            const double share = static_cast<double>(m.n_beyond) / static_cast<double>(m.count);
            if (share > most_share) {
                most_share = share;
                most = &m;
            }
        }
    if (r.cells_limit && static_cast<double>(r.n_cells) > *r.cells_limit)
        text += fmt::format("{}{} cells, more than the {:.0f} allowed", text.empty() ? "" : ", ", r.n_cells,
                            *r.cells_limit);
    std::string out = fmt::format("not within its limits: {}.", text);
    if (most != nullptr && !most->worst.empty())
        out += fmt::format(" Begin{}, where {} is {:.3g}{}.", place_text(most->worst.front()), most->name,
                           most->worst.front().value, most->unit);
    return out;
}

/// What is beyond usual limits, and where the worst of it is; empty where nothing is.
std::string usual_text(const QualityReport& r) {
    std::string beyond;
    const Metric* first = nullptr;
    for (const Metric& m : r.metrics) {
        if (!is_beyond_usual(m)) continue;
        beyond += fmt::format("{}{} to {:.3g}{} (usual: {:.3g})", beyond.empty() ? "" : ", ", m.name, m.worst_value(),
                              m.unit, metric_info(m.id).usual_limit);
        if (first == nullptr) first = &m;
    }
    if (first == nullptr) return "";
    return fmt::format("{}; the worst{}.", beyond, first->worst.empty() ? "" : place_text(first->worst.front()));
}

/// Limits of metrics that the mesh has no cells or faces for.
std::string idle_text(const QualityReport& r, const QualityLimits& limits) {
    std::string text;
    for (const QualityLimit& l : limits.metrics) {
        auto is_it = [&l](const Metric& m) { return m.id == l.metric; };
        if (std::any_of(r.metrics.begin(), r.metrics.end(), is_it) ||
            std::any_of(r.surface.begin(), r.surface.end(), is_it))
            continue;
        const MetricInfo& info = metric_info(l.metric);
        text += fmt::format(" The limit of {} had nothing to hold: that is of {}.", info.name, info.where);
    }
    return text;
}

}  // namespace

bool is_beyond_usual(const Metric& m) {
    const MetricInfo& info = metric_info(m.id);
    return !m.limit && info.has_usual_limit() && info.is_worse(m.worst_value(), info.usual_limit);
}

std::string verdict_of(const QualityReport& r, const QualityLimits& limits) {
    const bool has_limits = limits.cells || !limits.metrics.empty();
    const std::string usual = limits.usual ? usual_text(r) : "", idle = idle_text(r, limits);
    if (!r.limits_hold)
        return "Sound, but " + beyond_text(r) + (usual.empty() ? "" : " Beyond usual limits as well: " + usual) + idle;
    if (!usual.empty())
        return fmt::format("Sound, but not fit for most solvers: {}{}{}", usual,
                           has_limits ? " Every limit that was set holds." : "", idle);
    if (!limits.usual)
        return (has_limits ? "Sound, and every limit holds." : "Sound; no limits were asked for.") + idle;
    return fmt::format("Sound and fit: {}no metric is beyond what solvers usually take.{}",
                       has_limits ? "every limit holds, and " : "", idle);
}

}  // namespace anvilcast::quality
