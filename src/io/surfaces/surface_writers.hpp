// Contents of surface files, made in memory.
#pragma once

#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <string>

namespace anvilcast::io {

std::string obj_text(const Surface& surface, const LengthUnit& unit);
std::string ply_content(const Surface& surface, const LengthUnit& unit, bool ascii);

}  // namespace anvilcast::io
