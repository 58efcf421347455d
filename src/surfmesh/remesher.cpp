#include "surfmesh/remesher.hpp"

#include <algorithm>
#include <cmath>

namespace anvilcast::surfmesh {
namespace {

constexpr double kLongest = 4.0 / 3.0;
constexpr double kShortest = 4.0 / 5.0;
/// A triangle agrees with its patch when their normals differ by less than 45 degrees.
constexpr double kLeastAgreement = 0.7071;
constexpr double kDisagrees = -2;
/// Moves below this share of the local size are not worth the tests.
constexpr double kLeastMove = 0.01;

Vec3 middle(const std::array<Vec3, 3>& c) { return (c[0] + c[1] + c[2]) / 3.0; }

/// Smallest angle as its cosine turned round: larger is better, 0.5 for the equilateral triangle, -1 at worst.
double angle_quality(const std::array<Vec3, 3>& c) {
    double worst = -1;
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 u = normalized(c[(k + 1) % 3] - c[k]), v = normalized(c[(k + 2) % 3] - c[k]);
        worst = std::max(worst, dot(u, v));
    }
    return -worst;
}

}  // namespace

Remesher::Remesher(const Domain& domain, const Patches& patches, SizeAt size_at, double deviation)
    : patches_(patches),
      size_at_(std::move(size_at)),
      deviation_(deviation),
      points_(domain.boundary.points),
      kind_(patches.kind),
      triangles_(domain.boundary.triangles),
      patch_of_(patches.patch_of),
      star_(points_.size()),
      zone_of_patch_(patches.patch_tree.size()),
      sides_of_patch_(patches.patch_tree.size()) {
    for (const Vec3& p : points_) size_.push_back(size_at_(p));
    for (Index t = 0; t < triangles_.size(); ++t) {
        for (const Index p : triangles_[t]) star_[p].push_back(t);
        zone_of_patch_[patch_of_[t]] = domain.boundary.zone_of[t];
        sides_of_patch_[patch_of_[t]] = domain.sides[t];
    }
    for (const auto& f : patches.feature_edges) features_[key(f.ends[0], f.ends[1])] = f.curve;
}

Index Remesher::curve_of_edge(Index a, Index b) const {
    const auto it = features_.find(key(a, b));
    return it == features_.end() ? kNone : it->second;
}

std::vector<Index> Remesher::triangles_at_edge(Index a, Index b) const {
    std::vector<Index> found;
    for (const Index t : star_[a])
        if (std::find(triangles_[t].begin(), triangles_[t].end(), b) != triangles_[t].end()) found.push_back(t);
    return found;
}

std::vector<Index> Remesher::neighbours(Index v) const {
    std::vector<Index> found;
    for (const Index t : star_[v])
        for (const Index p : triangles_[t])
            if (p != v) found.push_back(p);
    std::sort(found.begin(), found.end());
    found.erase(std::unique(found.begin(), found.end()), found.end());
    return found;
}

Remesher::Corners Remesher::corners(Index t) const {
    return {points_[triangles_[t][0]], points_[triangles_[t][1]], points_[triangles_[t][2]]};
}

Remesher::Corners Remesher::corners_with(Index t, Index moved, const Vec3& place) const {
    Corners c = corners(t);
    for (std::size_t k = 0; k < 3; ++k)
        if (triangles_[t][k] == moved) c[k] = place;
    return c;
}

/// Cosine between the triangle and its patch below its middle; kDisagrees when it is too far from the patch.
double Remesher::agreement(const Corners& c, Index patch, double size) const {
    const auto normal = patches_.normal_near(patch, middle(c), deviation_ * size);
    return normal ? dot(normalized(triangle_normal(c[0], c[1], c[2])), *normal) : kDisagrees;
}

/// Good enough, or at least no worse than before.
bool Remesher::is_acceptable(const Corners& after, const Corners& before, Index patch, double size) const {
    const double now = agreement(after, patch, size);
    return now >= kLeastAgreement || (now > 0 && now >= agreement(before, patch, size));
}

