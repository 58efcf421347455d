#include <anvilcast/quality.hpp>

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

TriangleAngles angles_of(const Surface& s, Index t) {
    TriangleAngles out;
    for (int k = 0; k < 3; ++k) {
        const Vec3 u = s.corner(t, (k + 1) % 3) - s.corner(t, k), v = s.corner(t, (k + 2) % 3) - s.corner(t, k);
        const double angle = std::atan2(length(cross(u, v)), dot(u, v)) * 180 / std::numbers::pi;
        out.smallest = std::min(out.smallest, angle);
        out.largest = std::max(out.largest, angle);
    }
    return out;
}

}  // namespace

std::vector<Metric> assess_surface(const Surface& s) {
    const std::vector<double> area = quality::measured(s.triangles.size(), [&](std::size_t i) {
        const auto t = static_cast<Index>(i);
        return triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
    });
    auto describe = [&s](std::size_t i) {
        const auto t = static_cast<Index>(i);
        return WorstPlace{0, (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0, i, s.zones[s.zone_of[t]].name};
    };
    std::vector<Metric> metrics;
    auto add = [&](const char* name, const char* unit, bool low_is_better, auto value) {
        metrics.push_back(quality::summarised(
            {name, unit, low_is_better, {}},
            quality::measured(s.triangles.size(),
                              [&](std::size_t t) { return value(angles_of(s, static_cast<Index>(t))); }),
            describe));
    };
    add("smallest angle", "\xC2\xB0", false, [](const TriangleAngles& a) { return a.smallest; });
    add("largest angle", "\xC2\xB0", true, [](const TriangleAngles& a) { return a.largest; });
    add("equiangle skewness", "", true, [](const TriangleAngles& a) { return a.skewness(); });

    const SurfaceEdges edges(s.triangles, s.points.size());
    std::vector<double> ratios;
    std::vector<Index> at;
    for (std::size_t e = 0; e < edges.size(); ++e) {
        if (edges.n_uses(e) != 2) continue;
        const double a = area[edges.begin(e)[0].triangle], b = area[edges.begin(e)[1].triangle];
        ratios.push_back(std::min(a, b) > 0 ? std::max(a, b) / std::min(a, b) : Box::inf);
        at.push_back(edges.begin(e)[a < b ? 0 : 1].triangle);
    }
    metrics.push_back(quality::summarised({"area ratio", "", true, {}}, std::move(ratios),
                                          [&](std::size_t i) { return describe(at[i]); }));
    return metrics;
}

namespace quality {

std::vector<Metric> boundary_metrics(const VolumeMesh& mesh) {
    if (std::find(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::polyhedron) != mesh.cell_types.end())
        return {};
    Surface s;
    s.points = mesh.points;
    for (const BoundaryZone& zone : mesh.zones) {
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            const auto p = mesh.face(f);
            for (std::size_t k = 2; k < p.size(); ++k) {
                s.triangles.push_back({p[0], p[k - 1], p[k]});
                s.zone_of.push_back(static_cast<Index>(s.zones.size()));
            }
        }
        s.zones.push_back({zone.name});
    }
    return assess_surface(s);
}

}  // namespace quality
}  // namespace anvilcast
