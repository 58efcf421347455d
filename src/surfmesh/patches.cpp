#include "surfmesh/patches.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/disjoint_sets.hpp"

namespace anvilcast::surfmesh {
namespace {

constexpr double kCornerTurn = 40;  // degrees between successive edges of a curve that make a corner

double cos_deg(double degrees) { return std::cos(degrees * std::numbers::pi / 180.0); }

bool is_feature(const Domain& domain, const SurfaceEdges& edges, std::size_t e, double cos_limit) {
    const Surface& s = domain.boundary;
    if (edges.n_uses(e) != 2) return true;
    const auto &u = edges.begin(e)[0], &v = edges.begin(e)[1];
    if (s.zone_of[u.triangle] != s.zone_of[v.triangle] || u.forward == v.forward) return true;
    if (domain.sides[u.triangle] != domain.sides[v.triangle]) return true;
    if (std::binary_search(s.feature_edges.begin(), s.feature_edges.end(), edges.ends(e))) return true;
    auto normal = [&s](Index t) { return normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2))); };
    return dot(normal(u.triangle), normal(v.triangle)) < cos_limit;
}

void find_corners(const Surface& s, Patches& out) {
    std::vector<std::vector<Index>> at(s.points.size());
    for (const auto& f : out.feature_edges)
        for (int k = 0; k < 2; ++k)
            at[f.ends[static_cast<std::size_t>(k)]].push_back(f.ends[static_cast<std::size_t>(1 - k)]);
    for (Index p = 0; p < s.points.size(); ++p) {
        if (at[p].empty()) continue;
        out.kind[p] = PointKind::corner;
        if (at[p].size() != 2) continue;
        const Vec3 in = normalized(s.points[p] - s.points[at[p][0]]), on = normalized(s.points[at[p][1]] - s.points[p]);
        if (dot(in, on) >= cos_deg(kCornerTurn)) out.kind[p] = PointKind::curve;
    }
}

/// Feature edges that meet in a curve point belong to one curve.
void find_curves(const Surface& s, Patches& out) {
    const std::size_t n = out.feature_edges.size();
    DisjointSets curves(n);
    std::vector<Index> edge_at(s.points.size(), kNone);
    for (Index e = 0; e < n; ++e)
        for (const Index p : out.feature_edges[e].ends) {
            if (out.kind[p] != PointKind::curve) continue;
            if (edge_at[p] == kNone)
                edge_at[p] = e;
            else
                curves.join(edge_at[p], e);
        }
    std::vector<Index> number(n, kNone);
    std::vector<std::vector<Triangle>> segments;
    for (Index e = 0; e < n; ++e) {
        Index& curve = number[curves.find(e)];
        if (curve == kNone) {
            curve = static_cast<Index>(segments.size());
            segments.emplace_back();
        }
        auto& f = out.feature_edges[e];
        f.curve = curve;
        segments[curve].push_back({f.ends[0], f.ends[1], f.ends[1]});
        for (const Index p : f.ends)
            if (out.kind[p] == PointKind::curve) out.curve_at[p] = curve;
    }
    for (const auto& list : segments) out.curve_tree.emplace_back(s.points, list);
}

}  // namespace

Patches find_patches(const Domain& domain, double feature_angle) {
    const Surface& s = domain.boundary;
    const SurfaceEdges edges(s.triangles, s.points.size());
    Patches out;
    out.kind.assign(s.points.size(), PointKind::patch);
    out.curve_at.assign(s.points.size(), kNone);
    DisjointSets patches(s.triangles.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        if (is_feature(domain, edges, e, cos_deg(feature_angle)))
            out.feature_edges.push_back({edges.ends(e), kNone});
        else
            patches.join(edges.begin(e)[0].triangle, edges.begin(e)[1].triangle);
    }
    std::sort(out.feature_edges.begin(), out.feature_edges.end(),
              [](const auto& a, const auto& b) { return a.ends < b.ends; });
    find_corners(s, out);
    find_curves(s, out);

    std::vector<Index> number(s.triangles.size(), kNone);
    std::vector<std::vector<Triangle>> lists;
    out.patch_of.resize(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t) {
        Index& patch = number[patches.find(t)];
        if (patch == kNone) {
            patch = static_cast<Index>(lists.size());
            lists.emplace_back();
            out.normals.emplace_back();
        }
        out.patch_of[t] = patch;
        lists[patch].push_back(s.triangles[t]);
        out.normals[patch].push_back(normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2))));
    }
    for (const auto& list : lists) out.patch_tree.emplace_back(s.points, list);
    return out;
}

}  // namespace anvilcast::surfmesh
