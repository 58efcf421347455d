// Everything about a mesh that can be told before it is made.
//
//     Plan p = plan(read_case("cyclone.toml"));
//     print(p.total_cells(), p.cost.seconds);
//     for (const std::string& problem : p.beyond) print(problem);
#pragma once

#include <anvilcast/absorb.hpp>
#include <anvilcast/case.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/kept.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/prediction.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

struct ZonePlan {
    std::string name;
    Role role = Role::wall;
    bool role_is_guess = false;
    double area = 0, size = 0, triangles = 0;
    std::optional<LayerStack> layers;  ///< at the zone's mean size
    double volume_step = 0;            ///< a core cell's volume over the last layer's
};

struct RegionPlan {
    std::string name;
    RegionKind kind = RegionKind::fluid;
    double volume = 0, cells = 0;
};

/// What stands in the core in the place of tetrahedra, see FillCore::cubes.
struct CubePlan {
    double whole = 0;        ///< cubes that are not cut up
    double cells = 0;        ///< these, and what the others are cut up into; of polyhedra, those about their corners
    double volume = 0;       ///< of all of them
    double tetrahedra = 0;   ///< that they take the place of
    double cells_alone = 0;  ///< that the core would have without cubes
    std::vector<std::pair<double, double>> edges;  ///< in metres, largest first, and how many cubes have them
};

struct Plan {
    Box bounds;                         ///< of the parts
    AbsorbReport absorbed;              ///< details that would be taken out
    std::optional<WrapResult> wrapped;  ///< its surface left out
    std::vector<RegionPlan> regions;
    std::vector<ZonePlan> zones;
    std::vector<PeriodicPair> periodic;
    FillCells cells = FillCells::tetrahedra;                ///< what is counted
    int steps = 0;                                          ///< of a swept section; 0: nothing is swept
    bool is_plane = false;                                  ///< volumes are areas then, and areas lengths
    double triangles = 0, core_cells = 0, layer_cells = 0;  ///< of a swept section its cells are the triangles
    std::optional<CubePlan> cubes;
    std::vector<SourceShare> sources;
    std::optional<WallEstimate> wall;
    bool is_rough = false;  ///< there may be up to twice as many cells: a warning says why
    Cost cost;
    std::optional<double> cells_limit;
    std::vector<std::string> beyond;  ///< limits that the mesh would break, each with what to change
    std::vector<std::string> warnings;
    std::vector<std::string> warnings_of_build;  ///< of the last build of the same, besides; see kept.hpp
    std::vector<StageCost> costs;                ///< of planning

    double total_cells() const { return core_cells + layer_cells; }
};

/// Reads the parts, finds domain and sizes, and predicts. Throws what those stages throw; InputError for a layer recipe
/// that no stack fulfils, with its line. `kept`: domain and sizes are read back from there, or kept there for a build.
ANVILCAST_API Plan plan(const Case& c, const Context& context = {}, KeptStages* kept = nullptr);

}  // namespace anvilcast
