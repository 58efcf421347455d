// Better cells: smoothing, edge and face swaps, and new points where the worst cells resist.
#pragma once

#include <anvilcast/context.hpp>
#include <cmath>
#include <cstddef>

#include "fill/slide.hpp"
#include "tets/tet_complex.hpp"

namespace anvilcast::fill {

using namespace tets;

struct OptimiseReport {
    std::size_t moves = 0, slides = 0, edge_removals = 0, face_flips = 0, insertions = 0, collapses = 0;
    double worst_before = 0, worst_after = 0;  ///< shape, 0 to 1
};

/// Shape of a tetrahedron: 6 sqrt(2) volume / (root mean square edge)^3; 1 for the regular one, 0 for a flat one.
/// Source: V. N. Parthasarathy et al., A comparison of tetrahedron quality measures (1994).
inline double shape(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const Vec3 u = b - a, v = c - a, w = d - a;
    const double volume6 = dot(cross(u, v), w);
    const double sum =
        dot(u, u) + dot(v, v) + dot(w, w) + distance_squared(b, c) + distance_squared(b, d) + distance_squared(c, d);
    const double mean = sum / 6;
    return mean > 0 ? std::sqrt(2.0) * volume6 / (mean * std::sqrt(mean)) : 0;
}

struct OptimiseOptions {
    int sweeps = 4;                ///< over all cells, before the worst are looked at one by one
    bool with_new_points = true;   ///< where the worst cells resist
    bool may_grow = true;          ///< may there be more cells than before?
    double bad = 0.45;             ///< shape of cells below which they are looked at one by one
    double very_bad = 0.2;         ///< and below which they are worth a new point
    std::size_t least_star = 0;    ///< inner points with fewer cells go where that leaves no very bad cell
    const Slide* slide = nullptr;  ///< where boundary points may go when the worst cells are looked at; none: they stay
};

/// Raises the worst cells. Vertices of tagged faces do not move, unless they may slide; tags and their faces stay. An
/// operation never makes the worst cell of anything it touches worse.
OptimiseReport optimise(TetComplex& complex, const OptimiseOptions& options, const Context& context);

/// The same with the sweeps in chunks, twice with other borders, side by side; new points only at the end, where the
/// worst cells of the whole resist. The same result on any number of threads. There must be no ghosts.
OptimiseReport optimise_in_chunks(TetComplex& complex, const OptimiseOptions& options, const Context& context);

}  // namespace anvilcast::fill
