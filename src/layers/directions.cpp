#include "layers/directions.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <queue>

#include "layers/repeat.hpp"

namespace anvilcast::layers {
namespace {

/// A column is at most so much longer than the height that it keeps over its walls.
constexpr double kLongestStep = 2.5;
constexpr double kSteep = 2, kLeastShare = 0.35;
/// Below this cosine to a face nothing grows.
constexpr double kLeastVisible = 0.08;
/// Feet whose faces' normals are within this cosine of the direction are smooth.
constexpr double kSmooth = 0.94;
/// The lean of an edge fades over this many heights, and is gone after kFaded times that.
constexpr double kFade = 2.5, kFaded = 3.5;
/// Where one of two sides that repeat bends by just enough for an edge, and the other by just too little, both do: by
/// so many degrees less is enough then.
constexpr double kBothBend = 0.5;
/// Normals closer than this are one.
constexpr double kSame = 0.9998;

double least_dot(const Vec3& d, std::span<const Vec3> normals) {
    double least = 1;
    for (const Vec3& n : normals) least = std::min(least, dot(d, n));
    return least;
}

void keep_if_better(const Vec3& candidate, std::span<const Vec3> normals, Vec3& best, double& least) {
    const double l = length(candidate);
    if (!(l > 1e-12)) return;
    const double value = least_dot(candidate / l, normals);
    if (value > least) {
        least = value;
        best = candidate / l;
    }
}

/// The centre of the smallest cap, stepwise (Badoiu & Clarkson 2003).
Vec3 most_normal_stepwise(std::span<const Vec3> normals) {
    Vec3 d = normals[0];
    for (int i = 1; i < 200; ++i) {
        const Vec3* worst = &normals[0];
        for (const Vec3& n : normals)
            if (dot(d, n) < dot(d, *worst)) worst = &n;
        d = normalized(d + (*worst - d) * (1.0 / (i + 1)));
    }
    return d;
}

Vec3 without(const Vec3& v, const Vec3& unit) { return v - unit * dot(v, unit); }

class Finder {
  public:
    Finder(const Wall& wall, const std::vector<double>& height, const Repeats& repeats, double feature_angle_deg,
           const Context& context)
        : wall_(wall),
          height_(height),
          repeats_(repeats),
          feature_(std::cos(feature_angle_deg * std::numbers::pi / 180)),
          nearly_feature_(std::cos((feature_angle_deg - kBothBend) * std::numbers::pi / 180)),
          context_(context),
          out_(wall.feet.size()),
          normal_(wall.feet.size()) {}

    std::vector<Direction> find() {
        const std::size_t n = wall_.feet.size();
        tbb::parallel_for(std::size_t{0}, n, [this](std::size_t f) { find_base(static_cast<Index>(f), feature_); });
        for (const auto& family : repeats_.families())
            if (std::any_of(family.begin(), family.end(),
                            [this](Index f) { return out_[f].shoreline == Shoreline::edge; }))
                for (const Index f : family)
                    if (out_[f].shoreline == Shoreline::plane) find_base(f, nearly_feature_);
        tbb::parallel_for(std::size_t{0}, n, [this](std::size_t f) { find_in_fan(static_cast<Index>(f)); });
        find_centers();
        repeat_bases();
        // The ends of a fan hold it up: they do not lean.
        for (const Foot& foot : wall_.feet)
            for (const Index end : foot.fan)
                if (end != kNone) out_[end].is_fixed = true;
        context_.check_stop();
        lean();
        return std::move(out_);
    }

  private:
    struct Group {
        Index zone;
        std::vector<Corner> corners;
        Vec3 normal;
    };

    bool is_shore_open(Index f, Index side) const {
        return wall_.feet[f].is_shared || wall_.mesh->sides[side / 2][1 - (side & 1U)] == kNone;
    }

    /// The unlayered sides at a foot, in smooth pieces of one zone.
    std::vector<Group> groups_of(Index f, double feature) const {
        std::vector<Group> groups;
        for (const Corner c : wall_.shores_of(f)) {
            const Index side = Wall::side_of(c);
            const Vec3& n = wall_.normal_of_side[side];
            const bool goes_on = !groups.empty() && groups.back().zone == wall_.zone_of(side) &&
                                 dot(n, wall_.normal_of_side[Wall::side_of(groups.back().corners.back())]) > feature;
            if (!goes_on) groups.push_back({wall_.zone_of(side), {}, {}});
            groups.back().corners.push_back(c);
            groups.back().normal += n;
        }
        for (Group& g : groups) g.normal = normalized(g.normal);
        return groups;
    }

