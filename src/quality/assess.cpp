#include <anvilcast/errors.hpp>
#include <anvilcast/quality.hpp>

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/thread_limit.hpp"
#include "quality/measures.hpp"
#include "quality/summary.hpp"

namespace anvilcast {
namespace {

using quality::Measures;
using quality::MetricKind;

double degrees(double radians) { return radians * 180.0 / std::numbers::pi; }
double angle_between(const Vec3& u, const Vec3& v) { return degrees(std::atan2(length(cross(u, v)), dot(u, v))); }

double equiangle_skewness(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    double worst = 0;
    for (const Index f : m.faces_of(cell)) {
        const auto p = mesh.face(f);
        const double ideal = 180.0 - 360.0 / static_cast<double>(p.size());
        for (std::size_t k = 0; k < p.size(); ++k) {
            const Vec3& a = mesh.points[p[k]];
            const double t = angle_between(mesh.points[p[(k + 1) % p.size()]] - a,
                                           mesh.points[p[(k + p.size() - 1) % p.size()]] - a);
            worst = std::max({worst, (t - ideal) / (180.0 - ideal), (ideal - t) / ideal});
        }
    }
    return worst;
}

double equivolume_skewness(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    const auto p = mesh.cell(cell);
    const Vec3 &a = mesh.points[p[0]], &b = mesh.points[p[1]], &c = mesh.points[p[2]], &d = mesh.points[p[3]];
    const Vec3 e1 = b - a, e2 = c - a, e3 = d - a;
    const Vec3 numerator = dot(e1, e1) * cross(e2, e3) + dot(e2, e2) * cross(e3, e1) + dot(e3, e3) * cross(e1, e2);
    const double radius = length(numerator) / (12 * m.cell_volume[cell]);
    const double regular = 8 * std::sqrt(3.0) / 27 * radius * radius * radius;
    return regular > 0 ? std::clamp(1 - m.cell_volume[cell] / regular, 0.0, 1.0) : 1.0;
}

struct Angles {
    double smallest = 180, largest = 0;
};

/// Between each two faces of the cell that share an edge.
Angles dihedral_angles(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    Angles out;
    const auto faces = m.faces_of(cell);
    for (std::size_t i = 0; i < faces.size(); ++i)
        for (std::size_t j = i + 1; j < faces.size(); ++j) {
            const auto p = mesh.face(faces[i]), q = mesh.face(faces[j]);
            std::size_t shared = 0;
            for (const Index v : p) shared += std::count(q.begin(), q.end(), v) > 0 ? 1 : 0;
            if (shared < 2) continue;
            const Vec3 u = m.face_area[faces[i]] * (mesh.owner[faces[i]] == cell ? 1.0 : -1.0);
            const Vec3 v = m.face_area[faces[j]] * (mesh.owner[faces[j]] == cell ? 1.0 : -1.0);
            double angle = 180.0 - angle_between(u, v);
            // Faces that lean away from each other at the edge: a reflex angle.
            if (mesh.cell_types[cell] != CellType::tetrahedron &&
                dot(u, m.face_center[faces[j]] - m.face_center[faces[i]]) > 0)
                angle = 360.0 - angle;
            out.smallest = std::min(out.smallest, angle);
            out.largest = std::max(out.largest, angle);
        }
    return out;
}

double aspect_ratio(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    // Longest edge over inradius of the regular cell of each type with edge 1.
    constexpr std::array<double, 5> kRegular{4.898979, 3.863703, 2.976068, 2.0, 2.0};
    double longest = 0, surface = 0;
    for (const Index f : m.faces_of(cell)) {
        const auto p = mesh.face(f);
        surface += length(m.face_area[f]);
        for (std::size_t k = 0; k < p.size(); ++k)
            longest = std::max(longest, distance(mesh.points[p[k]], mesh.points[p[(k + 1) % p.size()]]));
    }
    const double inradius = 3 * m.cell_volume[cell] / surface;
    return longest / (kRegular[static_cast<std::size_t>(mesh.cell_types[cell])] * inradius);
}

double orthogonality(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    double worst = 1;
    for (const Index f : m.faces_of(cell)) {
        const bool own = mesh.owner[f] == cell;
        const Vec3 n = normalized(m.face_area[f]) * (own ? 1.0 : -1.0);
        worst = std::min(worst, dot(n, normalized(m.face_center[f] - m.cell_center[cell])));
        if (f < mesh.n_inner_faces()) {
            const Index other = own ? mesh.neighbour[f] : mesh.owner[f];
            worst = std::min(worst, dot(n, normalized(m.cell_center[other] - m.cell_center[cell])));
        }
    }
    return worst;
}

/// The centre sees a face from inside where this is above 0, triangle by triangle round the mean of its points.
double visibility(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    double worst = 1;
    for (const Index f : m.faces_of(cell)) {
        const auto p = mesh.face(f);
        const double sense = mesh.owner[f] == cell ? 1.0 : -1.0;
        Vec3 mean{};
        for (const Index i : p) mean += mesh.points[i] / static_cast<double>(p.size());
        const Vec3 sight = normalized(mean - m.cell_center[cell]);
        for (std::size_t k = 0; k < p.size(); ++k)
            worst =
                std::min(worst, sense * dot(sight, normalized(triangle_normal(mean, mesh.points[p[k]],
                                                                              mesh.points[p[(k + 1) % p.size()]]))));
    }
    return worst;
}

double warp(const VolumeMesh& mesh, const Measures& m, std::size_t f) {
    const double area = length(m.face_area[f]);
    if (mesh.face(f).size() == 3 || !(area > 0)) return 0;
    double farthest = 0;
    for (const Index p : mesh.face(f))
        farthest = std::max(farthest, std::abs(dot(mesh.points[p] - m.face_center[f], m.face_area[f])) / area);
    return farthest / std::sqrt(area);
}

std::string zone_of_cell(const VolumeMesh& mesh, const Measures& m, std::size_t cell) {
    for (const Index f : m.faces_of(cell))
        for (const BoundaryZone& zone : mesh.zones)
            if (f >= zone.first_face && f < zone.first_face + zone.n_faces) return zone.name;
    return "inside";
}

}  // namespace

const Metric& QualityReport::metric(const std::string& name) const {
    std::string names;
    for (const Metric& m : metrics) {
        if (m.name == name) return m;
        names += (names.empty() ? "" : ", ") + m.name;
    }
    throw InputError(fmt::format("there is no metric \"{}\"; there are {}", name, names));
}

QualityReport assess(const VolumeMesh& mesh, const QualityLimits& limits, const Context& context) {
    context.report("assess", "measures", 0);
    const ThreadLimit limit(context);
    const Measures m = quality::measure(mesh);
    QualityReport report;
    report.n_cells = mesh.n_cells();
    report.n_points = mesh.points.size();
    report.region_volumes.assign(mesh.regions.size(), 0);
    for (std::size_t c = 0; c < mesh.n_cells(); ++c) {
        report.volume += m.cell_volume[c];
        report.region_volumes[mesh.cell_region[c]] += m.cell_volume[c];
    }
    for (const BoundaryZone& zone : mesh.zones) {
        double area = 0;
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) area += length(m.face_area[f]);
        report.zone_areas.push_back(area);
    }
    auto add = [&](const MetricKind& kind, bool is_of_faces, auto value, std::size_t n_faces = kNone) {
        context.report("assess", kind.name, 0.1 + 0.08 * static_cast<double>(report.metrics.size()));
        const std::size_t n = is_of_faces ? std::min(n_faces, mesh.n_inner_faces()) : mesh.n_cells();
        auto describe = [&](std::size_t i) {
            const std::size_t cell = is_of_faces ? mesh.owner[i] : i;
            return WorstPlace{0, is_of_faces ? m.face_center[i] : m.cell_center[i], cell, zone_of_cell(mesh, m, cell)};
        };
        report.metrics.push_back(quality::summarised(kind, quality::measured(n, value), describe));
    };
    // Some are defined for the standard types alone.
    std::vector<Index> standard;
    for (Index c = 0; c < mesh.n_cells(); ++c)
        if (mesh.cell_types[c] != CellType::polyhedron) standard.push_back(c);
    auto add_standard = [&](const MetricKind& kind, auto value) {
        if (standard.empty()) return;
        report.metrics.push_back(quality::summarised(
            kind, quality::measured(standard.size(), [&](std::size_t i) { return value(standard[i]); }),
            [&](std::size_t i) {
                return WorstPlace{0, m.cell_center[standard[i]], standard[i], zone_of_cell(mesh, m, standard[i])};
            }));
    };
    add({"volume", "m\xC2\xB3", false, {}}, false, [&](std::size_t c) { return m.cell_volume[c]; });
    add_standard({"equiangle skewness", "", true, limits.skewness},
                 [&](std::size_t c) { return equiangle_skewness(mesh, m, c); });
    const auto is_tetrahedron = [](CellType t) { return t == CellType::tetrahedron; };
    const bool all_tetrahedra = std::all_of(mesh.cell_types.begin(), mesh.cell_types.end(), is_tetrahedron);
    if (all_tetrahedra)
        add({"equivolume skewness", "", true, {}}, false,
            [&](std::size_t c) { return equivolume_skewness(mesh, m, c); });
    add({"smallest dihedral", "\xC2\xB0", false, {}}, false,
        [&](std::size_t c) { return dihedral_angles(mesh, m, c).smallest; });
    add({"largest dihedral", "\xC2\xB0", true, {}}, false,
        [&](std::size_t c) { return dihedral_angles(mesh, m, c).largest; });
    add_standard({"aspect ratio", "", true, {}}, [&](std::size_t c) { return aspect_ratio(mesh, m, c); });
    add({"orthogonality", "", false, {}}, false, [&](std::size_t c) { return orthogonality(mesh, m, c); });
    if (!all_tetrahedra) {
        add({"visibility", "", false, {}}, false, [&](std::size_t c) { return visibility(mesh, m, c); });
        add({"warp", "", true, {}}, true, [&](std::size_t f) { return warp(mesh, m, f); });
    }
    add({"non-orthogonality", "\xC2\xB0", true, limits.non_orthogonality}, true, [&](std::size_t f) {
        return angle_between(m.face_area[f], m.cell_center[mesh.neighbour[f]] - m.cell_center[mesh.owner[f]]);
    });
    add(
        {"volume ratio", "", true, limits.volume_growth}, true,
        [&](std::size_t f) {
            const double a = m.cell_volume[mesh.owner[f]], b = m.cell_volume[mesh.neighbour[f]];
            return std::max(a, b) / std::min(a, b);
        },
        mesh.n_plain_faces());
    report.surface = quality::boundary_metrics(mesh);
    report.layers = measure_layers(mesh, {}, context);
    report.cells_limit = limits.cells;
    for (const Metric& metric : report.metrics) report.limits_hold = report.limits_hold && metric.n_beyond == 0;
    if (limits.cells && static_cast<double>(mesh.n_cells()) > *limits.cells) report.limits_hold = false;
    return report;
}

}  // namespace anvilcast
