// What happens to a piece of surface where it runs along another within the tolerance:
// 1. Each of its corners goes to the other's closest corner, edge or face. Corners and edges are those of its faces:
//    how a flat face is divided draws nothing to the side, or outlines would bend and gaps beside them widen.
// 2. Each corner of the other gets a place on it: on the closest of its triangles, or on an edge of that if the edge is
//    within the tolerance too; where edges of both cross, the own edge gets a place as well. An own edge that comes to
//    lie along one of the other's meets others where that one does.
// 3. Places that follow each other along an edge of the other, and lie on one triangle, are joined by a segment there;
//    triangles are divided by their places and segments, in their own planes.
// 4. The places move onto what they stand for. Now every piece of a triangle lies on one triangle of the other.
// 5. That gets the same pieces (see imprint.hpp), so that both are one, to the last bit.

#include "cut/conform.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "cut/imprint.hpp"
#include "cut/planar_division.hpp"

namespace anvilcast::cutting {
namespace {

using robust::ExactPoint;

/// Of triangles that reach so many tolerances far, the directions are known though their corners were moved: they are
/// bent by 14 degrees at most. Of others, when they are bent by no more than this sine.
constexpr double kFarBeyond = 4;
constexpr double kAsMade = 0.02;

/// Edges and corners within flat faces are nothing that a body's outline should be drawn to: only where they are within
/// this share of the tolerance, so that no dust lies between.
constexpr double kWithinFace = 0.125;

Box widened(const Box& box, double by) {
    const Vec3 margin{by, by, by};
    return {box.lo - margin, box.hi + margin};
}

Box bounds_of(const Complex& c, const std::vector<Index>& triangles) {
    Box box;
    for (const Index t : triangles)
        for (const Index p : c.triangles[t]) box.include(c.points[p].approx());
    return box;
}

/// Closest points of two segments, as shares of their lengths.
std::array<double, 2> closest_shares(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const Vec3 u = b - a, v = d - c, w = a - c;
    const double uu = dot(u, u), uv = dot(u, v), vv = dot(v, v), uw = dot(u, w), vw = dot(v, w);
    const double determinant = uu * vv - uv * uv;
    double s = determinant > 0 ? std::clamp((uv * vw - vv * uw) / determinant, 0.0, 1.0) : 0;
    const double t = std::clamp((uv * s + vw) / vv, 0.0, 1.0);
    s = std::clamp((uv * t - uw) / uu, 0.0, 1.0);
    return {s, t};
}

/// The cut puts together what is in one plane but for rounding.
ExactPoint rounded(const ExactPoint& p) { return ExactPoint(p.approx()); }

class Conformer {
  public:
    Conformer(Complex& complex, const Part& own, const Part& other, double join, Moved& moved, CutSurface& report)
        : c_(complex),
          own_(own),
          other_(other),
          join_(join),
          moved_(moved),
          report_(report),
          edges_(own.corners, own.point.size()),
          other_edges_(other.corners, other.point.size()),
          own_tree_(own.tree()),
          other_tree_(other.tree()),
          on_edge_(edges_.size()),
          on_face_(own.corners.size()),
          segments_(own.corners.size()) {
        find_flat_edges();
    }

    /// Returns what each triangle that was added is a piece of.
    std::vector<Index> run() {
        move_corners();
        place_corners_of_other();
        place_crossings();
        join_places();
        divide();
        divide_others();
        for (const auto& [p, target] : target_) move(p, target.place);
        imprint(c_, other_, other_edges_, target_, own_pieces(), parents_);
        take_corners();
        return std::move(parents_);
    }

  private:
    /// Where something of the other is on the own surface: a corner, a point on an edge, or one on a face.
    struct Place {
        enum class Kind { corner, edge, face } kind;
        Index element;  // local point, edge, or local triangle
        Index point;    // of the complex
    };

    const ExactPoint& exact(const Part& part, Index local) const { return c_.points[part.point[local]]; }

    // ---- targets ----

