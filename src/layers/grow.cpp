// Columns are given directions and heights, then looked at: cells that would turn over, tops that would cross, zones
// beside the walls that leave no room. What is wrong takes the room from the columns concerned, and it is done again;
// rooms only shrink, and a column without room has no layers, so that it ends.

#include <anvilcast/errors.hpp>
#include <anvilcast/layers.hpp>
#include <anvilcast/predicates.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/thread_limit.hpp"
#include "geometry/triangle_shape.hpp"
#include "layers/assignment.hpp"
#include "layers/repeat.hpp"
#include "layers/shore.hpp"

namespace anvilcast {
namespace layers {
namespace {

constexpr double kFeatureAngle = 30;  // degrees
/// What is in the way takes this share of a column's height at a time; after kPatience rounds all of it.
constexpr double kLess = 0.75;
constexpr int kPatience = 25, kMostRounds = 80;
/// For the first kTidyRounds attempts a top's smallest angle must keep this share of its wall's, or have this sine.
constexpr double kLeastShare = 0.4, kLeastSine = 0.28;
constexpr int kTidyRounds = 12;
/// The pyramids on a fan round it off: with this share of the height that would put their sides in line.
constexpr double kCapShare = 0.85;
/// Where that is too low to see all corners of a skew top, so many times what would just do.
constexpr double kOverCorners = 1.5;
/// Of a cell, six times, in cubes of its length: what is less is rounding.
constexpr double kLeastVolume = 1e-9;

/// Everything that one attempt needs.
class Grower {
  public:
    Grower(const SurfaceMesh& mesh, const SizeField& sizes, const LayerRequest& request, const Context& context,
           const LayerStacks* earlier)
        : mesh_(mesh),
          sizes_(sizes),
          context_(context),
          assignment_(assign(mesh.surface, mesh.sides, mesh.regions, sizes, request)) {
        FanOptions fans;
        fans.height_in_sizes.assign(assignment_.recipe_of_side.size(), 0);
        for (std::size_t side = 0; side < fans.height_in_sizes.size(); ++side)
            if (const Index z = assignment_.stack_of_side[side]; z != kNone)
                fans.height_in_sizes[side] = assignment_.stacks[z].total / assignment_.size_of_stack[z];
        wall_ = find_wall(mesh, assignment_.recipe_of_side, fans);
        repeats_.emplace(wall_);
        repeats_->join_umbrellas(wall_);
        asked_ = ask(wall_, sizes, request.recipes, assignment_.stacks, assignment_.stack_of_side);
        make_equal(*repeats_, asked_);
        context.report("layers", "directions", 0.1);
        std::vector<double> height(wall_.feet.size());
        std::transform(asked_.stack.begin(), asked_.stack.end(), height.begin(),
                       [](const LayerStack& s) { return s.total; });
        directions_ = find_directions(wall_, height, *repeats_, kFeatureAngle, context);
        context.report("layers", "gaps", 0.3);
        room_ = rooms_in_gaps(wall_, directions_, asked_);
        why_.assign(room_.size(), LayerLimit::narrow_gap);
        for (std::size_t f = 0; f < room_.size(); ++f) {
            const double high = directions_[f].share * asked_.stack[f].total;
            if (directions_[f].share == 1 || room_[f] <= high) continue;
            room_[f] = high;
            why_[f] = LayerLimit::sharp_edge;
        }
        if (earlier != nullptr) take_rooms_of(*earlier);
        for (std::size_t f = 0; f < room_.size(); ++f)
            for (const Ball& ball : request.bare)
                if (distance(wall_.place_of(static_cast<Index>(f)), ball.center) <= ball.radius) {
                    room_[f] = 0;
                    why_[f] = LayerLimit::fill;
                }
        make_rooms_equal();
        shores_ = std::make_unique<Shores>(wall_, directions_, kFeatureAngle);
    }

