#include "quality/summary.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <numeric>
#include <utility>

#include "quality/lanes.hpp"

namespace anvilcast::quality {
namespace {

/// In the order of the numbers.
std::uint32_t key_of(float v) {
    const auto bits = std::bit_cast<std::uint32_t>(v);
    return bits ^ ((bits >> 31) != 0 ? 0xFFFFFFFFU : 0x80000000U);
}
float value_of(std::uint32_t key) { return std::bit_cast<float>(key ^ ((key >> 31) != 0 ? 0x80000000U : 0xFFFFFFFFU)); }

/// The edges of the bars: even steps where the range is bounded, else steps that people count in.
std::vector<double> histogram_edges(const MetricInfo& info, double min, double max) {
    std::vector<double> edges;
    if (info.id == MetricId::volume) {
        if (!(min > 0) || !std::isfinite(max)) return {min, max};
        double step = std::pow(10.0, std::floor(std::log10(min)));
        for (;; step *= 10)
            for (const double m : {1.0, 2.0, 5.0}) {
                if (m * step * 2.5 > min) edges.push_back(m * step);
                if (edges.size() > 1 && edges.back() >= max) return edges;
            }
    }
    if (!std::isfinite(info.most)) {
        if (info.least == 1) return {1, 1.1, 1.2, 1.3, 1.5, 1.75, 2, 2.5, 3, 4, 5, 7, 10, 20, 50, 100, 1000};
        return {0, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5};
    }
    if (info.id == MetricId::closedness) return {0, 1e-16, 1e-15, 1e-14, 1e-13, 1e-12, 1e-10, 1e-9, 1e-6, 1e-3, 1};
    const bool is_angle = info.most > 1;
    const double step = is_angle ? 5 : 0.05;
    const auto n = static_cast<int>(std::lround((info.most - info.least) / step));
    for (int k = 0; k <= n; ++k) edges.push_back(info.least + k * step);
    return edges;
}

/// Values in up to 65 536 buckets, in the order of numbers: how many are in each tells nearly all, and those in the few
/// buckets that matter are looked at one by one.
class Summariser {
  public:
    Summariser(std::span<const float> values, const MetricInfo& info) : values_(values), info_(info) {}

    Summary run(std::optional<double> limit, std::size_t n_worst, Histogram* histogram) {
        Summary out;
        find_range();
        if (least_ > most_) return out;
        out.mean = sort_into_buckets();
        out.count = std::accumulate(n_.begin(), n_.end() - 1, std::size_t{0});
        out.mean /= static_cast<double>(out.count);
        if (limit) bound_ = static_cast<float>(*limit);
        if (histogram != nullptr) {
            histogram->edges = histogram_edges(info_, static_cast<double>(least_), static_cast<double>(most_));
            inner_.assign(histogram->edges.begin() + 1, histogram->edges.end() - 1);
        }
        const std::array<std::size_t, 3> ranks{rank(out.count, 0.01), rank(out.count, 0.5), rank(out.count, 0.99)};
        const std::array<Place, 3> places = places_of(ranks);
        mark(places, std::min(n_worst, out.count));
        bars_.assign(inner_.size() + 1, 0);
        count_by_buckets(out);
        std::array<std::vector<float>, 3> in_bucket;
        look_at_marked(out, places, in_bucket, std::min(n_worst, out.count));
        std::array<double, 3> p{};
        for (std::size_t k = 0; k < 3; ++k) {
            const auto nth = in_bucket[k].begin() + static_cast<std::ptrdiff_t>(places[k].rank);
            std::nth_element(in_bucket[k].begin(), nth, in_bucket[k].end());
            p[k] = static_cast<double>(*nth);
        }
        out.p1 = p[0], out.p50 = p[1], out.p99 = p[2];
        if (histogram != nullptr) histogram->counts = std::move(bars_);
        return out;
    }

  private:
    /// A rank as one within a bucket.
    struct Place {
        std::size_t bucket = 0, rank = 0;
    };
    /// Why a bucket's values are looked at.
    enum : unsigned char { kPercentile = 1, kEdge = 2, kExtreme = 4, kWorst = 8 };
    static constexpr std::size_t kMostBuckets = std::size_t{1} << 16;