    /// What of the other a point is put onto, when several are within reach. What lies within a flat face, however that
    /// is divided, comes after its borders: where two faces meet, a point belongs to both.
    enum class Rank { corner, edge, corner_in_face, edge_in_face, face, nothing };
    struct Target {
        Rank rank = Rank::nothing;
        double distance = Box::inf;
        LiesOn on;
        bool operator<(const Target& o) const { return rank != o.rank ? rank < o.rank : distance < o.distance; }
    };
    Target target_on(Index t, const ExactPoint& p) const {
        std::array<const ExactPoint*, 3> corner{};
        for (std::size_t k = 0; k < 3; ++k) corner[k] = &exact(other_, other_.corners[t][k]);
        const Vec3 normal = normalized(triangle_normal(corner[0]->approx(), corner[1]->approx(), corner[2]->approx()));
        const Vec3 foot_on_plane = p.approx() - normal * dot(p.approx() - corner[0]->approx(), normal);
        Target best;
        auto offer = [&](Rank rank, double d, auto make_place) {
            if (!(d <= join_) || !(Target{rank, d, {}} < best)) return;
            best = {rank, d, make_place()};
        };
        auto is_within_reach = [&](bool is_in_face, const Vec3& place) {
            return !is_in_face || distance(foot_on_plane, place) <= kWithinFace * join_;
        };
        for (std::size_t k = 0; k < 3; ++k) {
            const bool is_in_face = is_in_face_[other_.corners[t][k]];
            if (is_within_reach(is_in_face, corner[k]->approx()))
                offer(is_in_face ? Rank::corner_in_face : Rank::corner, from_corner(other_.corners[t][k], p.approx()),
                      [&] {
                          return LiesOn{LiesOn::Kind::corner, other_.corners[t][k], *corner[k]};
                      });
        }
        for (std::size_t k = 0; k < 3 && best.rank > Rank::corner; ++k) {
            const ExactPoint &a = *corner[k], &b = *corner[(k + 1) % 3];
            const Vec3 along = b.approx() - a.approx(), from = p.approx() - a.approx();
            const double s = dot(from, along) / dot(along, along);
            const auto e = static_cast<Index>(other_edges_.edge_of(t, static_cast<Index>(k)));
            const bool is_in_face = is_flat_[e];
            if (s > 0 && s < 1 && is_within_reach(is_in_face, a.approx() + along * s))
                offer(is_in_face ? Rank::edge_in_face : Rank::edge, length(from - along * s), [&] {
                    return LiesOn{LiesOn::Kind::edge, e, rounded(robust::foot_on_line(p, a, b))};
                });
        }
        if (best.rank < Rank::face) return best;
        const Vec3 foot =
            closest_point_on_triangle(p.approx(), corner[0]->approx(), corner[1]->approx(), corner[2]->approx());
        offer(Rank::face, distance(foot, p.approx()), [&] {
            return LiesOn{LiesOn::Kind::face, t, rounded(robust::foot_on_plane(p, *corner[0], *corner[1], *corner[2]))};
        });
        return best;
    }

    /// Which of the other's edges and corners lie within flat faces: there the triangles on both sides reach far beyond
    /// the tolerance and lie in one plane, but for that. Where that is not sure, they do not. Where a body has been
    /// laid onto a face there are two on each side.
    void find_flat_edges() {
        is_flat_.assign(other_edges_.size(), false);
        is_in_face_.assign(other_.point.size(), true);
        for (Index e = 0; e < other_edges_.size(); ++e) {
            is_flat_[e] = is_flat(e);
            for (const Index v : other_edges_.ends(e))
                if (!is_flat_[e]) is_in_face_[v] = false;
        }
    }
    bool is_flat(Index e) const {
        const Vec3 &a = other_.place[other_edges_.ends(e)[0]], &b = other_.place[other_edges_.ends(e)[1]];
        std::vector<Vec3> away;  // from the edge to the third corner, square to it
        for (const auto* use = other_edges_.begin(e); use != other_edges_.end(e); ++use) {
            if (use->triangle >= other_.n_solid) return false;
            const Vec3& tip = other_.place[other_.corners[use->triangle][(use->side + 2) % 3]];
            away.push_back(tip - a - (b - a) * (dot(tip - a, b - a) / dot(b - a, b - a)));
        }
        bool has_both_sides = false;
        for (const Vec3& other : away) {
            const Vec3 first = normalized(away.front()), second = normalized(other);
            has_both_sides = has_both_sides || dot(first, second) < 0;
            const double sine = length(cross(first, second)), low = std::min(length(away.front()), length(other));
            if (sine > kAsMade && !(low >= kFarBeyond * join_ && kFarBeyond * sine < 1 && sine * low <= join_))
                return false;
        }
        return has_both_sides;
    }

