// Optimisation, in the manner of Freitag & Ollivier-Gooch (1997) and Klingner & Shewchuk (2007).
//
// First a few sweeps over everything (averaged smoothing, swaps wherever they help), then only the worst cells, from
// the worst up: smoothing by search for the best worst cell of a vertex's star, edge removal, face flips, collapse
// of an edge, and at last a new point in the middle of the trouble. There every operation is accepted only when the
// worst cell among those that it replaces gets better, so the sorted list of qualities rises step by step and the work
// ends. In the sweeps the mean counts too, as long as the worst cell stays good.

#include "fill/optimise.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>

#include "tets/chunks.hpp"
#include "tets/edge_removal.hpp"

namespace anvilcast::fill {
namespace {

constexpr int kMostSearchRounds = 60;
/// Of a vertex. In a fan of slivers every move makes another one worth a little, without end.
constexpr std::uint16_t kMostSearches = 60;
constexpr int kWorstRounds = 8, kRoundsWithoutPoints = 2;
/// Cells at least this good are left alone in the sweeps.
constexpr double kGood = 0.72;
/// In the sweeps a worst cell may get worse down to this far above what is bad, when the cells get better on the
/// average for it.
constexpr double kSafety = 0.05;
constexpr double kWorthIt = 1.001, kWorthMoving = 1.00001;
/// A new point has to raise the worst cell by this factor.
constexpr double kClearlyBetter = 1.05;
/// Where the boundary itself allows no better, new points would breed new bad cells; their number is therefore bounded
/// by a share of the cells.
constexpr std::size_t kCellsPerInsertion = 20, kFreeInsertions = 200;

class Optimiser {
  public:
    Optimiser(TetComplex& complex, const OptimiseOptions& options, const Context& context)
        : complex_(complex), options_(options), context_(context), known_(complex.n_slots(), kUnknown) {
        is_fixed_.assign(complex.points().size(), false);
        changed_at_.assign(complex.points().size(), 0);
        searched_at_.assign(complex.points().size(), 0);
        n_searches_.assign(complex.points().size(), 0);
        tried_at_.assign(complex.n_slots(), 0);
        for (Index t = 0; t < complex.n_slots(); ++t) {
            if (complex.is_free(t)) continue;
            ++n_given_;
            for (int f = 0; f < 4; ++f)
                if (complex.tag(t, f) != kNone || complex.tet(t).n[f] == kNone)
                    for (const int k : kFace[f]) is_fixed_[complex.tet(t).v[k]] = true;
        }
        n_cells_ = n_given_;
    }

    OptimiseReport run() {
        report_.worst_before = worst();
        max_insertions_ = kFreeInsertions + complex_.n_slots() / kCellsPerInsertion;
        for (int sweep = 0; sweep < options_.sweeps; ++sweep) {
            context_.check_stop();
            smooth_all();
            swap_all(kGood);
        }
        if (options_.sweeps > 0) smooth_all();
        for (int round = 0; round < kWorstRounds; ++round) {
            const bool with_new_points = options_.with_new_points && round >= kRoundsWithoutPoints;
            if (round == kRoundsWithoutPoints)
                std::fill(tried_at_.begin(), tried_at_.end(), 0);  // anew, with more means
            if (!improve_worst(options_.bad, with_new_points) && (with_new_points || !options_.with_new_points)) break;
        }
        if (options_.least_star > 0) drop_crowded_points();
        report_.worst_after = worst();
        return report_;
    }