    static std::size_t rank(std::size_t count, double share) {
        return static_cast<std::size_t>(std::llround(share * static_cast<double>(count - 1)));
    }

    /// NaN is neither below nor above anything.
    void find_range() {
        constexpr float kInfinity = std::numeric_limits<float>::infinity();
        Lanes least = lanes_of(kInfinity), most = lanes_of(-kInfinity);
        std::size_t i = 0;
        for (; i + kLanes <= values_.size(); i += kLanes) {
            const Lanes v{values_[i], values_[i + 1], values_[i + 2], values_[i + 3]};
            least = v < least ? v : least;
            most = v > most ? v : most;
        }
        auto note = [&](float low, float high) {
            least_ = std::min(least_, low);
            most_ = std::max(most_, high);
        };
        for (std::size_t k = 0; k < kLanes; ++k) note(least[k], most[k]);
        for (; i < values_.size(); ++i)
            if (!std::isnan(values_[i])) note(values_[i], values_[i]);
        // Where all are infinite, none was below or above what it began with.
        if (least_ > most_)
            for (const float v : values_)
                if (!std::isnan(v)) {
                    least_ = most_ = v;
                    break;
                }
        while (n_buckets_ < kMostBuckets && n_buckets_ < values_.size() / 4) n_buckets_ *= 2;
        bucket_of_.last = n_buckets_;
        bucket_of_.base = key_of(least_);
        while (least_ <= most_ && (key_of(most_) - bucket_of_.base) >> bucket_of_.shift >= n_buckets_)
            ++bucket_of_.shift;
    }

    /// By value, so that loops keep it in registers.
    struct Bucketing {
        std::uint32_t base = 0;
        unsigned shift = 0;
        std::size_t last = 0;  ///< for what is no number
        std::size_t operator()(float v) const { return v == v ? (key_of(v) - base) >> shift : last; }
    };

    /// The sum of all.
    double sort_into_buckets() {
        n_.assign(n_buckets_ + 1, 0);
        const Bucketing bucket_of = bucket_of_;
        std::uint32_t* const n = n_.data();
        std::array<double, 4> sums{};  // that do not wait for each other
        auto take = [&](float v, double& sum) {
            ++n[bucket_of(v)];
            sum += v == v ? static_cast<double>(v) : 0.0;
        };
        std::size_t i = 0;
        for (; i + 4 <= values_.size(); i += 4) {
            take(values_[i], sums[0]);
            take(values_[i + 1], sums[1]);
            take(values_[i + 2], sums[2]);
            take(values_[i + 3], sums[3]);
        }
        for (; i < values_.size(); ++i) take(values_[i], sums[0]);
        return sums[0] + sums[1] + sums[2] + sums[3];
    }

    std::array<Place, 3> places_of(const std::array<std::size_t, 3>& ranks) const {
        std::array<Place, 3> out;
        std::size_t below = 0;
        for (std::size_t b = 0; b < n_buckets_; ++b) {
            if (n_[b] == 0) continue;
            for (std::size_t k = 0; k < 3; ++k)
                if (ranks[k] >= below && ranks[k] < below + n_[b]) out[k] = {b, ranks[k] - below};
            below += n_[b];
        }
        return out;
    }

    void mark(const std::array<Place, 3>& places, std::size_t n_worst) {
        marks_.assign(n_buckets_ + 1, 0);
        const std::size_t last = bucket_of_(most_);
        marks_[0] |= kExtreme;
        marks_[last] |= kExtreme;
        for (const Place& p : places) marks_[p.bucket] |= kPercentile;
        auto mark_edge = [&](float v) {
            if (v > least_ && v <= most_) marks_[bucket_of_(v)] |= kEdge;
        };
        if (bound_) mark_edge(*bound_);
        for (const float edge : inner_) mark_edge(edge);
        // From the worst on, the buckets that hold so many values.
        std::size_t found = 0;
        for (std::size_t k = 0; found < n_worst; ++k) {
            const std::size_t b = info_.low_is_better ? last - k : k;
            found += n_[b];
            marks_[b] |= kWorst;
        }
    }

    bool is_beyond(float v) const { return bound_ && (info_.low_is_better ? v > *bound_ : v < *bound_); }
    std::size_t bar_of(float v) const {
        return static_cast<std::size_t>(std::upper_bound(inner_.begin(), inner_.end(), v) - inner_.begin());
    }

