#include "tell/json_parts.hpp"

#include <anvilcast/version.hpp>

#include <algorithm>
#include <cmath>

namespace anvilcast::tell {

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
    if (mesh.is_plane()) {
        for (const CellType type : {CellType::prism, CellType::hexahedron})
            out[cell_type_name(type, true)] = std::count(mesh.cell_types.begin(), mesh.cell_types.end(), type);
        return out;
    }
    for (const CellType type :
         {CellType::tetrahedron, CellType::pyramid, CellType::prism, CellType::hexahedron, CellType::polyhedron})
        out[cell_type_name(type)] = std::count(mesh.cell_types.begin(), mesh.cell_types.end(), type);
    return out;
}

ordered_json zones_of(const VolumeMesh& mesh, const QualityReport& report) {
    ordered_json out = ordered_json::array();
    for (std::size_t z = 0; z < mesh.n_named_zones(); ++z)
        out.push_back({{"name", mesh.zones[z].name},
                       {"role", role_name(mesh.zones[z].role)},
                       {"faces", mesh.zones[z].n_faces},
                       {report.is_plane ? "length" : "area", report.zone_areas[z]}});
    for (std::size_t z = 0; z < mesh.n_named_zones(); ++z) {
        if (!mesh.zones[z].bc_type.empty()) out[z]["bc_type"] = mesh.zones[z].bc_type;
        if (mesh.zones[z].role == Role::interface_) out[z]["other_name"] = mesh.zones[z].other_name;
    }
    return out;
}

ordered_json json_of(const std::vector<PeriodicPair>& pairs) {
    ordered_json out = ordered_json::array();
    for (const PeriodicPair& p : pairs) {
        out.push_back({{"zones", {p.first, p.second}}});
        if (p.image.is_turned()) {
            const Screw s = screw_of(p.image);
            out.back()["turned"] = s.degrees;
            out.back()["axis"] = json_of(s.axis);
            out.back()["about"] = json_of(s.about);
            out.back()["moved"] = json_of(s.axis * s.way);
        } else {
            out.back()["moved"] = json_of(p.image.origin);
        }
        out.back()["largest_difference"] = p.residual;
    }
    return out;
}

ordered_json regions_of(const VolumeMesh& mesh, const QualityReport& report) {
    ordered_json out = ordered_json::array();
    for (std::size_t r = 0; r < mesh.regions.size(); ++r)
        out.push_back({{"name", mesh.regions[r].name},
                       {"kind", region_kind_name(mesh.regions[r].kind)},
                       {"cells", std::count(mesh.cell_region.begin(), mesh.cell_region.end(), static_cast<Index>(r))},
                       {report.is_plane ? "area" : "volume", report.region_volumes[r]}});
    return out;
}

ordered_json finite(double v) { return std::isfinite(v) ? ordered_json(v) : ordered_json(v > 0 ? 1e300 : -1e300); }

ordered_json metrics_of(const std::vector<Metric>& list) {
    ordered_json metrics = ordered_json::array();
    for (const Metric& m : list) {
        ordered_json worst = ordered_json::array();
        for (const WorstPlace& w : m.worst)
            worst.push_back({{"value", finite(w.value)},
                             {"place", json_of(w.place)},
                             {"cell", w.cell},
                             {"type", cell_type_name(w.type, w.is_of_plane)},
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
        stages.push_back(
            {{"stage", s.stage}, {"seconds", s.seconds}, {"peak_megabytes", s.peak_megabytes}, {"is_kept", s.is_kept}});
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

ordered_json json_of(const AbsorbReport& a) {
    return {{"faces", a.faces},
            {"faces_narrowed", a.narrowed},
            {"edges", a.edges},
            {"largest_move", a.largest_move},
            {"at", json_of(a.largest_move_at)}};
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

std::string dumped(const ordered_json& j) {
    return j.dump(2, ' ', false, ordered_json::error_handler_t::replace) + "\n";
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

}  // namespace anvilcast::tell
