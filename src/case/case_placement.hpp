// Where a part and its copies stand.
#pragma once

#include <anvilcast/case.hpp>

#include <vector>

#include "case/section.hpp"

namespace anvilcast {

/// `mirrored` (with `mirrored_at`), `turned` (with `axis` and `about`), `moved`, in this order, of a [[part]] or of one
/// of its copies. `in_plane`: places may be of two numbers.
Placement read_placement(Section& s, bool in_plane = false);

/// `copies` of a part: a list of placements, or a table with `count` and what is done from one to the next. Each is put
/// on top of the part's own. Without the part itself.
std::vector<Placement> read_copies(Section& s, const Placement& own, const LengthUnit& unit);

/// Two zones, and how the second stands to the first where that is told.
PeriodicRequest read_periodic(Section& s, bool in_plane);

}  // namespace anvilcast
