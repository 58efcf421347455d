// Surfaces that lie in one plane but for rounding. Cut as they are they would cross in countless slivers, and rounding
// those would make more; so the corners are put exactly into one plane first.

#include <algorithm>
#include <map>

#include "base/disjoint_sets.hpp"
#include "domain/complex.hpp"

namespace anvilcast::domain {
namespace {

using robust::ExactPoint;

/// Largest distance of the corners of t from the plane of `base`, in floating point.
double distance_from_plane(const Complex& c, Index t, Index base) {
    const Vec3 normal = normalized(c.normal(base)), origin = c.corners(base)[0]->approx();
    double largest = 0;
    for (const ExactPoint* p : c.corners(t)) largest = std::max(largest, std::abs(dot(p->approx() - origin, normal)));
    return largest;
}

bool is_coplanar(const Complex& c, Index t, Index base) {
    const auto p = c.corners(t), q = c.corners(base);
    return std::all_of(p.begin(), p.end(),
                       [&](const ExactPoint* x) { return robust::orient3d(*q[0], *q[1], *q[2], *x) == 0; });
}

ExactPoint foot(const Complex& planes, Index base, const ExactPoint& p) {
    const auto q = planes.corners(base);
    return robust::orient3d(*q[0], *q[1], *q[2], p) == 0 ? p : robust::foot_on_plane(p, *q[0], *q[1], *q[2]);
}

/// Onto both planes: along the first one to where it meets the second.
ExactPoint foot_on_both(const Complex& planes, Index first, Index second, const ExactPoint& p) {
    const ExactPoint on_first = foot(planes, first, p), ahead = foot(planes, first, foot(planes, second, on_first));
    const auto q = planes.corners(second);
    const int here = robust::orient3d(*q[0], *q[1], *q[2], on_first), there = robust::orient3d(*q[0], *q[1], *q[2], ahead);
    return here == 0 || here == there ? on_first : robust::line_meets_plane(on_first, ahead, *q[0], *q[1], *q[2]);
}

}  // namespace

bool flatten(Complex& c, const std::vector<std::array<Index, 2>>& pairs, double grain) {
    DisjointSets sheets(c.triangles.size());
    std::vector<bool> in_sheet(c.triangles.size(), false);
    for (const auto& [i, j] : pairs) {
        if (std::min(distance_from_plane(c, i, j), distance_from_plane(c, j, i)) > grain) continue;
        sheets.join(i, j);
        in_sheet[i] = in_sheet[j] = true;
    }
    std::map<Index, std::vector<Index>> members;
    for (Index t = 0; t < c.triangles.size(); ++t)
        if (in_sheet[t]) members[sheets.find(t)].push_back(t);
    // The plane of a sheet is that of its largest triangle, as it was before anything moved.
    std::vector<std::vector<Index>> bases(c.points.size());
    for (const auto& [root, sheet] : members) {
        const Index base = *std::max_element(sheet.begin(), sheet.end(), [&](Index s, Index t) {
            return length_squared(c.normal(s)) < length_squared(c.normal(t));
        });
        if (std::all_of(sheet.begin(), sheet.end(), [&](Index t) { return is_coplanar(c, t, base); })) continue;
        for (const Index t : sheet) {
            if (distance_from_plane(c, t, base) > 16 * grain) continue;
            for (const Index p : c.triangles[t])
                if (bases[p].empty() || bases[p].back() != base) bases[p].push_back(base);
        }
    }
    const Complex before{c.points, c.triangles, {}, {}, {}};
    bool changed = false;
    for (Index p = 0; p < c.points.size(); ++p) {
        if (bases[p].empty()) continue;
        const ExactPoint place = bases[p].size() == 1 ? foot(before, bases[p][0], c.points[p])
                                                      : foot_on_both(before, bases[p][0], bases[p][1], c.points[p]);
        // Planes that are nearly parallel meet far away.
        if (place == c.points[p] || distance(place.approx(), c.points[p].approx()) > 64 * grain) continue;
        c.points[p] = place;
        changed = true;
        bases[p] = {kNone};
    }
    if (!changed) return false;
    for (Index t = 0; t < c.triangles.size(); ++t)
        for (const Index p : c.triangles[t])
            if (bases[p] == std::vector<Index>{kNone}) c.is_settled[t] = false;
    return true;
}

}  // namespace anvilcast::domain
