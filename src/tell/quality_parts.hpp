// Texts about quality that several answers are made of.
#pragma once

#include <anvilcast/tell.hpp>

#include <string>
#include <vector>

namespace anvilcast::tell {

/// By type, as far as there are any.
std::string cells_text(const VolumeMesh& mesh);
std::string zones_text(const VolumeMesh& mesh, const QualityReport& report, const LengthUnit& unit,
                       const std::vector<std::string>& guessed_roles = {});
/// Zone by zone what stands on the walls; `c`: the case that it was built by.
/// A zone's name, with that of the region where layers stand on it in several.
std::string layered_zone_name(const VolumeMesh& mesh, const std::vector<LayerFigures>& layers, Index zone,
                              Index region);
std::string layers_text(const VolumeMesh& mesh, const std::vector<LayerFigures>& layers, const LengthUnit& unit,
                        const Case* c = nullptr);
/// y+ of a first height, where the solver has its values.
double y_plus_of(double height, const WallEstimate& wall, YPlusAt at);
/// Tables, worst places, and the verdict.
std::string quality_text(const VolumeMesh& mesh, const QualityReport& report, const LengthUnit& unit,
                         const QualityView& view = {});
std::string surface_metrics_text(const std::vector<Metric>& metrics, const LengthUnit& unit);
std::string worst_row(const Metric& metric, const LengthUnit& unit, std::size_t n_worst = 1);

}  // namespace anvilcast::tell
