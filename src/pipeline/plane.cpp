// A section is meshed and swept. Its plan meshes the section too, which takes no longer than to predict it would, and
// counts cells exactly.

#include "pipeline/plane.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "pipeline/prepare.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

PlaneResult section_of(const Case& c, const Context& context) {
    const PlaneSpec& plane = *c.plane;
    return with_case_file(c, [&] { return mesh_plane({plane.curves, plane.areas, c.sizing, plane.join}, context); });
}

double length_of(const SweepPath& path, const PlanarMesh& section) {
    if (const auto* straight = std::get_if<StraightPath>(&path)) return length(straight->way);
    if (const auto* points = std::get_if<PointsPath>(&path)) {
        double sum = 0;
        for (std::size_t i = 1; i < points->points.size(); ++i)
            sum += distance(points->points[i - 1], points->points[i]);
        return sum;
    }
    // Of the longest way round that a point of the section goes.
    const auto& round = std::get<RoundPath>(path);
    const double ux = round.axis_to.x - round.axis_from.x, uy = round.axis_to.y - round.axis_from.y;
    double farthest = 0;
    for (const Vec2& p : section.points)
        farthest = std::max(farthest, std::abs(ux * (p.y - round.axis_from.y) - uy * (p.x - round.axis_from.x)));
    return farthest / std::hypot(ux, uy) * round.angle_deg * std::numbers::pi / 180;
}

/// How far a place of the section goes, in the steps' straight chords.
double way_of(const Vec2& p, const Case& c, const SweepOptions& o) {
    if (const auto* straight = std::get_if<StraightPath>(&c.plane->path)) return straight->way.z;
    if (const auto* round = std::get_if<RoundPath>(&c.plane->path)) {
        const double ux = round->axis_to.x - round->axis_from.x, uy = round->axis_to.y - round->axis_from.y;
        const double far =
            std::abs(ux * (p.y - round->axis_from.y) - uy * (p.x - round->axis_from.x)) / std::hypot(ux, uy);
        const double step = round->angle_deg * std::numbers::pi / 180 / o.steps;
        return o.bias == 1 ? far * o.steps * std::sin(step) : far * o.steps * step;
    }
    const auto& points = std::get<PointsPath>(c.plane->path).points;
    double sum = 0;
    for (std::size_t i = 1; i < points.size(); ++i) sum += distance(points[i - 1], points[i]);
    return sum;
}

SweepOptions sweep_of(const Case& c, const PlanarMesh& section) {
    SweepOptions o = c.plane->sweep;
    if (c.plane->step_size > 0)
        o.steps =
            static_cast<int>(std::clamp(std::round(length_of(c.plane->path, section) / c.plane->step_size), 1.0, 1e6));
    // A whole turn needs three steps to go round anything.
    if (const auto* round = std::get_if<RoundPath>(&c.plane->path); round != nullptr && round->angle_deg == 360)
        o.steps = std::max(o.steps, 3);
    return o;
}

void check_limit(double cells, const Case& c) {
    if (c.limits.cells && cells > *c.limits.cells)
        throw FailureError(
            fmt::format("the section's cells times the steps are {:.0f}, the limit is {:.0f}: nothing was "
                        "meshed; make the sizes larger or the steps fewer",
                        cells, *c.limits.cells));
}

Box box_of(const PlanarMesh& section) {
    Box box;
    for (const Vec2& p : section.points) box.include(Vec3{p.x, p.y, 0});
    return box;
}

}  // namespace

BuildResult build_plane(const Case& c, const Context& context) {
    BuildResult result;
    Stopwatch watch(result.costs);
    const PlaneResult section = section_of(c, context);
    result.warnings = section.warnings;
    result.bounds = box_of(section.mesh);
    watch.lap("section");
    const SweepOptions options = sweep_of(c, section.mesh);
    const double cells = swept_cells(section.mesh, c.plane->path, options.steps);
    check_limit(cells, c);
    result.predicted_cells = cells;
    context.report("fill", "sweep", 0.2);
    result.mesh = with_case_file(c, [&] { return sweep(section.mesh, c.plane->path, options, context); });
    watch.lap("sweep");
    context.report("assess", "validity", 0);
    if (const auto faults = find_faults(result.mesh, 10, context); !faults.empty())
        throw InternalError(
            fmt::format("the mesh that was made is not valid, so it is not written: {}", fmt::join(faults, "; ")));
    result.quality = assess(result.mesh, c.limits, context);
    result.quality.layers.clear();  // columns between two ends are none
    for (const PlaneArea& a : c.plane->areas) result.regions.push_back({a.name, a.kind, 0, {}});
    result.domain_volume = result.quality.volume;
    for (const BoundaryZone& z : result.mesh.zones)
        for (const PlaneCurve& curve : c.plane->curves)
            if (curve.zone.name == z.name && curve.zone.role_is_guess) {
                result.guessed_roles.push_back(z.name);
                break;
            }
    for (const Zone* end : {&options.first_end, &options.last_end})
        if (end->role_is_guess) result.guessed_roles.push_back(end->name);
    watch.lap("assess");
    warn_of_names(result.mesh, c, result.warnings);
    for (const std::string& w : gathered(result.warnings)) context.warn(w);
    return result;
}

