#include "surfmesh/flaws.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "geometry/triangle_shape.hpp"

namespace anvilcast::surfmesh {
namespace {

constexpr double kDegrees = 180 / std::numbers::pi;
/// Layers and cells upon smaller angles are as flat as rounding lets them be.
constexpr double kLeastAngle = 0.5;
/// Coarse triangles on a small sphere turn by 90 degrees from one to the next; a fold is back upon itself.
constexpr double kFold = 135;
/// Three chords to a turn have 17 % less length than the arc; a patch that collapsed has lost nearly all.
constexpr double kLostArea = 0.1;
constexpr int kFewChords = 8;

double angle_between(const Vec3& a, const Vec3& b) { return std::atan2(length(cross(a, b)), dot(a, b)) * kDegrees; }

double smallest_angle(const std::array<Vec3, 3>& p) {
    double least = 180;
    for (std::size_t k = 0; k < 3; ++k)
        least = std::min(least, angle_between(p[(k + 1) % 3] - p[k], p[(k + 2) % 3] - p[k]));
    return least;
}

std::array<Vec3, 3> corners(const Draft& mesh, Index t) {
    const Triangle& c = mesh.triangles[t];
    return {mesh.points[c[0]], mesh.points[c[1]], mesh.points[c[2]]};
}

Vec3 normal(const std::array<Vec3, 3>& p) { return triangle_normal(p[0], p[1], p[2]); }

}  // namespace

std::vector<FlawedTriangle> flawed_triangles(const Original& original, const Draft& mesh) {
    std::vector<FlawedTriangle> out;
    auto add = [&](SurfaceFlawKind kind, Index t, double value) {
        const Triangle& c = mesh.triangles[t];
        const bool is_forced =
            std::none_of(c.begin(), c.end(), [&](Index p) { return mesh.kind[p] == PointKind::patch; });
        out.push_back({{kind, geometry::middle_of(corners(mesh, t)), value, original.zone_of_patch(mesh.patch_of[t])},
                       t,
                       is_forced});
    };
    for (Index t = 0; t < mesh.triangles.size(); ++t)
        if (const double angle = smallest_angle(corners(mesh, t)); angle < kLeastAngle)
            add(SurfaceFlawKind::needle, t, angle);
    const SurfaceEdges edges(mesh.triangles, mesh.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto* use = edges.begin(e);
        if (edges.n_uses(e) != 2 || (mesh.feature_sides[use[0].triangle] >> use[0].side & 1U) != 0) continue;
        const double turn =
            angle_between(normal(corners(mesh, use[0].triangle)), normal(corners(mesh, use[1].triangle)));
        if (turn > kFold) add(SurfaceFlawKind::fold, use[0].triangle, turn);
    }
    std::stable_sort(out.begin(), out.end(), [](const FlawedTriangle& a, const FlawedTriangle& b) {
        if (a.flaw.kind != b.flaw.kind) return a.flaw.kind < b.flaw.kind;
        return a.flaw.kind == SurfaceFlawKind::needle ? a.flaw.value < b.flaw.value : a.flaw.value > b.flaw.value;
    });
    return out;
}

std::vector<SurfaceFlaw> flawed_areas(const Original& original, const Draft& mesh) {
    const Surface& given = original.surface();
    std::vector<double> before(given.zones.size(), 0), after(given.zones.size(), 0);
    std::vector<int> n(given.zones.size(), 0);
    std::vector<Vec3> place(given.zones.size());
    for (Index t = 0; t < given.triangles.size(); ++t)
        before[given.zone_of[t]] += triangle_area(given.corner(t, 0), given.corner(t, 1), given.corner(t, 2));
    for (Index t = 0; t < mesh.triangles.size(); ++t) {
        const auto p = corners(mesh, t);
        const Index zone = original.zone_of_patch(mesh.patch_of[t]);
        after[zone] += triangle_area(p[0], p[1], p[2]);
        if (n[zone]++ == 0) place[zone] = geometry::middle_of(p);
    }
    std::vector<SurfaceFlaw> out;
    for (Index z = 0; z < before.size(); ++z) {
        if (before[z] == 0) continue;
        const double share = after[z] / before[z];
        if (n[z] >= kFewChords ? std::abs(share - 1) > kLostArea : share < kLostArea)
            out.push_back({SurfaceFlawKind::lost_area, place[z], share, z});
    }
    return out;
}

}  // namespace anvilcast::surfmesh
