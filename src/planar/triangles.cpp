// Areas filled with triangles.
//
// The rims are triangulated, their edges fixed, and the areas on their sides told apart. Then points go in from the
// rims inwards: each edge of a rim proposes the tip of the equilateral triangle over it, and every point that went in
// proposes six round itself, turned as it was found, a size away. A place is taken when no point is nearer than a share
// of the size, so the points lie as if in a lattice, but where fronts meet. What is too long in the end is divided.
// Then points are moved to where their triangles are best and edges flipped, some times over, and the worst triangles
// are looked after one by one. A move never makes the worst angle at its point smaller unless it stays fine, and never
// turns a triangle over, which is decided exactly; so the mesh is one at every step.

#include "planar/triangles.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "planar/triangulation.hpp"

namespace anvilcast::planar {
namespace {

/// Of the local size: nearer than that to a point, another is not put in. Tried: 0.6 leaves short edges where fronts
/// meet, 0.8 holes.
constexpr double kCrowded = 0.7;
/// Edges longer than that are divided.
constexpr double kLongest = 1.45, kLongestOfSquares = 1.85;
constexpr double kEquilateral = 0.8660254037844386;
/// Sines of angles: above the first (40 degrees) a triangle needs no defending; below the second (35) it is mended;
/// where all are above the third (58) there is nothing to gain.
constexpr double kFine = 0.64, kMended = 0.57, kPerfect = 0.85;
/// Sine of the smallest angle that a flip for the sake of degrees may leave, before points are moved.
constexpr double kLeastFlipped = 0.35;
constexpr int kSweeps = 4, kRelaxations = 4, kMendings = 6;

double smallest_sine(const Vec2& a, const Vec2& b, const Vec2& c) {
    const double p = distance_squared(b, c), q = distance_squared(c, a), r = distance_squared(a, b);
    const double product = p <= q && p <= r ? q * r : q <= r ? p * r : p * q;
    return product > 0 ? cross(b - a, c - a) / std::sqrt(product) : 0;
}

class Filler {
  public:
    Filler(const std::vector<Vec2>& points, const std::vector<RimEdge>& rim, const SizeAt& size_at,
           const Context& context, Lattice lattice)
        : given_(points),
          rim_(rim),
          size_at_(size_at),
          context_(context),
          is_square_(lattice == Lattice::squares),
          mesh_(box(points)[0], box(points)[1]) {}

    Triangles run() {
        put_in_rims();
        tell_areas_apart();
        place_points();
        divide_long_edges();
        if (is_square_) return result();  // moved when they are quadrangles
        for (int sweep = 0; sweep < kSweeps; ++sweep) {
            context_.check_stop();
            smooth();
            mesh_.restore();
        }
        for (int k = 0; k < kRelaxations; ++k) {
            if (!even_out_degrees()) break;
            for (int sweep = 0; sweep < 2; ++sweep) smooth();
        }
        for (int k = 0; k < kMendings && mend(); ++k) flip_for_angles();
        return result();
    }

  private:
    static std::array<Vec2, 2> box(const std::vector<Vec2>& points) {
        Vec2 lo = points.front(), hi = lo;
        for (const Vec2& p : points) {
            lo = {std::min(lo.x, p.x), std::min(lo.y, p.y)};
            hi = {std::max(hi.x, p.x), std::max(hi.y, p.y)};
        }
        return {lo, hi};
    }

    [[noreturn]] static void refuse(const Vec2& at) {
        throw GeometryError(
            fmt::format("edges of the outline cross or touch near [{:.6g}, {:.6g}] m, where two curves are much closer "
                        "than their divisions are long; ask for a smaller size or more divisions there",
                        at.x, at.y));
    }

    void put_in_rims() {
        number_.assign(given_.size(), kNone);
        for (const RimEdge& e : rim_)
            for (const Index p : {e.from, e.to}) {
                if (number_[p] != kNone) continue;
                const auto place = mesh_.locate(given_[p], last_);
                if (place.on == Triangulation::Place::On::point) refuse(given_[p]);
                number_[p] = mesh_.insert(given_[p], place);
                last_ = mesh_.at(number_[p]);
                size_.resize(mesh_.n_points(), 0);
                size_[number_[p]] = size_at_(given_[p]);
            }
        n_rim_ = mesh_.n_points();
        for (const RimEdge& e : rim_)
            if (!mesh_.fix_edge(number_[e.from], number_[e.to])) refuse(midpoint(given_[e.from], given_[e.to]));
        mesh_.restore();
    }

