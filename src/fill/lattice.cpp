#include "fill/lattice.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>

#include "tets/spatial_order.hpp"

namespace anvilcast::fill {
namespace {

/// The edge of the lattice's cube, in local sizes: its edges are then 0.95 and 1.1 of the size.
constexpr double kCube = 1.1;
/// Places keep this many local sizes from each other and from the points of the boundary.
constexpr double kLeastDistance = 0.74;
/// Places are put aside by at most this share of the size.
constexpr double kAside = 0.004;
/// Places whose neighbours are looked for at a time.
constexpr std::size_t kLookAhead = 256;

/// Points with a size each, in grids of cubes: one grid for each power of two of the size, all in one hash table.
class NearPoints {
  public:
    explicit NearPoints(std::size_t expected) : slots_(std::bit_ceil(std::max<std::size_t>(1024, 2 * expected))) {}

    void add(const Vec3& p, double size) {
        if (2 * (n_cubes_ + 1) > slots_.size()) grow();
        const Grid grid(level_of(size));
        Slot& s = slots_[slot_of(grid.key(grid.index(p.x), grid.index(p.y), grid.index(p.z)))];
        if (s.first == kNone) ++n_cubes_;
        points_.push_back({p, s.first});
        s = {grid.key(grid.index(p.x), grid.index(p.y), grid.index(p.z)), static_cast<Index>(points_.size() - 1)};
    }

    /// Is there a point nearer than the radius, among those of sizes near the one given?
    bool has_near(const Vec3& p, double radius, double size) const {
        // A field grows by a fifth or so: over the radius the size hardly changes by more than that.
        for (int level = level_of(0.8 * size); level <= level_of(1.25 * size); ++level) {
            const Grid grid(level);
            // What is near is in the same cube, as a rule.
            if (has_near(p, radius, grid.key(grid.index(p.x), grid.index(p.y), grid.index(p.z)))) return true;
            for (std::int64_t i = grid.index(p.x - radius); i <= grid.index(p.x + radius); ++i)
                for (std::int64_t j = grid.index(p.y - radius); j <= grid.index(p.y + radius); ++j)
                    for (std::int64_t k = grid.index(p.z - radius); k <= grid.index(p.z + radius); ++k)
                        if (has_near(p, radius, grid.key(i, j, k))) return true;
        }
        return false;
    }

  private:
    struct Point {
        Vec3 place;
        Index next;  // in the same cube
    };
    struct Slot {
        std::uint64_t key = 0;
        Index first = kNone;
    };
    /// Cubes with edges of one to two sizes.
    struct Grid {
        explicit Grid(int l) : level(static_cast<std::uint64_t>(l)), scale(std::ldexp(1.0, -l)) {}
        std::int64_t index(double x) const { return static_cast<std::int64_t>(std::floor(x * scale)); }
        std::uint64_t key(std::int64_t i, std::int64_t j, std::int64_t k) const {
            std::uint64_t x = static_cast<std::uint64_t>(i) * 0x9E3779B97F4A7C15ULL;
            x = (x ^ (x >> 29) ^ static_cast<std::uint64_t>(j)) * 0xBF58476D1CE4E5B9ULL;
            x = (x ^ (x >> 29) ^ static_cast<std::uint64_t>(k)) * 0x94D049BB133111EBULL;
            return (x ^ (x >> 31)) + level;
        }
        std::uint64_t level;
        double scale;
    };
    static int level_of(double size) { return std::ilogb(size) + 1; }

    bool has_near(const Vec3& p, double radius, std::uint64_t cube) const {
        for (Index n = slots_[slot_of(cube)].first; n != kNone; n = points_[n].next)
            if (distance_squared(points_[n].place, p) < radius * radius) return true;
        return false;
    }

    /// Of the cube with that key, or the free slot for it.
    std::size_t slot_of(std::uint64_t key) const {
        const std::size_t mask = slots_.size() - 1;
        std::size_t i = key & mask;
        while (slots_[i].first != kNone && slots_[i].key != key) i = (i + 1) & mask;
        return i;
    }
    void grow() {
        std::vector<Slot> old(2 * slots_.size());
        old.swap(slots_);
        for (const Slot& s : old)
            if (s.first != kNone) slots_[slot_of(s.key)] = s;
    }

    std::vector<Slot> slots_;
    std::vector<Point> points_;
    std::size_t n_cubes_ = 0;
};

class Front {
  public:
    Front(const TetComplex& complex, const SizeField& sizes, const std::vector<double>& size_at, std::size_t most,
          const Context& context)
        : complex_(complex), sizes_(sizes), most_(most), context_(context), near_(4 * size_at.size()) {
        for (Index v = 1; v < complex.points().size(); ++v)
            if (complex.tet_at(v) != kNone) near_.add(complex.point(v), size_at[v]);
    }

