// Numbers points so that equal ones share a number, in the order of their first appearance.
//
// An open-addressing table whose slots hold a part of the hash beside the number: a lookup costs one miss in the table
// and, when the point is known, one in the points. Many points at once overlap those misses by prefetching.
#pragma once

#include <anvilcast/vectors.hpp>
#include <bit>
#include <cstring>
#include <span>
#include <vector>

namespace anvilcast {

class PointMerger {
  public:
    /// `expected`: how many different points there will be, as a guess.
    explicit PointMerger(std::size_t expected = 0)
        : slots_(std::bit_ceil(std::max<std::size_t>(64, 2 * expected)), Slot{0, kNone}) {
        points_.reserve(expected);
    }

    /// Writes the number of each point.
    void numbers_of(std::span<const Vec3> points, Index* numbers) {
        constexpr std::size_t kBlock = 48;
        std::array<std::uint64_t, kBlock> hashes;  // NOLINT: only what was put in is read
        for (std::size_t from = 0; from < points.size(); from += kBlock) {
            const std::size_t n = std::min(kBlock, points.size() - from);
            while (2 * (points_.size() + n) > slots_.size()) grow();
            for (std::size_t i = 0; i < n; ++i) {
                hashes[i] = hash_of(points[from + i]);
                __builtin_prefetch(&slots_[hashes[i] & (slots_.size() - 1)]);
            }
            for (std::size_t i = 0; i < n; ++i) numbers[from + i] = number_of(points[from + i], hashes[i]);
        }
    }

    std::vector<Vec3> take_points() { return std::move(points_); }

  private:
    struct Slot {
        std::uint32_t tag;
        Index number;
    };

    static std::uint64_t hash_of(const Vec3& p) {
        std::uint64_t h = 0;
        for (int axis = 0; axis < 3; ++axis) {
            // Adding 0 turns -0 into 0, which it equals.
            h = (h ^ std::bit_cast<std::uint64_t>(p[axis] + 0.0)) * 0x9E3779B97F4A7C15ULL;
            h ^= h >> 32U;
        }
        return h;
    }
    Index number_of(const Vec3& p, std::uint64_t hash) {
        const auto tag = static_cast<std::uint32_t>(hash >> 32U);
        std::size_t at = hash & (slots_.size() - 1);
        for (; slots_[at].number != kNone; at = (at + 1) & (slots_.size() - 1))
            if (slots_[at].tag == tag && points_[slots_[at].number] == p) return slots_[at].number;
        slots_[at] = {tag, static_cast<Index>(points_.size())};
        points_.push_back(p);
        return slots_[at].number;
    }
    void grow() {
        slots_.assign(2 * slots_.size(), Slot{0, kNone});
        for (Index i = 0; i < points_.size(); ++i) {
            const std::uint64_t hash = hash_of(points_[i]);
            std::size_t at = hash & (slots_.size() - 1);
            while (slots_[at].number != kNone) at = (at + 1) & (slots_.size() - 1);
            slots_[at] = {static_cast<std::uint32_t>(hash >> 32U), i};
        }
    }

    std::vector<Slot> slots_;
    std::vector<Vec3> points_;
};

}  // namespace anvilcast
