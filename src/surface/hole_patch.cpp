#include <anvilcast/weld.hpp>

#include "surface/hole_patch.hpp"

#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

namespace anvilcast::mending {
namespace {

constexpr std::size_t kMostForTable = 300;
constexpr std::size_t kMostTriangles = 200'000;

struct Weight {
    double angle = std::numbers::pi * 2;  // the sharpest turn between neighbouring triangles
    double area = Box::inf;
    bool operator<(const Weight& w) const { return angle != w.angle ? angle < w.angle : area < w.area; }
};

/// Angle between the normals of triangles (a, b, c) and (b, a, d): 0 when they are flat.
double turn_between(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const Vec3 m = triangle_normal(a, b, c), n = triangle_normal(b, a, d);
    const double size = length(m) * length(n);
    return size > 0 ? std::acos(std::clamp(dot(m, n) / size, -1.0, 1.0)) : std::numbers::pi;
}

/// Barequet and Sharir's table over all runs i..k of the rim, with Liepa's weights.
class Table {
  public:
    Table(const Hole& hole, const std::vector<Index>& ring)
        : hole_(hole), ring_(ring), n_(ring.size()), weight_(n_ * n_), middle_(n_ * n_, kNone) {}

    /// Triangles in rim numbers; nothing when every way needs an edge that is taken.
    std::vector<Triangle> triangles() {
        for (std::size_t i = 0; i + 1 < n_; ++i) weight(i, i + 1) = {0, 0};
        for (std::size_t span = 2; span < n_; ++span)
            for (std::size_t i = 0; i + span < n_; ++i) fill(i, i + span);
        std::vector<Triangle> out;
        if (middle_[n_ - 1] == kNone) return out;
        collect(0, n_ - 1, out);
        return out;
    }

  private:
    Weight& weight(std::size_t i, std::size_t k) { return weight_[i * n_ + k]; }
    const Vec3& at(std::size_t i) const { return hole_.rim[ring_[i]]; }
    bool is_rim_edge(std::size_t i, std::size_t k) const {
        const std::size_t n = hole_.rim.size();
        return (ring_[i] + 1) % n == ring_[k];
    }
    /// The corner beyond the edge from i to k of a triangle to be.
    const Vec3* beyond(std::size_t i, std::size_t k) const {
        if (is_rim_edge(i, k)) return &hole_.beyond[ring_[i]];
        const Index m = i < k ? middle_[i * n_ + k] : kNone;
        return m == kNone ? nullptr : &at(m);
    }
    void fill(std::size_t i, std::size_t k) {
        const bool closes = i == 0 && k == n_ - 1;
        if (!closes && hole_.joined(ring_[i], ring_[k])) return;  // stays infinite
        for (std::size_t m = i + 1; m < k; ++m) {
            const Weight &left = weight(i, m), &right = weight(m, k);
            if (left.area == Box::inf || right.area == Box::inf) continue;
            Weight w{std::max(left.angle, right.angle), left.area + right.area + triangle_area(at(i), at(m), at(k))};
            if (const Vec3* p = beyond(i, m)) w.angle = std::max(w.angle, turn_between(at(i), at(m), at(k), *p));
            if (const Vec3* p = beyond(m, k)) w.angle = std::max(w.angle, turn_between(at(m), at(k), at(i), *p));
            if (closes && is_rim_edge(k, i))
                w.angle = std::max(w.angle, turn_between(at(k), at(i), at(m), hole_.beyond[ring_[k]]));
            if (w < weight(i, k)) {
                weight(i, k) = w;
                middle_[i * n_ + k] = static_cast<Index>(m);
            }
        }
    }
    void collect(std::size_t i, std::size_t k, std::vector<Triangle>& out) const {
        if (k < i + 2) return;
        const std::size_t m = middle_[i * n_ + k];
        out.push_back({ring_[i], ring_[m], ring_[k]});
        collect(i, m, out);
        collect(m, k, out);
    }