    /// Whose corner was within reach before it was laid onto a third one follows it there.
    double from_corner(Index v, const Vec3& p) const {
        const double now = distance(other_.place[v], p);
        const auto before = moved_.find(other_.point[v]);
        double least = now;
        if (now <= 2 * join_ && before != moved_.end())
            for (const Vec3& place : before->second) least = std::min(least, distance(place, p));
        return least;
    }

    Target target_of(const ExactPoint& p) const {
        Box box;
        box.include(p.approx());
        std::vector<Index> near;
        other_tree_.overlapping(widened(box, 2 * join_), [&](Index t) { near.push_back(t); });
        std::sort(near.begin(), near.end());
        Target best;
        for (const Index t : near) {
            const Target target = target_on(t, p);
            if (target < best) best = target;
        }
        return best;
    }

    /// Corners in common stay.
    void move_corners() {
        for (Index v = 0; v < own_.point.size(); ++v) {
            if (const auto same = other_.local.find(own_.point[v]); same != other_.local.end()) {
                target_.emplace(own_.point[v], LiesOn{LiesOn::Kind::corner, same->second, exact(own_, v)});
                continue;
            }
            const Target target = target_of(exact(own_, v));
            if (target.rank < Rank::nothing) target_.emplace(own_.point[v], target.on);
        }
    }

    // ---- places on the own surface ----

    /// By value: what is given may be one of the complex' own points.
    Index add_point(ExactPoint at, LiesOn target) {
        const auto p = static_cast<Index>(c_.points.size());
        c_.points.push_back(std::move(at));
        target_.emplace(p, std::move(target));
        return p;
    }

    /// The own corner that goes to that point of the other, when there is one.
    std::optional<Index> corner_that_goes_to(const ExactPoint& target, Index t) const {
        for (const Index v : own_.corners[t])
            if (const auto at = target_.find(own_.point[v]); at != target_.end() && at->second.place == target)
                return v;
        return std::nullopt;
    }

    Place place_on_edge(Index e, const Vec3& near, const LiesOn& target) {
        const ExactPoint at =
            robust::foot_on_line(near, exact(own_, edges_.ends(e)[0]), exact(own_, edges_.ends(e)[1]));
        for (const Index end : edges_.ends(e))
            if (exact(own_, end) == at) return {Place::Kind::corner, end, own_.point[end]};
        return {Place::Kind::edge, e, put_in(on_edge_[e], at, target)};
    }

    /// Triangles at an edge are to have the same points there: of two that are equal the first stays, with its target.
    Index put_in(std::vector<Index>& list, const ExactPoint& at, const LiesOn& target) {
        for (const Index p : list)
            if (c_.points[p] == at) return p;
        list.push_back(add_point(at, target));
        return list.back();
    }

    /// `reach`: to edges of the triangle, within its plane.
    std::optional<Place> place_on(Index t, const Vec3& q, const LiesOn& target, double reach) {
        if (const auto v = corner_that_goes_to(target.place, t)) return Place{Place::Kind::corner, *v, own_.point[*v]};
        const Vec3 normal = normalized(triangle_normal(own_.place[own_.corners[t][0]], own_.place[own_.corners[t][1]],
                                                       own_.place[own_.corners[t][2]]));
        const Vec3 foot = q - normal * dot(q - own_.place[own_.corners[t][0]], normal);
        Index closest = kNone;
        double least = join_;
        for (Index k = 0; k < 3; ++k) {
            const Vec3 &a = own_.place[own_.corners[t][k]], &b = own_.place[own_.corners[t][(k + 1) % 3]];
            const double s = dot(q - a, b - a) / dot(b - a, b - a);
            if (!(s > 0 && s < 1)) continue;
            const double d = length(q - a - (b - a) * s);
            if (d > least || distance(foot, a + (b - a) * s) > reach) continue;
            least = d;
            closest = edges_.edge_of(t, k);
        }
        if (closest != kNone) return place_on_edge(closest, q, target);
        const std::array<const ExactPoint*, 3> corner{
            &exact(own_, own_.corners[t][0]), &exact(own_, own_.corners[t][1]), &exact(own_, own_.corners[t][2])};
        const ExactPoint at = robust::foot_on_plane(q, *corner[0], *corner[1], *corner[2]);
        const int axis = robust::axis_across(*corner[0], *corner[1], *corner[2]);
        for (std::size_t k = 0; k < 3; ++k)
            if (robust::orient2d(*corner[k], *corner[(k + 1) % 3], at, axis) !=
                robust::orient2d(*corner[0], *corner[1], *corner[2], axis))
                return std::nullopt;
        return Place{Place::Kind::face, t, put_in(on_face_[t], at, target)};
    }

