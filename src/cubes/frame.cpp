#include "cubes/frame.hpp"

#include <anvilcast/errors.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>

namespace anvilcast::cubes {
namespace {

/// Sine between directions that count as along each other, or square: what rounding makes of turned coordinates, and
/// no face of a round body.
constexpr double kSame = 1e-6;
/// Directions with the most area that are tried as a first axis.
constexpr std::size_t kMostTried = 12;
/// So much more area than the world's frame has to have: a turned lattice rounds.
constexpr double kWorthTurning = 1.25;

struct FlatArea {
    Vec3 direction;  ///< square to it, of length 1
    double area = 0;
};

/// By direction, whichever of its sides is looked at; the largest first.
std::vector<FlatArea> flat_areas(const Surface& boundary) {
    constexpr double kSteps = 1e5;
    std::map<std::array<std::int64_t, 3>, std::pair<Vec3, double>> sums;
    for (Index t = 0; t < boundary.triangles.size(); ++t) {
        Vec3 normal = triangle_normal(boundary.corner(t, 0), boundary.corner(t, 1), boundary.corner(t, 2));
        const double twice = length(normal);
        if (!(twice > 0)) continue;
        std::array<std::int64_t, 3> key{};
        for (int axis = 0; axis < 3; ++axis)
            key[static_cast<std::size_t>(axis)] = std::llround(normal[axis] / twice * kSteps);
        if (const std::array<std::int64_t, 3> opposite{-key[0], -key[1], -key[2]}; key < opposite) {
            key = opposite;
            normal = -1.0 * normal;
        }
        auto& [sum, area] = sums[key];
        sum += normal;
        area += twice / 2;
    }
    std::vector<FlatArea> out;
    for (const auto& [key, of] : sums) out.push_back({normalized(of.first), of.second});
    std::stable_sort(out.begin(), out.end(), [](const FlatArea& a, const FlatArea& b) { return a.area > b.area; });
    return out;
}

double area_square_to(const std::array<Vec3, 3>& axes, const std::vector<FlatArea>& areas) {
    double sum = 0;
    for (const FlatArea& a : areas)
        for (const Vec3& axis : axes)
            if (length(cross(axis, a.direction)) < kSame) sum += a.area;
    return sum;
}

/// What a direction has square to an axis; along the world's axis that is squarest to it where it has nothing.
Vec3 square_to(const Vec3& axis, const Vec3& wanted) {
    const Vec3 rest = wanted - axis * dot(axis, wanted);
    if (length(rest) > kSame) return normalized(rest);
    Vec3 best{1, 0, 0};
    for (const Vec3& w : {Vec3{0, 1, 0}, Vec3{0, 0, 1}})
        if (std::abs(dot(w, axis)) < std::abs(dot(best, axis))) best = w;
    return normalized(best - axis * dot(axis, best));
}

}  // namespace

Frame::Frame(const Vec3& first, const Vec3& second, const Vec3& about)
    : is_turned_(true), axes_{first, second, cross(first, second)}, about_(about) {}

Vec3 Frame::to_lattice(const Vec3& p) const {
    if (!is_turned_) return p;
    const Vec3 d = p - about_;
    return {dot(axes_[0], d), dot(axes_[1], d), dot(axes_[2], d)};
}
Vec3 Frame::to_world(const Vec3& p) const {
    return is_turned_ ? about_ + axes_[0] * p.x + axes_[1] * p.y + axes_[2] * p.z : p;
}

Frame frame_along(const std::vector<Vec3>& axes, const Vec3& about) {
    if (axes.empty() || axes.size() > 2) throw InputError("cubes stand along one direction or two");
    for (const Vec3& axis : axes)
        if (!(length_squared(axis) > 0) || !std::isfinite(length_squared(axis)))
            throw InputError("an axis of the cubes has no direction");
    const Vec3 first = normalized(axes[0]);
    if (axes.size() == 2 && length(cross(first, normalized(axes[1]))) < kSame)
        throw InputError("the two axes of the cubes are along each other");
    const Vec3 second = square_to(first, axes.size() == 2 ? axes[1] : first);
    for (const Vec3& axis : {first, second})
        if (std::max({std::abs(axis.x), std::abs(axis.y), std::abs(axis.z)}) < 1) return {first, second, about};
    return {};
}

Frame frame_of_flats(const Surface& boundary) {
    const std::vector<FlatArea> areas = flat_areas(boundary);
    double most = kWorthTurning * area_square_to({Vec3{1, 0, 0}, Vec3{0, 1, 0}, Vec3{0, 0, 1}}, areas);
    Frame best;
    const std::size_t n = std::min(areas.size(), kMostTried);
    for (std::size_t i = 0; i < n; ++i) {
        const Vec3& first = areas[i].direction;
        const auto beside = std::find_if(areas.begin(), areas.end(), [&first](const FlatArea& a) {
            return std::abs(dot(a.direction, first)) < kSame;
        });
        const Vec3 second = square_to(first, beside != areas.end() ? beside->direction : first);
        const double area = area_square_to({first, second, cross(first, second)}, areas);
        if (area <= most * (1 + kSame)) continue;
        most = area;
        best = {first, second, boundary.bounds().center()};
    }
    return best;
}

}  // namespace anvilcast::cubes
