#include "surfmesh/curves.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "shape/divisions.hpp"

namespace anvilcast::surfmesh {
namespace {

/// A curve with the number of sizes that fit on it, up to each of its sampled places.
class SampledCurve {
  public:
    SampledCurve(const Surface& s, const FeatureCurve& curve, const SizeAt& size_at) : s_(s), curve_(curve) {
        samples_.push_back({0, 0, 0});
        double count = 0, size = size_at(place(0));
        smallest_ = size;
        for (Index i = 0; i + 1 < curve.points.size(); ++i) {
            const Vec3 a = place(i), b = place(i + 1);
            const double length = distance(a, b);
            for (double share = 0; share < 1;) {
                // Steps of a third of the size, which changes little over them.
                const double next = length > 0 ? std::min(1.0, share + std::max(size / (3 * length), 1e-5)) : 1.0;
                const double size_next = size_at(a + (b - a) * next);
                count += (next - share) * length * 2 / (size + size_next);
                smallest_ = std::min(smallest_, size_next);
                share = next;
                size = size_next;
                samples_.push_back({i, share, count});
            }
        }
    }

    /// The place up to which so many sizes fit.
    CurvePlace at(double count) const {
        auto high = std::lower_bound(samples_.begin() + 1, samples_.end(), count,
                                     [](const Sample& a, double c) { return a.count < c; });
        if (high == samples_.end()) --high;
        const Sample& b = *high;
        const Sample a = (high - 1)->segment == b.segment ? *(high - 1) : Sample{b.segment, 0, (high - 1)->count};
        const double t = b.count > a.count ? std::clamp((count - a.count) / (b.count - a.count), 0.0, 1.0) : 1.0;
        const double share = a.share + t * (b.share - a.share);
        return {b.segment, share, place(b.segment) + (place(b.segment + 1) - place(b.segment)) * share};
    }

    /// How many sizes fit up to a place.
    double count_to(const CurvePlace& p) const {
        const auto high =
            std::lower_bound(samples_.begin(), samples_.end(), p, [](const Sample& a, const CurvePlace& b) {
                return a.segment != b.segment ? a.segment < b.segment : a.share < b.share;
            });
        if (high == samples_.end()) return samples_.back().count;
        if (high == samples_.begin()) return 0;
        const Sample low =
            (high - 1)->segment == high->segment ? *(high - 1) : Sample{high->segment, 0, (high - 1)->count};
        const double span = high->share - low.share;
        return span > 0 ? low.count + (high->count - low.count) * (p.share - low.share) / span : high->count;
    }

    CurvePlace start() const { return {0, 0, place(0)}; }
    CurvePlace end() const {
        const auto last = static_cast<Index>(curve_.points.size() - 1);
        return {last - 1, 1, place(last)};
    }

    /// Largest distance of the curve's own points from the chord between two places.
    double sag(const CurvePlace& from, const CurvePlace& to) const {
        double most = 0;
        for (Index i = from.segment + 1; i <= to.segment; ++i)
            most =
                std::max(most, distance(place(i), closest_point_on_triangle(place(i), from.point, to.point, to.point)));
        return most;
    }

    /// Places from one to the other, ends not included, in as many pieces as sizes fit (`least` at least), more where
    /// chords would leave the curve by more than `deviation` sizes.
    std::vector<CurvePlace> divided(const CurvePlace& from, const CurvePlace& to, double least,
                                    double deviation) const {
        const double begin = count_to(from), count = count_to(to) - begin;
        double n = std::max(std::round(count), least);
        std::vector<CurvePlace> places;
        for (int attempt = 0; attempt < 12; ++attempt) {
            places.clear();
            for (double k = 1; k < n; ++k) places.push_back(at(begin + count * k / n));
            double most = 0;
            for (std::size_t i = 0; i <= places.size(); ++i)
                most = std::max(most, sag(i == 0 ? from : places[i - 1], i == places.size() ? to : places[i]));
            if (most <= deviation * smallest_) break;
            n = std::ceil(1.4 * n);
        }
        return places;
    }

  private:
    struct Sample {
        Index segment;
        double share, count;
    };
    const Vec3& place(Index i) const { return s_.points[curve_.points[i]]; }

