// What is told about a surface, a plan, a build, a mesh: as text for people, and as JSON in SI units for machines.
//
//     write_build(result, c, "out");
//     std::cout << summary_json(result, c);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/first_case.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/improve.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/study.hpp>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// Writes surface.vtu, surface.stl and summary.json.
ANVILCAST_API void write_surface_build(const SurfaceBuild& built, const Case& c,
                                       const std::filesystem::path& directory);
ANVILCAST_API std::string surface_json(const SurfaceBuild& built, const Case& c);

/// Writes mesh.cgns, mesh.vtu and zones/NAME.stl when asked for, and summary.json last. Each file appears whole.
ANVILCAST_API void write_build(const BuildResult& result, const Case& c, const std::filesystem::path& directory,
                               const Context& context = {});

/// JSON for machines, in SI units.
ANVILCAST_API std::string summary_json(const BuildResult& result, const Case& c);
/// A mesh in a comparison.
struct AssessedMesh {
    std::string name;
    QualityReport report;
    std::optional<double> seconds;  ///< that its build took, where that is known
};
/// Of a command that made one file of another.
ANVILCAST_API std::string written_json(const std::string& source, const std::string& file);
/// A list of names under a key.
ANVILCAST_API std::string names_json(const std::string& key, const std::vector<std::string>& names);
/// The metrics with their definitions.
ANVILCAST_API std::string metrics_json();
/// `file`: empty where nothing was written.
ANVILCAST_API std::string selection_json(const std::string& source, const std::string& selection, std::size_t n_cells,
                                         const std::string& file);
ANVILCAST_API std::string comparison_json(const std::vector<AssessedMesh>& meshes);
/// The time that the build of a mesh took, from the summary that lies beside it; nothing where there is none, or one of
/// another mesh.
ANVILCAST_API std::optional<double> seconds_to_build(const std::filesystem::path& mesh, std::size_t n_cells);

ANVILCAST_API std::string quality_json(const VolumeMesh& mesh, const QualityReport& report, const std::string& source);
ANVILCAST_API std::string improve_json(const VolumeMesh& mesh, const ImproveReport& report, const std::string& source);
/// `mended`: what was mended before the health was looked at; `space`: the volumes enclosed; each as far as asked for.
ANVILCAST_API std::string health_json(const SurfaceHealth& health, const std::string& source,
                                      const MendResult* mended = nullptr, const Space* space = nullptr,
                                      const WrapResult* wrapped = nullptr);
ANVILCAST_API std::string openings_json(const std::vector<Opening>& openings, const std::string& source);

/// JSON for machines, in SI units; `cells.total` as in the summary of a build.
ANVILCAST_API std::string plan_json(const Plan& p, const Case& c);

/// The case-file lines that pick an opening.
ANVILCAST_API std::string opening_snippet(const Opening& opening, const std::string& name, const LengthUnit& unit);

// Texts have lines of at most 120 characters. Their marks for terminals (bold, good, bad) are escape sequences.
/// The same text for everything that is no terminal.
ANVILCAST_API std::string without_marks(const std::string& text);

ANVILCAST_API std::string health_text(const SurfaceHealth& health, const std::string& source, const LengthUnit& unit);
/// The volumes that surfaces enclose.
ANVILCAST_API std::string volumes_text(const Space& space, const LengthUnit& unit);
ANVILCAST_API std::string mend_text(const MendResult& mended, const std::string& file, const LengthUnit& unit);
/// `file`: empty where the wrap was not written.
ANVILCAST_API std::string wrap_text(const WrapResult& wrap, const std::string& file, const LengthUnit& unit);
ANVILCAST_API std::string openings_text(const std::vector<Opening>& openings, const std::string& source,
                                        const LengthUnit& unit);
/// On one screen: the verdict, zones with their layers, the worst places, and where the rest is. `full`: all of it.
ANVILCAST_API std::string build_text(const BuildResult& result, const Case& c, const std::string& directory,
                                     bool full = false);
ANVILCAST_API std::string surface_text(const SurfaceBuild& built, const Case& c, const std::string& directory);
ANVILCAST_API std::string plan_text(const Plan& plan, const Case& c);

/// What `start` decided, and what comes next.
ANVILCAST_API std::string first_case_text(const FirstCase& first, const std::string& case_file);
ANVILCAST_API std::string first_case_json(const FirstCase& first, const std::string& case_file);

/// What `yplus` was asked for and what came out.
struct WallQuestion {
    FlowConditions flow;
    double y_plus = 1;
    YPlusAt at = YPlusAt::cell_center;
    double growth = 1.2;
    double core_size = 0;  ///< metres; 0: not asked
};
ANVILCAST_API std::string wall_text(const WallQuestion& question, const LengthUnit& unit);
ANVILCAST_API std::string wall_json(const WallQuestion& question);

ANVILCAST_API std::string improve_text(const VolumeMesh& after, const ImproveReport& report,
                                       const ImproveOptions& options, const std::string& source,
                                       const std::string& output, const LengthUnit& unit);

/// What is shown of a quality.
struct QualityView {
    std::size_t n_worst = 1;              ///< places of each metric
    std::vector<std::string> histograms;  ///< of which metrics; "all"
    bool groups = false;                  ///< figures by region, cell type, zone, refinement
};

ANVILCAST_API std::string assess_text(const VolumeMesh& mesh, const QualityReport& report, const std::string& source,
                                      const LengthUnit& unit, const QualityView& view);
/// Meshes side by side.
ANVILCAST_API std::string comparison_text(const std::vector<AssessedMesh>& meshes);

/// What became of a study's variants, from the summaries in their directories below `directory`: a table, JSON, and
/// comma-separated values with a column for each figure.
ANVILCAST_API std::string study_text(const Study& study, const std::filesystem::path& directory);
ANVILCAST_API std::string study_json(const Study& study, const std::filesystem::path& directory);
ANVILCAST_API std::string study_csv(const Study& study, const std::filesystem::path& directory);
/// Of all variants in one table, before anything is built.
ANVILCAST_API std::string study_plan_text(const Study& study, const std::vector<VariantForecast>& forecasts);
ANVILCAST_API std::string study_plan_json(const Study& study, const std::vector<VariantForecast>& forecasts);

}  // namespace anvilcast
