#include "shape/find_image.hpp"

#include <anvilcast/triangle_tree.hpp>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <iterator>
#include <numbers>
#include <optional>

namespace anvilcast::shape {
namespace {

/// Integrals over the area of a side.
struct Moments {
    double area = 0;
    Vec3 center, vector;  ///< its mean place, and the sum of its area vectors
    Eigen::Matrix3d second = Eigen::Matrix3d::Zero();
};

Eigen::Vector3d eigen(const Vec3& v) { return {v.x, v.y, v.z}; }

Moments moments_of(const std::vector<Vec3>& points, const Side& side) {
    Moments out;
    for (const Triangle& t : side.triangles) {
        const Vec3 &a = points[t[0]], &b = points[t[1]], &c = points[t[2]];
        const double area = triangle_area(a, b, c);
        out.area += area;
        out.vector += triangle_normal(a, b, c) * 0.5;
        out.center += (a + b + c) * (area / 3);
    }
    out.center = out.center / out.area;
    // Exact for linear triangles: the rule of the three midpoints of sides.
    for (const Triangle& t : side.triangles) {
        const double area = triangle_area(points[t[0]], points[t[1]], points[t[2]]);
        for (std::size_t k = 0; k < 3; ++k) {
            const Eigen::Vector3d m = eigen(midpoint(points[t[k]], points[t[(k + 1) % 3]]) - out.center);
            out.second += m * m.transpose() * (area / 3);
        }
    }
    return out;
}

/// By a turn that is given, so that the centres come over each other.
Placement onto(const Moments& first, const Moments& second, Placement turn) {
    turn.origin = {};
    turn.origin = second.center - turn.direction(first.center);
    return turn;
}

Placement from_matrix(const Eigen::Matrix3d& m) {
    Placement out;
    for (int k = 0; k < 3; ++k) out.image[static_cast<std::size_t>(k)] = {m(0, k), m(1, k), m(2, k)};
    return out;
}

/// What flows out of one side flows into the other: normals are turned about. Sides that close on themselves tell
/// nothing.
bool turns_normals_about(const Placement& p, const Moments& first, const Moments& second) {
    const double both = length(first.vector) * length(second.vector);
    if (both < 0.01 * first.area * second.area) return true;
    return -dot(p.direction(first.vector), second.vector) > 0.9 * both;
}

/// The simplest first; among those that only principal axes tell of, the ones that do not move along their axis.
std::vector<Placement> candidates(const Moments& first, const Moments& second) {
    std::vector<Placement> out{onto(first, second, {})};
    const Vec3 from = normalized(first.vector), to = normalized(-second.vector);
    const Vec3 axis = cross(from, to);
    const double turn = std::atan2(length(axis), dot(from, to)) * 180 / std::numbers::pi;
    if (length(axis) > 1e-6)
        out.push_back(onto(first, second, Placement::turned(axis, turn, {})));
    else if (turn > 90)
        out.push_back(onto(first, second, Placement::turned(cross(from, second.center - first.center), 180, {})));
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> a(first.second), b(second.second);
    std::vector<Placement> by_axes;
    for (int signs = 0; signs < 8; ++signs) {
        Eigen::Matrix3d flip = Eigen::Matrix3d::Identity();
        for (int k = 0; k < 3; ++k)
            if ((signs >> k & 1) != 0) flip(k, k) = -1;
        const Eigen::Matrix3d turned = b.eigenvectors() * flip * a.eigenvectors().transpose();
        if (turned.determinant() > 0) by_axes.push_back(onto(first, second, from_matrix(turned)));
    }
    std::stable_sort(by_axes.begin(), by_axes.end(), [](const Placement& p, const Placement& q) {
        return std::abs(screw_of(p).way) < std::abs(screw_of(q).way);
    });
    out.insert(out.end(), by_axes.begin(), by_axes.end());
    std::erase_if(out, [&](const Placement& p) { return !turns_normals_about(p, first, second); });
    return out;
}

/// The same with numbers that are nearly round made round.
Placement tidied(const Placement& p, double extent) {
    constexpr double kNearly = 1e-5;
    if (!p.is_turned()) {
        Placement out = p;
        for (int k = 0; k < 3; ++k)
            if (std::abs(out.origin[k]) < kNearly * length(p.origin)) out.origin[k] = 0;
        return out;
    }
    Screw s = screw_of(p);
    for (int k = 0; k < 3; ++k) {
        if (std::abs(s.axis[k]) < kNearly) s.axis[k] = 0;
        if (std::abs(s.about[k]) < kNearly * extent) s.about[k] = 0;
    }
    const double parts = std::round(360 / s.degrees);
    if (std::abs(s.degrees - 360 / parts) < kNearly * s.degrees) s.degrees = 360 / parts;
    if (std::abs(s.way) < kNearly * extent) s.way = 0;
    return after(Placement::turned(s.axis, s.degrees, s.about), Placement::moved(normalized(s.axis) * s.way));
}

std::vector<Index> points_of(const std::vector<Triangle>& triangles) {
    std::vector<Index> out;
    for (const Triangle& t : triangles) out.insert(out.end(), t.begin(), t.end());
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

/// Where two sides meet they are turned round what they have in common.
std::optional<Placement> about_shared_points(const std::vector<Vec3>& points, const Side& first, const Side& second,
                                             const Placement& image) {
    if (!image.is_turned()) return std::nullopt;
    const std::vector<Index> a = points_of(first.triangles), b = points_of(second.triangles);
    std::vector<Index> shared;
    std::set_intersection(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(shared));
    if (shared.size() < 2) return std::nullopt;
    const Vec3 from = points[shared.front()];
    const Index far = *std::max_element(shared.begin(), shared.end(), [&](Index p, Index q) {
        return distance(points[p], from) < distance(points[q], from);
    });
    const Screw s = screw_of(image);
    const Vec3 axis = points[far] - from;
    return Placement::turned(dot(axis, s.axis) < 0 ? axis * -1.0 : axis, s.degrees, from);
}

/// The farthest of some points, taken by a placement, from a tree.
void look(const std::vector<Vec3>& points, const std::vector<Index>& of, const Placement& to, const TriangleTree& tree,
          const Placement& told_by, Difference& worst) {
    for (const Index p : of) {
        const Vec3 there = to(points[p]);
        const double d = tree.closest(there).distance;
        if (d > worst.distance) worst = {d, told_by(there)};
    }
}

std::vector<Triangle> as_triangles(const std::vector<Edge>& edges) {
    std::vector<Triangle> out;
    for (const Edge& e : edges) out.push_back({e[0], e[1], e[1]});
    return out;
}

/// Both ways between two sides, their points and trees made once.
class Comparison {
  public:
    Comparison(const std::vector<Vec3>& points, const Side& first, const Side& second) : points_(points) {
        const std::vector<Triangle> rims[2] = {as_triangles(first.rims), as_triangles(second.rims)};
        const std::vector<Triangle>* all[2] = {&first.triangles, &second.triangles};
        for (std::size_t k = 0; k < 2; ++k) {
            on_[k] = points_of(*all[k]);
            on_rims_[k] = points_of(rims[k]);
            tree_[k] = TriangleTree(points, *all[k]);
            rim_tree_[k] = TriangleTree(points, rims[k]);
        }
    }

    Difference operator()(const Placement& image) const {
        const Placement back = inverse(image), stay;
        Difference worst;
        look(points_, on_[0], image, tree_[1], stay, worst);
        look(points_, on_[1], back, tree_[0], image, worst);
        if (on_rims_[0].empty() || on_rims_[1].empty()) return worst;
        look(points_, on_rims_[0], image, rim_tree_[1], stay, worst);
        look(points_, on_rims_[1], back, rim_tree_[0], image, worst);
        return worst;
    }

  private:
    const std::vector<Vec3>& points_;
    std::vector<Index> on_[2], on_rims_[2];
    TriangleTree tree_[2], rim_tree_[2];
};

}  // namespace

Side side_of(const Surface& surface, Index zone) {
    Side out;
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    for (Index t = 0; t < surface.triangles.size(); ++t)
        if (surface.zone_of[t] == zone) out.triangles.push_back(surface.triangles[t]);
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto n = std::count_if(edges.begin(e), edges.end(e),
                                     [&](const SurfaceEdges::Use& u) { return surface.zone_of[u.triangle] == zone; });
        if (n > 0 && (n != 2 || edges.n_uses(e) != 2)) out.rims.push_back(edges.ends(e));
    }
    std::sort(out.rims.begin(), out.rims.end());
    return out;
}

double as_good_as(double distance, const std::vector<Vec3>& points, const Side& side) {
    constexpr double kNoWorse = 4, kSingle = 1e-7;
    double farthest = 0;
    for (const Triangle& t : side.triangles)
        for (const Index p : t)
            for (int k = 0; k < 3; ++k) farthest = std::max(farthest, std::abs(points[p][k]));
    return kNoWorse * distance + kSingle * farthest;
}

Difference difference(const std::vector<Vec3>& points, const Side& first, const Side& second, const Placement& image) {
    return Comparison(points, first, second)(image);
}

FoundImage find_image(const std::vector<Vec3>& points, const Side& first, const Side& second) {
    const Moments from = moments_of(points, first), to = moments_of(points, second);
    const Comparison compare(points, first, second);
    Box box;
    for (const Triangle& t : first.triangles)
        for (const Index p : t) box.include(points[p]);
    const double extent = box.diagonal();
    std::vector<FoundImage> found;
    double least = Box::inf;
    for (const Placement& p : candidates(from, to)) {
        found.push_back({p, compare(p)});
        least = std::min(least, found.back().difference.distance);
    }
    FoundImage best;
    best.difference.distance = Box::inf;
    if (found.empty()) return best;
    // The ones before are simpler: sides that are symmetric come onto each other by others too, which rounding may
    // favour.
    constexpr double kFavour = 10, kRounded = 1e-6;
    best = *std::find_if(found.begin(), found.end(), [&](const FoundImage& f) {
        return f.difference.distance <= kFavour * least + kRounded * extent;
    });
    auto take = [&](const Placement& p) {
        const Difference d = compare(p);
        if (d.distance <= as_good_as(best.difference.distance, points, first)) best = {p, d};
    };
    if (const auto about = about_shared_points(points, first, second, best.image)) take(*about);
    take(tidied(best.image, std::max(extent, length(best.image.origin))));
    return best;
}

}  // namespace anvilcast::shape