    LayerStacks grow() {
        for (round_ = 0; round_ < kMostRounds; ++round_) {
            context_.report("layers", "columns", 0.4 + 0.5 * round_ / kMostRounds);
            Settled before = std::exchange(settled_, settle(wall_, directions_, asked_, room_, why_, *repeats_));
            find_changed(before);
            if (place_levels() && are_cells_valid() && cut_shores() && is_core_sound()) {
                describe();
                return std::move(out_);
            }
        }
        throw FailureError(
            fmt::format("the layers did not come to rest after {} attempts; leave them out on some walls, or ask for "
                        "lower ones",
                        kMostRounds));
    }

  private:
    /// What repeats has as much room as where there is least.
    void make_rooms_equal() {
        for (const Index f : repeats_->alone()) {
            room_[f] = 0;
            why_[f] = LayerLimit::corner_of_zone;
        }
        for (const auto& family : repeats_->families()) {
            const Index least = *std::min_element(family.begin(), family.end(),
                                                  [this](Index f, Index g) { return room_[f] < room_[g]; });
            for (const Index f : family) {
                room_[f] = room_[least];
                why_[f] = why_[least];
            }
        }
    }

    /// Columns are numbered by the wall and the recipes, which are the same.
    void take_rooms_of(const LayerStacks& earlier) {
        for (std::size_t f = 0; f < room_.size(); ++f) {
            const LayerStacks::Column& c = earlier.columns[f];
            if (c.room >= room_[f]) continue;
            room_[f] = c.room;
            why_[f] = c.limit;
        }
    }

    /// Columns that are as they were when cells were last looked at, and faces between such, need no second look.
    void find_changed(const Settled& before) {
        has_changed_.resize(wall_.feet.size(), 1);
        if (before.stack.empty()) return;
        for (std::size_t f = 0; f < has_changed_.size(); ++f) {
            const LayerStack &a = before.stack[f], &b = settled_.stack[f];
            if (a.count != b.count || a.first != b.first || a.growth != b.growth) has_changed_[f] = 1;
        }
    }

    static constexpr char kGood = 0, kInvalid = 1, kNeedle = 2;

    int count(Index f) const { return settled_.stack[f].count; }

    /// Takes room from a column; false, for use at the end of a check.
    void shrink(Index f, LayerLimit limit) {
        const double now = std::min(room_[f], settled_.stack[f].total);
        room_[f] = round_ < kPatience && count(f) > 0 ? kLess * now : 0;
        why_[f] = limit;
    }
    bool shrink_all(std::vector<Index> feet, LayerLimit limit) {
        if (!repeats_->empty()) {
            const std::vector<Index> given = std::exchange(feet, {});
            for (const Index f : given)
                for (const Index g : repeats_->family_of(f)) feet.push_back(g);
        }
        std::sort(feet.begin(), feet.end());
        feet.erase(std::unique(feet.begin(), feet.end()), feet.end());
        for (const Index f : feet) shrink(f, limit);
        return feet.empty();
    }

    bool place_levels() {
        const auto n = static_cast<Index>(wall_.feet.size());
        out_.columns.assign(n, {});
        Index total = 0;
        for (Index f = 0; f < n; ++f) {
            out_.columns[f] = {wall_.feet[f].point, total, static_cast<Index>(count(f)), kNone, room_[f], why_[f]};
            total += out_.columns[f].count;
        }
        out_.levels.assign(total, {});
        top_.assign(n, {});
        std::vector<char> has_failed(n, 0);
        tbb::parallel_for(std::size_t{0}, std::size_t{n}, [&](std::size_t k) {
            const auto f = static_cast<Index>(k);
            for (int level = 1; level <= count(f); ++level) {
                const auto p = shores_->place(f, settled_.stack[f].height(level));
                has_failed[f] |= static_cast<char>(!p);
                out_.levels[out_.columns[f].first + static_cast<Index>(level) - 1] = p.value_or(wall_.place_of(f));
            }
            top_[f] = count(f) > 0 ? out_.levels[out_.columns[f].first + out_.columns[f].count - 1] : wall_.place_of(f);
        });
        for (const auto& family : repeats_->families())
            for (const Index f : family) repeat_levels(family.front(), f);
        std::vector<Index> failed;
        for (Index f = 0; f < n; ++f)
            if (has_failed[f] != 0) failed.push_back(f);
        return shrink_all(std::move(failed), LayerLimit::corner_of_zone);
    }