    /// Sets the shoreline and returns whether there is a way along it.
    bool find_shoreline(Index f, double feature, Direction& d, Vec3& along) const {
        const std::vector<Group> groups = groups_of(f, feature);
        if (groups.empty()) return true;
        d.shoreline = Shoreline::blocked;
        d.limit = LayerLimit::corner_of_zone;
        for (const Corner c : wall_.shores_of(f))
            if (!is_shore_open(f, Wall::side_of(c))) return false;
        if (groups.size() > 2) return false;
        d.shore = groups[0].corners.back();
        d.shore_normal = groups[0].normal;
        if (groups.size() == 1) {
            d.shoreline = Shoreline::plane;
        } else {
            // The groups follow each other round the point, or the wall is between them on both sides.
            if (wall_.ccw(d.shore) != groups[1].corners.front()) return false;
            const Corner e = Wall::ccw_edge(d.shore);
            const Corner other = wall_.point_of(e) == wall_.point_of(d.shore) ? Wall::next(e) : e;
            along = wall_.mesh->surface.points[wall_.point_of(other)] - wall_.place_of(f);
            d.shoreline = Shoreline::edge;
        }
        d.limit = LayerLimit::none;
        return true;
    }

    /// In the plane with a normal, the direction that all faces see best.
    static Vec3 most_normal_in_plane(std::span<const Vec3> normals, const Vec3& plane) {
        Vec3 best{};
        double least = -2;
        for (const Vec3& n : normals) keep_if_better(without(n, plane), normals, best, least);
        for (std::size_t i = 0; i < normals.size(); ++i)
            for (std::size_t j = 0; j < i; ++j) {
                const Vec3 c = cross(plane, normals[i] - normals[j]);
                keep_if_better(c, normals, best, least);
                keep_if_better(-c, normals, best, least);
            }
        return best;
    }

    static void scale(Direction& d, const Vec3& unit, std::span<const Vec3> normals) {
        const double least = least_dot(unit, normals);
        if (least < kLeastVisible) {
            d.step = {};
            if (d.limit == LayerLimit::none) d.limit = LayerLimit::sharp_edge;
            return;
        }
        d.step = unit * std::min(1 / least, kLongestStep);
        if (1 / least > kLongestStep) d.limit = LayerLimit::sharp_edge;
    }

    void find_base(Index f, double feature) {
        Direction& d = out_[f];
        d = {};
        if (wall_.feet[f].fan[0] != kNone || wall_.feet[f].is_center) return;
        std::vector<Vec3> normals;
        Vec3 mean{};
        for (const Corner c : wall_.corners_of(f)) {
            const Vec3& n = wall_.normal_of_side[Wall::side_of(c)];
            mean += n * angle_at(c);
            if (std::none_of(normals.begin(), normals.end(), [&n](const Vec3& m) { return dot(m, n) > kSame; }))
                normals.push_back(n);
        }
        // Beyond a side that repeats the wall goes on.
        for (const Vec3& weighted : repeats_.normals_beyond(f)) {
            mean += weighted;
            const Vec3 n = normalized(weighted);
            if (std::none_of(normals.begin(), normals.end(), [&n](const Vec3& m) { return dot(m, n) > kSame; }))
                normals.push_back(n);
        }
        mean = normalized(mean);
        normal_[f] = mean;
        if (wall_.feet[f].is_dead_end) {
            d.is_fixed = true;
            d.limit = LayerLimit::sharp_edge;
            return;
        }
        Vec3 along;
        if (!find_shoreline(f, feature, d, along)) return;
        if (d.shoreline == Shoreline::edge) {
            d.is_fixed = true;
            scale(d, normalized(along), normals);
        } else if (d.shoreline == Shoreline::plane) {
            const Vec3 unit = most_normal_in_plane(normals, d.shore_normal);
            scale(d, unit, normals);
            d.is_fixed = normals.size() > 1 && least_dot(normalized(without(mean, d.shore_normal)), normals) < kSmooth;
        } else if (least_dot(mean, normals) > kSmooth) {
            d.step = mean;
        } else {
            d.is_fixed = true;
            d.axis = edge_of(normals);
            scale(d, most_normal(normals), normals);
        }
        shorten_in_narrow_edge(f, d, normals);
    }

