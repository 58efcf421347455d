// Curves that repeat are made equal before anything is divided.
// 1. Each zone's strands are taken with its area on their left. What makes the second zone of the first brings such a
//    strand onto one with its area on the right; so two ends and their images say how it turns and moves.
// 2. The image that is given, or the simplest of those that bring every strand onto another one, is taken.
// 3. Nodes are put where the first zone's lead, pair by pair until all agree; strands take the images of curves.

#include "planar/repeat.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include "base/nearest_name.hpp"
#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

/// Of the first zone's extent: by how much a simpler image may differ more than the best one. Numbers may have been
/// written in single precision.
constexpr double kAsGood = 1e-7;
/// Corners of a rectangle that repeats both ways settle in two rounds.
constexpr int kRounds = 4;

/// A strand, passed with its area on the left (or on the right, of a second zone).
struct Directed {
    Index strand;
    bool is_forward;
};

Vec2 place_along(const Outline& outline, const std::vector<PlaneCurve>& curves, const Directed& d, double share) {
    const Strand& s = outline.strands[d.strand];
    return place_at(s, curves, (d.is_forward ? share : 1 - share) * s.length());
}

/// What brings the ends of one strand as near as can be to those of another.
Placement motion_between(const std::array<Vec2, 2>& from, const std::array<Vec2, 2>& to) {
    const Vec2 u = from[1] - from[0], v = to[1] - to[0], a = midpoint(from[0], from[1]), b = midpoint(to[0], to[1]);
    const double turn = std::atan2(cross(u, v), dot(u, v));
    if (std::abs(turn) < kAsGood) return Placement::moved({b.x - a.x, b.y - a.y, 0});
    // The centre lies on the bisector of both middles, as far off as the turn says.
    const Vec2 d = b - a, about = midpoint(a, b) + left_of(d) * (0.5 / std::tan(0.5 * turn));
    double degrees = turn * 180 / std::numbers::pi;
    // Of a whole turn, an n-th part.
    const double n = std::round(360 / std::abs(degrees));
    if (std::abs(std::abs(degrees) * n - 360) < 1e-5 * 360) degrees = std::copysign(360 / n, degrees);
    return Placement::turned({0, 0, 1}, degrees, {about.x, about.y, 0});
}

class Repeater {
  public:
    Repeater(Outline& outline, std::vector<Face>& faces, std::vector<PlaneCurve>& curves,
             const std::vector<PeriodicRequest>& requests)
        : outline_(outline), faces_(faces), curves_(curves), requests_(requests) {}

    Repeats run() {
        std::set<std::string> taken;
        for (const PeriodicRequest& r : requests_) match(r, taken);
        for (std::size_t k = 0; k < out_.strands.size(); ++k) {
            choose_source(out_.strands[k]);
            if (runs_backwards_[k]) turn_round(out_.strands[k].image);
        }
        settle_nodes();
        for (const RepeatedStrand& r : out_.strands) replace(r);
        return std::move(out_);
    }

  private:
    struct Found {
        Placement image;
        std::vector<std::pair<Directed, Directed>> matched;
        double difference = Box::inf;
        Vec2 at;
    };

    std::vector<Directed> strands_of(const std::string& zone, const PeriodicRequest& r, bool area_on_left) const {
        std::vector<Directed> out;
        bool is_known = false;
        for (Index i = 0; i < outline_.strands.size(); ++i) {
            const Strand& s = outline_.strands[i];
            if (curves_[s.curve].zone.name != zone || curves_[s.curve].divides) continue;
            is_known = true;
            const auto& [left, right] = s.area;
            if (left == right) continue;  // bounds nothing
            if (left != kNone && right != kNone) {
                const Vec2 p = place_at(s, curves_, 0.5 * s.length());
                throw InputError(
                    fmt::format("{}[[periodic]] the zone \"{}\" has areas on both sides at [{:.6g}, {:.6g}] m; what "
                                "repeats is at the outside of everything",
                                r.place, zone, p.x, p.y));
            }
            out.push_back({i, (left != kNone) == area_on_left});
        }
        if (!is_known) refuse_unknown(zone, r);
        if (out.empty()) throw InputError(fmt::format("{}[[periodic]] the zone \"{}\" bounds no area", r.place, zone));
        return out;
    }
    [[noreturn]] void refuse_unknown(const std::string& zone, const PeriodicRequest& r) const {
        std::vector<std::string> names;
        for (const PlaneCurve& c : curves_)
            if (!c.divides && std::find(names.begin(), names.end(), c.zone.name) == names.end())
                names.push_back(c.zone.name);
        const std::string_view near = nearest_name(zone, names);
        throw InputError(fmt::format("{}[[periodic]] zones: there is no zone \"{}\"{}; the zones are {}", r.place, zone,
                                     near.empty() ? "" : fmt::format(" (did you mean \"{}\"?)", near),
                                     fmt::join(names, ", ")));
    }

