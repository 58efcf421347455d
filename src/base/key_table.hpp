// Indices by keys of 64 bits, in one block of memory.
#pragma once

#include <anvilcast/vectors.hpp>
#include <cstdint>
#include <utility>
#include <vector>

namespace anvilcast {

/// Open addressing with linear probing, at most two thirds full: a look-up is one cache miss, where a tree or a sorted
/// list takes several. Nothing is ever taken out. All keys but the largest number are good.
class KeyTable {
  public:
    using Key = std::uint64_t;

    explicit KeyTable(std::size_t n_expected = 0) { grow(n_expected); }

    std::size_t size() const { return size_; }
    /// kNone for a key that is not there.
    Index find(Key key) const {
        for (std::size_t at = place_of(key);; at = (at + 1) & mask_) {
            if (slots_[at].key == key) return slots_[at].value;
            if (slots_[at].key == kFree) return kNone;
        }
    }
    /// The value that the key has then, and whether it is new.
    std::pair<Index, bool> insert(Key key, Index value) {
        if (3 * (size_ + 1) > 2 * slots_.size()) grow(2 * size_ + 1);
        std::size_t at = place_of(key);
        while (slots_[at].key != kFree) {
            if (slots_[at].key == key) return {slots_[at].value, false};
            at = (at + 1) & mask_;
        }
        slots_[at] = {key, value};
        ++size_;
        return {value, true};
    }

  private:
    static constexpr Key kFree = ~Key{0};
    struct Slot {
        Key key = kFree;
        Index value = kNone;
    };

    /// Keys of places lie on lattices, which one product alone would map to runs. Mixed as by Stafford's variant 13
    /// of the finaliser of MurmurHash3 (public domain).
    std::size_t place_of(Key key) const {
        key = (key ^ (key >> 30)) * 0xBF58476D1CE4E5B9ULL;
        key = (key ^ (key >> 27)) * 0x94D049BB133111EBULL;
        return static_cast<std::size_t>(key ^ (key >> 31)) & mask_;
    }

    void grow(std::size_t n) {
        std::vector<Slot> old = std::move(slots_);
        std::size_t capacity = 16;
        while (2 * capacity < 3 * (n + 1)) capacity *= 2;
        mask_ = capacity - 1;
        slots_.assign(capacity, {});
        size_ = 0;
        for (const Slot& slot : old)
            if (slot.key != kFree) insert(slot.key, slot.value);
    }

    std::vector<Slot> slots_;
    std::size_t size_ = 0, mask_ = 0;
};

}  // namespace anvilcast
