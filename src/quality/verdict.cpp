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
    std::string out = fmt::format("Not within its limits: {}.", text);
    if (most != nullptr && !most->worst.empty())
        out += fmt::format(" Begin{}, where {} is {:.3g}{}.", place_text(most->worst.front()), most->name,
                           most->worst.front().value, most->unit);
    return out;
}

/// What usual limits would say of a mesh that has none of its own for them.
std::string usual_text(const QualityReport& r) {
    std::string beyond;
    const Metric* first = nullptr;
    for (const Metric& m : r.metrics) {
        const MetricInfo& info = metric_info(m.id);
        if (m.limit || !info.has_usual_limit() || !info.is_worse(m.worst_value(), info.usual_limit)) continue;
        beyond += fmt::format("{}{} to {:.3g}{} (usual: {:.3g})", beyond.empty() ? "" : ", ", m.name, m.worst_value(),
                              m.unit, info.usual_limit);
        if (first == nullptr) first = &m;
    }
    if (first == nullptr) return "Beside that, no metric is beyond what solvers usually take.";
    return fmt::format("Look at it before you solve: {}; the worst{}.", beyond,
                       first->worst.empty() ? "" : place_text(first->worst.front()));
}

}  // namespace

std::string verdict_of(const QualityReport& r) {
    if (!r.limits_hold) return beyond_text(r);
    const bool has_limits = r.cells_limit || std::any_of(r.metrics.begin(), r.metrics.end(),
                                                         [](const Metric& m) { return m.limit.has_value(); });
    const std::string usual = usual_text(r);
    const bool is_fine = usual.starts_with("Beside");
    if (has_limits) return "Every limit holds. " + usual;
    return is_fine ? "No limits were set; no metric is beyond what solvers usually take."
                   : "No limits were set. " + usual;
}

}  // namespace anvilcast::quality
