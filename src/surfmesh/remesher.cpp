// One draft, changed by splits, collapses, flips and moves, each of which is done only when what it leaves passes the
// same test: every triangle faces the way its patch does and bulges from it by no more than the limits.
// Edges longer than kLongest sizes are split, those shorter than kShortest collapsed, edges flipped towards equal
// numbers of neighbours and then towards larger angles, points moved to the middle of their neighbours weighted by size
// and put back onto their patch. Each pass goes through a list made beforehand and ends with it; splitting ends because
// the edges that it leaves are shorter than those it takes. Points and normals are rounded; which triangles there are
// at an edge is bookkeeping and exact.

#include "surfmesh/remesher.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "geometry/triangle_shape.hpp"

namespace anvilcast::surfmesh {
namespace {

/// Edges are split and collapsed beyond these shares of the size; so their mean comes out close to it.
constexpr double kLongest = 1.42;
constexpr double kShortest = 0.85;
/// Points closer than this to each other crowd.
constexpr double kCrowded = 0.6;
/// A triangle agrees with its patch when their normals differ by less than 45 degrees.
constexpr double kLeastAgreement = 0.7071;
/// Sine of the smallest angle of a needle: 8 degrees.
constexpr double kNeedle = 0.14;
constexpr int kMostSplitPasses = 60;

using geometry::middle_of;
using geometry::smallest_sine;

/// Corners do not move: they are known again by their place.
class CornersByPlace {
  public:
    CornersByPlace(const std::vector<Vec3>& points, const std::vector<PointKind>& kind) : points_(points) {
        for (Index p = 0; p < points.size(); ++p)
            if (kind[p] == PointKind::corner) corners_.push_back(p);
        std::sort(corners_.begin(), corners_.end(), [&](Index a, Index b) { return before(points[a], points[b]); });
    }
    /// kNone when there is none.
    Index operator()(const Vec3& place) const {
        const auto found = std::lower_bound(corners_.begin(), corners_.end(), place,
                                            [&](Index a, const Vec3& b) { return before(points_[a], b); });
        return found != corners_.end() && points_[*found] == place ? *found : kNone;
    }