    const Hole& hole_;
    const std::vector<Index>& ring_;
    std::size_t n_;
    std::vector<Weight> weight_;
    std::vector<Index> middle_;
};

/// Cuts off the corner with the smallest angle, seen along the rim's mean normal, until few enough are left.
std::vector<Triangle> cut_corners(const Hole& hole, std::vector<Index>& ring) {
    std::vector<Triangle> out;
    Vec3 normal;
    for (std::size_t i = 1; i + 1 < ring.size(); ++i)
        normal += triangle_normal(hole.rim[0], hole.rim[i], hole.rim[i + 1]);
    while (ring.size() > kMostForTable) {
        const std::size_t n = ring.size();
        double best = Box::inf;
        std::size_t at = n;
        for (std::size_t i = 0; i < n; ++i) {
            const Index a = ring[(i + n - 1) % n], b = ring[i], c = ring[(i + 1) % n];
            const Vec3 in = hole.rim[a] - hole.rim[b], on = hole.rim[c] - hole.rim[b];
            if (dot(cross(on, in), normal) <= 0 || hole.joined(a, c)) continue;
            const double angle = std::acos(std::clamp(dot(normalized(in), normalized(on)), -1.0, 1.0));
            if (angle < best) {
                best = angle;
                at = i;
            }
        }
        if (at == n) break;
        out.push_back({ring[(at + n - 1) % n], ring[at], ring[(at + 1) % n]});
        ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(at));
    }
    return out;
}

using EdgeMap = std::map<std::array<Index, 2>, std::array<Index, 2>>;

EdgeMap edges_of(const Patch& patch) {
    EdgeMap edges;
    for (Index t = 0; t < patch.triangles.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = patch.triangles[t][k], b = patch.triangles[t][(k + 1) % 3];
            auto [it, is_new] = edges.try_emplace({std::min(a, b), std::max(a, b)}, std::array{t, kNone});
            if (!is_new) it->second[1] = t;
        }
    return edges;
}

Index opposite(const Triangle& t, Index a, Index b) {
    for (const Index p : t)
        if (p != a && p != b) return p;
    return kNone;
}

double angle_at(const Vec3& p, const Vec3& a, const Vec3& b) {
    return std::acos(std::clamp(dot(normalized(a - p), normalized(b - p)), -1.0, 1.0));
}

/// Swaps edges whose opposite angles sum to more than a half turn, while that does not fold the patch.
bool relax(const Hole& hole, Patch& patch) {
    bool any = false;
    const EdgeMap edges = edges_of(patch);
    std::map<std::array<Index, 2>, bool> added;
    std::vector<bool> touched(patch.triangles.size(), false);
    for (const auto& [ends, sides] : edges) {
        const auto [s, t] = sides;
        if (t == kNone || touched[s] || touched[t]) continue;
        const auto [a, b] = ends;
        const Index c = opposite(patch.triangles[s], a, b), d = opposite(patch.triangles[t], a, b);
        const std::array<Index, 2> other{std::min(c, d), std::max(c, d)};
        if (edges.contains(other) || added.contains(other)) continue;
        if (c < hole.rim.size() && d < hole.rim.size() && hole.joined(c, d)) continue;
        const Vec3 &pa = patch.points[a], &pb = patch.points[b], &pc = patch.points[c], &pd = patch.points[d];
        if (angle_at(pc, pa, pb) + angle_at(pd, pa, pb) <= std::numbers::pi + 1e-9) continue;
        Triangle first = patch.triangles[s], second = patch.triangles[t];
        std::replace(first.begin(), first.end(), b, d);
        std::replace(second.begin(), second.end(), a, c);
        auto normal = [&](const Triangle& x) {
            return triangle_normal(patch.points[x[0]], patch.points[x[1]], patch.points[x[2]]);
        };
        const Vec3 before = normal(patch.triangles[s]) + normal(patch.triangles[t]);
        if (dot(normal(first), before) <= 0 || dot(normal(second), before) <= 0) continue;
        patch.triangles[s] = first;
        patch.triangles[t] = second;
        touched[s] = touched[t] = any = true;
        added[other] = true;
    }
    return any;
}

}  // namespace

