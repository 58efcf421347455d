// Cubes of a lattice, halved where they are larger than wanted, so that neighbours differ by a factor of two at most.
#pragma once

#include <anvilcast/vectors.hpp>
#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <vector>

#include "base/key_table.hpp"

namespace anvilcast::cubes {

/// A cube's place among those of its level, counted along the axes from the lattice's origin.
using At = std::array<std::uint32_t, 3>;

struct Cube {
    int level = 0;  ///< so often its root was halved
    At at{};
};

/// At most so many halvings, and roots along an axis; places of the finest level then fit 20 bits each.
inline constexpr int kMostLevels = 14;
inline constexpr std::uint32_t kMostRoots = 63;

/// Corners of a side, from 0 to 7 as bits of x, y and z, counter-clockwise seen from outside; the sides across x, y and
/// z, the lower one first.
inline constexpr int kSides[6][4] = {{0, 4, 6, 2}, {1, 3, 7, 5}, {0, 1, 5, 4},
                                     {2, 6, 7, 3}, {0, 2, 3, 1}, {4, 5, 7, 6}};

class Octree {
  public:
    /// What is done with a cube, by its centre and its longest edge: `is_split` where it is too large. Called once for
    /// each cube, from many threads; a child of a cube that is not split is not asked for.
    using IsSplit = std::function<bool(const Vec3& center, double edge)>;

    /// The box in so many parts along each axis, kMostRoots at most: cubes, or nearly. Cubes over a common face, edge
    /// or corner differ by one level at most, and beyond those of one level at least `per_level` cubes of the next lie.
    /// O(n log n) for n cubes; parallel.
    Octree(const Box& box, const At& n_roots, const IsSplit& is_split, int per_level);

    /// Those that are not split: by level, then z, y, x.
    const std::vector<Cube>& leaves() const { return leaves_; }
    int finest() const { return static_cast<int>(nodes_.size()) - 1; }
    Vec3 edges(int level) const { return root_edges_ / static_cast<double>(std::uint32_t{1} << level); }
    double edge(int level) const;  ///< the longest
    Vec3 center(const Cube& cube) const;
    /// In halves of the finest edges; exactly on the box's sides at its ends.
    Vec3 place(const At& halves) const;
    bool is_at_end(const Cube& cube, std::size_t axis) const;  ///< no cube is beyond it, along the axis
    /// Of each leaf, beyond each side (across x, y and z, the lower one first): four times the same leaf where it is as
    /// large or twice as large; four that are half as large, in the order of kSides; kNone outside of the box. O(n).
    using Beyond = std::array<std::array<Index, 4>, 6>;
    std::vector<Beyond> neighbours() const;
    /// The leaf with that place; kNone where there is none, or it is split.
    Index leaf_at(int level, const At& at) const;

  private:
    using Key = std::uint64_t;
    static Key key_of(const At& at);
    static At at_of(Key key);
    static Key leaf_key(int level, const At& at);
    std::array<Index, 4> beyond(const Cube& cube, std::size_t side) const;
    bool is_node(int level, Key key) const;
    void divide(const IsSplit& is_split);
    void balance(int per_level);
    void list_leaves();

    Box box_;
    At n_roots_;
    Vec3 root_edges_;
    std::vector<std::vector<Key>> nodes_;  ///< of each level, sorted
    std::vector<Cube> leaves_;
    KeyTable number_of_;  ///< of the leaves, by level and place
};

}  // namespace anvilcast::cubes
