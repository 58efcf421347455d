// Sides that repeat are made equal before anything is made of them.
// 1. Each pair's image is found, or taken as given, and the difference held against the tolerance.
// 2. Rims are matched point by point: a point of one rim that has no counterpart is put into the other rim's edge, in
//    all triangles at it. What one pair puts in may lie on another pair's rim, so this is gone through until nothing is
//    missing; each round puts in points that some rim has already, moved by a placement, so that it ends.
// 3. Points of rims that are images of others, by one pair or several, take their place from the one that is nobody's
//    image; points on an axis that they are turned round are put onto it.
// 4. The second zone's triangles are replaced by images of the first one's, turned over.

#include <anvilcast/errors.hpp>
#include <anvilcast/periodic.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/nearest_name.hpp"
#include "shape/find_image.hpp"
#include "shape/repeats.hpp"

namespace anvilcast {
namespace shape {
namespace {

constexpr int kMostRounds = 20;
/// A point of a rim is the counterpart of one within so many residuals, or this share of the extent.
constexpr double kResiduals = 4, kSamePoint = 1e-7;

class Matcher {
  public:
    Matcher(const Domain& domain, const std::vector<PeriodicRequest>& requests, const LengthUnit& unit)
        : unit_(unit), out_(domain), s_(out_.boundary) {
        std::set<std::string> taken;
        for (const PeriodicRequest& r : requests) find(r, taken);
        // Several zones may repeat in one way.
        for (Index k = 0; k < requests.size(); ++k)
            for (Index other = 0; other < k && !requests[k].image; ++other)
                take_if_as_good(k, out_.periodic[other].image);
        for (Index k = 0; k < requests.size(); ++k)
            for (Index other = 0; other < requests.size(); ++other)
                if (!requests[k].image && out_.periodic[k].image.is_turned() && !out_.periodic[other].image.is_turned())
                    turn_round(k, out_.periodic[other].image.origin);
    }

    Domain match() {
        for (int round = 0; round < kMostRounds; ++round) {
            links_.clear();
            bool is_whole = true;
            for (Index k = 0; k < out_.periodic.size(); ++k) is_whole = match_rims(k) && is_whole;
            if (is_whole) break;
            if (round + 1 == kMostRounds)
                throw FailureError(
                    "the rims of the periodic zones could not be matched point by point; give their tolerance, or "
                    "triangulate both sides alike");
        }
        put_in_place();
        for (Index k = 0; k < out_.periodic.size(); ++k) replace_second(k);
        drop_unused_points();
        return std::move(out_);
    }

  private:
    Index zone_called(const std::string& name, const PeriodicRequest& r) const {
        std::vector<std::string> names;
        for (Index z = 0; z < s_.zones.size(); ++z) {
            if (s_.zones[z].name == name && !(s_.zones[z].role == Role::interface_)) return z;
            names.push_back(s_.zones[z].name);
        }
        const std::string_view near = nearest_name(name, names);
        throw InputError(fmt::format("{}[[periodic]] zones: there is no zone \"{}\"{}; the zones are {}", r.place, name,
                                     near.empty() ? "" : fmt::format(" (did you mean \"{}\"?)", near),
                                     fmt::join(names, ", ")));
    }

    void find(const PeriodicRequest& r, std::set<std::string>& taken) {
        const std::array<Index, 2> zones{zone_called(r.first, r), zone_called(r.second, r)};
        for (const Index z : zones)
            if (!taken.insert(s_.zones[z].name).second)
                throw InputError(fmt::format("{}[[periodic]] the zone \"{}\" can repeat at one other only", r.place,
                                             s_.zones[z].name));
        if (r.image && r.image->is_mirrored())
            throw InputError(
                fmt::format("{}[[periodic]] \"{}\" is moved or turned, never mirrored", r.place, r.second));
        const std::array<Side, 2> sides{side_of(s_, zones[0]), side_of(s_, zones[1])};
        for (std::size_t k = 0; k < 2; ++k)
            if (sides[k].triangles.empty())
                throw InputError(fmt::format("{}[[periodic]] the zone \"{}\" has no faces in any region", r.place,
                                             s_.zones[zones[k]].name));
        const FoundImage found = r.image ? FoundImage{*r.image, difference(s_.points, sides[0], sides[1], *r.image)}
                                         : find_image(s_.points, sides[0], sides[1]);
        Box box;
        for (const Triangle& t : sides[0].triangles)
            for (const Index p : t) box.include(s_.points[p]);
        const double allowed = r.tolerance > 0 ? r.tolerance : kPeriodicTolerance * box.diagonal();
        if (!(found.difference.distance <= allowed)) refuse(r, found, allowed);
        out_.periodic.push_back({r.first, r.second, found.image, found.difference.distance});
        zones_.push_back(zones);
        for (const Index z : zones) {
            s_.zones[z].set({Role::periodic});
            s_.zones[z].role_is_guess = false;
        }
    }