  private:
    /// 0 for what is not positively oriented. The edges at the first corner are known to half a unit in the last place
    /// each, so a shape well above that is positive for certain; below, the exact sign is asked for.
    double quality(const Quad& q) const {
        constexpr double kCertain = 1e-6;
        const double s = shape(complex_.point(q[0]), complex_.point(q[1]), complex_.point(q[2]), complex_.point(q[3]));
        return s > kCertain || complex_.orientation(q) > 0 ? s : 0;
    }
    /// Never below 0: a cell of the complex is positive, whatever rounding makes of its shape. What replaces it must
    /// be better than that, so never invalid.
    double quality(Index t) const {
        float& known = known_[t];
        if (known < 0) {
            const Index* v = complex_.tet(t).v;
            known = static_cast<float>(std::max(
                0.0, shape(complex_.point(v[0]), complex_.point(v[1]), complex_.point(v[2]), complex_.point(v[3]))));
        }
        return double{known};
    }
    void forget(std::span<const Index> tets) {
        known_.resize(complex_.n_slots(), kUnknown);
        tried_at_.resize(complex_.n_slots(), 0);
        ++clock_;
        for (const Index t : tets) {
            known_[t] = kUnknown;
            tried_at_[t] = 0;
            for (const Index v : complex_.tet(t).v) changed_at_[v] = clock_;
        }
    }
    /// Nothing has changed round the vertex, or the cell, since it was worked on in vain: the same would come out
    /// again.
    bool is_as_searched(Index v) const { return searched_at_[v] > changed_at_[v]; }
    bool is_as_tried(Index t) const {
        const Index* v = complex_.tet(t).v;
        return std::all_of(v, v + 4, [&](Index w) { return tried_at_[t] > changed_at_[w]; });
    }
    bool has_room_for(std::size_t n_fresh, std::size_t n_old) const {
        return options_.may_grow || n_cells_ + n_fresh <= n_given_ + n_old;
    }
    void replace(std::span<const Index> old, std::span<const Quad> fresh) {
        n_cells_ += fresh.size() - old.size();
        complex_.replace(old, fresh);
        forget(complex_.last_filled());
    }
    /// Is hardly any other of a list worse than t? What several cells have in common is tried from the worst of them
    /// only, or from the second in case something has changed in between.
    bool is_among_worst(Index t, std::span<const Index> list) const {
        const double q = quality(t);
        return std::count_if(list.begin(), list.end(), [&](Index s) { return quality(s) < q; }) < 2;
    }
    double worst() const {
        double q = 1;
        for (Index t = 0; t < complex_.n_slots(); ++t)
            if (!complex_.is_free(t)) q = std::min(q, quality(t));
        return q;
    }

    // ---- smoothing ----

    /// Worst quality of a star with its vertex moved to p; stops early below `enough`.
    double star_quality(const std::vector<Index>& star, Index v, const Vec3& p, double stop_below) const {
        double worst = 1;
        for (const Index t : star) {
            std::array<Vec3, 4> c;
            for (std::size_t k = 0; k < 4; ++k)
                c[k] = complex_.tet(t).v[k] == v ? p : complex_.point(complex_.tet(t).v[k]);
            worst = std::min(worst, std::max(0.0, shape(c[0], c[1], c[2], c[3])));
            if (worst <= stop_below) return worst;
        }
        return worst;
    }

    /// The floating-point shape is trusted for comparing, never for the sign: orientation is checked exactly.
    bool move_if_valid(std::span<const Index> star, Index v, const Vec3& p) {
        const Vec3 old = complex_.point(v);
        complex_.move_point(v, p);
        for (const Index t : star) {
            const Index* w = complex_.tet(t).v;
            if (complex_.orientation({w[0], w[1], w[2], w[3]}) <= 0) {
                complex_.move_point(v, old);
                return false;
            }
        }
        forget(star);
        ++report_.moves;
        return true;
    }

    /// Worst and mean of some cells.
    struct Tally {
        double worst = 1, sum = 0;
        int n = 0;
        void count(double quality) {
            worst = std::min(worst, quality);
            sum += quality;
            ++n;
        }
        double mean() const { return sum / n; }
    };
    double defended() const { return options_.bad + kSafety; }
    double least_wanted(const Tally& old) const { return std::min(old.worst * 1.0001, defended()); }
    bool is_better(const Tally& then, const Tally& old) const {
        return then.worst > old.worst * 1.0001 ||
               (then.worst > least_wanted(old) && then.mean() > kWorthIt * old.mean());
    }

    /// A vertex's cells, as the three other corners of each from the vertex, x before y before z. Single precision,
    /// four at a time: good enough to compare, and signs are decided exactly before anything moves.
    struct Star {
        static constexpr std::size_t kMost = 96, kBlock = 8;
        std::size_t n = 0;
        std::array<std::array<std::array<float, kMost>, 3>, 3> corner;  // corner, axis, cell
        std::array<float, kMost> opposite, volume6, quality;            // squares of the edges off the vertex