    void tell_areas_apart() {
        std::vector<Index> todo;
        auto begin = [&](Index a, Index b, Index area) {
            if (area == kNone) return;
            const auto h = mesh_.find(a, b);
            if (!h) throw InternalError("an edge of an outline is gone");
            if (mesh_.tag(*h / 3) == area) return;
            mesh_.set_tag(*h / 3, area);
            todo.push_back(*h / 3);
        };
        for (const RimEdge& e : rim_) {
            begin(number_[e.from], number_[e.to], e.area[0]);
            begin(number_[e.to], number_[e.from], e.area[1]);
        }
        while (!todo.empty()) {
            const Index t = todo.back();
            todo.pop_back();
            for (Index h = 3 * t; h < 3 * t + 3; ++h) {
                const Index g = mesh_.twin(h);
                if (g == kNone) throw InternalError("an area of the plane mesh is open");
                if (mesh_.is_fixed(h) || mesh_.tag(g / 3) == mesh_.tag(t)) continue;
                mesh_.set_tag(g / 3, mesh_.tag(t));
                todo.push_back(g / 3);
            }
        }
    }

    /// Puts the place in unless it is crowded, or not in the area. Its number.
    std::optional<Index> try_to_put(const Vec2& place, double size, Index near, Index area) {
        const auto at = mesh_.locate(place, near);
        const Index t = at.half_edge / 3;
        if (mesh_.tag(t) != area || at.on == Triangulation::Place::On::point) return std::nullopt;
        if (at.on == Triangulation::Place::On::edge && mesh_.is_fixed(at.half_edge)) return std::nullopt;
        const double least = kCrowded * kCrowded * size * size;
        for (Index h = 3 * t; h < 3 * t + 3; ++h) {
            if (distance_squared(mesh_.point(mesh_.from(h)), place) < least) return std::nullopt;
            if (const Index g = mesh_.twin(h);
                g != kNone && !mesh_.is_fixed(h) && distance_squared(mesh_.point(mesh_.across(g)), place) < least)
                return std::nullopt;
            if (mesh_.is_fixed(h) && is_close_to(place, h, size)) return std::nullopt;
        }
        const Index v = mesh_.insert(place, at);
        size_.resize(mesh_.n_points(), 0);
        size_[v] = size;
        return v;
    }
    bool is_close_to(const Vec2& place, Index h, double size) const {
        const Vec2 &a = mesh_.point(mesh_.from(h)), &b = mesh_.point(mesh_.to(h));
        constexpr double kLeastHeight = 0.45;
        return cross(b - a, place - a) < kLeastHeight * std::min(size, distance(a, b)) * distance(a, b);
    }

    void place_points() {
        struct Found {
            Index point;
            Vec2 axis;  ///< of the lattice there
            Index area;
        };
        std::vector<Found> list;
        std::vector<std::array<Index, 3>> edges;  // from, to, area
        for (Index h = 0; h < mesh_.n_half_edges(); ++h)
            if (mesh_.is_fixed(h) && mesh_.tag(h / 3) != kNone)
                edges.push_back({mesh_.from(h), mesh_.to(h), mesh_.tag(h / 3)});
        for (const auto& edge : edges) {
            const Index a = edge[0], b = edge[1], area = edge[2];
            const Vec2 p = mesh_.point(a), q = mesh_.point(b);
            const Vec2 middle = midpoint(p, q), up = normalized(left_of(q - p));
            const double size = std::min(size_at_(middle), 1.5 * distance(p, q));
            // Over an edge of another length than the size: what lies between, so that both sides are alike.
            const double side = 0.5 * (distance(p, q) + size);
            const double height = std::sqrt(std::max(0.25 * side * side, side * side - 0.25 * distance_squared(p, q)));
            auto propose = [&](const Vec2& place, const Vec2& axis) {
                const auto h = mesh_.find(a, b);
                if (!h) return;
                if (const auto v = try_to_put(place, size_at_(place), *h, area)) list.push_back({*v, axis, area});
            };
            if (is_square_) {
                propose(p + up * side, up);
                propose(q + up * side, up);
            } else {
                propose(middle + up * height, turned(up, kAngles[1]));
            }
        }
        const std::size_t step = is_square_ ? 3 : 2;  // 30 degrees each
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (i % 4096 == 0) context_.check_stop();
            const Found f = list[i];
            const Vec2 at = mesh_.point(f.point);
            for (std::size_t k = 0; k < kAngles.size(); k += step) {
                const Vec2 way = turned(f.axis, kAngles[k]);
                double size = size_[f.point];
                Vec2 place = at + way * size;
                const double there = size_at_(place);
                if (std::abs(there - size) > 1e-6 * size) {
                    size = 0.5 * (size + there);
                    place = at + way * size;
                }
                if (const auto v = try_to_put(place, size_at_(place), mesh_.at(f.point), f.area))
                    list.push_back({*v, way, f.area});
            }
        }
    }

