// Areas filled with quadrangles.
//
// Triangles twice as large come first. Neighbours become quadrangles of two, the best pairs first; triangles that are
// left over are paired along alternating paths, as far as short ones go. Then every quadrangle is divided into four,
// and every triangle that found no partner into three, by the middles of their sides: so nothing but quadrangles
// remains, and the rims have all of their points. In the end points are moved; a move never makes the worst corner at
// its point worse unless it stays fine, and no corner ever turns over, which is decided exactly. Sources for the ideas:
// J. Edmonds, Paths, trees, and flowers (1965), of whose algorithm only short paths without flowers are needed here; T.
// D. Blacker, M. B. Stephenson, Paving (1991), for why shape beside the rim counts most.

#include "planar/quadrangles.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

constexpr int kLongestPath = 24;
constexpr int kSweeps = 12, kMendings = 8;
/// Squares of cosines of corners: what is within 30 degrees of a right angle needs no defending; beyond 45 it is
/// mended.
constexpr double kFine = 0.25, kMended = 0.5;
/// Of the edges at a point: a move by less is none, and its neighbours need not be looked at again.
constexpr double kStill = 0.004;

std::uint64_t key_of(Index a, Index b) { return a < b ? (std::uint64_t{a} << 32) | b : (std::uint64_t{b} << 32) | a; }

/// How far the worst corner is from square: the square of its cosine, 2 where it is 180 degrees or more.
double worst_corner(const std::array<Vec2, 4>& c) {
    std::array<Vec2, 4> edge;
    std::array<double, 4> square;
    for (std::size_t k = 0; k < 4; ++k) {
        edge[k] = c[(k + 1) % 4] - c[k];
        square[k] = length_squared(edge[k]);
    }
    double worst = 0;
    for (std::size_t k = 0; k < 4; ++k) {
        const Vec2 &u = edge[k], &v = edge[(k + 3) % 4];
        if (!(cross(v, u) > 0)) return 2;
        const double d = dot(u, v);
        worst = std::max(worst, d * d / (square[k] * square[(k + 3) % 4]));
    }
    return worst;
}

/// Triangles in pairs.
class Pairing {
  public:
    explicit Pairing(const Triangles& t) : t_(t), partner_(t.triangles.size(), kNone), beside_(t.triangles.size()) {
        std::unordered_map<std::uint64_t, Index> open;
        open.reserve(2 * t.triangles.size());
        for (Index i = 0; i < t.triangles.size(); ++i)
            for (std::size_t k = 0; k < 3; ++k) {
                const auto& c = t.triangles[i];
                const auto [at, is_new] = open.try_emplace(key_of(c[k], c[(k + 1) % 3]), i);
                if (is_new || t.area[at->second] != t.area[i]) continue;
                if (worst_of(at->second, i) > kWorstPair) continue;
                pairs_.push_back({worst_of(at->second, i), at->second, i});
                beside_[i].push_back(at->second);
                beside_[at->second].push_back(i);
            }
    }

    std::vector<Index> run() {
        std::sort(pairs_.begin(), pairs_.end(), [](const Pair& a, const Pair& b) {
            return std::tie(a.worst, a.one, a.other) < std::tie(b.worst, b.one, b.other);
        });
        for (const Pair& p : pairs_)
            if (partner_[p.one] == kNone && partner_[p.other] == kNone) join(p.one, p.other);
        seen_.assign(partner_.size(), 0);
        for (Index i = 0; i < partner_.size(); ++i)
            if (partner_[i] == kNone) extend_from(i);
        return std::move(partner_);
    }

    /// The quadrangle of two triangles.
    std::array<Index, 4> merged(Index one, Index other) const {
        const auto &a = t_.triangles[one], &b = t_.triangles[other];
        std::size_t k = 0;
        while (std::find(b.begin(), b.end(), a[k]) != b.end()) ++k;
        Index across = b[0];
        for (const Index p : b)
            if (std::find(a.begin(), a.end(), p) == a.end()) across = p;
        return {a[k], a[(k + 1) % 3], across, a[(k + 2) % 3]};
    }

  private:
    struct Pair {
        double worst;
        Index one, other;
    };
    static constexpr double kWorstPair = 0.9;

    double worst_of(Index one, Index other) const {
        const auto q = merged(one, other);
        return worst_corner({t_.points[q[0]], t_.points[q[1]], t_.points[q[2]], t_.points[q[3]]});
    }
    void join(Index one, Index other) {
        partner_[one] = other;
        partner_[other] = one;
    }