        std::size_t n_blocks() const { return (n + kBlock - 1) / kBlock; }
        /// The last block is filled up with the first cell.
        void measure() {
            for (std::size_t i = n; i < n_blocks() * kBlock; ++i)
                for (auto& of_corner : corner)
                    for (auto& of_axis : of_corner) of_axis[i] = of_axis[0];
            for (std::size_t i = 0; i < n_blocks() * kBlock; ++i) {
                float sum = 0;
                for (std::size_t k = 0; k < 3; ++k)
                    for (std::size_t axis = 0; axis < 3; ++axis) {
                        const float d = corner[k][axis][i] - corner[(k + 1) % 3][axis][i];
                        sum += d * d;
                    }
                opposite[i] = sum;
            }
        }
        void judge_block(std::size_t block, const std::array<float, 3>& step) {
            const auto& [x, y, z] = corner;
            for (std::size_t i = block * kBlock; i < (block + 1) * kBlock; ++i) {
                const float x0 = x[0][i] - step[0], x1 = x[1][i] - step[1], x2 = x[2][i] - step[2];
                const float y0 = y[0][i] - step[0], y1 = y[1][i] - step[1], y2 = y[2][i] - step[2];
                const float z0 = z[0][i] - step[0], z1 = z[1][i] - step[1], z2 = z[2][i] - step[2];
                const float volume = (y1 * x2 - y2 * x1) * z0 + (y2 * x0 - y0 * x2) * z1 + (y0 * x1 - y1 * x0) * z2;
                const float mean = (x0 * x0 + x1 * x1 + x2 * x2 + y0 * y0 + y1 * y1 + y2 * y2 + z0 * z0 + z1 * z1 +
                                    z2 * z2 + opposite[i]) *
                                   (1.0F / 6);
                volume6[i] = volume;
                quality[i] = std::numbers::sqrt2_v<float> * volume / (mean * std::sqrt(mean));
            }
        }
        /// With the vertex put aside.
        void judge(const std::array<float, 3>& step) {
            for (std::size_t block = 0; block < n_blocks(); ++block) judge_block(block, step);
        }
        /// The worst quality with the vertex put aside; or one that is no better than `enough`, as soon as it is found.
        float worst(const std::array<float, 3>& step, float enough) {
            float least = 1;
            for (std::size_t block = 0; block < n_blocks() && least > enough; ++block) {
                judge_block(block, step);
                for (std::size_t i = block * kBlock; i < (block + 1) * kBlock; ++i) least = std::min(least, quality[i]);
            }
            return least;
        }
        Tally tally() const {
            Tally t;
            for (std::size_t i = 0; i < n; ++i) t.count(std::max(0.0F, quality[i]));
            return t;
        }
        /// To the middle of the cells' centres, weighted by the volumes last judged.
        std::array<float, 3> to_middle() const {
            std::array<float, 3> sum{};
            float total = 0;
            for (std::size_t i = 0; i < n; ++i) {
                total += volume6[i];
                for (std::size_t axis = 0; axis < 3; ++axis)
                    sum[axis] += volume6[i] * (corner[0][axis][i] + corner[1][axis][i] + corner[2][axis][i]);
            }
            // The centres hold the vertex itself with weight 1/4: without it the mean of three.
            for (float& x : sum) x /= 3 * total;
            return sum;
        }
    };

    /// False when there are too many, as at a point that a whole surface hangs on.
    bool gather(Index v, std::span<const Index> star) {
        Star& s = around_;
        s.n = star.size();
        if (s.n > Star::kMost) return false;
        const Vec3 here = complex_.point(v);
        for (std::size_t i = 0; i < s.n; ++i) {
            const Index* w = complex_.tet(star[i]).v;
            const auto& face = kFace[w[0] == v ? 0 : w[1] == v ? 1 : w[2] == v ? 2 : 3];
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3 p = complex_.point(w[face[k]]) - here;
                s.corner[k][0][i] = static_cast<float>(p.x);
                s.corner[k][1][i] = static_cast<float>(p.y);
                s.corner[k][2][i] = static_cast<float>(p.z);
            }
        }
        s.measure();
        return true;
    }

    /// To the mean of the star's cell centres weighted by volume, whole way or half.
    void smooth_by_average(Index v, std::span<const Index> star) {
        if (!gather(v, star)) return;
        around_.judge({0, 0, 0});
        const Tally now = around_.tally();
        const std::array<float, 3> step = around_.to_middle();
        for (const float s : {1.0F, 0.5F}) {
            around_.judge({s * step[0], s * step[1], s * step[2]});
            const Tally then = around_.tally();
            if (then.worst >= std::min(now.worst, defended()) && then.sum > kWorthMoving * now.sum) {
                move_if_valid(star, v, complex_.point(v) + Vec3{step[0], step[1], step[2]} * double{s});
                return;
            }
        }
    }

