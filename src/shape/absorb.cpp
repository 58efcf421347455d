#include <anvilcast/absorb.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "shape/features.hpp"
#include "surface/loose_triangles.hpp"

namespace anvilcast {
namespace {

using shape::FeatureCurve;
using shape::Features;

/// Zipping one sliver can make a corner of another short: a few rounds settle it.
constexpr int kMostRounds = 4;
constexpr int kMostPasses = 40;
/// A border that turns by more than this at a point has a corner there.
constexpr double kCornerCosine = 0.766;

double length_of(const Surface& s, const FeatureCurve& curve) {
    double sum = 0;
    for (std::size_t i = 0; i + 1 < curve.points.size(); ++i)
        sum += distance(s.points[curve.points[i]], s.points[curve.points[i + 1]]);
    return sum;
}

enum class Narrow : char { no, sliver, kept };

/// Which patches have a mean width below the one given. When all of an opening's have, they are kept.
std::vector<Narrow> find_narrow(const Domain& domain, const Features& f, double width) {
    const Surface& s = domain.boundary;
    std::vector<double> area(f.n_patches, 0), border(f.n_patches, 0);
    std::vector<Index> zone(f.n_patches, 0);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        area[f.patch_of[t]] += length(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2))) / 2;
        zone[f.patch_of[t]] = s.zone_of[t];
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
            if (f.curve_at({std::min(a, b), std::max(a, b)}) != kNone)
                border[f.patch_of[t]] += distance(s.points[a], s.points[b]);
        }
    }
    std::vector<Narrow> narrow(f.n_patches, Narrow::no);
    std::vector<char> has_wide(s.zones.size(), 0);
    for (Index p = 0; p < f.n_patches; ++p) {
        if (2 * area[p] < width * border[p])
            narrow[p] = Narrow::sliver;
        else
            has_wide[zone[p]] = 1;
    }
    auto is_opening = [](Role role) { return role != Role::wall && role != Role::interface_ && role != Role::baffle; };
    for (Index p = 0; p < f.n_patches; ++p)
        if (has_wide[zone[p]] == 0 && is_opening(s.zones[zone[p]].role)) narrow[p] = Narrow::kept;
    return narrow;
}

/// One round on a domain: slivers are zipped up, then short curves contracted. While it lasts, the zone of a triangle
/// is its patch.
class Round {
  public:
    /// `carried`: of each point, how far the farthest of those that went into it has come; kept up to date.
    Round(const Domain& domain, const Features& features, double width, std::vector<double>& carried)
        : domain_(domain),
          features_(features),
          width_(width),
          narrow_(find_narrow(domain, features, width)),
          surface_(labelled(domain, features)),
          loose_(surface_, width),
          carried_(carried) {}

    bool has_work() const {
        return std::find(narrow_.begin(), narrow_.end(), Narrow::sliver) != narrow_.end() ||
               std::any_of(features_.curves.begin(), features_.curves.end(),
                           [this](const FeatureCurve& c) { return is_short(c); });
    }

    bool run(AbsorbReport& report) {
        bool has_changed = zip_slivers();
        for (const FeatureCurve& curve : features_.curves)
            if (is_short(curve) && contract(curve)) {
                ++report.edges;
                has_changed = true;
            }
        if (loose_.largest_move() > report.largest_move) {
            report.largest_move = loose_.largest_move();
            report.largest_move_at = loose_.largest_move_at();
        }
        return has_changed;
    }

    Domain result(AbsorbReport& report) {
        std::vector<std::size_t> before(features_.n_patches, 0), after(features_.n_patches, 0);
        for (const Index patch : features_.patch_of) ++before[patch];
        keep_used(carried_);
        loose_.finish();
        for (const Index patch : surface_.zone_of) ++after[patch];
        for (Index p = 0; p < features_.n_patches; ++p) {
            if (narrow_[p] != Narrow::sliver) continue;
            report.faces += after[p] == 0 ? 1 : 0;
            report.narrowed += after[p] > 0 && after[p] < before[p] ? 1 : 0;
        }
        Domain out;
        out.regions = domain_.regions;
        out.periodic = domain_.periodic;
        out.leftovers = domain_.leftovers;
        out.left_out = domain_.left_out;
        std::vector<Index> example(features_.n_patches);
        for (Index t = 0; t < features_.patch_of.size(); ++t) example[features_.patch_of[t]] = t;
        out.sides.reserve(surface_.triangles.size());
        for (Index& label : surface_.zone_of) {
            const Index t = example[label];
            out.sides.push_back(domain_.sides[t]);
            label = domain_.boundary.zone_of[t];
        }
        surface_.zones = domain_.boundary.zones;
        drop_empty_zones(surface_, report);
        out.boundary = std::move(surface_);
        out.uncut = domain_.uncut;
        out.uncut_of = nearest_uncut(out.boundary);
        return out;
    }