  private:
    static bool before(const Vec3& a, const Vec3& b) { return std::array{a.x, a.y, a.z} < std::array{b.x, b.y, b.z}; }
    const std::vector<Vec3>& points_;
    std::vector<Index> corners_;
};

}  // namespace

Remesher::Remesher(const Original& original, const SizeAt& size_at, const ShapeLimits& limits, Draft draft,
                   std::vector<char> is_locked)
    : original_(original),
      size_at_(size_at),
      limits_(limits),
      d_(std::move(draft)),
      is_locked_(std::move(is_locked)),
      n_given_(d_.points.size()) {
    link();
}

void Remesher::set_feature(Side s, bool is) {
    const auto bit = static_cast<std::uint8_t>(1U << (s % 3));
    auto& sides = d_.feature_sides[s / 3];
    sides = static_cast<std::uint8_t>(is ? sides | bit : sides & ~bit);
}

/// Finds the sides at each edge: bucketed by the lower point, then by the higher.
void Remesher::link() {
    const std::size_t n_sides = 3 * d_.triangles.size();
    ring_.resize(n_sides);
    triangle_at_.assign(d_.points.size(), kNone);
    mark_.assign(d_.triangles.size(), 0);
    std::vector<Index> first(d_.points.size() + 1, 0);
    for (Side s = 0; s < n_sides; ++s) {
        ++first[std::min(from(s), to(s)) + 1];
        triangle_at_[from(s)] = s / 3;
    }
    for (std::size_t p = 1; p < first.size(); ++p) first[p] += first[p - 1];
    std::vector<std::pair<Index, Side>> sides(n_sides);
    std::vector<Index> at(first.begin(), first.end() - 1);
    for (Side s = 0; s < n_sides; ++s) sides[at[std::min(from(s), to(s))]++] = {std::max(from(s), to(s)), s};
    for (std::size_t p = 0; p + 1 < first.size(); ++p) {
        const auto begin = sides.begin() + first[p], end = sides.begin() + first[p + 1];
        std::sort(begin, end);
        for (auto i = begin; i != end;) {
            auto j = i;
            for (; j != end && j->first == i->first; ++j)
                ring_[j->second] = j + 1 != end && (j + 1)->first == i->first ? (j + 1)->second : i->second;
            i = j;
        }
    }
}

void Remesher::join_ring(const std::vector<Side>& ring) {
    for (std::size_t i = 0; i < ring.size(); ++i) ring_[ring[i]] = ring[(i + 1) % ring.size()];
}

Remesher::Side Remesher::side_before(Side s) const {
    Side before = ring_[s];
    while (ring_[before] != s) before = ring_[before];
    return before;
}

/// The triangles at a point, as far as they hang together over edges.
const std::vector<Index>& Remesher::star(Index v, std::vector<Index>& out) const {
    if (d_.kind[v] == PointKind::patch && is_locked_[v] == 0) {
        // Within a patch there is one ring of triangles, all turning the same way.
        out.clear();
        const Triangle& c = d_.triangles[triangle_at_[v]];
        const Side first = 3 * triangle_at_[v] + (c[0] == v ? 0 : c[1] == v ? 1 : 2);
        Side s = first;
        do {
            out.push_back(s / 3);
            s = ring_[previous(s)];
        } while (s != first);
        return out;
    }
    if (++stamp_ == 0) {
        std::fill(mark_.begin(), mark_.end(), 0);
        stamp_ = 1;
    }
    out.clear();
    out.push_back(triangle_at_[v]);
    mark_[out[0]] = stamp_;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const Triangle& c = d_.triangles[out[i]];
        const Side leaving = 3 * out[i] + (c[0] == v ? 0 : c[1] == v ? 1 : 2);
        for (const Side s : {leaving, previous(leaving)})
            for (Side other = ring_[s]; other != s; other = ring_[other]) {
                const Index t = triangle_of(other);
                if (mark_[t] == stamp_) continue;
                mark_[t] = stamp_;
                out.push_back(t);
            }
    }
    return out;
}

bool Remesher::has_edge(Index a, Index b) const { return side_between(a, b).has_value(); }

std::optional<Remesher::Side> Remesher::side_between(Index a, Index b) const {
    // A patch point has few triangles; others may have any number.
    if (d_.kind[b] == PointKind::patch && is_locked_[b] == 0) std::swap(a, b);
    for (const Index t : star(a, other_star_))
        for (Side s = 3 * t; s < 3 * t + 3; ++s)
            if ((from(s) == a && to(s) == b) || (from(s) == b && to(s) == a)) return s;
    return std::nullopt;
}

Remesher::Corners Remesher::corners(Index t) const {
    const Triangle& c = d_.triangles[t];
    return {d_.points[c[0]], d_.points[c[1]], d_.points[c[2]]};
}

Remesher::Corners Remesher::corners_with(Index t, Index moved, const Vec3& place) const {
    Corners c = corners(t);
    for (std::size_t k = 0; k < 3; ++k)
        if (d_.triangles[t][k] == moved) c[k] = place;
    return c;
}

/// The least cosine between a triangle and the smooth surface at its patch points; at its middle when it has none.
/// `moved`, if not kNone, has the normal given.
double Remesher::agreement(const Corners& c, Index t, Index moved, const Vec3& normal) const {
    const Vec3 own = normalized(triangle_normal(c[0], c[1], c[2]));
    double least = 2;
    for (const Index v : d_.triangles[t]) {
        if (v == moved)
            least = length_squared(normal) > 0 ? std::min(least, dot(own, normal)) : least;
        else if (d_.kind[v] == PointKind::patch)
            least = std::min(least, dot(own, d_.normal[v]));
    }
    return least < 2 ? least : dot(own, original_.foot(d_.patch_of[t], middle_of(c)).normal);
}

