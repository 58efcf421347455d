// Surfaces that lie in one plane but for rounding. Cut as they are they would cross in countless slivers, and rounding
// those would make more; so the corners are put exactly into one plane first.

#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <map>

#include "base/disjoint_sets.hpp"
#include "cut/complex.hpp"

namespace anvilcast::cutting {
namespace {

using robust::ExactPoint;

constexpr double kReach = 16;  // grains that a corner may be away from the plane of its sheet

/// Largest distance of the corners of t from the plane of `base`, in floating point.
double distance_from_plane(const Complex& c, Index t, Index base) {
    const Vec3 normal = normalized(c.normal(base)), origin = c.corners(base)[0]->approx();
    double largest = 0;
    for (const ExactPoint* p : c.corners(t)) largest = std::max(largest, std::abs(dot(p->approx() - origin, normal)));
    return largest;
}

/// A triangle so low that its plane is chance.
bool is_needle(const Complex& c, Index t, double grain) {
    const auto p = c.corners(t);
    double longest = 0;
    for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, distance(p[k]->approx(), p[(k + 1) % 3]->approx()));
    return length(c.normal(t)) <= 64 * grain * longest;
}

/// Triangles in the plane of one of a sheet, and near it, belong to the sheet though they do not meet it now: rounding
/// would make them meet.
void add_neighbours(const Complex& c, DisjointSets& sheets, std::vector<Index>& in_sheet, double grain) {
    std::vector<Vec3> places;
    for (const ExactPoint& p : c.points) places.push_back(p.approx());
    const TriangleTree tree(places, c.triangles);
    std::vector<bool> is_member(c.triangles.size(), false);
    for (const Index t : in_sheet) is_member[t] = true;
    for (std::size_t k = 0; k < in_sheet.size(); ++k) {
        const Index t = in_sheet[k];
        Box box;
        for (const Index p : c.triangles[t]) box.include(places[p]);
        box.lo -= Vec3{grain, grain, grain};
        box.hi += Vec3{grain, grain, grain};
        tree.overlapping(box, [&](Index other) {
            if (is_member[other] || is_needle(c, other, grain) || distance_from_plane(c, other, t) > grain) return;
            is_member[other] = true;
            sheets.join(t, other);
            in_sheet.push_back(other);
        });
    }
    std::sort(in_sheet.begin(), in_sheet.end());
}

}  // namespace

bool flatten(Complex& c, const std::vector<std::array<Index, 2>>& pairs, double grain) {
    DisjointSets sheets(c.triangles.size());
    std::vector<std::array<Index, 2>> guests;  // a needle, and the triangle in whose plane it is
    std::vector<Index> in_sheet;
    for (const auto& [i, j] : pairs) {
        const bool needle_i = is_needle(c, i, grain), needle_j = is_needle(c, j, grain);
        const bool i_in_j = !needle_j && distance_from_plane(c, i, j) <= grain,
                   j_in_i = !needle_i && distance_from_plane(c, j, i) <= grain;
        if (!i_in_j && !j_in_i) continue;
        if (needle_i || needle_j) {
            // A needle is in many planes; it must not make one sheet of them.
            guests.push_back(needle_i ? std::array{i, j} : std::array{j, i});
            in_sheet.push_back(guests.back()[1]);
        } else {
            sheets.join(i, j);
            in_sheet.insert(in_sheet.end(), {i, j});
        }
    }
    if (in_sheet.empty()) return false;
    std::sort(in_sheet.begin(), in_sheet.end());
    in_sheet.erase(std::unique(in_sheet.begin(), in_sheet.end()), in_sheet.end());
    add_neighbours(c, sheets, in_sheet, grain);
    // Sheets that share a corner and are in one plane but for the grain are one, though they do not meet.
    std::vector<std::vector<Index>> bases(c.points.size());
    auto bases_of_points = [&] {
        std::map<Index, std::vector<Index>> members;
        for (const Index t : in_sheet) members[sheets.find(t)].push_back(t);
        for (const auto& [needle, host] : guests) members[sheets.find(host)].push_back(needle);
        for (auto& list : bases) list.clear();
        for (const auto& [root, sheet] : members) {
            const Index base = *std::max_element(sheet.begin(), sheet.end(), [&](Index s, Index t) {
                return length_squared(c.normal(s)) < length_squared(c.normal(t));
            });
            for (const Index t : sheet) {
                if (distance_from_plane(c, t, base) > kReach * grain) continue;
                for (const Index p : c.triangles[t])
                    if (bases[p].empty() || bases[p].back() != base) bases[p].push_back(base);
            }
        }
    };
    for (bool joined = true; joined;) {
        bases_of_points();
        joined = false;
        for (const auto& list : bases)
            for (std::size_t k = 1; k < list.size(); ++k) {
                if (sheets.find(list[0]) == sheets.find(list[k])) continue;
                if (std::min(distance_from_plane(c, list[0], list[k]), distance_from_plane(c, list[k], list[0])) >
                    grain)
                    continue;
                sheets.join(list[0], list[k]);
                joined = true;
            }
    }
    // Planes and points start from doubles, whatever was put into planes before: or numbers would get several times as
    // long with every round.
    std::vector<ExactPoint> rounded;
    for (const ExactPoint& p : c.points) rounded.push_back(p.approx());
    bool changed = false;
    for (Index p = 0; p < c.points.size(); ++p) {
        if (bases[p].empty()) continue;
        std::vector<std::array<const ExactPoint*, 3>> planes;
        for (const Index base : bases[p])
            if (const Triangle& t = c.triangles[base]; planes.size() < 3)
                planes.push_back({&rounded[t[0]], &rounded[t[1]], &rounded[t[2]]});
        const ExactPoint place = robust::onto_planes(rounded[p], planes);
        // Planes that are nearly parallel meet far away.
        if (place == c.points[p] || distance(place.approx(), c.points[p].approx()) > 4 * kReach * grain) continue;
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

}  // namespace anvilcast::cutting
