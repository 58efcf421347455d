// What fans of layers do to the number of cells.
#pragma once

#include <anvilcast/layers.hpp>

namespace anvilcast::layers {

/// Cells of the core that are there because fans end in strips much narrower than their edges are long. Where they are
/// many, nobody knows how many: at the corners where fans meet sizes begin at a few thousandths of an edge.
double cells_round_fans(const Domain& domain, const SizeField& sizes, const LayerRequest& request,
                        const Context& context);

}  // namespace anvilcast::layers