    void match(const PeriodicRequest& r, std::set<std::string>& taken) {
        for (const std::string& zone : {r.first, r.second})
            if (!taken.insert(zone).second)
                throw InputError(
                    fmt::format("{}[[periodic]] the zone \"{}\" can repeat at one other only", r.place, zone));
        const std::vector<Directed> first = strands_of(r.first, r, true), second = strands_of(r.second, r, false);
        Box box;
        for (const Directed& d : first)
            for (const Strand::Sample& s : outline_.strands[d.strand].samples)
                box.include(Vec3{s.point.x, s.point.y, 0});
        const double extent = box.diagonal();
        Found best;
        if (r.image) {
            refuse_out_of_plane(r);
            best = held_against(*r.image, first, second);
        } else {
            for (const Directed& d : second) {
                Found found = held_against(motion_between(ends_of(first.front()), ends_of(d)), first, second);
                const bool is_simpler = !found.image.is_turned() && best.image.is_turned();
                if (found.difference < best.difference - (is_simpler ? -kAsGood * extent : kAsGood * extent))
                    best = std::move(found);
            }
            if (!(best.difference <= kAsGood * extent)) take_if_better(fitted_to(best), best, first, second);
        }
        const double allowed = r.tolerance > 0 ? r.tolerance : kPeriodicTolerance * extent;
        if (best.matched.size() != first.size() || first.size() != second.size() || !(best.difference <= allowed))
            refuse(r, best, first, second, allowed);
        for (const auto& [from, to] : best.matched) {
            out_.strands.push_back({from.strand, to.strand, best.image});
            runs_backwards_.push_back(from.is_forward != to.is_forward);
        }
        out_.pairs.push_back({r.first, r.second, best.image, best.difference});
        for (PlaneCurve& c : curves_)
            if (!c.divides && (c.zone.name == r.first || c.zone.name == r.second)) {
                c.zone.set({Role::periodic});
                c.zone.role_is_guess = false;
            }
    }

    void refuse_out_of_plane(const PeriodicRequest& r) const {
        const Placement& p = *r.image;
        if (std::abs(p.image[2].z - 1) < 1e-12 && std::abs(p.origin.z) < 1e-300) return;
        throw InputError(
            fmt::format("{}[[periodic]] in a plane \"{}\" is moved by [x, y, 0], or turned about an axis along z",
                        r.place, r.second));
    }

    std::array<Vec2, 2> ends_of(const Directed& d) const {
        const Strand& s = outline_.strands[d.strand];
        std::array<Vec2, 2> out{outline_.nodes[s.from], outline_.nodes[s.to]};
        if (!d.is_forward) std::swap(out[0], out[1]);
        return out;
    }