    /// Moving points leaves the stars as they are: all of them are listed at once, fixed points' left out.
    void smooth_all() {
        std::vector<Index> first(complex_.points().size() + 1, 0), star;
        for_corners([&](Index v, Index) { ++first[v + 1]; });
        std::partial_sum(first.begin(), first.end(), first.begin());
        star.resize(first.back());
        std::vector<Index> at(first.begin(), first.end() - 1);
        for_corners([&](Index v, Index t) { star[at[v]++] = t; });
        for (Index v = 1; v < complex_.points().size(); ++v)
            if (first[v] < first[v + 1]) smooth_by_average(v, {star.data() + first[v], first[v + 1] - first[v]});
    }
    template <typename Visit>
    void for_corners(const Visit& visit) const {
        for (Index t = 0; t < complex_.n_slots(); ++t)
            if (!complex_.is_free(t))
                for (const Index v : complex_.tet(t).v)
                    if (!is_fixed_[v]) visit(v, t);
    }

    /// Pattern search for the place where the worst cell of the star is best.
    bool smooth_by_search(Index v) {
        if ((is_fixed_[v] && !slides(v)) || is_as_searched(v) || n_searches_[v] >= kMostSearches) return false;
        ++n_searches_[v];
        if (search_better_place(v)) return true;
        searched_at_[v] = ++clock_;
        return false;
    }

    bool search_better_place(Index v) {
        star_ = complex_.star(v);
        const Vec3 start = complex_.point(v);
        double radius = 0;
        for (const Index t : star_)
            for (const Index w : complex_.tet(t).v) radius = std::max(radius, distance(start, complex_.point(w)));
        static constexpr std::array<std::array<double, 3>, 14> kDirections{{{1, 0, 0},
                                                                            {-1, 0, 0},
                                                                            {0, 1, 0},
                                                                            {0, -1, 0},
                                                                            {0, 0, 1},
                                                                            {0, 0, -1},
                                                                            {.577, .577, .577},
                                                                            {-.577, .577, .577},
                                                                            {.577, -.577, .577},
                                                                            {.577, .577, -.577},
                                                                            {-.577, -.577, .577},
                                                                            {-.577, .577, -.577},
                                                                            {.577, -.577, -.577},
                                                                            {-.577, -.577, -.577}}};
        // The worst first: most places are ruled out by them.
        std::sort(star_.begin(), star_.end(),
                  [&](Index s, Index t) { return quality(s) != quality(t) ? quality(s) < quality(t) : s < t; });
        const bool is_gathered = gather(v, star_);
        auto worst_at = [&](const Vec3& p, double enough) {
            if (!is_gathered) return star_quality(star_, v, p, enough);
            const Vec3 d = p - start;
            return double{around_.worst({static_cast<float>(d.x), static_cast<float>(d.y), static_cast<float>(d.z)},
                                        static_cast<float>(enough))};
        };
        Vec3 best = start;
        double now = worst_at(start, -1);
        // Bounded: in a very thin star there would be a slightly better place again and again.
        double step = 0.25 * radius;
        for (int round = 0; round < kMostSearchRounds && step > 0.004 * radius; ++round) {
            bool better = false;
            for (const auto& d : kDirections) {
                Vec3 p = best + Vec3{d[0], d[1], d[2]} * step;
                if (is_fixed_[v]) p = options_.slide->foot(v, p, best);
                const double q = worst_at(p, now);
                if (q <= now || (is_fixed_[v] && !keeps_surface(v, p))) continue;
                now = q;
                best = p;
                better = true;
            }
            if (!better) step *= 0.5;
        }
        if (best == start) return false;
        const double least = star_quality(star_, v, start, -1) * 1.001 + 1e-9;
        if (star_quality(star_, v, best, least) <= least || !move_if_valid(star_, v, best)) return false;
        if (is_fixed_[v]) ++report_.slides;
        return true;
    }

    bool slides(Index v) const { return options_.slide != nullptr && options_.slide->may_move(v); }