    std::vector<Candidate> run() {
        for (const Candidate& seed : seeds()) {
            if (placed_.size() >= most_) break;
            if (!is_crowded(seed.place, seed.size)) take(seed);
            while (next_ < placed_.size() && placed_.size() < most_) {
                context_.check_stop();
                spread_some();
            }
        }
        for (std::size_t k = 0; k < placed_.size(); ++k)
            placed_[k].place = placed_[k].place + scattered(k) * (kAside * placed_[k].size);
        return std::move(placed_);
    }

  private:
    /// The middles of tetrahedra, those with the most room first: there the lattice has the farthest to go undisturbed.
    std::vector<Candidate> seeds() const {
        struct Roomy {
            double room;
            Candidate seed;
        };
        std::vector<Roomy> all;
        for (Index t = 0; t < complex_.n_slots(); ++t) {
            if (complex_.is_free(t)) continue;
            Vec3 middle{};
            for (const Index v : complex_.tet(t).v) middle = middle + 0.25 * complex_.point(v);
            double nearest = std::numeric_limits<double>::infinity();
            for (const Index v : complex_.tet(t).v) nearest = std::min(nearest, distance(middle, complex_.point(v)));
            const double size = sizes_.at(middle);
            if (nearest > kLeastDistance * size) all.push_back({nearest / size, {middle, size, t}});
        }
        std::stable_sort(all.begin(), all.end(), [](const Roomy& a, const Roomy& b) { return a.room > b.room; });
        std::vector<Candidate> seeds(all.size());
        std::transform(all.begin(), all.end(), seeds.begin(), [](const Roomy& r) { return r.seed; });
        return seeds;
    }

    bool is_crowded(const Vec3& p, double size) const { return near_.has_near(p, kLeastDistance * size, size); }

    void take(const Candidate& c) {
        placed_.push_back(c);
        near_.add(c.place, c.size);
    }

    /// Neighbours of one place that have room, and where each would be were the size even.
    struct Neighbours {
        std::array<Candidate, 8> list;
        std::array<Vec3, 8> straight;
        std::size_t n = 0;
    };

    /// The next places' neighbours are found side by side, and taken one by one where there still is room. What has no
    /// room now never will, so the outcome is as if each place had been looked at after all before it.
    void spread_some() {
        const std::size_t first = next_, n = std::min(placed_.size() - next_, kLookAhead);
        found_.resize(n);
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, 32), [&](const auto& range) {
            for (std::size_t k = range.begin(); k < range.end(); ++k) found_[k] = neighbours(placed_[first + k]);
        });
        for (std::size_t i = 0; i < n && placed_.size() < most_; ++i) {
            const double size = placed_[first + i].size;
            for (std::size_t k = 0; k < found_[i].n; ++k) {
                const Candidate& c = found_[i].list[k];
                if (!is_taken(found_[i].straight[k], size) && !is_crowded(c.place, c.size)) take(c);
            }
        }
        next_ += n;
    }

    /// Most neighbours are taken: that is seen before the field is asked.
    bool is_taken(const Vec3& straight, double size) const {
        return near_.has_near(straight, 0.8 * kLeastDistance * size, size);
    }

    Neighbours neighbours(const Candidate& parent) const {
        Neighbours found;
        for (unsigned d = 0; d < 8; ++d) {
            auto side = [d](unsigned axis) { return (d >> axis & 1U) != 0 ? 0.5 * kCube : -0.5 * kCube; };
            const Vec3 step{side(0), side(1), side(2)};
            const Vec3 straight = parent.place + step * parent.size;
            if (is_taken(straight, parent.size)) continue;
            Vec3 place = straight;
            double size = sizes_.at(place);
            // Half of the way with the size here, half with that over there.
            if (std::abs(size - parent.size) > 1e-6 * size) {
                place = parent.place + step * (0.5 * (size + parent.size));
                size = sizes_.at(place);
            }
            if (is_crowded(place, size)) continue;
            const auto t = complex_.locate(place, parent.tet, TetComplex::Walk::this_side);
            if (!t) continue;
            found.straight[found.n] = straight;
            found.list[found.n++] = {place, size, *t};
        }
        return found;
    }

    const TetComplex& complex_;
    const SizeField& sizes_;
    std::size_t most_;
    const Context& context_;
    NearPoints near_;
    std::vector<Candidate> placed_;
    std::size_t next_ = 0;  // to spread from
    std::vector<Neighbours> found_;
};

}  // namespace

std::vector<Candidate> lattice_places(const TetComplex& complex, const SizeField& sizes,
                                      const std::vector<double>& size_at, std::size_t most, const Context& context) {
    return Front(complex, sizes, size_at, most, context).run();
}

}  // namespace anvilcast::fill
