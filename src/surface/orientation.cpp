#include "surface/orientation.hpp"

#include <algorithm>
#include <limits>

#include "base/disjoint_sets.hpp"

namespace anvilcast {
namespace {

/// Triangles whose two-triangle edges connect them, with the sense of each against the first.
class Walk {
  public:
    Walk(const Surface& surface, const SurfaceEdges& edges, Orientation& out)
        : surface_(surface), edges_(edges), out_(out), seen_(surface.triangles.size(), false) {}

    void run() {
        for (Index t = 0; t < seen_.size(); ++t) {
            if (seen_[t]) continue;
            walk_from(t);
            turn_the_smaller_share();
        }
    }

  private:
    void walk_from(Index start) {
        reached_.assign(1, start);
        seen_[start] = true;
        for (std::size_t i = 0; i < reached_.size(); ++i) {
            const Index t = reached_[i];
            for (Index k = 0; k < 3; ++k) {
                const std::size_t e = edges_.edge_of(t, k);
                if (edges_.n_uses(e) != 2) continue;
                const auto* use = edges_.begin(e);
                const auto &mine = use[0].triangle == t ? use[0] : use[1],
                           &other = use[0].triangle == t ? use[1] : use[0];
                if (other.triangle == t) continue;
                const bool other_turned = out_.turn[t] != (mine.forward == other.forward);
                if (!seen_[other.triangle]) {
                    seen_[other.triangle] = true;
                    out_.turn[other.triangle] = other_turned;
                    reached_.push_back(other.triangle);
                } else if (out_.turn[other.triangle] != other_turned && t < other.triangle) {
                    out_.torn.push_back(e);
                }
            }
        }
    }

    void turn_the_smaller_share() {
        double turned = 0, kept = 0;
        for (const Index t : reached_)
            (out_.turn[t] ? turned : kept) +=
                triangle_area(surface_.corner(t, 0), surface_.corner(t, 1), surface_.corner(t, 2));
        if (turned <= kept) return;
        for (const Index t : reached_) out_.turn[t] = !out_.turn[t];
    }

    const Surface& surface_;
    const SurfaceEdges& edges_;
    Orientation& out_;
    std::vector<bool> seen_;
    std::vector<Index> reached_;
};

}  // namespace

Orientation find_orientation(const Surface& surface, const SurfaceEdges& edges) {
    Orientation out;
    const std::size_t n = surface.triangles.size();
    out.turn.assign(n, false);
    Walk(surface, edges, out).run();
    std::sort(out.torn.begin(), out.torn.end());
    out.torn.erase(std::unique(out.torn.begin(), out.torn.end()), out.torn.end());

    DisjointSets sets(n);
    for (std::size_t e = 0; e < edges.size(); ++e)
        for (const auto* u = edges.begin(e) + 1; u < edges.end(e); ++u)
            sets.join(edges.begin(e)->triangle, u->triangle);
    out.shell_of.resize(n);
    for (Index t = 0; t < n; ++t) {
        const Index root = sets.find(t);
        out.shell_of[t] = root == t ? static_cast<Index>(out.n_shells++) : out.shell_of[root];
    }
    return out;
}

}  // namespace anvilcast
