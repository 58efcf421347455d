// The tables of a case file that speak of sizes: [sizing], [[refine]], [flow] and [[layers]].
#pragma once

#include <anvilcast/case.hpp>

#include "case/section.hpp"

namespace anvilcast {

void read_sizing(Section& s, Case& c);
/// `folder`: that files are relative to. A shape by its name, which reads its own keys.
Volume read_volume(Section& s, const std::string& shape, const std::filesystem::path& folder);
/// `number`: of the refinement, from 1, for those without a name.
Refinement read_refinement(Section& s, const std::filesystem::path& folder, std::size_t number);
WrapSpec::Finer read_finer_gap(Section& s, const std::filesystem::path& folder);
FlowSpec read_flow(Section& s);
LayerRecipe read_layers(Section& s);

}  // namespace anvilcast