  private:
    static Surface labelled(const Domain& domain, const Features& features) {
        Surface s = domain.boundary;
        s.zone_of = features.patch_of;
        return s;
    }

    /// Of each triangle, what the one nearest to it was a piece of.
    std::vector<Index> nearest_uncut(const Surface& now) const {
        std::vector<Index> uncut_of;
        if (domain_.uncut_of.empty()) return uncut_of;
        const TriangleTree tree(domain_.boundary.points, domain_.boundary.triangles);
        for (Index t = 0; t < now.triangles.size(); ++t)
            uncut_of.push_back(
                domain_
                    .uncut_of[tree.closest((now.corner(t, 0) + now.corner(t, 1) + now.corner(t, 2)) / 3.0).triangle]);
        return uncut_of;
    }

    /// Points without triangles are about to be left out; the others stay in order.
    void keep_used(std::vector<double>& of_points) const {
        std::vector<char> is_used(of_points.size(), 0);
        for (Index t = 0; t < surface_.triangles.size(); ++t)
            if (loose_.is_alive(t))
                for (const Index p : surface_.triangles[t]) is_used[p] = 1;
        std::size_t n = 0;
        for (std::size_t p = 0; p < of_points.size(); ++p)
            if (is_used[p] != 0) of_points[n++] = of_points[p];
        of_points.resize(n);
    }

    static void drop_empty_zones(Surface& s, AbsorbReport& report) {
        std::vector<Index> number(s.zones.size(), kNone);
        for (const Index z : s.zone_of) number[z] = 0;
        std::vector<Zone> kept;
        for (Index z = 0; z < number.size(); ++z) {
            if (number[z] == kNone) {
                report.zones.push_back(s.zones[z].name);
                continue;
            }
            number[z] = static_cast<Index>(kept.size());
            kept.push_back(s.zones[z]);
        }
        s.zones = std::move(kept);
        for (Index& z : s.zone_of) z = number[z];
    }

    bool is_short(const FeatureCurve& curve) const {
        return curve.points.front() != curve.points.back() && length_of(domain_.boundary, curve) < width_;
    }

    bool is_narrow(Index t) const {
        return loose_.is_alive(t) && narrow_[surface_.zone_of[t]] == Narrow::sliver && loose_.height_of(t) < width_;
    }

    bool zip_slivers() {
        bool has_changed = false;
        for (int pass = 0; pass < kMostPasses; ++pass) {
            std::vector<std::pair<double, Index>> narrow;
            for (Index t = 0; t < surface_.triangles.size(); ++t)
                if (is_narrow(t)) narrow.emplace_back(loose_.height_of(t), t);
            std::sort(narrow.begin(), narrow.end());
            bool has_gone = false;
            for (const auto& [h, t] : narrow)
                if (is_narrow(t) && remove(t)) has_gone = true;
            if (!has_gone) break;
            has_changed = true;
        }
        return has_changed;
    }

    bool remove(Index t) {
        const Triangle c = surface_.triangles[t];
        const std::size_t k = loose_.shortest_side(t);
        return contract(c[k], c[(k + 1) % 3]) || loose_.put_into_edge(t);
    }

    bool contract(const FeatureCurve& curve) {
        bool is_gone = true;
        for (std::size_t i = 0; i + 1 < curve.points.size(); ++i) {
            // What went before may have taken the segment along.
            const Index a = curve.points[i], b = curve.points[i + 1];
            if (!loose_.at_edge(a, b).empty()) is_gone = contract(a, b) && is_gone;
        }
        return is_gone;
    }

    /// Makes one of two neighbours, the one that matters more if they differ.
    bool contract(Index a, Index b) {
        const int rank_a = rank(a), rank_b = rank(b);
        if (rank_a <= rank_b && collapse(a, b)) return true;
        return rank_b <= rank_a && collapse(b, a);
    }

