// Nodes are kept level by level, sorted by a key of their places. From the roots down those that are too large are
// split; from the finest level up the neighbours that balance asks for are put in, whole families at a time, so that
// one pass is enough: what a level gets asks only for coarser ones.

#include "cubes/octree.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <iterator>

namespace anvilcast::cubes {
namespace {

constexpr int kBits = 21;

}  // namespace

Octree::Key Octree::key_of(const At& at) {
    return (static_cast<Key>(at[2]) << (2 * kBits)) | (static_cast<Key>(at[1]) << kBits) | at[0];
}
At Octree::at_of(Key key) {
    constexpr Key kMask = (Key{1} << kBits) - 1;
    return {static_cast<std::uint32_t>(key & kMask), static_cast<std::uint32_t>((key >> kBits) & kMask),
            static_cast<std::uint32_t>(key >> (2 * kBits))};
}

Octree::Octree(const Box& box, const At& n_roots, const IsSplit& is_split, int per_level)
    : box_(box), n_roots_(n_roots) {
    const Vec3 extent = box.extent();
    root_edges_ = {extent.x / n_roots[0], extent.y / n_roots[1], extent.z / n_roots[2]};
    divide(is_split);
    balance(per_level);
    list_leaves();
}

double Octree::edge(int level) const {
    const Vec3 e = edges(level);
    return std::max({e.x, e.y, e.z});
}
Vec3 Octree::center(const Cube& c) const {
    const Vec3 e = edges(c.level);
    return box_.lo + Vec3{(c.at[0] + 0.5) * e.x, (c.at[1] + 0.5) * e.y, (c.at[2] + 0.5) * e.z};
}
Vec3 Octree::place(const At& halves) const {
    const Vec3 half = edges(finest()) / 2.0;
    Vec3 out = box_.lo + Vec3{halves[0] * half.x, halves[1] * half.y, halves[2] * half.z};
    for (int axis = 0; axis < 3; ++axis) {
        const auto a = static_cast<std::size_t>(axis);
        if (halves[a] == (n_roots_[a] << (finest() + 1))) out[axis] = box_.hi[axis];
    }
    return out;
}
bool Octree::is_at_end(const Cube& c, std::size_t axis) const { return c.at[axis] + 1 == n_roots_[axis] << c.level; }

bool Octree::is_node(int level, Key key) const {
    const auto& list = nodes_[static_cast<std::size_t>(level)];
    return std::binary_search(list.begin(), list.end(), key);
}

/// Places of the finest level fit 20 bits, levels four.
Octree::Key Octree::leaf_key(int level, const At& at) {
    constexpr int kPlaceBits = 20;
    static_assert(kMostLevels < 1 << (64 - 3 * kPlaceBits) && (kMostRoots << kMostLevels) < 1U << kPlaceBits);
    return (static_cast<Key>(level) << (3 * kPlaceBits)) | (static_cast<Key>(at[2]) << (2 * kPlaceBits)) |
           (static_cast<Key>(at[1]) << kPlaceBits) | at[0];
}

Index Octree::leaf_at(int level, const At& at) const {
    if (level < 0 || level > finest()) return kNone;
    // Beyond an end bits would run into those of the next axis.
    for (std::size_t a = 0; a < 3; ++a)
        if (at[a] >= n_roots_[a] << level) return kNone;
    return number_of_.find(leaf_key(level, at));
}

std::vector<Octree::Beyond> Octree::neighbours() const {
    std::vector<Beyond> out(leaves_.size());
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, out.size(), 1024), [&](const auto& range) {
        for (std::size_t c = range.begin(); c < range.end(); ++c)
            for (std::size_t side = 0; side < 6; ++side) out[c][side] = beyond(leaves_[c], side);
    });
    return out;
}

std::array<Index, 4> Octree::beyond(const Cube& c, std::size_t side) const {
    const std::size_t axis = side / 2;
    const bool is_low = side % 2 == 0;
    std::array<Index, 4> out{kNone, kNone, kNone, kNone};
    if (is_low ? c.at[axis] == 0 : is_at_end(c, axis)) return out;
    At at = c.at;
    at[axis] += is_low ? std::uint32_t(-1) : 1U;
    Index leaf = leaf_at(c.level, at);
    if (leaf == kNone) leaf = leaf_at(c.level - 1, {at[0] / 2, at[1] / 2, at[2] / 2});
    out.fill(leaf);
    if (leaf != kNone) return out;
    for (std::size_t k = 0; k < 4; ++k) {
        const auto corner = static_cast<std::uint32_t>(kSides[side][k]);
        At child{2 * at[0] + (corner & 1), 2 * at[1] + (corner >> 1 & 1), 2 * at[2] + (corner >> 2)};
        // Those beside the side lie at the far end of the cube before it, at the near end of that beyond.
        child[axis] = 2 * at[axis] + (is_low ? 1 : 0);
        out[k] = leaf_at(c.level + 1, child);
    }
    return out;
}