Patch minimal_patch(const Hole& hole) {
    std::vector<Index> ring(hole.rim.size());
    for (Index i = 0; i < ring.size(); ++i) ring[i] = i;
    Patch patch{hole.rim, cut_corners(hole, ring)};
    if (ring.size() > kMostForTable) return {};
    const std::vector<Triangle> rest = Table(hole, ring).triangles();
    if (rest.empty()) return {};
    patch.triangles.insert(patch.triangles.end(), rest.begin(), rest.end());
    return patch;
}

Patch refined(const Hole& hole, Patch patch) {
    const double kDensity = std::numbers::sqrt2;
    std::vector<double> scale = hole.scale;
    while (patch.triangles.size() < kMostTriangles) {
        bool any = false;
        const std::size_t n = patch.triangles.size();
        for (std::size_t t = 0; t < n; ++t) {
            const Triangle c = patch.triangles[t];
            const Vec3 middle = (patch.points[c[0]] + patch.points[c[1]] + patch.points[c[2]]) / 3.0;
            const double own = (scale[c[0]] + scale[c[1]] + scale[c[2]]) / 3;
            const bool split = std::all_of(c.begin(), c.end(), [&](Index p) {
                return kDensity * distance(middle, patch.points[p]) > std::max(own, scale[p]);
            });
            if (!split) continue;
            const auto m = static_cast<Index>(patch.points.size());
            patch.points.push_back(middle);
            scale.push_back(own);
            patch.triangles[t] = {c[0], c[1], m};
            patch.triangles.push_back({c[1], c[2], m});
            patch.triangles.push_back({c[2], c[0], m});
            any = true;
        }
        if (!any) break;
        for (int i = 0; i < 50 && relax(hole, patch); ++i) {
        }
    }
    return patch;
}

Patch faired(const Hole& hole, Patch patch) {
    const std::size_t n_rim = hole.rim.size(), n_new = patch.points.size() - n_rim;
    if (n_new == 0) return patch;
    // The neighbours of each point; those of rim points include the corners beyond the rim, which are fixed.
    std::vector<std::vector<Index>> around(patch.points.size());
    for (const auto& [ends, sides] : edges_of(patch)) {
        around[ends[0]].push_back(ends[1]);
        around[ends[1]].push_back(ends[0]);
    }
    std::vector<std::vector<Vec3>> outside(n_rim);
    for (std::size_t i = 0; i < n_rim; ++i) {
        outside[i].push_back(hole.beyond[i]);
        outside[(i + 1) % n_rim].push_back(hole.beyond[i]);
    }
    // Least squares over the umbrella vectors of all points: mean of the neighbours less the point.
    const auto columns = static_cast<Eigen::Index>(n_new);
    Eigen::SparseMatrix<double> umbrella(static_cast<Eigen::Index>(patch.points.size()), columns);
    Eigen::MatrixXd right = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(patch.points.size()), 3);
    std::vector<Eigen::Triplet<double>> entries;
    for (std::size_t p = 0; p < patch.points.size(); ++p) {
        const double count = static_cast<double>(around[p].size() + (p < n_rim ? outside[p].size() : 0));
        const auto row = static_cast<Eigen::Index>(p);
        auto add = [&](std::size_t q, double factor) {
            if (q >= n_rim) {
                entries.emplace_back(row, static_cast<Eigen::Index>(q - n_rim), factor);
                return;
            }
            for (int axis = 0; axis < 3; ++axis) right(row, axis) -= factor * patch.points[q][axis];
        };
        add(p, -1);
        for (const Index q : around[p]) add(q, 1 / count);
        if (p < n_rim)
            for (const Vec3& q : outside[p])
                for (int axis = 0; axis < 3; ++axis) right(row, axis) -= q[axis] / count;
    }
    umbrella.setFromTriplets(entries.begin(), entries.end());
    const Eigen::SparseMatrix<double> normal_matrix = umbrella.transpose() * umbrella;
    const Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> solver(normal_matrix);
    if (solver.info() != Eigen::Success) return patch;
    const Eigen::MatrixXd solution = solver.solve(umbrella.transpose() * right);
    for (std::size_t i = 0; i < n_new; ++i)
        for (int axis = 0; axis < 3; ++axis)
            patch.points[n_rim + i][axis] = solution(static_cast<Eigen::Index>(i), axis);
    return patch;
}

}  // namespace anvilcast::mending