/// Good enough, or at least no worse than the triangle is now.
bool Remesher::is_acceptable(const Corners& after, Index t, Index moved, const Vec3& normal) const {
    const double then = agreement(after, t, moved, normal);
    return then >= kLeastAgreement || (then > 0 && then >= agreement(corners(t), t, kNone, {}));
}

/// How far the surface bulges from the chord ab: for a circle with normals m, n at the ends, (n - m) . ab / 8; with one
/// end known, n . ab / 4.
double Remesher::bulge(Index a, Index b, Index patch) const {
    const Vec3 chord = d_.points[b] - d_.points[a];
    const bool knows_a = d_.kind[a] == PointKind::patch, knows_b = d_.kind[b] == PointKind::patch;
    if (knows_a && knows_b) return std::abs(dot(d_.normal[b] - d_.normal[a], chord)) / 8;
    if (knows_a || knows_b) return std::abs(dot(d_.normal[knows_a ? a : b], chord)) / 4;
    return original_.foot(patch, midpoint(d_.points[a], d_.points[b])).distance;
}

/// By what factor an edge is too long; above 1 it is to be split.
double Remesher::excess(Side s) const {
    const Index a = from(s), b = to(s);
    const double size = target_length(a, b), l = distance(d_.points[a], d_.points[b]);
    const double too_long = l / (kLongest * size);
    // An edge much shorter than its size is not split for its bulge: noise of the original would never end.
    if (too_long > 1 || l < 0.05 * size) return too_long;
    return std::max(too_long, std::sqrt(bulge(a, b, d_.patch_of[s / 3]) / limits_.at(size)));
}

Index Remesher::add_point(const Vec3& place, double size, const Vec3& normal, PointKind kind) {
    d_.points.push_back(place);
    d_.size.push_back(size);
    d_.normal.push_back(normal);
    d_.kind.push_back(kind);
    is_locked_.push_back(0);
    triangle_at_.push_back(kNone);
    return static_cast<Index>(d_.points.size() - 1);
}

/// Puts a point into an edge: every triangle there becomes two.
void Remesher::split_at(Side s, Index point) {
    const Index a = from(s);
    std::vector<Side> at_edge{s}, before, after;  // of the edges a-point and point-b
    for (Side other = ring_[s]; other != s; other = ring_[other]) at_edge.push_back(other);
    for (const Side side : at_edge) {
        const Index t = triangle_of(side), p = from(side), q = to(side), c = tip(side);
        const auto n = static_cast<Index>(d_.triangles.size());
        d_.triangles.push_back({point, q, c});
        d_.patch_of.push_back(d_.patch_of[t]);
        d_.feature_sides.push_back(0);
        mark_.push_back(0);
        ring_.resize(ring_.size() + 3);
        const Side far = next(side), moved = 3 * n + 1;
        // The side q-c goes to the new triangle.
        if (ring_[far] == far) {
            ring_[moved] = moved;
        } else {
            const Side link_before = side_before(far);
            ring_[moved] = ring_[far];
            ring_[link_before] = moved;
        }
        set_feature(3 * n, is_feature(side));
        set_feature(moved, is_feature(far));
        set_feature(far, false);
        d_.triangles[t][far % 3] = point;
        ring_[far] = 3 * n + 2;
        ring_[3 * n + 2] = far;
        triangle_at_[q] = n;
        triangle_at_[point] = t;
        (p == a ? before : after).push_back(side);
        (p == a ? after : before).push_back(3 * n);
    }
    join_ring(before);
    join_ring(after);
}