    void repeat_levels(Index original, Index f) {
        if (f == original) return;
        const LayerStacks::Column &from = out_.columns[original], &to = out_.columns[f];
        for (Index k = 0; k < to.count; ++k) out_.levels[to.first + k] = repeats_->by(f)(out_.levels[from.first + k]);
        if (to.count > 0) top_[f] = out_.levels[to.first + to.count - 1];
    }

    const Vec3& level(Index f, Index k) const { return out_.level(out_.columns[f], k, mesh_.surface.points); }

    /// All corners of all cells over the face turn the right way.
    bool is_valid(const LayerStacks::Face& face) const {
        const std::size_t m = face.is_quad() ? 4 : 3;
        Index most = 0;
        for (std::size_t i = 0; i < m; ++i) most = std::max(most, out_.columns[face.columns[i]].count);
        for (Index k = 0; k < most; ++k)
            for (std::size_t i = 0; i < m; ++i) {
                auto at = [&](std::size_t j, Index level_number) -> const Vec3& {
                    const Index f = face.columns[j % m];
                    return level(f, std::min(level_number, out_.columns[f].count));
                };
                // At each corner: the two beside it, and the way up.
                const Vec3 &here = at(i, k), &up = at(i, k + 1), &after = at(i + 1, k), &before = at(i + m - 1, k),
                           &after_up = at(i + 1, k + 1), &before_up = at(i + m - 1, k + 1);
                // Where fanned-out columns stand on one point a corner has no width; the upper one tells, and the
                // volume.
                const bool is_closed = here == after || here == before || after == before;
                if (here == up) {
                    // The column has ended: where one beside it goes on, a prism on its side has a corner here.
                    const bool after_goes_on = after != after_up, before_goes_on = before != before_up;
                    if (!is_closed && after_goes_on != before_goes_on &&
                        orient3d(here, after, before, after_goes_on ? after_up : before_up) <= 0)
                        return false;
                    continue;
                }
                if (orient3d(up, after_up, before_up, here) >= 0) return false;
                if (is_closed) continue;
                if (orient3d(here, after, before, up) <= 0) return false;
                // The Jacobian along the edge between is a quadratic: its middle coefficient.
                const Vec3 way = up - here;
                if (dot(way, cross(after - here, before_up - up)) + dot(way, cross(after_up - up, before - here)) <= 0)
                    return false;
            }
        return !face.is_quad() || has_first_cell_of_fan_volume(face);
    }

    /// Lowest in a fan's strip is a prism on its side: between two triangles that stand on a point each.
    bool has_first_cell_of_fan_volume(const LayerStacks::Face& face) const {
        auto at = [&](std::size_t i, Index k) {
            const Index f = face.columns[i];
            return level(f, std::min(k, out_.columns[f].count)) - level(face.columns[0], 0);
        };
        const std::array<Vec3, 3> a{at(0, 0), at(3, 1), at(0, 1)}, b{at(1, 0), at(2, 1), at(1, 1)};
        // From the first point, by the divergence theorem; sides as the mean of both ways to divide them.
        auto volume6 = [](const Vec3& p, const Vec3& q, const Vec3& r) { return dot(p, cross(q, r)); };
        double sum = volume6(b[0], b[1], b[2]) - volume6(a[0], a[1], a[2]);
        for (std::size_t i = 0; i < 3; ++i) {
            const Vec3 &p = a[i], &q = a[(i + 1) % 3], &r = b[(i + 1) % 3], &s = b[i];
            sum += (volume6(p, q, r) + volume6(p, r, s) + volume6(p, q, s) + volume6(q, r, s)) / 2;
        }
        double longest = 0;
        for (std::size_t i = 0; i < 3; ++i) longest = std::max({longest, length(a[i]), length(b[i])});
        return sum > kLeastVolume * longest * longest * longest;
    }

