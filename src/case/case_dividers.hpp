// The tables of a case file that divide regions without walls: [[region]] with a shape, and [[surface]].
#pragma once

#include <anvilcast/domain.hpp>

#include <filesystem>

#include "case/section.hpp"

namespace anvilcast {

/// `folder`: that files are relative to. Leaves the size of the region to its reader.
Divider read_shape_region(Section& s, const std::filesystem::path& folder);
Divider read_sheet(Section& s, const std::filesystem::path& folder);

}  // namespace anvilcast
