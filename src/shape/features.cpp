#include "shape/features.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <set>

#include "base/disjoint_sets.hpp"

namespace anvilcast::shape {
namespace {

constexpr double kCornerTurn = 40;  // degrees between successive edges of a curve that make a corner

/// Within a wrap smaller angles than this (75 degrees) are its roughness.
constexpr double kCosOfRoughness = 0.26;

double cos_deg(double degrees) { return std::cos(degrees * std::numbers::pi / 180.0); }

bool is_feature(const Domain& domain, const std::vector<Vec3>& normals, const SurfaceEdges& edges, std::size_t e,
                double cos_limit) {
    const Surface& s = domain.boundary;
    if (edges.n_uses(e) != 2) return true;
    const auto &u = edges.begin(e)[0], &v = edges.begin(e)[1];
    if (s.zone_of[u.triangle] != s.zone_of[v.triangle] || u.forward == v.forward) return true;
    if (domain.sides[u.triangle] != domain.sides[v.triangle]) return true;
    if (std::binary_search(s.feature_edges.begin(), s.feature_edges.end(), edges.ends(e))) return true;
    const double limit = s.zones[s.zone_of[u.triangle]].is_wrapped ? std::min(cos_limit, kCosOfRoughness) : cos_limit;
    return dot(normals[u.triangle], normals[v.triangle]) < limit;
}

/// The feature edges at each point, as numbers of edges.
struct EdgesAtPoints {
    EdgesAtPoints(const std::vector<Edge>& edges, std::size_t n_points) : first(n_points + 1, 0) {
        for (const Edge& e : edges)
            for (const Index p : e) ++first[p + 1];
        for (std::size_t p = 1; p < first.size(); ++p) first[p] += first[p - 1];
        list.resize(first.back());
        std::vector<Index> at(first.begin(), first.end() - 1);
        for (Index e = 0; e < edges.size(); ++e)
            for (const Index p : edges[e]) list[at[p]++] = e;
    }
    std::size_t count(Index p) const { return first[p + 1] - first[p]; }

    std::vector<Index> first, list;
};

/// Points at which surfaces touch that do not hang together over edges: they belong to neither alone.
std::vector<bool> find_pinches(const Surface& s, const SurfaceEdges& edges) {
    DisjointSets fans(3 * s.triangles.size());  // of corners of triangles
    auto corner_at = [&](Index t, Index p) {
        const Triangle& c = s.triangles[t];
        return 3 * t + (c[0] == p ? 0 : c[1] == p ? 1 : 2);
    };
    for (std::size_t e = 0; e < edges.size(); ++e)
        for (const Index p : edges.ends(e))
            for (const auto* use = edges.begin(e) + 1; use < edges.end(e); ++use)
                fans.join(corner_at(use->triangle, p), corner_at(edges.begin(e)->triangle, p));
    std::vector<Index> fan_at(s.points.size(), kNone);
    std::vector<bool> out(s.points.size(), false);
    for (Index corner = 0; corner < 3 * s.triangles.size(); ++corner) {
        const Index p = s.triangles[corner / 3][corner % 3], fan = fans.find(corner);
        if (fan_at[p] == kNone) fan_at[p] = fan;
        if (fan_at[p] != fan) out[p] = true;
    }
    return out;
}

/// The patches round each feature edge, one for each of its triangles. What holds them together along a curve is the
/// same all along; where it changes is a corner.
std::vector<std::vector<Index>> patches_at(const SurfaceEdges& edges, const Features& features) {
    std::vector<std::vector<Index>> out(features.edges.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto at = std::lower_bound(features.edges.begin(), features.edges.end(), edges.ends(e));
        if (at == features.edges.end() || *at != edges.ends(e)) continue;
        auto& list = out[static_cast<std::size_t>(at - features.edges.begin())];
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use)
            list.push_back(features.patch_of[use->triangle]);
        std::sort(list.begin(), list.end());
    }
    return out;
}

void find_corners(const Surface& s, const SurfaceEdges& edges, const EdgesAtPoints& at, Features& out) {
    const std::vector<bool> is_pinched = find_pinches(s, edges);
    const auto patches = patches_at(edges, out);
    out.kind.assign(s.points.size(), PointKind::patch);
    for (Index p = 0; p < s.points.size(); ++p) {
        if (at.count(p) == 0 && !is_pinched[p]) continue;
        out.kind[p] = PointKind::corner;
        if (at.count(p) != 2 || is_pinched[p]) continue;
        if (patches[at.list[at.first[p]]] != patches[at.list[at.first[p] + 1]]) continue;
        auto other_end = [&](Index i) {
            const Edge& e = out.edges[at.list[at.first[p] + i]];
            return s.points[e[0] == p ? e[1] : e[0]];
        };
        const Vec3 in = normalized(s.points[p] - other_end(0)), on = normalized(other_end(1) - s.points[p]);
        if (dot(in, on) >= cos_deg(kCornerTurn)) out.kind[p] = PointKind::curve;
    }
}

void find_curves(const EdgesAtPoints& at, Features& out) {
    out.curve_of_edge.assign(out.edges.size(), kNone);
    auto follow = [&](Index start, Index edge) {
        const auto number = static_cast<Index>(out.curves.size());
        FeatureCurve curve{{start}};
        while (out.curve_of_edge[edge] == kNone) {
            out.curve_of_edge[edge] = number;
            const Edge& e = out.edges[edge];
            const Index p = e[0] == curve.points.back() ? e[1] : e[0];
            curve.points.push_back(p);
            if (out.kind[p] == PointKind::corner) break;
            const Index* pair = at.list.data() + at.first[p];
            edge = pair[0] == edge ? pair[1] : pair[0];
        }
        out.curves.push_back(std::move(curve));
    };
    auto follow_all = [&](bool from_corners) {
        for (Index p = 0; p < out.kind.size(); ++p) {
            if ((out.kind[p] == PointKind::corner) != from_corners) continue;
            for (Index i = at.first[p]; i < at.first[p + 1]; ++i)
                if (out.curve_of_edge[at.list[i]] == kNone) follow(p, at.list[i]);
        }
    };
    follow_all(true);
    follow_all(false);
}

/// On the sides of a periodic domain what is a feature on one is one on the other.
class Repetition {
  public:
    explicit Repetition(const Domain& domain)
        : domain_(domain), images_(images_of_points(domain.boundary, domain.periodic)) {}

