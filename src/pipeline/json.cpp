#include <anvilcast/pipeline.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/version.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

using nlohmann::ordered_json;

ordered_json json_of(const Vec3& p) { return {p.x, p.y, p.z}; }
ordered_json json_of(const Box& b) {
    return {{"from", json_of(b.lo)}, {"to", json_of(b.hi)}, {"extent", json_of(b.extent())}};
}

ordered_json json_of(const std::vector<Mending>& mendings) {
    ordered_json out = ordered_json::array();
    for (const Mending& m : mendings)
        out.push_back({{"what", m.what}, {"count", m.count}, {"largest_move", m.largest_move}, {"at", json_of(m.at)}});
    return out;
}

ordered_json json_of(const DistanceSummary& d) {
    return {
        {"mean", d.mean}, {"percentile_99", d.percentile_99}, {"largest", d.largest}, {"at", json_of(d.largest_at)}};
}

/// Null where nothing was wrapped.
ordered_json json_of(const WrapResult* w) {
    if (w == nullptr) return {};
    ordered_json bridged = ordered_json::array(), lost = ordered_json::array();
    for (const WrapFinding& f : w->bridged)
        bridged.push_back({{"zone", f.zone}, {"at", json_of(f.place)}, {"area", f.area}, {"width", f.width}});
    for (const WrapFinding& f : w->lost)
        lost.push_back({{"zone", f.zone}, {"at", json_of(f.place)}, {"area", f.area}, {"share", f.share}});
    return {{"gap", w->gap},
            {"triangles", w->n_triangles},
            {"to_original", json_of(w->to_original)},
            {"from_original", json_of(w->from_original)},
            {"edges", {{"within_reach", w->edges_asked}, {"kept", w->edges_kept}}},
            {"points_held_off", w->points_held_off},
            {"bridged", bridged},
            {"lost", lost}};
}

ordered_json cells_of(const VolumeMesh& mesh) {
    ordered_json out{{"total", mesh.n_cells()}};
    for (const CellType type :
         {CellType::tetrahedron, CellType::pyramid, CellType::prism, CellType::hexahedron, CellType::polyhedron})
        out[cell_type_name(type)] = std::count(mesh.cell_types.begin(), mesh.cell_types.end(), type);
    return out;
}

ordered_json zones_of(const VolumeMesh& mesh, const QualityReport& report) {
    ordered_json out = ordered_json::array();
    for (std::size_t z = 0; z < mesh.zones.size(); ++z)
        out.push_back({{"name", mesh.zones[z].name},
                       {"role", role_name(mesh.zones[z].role)},
                       {"faces", mesh.zones[z].n_faces},
                       {"area", report.zone_areas[z]}});
    for (std::size_t z = 0; z < mesh.zones.size(); ++z)
        if (mesh.zones[z].role == Role::interface_) out[z]["other_name"] = mesh.zones[z].other_name;
    return out;
}

ordered_json regions_of(const VolumeMesh& mesh, const QualityReport& report) {
    ordered_json out = ordered_json::array();
    for (std::size_t r = 0; r < mesh.regions.size(); ++r)
        out.push_back({{"name", mesh.regions[r].name},
                       {"kind", region_kind_name(mesh.regions[r].kind)},
                       {"cells", std::count(mesh.cell_region.begin(), mesh.cell_region.end(), static_cast<Index>(r))},
                       {"volume", report.region_volumes[r]}});
    return out;
}

/// Infinity, of cells without volume, is no number in JSON.
ordered_json finite(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(v > 0 ? 1e300 : -1e300); }

