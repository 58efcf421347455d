// Heights of inflation layers: a stack is a geometric row of cells on a wall.
//
//     LayerStack stack = solve_stack({.first_height = 1e-4, .count = 10, .growth = 1.2}, 0.004);
//     print(stack.total, stack.last);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/flow.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// Three conditions determine a stack: one of its first height, count, growth, total height and last height each.
struct LayerRecipe {
    std::vector<std::string> on = {};  ///< patterns of zone names; empty: all walls
    // The first height, in one of three ways.
    std::optional<double> first_height = {};  ///< metres
    std::optional<double> y_plus = {};
    std::optional<double> first_flatness = {};  ///< edge length of the wall over the first height
    std::optional<int> count = {};
    std::optional<double> growth = {};
    std::optional<double> total_height = {};  ///< metres
    // The last height, in one of three ways.
    std::optional<double> last_height = {};  ///< metres
    std::optional<double> last_flatness = {};
    std::optional<double> meets_core = {};  ///< last height over the height of a core cell beside it
    int plateau = 1;                        ///< so many layers have the first height before growth begins
    double squeeze_to = 0.3;                ///< where room is short, stacks get this share of their height at least;
                                            ///< then they lose layers
    double gap_cells = 2;                   ///< of the core, left between the stacks of opposite walls
    std::vector<std::string> in = {};       ///< patterns of regions to grow into; empty: all fluids
    int line = 0;                           ///< in the case file
};

struct LayerStack {
    double first = 0, last = 0, total = 0;  ///< heights, metres
    double growth = 1;
    int count = 0;
    int plateau = 1;
    double step_to_core = 0;  ///< height of a core cell over the last height

    /// Of the lowest k layers together.
    ANVILCAST_API double height(int k) const;
};

/// The height of a regular tetrahedron over its edge.
inline constexpr double kCoreHeight = 0.81649658;

/// The stack for a wall with edges of `size` metres. A count that follows from the rest is rounded, and something has
/// to give way: the growth; the total height where it was given with the growth and the last height; the last height
/// where first, total and last were given. `wall`: needed for y+. Throws InputError that says what to leave out or to
/// add, and for conditions that no stack of growing layers fulfils.
ANVILCAST_API LayerStack solve_stack(const LayerRecipe& recipe, double size,
                                     const std::optional<WallEstimate>& wall = std::nullopt,
                                     YPlusAt at = YPlusAt::cell_center);

/// A stack for another wall of the same kind: the count stays, and heights follow the size where the recipe ties them
/// to it. Of conditions that contradict each other with that count, the first, the growth and the last height go first.
ANVILCAST_API LayerStack stack_at(const LayerRecipe& recipe, const LayerStack& stack, double size);

/// The lowest `count` layers of a stack, together no higher than `room`: growth gives way first, down to 1, then all
/// heights.
ANVILCAST_API LayerStack squeezed(const LayerStack& stack, int count, double room);

/// Layers of a growth that reach a height, and those whose last one has a height; at least 1.
ANVILCAST_API int layers_to_reach(double first, double growth, double height);
ANVILCAST_API int layers_to_grow(double first, double growth, double last);

}  // namespace anvilcast