    /// Where walls meet at less than 60 degrees columns lean by more than they rise: lower ones have less far to go.
    void shorten_in_narrow_edge(Index f, Direction& d, std::span<const Vec3> normals) const {
        if (!d.is_fixed || d.step == Vec3{} || dot(outward(f), d.step) > 0) return;
        const double stretch = 1 / least_dot(normalized(d.step), normals);
        if (stretch > kSteep) d.share = std::max(kLeastShare, (kSteep / stretch) * (kSteep / stretch));
    }

    /// The direction that lies in all faces with these normals; zero when there is none.
    static Vec3 edge_of(std::span<const Vec3> normals) {
        constexpr double kFlat = 0.1;
        Vec3 widest{};
        for (std::size_t i = 0; i < normals.size(); ++i)
            for (std::size_t j = 0; j < i; ++j) {
                const Vec3 c = cross(normals[i], normals[j]);
                if (length_squared(c) > length_squared(widest)) widest = c;
            }
        widest = normalized(widest);
        for (const Vec3& n : normals)
            if (std::abs(dot(n, widest)) > kFlat) return {};
        return widest;
    }

    double angle_at(Corner c) const {
        const auto& p = wall_.mesh->surface.points;
        const Vec3 &at = p[wall_.point_of(c)], &a = p[wall_.point_of(Wall::next(c))],
                   &b = p[wall_.point_of(Wall::previous(c))];
        return std::atan2(length(cross(a - at, b - at)), dot(a - at, b - at));
    }

    /// Away from all faces at the foot.
    Vec3 outward(Index f) const {
        Vec3 sum{};
        const auto& p = wall_.mesh->surface.points;
        const Vec3& at = wall_.place_of(f);
        for (const Corner c : wall_.corners_of(f))
            sum += normalized(midpoint(p[wall_.point_of(Wall::next(c))], p[wall_.point_of(Wall::previous(c))]) - at);
        return normalized(-sum);
    }

    /// From the one end of a fan to the other in equal steps of angle.
    void find_in_fan(Index f) {
        const Foot& foot = wall_.feet[f];
        Direction& d = out_[f];
        if (foot.fan[0] != kNone) {
            const Direction &from = out_[foot.fan[0]], &to = out_[foot.fan[1]];
            const Vec3 a = normalized(from.step), b = normalized(to.step);
            const double angle = std::acos(std::clamp(dot(a, b), -1.0, 1.0));
            const Vec3 side = normalized(without(angle < 2.9 ? b : outward(f), a));
            d = from;
            d.step = a * std::cos(foot.share * angle) + side * std::sin(foot.share * angle);
            if (d.shoreline == Shoreline::plane) d.step = normalized(without(d.step, d.shore_normal));
            if (from.step == Vec3{} || to.step == Vec3{}) d.step = {};
        } else {
            return;
        }
        d.is_fixed = true;
        normal_[f] = normalized(d.step);
    }

    /// Where fans meet at a corner: the mean of the directions round the foot in the middle.
    void find_centers() {
        std::vector<Vec3> sum(out_.size());
        for (const LayerStacks::Face& face : wall_.faces) {
            const Index center = face.columns[0];
            if (!wall_.feet[center].is_center) continue;
            for (const Index f : {face.columns[1], face.columns[2]}) sum[center] += normalized(out_[f].step);
        }
        for (Index f = 0; f < out_.size(); ++f) {
            if (!wall_.feet[f].is_center) continue;
            out_[f].step = normalized(sum[f]);
            out_[f].is_fixed = true;
            normal_[f] = out_[f].step;
        }
    }

