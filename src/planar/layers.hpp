// Layers on the curves of a plane mesh: columns on their points, and what is left of each area inside of them.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/layers.hpp>
#include <optional>
#include <span>
#include <vector>

#include "planar/divide.hpp"

namespace anvilcast::planar {

/// Which side of which strand has layers, and which.
struct LayerPlan {
    std::vector<std::array<Index, 2>> recipe;  ///< of each strand's left and right; kNone: none
    std::vector<std::array<Index, 2>> stack;   ///< a number of `zones`
    std::vector<ZoneLayers> zones;             ///< zones as as_walls() has them, regions by areas; lengths
    std::vector<LayerStack> stacks;
    /// Of each strand without layers, what those at its two ends are to take of it, sliding along it; metres.
    std::vector<std::array<double, 2>> slid;

    bool is_empty() const { return stacks.empty(); }
    bool has_layers(const Pass& p) const { return recipe[p.strand][p.is_forward ? 0 : 1] != kNone; }
};

struct LayerRecipes {
    std::span<const LayerRecipe> recipes;
    std::optional<WallEstimate> wall;
    YPlusAt y_plus_at = YPlusAt::cell_center;
};

/// `faces`: of each area. Throws InputError as grow_layers() does.
LayerPlan plan_layers(const Outline& outline, const std::vector<PlaneCurve>& curves, const Walls& walls,
                      std::span<const Face> faces, const std::vector<LayerRecipe>& recipes, const LayerRecipes& how,
                      const SizeField& sizes);

/// The layers of all areas. Points are numbers of the mesh's.
struct GrownLayers {
    std::vector<std::array<Index, 4>> cells;
    std::vector<Index> cell_area;
    /// What is left of each area: of each loop of its face the points of each pass, from node to node. Between two
    /// passes stands what a fan puts there, as an entry of its own.
    struct Core {
        std::vector<std::vector<std::vector<Index>>> loops;
        std::vector<std::vector<Index>> pass_of;  ///< of each entry; kNone for a fan
    };
    std::vector<Core> cores;
    std::vector<LayerFigures> figures;
    std::vector<ZoneLayers> zones;
};

/// What several patches of an area have on one zone is told as one.
void join_alike(std::vector<ZoneLayers>& zones, std::vector<LayerFigures>& figures);

struct Repeats;

/// What layers need to know of a plane mesh in the making.
struct Ground {
    const Outline& outline;
    const std::vector<PlaneCurve>& curves;
    std::span<const Face> faces;
    std::span<const PlaneArea> areas;
    const SizeField& sizes;
    const Repeats& repeats;
};

/// `points_of` has the points of the strands with layers, and is given those of the others by `divide(strand, from,
/// to)`, which divides what layers leave of them. Every cell has the right sense, decided exactly, and tops do not
/// cross anything; where there is no room stacks are squeezed, then lose layers. New points go to the end of `points`.
GrownLayers grow_plane_layers(const Ground& ground, const LayerPlan& plan, const std::vector<LayerRecipe>& recipes,
                              std::vector<Vec2>& points, std::vector<std::vector<Index>>& points_of,
                              const std::function<std::vector<Vec2>(Index, double, double)>& divide,
                              const Context& context);

}  // namespace anvilcast::planar