    /// With a point of the surface, whose star is at hand, moved to p.
    bool keeps_surface(Index v, const Vec3& p) const {
        for (const Index t : star_)
            for (int f = 0; f < 4; ++f) {
                const Index* w = complex_.tet(t).v;
                if (complex_.tag(t, f) == kNone || w[f] == v) continue;
                std::array<Index, 3> corner{w[kFace[f][0]], w[kFace[f][1]], w[kFace[f][2]]};
                std::rotate(corner.begin(), std::find(corner.begin(), corner.end(), v), corner.end());
                if (!options_.slide->is_close(complex_.tag(t, f), corner,
                                              {p, complex_.point(corner[1]), complex_.point(corner[2])}))
                    return false;
            }
        return true;
    }

    // ---- swaps ----

    bool remove_edge(Index t, const int* e) {
        const Index a = complex_.tet(t).v[e[0]], b = complex_.tet(t).v[e[1]];
        complex_.edge_ring(t, a, b, ring_);
        if (!ring_.is_free || ring_.ring.size() > kLargestRing || !is_among_worst(t, ring_.tets)) return false;
        Tally now, then;
        for (const Index s : ring_.tets) now.count(quality(s));
        const EdgeRemoval removal = best_edge_removal(
            ring_, a, b, [this](const Quad& q) { return quality(q); }, least_wanted(now));
        if (removal.quality <= least_wanted(now)) return false;
        for (const Quad& q : removal.fresh) then.count(quality(q));
        if (!is_better(then, now) || !has_room_for(removal.fresh.size(), ring_.tets.size())) return false;
        replace(ring_.tets, removal.fresh);
        ++report_.edge_removals;
        return true;
    }

    bool flip_face(Index t, int f) {
        const Index code = complex_.tet(t).n[f];
        if (code == kNone || complex_.tag(t, f) != kNone || !has_room_for(3, 2)) return false;
        const Index other = tet_of(code);
        Tally now, then;
        now.count(quality(t));
        now.count(quality(other));
        const Index* v = complex_.tet(t).v;
        const Index x = v[kFace[f][0]], y = v[kFace[f][1]], z = v[kFace[f][2]], top = v[f],
                    low = complex_.tet(other).v[face_of(code)];
        const std::array<Quad, 3> fresh{Quad{x, y, low, top}, Quad{y, z, low, top}, Quad{z, x, low, top}};
        for (const Quad& q : fresh) {
            then.count(quality(q));
            if (then.worst <= least_wanted(now)) return false;
        }
        if (!is_better(then, now)) return false;
        replace(std::array{t, other}, fresh);
        ++report_.face_flips;
        return true;
    }

    bool swap(Index t) {
        for (const auto& e : kEdge)
            if (remove_edge(t, e)) return true;
        for (int f = 0; f < 4; ++f)
            if (flip_face(t, f)) return true;
        return false;
    }

    void swap_all(double below) {
        for (Index t = 0; t < complex_.n_slots(); ++t)
            for (int again = 0; again < 4; ++again)
                if (complex_.is_free(t) || quality(t) >= below || !swap(t)) break;
    }

    // ---- new points and collapses ----

    /// Fills `old_tets` with the star of a new point over `outer` faces, smooths the point, and keeps the result only
    /// when the worst cell is clearly better than before.
    bool try_star(const std::vector<Index>& old_tets, const std::vector<std::array<Index, 3>>& outer, const Vec3& p) {
        if (!has_room_for(outer.size(), old_tets.size())) return false;
        double now = 1;
        std::vector<Quad> old, fresh;
        for (const Index s : old_tets) {
            now = std::min(now, quality(s));
            const Index* w = complex_.tet(s).v;
            old.push_back({w[0], w[1], w[2], w[3]});
        }
        const Index v = complex_.add_point(p);
        is_fixed_.push_back(false);
        changed_at_.push_back(0);
        searched_at_.push_back(0);
        n_searches_.push_back(0);
        bool valid = true;
        for (const auto& f : outer) {
            fresh.push_back({f[0], f[1], f[2], v});
            valid = valid && complex_.orientation(fresh.back()) > 0;
        }
        if (valid) {
            std::vector<std::uint32_t> changed_at;
            for (const Quad& q : old)
                for (const Index w : q) changed_at.push_back(changed_at_[w]);
            replace(old_tets, fresh);
            smooth_by_search(v);
            const std::vector<Index> star = complex_.star(v);
            if (star_quality(star, v, complex_.point(v), now) > now * kClearlyBetter + 1e-7) {
                ++report_.insertions;
                return true;
            }
            replace(star, old);
            // All is as it was.
            for (std::size_t k = 0; k < changed_at.size(); ++k) changed_at_[old[k / 4][k % 4]] = changed_at[k];
        }
        complex_.drop_last_point();
        is_fixed_.pop_back();
        changed_at_.pop_back();
        searched_at_.pop_back();
        n_searches_.pop_back();
        return false;
    }