    void place_corners_of_other() {
        place_of_.resize(other_.point.size());
        for (Index v = 0; v < other_.point.size(); ++v) {
            auto hit = own_tree_.closest(other_.place[v]);
            if (const auto before = moved_.find(other_.point[v]); before != moved_.end())
                for (auto place = before->second.begin(); hit.distance > join_ && place != before->second.end();
                     ++place)
                    hit = own_tree_.closest(*place);
            if (hit.triangle != kNone && hit.distance <= join_)
                place_of_[v] = place_on(hit.triangle, other_.place[v], {LiesOn::Kind::corner, v, exact(other_, v)},
                                        is_in_face_[v] ? kWithinFace * join_ : join_);
        }
    }

    // ---- crossings of edges ----

    struct Stop {
        double share;  // of the other's edge
        Place place;
        bool operator<(const Stop& o) const { return share != o.share ? share < o.share : place.point < o.place.point; }
    };

    void place_crossings() {
        for (Index e = 0; e < edges_.size(); ++e) {
            Box box;
            for (const Index v : edges_.ends(e)) box.include(own_.place[v]);
            std::vector<Index> near;
            other_tree_.overlapping(widened(box, join_), [&](Index t) {
                for (Index k = 0; k < 3; ++k) near.push_back(static_cast<Index>(other_edges_.edge_of(t, k)));
            });
            std::sort(near.begin(), near.end());
            near.erase(std::unique(near.begin(), near.end()), near.end());
            for (const Index f : near) place_crossing(e, f, near);
        }
    }

    /// `near`: the edges of the other that may be near e.
    void place_crossing(Index e, Index f, const std::vector<Index>& near) {
        const auto &own_ends = edges_.ends(e), &other_ends = other_edges_.ends(f);
        // An edge within a flat face draws nothing to itself: what meets it is the own edge as it will lie.
        const std::array<Vec3, 2> end =
            is_flat_[f] ? places_after(own_ends) : std::array{own_.place[own_ends[0]], own_.place[own_ends[1]]};
        const Vec3 &c = other_.place[other_ends[0]], &d = other_.place[other_ends[1]];
        if (run_along(end[0], end[1], c, d, is_flat_[f] ? kWithinFace * join_ : join_))
            return;  // they are joined by their corners
        const auto [s, u] = closest_shares(end[0], end[1], c, d);
        const Vec3 here = end[0] + (end[1] - end[0]) * s, there = c + (d - c) * u;
        if (distance(here, there) > join_) return;
        // Near an end of either the corner there is what is joined.
        for (std::size_t k = 0; k < 2; ++k) {
            const auto& place = place_of_[other_ends[k]];
            if (!place || (distance(there, k == 0 ? c : d) > join_ && !is_flat_[f])) continue;
            if (is_on_edge(*place, e) || u == 0 || u == 1) return;
        }
        for (std::size_t k = 0; k < 2; ++k) {
            if (distance(here, end[k]) > join_) continue;
            const auto at = target_.find(own_.point[own_ends[k]]);
            if (at == target_.end()) continue;
            const Vec3 goes_to = at->second.place.approx();
            const double share = dot(goes_to - c, d - c) / dot(d - c, d - c);
            const bool is_on_f = share > 0 && share < 1 && distance(goes_to, c + (d - c) * share) <= 1e-9 * join_;
            if (is_on_f) stops_[f].push_back({share, {Place::Kind::corner, own_ends[k], own_.point[own_ends[k]]}});
            if (is_on_f || !is_flat_[f] || distance(here, end[k]) <= kWithinFace * join_) return;
        }
        const Vec3 on_e = own_.place[own_ends[0]] + (own_.place[own_ends[1]] - own_.place[own_ends[0]]) * s;
        if (stop_on_edge_along(e, f, on_e, near) || (is_flat_[f] && (s == 0 || s == 1))) return;
        const LiesOn target{
            LiesOn::Kind::edge, f,
            rounded(robust::foot_on_line(here, exact(other_, other_ends[0]), exact(other_, other_ends[1])))};
        stops_[f].push_back({u, place_on_edge(e, on_e, target)});
    }

