#include "tets/insertion.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>

namespace anvilcast::tets {
namespace {

/// A new point keeps this many local sizes from every point of its cavity ...
constexpr double kLeastDistance = 0.72;
/// ... and this many from every boundary face of its cavity: the height of a regular tetrahedron is 0.82 edges.
constexpr double kLeastHeight = 0.5;

/// This share of the candidates goes in one by one before blocks are cut: all rounds but the last.
constexpr std::size_t kFirstShare = std::size_t{1} << kDoublings;
/// Candidates of a block. Most of those of a small one would be near its borders.
constexpr std::size_t kBlock = 20'000;
/// The share of a piece that comes first when it is cut, pass by pass: borders fall elsewhere in each.
constexpr std::array<double, 3> kCuts{0.5, 0.4, 0.6};

/// Space, cut by planes into blocks with about as many candidates each.
class Blocks {
  public:
    Blocks(const std::vector<Candidate>& candidates, double cut) : cut_(cut) {
        std::vector<Vec3> places(candidates.size());
        std::transform(candidates.begin(), candidates.end(), places.begin(),
                       [](const Candidate& c) { return c.place; });
        divide(places);
    }
    Index count() const { return n_blocks_; }
    Index block_of(const Vec3& p) const {
        Index n = 0;
        while (nodes_[n].axis >= 0) n = p[nodes_[n].axis] < nodes_[n].at ? n + 1 : nodes_[n].second;
        return nodes_[n].second;
    }

  private:
    struct Node {
        int axis;  // -1: a block
        double at;
        Index second;  // the node behind the plane, or the block's number
    };

    void divide(std::span<Vec3> places) {
        const std::size_t self = nodes_.size();
        if (places.size() <= kBlock) {
            nodes_.push_back({-1, 0, n_blocks_++});
            return;
        }
        Box box;
        for (const Vec3& p : places) box.include(p);
        const Vec3 e = box.extent();
        const int axis = e.x >= e.y && e.x >= e.z ? 0 : e.y >= e.z ? 1 : 2;
        const auto first = static_cast<std::size_t>(cut_ * static_cast<double>(places.size()));
        std::nth_element(places.begin(), places.begin() + static_cast<std::ptrdiff_t>(first), places.end(),
                         [axis](const Vec3& a, const Vec3& b) { return a[axis] < b[axis]; });
        nodes_.push_back({axis, places[first][axis], 0});
        divide(places.first(first));
        nodes_[self].second = static_cast<Index>(nodes_.size());
        divide(places.subspan(first));
    }

    double cut_;
    std::vector<Node> nodes_;
    Index n_blocks_ = 0;
};

/// The block that has all vertices of a tetrahedron, kNone when they are of several.
std::vector<Index> find_owners(const TetComplex& complex, const Blocks& blocks) {
    std::vector<Index> of_vertex(complex.points().size());
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(of_vertex.size()), 1024), [&](const auto& range) {
        for (Index v = range.begin(); v < range.end(); ++v) of_vertex[v] = blocks.block_of(complex.point(v));
    });
    std::vector<Index> owner(complex.n_slots(), kNone);
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(owner.size()), 1024), [&](const auto& range) {
        for (Index t = range.begin(); t < range.end(); ++t) {
            if (complex.is_free(t)) continue;
            const Index* v = complex.tet(t).v;
            const bool is_one = of_vertex[v[0]] == of_vertex[v[1]] && of_vertex[v[0]] == of_vertex[v[2]] &&
                                of_vertex[v[0]] == of_vertex[v[3]];
            if (is_one) owner[t] = of_vertex[v[0]];
        }
    });
    return owner;
}

std::size_t insert_one_by_one(TetComplex& complex, std::span<const Candidate> candidates, const Context& context) {
    Inserter inserter(complex);
    std::size_t n = 0;
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        if (i % 1024 == 0) context.check_stop();
        n += static_cast<std::size_t>(inserter.put(candidates[i]) == Inserter::Outcome::put_in);
    }
    return n;
}

