// Needles: a triangle lower than asked for goes by collapsing its shortest edge when that is short too, else by putting
// its middle corner into the edge that it almost lies on (for two triangles at that edge: a swap).

#include <algorithm>

#include "surface/loose_triangles.hpp"
#include "surface/mending.hpp"

namespace anvilcast::mending {
namespace {

class NeedleRemover {
  public:
    NeedleRemover(Surface& surface, double height) : surface_(surface), height_(height), loose_(surface, height) {}

    Mending run() {
        Mending m{"needles removed", 0, 0, {}};
        // Lowest first; those that cannot go now may when their neighbours have gone.
        for (int round = 0; round < 8; ++round) {
            std::vector<std::pair<double, Index>> needles;
            for (Index t = 0; t < surface_.triangles.size(); ++t)
                if (is_needle(t)) needles.emplace_back(loose_.height_of(t), t);
            std::sort(needles.begin(), needles.end());
            std::size_t gone = 0;
            for (const auto& [h, t] : needles)
                if (is_needle(t) && remove(t)) ++gone;
            m.count += gone;
            if (gone == 0) break;
        }
        note_move(m, loose_.largest_move(), loose_.largest_move_at());
        if (m.count > 0) loose_.finish();
        return m;
    }

  private:
    bool is_needle(Index t) const { return loose_.is_alive(t) && loose_.height_of(t) < height_; }

    bool remove(Index t) {
        const Triangle c = surface_.triangles[t];
        const std::size_t k = loose_.shortest_side(t);
        const Index a = c[k], b = c[(k + 1) % 3];
        if (distance(surface_.points[a], surface_.points[b]) <= height_ && (collapse(a, b) || collapse(b, a)))
            return true;
        return loose_.put_into_edge(t);
    }

    /// Points on a rim, an edge of zones, or where surfaces meet are not pulled off their lines.
    bool collapse(Index gone, Index kept) { return (!is_bound(gone) || is_bound(kept)) && loose_.collapse(gone, kept); }

    bool is_bound(Index p) const {
        for (const Index t : loose_.star(p)) {
            if (!loose_.is_alive(t)) continue;
            for (const Index q : surface_.triangles[t]) {
                if (q == p) continue;
                const auto around = loose_.at_edge(p, q);
                if (around.size() != 2 || surface_.zone_of[around[0]] != surface_.zone_of[around[1]] ||
                    loose_.is_feature({std::min(p, q), std::max(p, q)}))
                    return true;
            }
        }
        return false;
    }

    Surface& surface_;
    double height_;
    LooseTriangles loose_;
};

}  // namespace

Mending remove_needles(Surface& surface, double height) { return NeedleRemover(surface, height).run(); }

}  // namespace anvilcast::mending