Plan plan_plane(const Case& c, const Context& context) {
    Plan out;
    Stopwatch watch(out.costs);
    const PlaneResult section = section_of(c, context);
    const PlanarMesh& mesh = section.mesh;
    watch.lap("section");
    out.warnings = section.warnings;
    out.bounds = box_of(mesh);
    const SweepOptions options = sweep_of(c, mesh);
    out.steps = options.steps;
    out.triangles = static_cast<double>(mesh.cells.size());
    out.core_cells = swept_cells(mesh, c.plane->path, options.steps);
    const double scale = options.scale_at_end, longest = length_of(c.plane->path, mesh);
    // Exact for a straight way, whose section may shrink, and, by the theorem of Pappus, round an axis, where each step
    // goes straight.
    std::vector<double> volume(mesh.regions.size(), 0), count(mesh.regions.size(), 0);
    double section_area = 0;
    for (std::size_t k = 0; k < mesh.cells.size(); ++k) {
        const auto& cell = mesh.cells[k];
        for (int i = 2; i < PlanarMesh::n_corners(cell); ++i) {
            const Vec2 &a = mesh.points[cell[0]], &b = mesh.points[cell[static_cast<std::size_t>(i - 1)]],
                       &d = mesh.points[cell[static_cast<std::size_t>(i)]];
            const double area = 0.5 * ((b.x - a.x) * (d.y - a.y) - (b.y - a.y) * (d.x - a.x));
            section_area += area;
            volume[mesh.cell_region[k]] += area * way_of({(a.x + b.x + d.x) / 3, (a.y + b.y + d.y) / 3}, c, options);
        }
        ++count[mesh.cell_region[k]];
    }
    const double per_cell = out.core_cells / out.triangles;
    for (std::size_t r = 0; r < mesh.regions.size(); ++r)
        out.regions.push_back({mesh.regions[r].name, mesh.regions[r].kind, volume[r] * (1 + scale + scale * scale) / 3,
                               count[r] * per_cell});
    std::vector<double> length(mesh.zones.size(), 0), area(mesh.zones.size(), 0), edges(mesh.zones.size(), 0);
    for (const PlanarEdge& e : mesh.edges) {
        const Vec2 &a = mesh.points[e.from], &b = mesh.points[e.to];
        const double l = std::hypot(b.x - a.x, b.y - a.y);
        length[e.zone] += l;
        const double way = way_of({0.5 * (a.x + b.x), 0.5 * (a.y + b.y)}, c, options);
        area[e.zone] += l * way * 0.5 * (1 + scale);
        // What is drawn out of an edge on the axis has no face.
        if (way > 1e-9 * longest) ++edges[e.zone];
    }
    for (std::size_t z = 0; z < mesh.zones.size(); ++z)
        out.zones.push_back({mesh.zones[z].name, mesh.zones[z].role, mesh.zones[z].role_is_guess, area[z],
                             edges[z] > 0 ? length[z] / edges[z] : 0, edges[z] * options.steps, std::nullopt, 0});
    const auto* round = std::get_if<RoundPath>(&c.plane->path);
    if (round == nullptr || round->angle_deg < 360)
        for (const Zone* end : {&options.first_end, &options.last_end})
            out.zones.push_back({end->name, end->role, end->role_is_guess,
                                 section_area * (end == &options.last_end ? scale * scale : 1),
                                 std::sqrt(section_area / out.triangles), out.triangles, std::nullopt, 0});
    // Measured on the mill race: sweeping, examining and assessing together; its report and pictures take three times
    // that.
    constexpr double kSecondsPerCell = 4e-5, kMegabytesPerCell = 5e-4;
    out.cost = {out.costs.back().seconds + kSecondsPerCell * out.core_cells, 50 + kMegabytesPerCell * out.core_cells};
    out.cells_limit = c.limits.cells;
    if (c.limits.cells && out.core_cells > *c.limits.cells)
        out.beyond.push_back(
            fmt::format("{:.0f} cells, the limit is {:.0f}: the section has {:.0f} cells and the sweep "
                        "{} step(s)",
                        out.core_cells, *c.limits.cells, out.triangles, out.steps));
    for (const std::string& w : gathered(out.warnings)) context.warn(w);
    return out;
}

}  // namespace anvilcast
