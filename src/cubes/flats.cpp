#include "cubes/flats.hpp"

#include <anvilcast/surface.hpp>

#include <cmath>

#include "cubes/cubes.hpp"

namespace anvilcast::cubes {
namespace {

/// Of the box's diagonal: points so close to a side lie in it. Where they are off by that little a square is still flat
/// to all that measure it.
constexpr double kInSide = 1e-12;

}  // namespace

std::vector<char> triangles_that_carry(const SurfaceMesh& boundary) {
    std::vector<char> out;
    for (Index t = 0; t < boundary.surface.triangles.size(); ++t) {
        const auto [front, back] = boundary.sides[t];
        const bool is_outer = (front < boundary.regions.size()) != (back < boundary.regions.size());
        const Role role = boundary.surface.zones[boundary.surface.zone_of[t]].role;
        out.push_back(static_cast<char>(is_outer && role != Role::periodic));
    }
    return out;
}

Flats::Flats(const SurfaceMesh& boundary, const std::vector<char>& may_carry) {
    const std::size_t n = boundary.surface.triangles.size();
    side_of_.assign(n, kNone);
    patch_of_.assign(n, kNone);
    if (!may_carry.empty()) {
        find_sides(boundary, may_carry);
        find_patches(boundary);
    }
    for (Index t = 0; t < n; ++t) {
        if (side_of_[t] != kNone) continue;
        rest_.push_back(boundary.surface.triangles[t]);
        triangle_of_rest_.push_back(t);
    }
    if (rest_.size() == n) return;
    const SurfaceEdges edges(boundary.surface.triangles, boundary.surface.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        bool is_border = false;
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use)
            is_border = is_border || patch_of_[use->triangle] != patch_of_[edges.begin(e)->triangle];
        if (is_border) rest_.push_back({edges.ends(e)[0], edges.ends(e)[1], edges.ends(e)[1]});
    }
}

void Flats::find_sides(const SurfaceMesh& boundary, const std::vector<char>& may_carry) {
    Box box;
    for (const Triangle& t : boundary.surface.triangles)
        for (const Index p : t) box.include(boundary.surface.points[p]);
    for (std::size_t side = 0; side < 6; ++side)
        place_of_[side] = (side % 2 == 0 ? box.lo : box.hi)[static_cast<int>(side / 2)];
    const double slack = kInSide * box.diagonal();
    for (Index t = 0; t < side_of_.size(); ++t) {
        if (may_carry[t] == 0) continue;
        for (Index side = 0; side < 6; ++side) {
            const auto axis = static_cast<int>(side / 2);
            bool is_in = true;
            for (Index k = 0; k < 3; ++k)
                is_in =
                    is_in && std::abs(boundary.surface.corner(t, static_cast<int>(k))[axis] - place_of_[side]) <= slack;
            if (is_in) side_of_[t] = side;
        }
        if (side_of_[t] != kNone) is_on_[side_of_[t]] = true;
    }
}

void Flats::find_patches(const SurfaceMesh& boundary) {
    const SurfaceEdges edges(boundary.surface.triangles, boundary.surface.points.size());
    auto goes_on = [&](Index s, Index t) {
        return side_of_[s] == side_of_[t] && boundary.surface.zone_of[s] == boundary.surface.zone_of[t] &&
               boundary.sides[s] == boundary.sides[t];
    };
    Index n = 0;
    std::vector<Index> open;
    for (Index first = 0; first < patch_of_.size(); ++first) {
        if (side_of_[first] == kNone || patch_of_[first] != kNone) continue;
        patch_of_[first] = n;
        open.assign(1, first);
        while (!open.empty()) {
            const Index t = open.back();
            open.pop_back();
            for (Index k = 0; k < 3; ++k) {
                const Index e = edges.edge_of(t, k);
                if (edges.n_uses(e) != 2) continue;
                const Index other =
                    edges.begin(e)[0].triangle == t ? edges.begin(e)[1].triangle : edges.begin(e)[0].triangle;
                if (patch_of_[other] != kNone || !goes_on(t, other)) continue;
                patch_of_[other] = n;
                open.push_back(other);
            }
        }
        ++n;
    }
}

}  // namespace anvilcast::cubes
