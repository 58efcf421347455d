#include "surfmesh/original.hpp"

#include <tbb/parallel_for.h>

namespace anvilcast::surfmesh {

Original::Original(const Domain& domain, double feature_angle)
    : domain_(domain), features_(shape::find_features(domain, feature_angle)), list_(features_.n_patches) {
    for (Index t = 0; t < surface().triangles.size(); ++t) list_[features_.patch_of[t]].push_back(t);
    tree_.resize(list_.size());
    tbb::parallel_for(std::size_t{0}, list_.size(), [this](std::size_t patch) {
        std::vector<Triangle> triangles;
        for (const Index t : list_[patch]) triangles.push_back(surface().triangles[t]);
        tree_[patch] = TriangleTree(surface().points, triangles);
    });
}

std::array<double, 3> Original::weights(Index t, const Vec3& p) const {
    const Vec3 &a = surface().corner(t, 0), &b = surface().corner(t, 1), &c = surface().corner(t, 2);
    const Vec3 n = triangle_normal(a, b, c);
    const double area = length_squared(n);
    if (!(area > 0)) return {1, 0, 0};
    const double wb = dot(cross(p - a, c - a), n) / area, wc = dot(cross(b - a, p - a), n) / area;
    return {1 - wb - wc, wb, wc};
}

Original::Foot Original::foot(Index patch, const Vec3& p, double reach) const {
    const auto hit = tree_[patch].closest(p, reach);
    if (hit.triangle == kNone) return {p, {}, Box::inf};
    const Index t = list_[patch][hit.triangle];
    const auto w = weights(t, hit.point);
    Vec3 normal;
    for (std::size_t k = 0; k < 3; ++k) normal += features_.normal(t, k) * w[k];
    return {hit.point, normalized(normal), hit.distance};
}

Vec3 Original::curved_place(Index patch, const Vec3& p) const {
    const auto hit = tree_[patch].closest(p);
    const Index t = list_[patch][hit.triangle];
    const auto w = weights(t, hit.point);
    const std::array<Vec3, 3> corner{surface().corner(t, 0), surface().corner(t, 1), surface().corner(t, 2)};
    // Control points of the sides lie in the tangent planes of their ends.
    auto side = [&](std::size_t i, std::size_t j) {
        const Vec3& n = features_.normal(t, i);
        return (2 * corner[i] + corner[j] - dot(corner[j] - corner[i], n) * n) / 3.0;
    };
    Vec3 place, sides, corners;
    for (std::size_t i = 0; i < 3; ++i) {
        const std::size_t j = (i + 1) % 3;
        const Vec3 ij = side(i, j), ji = side(j, i);
        place += corner[i] * (w[i] * w[i] * w[i]) + ij * (3 * w[i] * w[i] * w[j]) + ji * (3 * w[i] * w[j] * w[j]);
        sides += ij + ji;
        corners += corner[i];
    }
    const Vec3 middle = sides / 6.0 + (sides / 6.0 - corners / 3.0) * 0.5;
    return place + middle * (6 * w[0] * w[1] * w[2]);
}

}  // namespace anvilcast::surfmesh