    /// Buckets without an edge or the limit within.
    void count_by_buckets(Summary& out) {
        for (std::size_t b = 0; b < n_buckets_; ++b) {
            if (n_[b] == 0 || (marks_[b] & kEdge) != 0) continue;
            const float v = value_of(bucket_of_.base + static_cast<std::uint32_t>(b << bucket_of_.shift));
            if (is_beyond(v)) out.n_beyond += n_[b];
            bars_[bar_of(v)] += n_[b];
        }
    }

    void look_at_marked(Summary& out, const std::array<Place, 3>& places, std::array<std::vector<float>, 3>& in_bucket,
                        std::size_t n_worst) {
        const Bucketing bucket_of = bucket_of_;
        const unsigned char* const marks = marks_.data();
        const float* const values = values_.data();
        std::size_t i = 0;
        for (const std::size_t n = values_.size(); i < n; ++i) {
            const std::size_t b = bucket_of(values[i]);
            if (marks[b] != 0) look_at(i, b, out, places, in_bucket, n_worst);
        }
    }

    void look_at(std::size_t i, std::size_t b, Summary& out, const std::array<Place, 3>& places,
                 std::array<std::vector<float>, 3>& in_bucket, std::size_t n_worst) {
        const float v = values_[i];
        const unsigned char m = marks_[b];
        if ((m & kEdge) != 0) {
            if (is_beyond(v)) ++out.n_beyond;
            ++bars_[bar_of(v)];
        }
        if ((m & kPercentile) != 0)
            for (std::size_t k = 0; k < 3; ++k)
                if (b == places[k].bucket) in_bucket[k].push_back(v);
        if ((m & kExtreme) != 0) {
            if (v == least_ && !std::exchange(has_least_, true)) out.smallest = i;
            if (v == most_ && !std::exchange(has_most_, true)) out.largest = i;
        }
        if ((m & kWorst) != 0) note_worst(out.worst, i, n_worst);
    }

    /// Keeps the n worst, worst first; of equal ones those that came first.
    void note_worst(std::vector<std::size_t>& worst, std::size_t i, std::size_t n) const {
        auto is_worse = [this](float a, float b) { return info_.low_is_better ? a > b : a < b; };
        if (worst.size() == n && !is_worse(values_[i], values_[worst.back()])) return;
        if (worst.size() == n) worst.pop_back();
        const auto place =
            std::find_if(worst.begin(), worst.end(), [&](std::size_t w) { return is_worse(values_[i], values_[w]); });
        worst.insert(place, i);
    }

    std::span<const float> values_;
    const MetricInfo& info_;
    float least_ = std::numeric_limits<float>::infinity(), most_ = -std::numeric_limits<float>::infinity();
    std::size_t n_buckets_ = 256;  // and one more, for what is no number
    Bucketing bucket_of_;
    bool has_least_ = false, has_most_ = false;
    std::optional<float> bound_;
    std::vector<float> inner_;  // edges of the histogram but the first and the last
    std::vector<std::uint32_t> n_;
    std::vector<unsigned char> marks_;
    std::vector<std::size_t> bars_;
};

/// Bars without anything at both ends tell nothing.
void trim(Histogram& h) {
    while (h.counts.size() > 1 && h.counts.back() == 0) {
        h.counts.pop_back();
        h.edges.pop_back();
    }
    while (h.counts.size() > 1 && h.counts.front() == 0) {
        h.counts.erase(h.counts.begin());
        h.edges.erase(h.edges.begin());
    }
}

}  // namespace

Summary summarise(std::span<const float> values, const MetricInfo& info, std::optional<double> limit,
                  std::size_t n_worst, Histogram* histogram) {
    Summary out = Summariser(values, info).run(limit, n_worst, histogram);
    if (histogram != nullptr && out.count > 0) trim(*histogram);
    return out;
}

Metric metric_of(const MetricInfo& info, const std::optional<double>& limit) {
    Metric out;
    out.id = info.id;
    out.key = info.key;
    out.name = info.name;
    out.unit = info.unit;
    out.low_is_better = info.low_is_better;
    out.limit = limit;
    return out;
}

}  // namespace anvilcast::quality