    /// The core is built on the tops: they must be no needles where the wall has none.
    bool has_good_top(const LayerStacks::Face& face) const {
        if (face.side == kNone) return true;
        const Index a = face.columns[0], b = face.columns[1], c = face.columns[2];
        const double now = geometry::smallest_sine(top_[a], top_[b], top_[c]);
        return now > kLeastSine ||
               now > kLeastShare * geometry::smallest_sine(wall_.place_of(a), wall_.place_of(b), wall_.place_of(c));
    }

    bool are_cells_valid() {
        is_bad_.resize(wall_.faces.size(), 0);
        tbb::parallel_for(std::size_t{0}, is_bad_.size(), [&](std::size_t i) {
            const LayerStacks::Face& face = wall_.faces[i];
            if (std::none_of(face.columns.begin(), face.columns.end(),
                             [this](Index f) { return f != kNone && has_changed_[f] != 0; }) &&
                (is_bad_[i] == 0 || round_ != kTidyRounds))
                return;
            is_bad_[i] = !is_valid(face) ? kInvalid : round_ < kTidyRounds && !has_good_top(face) ? kNeedle : kGood;
        });
        has_changed_.assign(has_changed_.size(), 0);
        std::vector<Index> feet;
        for (std::size_t i = 0; i < is_bad_.size(); ++i) {
            if (is_bad_[i] == kInvalid) add_feet(wall_.faces[i], feet);
            // For its shape alone a top gets lower, but its columns lose no layers.
            if (is_bad_[i] == kNeedle)
                for (const Index f : wall_.faces[i].columns)
                    if (f != kNone && settled_.stack[f].total * kLess > asked_.squeeze_to[f] * asked_.stack[f].total)
                        feet.push_back(f);
        }
        return shrink_all(std::move(feet), LayerLimit::crossing);
    }

    void add_feet(const LayerStacks::Face& face, std::vector<Index>& feet) const {
        for (const Index f : face.columns)
            if (f != kNone && count(f) > 0) feet.push_back(f);
    }

    /// Sizes near the walls as the tops are: where those are drawn together the shore is finer too.
    bool cut_shores() {
        cut_ = shores_->cut(settled_.stack, top_, shores_as_they_are_, sizes_, context_);
        if (cut_.failed.empty()) cut_.failed = repeats_->repeat_shores(cut_);
        return shrink_all(cut_.failed, LayerLimit::corner_of_zone);
    }

    /// Puts the core's boundary together.
    void make_core() {
        SurfaceMesh& core = out_.core;
        core = {};
        core.surface.points = cut_.points;
        core.surface.zones = mesh_.surface.zones;
        core.regions = mesh_.regions;
        core.periodic = mesh_.periodic;
        out_.face_of_core.clear();
        out_.wall_of_core.clear();
        for (Index f = 0; f < wall_.feet.size(); ++f) {
            LayerStacks::Column& c = out_.columns[f];
            if (c.count == 0) {
                c.top = c.point;
            } else if (cut_.top_of_foot[f] != kNone) {
                c.top = cut_.top_of_foot[f];
            } else {
                c.top = static_cast<Index>(core.surface.points.size());
                core.surface.points.push_back(top_[f]);
            }
        }
        out_.faces = wall_.faces;
        // Without any layer a face of the wall stays in the core's boundary as what it is.
        is_covered_.assign(2 * mesh_.surface.triangles.size(), 0);
        for (const LayerStacks::Face& face : out_.faces)
            if (face.side != kNone)
                is_covered_[face.side] =
                    static_cast<char>(count(face.columns[0]) + count(face.columns[1]) + count(face.columns[2]) > 0);
        for (Index i = 0; i < out_.faces.size(); ++i)
            if (out_.faces[i].side == kNone || is_covered_[out_.faces[i].side] != 0) add_top(i);
        for (Index t = 0; t < mesh_.surface.triangles.size(); ++t) add_bare(t);
        for (std::size_t i = 0; i < cut_.triangles.size(); ++i) {
            const Index t = cut_.origin[i];
            add_core(cut_.triangles[i], mesh_.surface.zone_of[t], mesh_.sides[t], kNone, t);
        }
        list_core_points();
    }

