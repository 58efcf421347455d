// The stages in order: from a case file to a checked mesh and its summary.
//
//     Case c = read_case("cyclone.toml");
//     BuildResult result = build(c, context);
//     write_build(result, c, "out");
#pragma once

#include <anvilcast/absorb.hpp>
#include <anvilcast/case.hpp>
#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/improve.hpp>
#include <anvilcast/layers.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/surround.hpp>
#include <anvilcast/wrap.hpp>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

struct StageCost {
    std::string stage;
    double seconds = 0;
    double peak_megabytes = 0;  ///< of the whole process, at the end of the stage
};

struct BuildResult {
    VolumeMesh mesh;
    QualityReport quality;
    Box bounds;                               ///< of the parts
    double predicted_cells = 0;               ///< before anything was meshed
    double domain_volume = 0;                 ///< of the regions as the parts bound them
    std::vector<DomainRegion> regions;        ///< as the parts bound them
    std::vector<Domain::Leftover> leftovers;  ///< surface that bounds nothing
    std::vector<SpaceCell> left_out;          ///< enclosed cells that no region asked for
    std::size_t corners_joined = 0;           ///< moved onto another part
    double largest_join = 0;                  ///< metres
    AbsorbReport absorbed;                    ///< details taken out before sizing
    std::optional<Surround> surround;         ///< its surface left out
    std::optional<WrapResult> wrapped;        ///< its surface left out
    double largest_deviation = 0;             ///< of the surface mesh from the parts
    Vec3 largest_deviation_at;
    std::vector<ZoneLayers> layers;  ///< of each side of a zone that has some
    FillReport fill;
    std::vector<StageCost> costs;
    std::vector<Mending> mendings;           ///< what was mended on the way in
    std::vector<std::string> guessed_roles;  ///< zones whose role was taken from their name
    std::vector<std::string> warnings;
};

/// The parts of a case as one surface.
struct LoadedParts {
    Surface surface;
    std::vector<std::string> part_of;                 ///< of each triangle
    std::map<std::string, std::string> file_of_body;  ///< the [[part]] that each part came with: bodies of CAD files
    std::vector<Mending> mendings;
    std::vector<std::string> warnings;
};

/// Reads the parts, mends them together, splits them into zones and names those by the rules.
ANVILCAST_API LoadedParts load_parts(const Case& c, const Context& context = {});

/// A case's regions and the sizes asked for in them.
struct SizedDomain {
    Domain domain;
    Sizing sizing;
};
ANVILCAST_API SizedDomain size_case(const Case& c, const Context& context = {});

/// The whole job, up to a mesh that find_faults() has found nothing in. Throws what the stages throw; InternalError
/// when the mesh has a fault.
ANVILCAST_API BuildResult build(const Case& c, const Context& context = {});

/// A build that stops at the surface mesh.
struct SurfaceBuild {
    SurfaceMesh mesh;
    std::vector<Metric> quality;  ///< see assess_surface
    BuildResult result;           ///< what is known so far; its mesh is empty
};
ANVILCAST_API SurfaceBuild build_surface(const Case& c, const Context& context = {});

/// Writes surface.vtu, surface.stl and summary.json.
ANVILCAST_API void write_surface_build(const SurfaceBuild& built, const Case& c,
                                       const std::filesystem::path& directory);
ANVILCAST_API std::string surface_json(const SurfaceBuild& built, const Case& c);

/// Writes mesh.cgns, mesh.vtu and zones/NAME.stl when asked for, and summary.json last. Each file appears whole.
ANVILCAST_API void write_build(const BuildResult& result, const Case& c, const std::filesystem::path& directory);

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

/// The case-file lines that pick an opening.
ANVILCAST_API std::string opening_snippet(const Opening& opening, const std::string& name, const LengthUnit& unit);

}  // namespace anvilcast
