#include "sizing/sources.hpp"

#include <algorithm>

namespace anvilcast::sizing {
namespace {

constexpr Index kLeafSize = 4;

Vec3 center(const Piece& p) { return p.corners[0] + p.corners[1] + p.corners[2]; }

}  // namespace

Sheet::Sheet(std::vector<Piece> pieces, double slope, double plateau)
    : pieces_(std::move(pieces)), slope_(slope), plateau_(plateau) {
    nodes_.reserve(pieces_.size());
    if (!pieces_.empty()) build(0, static_cast<Index>(pieces_.size()));
}

void Sheet::build(Index first, Index count) {
    Box box, centers;
    double smallest = Box::inf, largest = 0;
    for (Index i = first; i < first + count; ++i) {
        for (const Vec3& p : pieces_[i].corners) box.include(p);
        centers.include(center(pieces_[i]));
        smallest = std::min(smallest, pieces_[i].size);
        largest = std::max(largest, pieces_[i].size);
    }
    const std::size_t self = nodes_.size();
    nodes_.push_back({box, smallest, largest, first, count <= kLeafSize ? count : 0});
    if (count <= kLeafSize) return;
    const Vec3 extent = centers.extent();
    const int axis = extent.x >= extent.y && extent.x >= extent.z ? 0 : extent.y >= extent.z ? 1 : 2;
    const auto begin = pieces_.begin() + first;
    // The field is a minimum over all pieces: their order within a half does not matter for it.
    std::nth_element(begin, begin + count / 2, begin + count,
                     [axis](const Piece& a, const Piece& b) { return center(a)[axis] < center(b)[axis]; });
    build(first, count / 2);
    nodes_[self].first = static_cast<Index>(nodes_.size());
    build(first + count / 2, count - count / 2);
}

}  // namespace anvilcast::sizing