ordered_json metrics_of(const std::vector<Metric>& list) {
    ordered_json metrics = ordered_json::array();
    for (const Metric& m : list) {
        ordered_json worst = ordered_json::array();
        for (const WorstPlace& w : m.worst)
            worst.push_back({{"value", finite(w.value)},
                             {"place", json_of(w.place)},
                             {"cell", w.cell},
                             {"type", cell_type_name(w.type)},
                             {"zone", w.zone},
                             {"distance", w.distance},
                             {"cause", w.cause}});
        ordered_json entry{
            {"key", m.key},           {"name", m.name},
            {"unit", m.unit},         {"better", m.low_is_better ? "low" : "high"},
            {"count", m.count},       {"min", finite(m.min)},
            {"mean", finite(m.mean)}, {"max", finite(m.max)},
            {"p1", finite(m.p1)},     {"p50", finite(m.p50)},
            {"p99", finite(m.p99)},   {"histogram", {{"edges", m.histogram.edges}, {"counts", m.histogram.counts}}},
            {"worst", worst}};
        if (m.limit) {
            entry["limit"] = *m.limit;
            entry["beyond"] = m.n_beyond;
        }
        metrics.push_back(std::move(entry));
    }
    return metrics;
}

ordered_json groups_of(const std::vector<GroupQuality>& groups) {
    ordered_json out = ordered_json::array();
    for (const GroupQuality& g : groups) {
        ordered_json metrics = ordered_json::object();
        for (const GroupFigure& f : g.figures)
            metrics[metric_info(f.metric).key] = {{"count", f.count},
                                                  {"worst", finite(f.worst)},
                                                  {"mean", finite(f.mean)},
                                                  {"p99", finite(f.p99_of_good)},
                                                  {"beyond", f.n_beyond}};
        out.push_back({{"kind", group_kind_name(g.kind)},
                       {"name", g.name},
                       {"cells", g.n_cells},
                       {"volume", g.volume},
                       {"metrics", metrics}});
    }
    return out;
}

ordered_json quality_of(const QualityReport& report) {
    ordered_json out{{"limits_hold", report.limits_hold},
                     {"fit", report.is_fit},
                     {"verdict", report.verdict},
                     {"metrics", metrics_of(report.metrics)},
                     {"surface_metrics", metrics_of(report.surface)},
                     {"groups", groups_of(report.groups)}};
    if (report.cells_limit) out["cells_limit"] = *report.cells_limit;
    return out;
}

ordered_json stages_of(const std::vector<StageCost>& costs) {
    ordered_json stages = ordered_json::array();
    for (const StageCost& s : costs)
        stages.push_back({{"stage", s.stage}, {"seconds", s.seconds}, {"peak_megabytes", s.peak_megabytes}});
    return stages;
}

ordered_json case_of(const Case& c) {
    return {{"name", c.name}, {"file", c.file.filename().string()}, {"unit", c.unit.name}, {"text", c.text}};
}

ordered_json json_of(const LayerStack& s) {
    return {{"first", s.first},   {"last", s.last},   {"total", s.total},
            {"growth", s.growth}, {"count", s.count}, {"step_to_core", s.step_to_core}};
}

ordered_json layers_of(const VolumeMesh& mesh, const std::vector<LayerFigures>& layers) {
    ordered_json out = ordered_json::array();
    for (const LayerFigures& f : layers)
        out.push_back({{"zone", mesh.zones[f.zone].name},
                       {"region", mesh.regions[f.region].name},
                       {"area", f.area},
                       {"most", f.most},
                       {"full_share", f.full_area / f.area},
                       {"bare_share", f.bare_area / f.area},
                       {"first",
                        {{"asked", f.asked_first},
                         {"min", f.first_min},
                         {"median", f.first_median},
                         {"max", f.first_max},
                         {"share_within_2_percent", f.first_share_2},
                         {"share_within_5_percent", f.first_share_5}}},
                       {"growth", f.growth_median},
                       {"step_to_core", {{"median", f.step_median}, {"p95", f.step_95}}}});
    return out;
}