bool Remesher::split(Side s) {
    const Side other = ring_[s];
    if (is_feature(s) || other == s) return false;
    const Index patch = d_.patch_of[s / 3], a = from(s), b = to(s);
    // The ends are on the patch: its closest point to the middle is no farther than they are.
    const double reach = 0.5001 * distance(d_.points[a], d_.points[b]);
    const auto foot = original_.foot(patch, midpoint(d_.points[a], d_.points[b]), reach);
    if (!(foot.distance < Box::inf) || foot.point == d_.points[a] || foot.point == d_.points[b]) return false;
    // A long edge that passes close by a point is to be flipped, not split: in a fan of needles points would crowd.
    const double size = target_length(a, b);
    if (distance(d_.points[a], d_.points[b]) > kLongest * size)
        for (const Side side : {s, other})
            if (distance(foot.point, d_.points[tip(side)]) < kCrowded * size) return false;
    for (const Side side : {s, other})
        for (const Index end : {a, b})
            if (!is_acceptable(corners_with(side / 3, end, foot.point), side / 3, end, foot.normal)) return false;
    split_at(s, add_point(foot.point, size_at_(foot.point), foot.normal, PointKind::patch));
    return true;
}

void Remesher::divide_curves(const CurvePlaces& places) {
    const auto& curves = original_.features().curves;
    for (std::size_t c = 0; c < curves.size(); ++c) {
        const std::vector<Index>& points = curves[c].points;
        if (curves[c].is_loop()) d_.kind[points.front()] = PointKind::corner;
        Index segment = kNone, last = kNone;
        for (const CurvePlace& place : places[c]) {
            if (place.segment != segment) last = points[place.segment];
            segment = place.segment;
            const Index end = points[segment + 1];
            if (const bool at_end = place.point == d_.points[end]; at_end || place.point == d_.points[last])
                d_.kind[at_end ? end : last] = PointKind::corner;
            else
                last = put_on_curve(last, end, place.point);
        }
    }
}

/// Returns the new point, or `a` where there is no such edge.
Index Remesher::put_on_curve(Index a, Index b, const Vec3& place) {
    const auto s = side_between(a, b);
    if (!s) return a;
    const Index m = add_point(place, size_at_(place), {}, PointKind::corner);
    split_at(*s, m);
    return m;
}

void Remesher::divide_curves_further(const CurvePlaces& before, const CurvePlaces& now) {
    const CornersByPlace corner_at(d_.points, d_.kind);
    const auto& curves = original_.features().curves;
    for (std::size_t c = 0; c < curves.size(); ++c) {
        if (now[c].size() == before[c].size()) continue;
        const Surface& s = original_.surface();
        Index last = corner_at(s.points[curves[c].points.front()]);
        std::size_t next = 0;  // of `before`, not yet passed
        for (const CurvePlace& place : now[c]) {
            const bool is_old = next < before[c].size() && place.point == before[c][next].point;
            if (is_old) ++next;
            const Index end = is_old                    ? corner_at(place.point)
                              : next < before[c].size() ? corner_at(before[c][next].point)
                                                        : corner_at(s.points[curves[c].points.back()]);
            if (is_old)
                last = end;
            else if (last != kNone && end != kNone)
                last = put_on_curve(last, end, place.point);
        }
    }
}

void Remesher::split_long_edges(std::size_t enough, std::size_t few) {
    struct Long {
        double excess;
        Side side;
        Index a, b;
    };
    std::vector<Long> edges;
    double ceiling = Box::inf;
    for (int pass = 0; pass < kMostSplitPasses; ++pass) {
        edges.clear();
        double most = 1;
        for (Side s = 0; s < 3 * d_.triangles.size(); ++s) {
            if (!is_alive(s / 3) || is_feature(s) || ring_[s] <= s) continue;
            if (const double e = excess(s); e > 1 && e < ceiling) {
                edges.push_back({e, s, from(s), to(s)});
                most = std::max(most, e);
            }
        }
        // From coarse to fine, the longest first, and flips in between: so triangles stay well shaped all the way.
        const double least = most > 3 ? 0.5 * most : 1;
        std::erase_if(edges, [least](const Long& e) { return e.excess < least; });
        if (d_.triangles.size() > enough && edges.size() >= few) break;
        std::sort(edges.begin(), edges.end(), [](const Long& p, const Long& q) {
            return p.excess != q.excess ? p.excess > q.excess : p.side < q.side;
        });
        std::size_t n = 0;
        for (const Long& e : edges)
            if (from(e.side) == e.a && to(e.side) == e.b) n += split(e.side) ? 1 : 0;
        if (n == 0) {
            if (least == 1) break;
            ceiling = least;  // these may not be split; shorter ones still may
        }
        if (most > 2) flip_edges();
    }
}