    /// Edges within the sides that one of the two has.
    void complete_edges(const SurfaceEdges& edges, std::vector<Edge>& features) const {
        if (images_.empty()) return;
        std::vector<Edge> all;
        for (std::size_t e = 0; e < edges.size(); ++e) all.push_back(edges.ends(e));
        std::sort(all.begin(), all.end());
        for (std::size_t before = 0; before != features.size();) {
            before = features.size();
            std::set<Edge> known(features.begin(), features.end());
            for (const auto& image : images_)
                for (const Edge& e : all) {
                    const Edge there = image_of(image, e);
                    if (there[0] == kNone || known.contains(e) == known.contains(there)) continue;
                    if (!std::binary_search(all.begin(), all.end(), there)) continue;
                    for (const Edge& one : {e, there})
                        if (known.insert(one).second) features.push_back(one);
                }
        }
        std::sort(features.begin(), features.end());
    }

    void complete_corners(std::vector<PointKind>& kind) const {
        for (bool is_done = images_.empty(); !is_done;) {
            is_done = true;
            for (const auto& image : images_)
                for (Index p = 0; p < image.size(); ++p) {
                    const Index q = image[p];
                    if (q == kNone || kind[p] == kind[q]) continue;
                    if (kind[p] != PointKind::corner && kind[q] != PointKind::corner) continue;
                    kind[p] = kind[q] = PointKind::corner;
                    is_done = false;
                }
        }
    }

    /// Tells whose image each curve is, and lists its points in the other's order.
    void order_curves(Features& out) const {
        if (images_.empty()) return;
        std::vector<ImageLink> links;
        for (Index c = 0; c < out.curves.size(); ++c)
            for (Index k = 0; k < images_.size(); ++k) {
                const Edge there = image_of(images_[k], {out.curves[c].points[0], out.curves[c].points[1]});
                const Index image = there[0] == kNone ? kNone : out.curve_at(there);
                if (image != kNone && image_of(images_[k], out.curves[c]).size() == out.curves[image].points.size())
                    links.push_back({c, image, k});
            }
        out.original_curves = originals_of(out.curves.size(), links, domain_.periodic);
        // From each original outwards, over one link after the other.
        std::vector<char> is_ordered(out.curves.size(), 0);
        for (Index c = 0; c < out.curves.size(); ++c) is_ordered[c] = out.original_curves.is_image(c) ? 0 : 1;
        for (bool is_done = false; !is_done;) {
            is_done = true;
            for (const ImageLink& l : links) {
                if (is_ordered[l.from] == is_ordered[l.to]) continue;
                const bool forward = is_ordered[l.from] != 0;
                const Index known = forward ? l.from : l.to, other = forward ? l.to : l.from;
                out.curves[other].points = image_of(forward ? images_[l.pair] : reversed(l.pair), out.curves[known]);
                is_ordered[other] = 1;
                is_done = false;
            }
        }
    }