/// The same with what was asked for, the y+ that it comes to, and where less was possible.
ordered_json layers_of(const BuildResult& r, const Case& c) {
    ordered_json out = layers_of(r.mesh, r.quality.layers);
    std::optional<WallEstimate> wall;
    if (c.flow) wall = estimate_wall(c.flow->conditions);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const LayerFigures& f = r.quality.layers[i];
        if (wall) {
            const double unit = wall->viscous_length * (c.flow->y_plus_at == YPlusAt::cell_center ? 2 : 1);
            out[i]["y_plus"] = {
                {"min", f.first_min / unit}, {"median", f.first_median / unit}, {"max", f.first_max / unit}};
        }
        for (const ZoneLayers& z : r.layers) {
            if (z.zone != f.zone || z.region != f.region) continue;
            out[i]["asked"] = json_of(z.asked);
            out[i]["squeezed_share"] = z.squeezed_area / z.area;
            out[i]["shortfalls"] = ordered_json::array();
            for (const ZoneLayers::Shortfall& s : z.shortfalls)
                out[i]["shortfalls"].push_back(
                    {{"why", layer_limit_text(s.limit)}, {"area", s.area}, {"at", json_of(s.at)}});
        }
    }
    return out;
}

ordered_json json_of(const WallEstimate& w) {
    return {{"reynolds", w.reynolds},
            {"skin_friction", w.skin_friction},
            {"friction_velocity", w.friction_velocity},
            {"viscous_length", w.viscous_length},
            {"boundary_layer", w.layer_thickness},
            {"turbulent", w.is_turbulent},
            {"correlation", w.correlation},
            {"warnings", w.warnings}};
}

/// Invalid UTF-8 in names must not stop a report.
std::string dumped(const ordered_json& j) {
    return j.dump(2, ' ', false, ordered_json::error_handler_t::replace) + "\n";
}

ordered_json cells_of_space(const std::vector<SpaceCell>& cells) {
    ordered_json out = ordered_json::array();
    for (const SpaceCell& c : cells)
        out.push_back({{"volume", c.volume},
                       {"inside", json_of(c.inside)},
                       {"bounds", json_of(c.bounds)},
                       {"zones", c.zones},
                       {"inside_of", c.inside_of}});
    return out;
}

ordered_json leftovers_of(const std::vector<Domain::Leftover>& list) {
    ordered_json out = ordered_json::array();
    for (const Domain::Leftover& l : list)
        out.push_back({{"zone", l.zone}, {"region", l.region}, {"area", l.area}, {"at", json_of(l.at)}});
    return out;
}

ordered_json json_of(const AbsorbReport& a) {
    return {{"faces", a.faces},
            {"faces_narrowed", a.narrowed},
            {"edges", a.edges},
            {"largest_move", a.largest_move},
            {"at", json_of(a.largest_move_at)}};
}

ordered_json json_of(const std::optional<Surround>& s) {
    if (!s) return {};
    return {{"body_length", s->body_length},
            {"frontal_area", s->frontal_area},
            {"section_area", s->section_area},
            {"blockage", s->blockage()}};
}

}  // namespace

std::string summary_json(const BuildResult& result, const Case& c) {
    return dumped(
        {{"anvilcast", version()},
         {"case", case_of(c)},
         {"bounds", json_of(result.bounds)},
         {"cells", cells_of(result.mesh)},
         {"predicted", {{"cells", {{"total", std::round(result.predicted_cells)}}}}},
         {"points", result.mesh.points.size()},
         {"zones", zones_of(result.mesh, result.quality)},
         {"regions", regions_of(result.mesh, result.quality)},
         {"domain_volume", result.domain_volume},
         {"left_out", cells_of_space(result.left_out)},
         {"leftovers", leftovers_of(result.leftovers)},
         {"joined", {{"corners", result.corners_joined}, {"largest_move", result.largest_join}}},
         {"absorbed", json_of(result.absorbed)},
         {"surround", json_of(result.surround)},
         {"wrap", json_of(result.wrapped ? &*result.wrapped : nullptr)},
         {"surface", {{"largest_deviation", result.largest_deviation}, {"at", json_of(result.largest_deviation_at)}}},
         {"fill",
          {{"boundary_points_added", result.fill.boundary_points_added.size()},
           {"boundary_points_lifted", result.fill.boundary_points_lifted},
           {"boundary_points_moved", result.fill.boundary_moves},
           {"interior_points", result.fill.interior_points},
           {"tetrahedra_of_core", result.fill.cells_of_core},
           {"bad_polyhedra", result.fill.bad_polyhedra},
           {"merged_polyhedra", result.fill.merged_polyhedra}}},
         {"layers", layers_of(result, c)},
         {"quality", quality_of(result.quality)},
         {"stages", stages_of(result.costs)},
         {"mended", json_of(result.mendings)},
         {"guessed_roles", result.guessed_roles},
         {"warnings", gathered(result.warnings)},
         {"all_warnings", result.warnings}});
}

