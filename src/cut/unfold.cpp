// Films without a width: two triangles that share an edge and lie on each other but for rounding meet nowhere else, so
// that no cut would ever find them.

#include <algorithm>

#include "cut/complex.hpp"

namespace anvilcast::cutting {
namespace {

/// In grains. Tried: needles, of which seams are full, come to no rest when they are unfolded.
constexpr double kLeastHeight = 1e5;

std::vector<std::array<Index, 2>> folded_pairs(const Complex& c, double grain) {
    const SurfaceEdges edges(c.triangles, c.points.size());
    auto place = [&c](Index p) { return c.points[p].approx(); };
    // From the edge to the third corner, at right angles.
    auto reach = [&](std::size_t e, const SurfaceEdges::Use& u) {
        const Vec3 a = place(edges.ends(e)[0]), along = normalized(place(edges.ends(e)[1]) - a);
        const Vec3 d = place(c.triangles[u.triangle][(u.side + 2) % 3]) - a;
        return d - along * dot(d, along);
    };
    std::vector<std::array<Index, 2>> pairs;
    for (std::size_t e = 0; e < edges.size(); ++e)
        for (const auto* u = edges.begin(e); u != edges.end(e); ++u)
            for (const auto* v = u + 1; v != edges.end(e); ++v) {
                const Vec3 a = reach(e, *u), b = reach(e, *v);
                if (!(dot(a, b) > 0)) continue;
                // The lower one of the two is off the other's plane by so much. What is hardly higher itself lies in
                // any.
                const double shorter = std::min(length(a), length(b));
                if (shorter < kLeastHeight * grain || length(cross(a, b)) * shorter > grain * length(a) * length(b))
                    continue;
                pairs.push_back({std::min(u->triangle, v->triangle), std::max(u->triangle, v->triangle)});
            }
    return pairs;
}

}  // namespace

bool unfold(Complex& complex, double grain) { return flatten(complex, folded_pairs(complex, grain), grain); }

}  // namespace anvilcast::cutting
