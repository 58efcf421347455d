// The quality of a mesh for people: tables, worst places, groups, histograms, layers.
#pragma once

#include <anvilcast/pipeline.hpp>
#include <string>
#include <vector>

namespace cli {

/// By type, as far as there are any.
std::string cells_text(const anvilcast::VolumeMesh& mesh);
std::string zones_text(const anvilcast::VolumeMesh& mesh, const anvilcast::QualityReport& report,
                       const anvilcast::LengthUnit& unit, const std::vector<std::string>& guessed_roles = {});
/// Zone by zone what stands on the walls; `c`: the case that it was built by.
std::string layers_text(const anvilcast::VolumeMesh& mesh, const std::vector<anvilcast::LayerFigures>& layers,
                        const anvilcast::LengthUnit& unit, const anvilcast::Case* c = nullptr);
/// Where layers are fewer or lower than asked for, and why.
std::string shortfalls_text(const anvilcast::BuildResult& result, const anvilcast::LengthUnit& unit);
/// y+ of a first height, where the solver has its values.
double y_plus_of(double height, const anvilcast::WallEstimate& wall, anvilcast::YPlusAt at);

struct QualityView {
    std::size_t n_worst = 1;              ///< places of each metric
    std::vector<std::string> histograms;  ///< of which metrics; "all"
    bool groups = false;                  ///< figures by region, cell type, zone, refinement
};
/// Tables, worst places, and the verdict.
std::string quality_text(const anvilcast::VolumeMesh& mesh, const anvilcast::QualityReport& report,
                         const anvilcast::LengthUnit& unit, const QualityView& view = {});
std::string surface_metrics_text(const std::vector<anvilcast::Metric>& metrics, const anvilcast::LengthUnit& unit);
std::string worst_row(const anvilcast::Metric& metric, const anvilcast::LengthUnit& unit, std::size_t n_worst = 1);

std::string assess_text(const anvilcast::VolumeMesh& mesh, const anvilcast::QualityReport& report,
                        const std::string& source, const anvilcast::LengthUnit& unit, const QualityView& view);
/// Meshes side by side.
std::string comparison_text(const std::vector<anvilcast::AssessedMesh>& meshes);

}  // namespace cli