/// Corners and locked points stay; a curve point goes along its curve.
bool Remesher::may_collapse(Index removed, Side s) const {
    if (is_fixed(removed)) return false;
    return d_.kind[removed] == PointKind::patch || is_feature(s);
}

bool Remesher::collapse(Index removed, Side s) {
    const Index kept = from(s) == removed ? to(s) : from(s);
    const Vec3 place = d_.points[kept];
    const bool is_curve_point = d_.kind[removed] == PointKind::curve;
    std::size_t n_at_edge = 1, n_common = 0;
    for (Side other = ring_[s]; other != s; other = ring_[other]) ++n_at_edge;
    // Link condition: the ends have no common neighbours but the tips of the triangles at the edge.
    std::vector<Index>& theirs = other_star_;
    star(kept, theirs);
    std::array<Index, 64> neighbours;  // NOLINT: only what was put in is read
    std::size_t n_neighbours = 0;
    auto is_neighbour_of_kept = [&](Index p) {
        for (const Index t : theirs)
            for (const Index q : d_.triangles[t])
                if (q == p) return true;
        return false;
    };
    const std::vector<Index>& ours = star(removed, star_);
    for (const Index t : ours)
        for (const Index p : d_.triangles[t]) {
            if (p == removed || p == kept ||
                std::find(neighbours.begin(), neighbours.begin() + n_neighbours, p) !=
                    neighbours.begin() + n_neighbours)
                continue;
            if (n_neighbours == neighbours.size()) return false;
            neighbours[n_neighbours++] = p;
            if (is_neighbour_of_kept(p))
                ++n_common;
            else if (is_locked_[kept] != 0 && is_locked_[p] != 0)
                return false;
            if (is_curve_point) continue;
            // Edges that are too long already are to be split anyhow.
            const double l = distance(d_.points[p], place);
            if (l > kLongest * target_length(p, kept) && l > 1.1 * distance(d_.points[p], d_.points[removed]))
                return false;
            const double size = d_.size[kept];
            if (l > 0.05 * size &&
                bulge(p, kept, d_.patch_of[t]) > std::max(limits_.at(size), bulge(p, removed, d_.patch_of[t])))
                return false;
        }
    if (n_common != n_at_edge) return false;
    const Vec3 normal = d_.kind[kept] == PointKind::patch ? d_.normal[kept] : Vec3{};
    double least_after = 1;
    for (const Index t : ours) {
        const Triangle& c = d_.triangles[t];
        if (c[0] == kept || c[1] == kept || c[2] == kept) {
            // Both other sides a feature: two curves would become one. No triangle beyond: nothing would be left.
            const Side leaving = 3 * t + (c[0] == removed ? 0 : c[1] == removed ? 1 : 2);
            const Side ours_side = to(leaving) == kept ? previous(leaving) : leaving;
            const Side their_side = next(leaving);
            if (is_feature(ours_side) && is_feature(their_side)) return false;
            if (ring_[ours_side] == ours_side && ring_[their_side] == their_side) return false;
            continue;
        }
        const Corners after = corners_with(t, removed, place);
        if (!is_acceptable(after, t, removed, normal)) return false;
        least_after = std::min(least_after, smallest_sine(after));
    }
    // A curve point has to go even where that makes needles sharper: flips see to them.
    if (least_after < kNeedle) {
        double least_before = 1;
        for (const Index t : ours) least_before = std::min(least_before, smallest_sine(corners(t)));
        if (least_after < (is_curve_point ? 0.2 : 0.9) * least_before) return false;
    }
    apply_collapse(removed, kept);
    return true;
}