    bool collapse(Index gone, Index kept) {
        const double move = distance(surface_.points[gone], surface_.points[kept]) + carried_[gone];
        if (move > width_) return false;
        for (const Index t : loose_.at_edge(gone, kept))
            if (narrow_[surface_.zone_of[t]] == Narrow::kept) return false;
        if (!loose_.collapse(gone, kept)) return false;
        carried_[kept] = std::max(carried_[kept], move);
        return true;
    }

    /// 0 within a patch, 1 on a border, 2 at a corner of one.
    int rank(Index p) const {
        std::vector<Vec3> along;
        std::vector<Index> seen;
        for (const Index t : loose_.star(p)) {
            if (!loose_.is_alive(t)) continue;
            for (const Index q : surface_.triangles[t]) {
                if (q == p || std::find(seen.begin(), seen.end(), q) != seen.end()) continue;
                seen.push_back(q);
                const auto at = loose_.at_edge(p, q);
                const bool is_border = at.size() != 2 || surface_.zone_of[at[0]] != surface_.zone_of[at[1]] ||
                                       loose_.is_feature({std::min(p, q), std::max(p, q)});
                if (is_border) along.push_back(normalized(surface_.points[q] - surface_.points[p]));
            }
        }
        if (along.empty()) return 0;
        return along.size() == 2 && dot(along[0], along[1]) < -kCornerCosine ? 1 : 2;
    }

    const Domain& domain_;
    const Features& features_;
    double width_;
    std::vector<Narrow> narrow_;
    Surface surface_;
    LooseTriangles loose_;
    std::vector<double>& carried_;
};

void check_crossings(const Surface& s, double width) {
    const auto pairs = find_self_intersections(s.points, s.triangles);
    if (pairs.empty()) return;
    const Index t = pairs.front()[0];
    const Vec3 p = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
    throw GeometryError(
        fmt::format("taking out details narrower than {:.6g} m makes the surface cross itself near [{:.6g}, {:.6g}, "
                    "{:.6g}] m (zone \"{}\"); ask for less",
                    width, p.x, p.y, p.z, s.zones[s.zone_of[t]].name));
}

/// By the theorem of Gauss, from the triangles that bound each region.
void measure_volumes(Domain& domain) {
    const Surface& s = domain.boundary;
    std::vector<double> volume(domain.regions.size(), 0);
    const Vec3 origin = s.bounds().lo;
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const double v = dot(s.corner(t, 0) - origin, cross(s.corner(t, 1) - origin, s.corner(t, 2) - origin)) / 6;
        if (domain.sides[t][1] != kNone) volume[domain.sides[t][1]] += v;
        if (domain.sides[t][0] != kNone) volume[domain.sides[t][0]] -= v;
    }
    for (std::size_t r = 0; r < volume.size(); ++r) domain.regions[r].volume = volume[r];
    domain.volume = std::accumulate(volume.begin(), volume.end(), 0.0);
}

void require_regions_left(const Domain& before, const Domain& after, double width) {
    std::vector<bool> is_left(before.regions.size(), false);
    for (const auto& sides : after.sides)
        for (const Index region : sides)
            if (region != kNone) is_left[region] = true;
    const auto gone = static_cast<std::size_t>(std::find(is_left.begin(), is_left.end(), false) - is_left.begin());
    if (gone < is_left.size())
        throw GeometryError(fmt::format(
            "region \"{}\" is narrower everywhere than the details to be taken out, {:.3g} m: nothing is left of it",
            before.regions[gone].name, width));
}

}  // namespace

Domain absorb_details(const Domain& domain, const AbsorbOptions& options, AbsorbReport* report,
                      const Context& context) {
    if (!(options.width > 0) || !std::isfinite(options.width))
        throw InputError(
            fmt::format("the width of details to absorb must be a positive length; it is {} m", options.width));
    AbsorbReport own;
    AbsorbReport& r = report != nullptr ? *report : own;
    r = {};
    Domain now = domain;
    std::vector<double> carried(domain.boundary.points.size(), 0);
    bool has_changed = false;
    for (int n = 0; n < kMostRounds; ++n) {
        context.check_stop();
        const Features features = shape::find_features(now, options.feature_angle);
        Round round(now, features, options.width, carried);
        if (!round.has_work() || !round.run(r)) break;
        now = round.result(r);
        has_changed = true;
    }
    if (!has_changed) return now;
    require_regions_left(domain, now, options.width);
    check_crossings(now.boundary, options.width);
    measure_volumes(now);
    return now;
}

}  // namespace anvilcast
