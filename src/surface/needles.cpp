// Needles: a triangle lower than asked for goes by collapsing its shortest edge when that is short too, else by putting
// its middle corner into the edge that it almost lies on (for two triangles at that edge: a swap).

#include <algorithm>
#include <cmath>

#include "surface/mending.hpp"

namespace anvilcast::mending {
namespace {

class NeedleRemover {
  public:
    NeedleRemover(Surface& surface, double height) : surface_(surface), height_(height), star_(surface.points.size()) {
        for (Index t = 0; t < surface.triangles.size(); ++t)
            for (const Index p : surface.triangles[t]) star_[p].push_back(t);
        alive_.assign(surface.triangles.size(), true);
    }

    Mending run() {
        // Lowest first; those that cannot go now may when their neighbours have gone.
        for (int round = 0; round < 8; ++round) {
            std::vector<std::pair<double, Index>> needles;
            for (Index t = 0; t < surface_.triangles.size(); ++t)
                if (alive_[t] && height_of(t) < height_) needles.emplace_back(height_of(t), t);
            std::sort(needles.begin(), needles.end());
            std::size_t gone = 0;
            for (const auto& [h, t] : needles)
                if (alive_[t] && height_of(t) < height_ && remove(t)) ++gone;
            m_.count += gone;
            if (gone == 0) break;
        }
        if (m_.count > 0) {
            alive_.resize(surface_.triangles.size(), true);
            keep_triangles(surface_, alive_);
        }
        return m_;
    }

  private:
    const Vec3& at(Index p) const { return surface_.points[p]; }
    Vec3 normal_of(const Triangle& t) const { return triangle_normal(at(t[0]), at(t[1]), at(t[2])); }
    /// The side k from corner k to k + 1 that is longest, or shortest.
    std::size_t side(Index t, bool longest) const {
        const Triangle& c = surface_.triangles[t];
        std::size_t best = 0;
        for (std::size_t k = 1; k < 3; ++k) {
            const double d = distance_squared(at(c[k]), at(c[(k + 1) % 3])),
                         b = distance_squared(at(c[best]), at(c[(best + 1) % 3]));
            if (longest ? d > b : d < b) best = k;
        }
        return best;
    }
    double length_of_side(Index t, std::size_t k) const {
        const Triangle& c = surface_.triangles[t];
        return distance(at(c[k]), at(c[(k + 1) % 3]));
    }
    double height_of(Index t) const { return height_of(surface_.triangles[t]); }
    double height_of(const Triangle& c) const {
        const double longest =
            std::sqrt(std::max({distance_squared(at(c[0]), at(c[1])), distance_squared(at(c[1]), at(c[2])),
                                distance_squared(at(c[2]), at(c[0]))}));
        return longest > 0 ? length(normal_of(c)) / longest : 0;
    }
    bool has(Index t, Index p) const {
        const Triangle& c = surface_.triangles[t];
        return c[0] == p || c[1] == p || c[2] == p;
    }
    std::vector<Index> at_edge(Index a, Index b) const {
        std::vector<Index> found;
        for (const Index t : star_[a])
            if (alive_[t] && has(t, b)) found.push_back(t);
        return found;
    }

    bool remove(Index t) {
        const std::size_t shortest = side(t, false);
        const Triangle c = surface_.triangles[t];
        if (length_of_side(t, shortest) <= height_)
            return collapse(c[shortest], c[(shortest + 1) % 3]) || collapse(c[(shortest + 1) % 3], c[shortest]) ||
                   put_into_edge(t);
        return put_into_edge(t);
    }

    /// Would a triangle that becomes `after` still face the same way? What was a needle has no say.
    bool still_faces(Index t, const Triangle& after) const {
        if (height_of(t) < height_) return true;
        return dot(normal_of(surface_.triangles[t]), normal_of(after)) > 0;
    }

    /// Is the point on a rim, an edge of zones, or where surfaces meet? Those are not pulled off their lines.
    bool is_bound(Index p) const {
        for (const Index t : star_[p]) {
            if (!alive_[t]) continue;
            for (const Index q : surface_.triangles[t]) {
                if (q == p) continue;
                const auto around = at_edge(p, q);
                if (around.size() != 2 || surface_.zone_of[around[0]] != surface_.zone_of[around[1]]) return true;
            }
        }
        return false;
    }