std::string surface_json(const SurfaceBuild& built, const Case& c) {
    ordered_json zones = ordered_json::array();
    const Surface& s = built.mesh.surface;
    for (Index z = 0; z < s.zones.size(); ++z)
        zones.push_back({{"name", s.zones[z].name},
                         {"role", role_name(s.zones[z].role)},
                         {"faces", std::count(s.zone_of.begin(), s.zone_of.end(), z)}});
    return dumped({{"anvilcast", version()},
                   {"case", case_of(c)},
                   {"bounds", json_of(built.result.bounds)},
                   {"points", s.points.size()},
                   {"triangles", s.triangles.size()},
                   {"zones", zones},
                   {"surface",
                    {{"largest_deviation", built.result.largest_deviation},
                     {"at", json_of(built.result.largest_deviation_at)},
                     {"places_too_far", built.mesh.too_far.size()}}},
                   {"absorbed", json_of(built.result.absorbed)},
                   {"wrap", json_of(built.result.wrapped ? &*built.result.wrapped : nullptr)},
                   {"quality", {{"surface_metrics", metrics_of(built.quality)}}},
                   {"stages", stages_of(built.result.costs)},
                   {"guessed_roles", built.result.guessed_roles},
                   {"warnings", built.result.warnings}});
}

std::string plan_json(const Plan& p, const Case& c) {
    ordered_json zones = ordered_json::array(), regions = ordered_json::array(), sources = ordered_json::array();
    for (const ZonePlan& z : p.zones) {
        zones.push_back({{"name", z.name},
                         {"role", role_name(z.role)},
                         {"area", z.area},
                         {"size", z.size},
                         {"faces", std::round(z.triangles)}});
        if (z.layers) {
            zones.back()["layers"] = json_of(*z.layers);
            zones.back()["layers"]["volume_step"] = z.volume_step;
        }
    }
    for (const RegionPlan& r : p.regions)
        regions.push_back({{"name", r.name},
                           {"kind", region_kind_name(r.kind)},
                           {"cells", std::round(r.cells)},
                           {"volume", r.volume}});
    double volume = 0;
    for (const SourceShare& s : p.sources) volume += s.volume;
    for (const SourceShare& s : p.sources)
        sources.push_back({{"name", s.name}, {"share_of_volume", s.volume / volume}, {"cells", std::round(s.cells)}});
    ordered_json out{{"anvilcast", version()},
                     {"case", case_of(c)},
                     {"bounds", json_of(p.bounds)},
                     {"absorbed", json_of(p.absorbed)},
                     {"wrap", json_of(p.wrapped ? &*p.wrapped : nullptr)},
                     {"cells",
                      {{"total", std::round(p.total_cells())},
                       {"core", std::round(p.core_cells)},
                       {"layers", std::round(p.layer_cells)}}},
                     {"triangles", std::round(p.triangles)},
                     {"zones", zones},
                     {"regions", regions},
                     {"sources", sources},
                     {"wall", p.wall ? json_of(*p.wall) : ordered_json()},
                     {"cost", {{"seconds", p.cost.seconds}, {"megabytes", p.cost.megabytes}}},
                     {"limits_hold", p.beyond.empty()},
                     {"beyond", p.beyond},
                     {"stages", stages_of(p.costs)},
                     {"warnings", gathered(p.warnings)},
                     {"all_warnings", p.warnings}};
    if (p.cells_limit) out["cells_limit"] = *p.cells_limit;
    return dumped(out);
}

