// Places in messages.
#pragma once

#include <anvilcast/units.hpp>
#include <anvilcast/vectors.hpp>

#include <fmt/format.h>

#include <string>

namespace anvilcast::base {

inline std::string numbers_text(const Vec3& p, const LengthUnit& unit) {
    return fmt::format("[{:.6g}, {:.6g}, {:.6g}]", p.x / unit.metres + 0.0, p.y / unit.metres + 0.0,
                       p.z / unit.metres + 0.0);
}

inline std::string place_text(const Vec3& p, const LengthUnit& unit) { return numbers_text(p, unit) + " " + unit.name; }

}  // namespace anvilcast::base
