// What repeats on the sides of a periodic domain.
#pragma once

#include <anvilcast/placement.hpp>
#include <anvilcast/surface.hpp>

#include <array>
#include <optional>
#include <span>
#include <vector>

namespace anvilcast::shape {

/// Points are each other's image when they are within this share of the surface's extent.
constexpr double kSameImage = 1e-9;

/// Of a pair, the numbers of its zones.
std::array<Index, 2> zones_of(const Surface& surface, const PeriodicPair& pair);

/// The points of a zone's triangles, ascending.
std::vector<Index> points_of_zone(const Surface& surface, Index zone);

/// For each of `from`, the one of `to` that is its image; kNone where none is within `reach`. O(n log n).
std::vector<Index> images_among(const std::vector<Vec3>& points, std::span<const Index> from, std::span<const Index> to,
                                const Placement& image, double reach);

/// Of each pair: for each point of the surface that is on its first zone the image on the second, kNone for others.
std::vector<std::vector<Index>> images_of_points(const Surface& surface, const std::vector<PeriodicPair>& pairs);

/// Things of which some are images of others: who is the original of each, and how it comes from there.
struct Originals {
    std::vector<Index> of;  ///< itself for an original
    std::vector<Placement> by;
    bool is_image(Index i) const { return of[i] != i; }
};
struct ImageLink {
    Index from, to, pair;
};
/// Originals are such that are nobody's image where there is one, else those with the lowest number. Links from a thing
/// to itself tell nothing. Deterministic, O(n log n).
Originals originals_of(std::size_t n, std::vector<ImageLink> links, const std::vector<PeriodicPair>& pairs);

}  // namespace anvilcast::shape