/// Forgets removed triangles, so that passes over all triangles stay short.
void Remesher::drop_dead_triangles() {
    Index n = 0;
    for (Index t = 0; t < triangles_.size(); ++t) {
        if (!is_alive(t)) continue;
        for (const Index p : triangles_[t]) *std::find(star_[p].begin(), star_[p].end(), t) = n;
        triangles_[n] = triangles_[t];
        patch_of_[n++] = patch_of_[t];
    }
    triangles_.resize(n);
    patch_of_.resize(n);
}

void Remesher::add_triangle(const Triangle& corners_in, Index patch) {
    const auto t = static_cast<Index>(triangles_.size());
    triangles_.push_back(corners_in);
    patch_of_.push_back(patch);
    for (const Index p : corners_in) star_[p].push_back(t);
}

void Remesher::remove_triangle(Index t) {
    for (const Index p : triangles_[t]) std::erase(star_[p], t);
    triangles_[t] = {kNone, kNone, kNone};
}

bool Remesher::split(Index a, Index b) {
    const std::vector<Index> around = triangles_at_edge(a, b);
    const Index curve = curve_of_edge(a, b);
    Vec3 place = midpoint(points_[a], points_[b]);
    place = curve != kNone ? patches_.curve_tree[curve].closest(place).point
                           : patches_.closest(patch_of_[around.front()], place).point;
    if (place == points_[a] || place == points_[b]) return false;
    const double size = size_at_(place);
    for (const Index t : around) {
        for (const Index end : {a, b})
            if (!is_acceptable(corners_with(t, end, place), corners(t), patch_of_[t], size)) return false;
    }
    const auto m = static_cast<Index>(points_.size());
    points_.push_back(place);
    size_.push_back(size);
    kind_.push_back(curve != kNone ? PointKind::curve : PointKind::patch);
    star_.emplace_back();
    for (const Index t : around) {
        Triangle first = triangles_[t], second = triangles_[t];
        std::replace(first.begin(), first.end(), b, m);
        std::replace(second.begin(), second.end(), a, m);
        const Index patch = patch_of_[t];
        remove_triangle(t);
        add_triangle(first, patch);
        add_triangle(second, patch);
    }
    if (curve != kNone) {
        features_.erase(key(a, b));
        features_[key(a, m)] = curve;
        features_[key(m, b)] = curve;
    }
    return true;
}

std::size_t Remesher::split_long_edges() {
    std::size_t total = 0;
    for (int pass = 0; pass < 40; ++pass) {
        drop_dead_triangles();
        struct Edge {
            double excess;
            Index a, b;
        };
        std::vector<Edge> edges;
        for (const Triangle& t : triangles_) {
            if (t[0] == kNone) continue;
            for (std::size_t k = 0; k < 3; ++k) {
                const Index a = std::min(t[k], t[(k + 1) % 3]), b = std::max(t[k], t[(k + 1) % 3]);
                const double excess = distance(points_[a], points_[b]) / target_length(a, b);
                if (excess > kLongest) edges.push_back({excess, a, b});
            }
        }
        // The longest first: its triangles are cut where that helps them most.
        std::sort(edges.begin(), edges.end(), [](const Edge& p, const Edge& q) {
            return p.excess != q.excess ? p.excess > q.excess : p.a != q.a ? p.a < q.a : p.b < q.b;
        });
        std::size_t n = 0;
        for (std::size_t i = 0; i < edges.size(); ++i) {
            if (i > 0 && edges[i].a == edges[i - 1].a && edges[i].b == edges[i - 1].b) continue;
            if (!triangles_at_edge(edges[i].a, edges[i].b).empty()) n += split(edges[i].a, edges[i].b) ? 1 : 0;
        }
        total += n;
        if (n == 0) break;
    }
    return total;
}

/// Corners stay; a curve point may only go along its curve.
bool Remesher::may_collapse_onto(Index removed, Index kept) const {
    if (kind_[removed] == PointKind::corner) return false;
    return kind_[removed] == PointKind::patch || is_feature(removed, kept);
}