std::string wall_estimate_json(const WallEstimate& w, double y_plus, double first_height, int layers_to_cover,
                               int layers_to_core) {
    ordered_json out{{"y_plus", y_plus}, {"first_height", first_height}, {"layers_to_cover", layers_to_cover}};
    if (layers_to_core > 0) out["layers_to_core"] = layers_to_core;
    out["wall"] = json_of(w);
    return dumped(out);
}

std::string quality_json(const VolumeMesh& mesh, const QualityReport& report, const std::string& source) {
    return dumped({{"mesh", source},
                   {"cells", cells_of(mesh)},
                   {"points", mesh.points.size()},
                   {"zones", zones_of(mesh, report)},
                   {"regions", regions_of(mesh, report)},
                   {"layers", layers_of(mesh, report.layers)},
                   {"quality", quality_of(report)}});
}

std::string names_json(const std::string& key, const std::vector<std::string>& names) {
    return ordered_json{{key, names}}.dump(2) + "\n";
}

std::string metrics_json() {
    ordered_json out = ordered_json::array();
    for (const MetricInfo& m : metric_infos()) {
        ordered_json entry{{"key", m.key},
                           {"name", m.name},
                           {"unit", m.unit},
                           {"of", m.where},
                           {"low_is_better", m.low_is_better},
                           {"definition", m.definition}};
        if (m.has_usual_limit()) entry["usual_limit"] = m.usual_limit;
        out.push_back(std::move(entry));
    }
    return ordered_json{{"metrics", out}}.dump(2) + "\n";
}

std::string written_json(const std::string& source, const std::string& file) {
    return dumped({{"source", source}, {"written", file}});
}

std::string selection_json(const std::string& source, const std::string& selection, std::size_t n_cells,
                           const std::string& file) {
    return dumped({{"source", source},
                   {"selection", selection},
                   {"cells", n_cells},
                   {"written", file.empty() ? ordered_json() : ordered_json(file)}});
}

std::string comparison_json(const std::vector<AssessedMesh>& meshes) {
    ordered_json list = ordered_json::array();
    for (const AssessedMesh& m : meshes) {
        list.push_back({{"mesh", m.name},
                        {"cells", {{"total", m.report.n_cells}}},
                        {"points", m.report.n_points},
                        {"volume", m.report.volume},
                        {"quality", quality_of(m.report)}});
        if (m.seconds) list.back()["seconds_to_build"] = *m.seconds;
    }
    return dumped({{"meshes", list}});
}

std::optional<double> seconds_to_build(const std::filesystem::path& mesh, std::size_t n_cells) {
    std::ifstream in(mesh.parent_path() / "summary.json");
    const ordered_json summary = ordered_json::parse(in, nullptr, false);
    if (!summary.is_object() || !summary.contains("stages") || !summary.contains("cells")) return std::nullopt;
    if (!summary["cells"].is_object() || summary["cells"].value("total", std::size_t{0}) != n_cells)
        return std::nullopt;
    double sum = 0;
    for (const auto& stage : summary["stages"])
        if (stage.is_object()) sum += stage.value("seconds", 0.0);
    return sum;
}

std::string improve_json(const VolumeMesh& mesh, const ImproveReport& report, const std::string& source) {
    return dumped({{"mesh", source},
                   {"cells", cells_of(mesh)},
                   {"points", mesh.points.size()},
                   {"cells_before", report.before.n_cells},
                   {"points_before", report.before.n_points},
                   {"reached", report.is_reached},
                   {"smallest_dihedral", {report.sharp_before.smallest, report.sharp_after.smallest}},
                   {"cells_below_target", {report.sharp_before.n, report.sharp_after.n}},
                   {"points_moved", report.points_moved},
                   {"largest_move", report.largest_move},
                   {"at", json_of(report.largest_move_at)},
                   {"before", quality_of(report.before)},
                   {"after", quality_of(report.after)}});
}