    /// Each strand of the first zone with the one that its image is nearest to.
    Found held_against(const Placement& image, const std::vector<Directed>& first,
                       const std::vector<Directed>& second) const {
        constexpr int kPlaces = 16;
        Found out{image, {}, 0, {}};
        std::set<Index> taken;
        for (const Directed& from : first) {
            double least = Box::inf;
            const Directed* nearest = nullptr;
            Vec2 at;
            for (const Directed& to : second) {
                if (taken.contains(to.strand)) continue;
                double most = 0;
                Vec2 there;
                for (int k = 0; k <= kPlaces; ++k) {
                    const double share = static_cast<double>(k) / kPlaces;
                    const Vec2 q = place_along(outline_, curves_, to, share);
                    const double d = distance(moved(image, place_along(outline_, curves_, from, share)), q);
                    if (d > most) {
                        most = d;
                        there = q;
                    }
                }
                if (most >= least) continue;
                least = most;
                nearest = &to;
                at = there;
            }
            if (nearest == nullptr) break;
            taken.insert(nearest->strand);
            out.matched.emplace_back(from, *nearest);
            if (least > out.difference) {
                out.difference = least;
                out.at = at;
            }
        }
        return out;
    }

    /// By all ends of the strands that were matched.
    Placement fitted_to(const Found& found) const {
        std::vector<Vec3> points, images;
        for (const auto& [from, to] : found.matched) {
            const auto p = ends_of(from), q = ends_of(to);
            for (std::size_t k = 0; k < 2; ++k) {
                points.push_back({p[k].x, p[k].y, 0});
                images.push_back({q[k].x, q[k].y, 0});
            }
        }
        return fitted(points, images);
    }
    void take_if_better(const Placement& image, Found& best, const std::vector<Directed>& first,
                        const std::vector<Directed>& second) const {
        if (image.image[2].z < 0.5) return;  // turned over
        Found found = held_against(image, first, second);
        if (found.difference < best.difference) best = std::move(found);
    }

    [[noreturn]] void refuse(const PeriodicRequest& r, const Found& found, const std::vector<Directed>& first,
                             const std::vector<Directed>& second, double allowed) const {
        if (first.size() != second.size())
            throw GeometryError(fmt::format(
                "{}[[periodic]] these zones are not each other's image: corners, and curves that meet them, cut \"{}\" "
                "into {} piece(s) and \"{}\" into {}; what meets one of them must meet the other too",
                r.place, r.first, first.size(), r.second, second.size()));
        const std::string how = r.image ? "as given" : "moved and turned as well as can be";
        throw GeometryError(
            fmt::format("{}[[periodic]] these zones are not each other's image: {}, \"{}\" differs from \"{}\" by "
                        "{:.4g} m, most at [{:.6g}, {:.6g}] m; at most {:.4g} m is allowed (tolerance)",
                        r.place, how, r.first, r.second, found.difference, found.at.x, found.at.y, allowed));
    }

    /// So that it runs the other way; its samples are still to be replaced.
    void turn_round(Index strand) {
        Strand& s = outline_.strands[strand];
        std::swap(s.from, s.to);
        std::swap(s.area[0], s.area[1]);
        auto turn = [strand](Loop& loop) {
            for (Pass& p : loop)
                if (p.strand == strand) p.is_forward = !p.is_forward;
        };
        for (Face& f : faces_) {
            turn(f.outer);
            for (Loop& hole : f.holes) turn(hole);
        }
    }

    /// The first zone's, or the second's where that alone says how it is to be divided.
    void choose_source(RepeatedStrand& r) const {
        const PlaneCurve &own = curves_[outline_.strands[r.strand].curve],
                         &other = curves_[outline_.strands[r.image].curve];
        if (own.divisions && other.divisions && *own.divisions != *other.divisions)
            throw InputError(fmt::format(
                "the curves \"{}\" and \"{}\" repeat, and are to have {} and {} edges; give one of them divisions, or "
                "both the same",
                own.zone.name, other.zone.name, *own.divisions, *other.divisions));
        if (own.divisions || own.bias != 1 || (!other.divisions && other.bias == 1)) return;
        std::swap(r.strand, r.image);
        r.to_image = inverse(r.to_image);
    }

    void settle_nodes() {
        for (int round = 0; round < kRounds; ++round)
            for (const RepeatedStrand& r : out_.strands) {
                const Strand &from = outline_.strands[r.strand], &to = outline_.strands[r.image];
                for (const auto& [node, image] : {std::pair{from.from, to.from}, std::pair{from.to, to.to}})
                    if (node != image)
                        outline_.nodes[image] = moved(r.to_image, outline_.nodes[node]);
                    else if (r.to_image.is_turned())
                        outline_.nodes[node] = centre_of(r.to_image);
            }
    }
    static Vec2 centre_of(const Placement& turn) {
        const Screw s = screw_of(turn);
        return {s.about.x, s.about.y};
    }

