// The surfaces that bound chosen cells, their zones named.
#pragma once

#include <anvilcast/domain.hpp>

namespace anvilcast::domain {

/// `owners`: the request that takes each cell, kNone for none.
Domain build_domain(const Space& space, const std::vector<RegionRequest>& requests, const std::vector<Index>& owners,
                    const LengthUnit& unit, const ChooseOptions& options);

/// The complex without the triangles that are pieces of dividers alone.
Surface without_dividers(const Space& space);

}  // namespace anvilcast::domain