  private:
    static Edge image_of(const std::vector<Index>& image, const Edge& e) {
        const Index a = image[e[0]], b = image[e[1]];
        if (a == kNone || b == kNone) return {kNone, kNone};
        return {std::min(a, b), std::max(a, b)};
    }
    /// Empty where a point has none.
    static std::vector<Index> image_of(const std::vector<Index>& image, const FeatureCurve& curve) {
        std::vector<Index> out;
        for (const Index p : curve.points) {
            if (image[p] == kNone) return {};
            out.push_back(image[p]);
        }
        return out;
    }
    std::vector<Index> reversed(Index pair) const {
        std::vector<Index> back(images_[pair].size(), kNone);
        for (Index p = 0; p < back.size(); ++p)
            if (images_[pair][p] != kNone) back[images_[pair][p]] = p;
        return back;
    }

    const Domain& domain_;
    std::vector<std::vector<Index>> images_;  // of each pair
};

double angle_at(const Surface& s, Index t, int k) {
    const Vec3 u = s.corner(t, (k + 1) % 3) - s.corner(t, k), v = s.corner(t, (k + 2) % 3) - s.corner(t, k);
    return std::atan2(length(cross(u, v)), dot(u, v));
}

/// Corners of triangles that hang together round their point without a feature edge between them share a normal.
void find_normals(const Surface& s, const std::vector<Vec3>& normals, const SurfaceEdges& edges, Features& out) {
    DisjointSets groups(3 * s.triangles.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        if (std::binary_search(out.edges.begin(), out.edges.end(), edges.ends(e))) continue;
        const auto &u = edges.begin(e)[0], &v = edges.begin(e)[1];
        // The two run along the edge in opposite directions.
        groups.join(3 * u.triangle + u.side, 3 * v.triangle + (v.side + 1) % 3);
        groups.join(3 * u.triangle + (u.side + 1) % 3, 3 * v.triangle + v.side);
    }
    std::vector<Index> number(3 * s.triangles.size(), kNone);
    out.normal_of_corner.resize(number.size());
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k) {
            const Index corner = 3 * t + static_cast<Index>(k);
            Index& group = number[groups.find(corner)];
            if (group == kNone) {
                group = static_cast<Index>(out.normals.size());
                out.normals.emplace_back();
            }
            out.normal_of_corner[corner] = group;
            out.normals[group] += normals[t] * angle_at(s, t, k);
        }
    for (Vec3& n : out.normals) n = normalized(n);
}

}  // namespace

Index Features::curve_at(const Edge& edge) const {
    const auto found = std::lower_bound(edges.begin(), edges.end(), edge);
    return found != edges.end() && *found == edge ? curve_of_edge[static_cast<std::size_t>(found - edges.begin())]
                                                  : kNone;
}

Features find_features(const Domain& domain, double feature_angle) {
    const Surface& s = domain.boundary;
    const SurfaceEdges edges(s.triangles, s.points.size());
    std::vector<Vec3> normals(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t)
        normals[t] = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
    Features out;
    for (std::size_t e = 0; e < edges.size(); ++e)
        if (is_feature(domain, normals, edges, e, cos_deg(feature_angle))) out.edges.push_back(edges.ends(e));
    std::sort(out.edges.begin(), out.edges.end());
    const Repetition repetition(domain);
    repetition.complete_edges(edges, out.edges);
    DisjointSets patches(s.triangles.size());
    for (std::size_t e = 0; e < edges.size(); ++e)
        if (!std::binary_search(out.edges.begin(), out.edges.end(), edges.ends(e)))
            patches.join(edges.begin(e)[0].triangle, edges.begin(e)[1].triangle);
    std::vector<Index> number(s.triangles.size(), kNone);
    out.patch_of.resize(s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t) {
        Index& patch = number[patches.find(t)];
        if (patch == kNone) patch = out.n_patches++;
        out.patch_of[t] = patch;
    }
    const EdgesAtPoints at(out.edges, s.points.size());
    find_corners(s, edges, at, out);
    repetition.complete_corners(out.kind);
    find_curves(at, out);
    repetition.order_curves(out);
    find_normals(s, normals, edges, out);
    return out;
}

}  // namespace anvilcast::shape