    /// A shortest alternating path from a triangle without a partner to another one; its pairs are exchanged.
    void extend_from(Index start) {
        ++stamp_;
        std::vector<Index> todo{start}, came_from{kNone}, depth{0};
        std::unordered_map<Index, std::size_t> place{{start, 0}};
        seen_[start] = stamp_;
        for (std::size_t k = 0; k < todo.size(); ++k) {
            if (depth[k] > kLongestPath) return;
            for (const Index next : beside_[todo[k]]) {
                if (seen_[next] == stamp_) continue;
                seen_[next] = stamp_;
                const Index behind = partner_[next];
                if (behind == kNone) {
                    // Back along the path: each one takes the one that it was reached by.
                    Index end = next;
                    for (std::size_t at = k;; at = came_from[at]) {
                        const Index here = todo[at], before = partner_[here];
                        join(here, end);
                        if (before == kNone) return;
                        end = before;
                    }
                }
                if (seen_[behind] == stamp_) continue;  // a flower; another path will do
                seen_[behind] = stamp_;
                todo.push_back(behind);
                came_from.push_back(static_cast<Index>(k));
                depth.push_back(depth[k] + 1);
            }
        }
    }

    const Triangles& t_;
    std::vector<Index> partner_;
    std::vector<std::vector<Index>> beside_;
    std::vector<Pair> pairs_;
    std::vector<Index> seen_;
    Index stamp_ = 0;
};

class Divider {
  public:
    Divider(Triangles&& t, const std::vector<RimEdge>& rim, const std::vector<Index>& middle) : t_(std::move(t)) {
        for (std::size_t k = 0; k < rim.size(); ++k) middle_of_[key_of(rim[k].from, rim[k].to)] = middle[k];
    }

    AllQuadrangles run() {
        Pairing pairing(t_);
        const std::vector<Index> partner = pairing.run();
        out_.points = t_.points;
        for (Index i = 0; i < partner.size(); ++i) {
            if (partner[i] == kNone) {
                const auto& c = t_.triangles[i];
                divide(std::array<Index, 3>{c[0], c[1], c[2]}, t_.area[i]);
            } else if (i < partner[i]) {
                divide(pairing.merged(i, partner[i]), t_.area[i]);
            }
        }
        return std::move(out_);
    }

  private:
    template <std::size_t n>
    void divide(const std::array<Index, n>& corners, Index area) {
        Vec2 sum{};
        for (const Index p : corners) sum = sum + t_.points[p];
        const Index center = add(sum / static_cast<double>(n));
        std::array<Index, n> middles{};
        for (std::size_t k = 0; k < n; ++k) middles[k] = middle(corners[k], corners[(k + 1) % n]);
        for (std::size_t k = 0; k < n; ++k) {
            out_.cells.push_back({corners[k], middles[k], center, middles[(k + n - 1) % n]});
            out_.area.push_back(area);
        }
    }
    Index middle(Index a, Index b) {
        const auto [at, is_new] = middle_of_.try_emplace(key_of(a, b), kNone);
        if (is_new) at->second = add(midpoint(t_.points[a], t_.points[b]));
        return at->second;
    }
    Index add(const Vec2& p) {
        out_.points.push_back(p);
        return static_cast<Index>(out_.points.size() - 1);
    }

    Triangles t_;
    std::unordered_map<std::uint64_t, Index> middle_of_;
    AllQuadrangles out_;
};

/// Points moved to where their quadrangles are squarer.
class Smoother {
  public:
    Smoother(AllQuadrangles& mesh, std::size_t n_given) : mesh_(mesh), n_given_(n_given) {
        first_.assign(mesh.points.size() + 1, 0);
        for (const auto& c : mesh.cells)
            for (const Index p : c) ++first_[p + 1];
        for (std::size_t p = 1; p < first_.size(); ++p) first_[p] += first_[p - 1];
        cells_.resize(first_.back());
        std::vector<Index> at(first_.begin(), first_.end() - 1);
        for (Index c = 0; c < mesh.cells.size(); ++c)
            for (const Index p : mesh.cells[c]) cells_[at[p]++] = c;
    }

    void run() {
        may_move_.assign(mesh_.points.size(), 1);
        for (int k = 0; k < kSweeps; ++k)
            for (auto v = static_cast<Index>(n_given_); v < mesh_.points.size(); ++v)
                if (may_move_[v] != 0) smooth(v);
        for (int k = 0; k < kMendings; ++k)
            for (auto v = static_cast<Index>(n_given_); v < mesh_.points.size(); ++v) mend(v);
    }

