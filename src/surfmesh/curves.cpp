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

    double count() const { return samples_.back().count; }
    double smallest_size() const { return smallest_; }

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

    /// Largest distance of the curve's own points from the chords between the places.
    double sag(const std::vector<CurvePlace>& places) const {
        double most = 0;
        std::size_t piece = 0;
        for (Index i = 1; i + 1 < curve_.points.size(); ++i) {
            while (piece < places.size() && places[piece].segment < i) ++piece;
            const Vec3 a = piece == 0 ? place(0) : places[piece - 1].point;
            const Vec3 b =
                piece == places.size() ? place(static_cast<Index>(curve_.points.size() - 1)) : places[piece].point;
            most = std::max(most, distance(place(i), closest_point_on_triangle(place(i), a, b, b)));
        }
        return most;
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
    double n = std::max(std::round(sampled.count()), curve.is_loop() ? 3.0 : 1.0);
    std::vector<CurvePlace> places;
    for (int attempt = 0; attempt < 12; ++attempt) {
        places.clear();
        for (double k = 1; k < n; ++k) places.push_back(sampled.at(sampled.count() * k / n));
        if (sampled.sag(places) <= deviation * sampled.smallest_size()) break;
        n = std::ceil(1.4 * n);
    }
    return places;
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

}  // namespace

std::vector<std::vector<CurvePlace>> divide_curves(const Original& original, const SizeAt& size_at,
                                                   const SurfaceMeshOptions& options) {
    const auto& curves = original.features().curves;
    std::vector<const EdgeDivision*> by_number(curves.size(), nullptr);
    for (const EdgeDivision& division : options.divisions)
        for (const Edge& e : division.edges)
            if (const Index c = original.features().curve_at(e); c != kNone) by_number[c] = &division;
    std::vector<std::vector<CurvePlace>> places(curves.size());
    tbb::parallel_for(std::size_t{0}, curves.size(), [&](std::size_t c) {
        places[c] = by_number[c] != nullptr
                        ? divided_by_number(original.surface(), curves[c], *by_number[c])
                        : divided_by_size(original.surface(), curves[c], size_at, options.deviation);
    });
    return places;
}

}  // namespace anvilcast::surfmesh