    /// Where own corners will lie.
    std::array<Vec3, 2> places_after(const Edge& corners) const {
        std::array<Vec3, 2> out;
        for (std::size_t k = 0; k < 2; ++k) {
            const auto at = target_.find(own_.point[corners[k]]);
            out[k] = at == target_.end() ? own_.place[corners[k]] : at->second.place.approx();
        }
        return out;
    }

    static bool run_along(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d, double reach) {
        const double sine = length(cross(normalized(b - a), normalized(d - c)));
        return sine * std::min(distance(a, b), distance(c, d)) <= reach;
    }

    /// Where e is laid along an edge g of the other, it meets f where g does, however flat f comes upon them. Tells
    /// whether there is such an edge near `here`.
    bool stop_on_edge_along(Index e, Index f, const Vec3& here, const std::vector<Index>& near) {
        const Vec3 &a = own_.place[edges_.ends(e)[0]], &b = own_.place[edges_.ends(e)[1]];
        const Vec3 &c = other_.place[other_edges_.ends(f)[0]], &d = other_.place[other_edges_.ends(f)[1]];
        double least = join_;
        Index along = kNone;
        for (const Index g : near) {
            const Vec3 &from = other_.place[other_edges_.ends(g)[0]], &to = other_.place[other_edges_.ends(g)[1]];
            if (g == f || is_flat_[g] || !run_along(a, b, from, to, join_)) continue;
            const double s = std::clamp(dot(here - from, to - from) / dot(to - from, to - from), 0.0, 1.0);
            const double far = distance(here, from + (to - from) * s);
            if (far > least || (far == least && along != kNone)) continue;
            least = far;
            along = g;
        }
        if (along == kNone) return false;
        const auto& ends = other_edges_.ends(along);
        const Vec3 &from = other_.place[ends[0]], &to = other_.place[ends[1]];
        const auto [s, u] = closest_shares(from, to, c, d);
        const Vec3 meeting = from + (to - from) * s;
        if (distance(meeting, c + (d - c) * u) > join_) return false;
        for (const Index end : edges_.ends(e)) {
            const auto at = target_.find(own_.point[end]);
            if (at == target_.end() || distance(at->second.place.approx(), meeting) > 1e-9 * join_) continue;
            stops_[f].push_back({u, {Place::Kind::corner, end, own_.point[end]}});
            return true;
        }
        const double on_e = dot(meeting - a, b - a) / dot(b - a, b - a);
        if (!(on_e > 0 && on_e < 1)) return false;
        for (const Index end : ends) {
            const auto& place = place_of_[end];
            if (distance(meeting, other_.place[end]) > 1e-9 * join_ || !place || !is_on_edge(*place, e)) continue;
            stops_[f].push_back({u, *place});
            return true;
        }
        const LiesOn target{LiesOn::Kind::edge, along,
                            rounded(robust::foot_on_line(meeting, exact(other_, ends[0]), exact(other_, ends[1])))};
        stops_[f].push_back({u, place_on_edge(e, meeting, target)});
        return true;
    }

    bool is_on_edge(const Place& place, Index e) const {
        if (place.kind == Place::Kind::edge) return place.element == e;
        return place.kind == Place::Kind::corner &&
               (edges_.ends(e)[0] == place.element || edges_.ends(e)[1] == place.element);
    }

    // ---- segments ----

    std::vector<Index> triangles_at(const Place& place) {
        std::vector<Index> out;
        if (place.kind == Place::Kind::face) return {place.element};
        if (place.kind == Place::Kind::edge) {
            for (const auto* use = edges_.begin(place.element); use != edges_.end(place.element); ++use)
                out.push_back(use->triangle);
        } else {
            if (at_point_.empty()) {
                at_point_.resize(own_.point.size());
                for (Index t = 0; t < own_.corners.size(); ++t)
                    for (const Index v : own_.corners[t]) at_point_[v].push_back(t);
            }
            out = at_point_[place.element];
        }
        std::sort(out.begin(), out.end());
        return out;
    }

    void join_places() {
        for (Index f = 0; f < other_edges_.size(); ++f) {
            std::vector<Stop> stops;
            if (const auto at = stops_.find(f); at != stops_.end()) stops = at->second;
            for (std::size_t k = 0; k < 2; ++k)
                if (const auto& place = place_of_[other_edges_.ends(f)[k]])
                    stops.push_back({static_cast<double>(k), *place});
            std::sort(stops.begin(), stops.end());
            for (std::size_t i = 0; i + 1 < stops.size(); ++i) join_two(stops[i].place, stops[i + 1].place);
        }
    }

