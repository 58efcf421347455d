#include <anvilcast/weld.hpp>

#include "surface/rims.hpp"

#include <algorithm>

namespace anvilcast {
namespace {

Rim measured_rim(const Surface& surface, std::vector<Index> loop, bool is_loop) {
    Rim rim;
    Vec3 sum;
    for (std::size_t i = 0; i + (is_loop ? 0 : 1) < loop.size(); ++i) {
        const Vec3 &a = surface.points[loop[i]], &b = surface.points[loop[(i + 1) % loop.size()]];
        const double l = distance(a, b);
        rim.length += l;
        sum += midpoint(a, b) * l;
    }
    rim.center = rim.length > 0 ? sum / rim.length : surface.points[loop.front()];
    rim.points = std::move(loop);
    return rim;
}

}  // namespace

std::vector<std::vector<Index>> chain_loops(std::vector<Edge> edges, std::vector<std::vector<Index>>* open_chains) {
    std::sort(edges.begin(), edges.end());
    std::vector<bool> used(edges.size(), false);
    auto next_from = [&](Index point) {
        auto it = std::lower_bound(edges.begin(), edges.end(), Edge{point, 0});
        for (; it != edges.end() && (*it)[0] == point; ++it)
            if (!used[static_cast<std::size_t>(it - edges.begin())]) return it;
        return edges.end();
    };
    std::vector<std::vector<Index>> loops;
    for (std::size_t start = 0; start < edges.size(); ++start) {
        if (used[start]) continue;
        std::vector<Index> chain;
        Index last = kNone;
        auto it = edges.begin() + static_cast<std::ptrdiff_t>(start);
        while (it != edges.end()) {
            used[static_cast<std::size_t>(it - edges.begin())] = true;
            chain.push_back((*it)[0]);
            const Index at = last = (*it)[1];
            // A point met again closes a loop: cut it off, and go on with what came before it.
            const auto seen = std::find(chain.begin(), chain.end(), at);
            if (seen != chain.end()) {
                loops.emplace_back(seen, chain.end());
                chain.erase(seen, chain.end());
                if (chain.empty()) break;
            }
            it = next_from(at);
        }
        if (chain.empty() || open_chains == nullptr) continue;
        chain.push_back(last);
        open_chains->push_back(std::move(chain));
    }
    return loops;
}

std::vector<Rim> rims_of(const Surface& surface, const SurfaceEdges& edges, const std::vector<bool>& turned,
                         std::vector<Rim>* open_rims) {
    std::vector<Edge> free_edges;
    for (std::size_t e = 0; e < edges.size(); ++e) {
        if (edges.n_uses(e) != 1) continue;
        const auto [a, b] = edges.ends(e);
        const bool forward = edges.begin(e)->forward != (!turned.empty() && turned[edges.begin(e)->triangle]);
        free_edges.push_back(forward ? Edge{b, a} : Edge{a, b});
    }
    std::vector<Rim> rims;
    std::vector<std::vector<Index>> open_chains;
    for (std::vector<Index>& loop : chain_loops(std::move(free_edges), &open_chains))
        rims.push_back(measured_rim(surface, std::move(loop), true));
    if (open_rims != nullptr)
        for (std::vector<Index>& chain : open_chains)
            open_rims->push_back(measured_rim(surface, std::move(chain), false));
    return rims;
}

std::vector<Rim> find_rims(const Surface& surface) {
    return rims_of(surface, SurfaceEdges(surface.triangles, surface.points.size()), {}, nullptr);
}

}  // namespace anvilcast
