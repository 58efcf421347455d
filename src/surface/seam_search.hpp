// Free edges, and which of them run along each other: the halves of a seam that was not joined.
#pragma once

#include <anvilcast/surface.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <vector>

namespace anvilcast {

class SeamSearch {
  public:
    struct FreeEdge {
        Index from, to;  ///< as its triangle runs
        Index triangle, side;
    };
    struct Foot {
        Index edge = kNone;  ///< among free_edges()
        double distance = 0;
        double along = 0;  ///< 0 at `from`, 1 at `to`
    };

    SeamSearch(const Surface& surface, const SurfaceEdges& edges);

    const std::vector<FreeEdge>& free_edges() const { return free_; }
    /// The closest other free edge at a place on edge e that is nearer than `reach`. Neighbours of e count only when
    /// they fold back along it.
    Foot closest_beside(Index e, const Vec3& place, double reach) const;
    /// The closest free edge that point p is beside the inside of, and not an end of.
    Foot closest_under(Index p, double reach) const;

  private:
    template <typename Accept>
    Foot closest(const Vec3& place, double reach, Accept accept) const;

    const Surface& surface_;
    std::vector<FreeEdge> free_;
    TriangleTree tree_;  // edges as triangles without area
};

}  // namespace anvilcast
