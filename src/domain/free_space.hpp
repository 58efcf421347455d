// Ways through the space between surfaces.
#pragma once

#include <anvilcast/surface.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <functional>
#include <unordered_map>
#include <vector>

namespace anvilcast::domain {

/// A graph of places: a lattice, and points in the middle of narrow gaps, where the lattice is too coarse. Two
/// neighbouring places are connected when the segment between them meets no triangle, decided exactly.
class FreeSpace {
  public:
    /// `spacing` of the lattice, metres.
    FreeSpace(const Surface& surface, const TriangleTree& tree, double spacing);

    /// A way from a place to the first one that is a goal and that is clear of triangles; wide ways are preferred.
    /// Empty when there is none, or after `most_places` were looked at.
    std::vector<Vec3> find_way(const Vec3& from, const std::function<bool(const Vec3&)>& is_goal, const Vec3& towards,
                               std::size_t most_places) const;

    bool is_clear(const Vec3& p, const Vec3& q) const;
    bool is_outside_of_box(const Vec3& p) const;

  private:
    using Key = std::array<int, 3>;
    struct KeyHash {
        std::size_t operator()(const Key& k) const {
            return static_cast<std::size_t>(k[0]) * 73856093U ^ static_cast<std::size_t>(k[1]) * 19349663U ^
                   static_cast<std::size_t>(k[2]) * 83492791U;
        }
    };
    Key cell_of(const Vec3& p) const;
    void add_gaps();

    const Surface& surface_;
    const TriangleTree& tree_;
    double spacing_;
    Vec3 origin_;
    std::vector<Vec3> gaps_;
    std::unordered_map<Key, std::vector<Index>, KeyHash> gaps_in_;  // looked up only, never iterated
};

}  // namespace anvilcast::domain
