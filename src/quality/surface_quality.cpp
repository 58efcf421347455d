#include <anvilcast/errors.hpp>
#include <anvilcast/quality.hpp>

#include <fmt/format.h>

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "quality/summary.hpp"

namespace anvilcast {
namespace {

struct TriangleAngles {
    double smallest = 180, largest = 0;
    double skewness() const { return std::max((largest - 60) / 120, (60 - smallest) / 60); }
};

TriangleAngles angles_of(const Vec3& a, const Vec3& b, const Vec3& c) {
    TriangleAngles out;
    const std::array<Vec3, 3> p{a, b, c};
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 u = p[(k + 1) % 3] - p[k], v = p[(k + 2) % 3] - p[k];
        const double angle = std::atan2(length(cross(u, v)), dot(u, v)) * 180 / std::numbers::pi;
        out.smallest = std::min(out.smallest, angle);
        out.largest = std::max(out.largest, angle);
    }
    return out;
}

}  // namespace

double triangle_metric(MetricId metric, const Vec3& a, const Vec3& b, const Vec3& c) {
    const TriangleAngles angles = angles_of(a, b, c);
    switch (metric) {
        case MetricId::surface_smallest_angle:
        case MetricId::smallest_angle:
            return angles.smallest;
        case MetricId::surface_largest_angle:
        case MetricId::largest_angle:
            return angles.largest;
        case MetricId::surface_skewness:
        case MetricId::equiangle_skewness:
            return angles.skewness();
        default:
            throw InputError(
                fmt::format("{} is not of single triangles; surface_smallest_angle, surface_largest_angle "
                            "and surface_skewness are",
                            metric_info(metric).key));
    }
}

std::vector<Metric> assess_surface(const Surface& s, const QualityLimits& limits) {
    constexpr std::size_t kWorst = 5;
    const std::size_t n = s.triangles.size();
    std::vector<float> area(n), smallest(n), largest(n), skewness(n);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, 4096), [&](const auto& range) {
        for (auto t = static_cast<Index>(range.begin()); t < range.end(); ++t) {
            const TriangleAngles a = angles_of(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
            area[t] = static_cast<float>(triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
            smallest[t] = static_cast<float>(a.smallest);
            largest[t] = static_cast<float>(a.largest);
            skewness[t] = static_cast<float>(a.skewness());
        }
    });
    std::vector<Metric> metrics;
    auto add = [&](MetricId id, std::span<const float> values, const auto& triangle_of) {
        const MetricInfo& info = metric_info(id);
        const std::optional<double> limit = limits.of(id);
        Metric m = quality::metric_of(info, limit);
        const quality::Summary sum = quality::summarise(values, info, limit, kWorst, &m.histogram);
        m.count = sum.count;
        m.mean = sum.mean;
        m.p1 = sum.p1;
        m.p50 = sum.p50;
        m.p99 = sum.p99;
        m.n_beyond = sum.n_beyond;
        if (sum.count > 0) {
            m.min = static_cast<double>(values[sum.smallest]);
            m.max = static_cast<double>(values[sum.largest]);
        }
        for (const std::size_t i : sum.worst) {
            const Index t = triangle_of(i);
            WorstPlace w;
            w.value = static_cast<double>(values[i]);
            w.place = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
            w.cell = t;
            w.zone = s.zones[s.zone_of[t]].name;
            m.worst.push_back(std::move(w));
        }
        metrics.push_back(std::move(m));
    };
    auto itself = [](std::size_t i) { return static_cast<Index>(i); };
    add(MetricId::surface_smallest_angle, smallest, itself);
    add(MetricId::surface_largest_angle, largest, itself);
    add(MetricId::surface_skewness, skewness, itself);

    const SurfaceEdges edges(s.triangles, s.points.size());
    std::vector<float> ratios;
    std::vector<Index> at;
    for (std::size_t e = 0; e < edges.size(); ++e) {
        if (edges.n_uses(e) != 2) continue;
        const float a = area[edges.begin(e)[0].triangle], b = area[edges.begin(e)[1].triangle];
        ratios.push_back(std::max(a, b) > 0 ? std::max(a, b) / std::min(a, b) : 1);
        at.push_back(edges.begin(e)[a < b ? 0 : 1].triangle);
    }
    add(MetricId::area_ratio, ratios, [&at](std::size_t i) { return at[i]; });
    return metrics;
}

namespace quality {

std::vector<Metric> boundary_metrics(const VolumeMesh& mesh, const QualityLimits& limits) {
    if (std::find(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::polyhedron) != mesh.cell_types.end())
        return {};
    Surface s;
    s.points = mesh.points;
    for (const BoundaryZone& zone : mesh.zones) {
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            // The sides of layers beside a wall are as flat as the layers: no triangles, and none to be judged as such.
            const auto p = mesh.face(f);
            if (p.size() != 3) continue;
            s.triangles.push_back({p[0], p[1], p[2]});
            s.zone_of.push_back(static_cast<Index>(s.zones.size()));
        }
        s.zones.push_back({zone.name});
    }
    return assess_surface(s, limits);
}

}  // namespace quality
}  // namespace anvilcast