    /// What is turned by one pair and moved along its axis by another must come out at the same place either way: the
    /// axis that was found is as good as the numbers of the sides are, and is taken to lie along the other's way.
    void turn_round(Index pair, const Vec3& way) {
        constexpr double kNearly = 1e-4;
        PeriodicPair& p = out_.periodic[pair];
        const Screw s = screw_of(p.image);
        const Vec3 axis = normalized(way);
        if (length(cross(axis, s.axis)) > kNearly) return;
        const Placement turned =
            after(Placement::turned(dot(axis, s.axis) < 0 ? axis * -1.0 : axis, s.degrees, s.about),
                  Placement::moved(axis * (dot(axis, s.axis) < 0 ? -s.way : s.way)));
        take_if_as_good(pair, turned);
    }

    void take_if_as_good(Index pair, const Placement& image) {
        PeriodicPair& p = out_.periodic[pair];
        const Side first = side_of(s_, zones_[pair][0]);
        const double d = difference(s_.points, first, side_of(s_, zones_[pair][1]), image).distance;
        if (d > as_good_as(p.residual, s_.points, first)) return;
        p.image = image;
        p.residual = d;
    }

    [[noreturn]] void refuse(const PeriodicRequest& r, const FoundImage& found, double allowed) const {
        const Vec3 at = found.difference.at / unit_.metres;
        auto told = [](double x) { return std::abs(x) < 1e-9 ? 0 : x; };
        const std::string what =
            std::isfinite(found.difference.distance)
                ? fmt::format(
                      "{}, \"{}\" differs from \"{}\" by {}, most at [{:.6g}, {:.6g}, {:.6g}] {}; at most {} is "
                      "allowed (tolerance)",
                      placement_text(found.image, unit_), r.first, r.second,
                      format_length(found.difference.distance, unit_), told(at.x), told(at.y), told(at.z), unit_.name,
                      format_length(allowed, unit_))
                : fmt::format("no move or turn brings \"{}\" onto \"{}\" so that it faces the other way", r.first,
                              r.second);
        throw GeometryError(
            fmt::format("{}[[periodic]] these zones are not each other's image: {}{}", r.place, what,
                        r.image ? "" : "; how they repeat can be given with moved, or turned and axis"));
    }

    // ---- rims ----

    /// Links each point of either rim to its counterpart. False when points had to be put in.
    bool match_rims(Index pair) {
        const PeriodicPair& p = out_.periodic[pair];
        bool is_whole = true;
        for (const bool forward : {true, false}) {
            const Side from = side_of(s_, zones_[pair][forward ? 0 : 1]),
                       to = side_of(s_, zones_[pair][forward ? 1 : 0]);
            is_whole = match_rim(from, to, forward ? p.image : inverse(p.image), p.residual, forward ? pair : kNone) &&
                       is_whole;
        }
        return is_whole;
    }

    struct Missing {
        Edge edge;
        double share;
    };

    static std::vector<Index> ends_of(const std::vector<Edge>& edges) {
        std::vector<Index> out;
        for (const Edge& e : edges) out.insert(out.end(), e.begin(), e.end());
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
        return out;
    }

    /// `pair`: kNone when only what is missing is looked for.
    bool match_rim(const Side& from, const Side& to, const Placement& image, double residual, Index pair) {
        const std::vector<Index> points = ends_of(from.rims), there = ends_of(to.rims);
        const double reach = std::max(kResiduals * residual, kSamePoint * s_.bounds().diagonal());
        const std::vector<Index> found = images_among(s_.points, points, there, image, reach);
        std::map<Index, Index> user;  // of each counterpart the point that is closest to it
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (found[i] == kNone) continue;
            const auto [at, is_new] = user.try_emplace(found[i], points[i]);
            if (!is_new && distance(image(s_.points[points[i]]), s_.points[found[i]]) <
                               distance(image(s_.points[at->second]), s_.points[found[i]]))
                at->second = points[i];
        }
        std::vector<Triangle> segments;
        for (const Edge& e : to.rims) segments.push_back({e[0], e[1], e[1]});
        const TriangleTree tree(s_.points, segments);
        std::vector<Missing> missing;
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (found[i] != kNone && user.at(found[i]) == points[i]) {
                if (pair != kNone) links_.push_back({points[i], found[i], pair});
                continue;
            }
            if (tree.empty()) continue;
            const auto near = tree.closest(image(s_.points[points[i]]));
            const Edge& e = to.rims[near.triangle];
            const double l = distance(s_.points[e[0]], s_.points[e[1]]);
            // Beside an end that is another point's counterpart, but within reach.
            const double least = std::min(1e-3, 0.25 * reach / l);
            missing.push_back({e, std::clamp(distance(s_.points[e[0]], near.point) / l, least, 1 - least)});
        }
        put_in(missing);
        return missing.empty();
    }

