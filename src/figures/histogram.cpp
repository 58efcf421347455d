#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "figures/frame.hpp"

namespace anvilcast {

using namespace figures;

void draw_histogram(const std::filesystem::path& file, const Metric& metric, const FigureOptions& options) {
    check_size(options);
    const Histogram& h = metric.histogram;
    if (h.counts.empty()) throw InputError(fmt::format("there is nothing to draw: no values of {}", metric.name));
    const Theme look = theme(options.dark);
    Canvas canvas(file, options.width, options.height, look.ground);
    const double left = 96, top = 96, right = canvas.width() - 40, bottom = canvas.height() - 84;
    const double most = static_cast<double>(*std::max_element(h.counts.begin(), h.counts.end()));
    const double factor = metric.id == MetricId::volume ? 1 / std::pow(options.unit.metres, 3) : 1;
    const std::string unit = metric.id == MetricId::volume ? options.unit.name + "\xC2\xB3" : metric.unit;
    const std::string name = unit.empty() ? metric.name : fmt::format("{}, {}", metric.name, unit);
    canvas.text(24, 34, fmt::format("{}{}{}", options.title, options.title.empty() ? "" : ": ", metric.name), look.ink,
                18, Align::left, true);
    canvas.text(
        24, 58,
        fmt::format("{} of {}; mean {:.4g}, 99 % keep {} {:.4g}, the worst is {:.4g}", format_count(metric.count),
                    metric_info(metric.id).where, metric.mean * factor, metric.low_is_better ? "below" : "above",
                    metric.p99_of_good() * factor, metric.worst_value() * factor),
        mixed(look.ink, look.ground, 0.3), 13);
    // Shares of all, by the root: what is rare is seen, and what is common does not hide it.
    auto height_of = [&](double n) { return (bottom - top) * std::sqrt(n / most); };
    for (const double share : {0.0001, 0.001, 0.01, 0.05, 0.1, 0.2, 0.3, 0.5, 1.0}) {
        const double n = share * static_cast<double>(metric.count);
        if (n > most * 1.02 || height_of(n) < 16) continue;
        const double y = bottom - height_of(n);
        canvas.line(left, y, right, y, look.faint, 0.7);
        canvas.text(left - 8, y + 4.5, fmt::format("{:.3g} %", 100 * share), look.ink, 12, Align::right);
    }
    const double width = (right - left) / static_cast<double>(h.counts.size());
    const std::size_t every = std::max<std::size_t>(1, static_cast<std::size_t>(std::ceil(62 / width)));
    for (std::size_t k = 0; k <= h.counts.size(); ++k) {
        const double x = left + static_cast<double>(k) * width;
        if (k < h.counts.size() && h.counts[k] > 0) {
            const bool is_beyond =
                metric.limit && (metric.low_is_better ? h.edges[k] >= *metric.limit : h.edges[k + 1] <= *metric.limit);
            const double high = std::max(1.5, height_of(static_cast<double>(h.counts[k])));
            canvas.rectangle(x + 1, bottom - high, width - 2, high, is_beyond ? look.mark : category(4));
        }
        if (k % every == 0)
            canvas.text(x, bottom + 20, fmt::format("{:.3g}", h.edges[k] * factor), look.ink, 12, Align::center);
    }
    canvas.line(left, bottom, right, bottom, look.ink, 1.2);
    canvas.text(0.5 * (left + right), bottom + 46, name, look.ink, 14, Align::center);
    canvas.text(24, 84, "share of all, by its square root", mixed(look.ink, look.ground, 0.3), 12);
    // The limit, between the bars.
    const std::optional<double> limit = metric.limit ? metric.limit
                                        : metric_info(metric.id).has_usual_limit()
                                            ? std::optional(metric_info(metric.id).usual_limit)
                                            : std::nullopt;
    if (limit && *limit >= h.edges.front() && *limit <= h.edges.back()) {
        const auto next = std::upper_bound(h.edges.begin() + 1, h.edges.end() - 1, *limit) - h.edges.begin();
        const auto k = static_cast<std::size_t>(next - 1);
        const double x =
            left + width * (static_cast<double>(k) + (*limit - h.edges[k]) / (h.edges[k + 1] - h.edges[k]));
        canvas.line(x, top - 6, x, bottom, look.mark, 1.6);
        const bool to_left = x > 0.7 * right;
        canvas.text(x + (to_left ? -8 : 8), top + 6,
                    fmt::format("{} {:.4g}{}", metric.limit ? "limit" : "usual limit", *limit * factor,
                                metric.limit ? fmt::format(": {} beyond", format_count(metric.n_beyond)) : ""),
                    look.mark, 13, to_left ? Align::right : Align::left);
    }
    canvas.finish();
}

}  // namespace anvilcast