/// One pass over blocks. Those that strayed stay in `waiting`, in their order.
std::size_t insert_by_blocks(TetComplex& complex, const Blocks& blocks, std::vector<Candidate>& waiting,
                             const Context& context) {
    std::vector<std::vector<Index>> of_block(blocks.count());
    for (Index i = 0; i < waiting.size(); ++i) of_block[blocks.block_of(waiting[i].place)].push_back(i);

    // A point comes with less than seven tetrahedra on the average.
    std::vector<std::size_t> n_new(blocks.count());
    std::transform(of_block.begin(), of_block.end(), n_new.begin(), [](const auto& list) { return 7 * list.size(); });
    std::vector<Index> owner = find_owners(complex, blocks);
    std::vector<Index> start(blocks.count(), kNone);
    for (Index t = 0; t < owner.size(); ++t)
        if (owner[t] != kNone && start[owner[t]] == kNone) start[owner[t]] = t;
    std::vector<TetComplex::Worker> workers = complex.hire(owner, n_new);
    const Index first_vertex = complex.reserve_points(waiting.size());
    std::vector<std::size_t> n_in(blocks.count(), 0);
    std::vector<char> has_strayed(waiting.size(), 0);
    tbb::parallel_for(std::size_t{0}, of_block.size(), [&](std::size_t b) {
        Inserter inserter(complex, workers[b], start[b]);
        for (const Index i : of_block[b]) {
            if (i % 1024 == 0) context.check_stop();
            const Inserter::Outcome outcome = inserter.put(waiting[i], first_vertex + i);
            n_in[b] += static_cast<std::size_t>(outcome == Inserter::Outcome::put_in);
            has_strayed[i] = static_cast<char>(outcome == Inserter::Outcome::strayed);
        }
    });
    complex.dismiss(workers);
    std::size_t kept = 0, n = 0;
    for (std::size_t i = 0; i < waiting.size(); ++i)
        if (has_strayed[i] != 0) waiting[kept++] = waiting[i];
    waiting.resize(kept);
    for (const std::size_t k : n_in) n += k;
    return n;
}

}  // namespace

bool is_crowded(const TetComplex& complex, const Candidate& c, Index t, const TetComplex::Worker* worker) {
    const double least = kLeastDistance * kLeastDistance * c.size * c.size;
    auto is_near = [&](Index v) { return distance_squared(complex.point(v), c.place) < least; };
    const Tet& tet = complex.tet(t);
    for (const Index v : tet.v)
        if (is_near(v)) return true;
    for (const Index code : tet.n) {
        if (code == kNone || (worker != nullptr && !worker->owns(tet_of(code)))) continue;
        if (is_near(complex.tet(tet_of(code)).v[face_of(code)])) return true;
    }
    return false;
}

/// Candidates come in an order in which the last one is near. A walk from there may end at the boundary; then another
/// is tried from the slot that held the place, whatever is in it by now.
std::optional<Index> Inserter::find(const Candidate& c) const {
    auto walk = [&](Index from) -> std::optional<Index> {
        if (from == kNone || (worker_ != nullptr && !worker_->owns(from)) || complex_.is_free(from))
            return std::nullopt;
        return complex_.locate(c.place, from, TetComplex::Walk::everywhere, worker_);
    };
    const auto t = walk(last_);
    return t ? t : walk(c.tet);
}

bool Inserter::keeps_distance(const Candidate& c) const {
    const double least = kLeastDistance * kLeastDistance * c.size * c.size;
    for (const TetComplex::Cavity::Face& f : cavity_.faces) {
        const Vec3 &a = complex_.point(f.a), &b = complex_.point(f.b), &d = complex_.point(f.c);
        for (const Vec3* p : {&a, &b, &d})
            if (distance_squared(*p, c.place) < least) return false;
        if (f.is_tagged && dot(normalized(triangle_normal(a, b, d)), c.place - a) < kLeastHeight * c.size) return false;
    }
    return true;
}

Inserter::Outcome Inserter::put(const Candidate& c, Index vertex) {
    const auto found = find(c);
    if (!found) return worker_ != nullptr ? Outcome::strayed : Outcome::refused;
    const Index t = last_ = *found;
    if (is_crowded(complex_, c, t, worker_)) return Outcome::refused;
    const bool is_found = worker_ != nullptr ? complex_.find_cavity(c.place, t, cavity_, *worker_)
                                             : complex_.find_cavity(c.place, t, cavity_);
    if (worker_ != nullptr && worker_->has_strayed) return Outcome::strayed;
    if (!is_found || !keeps_distance(c)) return Outcome::refused;
    if (vertex == kNone)
        vertex = complex_.add_point(c.place);
    else
        complex_.move_point(vertex, c.place);
    if (worker_ != nullptr)
        complex_.fill_cavity(cavity_, vertex, *worker_);
    else
        complex_.fill_cavity(cavity_, vertex);
    last_ = filled().front();
    return Outcome::put_in;
}

std::size_t insert_side_by_side(TetComplex& complex, const std::vector<Candidate>& candidates, const Context& context) {
    const std::size_t n_first = candidates.size() <= kBlock ? candidates.size() : candidates.size() / kFirstShare;
    std::size_t n = insert_one_by_one(complex, std::span(candidates).first(n_first), context);
    std::vector<Candidate> waiting(candidates.begin() + static_cast<std::ptrdiff_t>(n_first), candidates.end());
    for (const double cut : kCuts)
        // Blocks of all candidates: those that wait lie along the last borders, and would draw the next ones there.
        if (!waiting.empty()) n += insert_by_blocks(complex, Blocks(candidates, cut), waiting, context);
    return n + insert_one_by_one(complex, waiting, context);
}

}  // namespace anvilcast::tets
