// A plane mesh is made, and swept where that is asked for. Its plan meshes the plane too, which takes no longer than to
// predict it would, and counts cells exactly.

#include "pipeline/plane.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/flow.hpp>
#include <anvilcast/sheet.hpp>

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "pipeline/kept/keys.hpp"
#include "pipeline/kept/stages.hpp"
#include "pipeline/prepare.hpp"
#include "pipeline/validity.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

/// What is to be meshed: curves that are drawn, cut out of parts, or set round them.
struct Drawing {
    PlaneRequest request;
    std::vector<Mending> mendings;
    std::vector<std::string> warnings;
};

/// Are these the two ends of the sweep?
bool is_of_ends(const PeriodicRequest& pair, const Case& c) {
    if (!c.plane->is_swept) return false;
    const std::string &first = c.plane->sweep.first_end.name, &last = c.plane->sweep.last_end.name;
    auto is_end = [&](const std::string& name) { return name == first || name == last; };
    if (is_end(pair.first) != is_end(pair.second))
        throw InputError(
            fmt::format("{}[[periodic]] an end of a sweep repeats at the other end: zones = [\"{}\", \"{}\"]",
                        pair.place, first, last));
    return is_end(pair.first);
}

Drawing drawing_of(const Case& c, const Context& context) {
    const PlaneSpec& plane = *c.plane;
    Drawing out;
    PlaneRequest& r = out.request;
    r.curves = plane.curves;
    if (plane.at) {
        LoadedParts parts = load_parts(c, context);
        for (PlaneCurve& curve : section_of(parts.surface, *plane.at, plane.corner_angle_deg))
            r.curves.push_back(std::move(curve));
        out.mendings = std::move(parts.mendings);
        out.warnings = std::move(parts.warnings);
    }
    r.areas = plane.areas;
    if (c.surround) {
        Vec2 within;
        for (PlaneCurve& curve : surround_of(r.curves, c.surround->options, c.unit, &within))
            r.curves.push_back(std::move(curve));
        // The area that no place is given for is the one round everything.
        if (r.areas.empty()) r.areas.emplace_back();
        for (PlaneArea& a : r.areas)
            if (!a.inside) {
                a.inside = within;
                break;
            }
    }
    for (const PeriodicRequest& pair : c.periodic)
        if (!is_of_ends(pair, c)) r.periodic.push_back(pair);
    r.sizing = c.sizing;
    r.join = plane.join;
    r.layers = c.layers;
    if (c.flow) {
        r.wall = estimate_wall(c.flow->conditions);
        r.y_plus_at = c.flow->y_plus_at;
    }
    return out;
}

PlaneResult plane_of(const Case& c, std::vector<Mending>& mendings, const Context& context) {
    return with_case_file(c, [&] {
        Drawing drawing = drawing_of(c, context);
        PlaneResult out = mesh_plane(drawing.request, context);
        out.warnings.insert(out.warnings.begin(), drawing.warnings.begin(), drawing.warnings.end());
        mendings = std::move(drawing.mendings);
        return out;
    });
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
    for (const PeriodicRequest& pair : c.periodic)
        if (is_of_ends(pair, c)) {
            o.ends_repeat = true;
            for (Zone* end : {&o.first_end, &o.last_end}) {
                end->set({Role::periodic});
                end->role_is_guess = false;
            }
        }
    return o;
}

/// The pairs as they lie in space; where the case gives the image of an end it must be the sweep's.
std::vector<PeriodicPair> pairs_of(const Case& c, const PlanarMesh& section, const SweepOptions& options) {
    if (!c.plane->is_swept) return section.periodic;
    std::vector<PeriodicPair> pairs = swept_pairs(section, c.plane->path, options);
    for (const PeriodicRequest& asked : c.periodic) {
        if (!asked.image || !is_of_ends(asked, c)) continue;
        const Placement there = asked.first == options.first_end.name ? *asked.image : inverse(*asked.image);
        Box box;
        for (const Vec2& p : section.points) box.include(Vec3{p.x, p.y, 0});
        const double allowed = asked.tolerance > 0 ? asked.tolerance : kPeriodicTolerance * box.diagonal();
        for (const Vec3& p : {box.lo, box.hi, Vec3{box.lo.x, box.hi.y, 0}})
            if (distance(there(p), pairs.back().image(p)) > allowed)
                throw InputError(fmt::format(
                    "{}[[periodic]] \"{}\" is \"{}\", {}, which the sweep says; leave out how it is moved or turned",
                    asked.place, options.last_end.name, options.first_end.name,
                    placement_text(pairs.back().image, c.unit)));
    }
    return pairs;
}

