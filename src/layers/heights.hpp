// How high the stacks are, foot by foot.
#pragma once

#include <anvilcast/context.hpp>

#include "layers/directions.hpp"

namespace anvilcast::layers {

/// The stack that is asked for at each foot. Where walls with different recipes meet, their heights go over into each
/// other within some edges. `zone_stacks`: of each side's recipe, zone by zone.
struct Asked {
    std::vector<LayerStack> stack;   ///< of each foot
    std::vector<double> squeeze_to;  ///< of each foot
    std::vector<double> gap_cells;
    std::vector<double> size;  ///< of the field
};
Asked ask(const Wall& wall, const SizeField& sizes, const std::vector<LayerRecipe>& recipes,
          const std::vector<LayerStack>& stack_of_side_zone, const std::vector<Index>& zone_stack_of_side);

/// The heights that opposite walls, and the stacks on them, leave. Infinite where nothing is in the way.
std::vector<double> rooms_in_gaps(const Wall& wall, const std::vector<Direction>& directions, const Asked& asked);

struct Settled {
    std::vector<LayerStack> stack;  ///< with as many layers as there is room for
    std::vector<LayerLimit> limit;  ///< of those that are not as asked
};
/// One stack for all feet of a family: the mean of what is asked at each, with the most layers.
void make_equal(const Repeats& repeats, Asked& asked);

/// The stacks in the rooms that there are: squeezed, then shortened; neighbours differ by at most one layer, and the
/// top is nowhere steep.
Settled settle(const Wall& wall, const std::vector<Direction>& directions, const Asked& asked,
               const std::vector<double>& room, const std::vector<LayerLimit>& limit_of_room, const Repeats& repeats);

}  // namespace anvilcast::layers
