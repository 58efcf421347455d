// Pieces of surface that are laid onto each other, and what lies where.
#pragma once

#include <anvilcast/triangle_tree.hpp>
#include <unordered_map>

#include "cut/complex.hpp"

namespace anvilcast::cutting {

/// Triangles of the complex with their corners numbered anew. What earlier moves drew together to a line comes last:
/// nothing is laid onto it, but it is divided as its neighbours are.
struct Part {
    std::size_t n_solid = 0;
    std::vector<Index> triangle;    // of the complex
    std::vector<Triangle> corners;  // local
    std::vector<Index> point;       // of the complex
    std::vector<Vec3> place;
    std::unordered_map<Index, Index> local;  // looked up only

    Part(const Complex& c, const std::vector<Index>& triangles, const Box& within) {
        std::vector<Index> flat;
        for (const Index t : triangles) {
            Box box;
            for (const Index p : c.triangles[t]) box.include(c.points[p].approx());
            const Triangle& v = c.triangles[t];
            if (!box.overlaps(within) || v[0] == v[1] || v[1] == v[2] || v[2] == v[0]) continue;
            if (is_flat(c, t))
                flat.push_back(t);
            else
                add(c, t);
        }
        n_solid = triangle.size();
        for (const Index t : flat) add(c, t);
    }
    void add(const Complex& c, Index t) {
        triangle.push_back(t);
        Triangle own{};
        for (std::size_t k = 0; k < 3; ++k) {
            const Index p = c.triangles[t][k];
            const auto [at, is_new] = local.try_emplace(p, static_cast<Index>(point.size()));
            if (is_new) {
                point.push_back(p);
                place.push_back(c.points[p].approx());
            }
            own[k] = at->second;
        }
        corners.push_back(own);
    }
    TriangleTree tree() const {
        return {place, std::vector<Triangle>(corners.begin(), corners.begin() + static_cast<std::ptrdiff_t>(n_solid))};
    }
    static bool is_flat(const Complex& c, Index t) {
        const auto corner = c.corners(t);
        if (*corner[0] == *corner[1] || *corner[1] == *corner[2] || *corner[2] == *corner[0]) return true;
        for (int axis = 0; axis < 3; ++axis)
            if (robust::orient2d(*corner[0], *corner[1], *corner[2], axis) != 0) return false;
        return true;
    }
    Box bounds() const {
        Box box;
        for (const Vec3& p : place) box.include(p);
        return box;
    }
};

/// Where a point of one part lies, or is to lie, on another.
struct LiesOn {
    enum class Kind { corner, edge, face } kind = Kind::corner;
    Index element = kNone;  ///< a local point, an edge or a local triangle of the other; kNone: on nothing
    robust::ExactPoint place;
};

/// A triangle becomes these; what is more than one of them comes last among the complex' triangles, and `parents` tells
/// of each what it is a piece of.
inline void replace_triangle(Complex& c, Index triangle, const std::vector<Triangle>& pieces,
                             std::vector<Index>& parents) {
    c.triangles[triangle] = pieces.front();
    for (std::size_t k = 1; k < pieces.size(); ++k) {
        const auto origins = c.origins[triangle];
        c.triangles.push_back(pieces[k]);
        c.origins.push_back(origins);
        c.is_settled.push_back(false);
        parents.push_back(triangle);
    }
}

/// A triangle divided by points on its sides alone, `on_side[k]` in order from corner k to the next. No piece lies on
/// one side alone: its points would move apart, and what it covers lie on the wrong side of them.
std::vector<Triangle> divided_by_rim(const Triangle& corners, const std::array<std::vector<Index>, 3>& on_side);

}  // namespace anvilcast::cutting
