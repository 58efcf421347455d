// Which recipe is for which side of which zone.
#pragma once

#include <anvilcast/layers.hpp>

#include <span>

namespace anvilcast::layers {

/// The recipe of each side, and the stack of each side's zone at its mean size.
struct Assignment {
    std::vector<Index> recipe_of_side;
    std::vector<Index> stack_of_side;  ///< a number of `zones`
    std::vector<ZoneLayers> zones;
    std::vector<LayerStack> stacks;
    std::vector<double> size_of_stack;  ///< mean size of each of these zones
};

/// Throws InputError for recipes that no stack fulfils, and for patterns that fit nothing.
Assignment assign(const Surface& surface, std::span<const std::array<Index, 2>> sides, std::span<const Region> regions,
                  const SizeField& sizes, const LayerRequest& request);

/// Is a triangle of an interface without layers, or of a sheet, behind which the core goes on?
bool goes_on_behind(const Surface& surface, std::span<const std::array<Index, 2>> sides,
                    std::span<const Index> recipe_of_side, Index triangle);
/// Sizes of core that layers leave before one.
inline constexpr double kCoreBeforeInterface = 0.5;

}  // namespace anvilcast::layers
