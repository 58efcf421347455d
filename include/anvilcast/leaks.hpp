// Why a volume that should be closed is not.
//
//     try { domain = choose_regions(space, requests, mm); }
//     catch (const LeakError& e) { write_paths("leak.vtu", {e.leaks().front().path}); }
#pragma once

#include <anvilcast/errors.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/vectors.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// A way out of a volume.
struct Leak {
    enum class Kind { opening, rim, gap } kind = Kind::rim;  ///< bore through a wall, free rim, or between two surfaces
    Vec3 at;                                                 ///< its narrowest place
    double width = 0;                                        ///< of the widest ball that passes, metres
    std::vector<std::string> zones;                          ///< that it runs between
    double extent = 0;                                       ///< of the rim's box diagonal, metres; 0 for a gap
    std::vector<Vec3> path;  ///< from inside to outside, clear of all surfaces; empty when none was found
};

class ANVILCAST_API LeakError : public GeometryError {
  public:
    LeakError(const std::string& what, std::vector<Leak> leaks) : GeometryError(what), leaks_(std::move(leaks)) {}
    const std::vector<Leak>& leaks() const { return leaks_; }

  private:
    std::vector<Leak> leaks_;
};

/// The ways by which `inside` reaches the outside of the surface, widest first; none when it does not.
ANVILCAST_API std::vector<Leak> find_leaks(const Surface& surface, const Vec3& inside);

}  // namespace anvilcast