    void put_in(std::vector<Missing>& missing) {
        if (missing.empty()) return;
        std::sort(missing.begin(), missing.end(), [](const Missing& a, const Missing& b) {
            return a.edge != b.edge ? a.edge < b.edge : a.share > b.share;
        });
        std::map<Edge, std::vector<Index>> triangles_at;
        for (Index t = 0; t < s_.triangles.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k) triangles_at[edge_of(t, k)].push_back(t);
        Edge edge{kNone, kNone}, rest = edge;
        double whole = 1;
        // From the far end of an edge towards its first point, which stays.
        for (const Missing& m : missing) {
            if (m.edge != edge) {
                edge = rest = m.edge;
                whole = 1;
            }
            if (m.share > whole * (1 - 1e-6)) continue;
            const Vec3 first = s_.points[edge[0]];
            const Index other = rest[0] == edge[0] ? rest[1] : rest[0];
            const auto added = static_cast<Index>(s_.points.size());
            s_.points.push_back(first + (s_.points[other] - first) * (m.share / whole));
            divide(rest, added, triangles_at);
            rest = {std::min(edge[0], added), std::max(edge[0], added)};
            whole = m.share;
        }
        std::sort(s_.feature_edges.begin(), s_.feature_edges.end());
    }

    Edge edge_of(Index t, std::size_t k) const {
        const Index a = s_.triangles[t][k], b = s_.triangles[t][(k + 1) % 3];
        return {std::min(a, b), std::max(a, b)};
    }

    void divide(const Edge& edge, Index point, std::map<Edge, std::vector<Index>>& triangles_at) {
        const std::vector<Index> at = triangles_at[edge];
        triangles_at.erase(edge);
        for (const Index t : at) {
            std::size_t k = 0;
            while (edge_of(t, k) != edge) ++k;
            const Triangle c = s_.triangles[t];
            const Index a = c[k], b = c[(k + 1) % 3], tip = c[(k + 2) % 3];
            const auto added = static_cast<Index>(s_.triangles.size());
            s_.triangles[t] = {a, point, tip};
            s_.triangles.push_back({point, b, tip});
            s_.zone_of.push_back(s_.zone_of[t]);
            out_.sides.push_back(out_.sides[t]);
            if (!out_.uncut_of.empty()) out_.uncut_of.push_back(out_.uncut_of[t]);
            auto& beyond = triangles_at[{std::min(b, tip), std::max(b, tip)}];
            std::replace(beyond.begin(), beyond.end(), t, added);
            triangles_at[{std::min(a, point), std::max(a, point)}].push_back(t);
            triangles_at[{std::min(b, point), std::max(b, point)}].push_back(added);
            triangles_at[{std::min(tip, point), std::max(tip, point)}] = {t, added};
        }
        auto& kept = s_.feature_edges;
        const auto found = std::find(kept.begin(), kept.end(), edge);
        if (found == kept.end()) return;
        *found = {std::min(edge[0], point), std::max(edge[0], point)};
        kept.push_back({std::min(edge[1], point), std::max(edge[1], point)});
    }

    // ---- places ----

    void put_in_place() {
        const Originals originals = originals_of(s_.points.size(), links_, out_.periodic);
        const std::vector<Vec3> before = s_.points;
        std::vector<Vec3> at = before;
        for (const ImageLink& l : links_)
            if (l.from == l.to) at[l.from] = on_axis(out_.periodic[l.pair].image, before[l.from]);
        for (Index p = 0; p < at.size(); ++p)
            s_.points[p] = originals.is_image(p) ? originals.by[p](at[originals.of[p]]) : at[p];
    }

    static Vec3 on_axis(const Placement& turn, const Vec3& p) {
        if (!turn.is_turned()) return p;
        const Screw s = screw_of(turn);
        return s.about + s.axis * dot(p - s.about, s.axis);
    }

    // ---- triangles ----