/// star_ holds the triangles at `removed`.
void Remesher::apply_collapse(Index removed, Index kept) {
    std::vector<Side> ring;
    for (const Index t : star_) {
        Triangle& c = d_.triangles[t];
        if (c[0] != kept && c[1] != kept && c[2] != kept) {
            std::replace(c.begin(), c.end(), removed, kept);
            for (const Index p : c) triangle_at_[p] = t;
            continue;
        }
        // The triangle goes; its two other sides become one edge.
        Side between = 3 * t;
        while (from(between) != removed || to(between) != kept) {
            if (from(between) == kept && to(between) == removed) break;
            ++between;
        }
        ring.clear();
        bool is_feature_edge = false;
        for (const Side gone : {next(between), previous(between)}) {
            is_feature_edge |= is_feature(gone);
            for (Side other = ring_[gone]; other != gone; other = ring_[other]) ring.push_back(other);
        }
        const Index tip_point = tip(between);
        join_ring(ring);
        for (const Side s : ring) set_feature(s, is_feature_edge);
        triangle_at_[tip_point] = triangle_at_[kept] = triangle_of(ring.front());
        c = {kNone, kNone, kNone};
    }
    // A ring may have named a triangle of the star that went after it.
    for (const Index t : star_) {
        if (!is_alive(t)) continue;
        for (const Index p : d_.triangles[t]) triangle_at_[p] = t;
    }
    triangle_at_[removed] = kNone;
}

void Remesher::collapse_short_edges() {
    const auto n_sides = static_cast<Side>(3 * d_.triangles.size());
    for (Side s = 0; s < n_sides; ++s) {
        if (!is_alive(s / 3) || ring_[s] < s) continue;
        const Index a = from(s), b = to(s);
        const bool has_curve_point = d_.kind[a] == PointKind::curve || d_.kind[b] == PointKind::curve;
        const bool is_short = distance(d_.points[a], d_.points[b]) < kShortest * target_length(a, b);
        if (!is_short && !(has_curve_point && is_feature(s))) continue;
        // A curve point goes first, and towards a place that divides the curve.
        const bool b_first = d_.kind[b] == PointKind::curve && d_.kind[a] != PointKind::curve;
        const Index first = b_first ? b : a, second = b_first ? a : b;
        if (may_collapse(first, s) && collapse(first, s)) continue;
        if (may_collapse(second, s)) collapse(second, s);
    }
}

Draft Remesher::take(std::vector<Index>& number) {
    Draft out;
    std::vector<Index> now(d_.points.size(), kNone);
    number.clear();
    for (Index v = 0; v < d_.points.size(); ++v) {
        if (triangle_at_[v] == kNone) continue;
        now[v] = static_cast<Index>(out.points.size());
        number.push_back(v < n_given_ ? v : kNone);
        out.points.push_back(d_.points[v]);
        out.size.push_back(d_.size[v]);
        out.normal.push_back(d_.normal[v]);
        out.kind.push_back(d_.kind[v]);
    }
    for (Index t = 0; t < d_.triangles.size(); ++t) {
        if (!is_alive(t)) continue;
        const Triangle& c = d_.triangles[t];
        out.triangles.push_back({now[c[0]], now[c[1]], now[c[2]]});
        out.patch_of.push_back(d_.patch_of[t]);
        out.feature_sides.push_back(d_.feature_sides[t]);
    }
    return out;
}

}  // namespace anvilcast::surfmesh
