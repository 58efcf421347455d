// A box tree over triangles: closest point, rays and box queries, in double precision.
//
//     TriangleTree tree(points, triangles);
//     auto hit = tree.closest(p);                  // hit.point, hit.triangle, hit.distance
//
// The tree keeps its own copy of the corners, so that the caller's arrays may change afterwards.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/vectors.hpp>
#include <array>
#include <functional>
#include <optional>
#include <span>
#include <vector>

namespace anvilcast {

/// The point of triangle abc that is closest to p. Source: C. Ericson, Real-Time Collision Detection (2005), 5.1.5.
ANVILCAST_API Vec3 closest_point_on_triangle(const Vec3& p, const Vec3& a, const Vec3& b, const Vec3& c);

class ANVILCAST_API TriangleTree {
  public:
    struct Closest {
        Vec3 point;
        Index triangle = kNone;  ///< kNone: nothing within the given distance
        double distance = std::numeric_limits<double>::infinity();
    };
    struct RayHit {
        double t;         ///< along the direction, in its lengths
        Index triangle;   ///< as numbered in the constructor's array
        double margin;    ///< smallest barycentric coordinate of the hit: near 0 at an edge
        bool from_front;  ///< the ray comes from the side that the normal points to
    };

    TriangleTree() = default;
    /// O(n log n), parallel. Triangle numbers are those of the given array.
    TriangleTree(const std::vector<Vec3>& points, std::span<const Triangle> triangles);

    bool empty() const { return corners_.empty(); }
    const Box& bounds() const;

    /// The closest point within max_distance; ties go to the lower triangle number. Thread-safe, O(log n) as a rule.
    Closest closest(const Vec3& p, double max_distance = std::numeric_limits<double>::infinity()) const {
        return nearly_closest(p, max_distance, 0);
    }
    /// A point at most (1 + slack) times as far as the closest one: much faster where many are about as far, as from
    /// the middle of a ball.
    Closest nearly_closest(const Vec3& p, double max_distance, double slack) const;

    /// All hits of the whole line origin + t * direction, sorted by t. Triangles parallel to it are not hit.
    std::vector<RayHit> line_hits(const Vec3& origin, const Vec3& direction) const;

    /// The hit with the smallest t in (t_from, t_to]; triangle kNone when there is none.
    RayHit first_hit(const Vec3& origin, const Vec3& direction, double t_from, double t_to) const;

    /// Does a triangle meet the tetrahedron (positively oriented)? A touch may count either way.
    bool meets_tetrahedron(const std::array<Vec3, 4>& corners) const;

    /// Calls visit(triangle) for each triangle whose box overlaps the given one.
    void overlapping(const Box& box, const std::function<void(Index)>& visit) const;

    /// Calls visit(i, j), i < j, for each two triangles whose boxes overlap, from several threads at once and in any
    /// order. O(n log n) where few do.
    void overlapping_pairs(const std::function<void(Index, Index)>& visit) const;

  private:
    struct Node {
        Box box;
        Index first;  ///< leaf: first place in order_; inner node: the right child (the left one follows it)
        Index count;  ///< 0 for an inner node
    };
    struct Item;
    using NodePair = std::array<Index, 2>;
    static void build(std::span<Item> items, Index first, std::vector<Node>& out);
    void open(const NodePair& pair, std::vector<NodePair>& out) const;
    void pairs_of_leaves(const NodePair& leaves, const std::function<void(Index, Index)>& visit) const;
    std::optional<RayHit> hit(Index at, const Vec3& origin, const Vec3& direction) const;  ///< at: in tree order

    std::vector<std::array<Vec3, 3>> corners_;  // in tree order
    std::vector<Index> order_;
    std::vector<Node> nodes_;
};

}  // namespace anvilcast
