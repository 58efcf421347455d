// The size field's octree.
#pragma once

#include <anvilcast/context.hpp>

#include <cstdint>

#include "sizing/sources.hpp"

namespace anvilcast::sizing {

/// Cells are divided until they are no wider than the sizes of the walls in them, and than twice the size anywhere in
/// them, and until the size in their middle is what interpolation says, within 5 %. Sizes at corners are exact minima
/// over all sources: a branch and bound over the sources' box trees goes down together with the octree, so that a cell
/// only ever looks at what can rule in it.
class SizeOctree {
  public:
    static constexpr unsigned kDeepest = 21;
    static constexpr Index kLeafBit = Index{1} << 31;

    /// Throws FailureError, with the source that asks for most, when more than `max_cells` cells are needed.
    SizeOctree(const Sources& sources, const std::vector<std::string>& names, std::size_t max_cells,
               const Context& context);

    /// One without cells, to be read back into.
    SizeOctree() = default;
    template <typename Archive>
    void members(Archive& archive) {
        archive(lo_, width_, finest_per_metre_, growth_, largest_, smallest_, top_, nodes_, sizes_, source_, at_wall_,
                place_);
    }

    double at(const Vec3& p) const;
    Index source_at(const Vec3& p) const { return source_[leaf_at(p).leaf]; }
    double growth() const { return growth_; }
    double largest() const { return largest_; }
    double smallest() const { return smallest_; }
    std::size_t n_cells() const { return sizes_.size(); }
    SizeField::Cell cell(std::size_t i) const;
    std::size_t n_bytes() const;

  private:
    struct Place {
        Index leaf;
        std::array<float, 3> fraction;  ///< of the leaf's width, from its low corner
    };
    Place leaf_at(const Vec3& p) const;

    /// Where the way down begins: below the first levels, or at a leaf among them.
    struct Entry {
        Index node;
        unsigned bit;  ///< of the finest width that the node's own width is
        template <typename Archive>
        friend void fields(Archive& archive, Entry& e) {
            archive(e.node, e.bit);
        }
    };
    static constexpr unsigned kTopLevels = 5;

    Vec3 lo_;
    double width_ = 0, finest_per_metre_ = 0, growth_ = 1.2, largest_ = 0, smallest_ = 0;
    std::vector<Entry> top_;                   ///< a lattice of them, x fastest
    std::vector<Index> nodes_;                 ///< a leaf's number with the leaf bit, or the first of eight children
    std::vector<std::array<float, 8>> sizes_;  ///< of each leaf
    std::vector<Index> source_;                ///< of each leaf
    std::vector<bool> at_wall_;                ///< of each leaf
    std::vector<std::array<std::uint32_t, 4>> place_;  ///< of each leaf: its low corner in finest widths, its depth
};

}  // namespace anvilcast::sizing