bool Remesher::collapse(Index removed, Index kept) {
    const std::vector<Index> around = triangles_at_edge(removed, kept);
    // Link condition: the ends have no common neighbours but the tips of the triangles at the edge.
    std::vector<Index> common, ours = neighbours(removed), theirs = neighbours(kept);
    std::set_intersection(ours.begin(), ours.end(), theirs.begin(), theirs.end(), std::back_inserter(common));
    if (common.size() != around.size()) return false;
    const Vec3& place = points_[kept];
    for (const Index p : ours)
        if (p != kept && distance(points_[p], place) > kLongest * target_length(p, kept)) return false;
    for (const Index t : star_[removed]) {
        if (std::find(around.begin(), around.end(), t) != around.end()) continue;
        const Corners after = corners_with(t, removed, place);
        if (!is_acceptable(after, corners(t), patch_of_[t], size_[kept])) return false;
        if (angle_quality(after) < -0.99 && angle_quality(after) < angle_quality(corners(t))) return false;
    }
    // A curve must not be cut short: the middle of the new curve edge stays near the original curve.
    std::vector<Index> curve_ends;
    Index curve = kNone;
    if (kind_[removed] == PointKind::curve) {
        curve = curve_of_edge(removed, kept);
        for (const Index p : ours)
            if (p != kept && is_feature(removed, p)) curve_ends.push_back(p);
        for (const Index p : curve_ends) {
            if (is_feature(p, kept)) return false;
            if (patches_.curve_tree[curve].closest(midpoint(points_[p], place)).distance > deviation_ * size_[kept])
                return false;
        }
    }
    const std::vector<Index> star = star_[removed];
    for (const Index t : star) {
        Triangle moved = triangles_[t];
        const Index patch = patch_of_[t];
        remove_triangle(t);
        if (std::find(around.begin(), around.end(), t) != around.end()) continue;
        std::replace(moved.begin(), moved.end(), removed, kept);
        add_triangle(moved, patch);
    }
    if (curve != kNone) {
        features_.erase(key(removed, kept));
        for (const Index p : curve_ends) {
            features_.erase(key(removed, p));
            features_[key(p, kept)] = curve;
        }
    }
    return true;
}

std::size_t Remesher::collapse_short_edges() {
    drop_dead_triangles();
    std::size_t n = 0;
    const std::size_t n_before = triangles_.size();
    for (Index t = 0; t < n_before; ++t) {
        for (std::size_t k = 0; k < 3; ++k) {
            if (!is_alive(t)) break;
            const Index a = triangles_[t][k], b = triangles_[t][(k + 1) % 3];
            if (distance(points_[a], points_[b]) >= kShortest * target_length(a, b)) continue;
            if ((may_collapse_onto(a, b) && collapse(a, b)) || (may_collapse_onto(b, a) && collapse(b, a))) ++n;
        }
    }
    return n;
}

bool Remesher::flip(Index a, Index b) {
    const std::vector<Index> around = triangles_at_edge(a, b);
    if (around.size() != 2 || is_feature(a, b) || patch_of_[around[0]] != patch_of_[around[1]]) return false;
    const Index patch = patch_of_[around[0]];
    auto tip = [&](Index t) {
        for (const Index p : triangles_[t])
            if (p != a && p != b) return p;
        return kNone;
    };
    // Let the first triangle run a -> b.
    const Triangle& first = triangles_[around[0]];
    const auto at = static_cast<std::size_t>(std::find(first.begin(), first.end(), a) - first.begin());
    if (first[(at + 1) % 3] != b) std::swap(a, b);
    const Index c = tip(around[0]), d = tip(around[1]);
    if (c == d) return false;
    const Corners p{points_[a], points_[d], points_[c]}, q{points_[d], points_[b], points_[c]};
    const double quality_before = std::min(angle_quality(corners(around[0])), angle_quality(corners(around[1])));
    if (std::min(angle_quality(p), angle_quality(q)) <= quality_before + 1e-6) return false;
    if (!triangles_at_edge(c, d).empty()) return false;
    const double size = target_length(a, b);
    const Corners worse = agreement(corners(around[0]), patch, size) < agreement(corners(around[1]), patch, size)
                              ? corners(around[0])
                              : corners(around[1]);
    if (!is_acceptable(p, worse, patch, size) || !is_acceptable(q, worse, patch, size)) return false;
    remove_triangle(around[0]);
    remove_triangle(around[1]);
    add_triangle({a, d, c}, patch);
    add_triangle({d, b, c}, patch);
    return true;
}