    void join_two(const Place& p, const Place& q) {
        if (p.point == q.point) return;
        const std::vector<Index> at_p = triangles_at(p), at_q = triangles_at(q);
        std::vector<Index> both;
        std::set_intersection(at_p.begin(), at_p.end(), at_q.begin(), at_q.end(), std::back_inserter(both));
        if (both.empty()) return;
        // Along an edge there is one already.
        for (Index k = 0; k < 3; ++k) {
            const auto e = static_cast<Index>(edges_.edge_of(both.front(), k));
            if (is_on_edge(p, e) && is_on_edge(q, e)) return;
        }
        for (const Index t : both)
            if (t < own_.n_solid) segments_[t].push_back({p.point, q.point});
    }

    // ---- division ----

    void divide() {
        for (Index e = 0; e < edges_.size(); ++e)
            if (!on_edge_[e].empty())
                divide_feature_edge(c_, {own_.point[edges_.ends(e)[0]], own_.point[edges_.ends(e)[1]]}, on_edge_[e]);
        for (Index t = 0; t < own_.corners.size(); ++t) {
            std::vector<Index> points = on_face_[t];
            for (Index k = 0; k < 3; ++k) {
                const auto& on = on_edge_[edges_.edge_of(t, k)];
                points.insert(points.end(), on.begin(), on.end());
            }
            if (t >= own_.n_solid && !points.empty())
                divide_flat(t);
            else if (!points.empty() || !segments_[t].empty())
                divide_triangle(t, points);
        }
    }

    /// By the points on its edges alone.
    void divide_flat(Index t) {
        divide_by_edges(own_.triangle[t], [&](std::size_t k) -> const std::vector<Index>* {
            return &on_edge_[edges_.edge_of(t, static_cast<Index>(k))];
        });
    }

    std::vector<Index> own_pieces() const {
        std::vector<Index> sorted = own_.triangle, out = own_.triangle;
        std::sort(sorted.begin(), sorted.end());
        for (std::size_t k = 0; k < parents_.size(); ++k)
            if (std::binary_search(sorted.begin(), sorted.end(), parents_[k]))
                out.push_back(static_cast<Index>(c_.triangles.size() - parents_.size() + k));
        return out;
    }

    /// Bodies that touch have edges in common: whoever is at one gets its points.
    void divide_others() {
        std::map<Edge, Index> divided;
        std::vector<char> is_end(c_.points.size(), 0);
        for (Index e = 0; e < edges_.size(); ++e) {
            if (on_edge_[e].empty()) continue;
            const Index a = own_.point[edges_.ends(e)[0]], b = own_.point[edges_.ends(e)[1]];
            divided[{std::min(a, b), std::max(a, b)}] = e;
            is_end[a] = is_end[b] = 1;
        }
        if (divided.empty()) return;
        const auto n = static_cast<Index>(c_.triangles.size());
        for (Index t = 0; t < n; ++t) {
            const Triangle v = c_.triangles[t];
            if (is_end[v[0]] + is_end[v[1]] + is_end[v[2]] < 2) continue;
            auto on = [&](std::size_t k) -> const std::vector<Index>* {
                const Index a = v[k], b = v[(k + 1) % 3];
                const auto at = divided.find({std::min(a, b), std::max(a, b)});
                return at == divided.end() ? nullptr : &on_edge_[at->second];
            };
            if (on(0) != nullptr || on(1) != nullptr || on(2) != nullptr) divide_by_edges(t, on);
        }
    }

    /// `on_side(k)`: the points on the side from corner k on.
    template <typename OnSide>
    void divide_by_edges(Index triangle, const OnSide& on_side) {
        std::array<std::vector<Index>, 3> on;
        for (std::size_t k = 0; k < 3; ++k) {
            const Index from = c_.triangles[triangle][k], to = c_.triangles[triangle][(k + 1) % 3];
            const std::vector<Index>* points = on_side(k);
            if (points == nullptr) continue;
            on[k] = *points;
            const bool is_rising = robust::compare(c_.points[from], c_.points[to]) < 0;
            std::sort(on[k].begin(), on[k].end(), [&](Index p, Index q) {
                return p != q && (robust::compare(c_.points[p], c_.points[q]) < 0) == is_rising;
            });
        }
        replace_triangle(c_, triangle, divided_by_rim(c_.triangles[triangle], on), parents_);
    }