void check_limit(double cells, const Case& c) {
    if (!c.limits.cells || cells <= *c.limits.cells) return;
    throw FailureError(
        c.plane->is_swept
            ? fmt::format(
                  "the section's cells times the steps are {:.0f}, the limit is {:.0f}: nothing was meshed; make "
                  "the sizes larger or the steps fewer",
                  cells, *c.limits.cells)
            : fmt::format("the mesh has {:.0f} cells, the limit is {:.0f}: nothing is written; make the sizes larger",
                          cells, *c.limits.cells));
}

Box box_of(const PlanarMesh& section) {
    Box box;
    for (const Vec2& p : section.points) box.include(Vec3{p.x, p.y, 0});
    return box;
}

}  // namespace

namespace {

/// The layers as they were grown, by the areas of the zones that they lead along.
void take_layers(const PlaneResult& section, BuildResult& result) {
    result.layers = section.layers;
    result.quality.layers = section.figures;
    for (std::size_t k = 0; k < section.layers.size(); ++k) {
        const Index zone = section.layers[k].zone;
        const double length = section.layers[k].area, area = result.quality.zone_areas[zone];
        if (result.quality.is_plane || !(length > 0)) continue;
        // Several sides may share a zone; each has its part of it.
        double all = 0;
        for (const ZoneLayers& z : section.layers)
            if (z.zone == zone && z.region == section.layers[k].region) all += z.area;
        const double scale = area / all;
        ZoneLayers& z = result.layers[k];
        LayerFigures& f = result.quality.layers[k];
        for (double* v : {&z.area, &z.full_area, &z.squeezed_area, &z.bare_area, &f.area, &f.full_area, &f.bare_area})
            *v *= scale;
        for (ZoneLayers::Shortfall& s : z.shortfalls) s.area *= scale;
    }
}

void note_guessed_roles(const Case& c, const PlaneResult& section, const SweepOptions* ends, BuildResult& result) {
    for (const Zone& z : section.mesh.zones)
        if (z.role_is_guess && z.role != Role::interface_) result.guessed_roles.push_back(z.name);
    if (ends == nullptr) return;
    const auto* round = std::get_if<RoundPath>(&c.plane->path);
    if (round != nullptr && round->angle_deg == 360) return;
    for (const Zone* end : {&ends->first_end, &ends->last_end})
        if (end->role_is_guess) result.guessed_roles.push_back(end->name);
}

}  // namespace

BuildResult build_plane(const Case& c, const Context& context, KeptStages* kept) {
    BuildResult result;
    Stopwatch watch(result.costs);
    kept::Stages stages(kept, context, watch);
    const ContentHash key = stages.keys([&] { return kept::section_key_of(c); });
    PlaneResult section;
    stages.make(
        "section", key, [&] { section = plane_of(c, result.mendings, context); }, section, result.mendings);
    result.warnings = section.warnings;
    result.bounds = box_of(section.mesh);
    const SweepOptions options = sweep_of(c, section.mesh);
    const double cells = c.plane->is_swept ? swept_cells(section.mesh, c.plane->path, options.steps)
                                           : static_cast<double>(section.mesh.cells.size());
    check_limit(cells, c);
    with_case_file(c, [&] { return pairs_of(c, section.mesh, options); });
    result.predicted_cells = cells;
    if (c.plane->is_swept) {
        context.report("fill", "sweep", 0.2);
        result.mesh = with_case_file(c, [&] { return sweep(section.mesh, c.plane->path, options, context); });
        watch.lap("sweep");
    } else {
        result.mesh = sheet_of(section.mesh);
    }
    require_valid(result.mesh, context);
    result.quality = assess(result.mesh, c.limits, context);
    take_layers(section, result);
    for (std::size_t r = 0; r < section.mesh.regions.size(); ++r)
        result.regions.push_back({section.mesh.regions[r].name, section.mesh.regions[r].kind, 0, {}});
    result.domain_volume = result.quality.volume;
    note_guessed_roles(c, section, c.plane->is_swept ? &options : nullptr, result);
    watch.lap("assess");
    warn_of_names(result.mesh, c, result.warnings);
    for (const std::string& w : gathered(result.warnings)) context.warn(w);
    for (const std::string& w : stages.warnings()) context.warn(w);
    return result;
}

