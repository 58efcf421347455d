// What asks for a size: triangles, segments and points, each with its size, and volumes.
#pragma once

#include <memory>
#include <vector>

#include "sizing/volumes.hpp"

namespace anvilcast::sizing {

/// A size holds up to this many sizes away before it grows: so the octree's own error, which is on the large side at a
/// wall that runs through a cell, is evened out.
constexpr double kPlateau = 0.35;

/// A triangle (a segment or a point when corners are equal) that asks for a size.
struct Piece {
    std::array<Vec3, 3> corners;
    double size;
    Index source;
};

/// Pieces whose sizes grow alike, in a box tree: size + slope * max(0, distance - plateau * size).
class Sheet {
  public:
    Sheet(std::vector<Piece> pieces, double slope, double plateau);

    struct Node {
        Box box;
        double smallest, largest;  ///< sizes below it
        Index first;               ///< leaf: first piece; inner node: the right child (the left one follows the node)
        Index count;               ///< 0 for an inner node
    };
    const Node& node(Index i) const { return nodes_[i]; }
    const Piece& piece(Index i) const { return pieces_[i]; }
    double grown(double size, double distance) const {
        return size + slope_ * std::max(0.0, distance - plateau_ * size);
    }

  private:
    void build(Index first, Index count);

    std::vector<Piece> pieces_;
    std::vector<Node> nodes_;
    double slope_, plateau_;
};

struct VolumeSource {
    std::shared_ptr<const SignedVolume> volume;
    double size;
    double slope;
    double plateau;  ///< metres
    Index source;

    double at(double distance) const { return size + slope * std::max(0.0, distance - plateau); }
};

/// Where sizes may grow beyond the largest one.
struct CoarseVolume {
    std::shared_ptr<const SignedVolume> volume;
    double at_least;
};

struct Sources {
    std::vector<Sheet> sheets;
    std::vector<VolumeSource> volumes;
    std::vector<CoarseVolume> coarse;
    double largest = 0;
    double slope = 0;          ///< that of the options: growth - 1
    Index largest_source = 0;  ///< the number under which the largest size goes
    Box bounds;                ///< that the field has to answer for
};

}  // namespace anvilcast::sizing
