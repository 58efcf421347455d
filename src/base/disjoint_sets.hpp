// Union-find with path halving; the representative of a set is its smallest member, so that results do not
// depend on the order of the unions.
#pragma once

#include <anvilcast/vectors.hpp>
#include <numeric>
#include <utility>
#include <vector>

namespace anvilcast {

class DisjointSets {
  public:
    explicit DisjointSets(std::size_t n) : parent_(n) { std::iota(parent_.begin(), parent_.end(), Index{0}); }

    Index find(Index i) {
        while (parent_[i] != i) {
            parent_[i] = parent_[parent_[i]];
            i = parent_[i];
        }
        return i;
    }
    void join(Index a, Index b) {
        a = find(a);
        b = find(b);
        if (a == b) return;
        if (b < a) std::swap(a, b);
        parent_[b] = a;
    }

  private:
    std::vector<Index> parent_;
};

}  // namespace anvilcast