    void divide_long_edges() {
        constexpr int kMostRounds = 30;
        for (int round = 0; round < kMostRounds; ++round) {
            std::vector<std::array<Index, 2>> edges;
            for (Index h = 0; h < mesh_.n_half_edges(); ++h) {
                const Index g = mesh_.twin(h);
                if (g == kNone || g < h || mesh_.is_fixed(h) || mesh_.tag(h / 3) == kNone) continue;
                const Index a = mesh_.from(h), b = mesh_.to(h);
                if (distance(mesh_.point(a), mesh_.point(b)) >
                    (is_square_ ? kLongestOfSquares : kLongest) * 0.5 * (size_[a] + size_[b]))
                    edges.push_back({a, b});
            }
            std::size_t n = 0;
            for (const auto& [a, b] : edges) {
                const auto h = mesh_.find(a, b);
                if (!h) continue;
                const Vec2 place = midpoint(mesh_.point(a), mesh_.point(b));
                n += try_to_put(place, size_at_(place), *h, mesh_.tag(*h / 3)) ? 1U : 0U;
            }
            if (n == 0) return;
        }
    }

    // ---- shapes ----

    bool is_free(Index v) const { return v >= n_rim_; }

    double sine_of(Index h, Index moved, const Vec2& place) const {
        auto p = [&](Index v) -> const Vec2& { return v == moved ? place : mesh_.point(v); };
        return smallest_sine(p(mesh_.from(h)), p(mesh_.to(h)), p(mesh_.across(h)));
    }
    double least_sine_at(Index v, const Vec2& place) const {
        double least = 1;
        mesh_.around(v, [&](Index h) { least = std::min(least, sine_of(h, v, place)); });
        return least;
    }
    bool keeps_sides(Index v, const Vec2& place) const {
        bool good = true;
        mesh_.around(v, [&](Index h) {
            good = good && orient2d(mesh_.point(mesh_.to(h)), mesh_.point(mesh_.across(h)), place) > 0;
        });
        return good;
    }

    /// Between the middle of the triangles round it, weighted by their areas in local sizes, and the middle of where
    /// each triangle would be equilateral.
    Vec2 better_place(Index v) const {
        Vec2 lengths{}, tips{};
        double weight = 0;
        int n = 0;
        mesh_.around(v, [&](Index h) {
            const Index i = mesh_.to(h), k = mesh_.across(h);
            const Vec2 &a = mesh_.point(i), &b = mesh_.point(k), &p = mesh_.point(v);
            const double size = size_[v] + size_[i] + size_[k];
            const double w = cross(a - p, b - p) / (size * size);
            lengths = lengths + (a + b + p) * (w / 3);
            weight += w;
            tips = tips + midpoint(a, b) + left_of(b - a) * kEquilateral;
            ++n;
        });
        return (lengths / weight + tips / n) * 0.5;
    }

    void smooth() {
        for (Index v = n_rim_; v < mesh_.n_points(); ++v) {
            const double before = least_sine_at(v, mesh_.point(v));
            if (before > kPerfect) continue;
            const Vec2 place = better_place(v);
            const double after = least_sine_at(v, place);
            if ((after < before && after < kFine) || !keeps_sides(v, place)) continue;
            mesh_.move_point(v, place);
        }
    }

    /// Points of triangles with a small angle go where the least angle round them is largest. True when any did.
    bool mend() {
        bool has_moved = false;
        std::vector<Index> todo;
        for (Index t = 0; t < mesh_.n_triangles(); ++t) {
            if (mesh_.tag(t) == kNone || sine_of(3 * t, kNone, {}) >= kMended) continue;
            for (Index h = 3 * t; h < 3 * t + 3; ++h)
                if (is_free(mesh_.from(h))) todo.push_back(mesh_.from(h));
        }
        std::sort(todo.begin(), todo.end());
        todo.erase(std::unique(todo.begin(), todo.end()), todo.end());
        for (const Index v : todo) {
            double best = least_sine_at(v, mesh_.point(v)), step = 0.2 * size_[v];
            for (int k = 0; k < 24 && step > 0.01 * size_[v]; ++k) {
                bool found = false;
                for (const Vec2& way : kAngles) {
                    const Vec2 place = mesh_.point(v) + way * step;
                    const double sine = least_sine_at(v, place);
                    if (sine <= best * (1 + 1e-6) || !keeps_sides(v, place)) continue;
                    best = sine;
                    mesh_.move_point(v, place);
                    found = has_moved = true;
                    break;
                }
                if (!found) step *= 0.5;
            }
        }
        return has_moved;
    }