Plan plan_plane(const Case& c, const Context& context) {
    Plan out;
    Stopwatch watch(out.costs);
    std::vector<Mending> mendings;
    const PlaneResult section = plane_of(c, mendings, context);
    const PlanarMesh& mesh = section.mesh;
    watch.lap("section");
    out.warnings = section.warnings;
    out.bounds = box_of(mesh);
    const SweepOptions options = sweep_of(c, mesh);
    out.periodic = with_case_file(c, [&] { return pairs_of(c, mesh, options); });
    out.is_plane = !c.plane->is_swept;
    out.steps = out.is_plane ? 0 : options.steps;
    out.triangles = static_cast<double>(mesh.cells.size());
    out.core_cells = out.is_plane ? out.triangles : swept_cells(mesh, c.plane->path, options.steps);
    const double all_cells = out.core_cells;
    out.layer_cells = section.layer_cells * all_cells / out.triangles;
    const double scale = out.is_plane ? 1 : options.scale_at_end, longest = length_of(c.plane->path, mesh);
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
            volume[mesh.cell_region[k]] +=
                area * (out.is_plane ? 1 : way_of({(a.x + b.x + d.x) / 3, (a.y + b.y + d.y) / 3}, c, options));
        }
        ++count[mesh.cell_region[k]];
    }
    const double per_cell = all_cells / out.triangles;
    for (std::size_t r = 0; r < mesh.regions.size(); ++r)
        out.regions.push_back({mesh.regions[r].name, mesh.regions[r].kind, volume[r] * (1 + scale + scale * scale) / 3,
                               count[r] * per_cell});
    std::vector<double> length(mesh.zones.size(), 0), area(mesh.zones.size(), 0), edges(mesh.zones.size(), 0);
    for (const PlanarEdge& e : mesh.edges) {
        const Vec2 &a = mesh.points[e.from], &b = mesh.points[e.to];
        const double l = std::hypot(b.x - a.x, b.y - a.y);
        length[e.zone] += l;
        const double way = out.is_plane ? 1 : way_of({0.5 * (a.x + b.x), 0.5 * (a.y + b.y)}, c, options);
        area[e.zone] += l * way * 0.5 * (1 + scale);
        // What is drawn out of an edge on the axis has no face.
        if (way > 1e-9 * longest) ++edges[e.zone];
    }
    for (std::size_t z = 0; z < mesh.zones.size(); ++z)
        out.zones.push_back({mesh.zones[z].name, mesh.zones[z].role, mesh.zones[z].role_is_guess, area[z],
                             edges[z] > 0 ? length[z] / edges[z] : 0, edges[z] * std::max(1, out.steps), std::nullopt,
                             0});
    const auto* round = std::get_if<RoundPath>(&c.plane->path);
    if (!out.is_plane && (round == nullptr || round->angle_deg < 360))
        for (const Zone* end : {&options.first_end, &options.last_end})
            out.zones.push_back({end->name, end->role, end->role_is_guess,
                                 section_area * (end == &options.last_end ? scale * scale : 1),
                                 std::sqrt(section_area / out.triangles), out.triangles, std::nullopt, 0});
    // Measured on the mill race: sweeping, examining and assessing together; its report and pictures take three times
    // that.
    constexpr double kSecondsPerCell = 4e-5, kMegabytesPerCell = 5e-4;
    out.cost = {out.costs.back().seconds + kSecondsPerCell * all_cells, 50 + kMegabytesPerCell * all_cells};
    for (const ZoneLayers& z : section.layers) {
        ZonePlan& zone = out.zones[z.zone];
        zone.layers = z.asked;
        // A triangle on the top, or a square.
        const bool is_of_triangles = c.plane->areas.empty() || c.plane->areas.front().cells == PlaneCells::triangles;
        zone.volume_step = (is_of_triangles ? 0.433 : 1.0) * zone.size / z.asked.last;
    }
    out.core_cells -= out.layer_cells;
    out.cells_limit = c.limits.cells;
    if (c.limits.cells && all_cells > *c.limits.cells)
        out.beyond.push_back(
            out.is_plane ? fmt::format("{:.0f} cells, the limit is {:.0f}", all_cells, *c.limits.cells)
                         : fmt::format("{:.0f} cells, the limit is {:.0f}: the section has {:.0f} cells and the sweep "
                                       "{} step(s)",
                                       all_cells, *c.limits.cells, out.triangles, out.steps));
    for (const std::string& w : gathered(out.warnings)) context.warn(w);
    return out;
}

}  // namespace anvilcast
