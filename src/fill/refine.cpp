#include "fill/refine.hpp"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cmath>
#include <limits>

#include "fill/lattice.hpp"
#include "tets/insertion.hpp"
#include "tets/spatial_order.hpp"

namespace anvilcast::fill {
namespace {

/// An edge longer than this many local sizes is divided; sqrt(2) would make halves as short as allowed.
constexpr double kTooLong = 1.5;
/// Points on edges are put aside by at most this share of the size.
constexpr double kAside = 0.01;
constexpr int kMaxRounds = 12;
constexpr std::size_t kBlock = 4096;

class Refiner {
  public:
    Refiner(TetComplex& complex, const SizeField& sizes, std::size_t max_cells, const Context& context)
        : complex_(complex), sizes_(sizes), max_cells_(max_cells), context_(context) {}

    RefineReport run() {
        RefineReport report;
        extend_sizes();
        context_.report("fill", "interior points", 0.25);
        report.points = insert_side_by_side(complex_, lattice(), context_);
        check_limits();
        extend_sizes();
        for (int round = 0; round < kMaxRounds; ++round) {
            context_.report("fill", "interior points", 0.25 + 0.35 * round / kMaxRounds);
            const std::size_t n = insert(candidates());
            report.points += n;
            ++report.rounds;
            if (n * 200 < report.points) break;
        }
        return report;
    }

  private:
    void extend_sizes() {
        const std::size_t known = size_.size();
        size_.resize(complex_.points().size());
        tbb::parallel_for(tbb::blocked_range<std::size_t>(known, size_.size(), 256), [this](const auto& range) {
            for (std::size_t v = range.begin(); v < range.end(); ++v)
                size_[v] = sizes_.at(complex_.point(static_cast<Index>(v)));
        });
    }

    std::vector<Candidate> lattice() const {
        // A point comes with six cells.
        const std::size_t most = max_cells_ > 0 ? max_cells_ / 3 : std::numeric_limits<std::size_t>::max();
        const std::vector<Candidate> all = lattice_places(complex_, sizes_, size_, most, context_);
        return in_order(all, [](const std::vector<Vec3>& places) { return insertion_order(places, kDoublings); });
    }

    template <typename Order>
    static std::vector<Candidate> in_order(const std::vector<Candidate>& all, Order order) {
        std::vector<Vec3> places(all.size());
        std::transform(all.begin(), all.end(), places.begin(), [](const Candidate& c) { return c.place; });
        std::vector<Candidate> sorted;
        sorted.reserve(all.size());
        for (const Index i : order(places)) sorted.push_back(all[i]);
        return sorted;
    }

    /// Points that divide the edge ab into pieces of the local size.
    void divide(Index a, Index b, Index tet, std::vector<Candidate>& out) const {
        const Vec3 &pa = complex_.point(a), &pb = complex_.point(b);
        const double l = distance(pa, pb);
        // Where even the smaller end's size does not call for a point, skip the field.
        if (l <= kTooLong * std::min(size_[a], size_[b])) return;
        const double middle = sizes_.at(midpoint(pa, pb));
        const double pieces = l * (1 / size_[a] + 4 / middle + 1 / size_[b]) / 6;
        if (pieces <= kTooLong) return;
        const double n = std::max(2.0, std::round(pieces));
        // Walk along with the size interpolated between the ends and the middle.
        auto size_along = [&](double s) {
            return s < 0.5 ? size_[a] + 2 * s * (middle - size_[a]) : middle + 2 * (s - 0.5) * (size_[b] - middle);
        };
        constexpr int kSteps = 32;
        double total = 0;
        for (int i = 0; i < kSteps; ++i) total += 1 / size_along((i + 0.5) / kSteps);
        double sum = 0, next = total / n;
        for (int i = 0; i < kSteps && next < total * (1 - 0.5 / n); ++i) {
            const double step = 1 / size_along((i + 0.5) / kSteps);
            while (sum + step >= next && next < total * (1 - 0.5 / n)) {
                const double s = (i + (next - sum) / step) / kSteps;
                const double size = size_along(s);
                out.push_back({pa + (pb - pa) * s +
                                   scattered((std::uint64_t{a} << 32 | b) + (out.size() << 20)) * (kAside * size),
                               size, tet});
                next += total / n;
            }
            sum += step;
        }
    }

    struct Edge {
        Index a, b, tet;
        bool operator<(const Edge& o) const { return a != o.a ? a < o.a : b != o.b ? b < o.b : tet < o.tet; }
    };

