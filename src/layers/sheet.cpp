#include "layers/sheet.hpp"

#include <algorithm>
#include <map>

namespace anvilcast::layers {
namespace {

/// A point closer to an edge than this share of its length divides the edge.
constexpr double kOnEdge = 0.02;
/// A flip must leave triangles with at least this share of the larger area.
constexpr double kLeastArea = 1e-4;

}  // namespace

Sheet::Sheet(std::vector<Vec3>& points, std::vector<Triangle> triangles, const std::vector<Edge>& kept)
    : points_(points), tris_(std::move(triangles)) {
    const std::size_t n = 3 * tris_.size();
    twin_.assign(n, kNone);
    is_kept_.assign(n, 0);
    side_at_.assign(points_.size(), kNone);
    is_fixed_.assign(points_.size(), 0);
    number_.resize(tris_.size());
    for (Index t = 0; t < number_.size(); ++t) number_[t] = t;
    std::map<std::array<Index, 2>, Side> open;
    for (Side s = 0; s < n; ++s) {
        side_at_[from(s)] = s;
        const auto other = open.find({to(s), from(s)});
        if (other == open.end()) {
            open[{from(s), to(s)}] = s;
            continue;
        }
        link(s, other->second);
        open.erase(other);
    }
    for (const auto& [ends, s] : open) is_fixed_[ends[0]] = is_fixed_[ends[1]] = 1;
    if (kept.empty()) return;
    for (Side s = 0; s < n; ++s)
        if (std::binary_search(kept.begin(), kept.end(), Edge{std::min(from(s), to(s)), std::max(from(s), to(s))}))
            is_kept_[s] = is_fixed_[from(s)] = is_fixed_[to(s)] = 1;
}

Vec3 Sheet::normal(Index t) const {
    return triangle_normal(points_[tris_[t][0]], points_[tris_[t][1]], points_[tris_[t][2]]);
}

/// Twice the area of abp, seen along the normal; positive when p is to the left of ab.
double Sheet::turn(const Vec3& a, const Vec3& b, const Vec3& p, const Vec3& normal) const {
    return dot(cross(b - a, p - a), normalized(normal));
}

void Sheet::link(Side s, Side twin) {
    if (s != kNone) twin_[s] = twin;
    if (twin != kNone) twin_[twin] = s;
}

Index Sheet::add_triangle(const Triangle& t, Index number) {
    tris_.push_back(t);
    twin_.insert(twin_.end(), 3, kNone);
    is_kept_.insert(is_kept_.end(), 3, 0);
    number_.push_back(number);
    return static_cast<Index>(tris_.size() - 1);
}

/// All sides that start at a point, whether it is on the border or not.
std::vector<Sheet::Side> Sheet::sides_from(Index v) const {
    std::vector<Side> sides;
    if (v >= side_at_.size() || side_at_[v] == kNone) return sides;
    const Side first = side_at_[v];
    Side s = first;
    do {
        sides.push_back(s);
        s = twin_[previous(s)];
    } while (s != kNone && s != first);
    if (s == first) return sides;
    // The border was met: the other way round from the first.
    for (s = twin_[first]; s != kNone;) {
        s = next(s);
        sides.push_back(s);
        s = twin_[s];
    }
    return sides;
}

std::optional<Sheet::Side> Sheet::side_of(Index a, Index b) const {
    for (const Side s : sides_from(a))
        if (to(s) == b) return s;
    return std::nullopt;
}

std::optional<Sheet::Side> Sheet::side_between(Index a, Index b) const {
    const auto s = side_of(a, b);
    return s ? s : side_of(b, a);
}

bool Sheet::is_border_edge(Index a, Index b) const { return side_of(a, b).has_value() != side_of(b, a).has_value(); }

Index Sheet::add_point(const Vec3& p) {
    points_.push_back(p);
    side_at_.resize(points_.size(), kNone);
    is_fixed_.resize(points_.size(), 0);
    is_fixed_.back() = 1;
    return static_cast<Index>(points_.size() - 1);
}

bool Sheet::can_claim(Index v, const Vec3& p) const {
    if (is_fixed_[v] != 0) return false;
    for (const Side s : sides_from(v))
        if (!(turn(p, points_[to(s)], points_[tip(s)], normal(s / 3)) > 0.1 * length(normal(s / 3)))) return false;
    return true;
}

Index Sheet::claim(Index v, const Vec3& p) {
    points_[v] = p;
    is_fixed_[v] = 1;
    return v;
}

std::optional<Index> Sheet::put(const Vec3& p, Index start, double close) {
    const std::vector<Side> around = sides_from(start);
    if (around.empty()) return std::nullopt;
    // Into the triangle that the way to p leads through, then on over the edges that p is beyond of.
    Index t = around.front() / 3;
    double best = -Box::inf;
    for (const Side s : around) {
        const Vec3 n = normal(s / 3);
        const double value =
            std::min(turn(points_[start], points_[to(s)], p, n), -turn(points_[start], points_[tip(s)], p, n));
        if (value > best) {
            best = value;
            t = s / 3;
        }
    }
    for (std::size_t step = 0; step < 4 * tris_.size() + 16; ++step) {
        const Vec3 n = normal(t);
        Side exit = kNone;
        double worst = -1e-9 * length(n);
        for (Side s = 3 * t; s < 3 * t + 3; ++s)
            if (const double w = turn(points_[from(s)], points_[to(s)], p, n); w < worst) {
                worst = w;
                exit = s;
            }
        if (exit == kNone) break;
        if (twin_[exit] == kNone) return std::nullopt;
        t = twin_[exit] / 3;
    }
    for (const Index v : tris_[t])
        if (distance(points_[v], p) < close && can_claim(v, p)) return claim(v, p);
    for (const Index v : tris_[t])
        if (points_[v] == p) return std::nullopt;
    const Vec3 n = normal(t);
    for (Side s = 3 * t; s < 3 * t + 3; ++s) {
        const double l = distance(points_[from(s)], points_[to(s)]);
        if (turn(points_[from(s)], points_[to(s)], p, n) > kOnEdge * l * l) continue;
        // On an edge: inside only, and not on one that is to stay.
        if (twin_[s] == kNone || is_kept_[s] != 0) return std::nullopt;
        const Index point = add_point(p);
        split_side(s, point);
        return point;
    }
    return split_triangle(t, p);
}

Index Sheet::split_triangle(Index t, const Vec3& p) {
    const Index v = add_point(p);
    const Triangle c = tris_[t];
    const std::array<Side, 3> outer{twin_[3 * t], twin_[3 * t + 1], twin_[3 * t + 2]};
    const std::array<char, 3> kept{is_kept_[3 * t], is_kept_[3 * t + 1], is_kept_[3 * t + 2]};
    const Index u = add_triangle({c[1], c[2], v}, number_[t]), w = add_triangle({c[2], c[0], v}, number_[t]);
    tris_[t] = {c[0], c[1], v};
    const std::array<Index, 3> part{t, u, w};
    for (std::size_t k = 0; k < 3; ++k) {
        link(3 * part[k], outer[k]);
        is_kept_[3 * part[k]] = kept[k];
        link(3 * part[k] + 1, 3 * part[(k + 1) % 3] + 2);
        side_at_[c[k]] = 3 * part[k];
    }
    for (const Index k : {3 * t + 1, 3 * t + 2}) is_kept_[k] = 0;
    side_at_[v] = 3 * t + 2;
    return v;
}

/// Puts a point that is there already into an edge; one or two triangles become two each.
void Sheet::split_side(Side s, Index point) {
    const Side other = twin_[s];
    const char kept = is_kept_[s];
    const Index a = from(s), b = to(s);
    auto split_half = [&](Side side) {
        // Triangle (p, q, c): keeps (p, point, c), and (point, q, c) is new.
        const Index t = side / 3, q = to(side), c = tip(side);
        const Side far = next(side);
        const Index u = add_triangle({point, q, c}, number_[t]);
        link(3 * u + 1, twin_[far]);
        is_kept_[3 * u + 1] = is_kept_[far];
        tris_[t][far % 3] = point;
        link(far, 3 * u + 2);
        is_kept_[far] = 0;
        is_kept_[3 * u] = kept;
        side_at_[q] = 3 * u + 1;
        side_at_[c] = 3 * u + 2;
        side_at_[point] = 3 * u;
        return 3 * u;
    };
    twin_[s] = kNone;
    const Side beyond = split_half(s);  // point -> b; s is a -> point
    if (other == kNone) {
        side_at_[a] = s;
        return;
    }
    twin_[other] = kNone;
    const Side back = split_half(other);  // point -> a; other is b -> point
    link(s, back);
    link(beyond, other);
    side_at_[a] = s;
    side_at_[b] = other;
}

bool Sheet::divide_border(Index a, Index b, Index point) {
    side_at_.resize(points_.size(), kNone);
    is_fixed_.resize(points_.size(), 0);
    const auto s = side_between(a, b);
    if (!s || twin_[*s] != kNone) return false;
    split_side(*s, point);
    is_fixed_[point] = 1;
    return true;
}

bool Sheet::flip(Side s) {
    const Side o = twin_[s];
    const Index t = s / 3, u = o / 3, a = from(s), b = to(s), c = tip(s), d = tip(o);
    const Vec3 n = normal(t) + normal(u);
    const double whole = turn(points_[a], points_[b], points_[c], n) + turn(points_[b], points_[a], points_[d], n);
    if (!(turn(points_[a], points_[d], points_[c], n) > kLeastArea * whole) ||
        !(turn(points_[d], points_[b], points_[c], n) > kLeastArea * whole))
        return false;
    const Side bc = next(s), ca = previous(s), ad = next(o), db = previous(o);
    const std::array<Side, 4> outer{twin_[ad], twin_[ca], twin_[db], twin_[bc]};
    const std::array<char, 4> kept{is_kept_[ad], is_kept_[ca], is_kept_[db], is_kept_[bc]};
    tris_[t] = {a, d, c};
    tris_[u] = {d, b, c};
    const std::array<Side, 4> now{3 * t, 3 * t + 2, 3 * u, 3 * u + 1};
    for (std::size_t k = 0; k < 4; ++k) {
        twin_[now[k]] = kNone;
        link(now[k], outer[k]);
        is_kept_[now[k]] = kept[k];
    }
    link(3 * t + 1, 3 * u + 2);
    is_kept_[3 * t + 1] = is_kept_[3 * u + 2] = 0;
    side_at_[a] = 3 * t;
    side_at_[d] = 3 * u;
    side_at_[b] = 3 * u + 1;
    side_at_[c] = 3 * t + 2;
    return true;
}

bool Sheet::make_edge(Index a, Index b) {
    auto keep = [this](Side s) {
        is_kept_[s] = 1;
        if (twin_[s] != kNone) is_kept_[twin_[s]] = 1;
        return true;
    };
    for (std::size_t round = 0; round < 2000; ++round) {
        if (const auto s = side_between(a, b)) return keep(*s);
        // The sides that ab crosses, from a on; the first that may be flipped is.
        const Vec3 &pa = points_[a], &pb = points_[b];
        Side crossed = kNone;
        for (const Side out : sides_from(a)) {
            const Vec3 n = normal(out / 3);
            const double left = turn(pa, pb, points_[to(out)], n), right = turn(pa, pb, points_[tip(out)], n);
            // Ahead, not behind: in the wedge between the two sides at a.
            if (left <= 0 && right >= 0 && (left < 0 || right > 0) && turn(pa, points_[to(out)], pb, n) >= 0 &&
                turn(pa, points_[tip(out)], pb, n) <= 0) {
                crossed = next(out);
                break;
            }
        }
        if (crossed == kNone) return false;
        bool has_flipped = false;
        for (std::size_t step = 0; step < 4 * tris_.size() && !has_flipped; ++step) {
            if (twin_[crossed] == kNone || is_kept_[crossed] != 0) return false;
            const Side o = twin_[crossed];
            if (flip(crossed)) {
                has_flipped = true;
                break;
            }
            if (tip(o) == b) return false;
            const Vec3 n = normal(o / 3);
            // On through the triangle beyond: its tip tells by which of the other two sides.
            crossed = turn(pa, pb, points_[tip(o)], n) > 0 ? next(o) : previous(o);
        }
        if (!has_flipped) return false;
    }
    return false;
}

bool Sheet::take_out_from(Index a, Index b) {
    const auto first = side_between(a, b);
    if (!first) return true;  // gone already
    if (twin_[*first] != kNone) return false;
    std::vector<Index> todo{*first / 3};
    std::vector<char> is_seen(tris_.size(), 0);
    is_seen[todo[0]] = 1;
    for (std::size_t k = 0; k < todo.size(); ++k)
        for (Side s = 3 * todo[k]; s < 3 * todo[k] + 3; ++s) {
            const Side o = twin_[s];
            if (o == kNone || is_kept_[s] != 0 || is_seen[o / 3] != 0) continue;
            is_seen[o / 3] = 1;
            todo.push_back(o / 3);
        }
    for (const Index t : todo) {
        for (Side s = 3 * t; s < 3 * t + 3; ++s) {
            if (twin_[s] != kNone) twin_[twin_[s]] = kNone;
            twin_[s] = kNone;
        }
    }
    std::vector<Index> touched;
    for (const Index t : todo) {
        touched.insert(touched.end(), tris_[t].begin(), tris_[t].end());
        tris_[t] = {kNone, kNone, kNone};
    }
    for (const Index v : touched) side_at_[v] = kNone;
    for (Side s = 0; s < 3 * tris_.size(); ++s)
        if (!is_gone(s / 3) && side_at_[from(s)] == kNone) side_at_[from(s)] = s;
    return true;
}

std::vector<Triangle> Sheet::triangles() const {
    std::vector<Triangle> out;
    for (Index t = 0; t < tris_.size(); ++t)
        if (!is_gone(t)) out.push_back(tris_[t]);
    return out;
}

std::vector<Index> Sheet::numbers() const {
    std::vector<Index> out;
    for (Index t = 0; t < tris_.size(); ++t)
        if (!is_gone(t)) out.push_back(number_[t]);
    return out;
}

}  // namespace anvilcast::layers