std::size_t Remesher::flip_edges() {
    drop_dead_triangles();
    std::size_t total = 0;
    // After the first pass only the triangles that the pass before made can have edges worth a flip.
    Index first = 0;
    for (int pass = 0; pass < 8; ++pass) {
        const auto end = static_cast<Index>(triangles_.size());
        for (Index t = first; t < end; ++t)
            for (std::size_t k = 0; k < 3 && is_alive(t); ++k) {
                const Index a = triangles_[t][k], b = triangles_[t][(k + 1) % 3];
                if ((pass > 0 || a < b) && flip(a, b)) ++total;
            }
        first = end;
        if (first == triangles_.size()) break;
    }
    return total;
}

Vec3 Remesher::smoothed_place(Index v) const {
    if (kind_[v] == PointKind::curve) {
        Vec3 sum;
        int n = 0;
        Index curve = kNone;
        for (const Index p : neighbours(v))
            if (is_feature(v, p)) {
                sum += points_[p];
                curve = curve_of_edge(v, p);
                ++n;
            }
        return n == 2 ? patches_.curve_tree[curve].closest(sum / 2.0).point : points_[v];
    }
    Vec3 sum;
    double weight = 0;
    for (const Index t : star_[v]) {
        const Corners c = corners(t);
        const double size = size_[triangles_[t][0]] + size_[triangles_[t][1]] + size_[triangles_[t][2]];
        const double w = triangle_area(c[0], c[1], c[2]) / (size * size);
        sum += middle(c) * w;
        weight += w;
    }
    if (!(weight > 0)) return points_[v];
    // The point itself is on its patch: the closest point is no farther from the middle than that.
    const Vec3 middle_of_star = sum / weight;
    const double reach = distance(middle_of_star, points_[v]) * 1.001 + 1e-9 * size_[v];
    const auto hit = patches_.patch_tree[patch_of_[star_[v].front()]].closest(middle_of_star, reach);
    return hit.triangle == kNone ? points_[v] : hit.point;
}

bool Remesher::move(Index v, const Vec3& place) {
    if (distance(place, points_[v]) < kLeastMove * size_[v]) return false;
    double quality_before = 1, quality_after = 1;
    for (const Index t : star_[v]) {
        const Corners now = corners(t), then = corners_with(t, v, place);
        quality_before = std::min(quality_before, angle_quality(now));
        quality_after = std::min(quality_after, angle_quality(then));
    }
    // cos 40 degrees: angles above that need no defending.
    if (quality_after < quality_before && quality_after < -0.766) return false;
    for (const Index t : star_[v])
        if (!is_acceptable(corners_with(t, v, place), corners(t), patch_of_[t], size_[v])) return false;
    points_[v] = place;
    size_[v] = size_at_(place);
    return true;
}

void Remesher::smooth() {
    for (Index v = 0; v < points_.size(); ++v)
        if (!star_[v].empty() && kind_[v] != PointKind::corner) move(v, smoothed_place(v));
}

SurfaceMesh Remesher::result(const Domain& domain) const {
    SurfaceMesh out;
    out.surface.zones = domain.boundary.zones;
    for (const DomainRegion& r : domain.regions) out.regions.push_back({r.name, r.kind});
    std::vector<Index> number(points_.size(), kNone);
    for (Index v = 0; v < points_.size(); ++v) {
        if (star_[v].empty()) continue;
        number[v] = static_cast<Index>(out.surface.points.size());
        out.surface.points.push_back(points_[v]);
    }
    for (Index t = 0; t < triangles_.size(); ++t) {
        if (!is_alive(t)) continue;
        const Triangle& c = triangles_[t];
        const Index patch = patch_of_[t];
        out.surface.triangles.push_back({number[c[0]], number[c[1]], number[c[2]]});
        out.surface.zone_of.push_back(zone_of_patch_[patch]);
        out.sides.push_back(sides_of_patch_[patch]);
        for (const Vec3& p : {middle(corners(t)), midpoint(points_[c[0]], points_[c[1]]),
                              midpoint(points_[c[1]], points_[c[2]]), midpoint(points_[c[2]], points_[c[0]])}) {
            const double d = patches_.closest(patch, p).distance;
            if (d > out.largest_deviation) {
                out.largest_deviation = d;
                out.largest_deviation_at = p;
            }
        }
    }
    return out;
}

}  // namespace anvilcast::surfmesh