    /// What is images of each other goes the same way; it goes nowhere where the shores differ.
    void repeat_bases() {
        for (const auto& family : repeats_.families()) {
            const Direction& original = out_[family.front()];
            const bool is_alike = std::all_of(family.begin(), family.end(), [&](Index f) {
                return out_[f].shoreline == original.shoreline && (out_[f].step == Vec3{}) == (original.step == Vec3{});
            });
            for (const Index f : family) {
                if (!is_alike) {
                    out_[f].step = {};
                    out_[f].shoreline = Shoreline::blocked;
                    out_[f].limit = LayerLimit::corner_of_zone;
                    continue;
                }
                const Placement& by = repeats_.by(f);
                normal_[f] = by.direction(normal_[family.front()]);
                out_[f].step = by.direction(original.step);
                out_[f].axis = by.direction(original.axis);
                out_[f].is_fixed = original.is_fixed;
                out_[f].share = original.share;
                out_[f].limit = original.limit;
            }
        }
    }

    /// The mean of all members of a family, for each of them.
    void even_out(std::vector<Vec3>& step) const {
        for (const auto& family : repeats_.families()) {
            Vec3 mean;
            for (const Index f : family)
                mean += inverse(repeats_.by(f)).direction(step[f]) / static_cast<double>(family.size());
            for (const Index f : family) step[f] = repeats_.by(f).direction(mean);
        }
    }

    // ---- leaning ----

    /// What of a vector the foot may take on without losing height over its walls or leaving its shore.
    Vec3 allowed(Index f, const Vec3& v) const {
        if (out_[f].is_fixed) return out_[f].axis * dot(v, out_[f].axis);
        Vec3 u = without(v, normal_[f]);
        if (out_[f].shoreline == Shoreline::plane) {
            const Vec3 m = normalized(without(out_[f].shore_normal, normal_[f]));
            u = without(u, m);
        }
        return u;
    }
    /// No column gets longer than one at an edge may be.
    static Vec3 bounded(const Vec3& lean) {
        const double l = length(lean), most = std::sqrt(kLongestStep * kLongestStep - 1);
        return l > most ? lean * (most / l) : lean;
    }
    bool may_lean(Index f) const {
        const Direction& d = out_[f];
        return (!d.is_fixed || !(d.axis == Vec3{})) && d.shoreline != Shoreline::blocked && !(d.step == Vec3{});
    }

    void lean() {
        const Links link = links_of(wall_);
        const std::vector<Vec3> base = [this] {
            std::vector<Vec3> b(out_.size());
            std::transform(out_.begin(), out_.end(), b.begin(), [](const Direction& d) { return d.step; });
            return b;
        }();
        std::vector<Vec3> step = base;
        std::vector<float> reach(out_.size(), 0);  // of the edge that a foot leans for
        const std::vector<Index> active = lean_from_edges(link, base, step, reach);
        if (active.empty()) return;
        smooth(link, base, active, reach, step);
        for (const Index f : active) out_[f].step = step[f];
    }

    /// First guess: the lean of the nearest edge, faded. Returns the feet that lean, in the order of their numbers.
    std::vector<Index> lean_from_edges(const Links& link, const std::vector<Vec3>& base, std::vector<Vec3>& step,
                                       std::vector<float>& reach) const {
        struct Entry {
            double far;
            Index foot;
            bool operator>(const Entry& o) const { return far != o.far ? far > o.far : foot > o.foot; }
        };
        std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue;
        std::vector<double> far(out_.size(), Box::inf);
        std::vector<Index> active;
        for (Index f = 0; f < out_.size(); ++f) {
            // A column that leans for its shore is an edge's too.
            const bool leans = out_[f].is_fixed ||
                               (out_[f].shoreline == Shoreline::plane && length(without(base[f], normal_[f])) > 0.1);
            if (!leans || base[f] == Vec3{} || !(height_[f] > 0)) continue;
            if (!(out_[f].axis == Vec3{})) active.push_back(f);
            far[f] = 0;
            // The farther it leans, the farther off that has to begin.
            const double lean = std::sqrt(std::max(1.0, length_squared(base[f]) - 1));
            reach[f] = static_cast<float>(kFade * lean * height_[f] * out_[f].share);
            queue.push({0, f});
        }
        while (!queue.empty()) {
            const auto [d, f] = queue.top();
            queue.pop();
            if (d > far[f]) continue;
            if (d > 0) active.push_back(f);
            for (const Index g : link.of(f)) {
                const double l = distance(wall_.place_of(f), wall_.place_of(g));
                // Along an edge what counts is the corner at its end, not its own lean.
                if (!may_lean(g) || far[f] + l >= far[g] || far[f] + l > kFaded * double{reach[f]}) continue;
                far[g] = far[f] + l;
                reach[g] = reach[f];
                step[g] = base[g] + bounded(allowed(g, step[f])) * std::exp(-l / double{reach[f]});
                queue.push({far[g], g});
            }
        }
        for (const auto& family : repeats_.families()) {
            const auto reached = std::find_if(family.begin(), family.end(), [&](Index f) { return reach[f] > 0; });
            if (reached == family.end() || !may_lean(*reached)) continue;
            for (const Index f : family) {
                reach[f] = std::max(reach[f], reach[*reached]);
                active.push_back(f);
            }
        }
        std::sort(active.begin(), active.end());
        active.erase(std::unique(active.begin(), active.end()), active.end());
        even_out(step);
        return active;
    }