    void replace_second(Index pair) {
        const auto [first, second] = zones_[pair];
        const Placement& image = out_.periodic[pair].image;
        std::map<Index, Index> there;
        for (const ImageLink& l : links_)
            if (l.pair == pair) there[l.from] = l.to;
        std::vector<Index> of_second;
        std::vector<Triangle> old;
        for (Index t = 0; t < s_.triangles.size(); ++t)
            if (s_.zone_of[t] == second) {
                of_second.push_back(t);
                old.push_back(s_.triangles[t]);
            }
        const TriangleTree tree(s_.points, old);
        const auto image_of = [&](Index p) {
            const auto [at, is_new] = there.try_emplace(p, static_cast<Index>(s_.points.size()));
            if (is_new) {
                const Vec3 place = image(s_.points[p]);
                s_.points.push_back(place);
            }
            return at->second;
        };
        std::vector<Triangle> triangles;
        std::vector<Index> like;  // an old triangle of the second zone at the same place
        for (Index t = 0; t < s_.triangles.size(); ++t) {
            if (s_.zone_of[t] != first) continue;
            const Triangle c = s_.triangles[t];
            triangles.push_back({image_of(c[0]), image_of(c[2]), image_of(c[1])});
            like.push_back(of_second[tree.closest(middle_of(triangles.back())).triangle]);
        }
        image_feature_edges(first, second, there);
        const auto sides = out_.sides;
        const auto uncut_of = out_.uncut_of;
        erase_triangles(second);
        for (std::size_t i = 0; i < triangles.size(); ++i) {
            s_.triangles.push_back(triangles[i]);
            s_.zone_of.push_back(second);
            out_.sides.push_back(sides[like[i]]);
            if (!uncut_of.empty()) out_.uncut_of.push_back(uncut_of[like[i]]);
        }
    }

    Vec3 middle_of(const Triangle& t) const { return (s_.points[t[0]] + s_.points[t[1]] + s_.points[t[2]]) / 3.0; }

    /// Edges to keep within the second zone are those within the first.
    void image_feature_edges(Index first, Index second, const std::map<Index, Index>& there) {
        std::set<Edge> within[2];
        for (Index t = 0; t < s_.triangles.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k)
                if (s_.zone_of[t] == first || s_.zone_of[t] == second)
                    within[s_.zone_of[t] == first ? 0 : 1].insert(edge_of(t, k));
        for (const Edge& e : side_of(s_, second).rims) within[1].erase(e);
        std::vector<Edge> kept;
        for (const Edge& e : s_.feature_edges) {
            if (!within[1].contains(e)) kept.push_back(e);
            if (!within[0].contains(e)) continue;
            const Index a = there.at(e[0]), b = there.at(e[1]);
            kept.push_back({std::min(a, b), std::max(a, b)});
        }
        std::sort(kept.begin(), kept.end());
        kept.erase(std::unique(kept.begin(), kept.end()), kept.end());
        s_.feature_edges = std::move(kept);
    }

    void erase_triangles(Index zone) {
        std::size_t n = 0;
        for (std::size_t t = 0; t < s_.triangles.size(); ++t) {
            if (s_.zone_of[t] == zone) continue;
            s_.triangles[n] = s_.triangles[t];
            s_.zone_of[n] = s_.zone_of[t];
            out_.sides[n] = out_.sides[t];
            if (!out_.uncut_of.empty()) out_.uncut_of[n] = out_.uncut_of[t];
            ++n;
        }
        s_.triangles.resize(n);
        s_.zone_of.resize(n);
        out_.sides.resize(n);
        if (!out_.uncut_of.empty()) out_.uncut_of.resize(n);
    }

    void drop_unused_points() {
        std::vector<Index> now(s_.points.size(), kNone);
        std::vector<Vec3> points;
        for (const Triangle& t : s_.triangles)
            for (const Index p : t) now[p] = 0;
        for (Index p = 0; p < now.size(); ++p) {
            if (now[p] == kNone) continue;
            now[p] = static_cast<Index>(points.size());
            points.push_back(s_.points[p]);
        }
        for (Triangle& t : s_.triangles)
            for (Index& p : t) p = now[p];
        std::erase_if(s_.feature_edges, [&now](const Edge& e) { return now[e[0]] == kNone || now[e[1]] == kNone; });
        for (Edge& e : s_.feature_edges) e = {now[e[0]], now[e[1]]};
        s_.points = std::move(points);
    }

    const LengthUnit& unit_;
    Domain out_;
    Surface& s_;
    std::vector<std::array<Index, 2>> zones_;  // of each pair
    std::vector<ImageLink> links_;             // between points of rims
};

}  // namespace
}  // namespace shape

Domain make_periodic(const Domain& domain, const std::vector<PeriodicRequest>& requests, const LengthUnit& unit) {
    if (requests.empty()) return domain;
    return shape::Matcher(domain, requests, unit).match();
}

}  // namespace anvilcast