    /// Flips edges where points then have numbers of neighbours nearer to six: pairs of five and seven meet and are
    /// gone.
    bool even_out_degrees() {
        std::vector<int> degree(mesh_.n_points(), 0);
        for (Index h = 0; h < mesh_.n_half_edges(); ++h) ++degree[mesh_.from(h)];
        bool has_flipped = false;
        for (Index h = 0; h < mesh_.n_half_edges(); ++h) {
            const Index g = mesh_.twin(h);
            if (g == kNone || g < h || mesh_.tag(h / 3) == kNone || mesh_.is_fixed(h)) continue;
            const Index a = mesh_.from(h), b = mesh_.to(h), c = mesh_.across(h), d = mesh_.across(g);
            if (!is_free(a) || !is_free(b) || !is_free(c) || !is_free(d)) continue;
            auto off = [](int n) { return (n - 6) * (n - 6); };
            const int before = off(degree[a]) + off(degree[b]) + off(degree[c]) + off(degree[d]),
                      after = off(degree[a] - 1) + off(degree[b] - 1) + off(degree[c] + 1) + off(degree[d] + 1);
            if (after >= before || !mesh_.can_flip(h)) continue;
            const Vec2 &pa = mesh_.point(a), &pb = mesh_.point(b), &pc = mesh_.point(c), &pd = mesh_.point(d);
            if (std::min(smallest_sine(pa, pd, pc), smallest_sine(pd, pb, pc)) < kLeastFlipped) continue;
            mesh_.flip(h);
            --degree[a];
            --degree[b];
            ++degree[c];
            ++degree[d];
            has_flipped = true;
        }
        return has_flipped;
    }

    void flip_for_angles() {
        for (Index h = 0; h < mesh_.n_half_edges(); ++h) {
            const Index g = mesh_.twin(h);
            if (g == kNone || g < h || mesh_.tag(h / 3) == kNone || mesh_.is_fixed(h) || !mesh_.can_flip(h)) continue;
            const Vec2 &a = mesh_.point(mesh_.from(h)), &b = mesh_.point(mesh_.to(h)),
                       &c = mesh_.point(mesh_.across(h)), &d = mesh_.point(mesh_.across(g));
            const double now = std::min(smallest_sine(a, b, c), smallest_sine(b, a, d));
            if (now < kFine && std::min(smallest_sine(a, d, c), smallest_sine(d, b, c)) > now * (1 + 1e-6))
                mesh_.flip(h);
        }
    }

    Triangles result() const {
        Triangles out;
        out.points = given_;
        std::vector<Index> number(mesh_.n_points(), kNone);
        for (Index p = 0; p < given_.size(); ++p)
            if (number_[p] != kNone) number[number_[p]] = p;
        for (Index v = n_rim_; v < mesh_.n_points(); ++v) {
            number[v] = static_cast<Index>(out.points.size());
            out.points.push_back(mesh_.point(v));
        }
        for (Index t = 0; t < mesh_.n_triangles(); ++t) {
            if (mesh_.tag(t) == kNone) continue;
            out.triangles.push_back(
                {number[mesh_.from(3 * t)], number[mesh_.from(3 * t + 1)], number[mesh_.from(3 * t + 2)]});
            out.area.push_back(mesh_.tag(t));
        }
        return out;
    }

    /// Cosine and sine of every 30 degrees.
    static constexpr std::array<Vec2, 12> kAngles{{{1, 0},
                                                   {kEquilateral, 0.5},
                                                   {0.5, kEquilateral},
                                                   {0, 1},
                                                   {-0.5, kEquilateral},
                                                   {-kEquilateral, 0.5},
                                                   {-1, 0},
                                                   {-kEquilateral, -0.5},
                                                   {-0.5, -kEquilateral},
                                                   {0, -1},
                                                   {0.5, -kEquilateral},
                                                   {kEquilateral, -0.5}}};
    static Vec2 turned(const Vec2& a, const Vec2& by) { return {by.x * a.x - by.y * a.y, by.y * a.x + by.x * a.y}; }

    const std::vector<Vec2>& given_;
    const std::vector<RimEdge>& rim_;
    const SizeAt& size_at_;
    const Context& context_;
    bool is_square_;
    Triangulation mesh_;
    std::vector<Index> number_;  ///< of each given point in the triangulation
    std::vector<double> size_;
    Index last_ = 0;
    Index n_rim_ = 0;
};

}  // namespace

Triangles fill_with_triangles(const std::vector<Vec2>& points, const std::vector<RimEdge>& rim, const SizeAt& size_at,
                              const Context& context, Lattice lattice) {
    if (rim.empty()) return {points, {}, {}};
    return Filler(points, rim, size_at, context, lattice).run();
}

}  // namespace anvilcast::planar
