// The stages in order: from a case file to a checked mesh and its summary.
//
//     Case c = read_case("cyclone.toml");
//     BuildResult result = build(c, context);
//     write_build(result, c, "out");   // <anvilcast/tell.hpp>
#pragma once

#include <anvilcast/absorb.hpp>
#include <anvilcast/case.hpp>
#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/improve.hpp>
#include <anvilcast/kept.hpp>
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
    bool is_kept = false;       ///< it was read back as an earlier build had made it
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
/// when the mesh has a fault. `kept`: where stages are kept and, when nothing that they are made from has changed, read
/// back; the result is the same, but for its costs.
ANVILCAST_API BuildResult build(const Case& c, const Context& context = {}, KeptStages* kept = nullptr);

/// A build that stops at the surface mesh.
struct SurfaceBuild {
    SurfaceMesh mesh;
    std::vector<Metric> quality;  ///< see assess_surface
    BuildResult result;           ///< what is known so far; its mesh is empty
};
ANVILCAST_API SurfaceBuild build_surface(const Case& c, const Context& context = {}, KeptStages* kept = nullptr);

}  // namespace anvilcast