    const Surface& s_;
    const FeatureCurve& curve_;
    std::vector<Sample> samples_;
    double smallest_ = 0;
};

std::vector<CurvePlace> divided_by_size(const Surface& s, const FeatureCurve& curve, const SizeAt& size_at,
                                        double deviation) {
    const SampledCurve sampled(s, curve, size_at);
    return sampled.divided(sampled.start(), sampled.end(), curve.is_loop() ? 3.0 : 1.0, deviation);
}

/// Of places, those next to the point of the original that their segment begins or ends with are that point.
void take_points_of(const Surface& s, const FeatureCurve& curve, const SizeAt& size_at,
                    std::vector<CurvePlace>& places) {
    constexpr double kSame = 1e-6;
    for (CurvePlace& place : places) {
        const Vec3 &from = s.points[curve.points[place.segment]], &to = s.points[curve.points[place.segment + 1]];
        const double reach = kSame * std::max(distance(from, to), size_at(place.point));
        if (distance(place.point, to) <= reach)
            place = {place.segment, 1, to};
        else if (distance(place.point, from) <= reach)
            place = {place.segment, 0, from};
    }
    auto is_end = [&](const CurvePlace& p) {
        return p.point == s.points[curve.points.front()] || p.point == s.points[curve.points.back()];
    };
    std::erase_if(places, is_end);
    auto is_same = [](const CurvePlace& a, const CurvePlace& b) { return a.point == b.point; };
    places.erase(std::unique(places.begin(), places.end(), is_same), places.end());
}

/// The division that was asked for of each curve; null when none was.
std::vector<const EdgeDivision*> divisions_by_number(const Original& original, const SurfaceMeshOptions& options) {
    std::vector<const EdgeDivision*> by_number(original.features().curves.size(), nullptr);
    for (const EdgeDivision& division : options.divisions)
        for (const Edge& e : division.edges)
            if (const Index c = original.features().curve_at(e); c != kNone) by_number[c] = &division;
    return by_number;
}

std::vector<CurvePlace> divided_by_number(const Surface& s, const FeatureCurve& curve, const EdgeDivision& division) {
    std::vector<Vec3> polyline;
    for (const Index p : curve.points) polyline.push_back(s.points[p]);
    std::vector<Vec3> points = shape::divided(polyline, {division.divisions, division.bias, division.towards});
    std::vector<CurvePlace> places;
    Index segment = 0;
    // Each place is on the first segment, not before that of the place before it, that it lies on.
    for (std::size_t i = 1; i + 1 < points.size(); ++i) {
        auto off = [&](Index at) {
            return distance(points[i],
                            closest_point_on_triangle(points[i], polyline[at], polyline[at + 1], polyline[at + 1]));
        };
        Index best = segment;
        for (Index at = segment; at + 1 < polyline.size() && off(best) > 1e-9 * distance(points[i], points[i - 1]);
             ++at)
            if (off(at) < off(best)) best = at;
        segment = best;
        const double l = distance(polyline[best], polyline[best + 1]);
        places.push_back({best, l > 0 ? distance(polyline[best], points[i]) / l : 0, points[i]});
    }
    return places;
}

/// Curves that are images of others are divided as those are.
void repeat(const Original& original, CurvePlaces& places) {
    const shape::Originals& originals = original.features().original_curves;
    for (Index c = 0; c < originals.of.size(); ++c) {
        if (!originals.is_image(c)) continue;
        places[c] = places[originals.of[c]];
        for (CurvePlace& place : places[c]) place.point = originals.by[c](place.point);
    }
}

}  // namespace

CurvePlaces divide_curves(const Original& original, const SizeAt& size_at, const SurfaceMeshOptions& options) {
    const auto& curves = original.features().curves;
    const auto by_number = divisions_by_number(original, options);
    CurvePlaces places(curves.size());
    tbb::parallel_for(std::size_t{0}, curves.size(), [&](std::size_t c) {
        const Surface& s = original.surface();
        places[c] = by_number[c] != nullptr ? divided_by_number(s, curves[c], *by_number[c])
                                            : divided_by_size(s, curves[c], size_at, options.deviation);
        take_points_of(s, curves[c], size_at, places[c]);
    });
    repeat(original, places);
    return places;
}

CurvePlaces divide_further(const Original& original, const CurvePlaces& places, const SizeAt& size_at,
                           const SurfaceMeshOptions& options) {
    const auto& curves = original.features().curves;
    const auto by_number = divisions_by_number(original, options);
    CurvePlaces finer(curves.size());
    tbb::parallel_for(std::size_t{0}, curves.size(), [&](std::size_t c) {
        if (by_number[c] != nullptr) {
            finer[c] = places[c];
            return;
        }
        const SampledCurve sampled(original.surface(), curves[c], size_at);
        CurvePlace last = sampled.start();
        auto go_to = [&](const CurvePlace& next) {
            auto between = sampled.divided(last, next, 1, options.deviation);
            take_points_of(original.surface(), curves[c], size_at, between);
            for (const CurvePlace& p : between)
                if (p.point != last.point && p.point != next.point) finer[c].push_back(p);
            last = next;
        };
        for (const CurvePlace& place : places[c]) {
            go_to(place);
            finer[c].push_back(place);
        }
        go_to(sampled.end());
    });
    repeat(original, finer);
    return finer;
}

}  // namespace anvilcast::surfmesh