    /// A point in the middle of the cell, in the cavity that sees it.
    bool insert_point(Index t) {
        const Index* v = complex_.tet(t).v;
        const Vec3 p =
            (complex_.point(v[0]) + complex_.point(v[1]) + complex_.point(v[2]) + complex_.point(v[3])) / 4.0;
        if (!complex_.find_cavity(p, t, cavity_)) return false;
        std::vector<std::array<Index, 3>> outer;
        for (const auto& f : cavity_.faces) outer.push_back({f.a, f.b, f.c});
        return try_star(cavity_.tets, outer, p);
    }

    /// A point near the middle of an inner edge, drawn into its ring by a share of the way to the ring's middle: opens
    /// cells that are flat, where the edge is one diagonal of four points in a plane.
    bool split_edge(Index a, Index b, double share) {
        const auto t = complex_.find_edge(a, b);
        if (!t) return false;
        complex_.edge_ring(*t, a, b, ring_);
        if (!ring_.is_free) return false;
        const std::size_t n = ring_.ring.size();
        Vec3 mean;
        std::vector<std::array<Index, 3>> outer;
        for (std::size_t i = 0; i < n; ++i) {
            const Index c = ring_.ring[i], d = ring_.ring[(i + 1) % n];
            mean += complex_.point(c) / static_cast<double>(n);
            outer.push_back({d, c, b});
            outer.push_back({c, d, a});
        }
        const Vec3 middle = midpoint(complex_.point(a), complex_.point(b));
        return try_star(ring_.tets, outer, middle + (mean - middle) * share);
    }

    /// What an inner vertex' cells become when it is pulled onto a neighbour. All of positive volume fill the star, so
    /// they fit together. Nothing where one would be worse than `least`, or as bad.
    std::optional<std::vector<Quad>> pulled(const std::vector<Index>& star, Index removed, Index kept,
                                            double least) const {
        std::vector<Quad> fresh;
        for (const Index t : star) {
            const Index* w = complex_.tet(t).v;
            if (complex_.tet(t).has(kept)) continue;
            Quad q{w[0], w[1], w[2], w[3]};
            std::replace(q.begin(), q.end(), removed, kept);
            if (quality(q) <= least) return std::nullopt;
            fresh.push_back(q);
        }
        return fresh;
    }

    bool collapse(Index removed, Index kept) {
        if (is_fixed_[removed]) return false;
        const std::vector<Index> star = complex_.star(removed);
        double now = 1;
        for (const Index t : star) now = std::min(now, quality(t));
        const auto fresh = pulled(star, removed, kept, now * 1.0001);
        if (!fresh) return false;
        replace(star, *fresh);
        ++report_.collapses;
        return true;
    }

    /// Points with few cells lie close to a face of others, and what is about them is small. Each goes to the neighbour
    /// that leaves the best cells.
    void drop_crowded_points() {
        std::vector<std::size_t> n_cells(complex_.points().size(), 0);
        for (Index t = 0; t < complex_.n_slots(); ++t)
            if (!complex_.is_free(t))
                for (const Index v : complex_.tet(t).v) ++n_cells[v];
        for (Index v = 0; v < n_cells.size(); ++v) {
            if (is_fixed_[v] || n_cells[v] == 0 || n_cells[v] >= options_.least_star) continue;
            const std::vector<Index> star = complex_.star(v);
            if (star.size() >= options_.least_star) continue;
            std::vector<Index> neighbours;
            for (const Index t : star)
                for (const Index w : complex_.tet(t).v)
                    if (w != v) neighbours.push_back(w);
            std::sort(neighbours.begin(), neighbours.end());
            neighbours.erase(std::unique(neighbours.begin(), neighbours.end()), neighbours.end());
            double least = options_.very_bad;
            std::vector<Quad> best;
            for (const Index w : neighbours) {
                const auto fresh = pulled(star, v, w, least);
                if (!fresh) continue;
                best = *fresh;
                least = 1;
                for (const Quad& q : best) least = std::min(least, quality(q));
            }
            if (best.empty()) continue;
            replace(star, best);
            ++report_.collapses;
        }
    }