void Octree::divide(const IsSplit& is_split) {
    auto& roots = nodes_.emplace_back();
    for (std::uint32_t z = 0; z < n_roots_[2]; ++z)
        for (std::uint32_t y = 0; y < n_roots_[1]; ++y)
            for (std::uint32_t x = 0; x < n_roots_[0]; ++x) roots.push_back(key_of({x, y, z}));
    for (int level = 0; level < kMostLevels; ++level) {
        const std::vector<Key>& own = nodes_.back();
        std::vector<char> split(own.size());
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, own.size(), 64), [&](const auto& range) {
            for (std::size_t k = range.begin(); k < range.end(); ++k)
                split[k] = is_split(center({level, at_of(own[k])}), edge(level)) ? 1 : 0;
        });
        std::vector<Key> children;
        for (std::size_t k = 0; k < own.size(); ++k) {
            if (split[k] == 0) continue;
            const At at = at_of(own[k]);
            for (std::uint32_t i = 0; i < 8; ++i)
                children.push_back(key_of({2 * at[0] + (i & 1), 2 * at[1] + (i >> 1 & 1), 2 * at[2] + (i >> 2)}));
        }
        if (children.empty()) return;
        tbb::parallel_sort(children);
        nodes_.push_back(std::move(children));
    }
}

/// Round the parents of a level's cubes all within `per_level` cubes must be there, with their brothers.
void Octree::balance(int per_level) {
    for (int level = finest(); level >= 2; --level) {
        auto& coarser = nodes_[static_cast<std::size_t>(level - 1)];
        std::vector<Key> parents;
        for (const Key key : nodes_[static_cast<std::size_t>(level)]) {
            const At at = at_of(key);
            if (((at[0] | at[1] | at[2]) & 1) == 0) parents.push_back(key_of({at[0] / 2, at[1] / 2, at[2] / 2}));
        }
        std::vector<Key> families;  // by the parents' parents
        for (const Key key : parents) {
            const At at = at_of(key);
            std::array<std::array<std::uint32_t, 2>, 3> span{};
            for (std::size_t a = 0; a < 3; ++a) {
                const std::uint32_t most = (n_roots_[a] << (level - 1)) - 1,
                                    reach = static_cast<std::uint32_t>(per_level);
                span[a] = {(at[a] - std::min(at[a], reach)) / 2, std::min(at[a] + reach, most) / 2};
            }
            for (std::uint32_t z = span[2][0]; z <= span[2][1]; ++z)
                for (std::uint32_t y = span[1][0]; y <= span[1][1]; ++y)
                    for (std::uint32_t x = span[0][0]; x <= span[0][1]; ++x) families.push_back(key_of({x, y, z}));
        }
        tbb::parallel_sort(families);
        families.erase(std::unique(families.begin(), families.end()), families.end());
        const std::size_t n_before = coarser.size();
        std::vector<Key> added;
        for (const Key key : families) {
            const At at = at_of(key);
            if (is_node(level - 1, key_of({2 * at[0], 2 * at[1], 2 * at[2]}))) continue;
            for (std::uint32_t i = 0; i < 8; ++i)
                added.push_back(key_of({2 * at[0] + (i & 1), 2 * at[1] + (i >> 1 & 1), 2 * at[2] + (i >> 2)}));
        }
        coarser.insert(coarser.end(), added.begin(), added.end());
        if (coarser.size() != n_before) tbb::parallel_sort(coarser);
    }
}

void Octree::list_leaves() {
    for (int level = 0; level <= finest(); ++level) {
        const auto& own = nodes_[static_cast<std::size_t>(level)];
        for (const Key key : own) {
            const At at = at_of(key);
            if (level < finest() && is_node(level + 1, key_of({2 * at[0], 2 * at[1], 2 * at[2]}))) continue;
            leaves_.push_back({level, at});
        }
    }
    number_of_ = KeyTable(leaves_.size());
    for (Index c = 0; c < leaves_.size(); ++c) number_of_.insert(leaf_key(leaves_[c].level, leaves_[c].at), c);
}

}  // namespace anvilcast::cubes