    void replace(const RepeatedStrand& r) {
        const Strand& from = outline_.strands[r.strand];
        Strand& to = outline_.strands[r.image];
        const Index zone_curve = to.curve;
        const auto [at, is_new] = copies_.try_emplace({from.curve, zone_curve}, static_cast<Index>(curves_.size()));
        if (is_new) {
            PlaneCurve copy = curves_[from.curve];
            copy.zone = curves_[zone_curve].zone;
            const Screw s = screw_of(r.to_image);
            const double degrees = r.to_image.is_turned() ? std::copysign(s.degrees, s.axis.z) : 0;
            const Vec2 about = degrees != 0 ? centre_of(r.to_image) : Vec2{};
            const Vec2 by = degrees != 0 ? Vec2{} : Vec2{r.to_image.origin.x, r.to_image.origin.y};
            copy.pieces = moved_by(copy.pieces, {about, degrees, 1, by});
            curves_.push_back(std::move(copy));
        }
        to.curve = at->second;
        to.samples = from.samples;
        for (Strand::Sample& s : to.samples) s.point = moved(r.to_image, s.point);
    }

    Outline& outline_;
    std::vector<Face>& faces_;
    std::vector<PlaneCurve>& curves_;
    const std::vector<PeriodicRequest>& requests_;
    std::vector<bool> runs_backwards_;  ///< of each pair of strands
    std::map<std::pair<Index, Index>, Index> copies_;
    Repeats out_;
};

}  // namespace

Repeats make_repeated(Outline& outline, std::vector<Face>& faces, std::vector<PlaneCurve>& curves,
                      const std::vector<PeriodicRequest>& requests) {
    return requests.empty() ? Repeats{} : Repeater(outline, faces, curves, requests).run();
}

std::vector<FacingSides> as_facing(const Repeats& repeats) {
    std::vector<FacingSides> out;
    for (const RepeatedStrand& r : repeats.strands) out.push_back({{r.strand}, {r.image}, kNone});
    return out;
}

void take_alike(const Repeats& repeats, LayerPlan& plan) {
    if (plan.slid.empty()) return;
    for (const RepeatedStrand& r : repeats.strands)
        for (std::size_t end = 0; end < 2; ++end) {
            double &own = plan.slid[r.strand][end], &image = plan.slid[r.image][end];
            own = image = std::max(own, image);
        }
}

void link_columns(const Repeats& repeats, Columns& all) {
    std::map<std::pair<Index, bool>, Index> sliding;
    for (Index i = 0; i < all.columns.size(); ++i)
        if (const Column& c = all.columns[i]; c.strand != kNone) sliding.try_emplace({c.strand, c.from_end}, i);
    for (const RepeatedStrand& r : repeats.strands)
        for (const bool from_end : {false, true}) {
            const auto a = sliding.find({r.strand, from_end}), b = sliding.find({r.image, from_end});
            if (a == sliding.end() && b == sliding.end()) continue;
            if (a == sliding.end() || b == sliding.end()) {
                Column& alone = all.columns[(a == sliding.end() ? b : a)->second];
                alone.room = 0;
                alone.limit = LayerLimit::corner_of_zone;
                continue;
            }
            Column &one = all.columns[a->second], &other = all.columns[b->second];
            one.room = other.room = std::min(one.room, other.room);
            one.asked = other.asked = one.asked.total < other.asked.total ? one.asked : other.asked;
            one.squeeze_to = other.squeeze_to = std::min(one.squeeze_to, other.squeeze_to);
            for (Column* c : {&one, &other}) c->way = c->way / c->per_height;
            one.per_height = other.per_height = std::max(one.per_height, other.per_height);
            for (Column* c : {&one, &other}) c->way = c->way * c->per_height;
            all.alike.push_back({a->second, b->second});
        }
}

}  // namespace anvilcast::planar
