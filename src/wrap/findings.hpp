// What a wrap is like: zones, bridges, what was lost, and how far it is from the original.
#pragma once

#include "wrap/settle.hpp"

namespace anvilcast::wrapping {

/// Fills in all of the result but its costs and the length of edges that was to be kept.
void describe(const Surface& original, const TriangleTree& tree, Settled settled, const LengthAt& gap_at,
              WrapResult& result);

}  // namespace anvilcast::wrapping