    void divide_triangle(Index t, const std::vector<Index>& points) {
        const Index triangle = own_.triangle[t];
        const auto corner = c_.corners(triangle);
        PlanarDivision division(*corner[0], *corner[1], *corner[2],
                                robust::axis_across(*corner[0], *corner[1], *corner[2]));
        std::map<Index, Index> local;
        std::vector<Index> number(c_.triangles[triangle].begin(), c_.triangles[triangle].end());
        for (Index k = 0; k < 3; ++k) local[number[k]] = k;
        for (const Index p : points) {
            const Index there = division.insert(c_.points[p]);
            local[p] = there;
            if (there >= number.size()) number.push_back(p);
        }
        for (const auto& [p, q] : segments_[t])
            if (local.contains(p) && local.contains(q) && local[p] != local[q])
                division.insert_segment(local[p], local[q]);
        for (std::size_t k = number.size(); k < division.points().size(); ++k) {
            const ExactPoint at = division.points()[k];
            const Target target = target_of(at);
            number.push_back(add_point(at, target.rank < Rank::nothing ? target.on : LiesOn{{}, kNone, at}));
        }
        std::vector<Triangle> pieces;
        for (const Triangle& piece : division.triangles())
            pieces.push_back({number[piece[0]], number[piece[1]], number[piece[2]]});
        replace_triangle(c_, triangle, pieces, parents_);
    }

    void move(Index p, const ExactPoint& target) {
        if (c_.points[p] == target) return;
        const double far = distance(c_.points[p].approx(), target.approx());
        if (far > report_.largest_move) {
            report_.largest_move = far;
            report_.largest_move_at = target.approx();
        }
        if (std::vector<Vec3>& from = moved_[p]; from.empty()) from.push_back(c_.points[p].approx());
        c_.points[p] = target;
        ++report_.corners_joined;
    }

    /// What went to a corner is that corner from now on: what is laid there later divides the edges of both alike.
    void take_corners() {
        std::map<Index, Index> now;
        for (const auto& [p, on] : target_) {
            if (on.kind != LiesOn::Kind::corner || on.element == kNone || other_.point[on.element] == p) continue;
            const Index corner = now[p] = other_.point[on.element];
            if (const auto from = moved_.find(p); from != moved_.end()) {
                const std::vector<Vec3> places = from->second;
                moved_[corner].insert(moved_[corner].end(), places.begin(), places.end());
            }
        }
        auto renumber = [&now](Index& p) {
            if (const auto at = now.find(p); at != now.end()) p = at->second;
        };
        for (Triangle& t : c_.triangles) std::for_each(t.begin(), t.end(), renumber);
        for (Edge& e : c_.feature_edges) {
            std::for_each(e.begin(), e.end(), renumber);
            if (e[0] > e[1]) std::swap(e[0], e[1]);
        }
        std::sort(c_.feature_edges.begin(), c_.feature_edges.end());
        c_.feature_edges.erase(std::unique(c_.feature_edges.begin(), c_.feature_edges.end()), c_.feature_edges.end());
    }

    Complex& c_;
    const Part &own_, &other_;
    double join_;
    Moved& moved_;
    CutSurface& report_;
    SurfaceEdges edges_, other_edges_;
    TriangleTree own_tree_, other_tree_;
    std::vector<bool> is_flat_, is_in_face_;      // the other's edges and corners
    std::map<Index, LiesOn> target_;              // of points of the complex
    std::vector<std::optional<Place>> place_of_;  // of the other's corners
    std::map<Index, std::vector<Stop>> stops_;    // of the other's edges
    std::vector<std::vector<Index>> on_edge_, on_face_;
    std::vector<std::vector<std::array<Index, 2>>> segments_;
    std::vector<std::vector<Index>> at_point_;
    std::vector<Index> parents_;
};

}  // namespace

std::vector<Index> conform(Complex& complex, const std::vector<Index>& own, const std::vector<Index>& others,
                           double join, Moved& moved, CutSurface& report) {
    const Part other(complex, others, widened(bounds_of(complex, own), 2 * join));
    if (other.triangle.empty()) return {};
    const Part part(complex, own, widened(other.bounds(), 2 * join));
    if (part.triangle.empty()) return {};
    return Conformer(complex, part, other, join, moved, report).run();
}

}  // namespace anvilcast::cutting
