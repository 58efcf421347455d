// Pieces of JSON that several answers are made of: SI units, plain names.
#pragma once

#include <anvilcast/tell.hpp>

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace anvilcast::tell {

using nlohmann::ordered_json;

ordered_json json_of(const Vec3& p);
ordered_json json_of(const Box& b);
ordered_json json_of(const std::vector<Mending>& mendings);
ordered_json json_of(const DistanceSummary& d);
/// Null where nothing was wrapped.
ordered_json json_of(const WrapResult* w);
ordered_json cells_of(const VolumeMesh& mesh);
ordered_json zones_of(const VolumeMesh& mesh, const QualityReport& report);
ordered_json json_of(const std::vector<PeriodicPair>& pairs);
ordered_json regions_of(const VolumeMesh& mesh, const QualityReport& report);
/// Infinity, of cells without volume, is no number in JSON.
ordered_json finite(double v);
ordered_json metrics_of(const std::vector<Metric>& list);
ordered_json groups_of(const std::vector<GroupQuality>& groups);
ordered_json quality_of(const QualityReport& report);
ordered_json stages_of(const std::vector<StageCost>& costs);
ordered_json case_of(const Case& c);
ordered_json json_of(const LayerStack& s);
ordered_json layers_of(const VolumeMesh& mesh, const std::vector<LayerFigures>& layers);
ordered_json json_of(const AbsorbReport& a);
ordered_json cells_of_space(const std::vector<SpaceCell>& cells);
/// Invalid UTF-8 in names must not stop a report.
std::string dumped(const ordered_json& j);
ordered_json json_of(const WallEstimate& w);

}  // namespace anvilcast::tell
