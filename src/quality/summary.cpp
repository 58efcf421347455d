#include "quality/summary.hpp"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <cmath>

namespace anvilcast::quality {
namespace {

constexpr std::size_t kWorstPlaces = 5;

}  // namespace

Metric summarised(const MetricKind& kind, std::vector<double> values,
                  const std::function<WorstPlace(std::size_t)>& describe) {
    Metric out;
    out.name = kind.name;
    out.unit = kind.unit;
    out.low_is_better = kind.low_is_better;
    out.limit = kind.limit;
    out.count = values.size();
    if (values.empty()) return out;
    std::vector<Index> order(values.size());
    for (Index i = 0; i < order.size(); ++i) order[i] = i;
    const std::size_t n_worst = std::min(kWorstPlaces, order.size());
    std::partial_sort(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(n_worst), order.end(),
                      [&](Index i, Index j) {
                          if (values[i] != values[j])
                              return kind.low_is_better ? values[i] > values[j] : values[i] < values[j];
                          return i < j;
                      });
    for (std::size_t k = 0; k < n_worst; ++k) {
        out.worst.push_back(describe(order[k]));
        out.worst.back().value = values[order[k]];
    }
    double sum = 0;
    for (const double v : values) {
        sum += v;
        if (kind.limit && (kind.low_is_better ? v > *kind.limit : v < *kind.limit)) ++out.n_beyond;
    }
    out.mean = sum / static_cast<double>(values.size());
    tbb::parallel_sort(values.begin(), values.end());
    auto percentile = [&](double share) {
        return values[static_cast<std::size_t>(std::llround(share * static_cast<double>(values.size() - 1)))];
    };
    out.min = values.front();
    out.max = values.back();
    out.p1 = percentile(0.01);
    out.p50 = percentile(0.5);
    out.p99 = percentile(0.99);
    return out;
}

}  // namespace anvilcast::quality
