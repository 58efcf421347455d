// The placement that makes one zone of another.
#pragma once

#include <anvilcast/placement.hpp>
#include <anvilcast/surface.hpp>

#include <optional>
#include <vector>

namespace anvilcast::shape {

/// The triangles of one zone, and their edges that other triangles or none share.
struct Side {
    std::vector<Triangle> triangles;
    std::vector<Edge> rims;  ///< sorted
};
Side side_of(const Surface& surface, Index zone);

/// By how much the image of one side differs from another: of points on either, the farthest from the other; points of
/// rims from the other's rims.
struct Difference {
    double distance = 0;
    Vec3 at;  ///< on the second
};
Difference difference(const std::vector<Vec3>& points, const Side& first, const Side& second, const Placement& image);

/// Up to which difference a simpler image is as good as one with the difference given: numbers may have been written in
/// single precision.
double as_good_as(double distance, const std::vector<Vec3>& points, const Side& side);

struct FoundImage {
    Placement image;
    Difference difference;
};
/// The placement, without mirroring, that makes the second of the first and turns its normals about: the best of a
/// translation, the shortest turn, and those that bring the principal axes of both over each other. Angles that divide
/// a full turn, and axes along coordinates, are taken for what they nearly are where that is no worse.
/// O(n log n).
FoundImage find_image(const std::vector<Vec3>& points, const Side& first, const Side& second);

}  // namespace anvilcast::shape
