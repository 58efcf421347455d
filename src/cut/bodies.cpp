#include "cut/bodies.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/disjoint_sets.hpp"

namespace anvilcast::cutting {
namespace {

/// A triangle at an edge, seen along it.
struct Leaf {
    Index triangle;
    Vec3 reach;                ///< from the edge to the third corner, square to it
    double angle = 0;          ///< from the first one
    bool begins_body = false;  ///< going round: what the triangle faces away from comes after it
};

bool lie_on_each_other(const Leaf& a, const Leaf& b, double tolerance) {
    const double p = length(a.reach), q = length(b.reach);
    return dot(a.reach, b.reach) > 0 && length(cross(a.reach, b.reach)) * std::min(p, q) <= tolerance * p * q;
}

std::vector<Leaf> leaves_at(const Surface& s, const SurfaceEdges& edges, std::size_t e) {
    const Vec3 from = s.points[edges.ends(e)[0]], along = normalized(s.points[edges.ends(e)[1]] - from);
    std::vector<Leaf> leaves;
    for (const auto* use = edges.begin(e); use != edges.end(e); ++use) {
        const Vec3 out = s.corner(use->triangle, (static_cast<int>(use->side) + 2) % 3) - from;
        Leaf leaf{use->triangle, out - along * dot(out, along), 0, !use->forward};
        const Vec3& zero = leaves.empty() ? leaf.reach : leaves.front().reach;
        leaf.angle = std::atan2(dot(cross(zero, leaf.reach), along), dot(zero, leaf.reach));
        leaves.push_back(leaf);
    }
    return leaves;
}

/// Connects those of one part. Of several on each other those come first that a body ends at.
void connect(std::vector<Leaf> leaves, double tolerance, DisjointSets& sets) {
    if (leaves.size() == 2) sets.join(leaves[0].triangle, leaves[1].triangle);
    if (leaves.size() < 3) return;
    std::stable_sort(leaves.begin(), leaves.end(), [](const Leaf& a, const Leaf& b) { return a.angle < b.angle; });
    // From a place on where two follow each other that do not.
    for (std::size_t k = 1; k < leaves.size() && lie_on_each_other(leaves.front(), leaves.back(), tolerance); ++k)
        std::rotate(leaves.begin(), leaves.begin() + 1, leaves.end());
    for (auto first = leaves.begin(); first != leaves.end();) {
        auto last = first + 1;
        while (last != leaves.end() && lie_on_each_other(*(last - 1), *last, tolerance)) ++last;
        std::stable_partition(first, last, [](const Leaf& l) { return !l.begins_body; });
        first = last;
    }
    for (std::size_t k = 0; k < leaves.size(); ++k) {
        const Leaf &a = leaves[k], &b = leaves[(k + 1) % leaves.size()];
        if (a.begins_body && !b.begins_body) sets.join(a.triangle, b.triangle);
    }
}

}  // namespace

std::vector<Index> bodies_of(const Surface& surface, const std::vector<std::string>& part_of, double tolerance) {
    DisjointSets sets(surface.triangles.size());
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        std::map<std::string, std::vector<Leaf>> of_part;
        for (const Leaf& leaf : leaves_at(surface, edges, e)) of_part[part_of[leaf.triangle]].push_back(leaf);
        for (auto& [part, leaves] : of_part) connect(std::move(leaves), tolerance, sets);
    }
    std::vector<Index> body(surface.triangles.size());
    for (Index t = 0; t < body.size(); ++t) body[t] = sets.find(t);
    return body;
}

}  // namespace anvilcast::cutting