    /// Moves `gone` onto `kept`.
    bool collapse(Index gone, Index kept) {
        if (is_bound(gone) && !is_bound(kept)) return false;
        std::vector<Index> common_to_be = at_edge(gone, kept);
        // Link condition: what both points are joined to must be the tips of the triangles between them.
        auto neighbours = [this](Index p) {
            std::vector<Index> list;
            for (const Index t : star_[p])
                if (alive_[t])
                    for (const Index q : surface_.triangles[t])
                        if (q != p) list.push_back(q);
            std::sort(list.begin(), list.end());
            list.erase(std::unique(list.begin(), list.end()), list.end());
            return list;
        };
        const auto a = neighbours(gone), b = neighbours(kept);
        std::vector<Index> common;
        std::set_intersection(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(common));
        if (common.size() != common_to_be.size()) return false;
        for (const Index t : star_[gone]) {
            if (!alive_[t] || has(t, kept)) continue;
            Triangle after = surface_.triangles[t];
            std::replace(after.begin(), after.end(), gone, kept);
            if (!still_faces(t, after)) return false;
        }
        note_move(m_, distance(at(gone), at(kept)), at(kept));
        for (const Index t : std::vector<Index>(star_[gone])) {
            if (!alive_[t]) continue;
            if (has(t, kept)) {
                alive_[t] = false;
                continue;
            }
            std::replace(surface_.triangles[t].begin(), surface_.triangles[t].end(), gone, kept);
            star_[kept].push_back(t);
        }
        star_[gone].clear();
        return true;
    }

    /// The triangle goes, and every other one at its longest edge gets its third corner into that edge.
    bool put_into_edge(Index t) {
        const std::size_t k = side(t, true);
        const Triangle c = surface_.triangles[t];
        const Index a = c[k], b = c[(k + 1) % 3], tip = c[(k + 2) % 3];
        std::vector<Index> others = at_edge(a, b);
        std::erase(others, t);
        for (const Index u : others) {
            if (has(u, tip)) return drop_pair(t, u);
            const auto [first, second] = divided(u, a, b, tip);
            const Index far = third(u, a, b);
            if (!at_edge(tip, far).empty()) return false;
            if (!still_faces(u, first) || !still_faces(u, second)) return false;
            if (std::min(height_of(first), height_of(second)) <= height_of(t)) return false;
        }
        note_move(m_, height_of(t), at(tip));
        alive_[t] = false;
        for (const Index u : others) {
            const auto [first, second] = divided(u, a, b, tip);
            const auto n = static_cast<Index>(surface_.triangles.size());
            surface_.triangles[u] = first;
            surface_.triangles.push_back(second);
            surface_.zone_of.push_back(surface_.zone_of[u]);
            alive_.push_back(true);
            star_[tip].push_back(u);
            for (const Index p : second) star_[p].push_back(n);
            // `first` lost one end of the edge.
            for (const Index p : {a, b})
                if (!has(u, p)) std::erase(star_[p], u);
        }
        return true;
    }
    /// Two needles over the same three points, back to back.
    bool drop_pair(Index t, Index u) {
        alive_[t] = alive_[u] = false;
        note_move(m_, height_of(t), at(surface_.triangles[t][0]));
        return true;
    }
    Index third(Index u, Index a, Index b) const {
        for (const Index p : surface_.triangles[u])
            if (p != a && p != b) return p;
        return kNone;
    }
    std::pair<Triangle, Triangle> divided(Index u, Index a, Index b, Index tip) const {
        Triangle first = surface_.triangles[u], second = first;
        std::replace(first.begin(), first.end(), b, tip);
        std::replace(second.begin(), second.end(), a, tip);
        return {first, second};
    }

    Surface& surface_;
    double height_;
    std::vector<std::vector<Index>> star_;
    std::vector<bool> alive_;
    Mending m_{"needles removed", 0, 0, {}};
};

}  // namespace

Mending remove_needles(Surface& surface, double height) { return NeedleRemover(surface, height).run(); }

}  // namespace anvilcast::mending
