// Sound surfaces made dirty, the same way each time.
#pragma once

#include <anvilcast/surface.hpp>
#include <vector>

namespace anvilcast::kit {

/// Each triangle divided into four, so often.
Surface divided(Surface s, int times);
/// Without n triangles, taken at random.
Surface with_holes(Surface s, std::size_t n, unsigned seed);
/// Each triangle on its own, its corners moved by up to `distance`.
Surface shaken(const Surface& s, double distance, unsigned seed);
/// All triangles twice.
Surface doubled(Surface s);
/// Every other triangle turned.
Surface half_turned(Surface s);
/// Each triangle on its own and larger by `factor` about its middle, so that neighbours overlap.
Surface overlapping(const Surface& s, double factor);

/// A way to make a surface dirty.
struct Damage {
    const char* name;
    Surface (*to)(const Surface&);
    double reach = 0;  ///< how far sheets stand off the sound surface, metres
};
/// Each kind for itself, and all at once.
const std::vector<Damage>& damages();

/// n triangles without order, each of the extent `size`, in the unit cube.
Surface soup(std::size_t n, double size, unsigned seed);
/// A solid like a dust separator: a cylinder over a cone, with a narrower neck on top.
Surface separator_body(int n);
/// A block of 1 x 1 x 1 with a slot in the middle of its top, half as deep, from end to end.
Surface slotted_block(double width);

}  // namespace anvilcast::kit