    /// Screened Laplacian, pass after pass over all at once.
    void smooth(const Links& link, const std::vector<Vec3>& base, const std::vector<Index>& active,
                const std::vector<float>& reach, std::vector<Vec3>& step) const {
        double spread = 1;  // of a height, in edges
        std::vector<float> screen(active.size());
        for (std::size_t i = 0; i < active.size(); ++i) {
            const Index f = active[i];
            double l = 0;
            for (const Index g : link.of(f)) l += distance(wall_.place_of(f), wall_.place_of(g));
            l /= static_cast<double>(std::max<std::size_t>(1, link.of(f).size()));
            screen[i] = static_cast<float>(1 / (1 + 0.25 * (l / reach[f]) * (l / reach[f])));
            spread = std::max(spread, reach[f] / kFade / std::max(l, 1e-3 * reach[f]));
        }
        const int passes = static_cast<int>(std::clamp(2 * spread * spread, 10.0, 60.0));
        std::vector<Vec3> fresh(active.size());
        for (int pass = 0; pass < passes; ++pass) {
            context_.check_stop();
            tbb::parallel_for(std::size_t{0}, (active.size() + 1023) / 1024, [&](std::size_t block) {
                for (std::size_t i = 1024 * block; i < std::min(active.size(), 1024 * (block + 1)); ++i) {
                    const Index f = active[i];
                    Vec3 sum{};
                    Index n = 0;
                    for (const Index g : link.of(f))
                        if (!(base[g] == Vec3{})) sum += step[g], ++n;
                    if (n == 0) {
                        fresh[i] = step[f];
                        continue;
                    }
                    fresh[i] = base[f] + bounded(allowed(f, sum / n - base[f])) * double{screen[i]};
                }
            });
            for (std::size_t i = 0; i < active.size(); ++i) step[active[i]] = fresh[i];
            even_out(step);
        }
    }

    const Wall& wall_;
    const std::vector<double>& height_;
    const Repeats& repeats_;
    double feature_, nearly_feature_;  // cosines
    const Context& context_;
    std::vector<Direction> out_;
    std::vector<Vec3> normal_;  // mean of each foot's faces, unit
};

}  // namespace

std::vector<Direction> find_directions(const Wall& wall, const std::vector<double>& height, const Repeats& repeats,
                                       double feature_angle_deg, const Context& context) {
    return Finder(wall, height, repeats, feature_angle_deg, context).find();
}

Vec3 most_normal(std::span<const Vec3> normals) {
    if (normals.size() > 8) return most_normal_stepwise(normals);
    Vec3 best{};
    double least = -2;
    for (const Vec3& n : normals) keep_if_better(n, normals, best, least);
    for (std::size_t i = 0; i < normals.size(); ++i)
        for (std::size_t j = 0; j < i; ++j) {
            keep_if_better(normals[i] + normals[j], normals, best, least);
            for (std::size_t k = 0; k < j; ++k) {
                // Alike to three: along the normal of the plane through their tips.
                const Vec3 c = cross(normals[i] - normals[k], normals[j] - normals[k]);
                keep_if_better(c, normals, best, least);
                keep_if_better(-c, normals, best, least);
            }
        }
    return best;
}

}  // namespace anvilcast::layers