    void add_core(const Triangle& c, Index zone, const std::array<Index, 2>& sides, Index face, Index wall) {
        out_.core.surface.triangles.push_back(c);
        out_.core.surface.zone_of.push_back(zone);
        out_.core.sides.push_back(sides);
        out_.face_of_core.push_back(face);
        out_.wall_of_core.push_back(wall);
    }

    /// The sides of a triangle that no layers cover and no strip concerns.
    void add_bare(Index t) {
        if (!shores_->empty() && shores_->has(t)) return;
        auto [front, behind] = mesh_.sides[t];
        if (is_covered_[front_of(t)] != 0) front = kNone;
        if (is_covered_[back_of(t)] != 0) behind = kNone;
        if (front != kNone || behind != kNone)
            add_core(mesh_.surface.triangles[t], mesh_.surface.zone_of[t], {front, behind}, kNone, t);
    }

    /// The top of a face, seen from the core: its normal points back to the wall.
    void add_top(Index i) {
        LayerStacks::Face& face = out_.faces[i];
        const std::array<Index, 2> sides{kNone, face.region};
        const Index zone = face.side != kNone ? mesh_.surface.zone_of[face.side / 2] : kNone;
        std::vector<Index> tops;
        const std::size_t m = face.is_quad() ? 4 : 3;
        for (std::size_t k = 0; k < m; ++k) {
            const Index p = out_.columns[face.columns[k]].top;
            if (tops.empty() || (tops.back() != p && tops.front() != p)) tops.push_back(p);
        }
        const Index any_zone = zone != kNone ? zone : zone_near(face);
        if (tops.size() < 3) return;
        if (tops.size() == 3) {
            add_core({tops[0], tops[2], tops[1]}, any_zone, sides, i, kNone);
            return;
        }
        const auto& p = out_.core.surface.points;
        const Vec3 up =
            triangle_normal(p[tops[0]], p[tops[1]], p[tops[2]]) + triangle_normal(p[tops[0]], p[tops[2]], p[tops[3]]);
        const Vec3& foot = mesh_.surface.points[out_.columns[face.columns[0]].point];
        const Vec3 first = normalized(p[tops[0]] - foot), last = normalized(p[tops[3]] - foot);
        const double half_turn = 0.5 * std::acos(std::clamp(dot(first, last), -1.0, 1.0));
        const double height = kCapShare * 0.5 * distance(p[tops[0]], p[tops[3]]) * std::tan(half_turn);
        const Vec3 middle = (p[tops[0]] + p[tops[1]] + p[tops[2]] + p[tops[3]]) / 4.0;
        const Vec3 apex = middle + normalized(up) * std::max(height, height_over_corners(tops, middle, normalized(up)));
        face.apex = static_cast<Index>(p.size());
        out_.core.surface.points.push_back(apex);
        for (std::size_t k = 0; k < 4; ++k)
            add_core({tops[(k + 1) % 4], tops[k], face.apex}, any_zone, sides, i, kNone);
    }