    bool collapse_some_edge(Index t) {
        const Tet tet = complex_.tet(t);
        for (const auto& e : kEdge)
            if (collapse(tet.v[e[0]], tet.v[e[1]]) || collapse(tet.v[e[1]], tet.v[e[0]])) return true;
        return false;
    }

    bool improve(Index t, bool with_new_points) {
        if (swap(t)) return true;
        const Tet tet = complex_.tet(t);
        bool moved = false;
        for (const Index v : tet.v) moved = smooth_by_search(v) || moved;
        if (moved) return true;
        if (!with_new_points) return false;
        if (collapse_some_edge(t)) return true;
        if (quality(t) >= options_.very_bad || report_.insertions >= max_insertions_) return false;
        // How far a ring can be seen from depends on its shape: try to go far first.
        for (const double share : {0.4, 0.1, 0.02})
            for (const auto& e : kEdge)
                if (split_edge(tet.v[e[0]], tet.v[e[1]], share)) return true;
        // An attempt that was taken back may have left the cell in another slot.
        const std::vector<Index>& star = complex_.star(tet.v[0]);
        const auto same = std::find_if(star.begin(), star.end(), [&](Index s) {
            return std::all_of(tet.v, tet.v + 4, [&](Index v) { return complex_.tet(s).has(v); });
        });
        return same != star.end() && insert_point(*same);
    }

    /// One pass over the cells below the limit, worst first. True when something changed.
    bool improve_worst(double below, bool with_new_points) {
        std::vector<std::pair<double, Index>> list;
        for (Index t = 0; t < complex_.n_slots(); ++t) {
            if (complex_.is_free(t)) continue;
            const double q = quality(t);
            if (q < below) list.emplace_back(q, t);
        }
        std::sort(list.begin(), list.end());
        bool changed = false;
        for (const auto& [q, t] : list) {
            context_.check_stop();
            for (int again = 0; again < 6; ++again) {
                if (complex_.is_free(t) || quality(t) >= below || is_as_tried(t)) break;
                if (!improve(t, with_new_points)) {
                    // The cell may be in another slot by now; then it is tried again.
                    tried_at_[t] = ++clock_;
                    break;
                }
                changed = true;
            }
        }
        return changed;
    }

    TetComplex& complex_;
    OptimiseOptions options_;
    const Context& context_;
    static constexpr float kUnknown = -1;
    mutable std::vector<float> known_;  // quality of each tetrahedron
    OptimiseReport report_;
    std::size_t max_insertions_ = 0, n_given_ = 0, n_cells_ = 0;
    std::vector<bool> is_fixed_;
    // Times of events, of each vertex and of each tetrahedron.
    std::uint32_t clock_ = 0;
    std::vector<std::uint32_t> changed_at_, searched_at_, tried_at_;
    std::vector<std::uint16_t> n_searches_;  // of each vertex
    std::vector<Index> star_;
    Star around_;
    TetComplex::Ring ring_;
    TetComplex::Cavity cavity_;
};

}  // namespace

OptimiseReport optimise(TetComplex& complex, const OptimiseOptions& options, const Context& context) {
    return Optimiser(complex, options, context).run();
}

OptimiseReport optimise_in_chunks(TetComplex& complex, const OptimiseOptions& options, const Context& context) {
    /// Small enough for the cache of one core.
    constexpr std::size_t kChunk = 40'000;
    /// Each time the borders of the chunks fall elsewhere.
    constexpr std::array<double, 2> kCuts{0.5, 0.41};
    for (std::size_t pass = 0; options.sweeps > 0 && pass < kCuts.size(); ++pass) {
        context.report("fill", "optimisation", 0.6 + 0.15 * static_cast<double>(pass));
        OptimiseOptions in_chunk = options;
        in_chunk.with_new_points = false;
        in_chunk.least_star = 0;
        in_chunk.slide = nullptr;  // its vertices have other numbers
        work_in_chunks(complex, kChunk, kCuts[pass], [&](TetComplex& chunk) { optimise(chunk, in_chunk, context); });
    }
    context.report("fill", "worst cells", 0.95);
    OptimiseOptions at_end = options;
    at_end.sweeps = 0;
    return optimise(complex, at_end, context);
}

}  // namespace anvilcast::fill