std::string health_json(const SurfaceHealth& h, const std::string& source, const MendResult* mended, const Space* space,
                        const WrapResult* wrapped) {
    ordered_json zones = ordered_json::array(), rims = ordered_json::array(), shells = ordered_json::array();
    for (const ZoneMeasure& z : h.zones)
        zones.push_back({{"name", z.name},
                         {"role", role_name(z.role)},
                         {"role_is_guess", z.role_is_guess},
                         {"part", z.part},
                         {"triangles", z.triangles},
                         {"area", z.area},
                         {"bounds", json_of(z.bounds)},
                         {"center", json_of(z.center)},
                         {"mean_normal", json_of(z.mean_normal)}});
    for (const RimMeasure& r : h.rims)
        rims.push_back({{"center", json_of(r.rim.center)},
                        {"length", r.rim.length},
                        {"points", r.rim.points.size()},
                        {"extent", json_of(r.bounds.extent())},
                        {"loop", r.is_loop},
                        {"flat", r.is_flat},
                        {"crack", r.is_crack}});
    for (const Shell& s : h.shells)
        shells.push_back({{"triangles", s.triangles},
                          {"closed", s.is_closed},
                          {"area", s.area},
                          {"volume", s.is_closed ? ordered_json(s.volume) : ordered_json()},
                          {"bounds", json_of(s.bounds)},
                          {"depth", s.depth},
                          {"inside", s.inside == kNone ? ordered_json() : ordered_json(s.inside)}});
    ordered_json defects;
    for (const DefectList& list : h.defects) {
        const DefectInfo& info = defect_info(list.kind);
        ordered_json items = ordered_json::array();
        for (const Defect& d : list.items) {
            ordered_json item{{"place", json_of(d.place)}};
            if (*info.size != '\0') item["size"] = d.size;
            ordered_json triangles = ordered_json::array();
            for (const Index t : d.triangles)
                if (t != kNone) triangles.push_back(t);
            if (!triangles.empty()) item["triangles"] = triangles;
            items.push_back(std::move(item));
        }
        defects[info.key] = {{"count", list.items.size()},
                             {"severity", severity_name(info.severity)},
                             {"size_is", info.size},
                             {"mend", info.mend},
                             {"items", items}};
    }
    ordered_json out{{"surface", source},
                     {"closed", h.is_closed},
                     {"sound", h.is_sound},
                     {"blocked", h.is_blocked()},
                     {"tolerance", h.tolerance},
                     {"bounds", json_of(h.bounds)},
                     {"points", h.n_points},
                     {"triangles", h.n_triangles},
                     {"area", h.area},
                     {"enclosed_volume", h.is_closed ? ordered_json(h.enclosed_volume) : ordered_json()},
                     {"zones", zones},
                     {"shells", shells},
                     {"rims", rims},
                     {"defects", defects}};
    if (mended != nullptr) out["mended"] = {{"done", json_of(mended->done)}, {"left", mended->left}};
    if (wrapped != nullptr) out["wrap"] = json_of(wrapped);
    if (space != nullptr) out["volumes"] = cells_of_space({space->cells.begin() + 1, space->cells.end()});
    return dumped(out);
}

std::string openings_json(const std::vector<Opening>& openings, const std::string& source) {
    ordered_json list = ordered_json::array();
    for (const Opening& o : openings)
        list.push_back({{"center", json_of(o.center)},
                        {"facing", json_of(o.facing)},
                        {"area", o.area},
                        {"perimeter", o.perimeter},
                        {"hydraulic_diameter", o.hydraulic_diameter()},
                        {"kind", o.is_free_rim ? "free rim" : "bore"},
                        {"flat", o.is_flat},
                        {"ring", o.is_ring},
                        {"rim_zones", o.rim_zones}});
    return dumped({{"surface", source}, {"openings", list}});
}

std::string opening_snippet(const Opening& opening, const std::string& name, const LengthUnit& unit) {
    const Vec3 near = rounded_place(opening, unit);
    return fmt::format(
        "[[opening]]\nname = \"{}\"\nrole = \"inlet\"  # or \"outlet\"\nnear = [{:.10g}, {:.10g}, {:.10g}]\n", name,
        near.x, near.y, near.z);
}

}  // namespace anvilcast
