// The columns of layers on the strands of a plane mesh, before and after they are told how high they may be.
#pragma once

#include <array>
#include <vector>

#include "planar/layers.hpp"

namespace anvilcast::planar {

/// Stands on a point; level k lies at the place of the height of the lowest k layers.
struct Column {
    Index point = 0;        ///< of the mesh
    Vec2 base, way;         ///< base + way * h is h over the walls beside it
    Vec2 lean;              ///< added at the height asked for, and by its square below: upright at the wall
    Index strand = kNone;   ///< that it slides along
    bool from_end = false;  ///< from that one's last node on
    double per_height = 1;  ///< then: length of the way for a height over the wall
    Index fan = kNone;      ///< columns of one fan have one number, and as many layers
    LayerStack asked;
    double size = 0, squeeze_to = 1, gap_cells = 0;
    double room = Box::inf;
    LayerLimit limit = LayerLimit::none;
    LayerStack stack;  ///< as it is in the end
    int count = 0;
};

/// Two columns side by side, over an edge of a wall or in a fan.
struct Link {
    Index a = 0, b = 0;
    Index area = 0;
    Index zone = kNone;  ///< a number of the plan's; kNone in a fan
};

struct Columns {
    std::vector<Column> columns;
    std::vector<Link> links;
    std::vector<std::array<Index, 2>> alike = {};  ///< have as many layers of the same heights: sides that repeat
    /// Of each area, loop, and pass: the columns at its first node, and those between its nodes.
    struct OfLoop {
        std::vector<std::vector<Index>> at_node, within;
    };
    std::vector<std::vector<OfLoop>> loops;
};

/// `points_of` has the points of the strands with layers.
Columns set_columns(const Ground& ground, const LayerPlan& plan, const std::vector<LayerRecipe>& recipes,
                    const std::vector<Vec2>& points, const std::vector<std::vector<Index>>& points_of);

/// Where a level of a column lies.
Vec2 level_of(const Column& column, int k, const Ground& ground);

/// Finds counts and stacks: what gaps leave, at most one layer more than a neighbour has, no steep tops, no cell turned
/// over, no top that crosses anything.
void settle_columns(Columns& columns, const Ground& ground, const LayerPlan& plan, const std::vector<Vec2>& points,
                    const std::vector<std::vector<Index>>& points_of, const Context& context);

}  // namespace anvilcast::planar
