#include "cubes/faces.hpp"

#include <algorithm>

namespace anvilcast::cubes {
namespace {

std::size_t n_middles(const SidePoints& side) {
    return 4 - static_cast<std::size_t>(std::count(side.middles.begin(), side.middles.end(), kNone));
}

/// Three triangles from the middle of an edge to the three others.
std::vector<Piece> round_middle(const SidePoints& s) {
    std::size_t k = 0;
    while (s.middles[k] == kNone) ++k;
    auto corner = [&](std::size_t i) { return s.corners[(k + i) % 4]; };
    return {{s.middles[k], corner(1), corner(2), kNone},
            {s.middles[k], corner(2), corner(3), kNone},
            {s.middles[k], corner(3), corner(0), kNone}};
}

}  // namespace

bool needs_center(const SidePoints& side) { return n_middles(side) >= 2; }

std::vector<Piece> pieces_of(const SidePoints& s) {
    if (s.center == kNone) {
        if (n_middles(s) == 0) return {s.corners};
        return round_middle(s);
    }
    std::vector<Piece> out;
    for (std::size_t k = 0; k < 4; ++k) {
        // At corner k: between the edge before it and the one after.
        const Index before = s.middles[(k + 3) % 4], after = s.middles[k], corner = s.corners[k];
        if (before != kNone && after != kNone) {
            out.push_back({before, corner, after, s.center});
        } else {
            if (before != kNone) out.push_back({before, corner, s.center, kNone});
            if (after != kNone) out.push_back({corner, after, s.center, kNone});
        }
        if (after == kNone) out.push_back({corner, s.corners[(k + 1) % 4], s.center, kNone});
    }
    return out;
}

}  // namespace anvilcast::cubes