    /// Long inner edges of the tetrahedra that are new since the last round, each edge once.
    std::vector<Edge> long_edges() {
        const std::size_t n = complex_.n_slots();
        is_seen_.resize(n, 0);
        std::vector<std::vector<Edge>> blocks((n + kBlock - 1) / kBlock);
        tbb::parallel_for(std::size_t{0}, blocks.size(), [&](std::size_t block) {
            for (auto t = static_cast<Index>(block * kBlock); t < std::min(n, (block + 1) * kBlock); ++t) {
                if (complex_.is_free(t) || is_seen_[t] != 0) continue;
                is_seen_[t] = 1;
                const Tet& tet = complex_.tet(t);
                for (const auto& e : kEdge) {
                    const Index p = std::min(tet.v[e[0]], tet.v[e[1]]), q = std::max(tet.v[e[0]], tet.v[e[1]]);
                    const double most = kTooLong * std::min(size_[p], size_[q]);
                    if (distance_squared(complex_.point(p), complex_.point(q)) <= most * most) continue;
                    // A boundary edge shows as a tag on one of the two faces at it, or on a face of a neighbour round
                    // it; points on it would fall on a tagged face and are refused at insertion.
                    if (complex_.tag(t, e[2]) == kNone && complex_.tag(t, e[3]) == kNone)
                        blocks[block].push_back({p, q, t});
                }
            }
        });
        std::vector<Edge> edges;
        for (const auto& block : blocks) edges.insert(edges.end(), block.begin(), block.end());
        tbb::parallel_sort(edges.begin(), edges.end());
        edges.erase(std::unique(edges.begin(), edges.end(),
                                [](const Edge& p, const Edge& q) { return p.a == q.a && p.b == q.b; }),
                    edges.end());
        return edges;
    }

    /// Candidates of long edges, in Hilbert order: what one insertion has touched is at hand for the next.
    std::vector<Candidate> candidates() {
        const std::vector<Edge> edges = long_edges();
        std::vector<std::vector<Candidate>> parts((edges.size() + 1023) / 1024);
        tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t k) {
            for (std::size_t i = 1024 * k; i < std::min(edges.size(), 1024 * (k + 1)); ++i)
                divide(edges[i].a, edges[i].b, edges[i].tet, parts[k]);
            std::erase_if(parts[k], [this](Candidate& c) { return is_hopeless(c); });
        });
        std::vector<Candidate> all;
        for (const auto& part : parts) all.insert(all.end(), part.begin(), part.end());
        return in_order(all, [](const std::vector<Vec3>& places) { return hilbert_order(places); });
    }

    /// Too close to points that are there already. Otherwise the candidate comes to know its tetrahedron.
    bool is_hopeless(Candidate& c) const {
        if (is_crowded(complex_, c, c.tet)) return true;
        const auto t = complex_.locate(c.place, c.tet);
        if (!t) return true;
        const bool is_same = *t == c.tet;
        c.tet = *t;
        return !is_same && is_crowded(complex_, c, *t);
    }

    std::size_t insert(const std::vector<Candidate>& list) {
        Inserter inserter(complex_);
        std::size_t n = 0;
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (i % 1024 == 0) check_limits();
            if (inserter.put(list[i]) != Inserter::Outcome::put_in) continue;
            if (is_seen_.size() < complex_.n_slots()) is_seen_.resize(complex_.n_slots(), 0);
            for (const Index fresh : inserter.filled()) is_seen_[fresh] = 0;
            size_.push_back(list[i].size);
            ++n;
        }
        check_limits();
        return n;
    }

    void check_limits() const {
        context_.check_stop();
        if (max_cells_ > 0 && complex_.n_slots() > max_cells_ + max_cells_ / 2)
            throw FailureError(
                fmt::format("the sizes ask for more than {} cells, which is the limit; make the sizes larger, or "
                            "the limit",
                            max_cells_));
    }

    TetComplex& complex_;
    const SizeField& sizes_;
    std::size_t max_cells_;
    const Context& context_;
    std::vector<double> size_;
    std::vector<char> is_seen_;  // tetrahedra whose edges have been looked at
};

}  // namespace

RefineReport add_interior_points(TetComplex& complex, const SizeField& sizes, std::size_t max_cells,
                                 const Context& context) {
    return Refiner(complex, sizes, max_cells, context).run();
}

}  // namespace anvilcast::fill
