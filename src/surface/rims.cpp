#include "surface/rims.hpp"

#include <algorithm>

namespace anvilcast {

std::vector<std::vector<Index>> chain_loops(std::vector<std::array<Index, 2>> edges) {
    std::sort(edges.begin(), edges.end());
    std::vector<bool> used(edges.size(), false);
    auto next_from = [&](Index point) {
        auto it = std::lower_bound(edges.begin(), edges.end(), std::array<Index, 2>{point, 0});
        for (; it != edges.end() && (*it)[0] == point; ++it)
            if (!used[static_cast<std::size_t>(it - edges.begin())]) return it;
        return edges.end();
    };
    std::vector<std::vector<Index>> loops;
    for (std::size_t start = 0; start < edges.size(); ++start) {
        if (used[start]) continue;
        std::vector<Index> chain;
        auto it = edges.begin() + static_cast<std::ptrdiff_t>(start);
        while (it != edges.end()) {
            used[static_cast<std::size_t>(it - edges.begin())] = true;
            chain.push_back((*it)[0]);
            const Index at = (*it)[1];
            // A point met again closes a loop: cut it off, and go on with what came before it.
            const auto seen = std::find(chain.begin(), chain.end(), at);
            if (seen != chain.end()) {
                loops.emplace_back(seen, chain.end());
                chain.erase(seen, chain.end());
                if (chain.empty()) break;
            }
            it = next_from(at);
        }
    }
    return loops;
}

}  // namespace anvilcast
