// The tables of a case file that speak of plane meshes: [[curve]], [[divide]], [[area]], [plane] and [sweep].
#pragma once

#include <anvilcast/case.hpp>

#include "case/section.hpp"

namespace anvilcast {

/// One curve, or its copies. `folder`: that files are relative to.
std::vector<PlaneCurve> read_curve(Section& s, const std::filesystem::path& folder, const LengthUnit& unit);
/// A line that divides an area: of any shape that a curve has, or from a place to a place, each by its coordinates or
/// as a share of the way along one of the curves.
PlaneCurve read_divide(Section& s, const std::filesystem::path& folder, const LengthUnit& unit,
                       const std::vector<PlaneCurve>& curves);
PlaneArea read_area(Section& s);
void read_plane_table(Section& s, PlaneSpec& plane, const LengthUnit& unit);
void read_sweep(Section& s, PlaneSpec& plane);

/// A file of places: two numbers to a line, parted by blanks, commas or semicolons; lines before the first such one are
/// a title. Throws InputError with the line.
std::vector<Vec2> parse_places(const std::string& text, const std::string& file, double metres);

}  // namespace anvilcast