    /// Above the middle of a skew quadrangle of the core, so that all its corners are seen from there.
    double height_over_corners(const std::vector<Index>& quad, const Vec3& middle, const Vec3& up) const {
        const auto& p = out_.core.surface.points;
        double height = 0;
        for (std::size_t k = 0; k < 4; ++k) {
            const Vec3 &corner = p[quad[k]],
                       normal = triangle_normal(p[quad[(k + 3) % 4]], corner, p[quad[(k + 1) % 4]]);
            if (const double rise = dot(normal, up); rise > 0)
                height = std::max(height, dot(normal, corner - middle) / rise);
        }
        return kOverCorners * height;
    }

    Index zone_near(const LayerStacks::Face& face) const {
        for (const Index f : face.columns)
            if (f != kNone && !wall_.corners_of(f).empty())
                return wall_.zone_of(Wall::side_of(wall_.corners_of(f).front()));
        return 0;
    }

    /// Drops the points that the core does not use, and notes where those of the surface mesh went.
    void list_core_points() {
        Surface& s = out_.core.surface;
        std::vector<Index> now(s.points.size(), kNone);
        std::vector<Vec3> points;
        for (Triangle& t : s.triangles)
            for (Index& p : t) {
                if (now[p] == kNone) {
                    now[p] = static_cast<Index>(points.size());
                    points.push_back(s.points[p]);
                }
                p = now[p];
            }
        s.points = std::move(points);
        for (LayerStacks::Column& c : out_.columns) c.top = now[c.top];
        for (LayerStacks::Face& f : out_.faces)
            if (f.apex != kNone) f.apex = now[f.apex];
        out_.core_point_of.assign(now.begin(), now.begin() + static_cast<std::ptrdiff_t>(mesh_.surface.points.size()));
    }

    /// Is the pyramid on a face's four tops positive at each of their corners?
    bool is_cap_valid(const LayerStacks::Face& face) const {
        const auto& p = out_.core.surface.points;
        auto top = [&](std::size_t k) -> const Vec3& { return p[out_.columns[face.columns[k % 4]].top]; };
        for (std::size_t k = 0; k < 4; ++k)
            if (orient3d(top(k), top(k + 1), top(k + 2), p[face.apex]) <= 0) return false;
        return true;
    }

    bool is_core_sound() {
        make_core();
        const Surface& s = out_.core.surface;
        std::vector<Index> feet;
        bool is_sound = true;
        for (const LayerStacks::Face& face : out_.faces)
            if (face.apex != kNone && !is_cap_valid(face)) add_feet(face, feet);
        for (const auto& pair : find_self_intersections(s.points, s.triangles)) {
            const std::size_t n = feet.size();
            for (const Index t : pair)
                if (out_.face_of_core[t] != kNone) add_feet(out_.faces[out_.face_of_core[t]], feet);
            if (feet.size() == n) is_sound = !mend_shore(pair, feet) && is_sound;
        }
        return shrink_all(std::move(feet), LayerLimit::crossing) && is_sound;
    }

    /// Where shores cross, they stay as they were; where that is not enough, columns near them get lower. False where
    /// there is nothing to do.
    bool mend_shore(const std::array<Index, 2>& crossing, std::vector<Index>& feet) {
        const Surface& s = out_.core.surface;
        Box box;
        for (const Index t : crossing)
            for (const Index p : s.triangles[t]) box.include(s.points[p]);
        auto holds = [](const Box& b, const Vec3& p) { return b.distance_squared_to(p) == 0; };
        const bool is_new = std::none_of(shores_as_they_are_.begin(), shores_as_they_are_.end(),
                                         [&](const Box& kept) { return holds(kept, box.lo) && holds(kept, box.hi); });
        if (is_new) {
            for (const Box& there : repeats_->with_images(box)) shores_as_they_are_.push_back(there);
            return true;
        }
        const std::size_t n = feet.size();
        for (Index f = 0; f < wall_.feet.size(); ++f)
            if (count(f) > 0 && holds(box, wall_.place_of(f))) feet.push_back(f);
        return feet.size() > n;
    }

    // ---- what came out ----

