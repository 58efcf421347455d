#include "fill/slide.hpp"

#include <algorithm>
#include <cmath>

#include "base/disjoint_sets.hpp"

namespace anvilcast::fill {
namespace {

/// Degrees between normals from which an edge stays.
constexpr double kFeatureAngle = 30;
/// What rounding may do, in lengths of an edge.
constexpr double kRounding = 1e-9;
/// Cosine of the angle between a triangle and what it lies on.
constexpr double kLeastAlike = 0.8;
/// Pieces of its curve on either side within which a point stays.
constexpr std::size_t kReach = 8;
/// Sheets of the surface at an edge. Between more of them the cells need not hang together.
constexpr std::size_t kMostSheets = 3;

Vec3 closest_on_segment(const Vec3& p, const Vec3& a, const Vec3& b) {
    const Vec3 along = b - a;
    const double l2 = dot(along, along);
    const double s = l2 > 0 ? std::clamp(dot(p - a, along) / l2, 0.0, 1.0) : 0.0;
    return a + along * s;
}

}  // namespace

Slide::Slide(const SurfaceMesh& mesh, const SurfaceTriangles& surface, const std::vector<Index>& order,
             const std::vector<char>& may_move, double tolerance)
    : surface_(surface), point_of_(order), tolerance_(tolerance) {
    mesh_.boundary = mesh.surface;
    mesh_.sides = mesh.sides;
    features_ = shape::find_features(mesh_, kFeatureAngle);
    const Surface& s = mesh_.boundary;
    on_curve_.resize(s.points.size());
    for (Index c = 0; c < features_.curves.size(); ++c)
        for (Index k = 0; k < features_.curves[c].points.size(); ++k) on_curve_[features_.curves[c].points[k]] = {c, k};
    patch_at_.assign(s.points.size(), kNone);
    std::vector<std::vector<Triangle>> of_patch(features_.n_patches);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        of_patch[features_.patch_of[t]].push_back(s.triangles[t]);
        for (const Index p : s.triangles[t]) patch_at_[p] = features_.patch_of[t];
    }
    for (const auto& triangles : of_patch) {
        tree_.emplace_back(s.points, triangles);
        for (const Triangle& t : triangles)
            normals_.push_back(normalized(triangle_normal(s.points[t[0]], s.points[t[1]], s.points[t[2]])));
        first_normal_.push_back(normals_.size());
    }
    find_movable(may_move);
}

/// Corners stay, and so do points where sheets of the surface touch that are not joined there over edges.
void Slide::find_movable(const std::vector<char>& may_move) {
    const Surface& s = mesh_.boundary;
    struct Use {
        Edge edge;
        Index triangle;
    };
    std::vector<Use> uses;
    uses.reserve(3 * s.triangles.size());
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
            uses.push_back({{std::min(a, b), std::max(a, b)}, t});
        }
    std::sort(uses.begin(), uses.end(),
              [](const Use& a, const Use& b) { return a.edge != b.edge ? a.edge < b.edge : a.triangle < b.triangle; });
    auto corner = [&s](Index t, Index p) {
        const Triangle& c = s.triangles[t];
        return static_cast<Index>(3 * std::size_t{t} + (c[0] == p ? 0U : c[1] == p ? 1U : 2U));
    };
    may_move_.assign(s.points.size(), 1);
    DisjointSets sheets(3 * s.triangles.size());
    for (std::size_t i = 0, j = 0; i < uses.size(); i = j) {
        for (j = i; j < uses.size() && uses[j].edge == uses[i].edge; ++j)
            for (const Index p : uses[i].edge) sheets.join(corner(uses[i].triangle, p), corner(uses[j].triangle, p));
        if (j - i > kMostSheets)
            for (const Index p : uses[i].edge) may_move_[p] = 0;
    }
    std::vector<Index> sheet_at(s.points.size(), kNone);
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (const Index p : s.triangles[t]) {
            const Index sheet = sheets.find(corner(t, p));
            if (sheet_at[p] == kNone) sheet_at[p] = sheet;
            if (sheet_at[p] != sheet) may_move_[p] = 0;
        }
    for (Index p = 0; p < s.points.size(); ++p)
        if (features_.kind[p] == shape::PointKind::corner || (!may_move.empty() && may_move[p] == 0)) may_move_[p] = 0;
}

Vec3 Slide::foot(Index vertex, const Vec3& p, const Vec3& near) const {
    const Index point = point_of_[vertex - 1];
    if (features_.kind[point] == shape::PointKind::curve) return foot_on_curve(on_curve_[point], p);
    const TriangleTree& tree = tree_[patch_at_[point]];
    // A hair more than what rounding may have made of the place near by.
    const auto closest = tree.closest(p, 1.001 * distance(p, near));
    return closest.triangle != kNone ? closest.point : tree.closest(p).point;
}

Vec3 Slide::foot_on_curve(const OnCurve& place, const Vec3& p) const {
    const shape::FeatureCurve& curve = features_.curves[place.curve];
    const std::size_t n = curve.points.size() - 1;  // pieces
    const std::size_t reach = std::min(kReach, n);
    Vec3 best = mesh_.boundary.points[curve.points[place.at]];
    for (std::size_t k = 0; k < 2 * reach; ++k) {
        std::size_t piece = place.at + k;
        if (curve.is_loop())
            piece = (piece + n - reach % n) % n;
        else if (piece < reach || piece - reach >= n)
            continue;
        else
            piece -= reach;
        const Vec3 foot = closest_on_segment(p, mesh_.boundary.points[curve.points[piece]],
                                             mesh_.boundary.points[curve.points[piece + 1]]);
        if (distance_squared(foot, p) < distance_squared(best, p)) best = foot;
    }
    return best;
}

bool Slide::is_close(Index tag, const std::array<Index, 3>& vertices, const std::array<Vec3, 3>& corners) const {
    const Index patch = features_.patch_of[surface_.parent[tag]];
    double longest = 0;
    for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, distance(corners[k], corners[(k + 1) % 3]));
    const double most = std::max(tolerance_, kRounding * longest);
    auto is_near = [&](const Vec3& p) { return tree_[patch].closest(p, most).triangle != kNone; };
    for (const std::size_t k : {std::size_t{1}, std::size_t{2}}) {
        // A point that recovery added stays where it was told to be: on the edge or triangle as it was.
        if (vertices[k] > point_of_.size()) return false;
        const Vec3 middle = midpoint(corners[0], corners[k]);
        if (!is_near(middle)) return false;
        const Index p = point_of_[vertices[0] - 1], q = point_of_[vertices[k] - 1];
        if (features_.curve_at({std::min(p, q), std::max(p, q)}) != kNone &&
            distance(foot_on_curve(on_curve_[p], middle), middle) > most)
            return false;
    }
    const auto middle = tree_[patch].closest((corners[0] + corners[1] + corners[2]) / 3.0, most);
    if (middle.triangle == kNone) return false;
    const Vec3& normal = normals_[(patch > 0 ? first_normal_[patch - 1] : 0) + middle.triangle];
    return std::abs(dot(normal, normalized(triangle_normal(corners[0], corners[1], corners[2])))) > kLeastAlike;
}

}  // namespace anvilcast::fill