  private:
    std::array<Vec2, 4> corners(Index cell, Index moved, const Vec2& place) const {
        std::array<Vec2, 4> out;
        for (std::size_t k = 0; k < 4; ++k) {
            const Index p = mesh_.cells[cell][k];
            out[k] = p == moved ? place : mesh_.points[p];
        }
        return out;
    }
    double worst_at(Index v, const Vec2& place) const {
        double worst = 0;
        for (Index i = first_[v]; i < first_[v + 1]; ++i)
            worst = std::max(worst, worst_corner(corners(cells_[i], v, place)));
        return worst;
    }
    bool keeps_sides(Index v, const Vec2& place) const {
        for (Index i = first_[v]; i < first_[v + 1]; ++i) {
            const auto c = corners(cells_[i], v, place);
            for (std::size_t k = 0; k < 4; ++k)
                if (orient2d(c[(k + 3) % 4], c[k], c[(k + 1) % 4]) <= 0) return false;
        }
        return true;
    }

    /// The mean of its neighbours, and of where it would make each corner of its own a square's.
    void smooth(Index v) {
        Vec2 sum{};
        for (Index i = first_[v]; i < first_[v + 1]; ++i) {
            const auto& c = mesh_.cells[cells_[i]];
            const auto k = static_cast<std::size_t>(std::find(c.begin(), c.end(), v) - c.begin());
            const Vec2 &a = mesh_.points[c[(k + 1) % 4]], &b = mesh_.points[c[(k + 3) % 4]];
            const Vec2 square = midpoint(a, b) + left_of(b - a) * 0.5;
            sum = sum + midpoint(midpoint(a, b), square);
        }
        const Vec2 before = mesh_.points[v], place = sum / static_cast<double>(first_[v + 1] - first_[v]);
        const auto& c = mesh_.cells[cells_[first_[v]]];
        const double still = kStill * kStill * distance_squared(mesh_.points[c[0]], mesh_.points[c[2]]);
        may_move_[v] = 0;
        if (distance_squared(place, before) < still || !try_to_move(v, place, kFine)) return;
        for (Index i = first_[v]; i < first_[v + 1]; ++i)
            for (const Index p : mesh_.cells[cells_[i]]) may_move_[p] = 1;
    }
    bool try_to_move(Index v, const Vec2& place, double fine) {
        const double before = worst_at(v, mesh_.points[v]), after = worst_at(v, place);
        if ((after > before * (1 - 1e-9) && after > fine) || !keeps_sides(v, place)) return false;
        mesh_.points[v] = place;
        return true;
    }
    void mend(Index v) {
        if (worst_at(v, mesh_.points[v]) < kMended) return;
        const auto& c = mesh_.cells[cells_[first_[v]]];
        double step = 0.2 * distance(mesh_.points[c[0]], mesh_.points[c[2]]);
        for (int k = 0; k < 12; ++k) {
            bool has_moved = false;
            for (const Vec2& way : {Vec2{1, 0}, Vec2{0, 1}, Vec2{-1, 0}, Vec2{0, -1}, Vec2{0.7, 0.7}, Vec2{-0.7, 0.7},
                                    Vec2{-0.7, -0.7}, Vec2{0.7, -0.7}})
                has_moved = has_moved || try_to_move(v, mesh_.points[v] + way * step, 0);
            if (!has_moved) step *= 0.5;
        }
    }

    AllQuadrangles& mesh_;
    std::size_t n_given_;
    std::vector<char> may_move_;  ///< points beside which something has changed
    std::vector<Index> first_, cells_;
};

}  // namespace

AllQuadrangles fill_with_quadrangles(const std::vector<Vec2>& points, const std::vector<RimEdge>& rim,
                                     const std::vector<Index>& middle, const SizeAt& size_at, const Context& context) {
    if (rim.empty()) return {points, {}, {}};
    const SizeAt twice = [&size_at](const Vec2& p) { return 2 * size_at(p); };
    AllQuadrangles out = Divider(fill_with_triangles(points, rim, twice, context, Lattice::squares), rim, middle).run();
    context.check_stop();
    Smoother(out, points.size()).run();
    for (const auto& c : out.cells)
        for (std::size_t k = 0; k < 4; ++k)
            if (orient2d(out.points[c[(k + 3) % 4]], out.points[c[k]], out.points[c[(k + 1) % 4]]) <= 0)
                throw GeometryError(fmt::format(
                    "quadrangles fold at [{:.6g}, {:.6g}] m, where a curve bends within one of their edges; "
                    "ask for a smaller size or more divisions there",
                    out.points[c[k]].x, out.points[c[k]].y));
    return out;
}

}  // namespace anvilcast::planar