    void describe() {
        out_.strips = wall_.strips;
        out_.zones = assignment_.zones;
        std::vector<std::map<LayerLimit, std::pair<ZoneLayers::Shortfall, double>>> shortfalls(out_.zones.size());
        for (const LayerStacks::Face& face : out_.faces) {
            if (face.side == kNone) continue;
            const Index z = assignment_.stack_of_side[face.side];
            ZoneLayers& zone = out_.zones[z];
            const Triangle& t = mesh_.surface.triangles[face.side / 2];
            const auto& p = mesh_.surface.points;
            const double area = triangle_area(p[t[0]], p[t[1]], p[t[2]]);
            Index least = kNone, most = 0;
            bool is_squeezed = false;
            LayerLimit limit = LayerLimit::none;
            for (std::size_t k = 0; k < 3; ++k) {
                const Index f = face.columns[k];
                least = std::min(least, out_.columns[f].count);
                most = std::max(most, out_.columns[f].count);
                const bool is_lower = settled_.stack[f].total < asked_.stack[f].total * (1 - 1e-6);
                is_squeezed |= is_lower;
                if (is_lower || directions_[f].limit != LayerLimit::none) limit = std::max(limit, settled_.limit[f]);
            }
            const bool is_full = least >= static_cast<Index>(std::max(1, zone.asked.count));
            if (is_full) zone.full_area += area;
            if (is_full && is_squeezed) zone.squeezed_area += area;
            if (most == 0) zone.bare_area += area;
            if (limit == LayerLimit::none) continue;
            auto& [shortfall, largest] = shortfalls[z][limit];
            shortfall.limit = limit;
            shortfall.area += area;
            if (area > largest) {
                largest = area;
                shortfall.at = (p[t[0]] + p[t[1]] + p[t[2]]) / 3.0;
            }
        }
        for (std::size_t z = 0; z < out_.zones.size(); ++z) {
            for (const auto& [limit, s] : shortfalls[z]) out_.zones[z].shortfalls.push_back(s.first);
            std::stable_sort(out_.zones[z].shortfalls.begin(), out_.zones[z].shortfalls.end(),
                             [](const auto& a, const auto& b) { return a.area > b.area; });
        }
    }

    const SurfaceMesh& mesh_;
    const SizeField& sizes_;
    const Context& context_;
    Assignment assignment_;
    Wall wall_;
    std::optional<Repeats> repeats_;
    Asked asked_;
    std::vector<Direction> directions_;
    std::vector<double> room_;
    std::vector<LayerLimit> why_;
    std::unique_ptr<Shores> shores_;
    Settled settled_;
    std::vector<Vec3> top_;
    Shores::Cut cut_;
    std::vector<Box> shores_as_they_are_;  ///< where what was meshed anew would cross
    std::vector<char> has_changed_;        // of each foot, since cells were last looked at
    std::vector<char> is_bad_;             // of each face
    std::vector<char> is_covered_;         // of each side: a layer stands on it
    LayerStacks out_;
    int round_ = 0;
};

}  // namespace
}  // namespace layers

const char* layer_limit_text(LayerLimit limit) {
    switch (limit) {
        case LayerLimit::none:
            return "as asked for";
        case LayerLimit::slope:
            return "beside a lower stack";
        case LayerLimit::narrow_gap:
            return "narrow gap";
        case LayerLimit::sharp_edge:
            return "sharp edge";
        case LayerLimit::corner_of_zone:
            return "no way along the zones beside it";
        case LayerLimit::crossing:
            return "cells would have crossed, or become needles";
        case LayerLimit::fill:
            return "the fill needed a point within them";
    }
    return "";
}

LayerStacks grow_layers(const SurfaceMesh& surface, const SizeField& sizes, const LayerRequest& request,
                        const Context& context, const LayerStacks* earlier) {
    const ThreadLimit limit(context);
    return layers::Grower(surface, sizes, request, context, earlier).grow();
}

}  // namespace anvilcast
