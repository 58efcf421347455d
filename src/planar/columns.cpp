// Columns are set on the points of walls: upright on straight ones, along the bisector in corners, in a fan round sharp
// ones, and along the curves beside the walls' ends where these stand on them.

#include "planar/columns.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "planar/corners.hpp"

namespace anvilcast::planar {
namespace {

using std::numbers::pi;

/// A wall that turns away by more is fanned out. Beside one column cells have corners of 145 degrees then; in a fan the
/// first ones are as small as the first height squared, which is a jump from their neighbours on the wall.
constexpr double kFan = 110 * pi / 180;
/// Of a fan, from column to column; the first cells take two of them each.
constexpr double kFanStep = 45 * pi / 180, kLeastFanStep = 15 * pi / 180;
constexpr double kFanWidth = 1.5;  // of a strip of the top, in sizes, at most
/// Beside a corner columns lean within so many times the length of top that its own column takes.
constexpr double kLeanReach = 5;
/// In sharper corners (40 degrees) layers are lower over the walls than asked for.
constexpr double kSharpest = 0.342;

class Setter {
  public:
    Setter(const Ground& ground, const LayerPlan& plan, const std::vector<LayerRecipe>& recipes,
           const std::vector<Vec2>& points, const std::vector<std::vector<Index>>& points_of)
        : g_(ground),
          plan_(plan),
          recipes_(recipes),
          points_(points),
          points_of_(points_of),
          neighbours_(ground.outline, ground.curves, ground.faces) {}

    Columns run() {
        for (Index a = 0; a < g_.faces.size(); ++a) {
            auto& loops = out_.loops.emplace_back();
            loops.push_back(of_loop(g_.faces[a].outer, a));
            for (const Loop& hole : g_.faces[a].holes) loops.push_back(of_loop(hole, a));
        }
        return std::move(out_);
    }

  private:
    static std::size_t side_of(const Pass& p) { return p.is_forward ? 0 : 1; }
    std::vector<Index> points_along(const Pass& p) const {
        std::vector<Index> list = points_of_[p.strand];
        if (!p.is_forward) std::reverse(list.begin(), list.end());
        return list;
    }

    Columns::OfLoop of_loop(const Loop& loop, Index area) {
        Columns::OfLoop out;
        out.at_node.resize(loop.size());
        out.within.resize(loop.size());
        std::vector<std::vector<Index>> lists(loop.size());
        for (std::size_t j = 0; j < loop.size(); ++j)
            if (plan_.has_layers(loop[j])) lists[j] = points_along(loop[j]);
        for (std::size_t j = 0; j < loop.size(); ++j) {
            const auto walls = neighbours_.at(loop, j);
            if (!walls) continue;
            // The patches on both sides of a dividing line have their columns in common.
            const std::array<std::size_t, 2> key{way_of(walls->before), way_of(walls->after)};
            const auto [at, is_new] = at_walls_.try_emplace(key);
            if (is_new) at->second = at_node(*walls, area);
            out.at_node[j] = at->second;
        }
        for (std::size_t j = 0; j < loop.size(); ++j) {
            const auto& list = lists[j];
            for (std::size_t k = 1; k + 1 < list.size(); ++k) {
                const Column c =
                    upright(list[k], points_[list[k]] - points_[list[k - 1]], points_[list[k + 1]] - points_[list[k]]);
                out.within[j].push_back(add(c, {loop[j]}));
            }
        }
        for (std::size_t j = 0; j < loop.size(); ++j)
            if (!lists[j].empty()) {
                lean_from_corner(out.at_node[j], out.within[j], lists[j]);
                std::reverse(lists[j].begin(), lists[j].end());
                std::reverse(out.within[j].begin(), out.within[j].end());
                lean_from_corner(out.at_node[(j + 1) % loop.size()], out.within[j], lists[j]);
                std::reverse(out.within[j].begin(), out.within[j].end());
            }
        for (std::size_t j = 0; j < loop.size(); ++j) {
            for (std::size_t k = 1; k < out.at_node[j].size(); ++k)
                out_.links.push_back({out.at_node[j][k - 1], out.at_node[j][k], area, kNone});
            if (lists[j].empty()) continue;
            const Index zone = plan_.stack[loop[j].strand][side_of(loop[j])];
            Index before = out.at_node[j].back();
            for (const Index c : out.within[j]) {
                out_.links.push_back({before, c, area, zone});
                before = c;
            }
            out_.links.push_back({before, out.at_node[(j + 1) % loop.size()].front(), area, zone});
        }
        return out;
    }

    /// Where walls make a corner, its column takes much of the top between it and the next ones: these lean away, so
    /// that the edges of the top are shared out among them. `list`: the wall's points from the corner on.
    void lean_from_corner(const std::vector<Index>& at_corner, const std::vector<Index>& within,
                          const std::vector<Index>& list) {
        if (at_corner.size() != 1) return;
        const Column& corner = out_.columns[at_corner[0]];
        if (corner.strand != kNone || !(corner.room > 0)) return;
        const Vec2 along = normalized(points_[list[1]] - points_[list[0]]);
        const double shift = corner.asked.total * dot(corner.way, along);
        if (!(shift > 0)) return;
        double length = 0;
        for (std::size_t k = 1; k < list.size(); ++k) length += distance(points_[list[k - 1]], points_[list[k]]);
        const double reach = std::min(kLeanReach * shift, 0.5 * length);
        double far = 0;
        for (std::size_t k = 0; k < within.size(); ++k) {
            far += distance(points_[list[k]], points_[list[k + 1]]);
            if (far >= reach) return;
            const double share = 1 - far / reach;
            const Vec2 here = normalized(points_[list[k + 2]] - points_[list[k]]);
            Column& c = out_.columns[within[k]];
            c.lean = c.lean + here * (shift * share * share * std::min(1.0, c.asked.total / corner.asked.total));
        }
    }

    /// Between two edges of walls, the second of which goes on from the first.
    Column upright(Index point, const Vec2& before, const Vec2& after) const {
        Column c;
        c.point = point;
        c.base = points_[point];
        const Vec2 u = normalized(before), v = normalized(after);
        const Vec2 middle = normalized(left_of(u) + left_of(v));
        const double half = std::abs(dot(middle, left_of(u)));
        c.way = middle / std::max(half, kSharpest);
        if (half < kSharpest) c.limit = LayerLimit::sharp_edge;
        return c;
    }

    static std::size_t way_of(const Pass& p) { return 2 * std::size_t{p.strand} + (p.is_forward ? 0 : 1); }

    std::vector<Index> at_node(const WallsAt& walls, Index area) {
        const Pass &before = walls.before, &after = walls.after;
        const std::vector<Index> list_before = plan_.has_layers(before) ? points_along(before) : std::vector<Index>{},
                                 list_after = plan_.has_layers(after) ? points_along(after) : std::vector<Index>{};
        if (list_before.empty() && list_after.empty()) return {};
        if (list_before.empty()) return {at_end(list_after, before, after, false)};
        if (list_after.empty()) return {at_end(list_before, after, before, true)};
        const Index point = list_after.front();
        const Vec2 u = points_[point] - points_[list_before[list_before.size() - 2]],
                   v = points_[list_after[1]] - points_[point];
        const double turn = std::atan2(cross(u, v), dot(u, v));
        if (turn > -kFan || walls.is_divided || g_.areas[area].cells == PlaneCells::mapped)
            return {add(upright(point, u, v), {before, after})};
        return fan(point, u, -turn, {before, after});
    }

    std::vector<Index> fan(Index point, const Vec2& u, double turn, const std::vector<Pass>& passes) {
        Column c;
        c.point = point;
        c.base = points_[point];
        c.fan = n_fans_++;
        ask(c, passes);
        // An even number, so that the first cells are quadrangles too.
        int n = 2 * std::max(1, static_cast<int>(std::lround(turn / (2 * kFanStep))));
        while (c.asked.total * turn / n > kFanWidth * c.size && turn / (n + 2) > kLeastFanStep) n += 2;
        const Vec2 from = left_of(normalized(u));
        std::vector<Index> out;
        for (int k = 0; k <= n; ++k) {
            const double angle = -turn * k / n;
            c.way = {from.x * std::cos(angle) - from.y * std::sin(angle),
                     from.x * std::sin(angle) + from.y * std::cos(angle)};
            out.push_back(static_cast<Index>(out_.columns.size()));
            out_.columns.push_back(c);
        }
        return out;
    }

    /// Where a wall ends: along what stands on it there, `free`; without layers where nothing does.
    Index at_end(const std::vector<Index>& list, const Pass& free, const Pass& walled, bool is_last) {
        Column c;
        c.point = is_last ? list.back() : list.front();
        c.base = points_[c.point];
        const Vec2 along = leaving(g_.outline, free, is_last), wall = leaving(g_.outline, walled, !is_last);
        const double angle = is_last ? angle_from(along, wall) : angle_from(wall, along);
        if (!can_slide(angle)) {
            c.room = 0;
            c.limit = angle < pi / 2 ? LayerLimit::sharp_edge : LayerLimit::corner_of_zone;
            return add(c, {walled});
        }
        c.strand = free.strand;
        c.from_end = is_last != free.is_forward;
        c.per_height = 1 / std::sin(angle);
        c.way = along * c.per_height;
        c.room = kMostTaken * g_.outline.strands[c.strand].length() / c.per_height;
        c.limit = LayerLimit::corner_of_zone;
        // The layers on both sides of what they slide along are one column there.
        const auto [at, is_new] = slid_.try_emplace({c.strand, c.from_end}, static_cast<Index>(out_.columns.size()));
        if (is_new) return add(c, {walled});
        ask(c, {walled});
        Column& own = out_.columns[at->second];
        own.room = std::min(own.room, c.room);
        own.per_height = std::max(own.per_height, c.per_height);
        if (c.asked.total < own.asked.total) own.asked = c.asked;
        return at->second;
    }

    Index add(Column c, const std::vector<Pass>& passes) {
        ask(c, passes);
        out_.columns.push_back(c);
        return static_cast<Index>(out_.columns.size() - 1);
    }

    /// The stack that the recipes of its walls ask for; where two meet, the one of more layers, with heights between.
    void ask(Column& c, const std::vector<Pass>& passes) const {
        c.size = g_.sizes.at({c.base.x, c.base.y, 0});
        double first = 0, growth = 0;
        bool is_mixed = false;
        for (const Pass& p : passes) {
            const LayerRecipe& recipe = recipes_[plan_.recipe[p.strand][side_of(p)]];
            const LayerStack s = stack_at(recipe, plan_.stacks[plan_.stack[p.strand][side_of(p)]], c.size);
            c.squeeze_to = std::min(c.squeeze_to, recipe.squeeze_to);
            c.gap_cells = std::max(c.gap_cells, recipe.gap_cells);
            first += std::log(s.first) / static_cast<double>(passes.size());
            growth += std::log(s.growth) / static_cast<double>(passes.size());
            is_mixed = is_mixed || (c.asked.count > 0 && (s.first != c.asked.first || s.count != c.asked.count));
            if (s.count > c.asked.count) c.asked = s;
        }
        if (!is_mixed) return;
        c.asked.first = std::exp(first);
        c.asked.growth = std::exp(growth);
        c.asked = squeezed(c.asked, c.asked.count, Box::inf);
    }

    const Ground& g_;
    const LayerPlan& plan_;
    const std::vector<LayerRecipe>& recipes_;
    const std::vector<Vec2>& points_;
    const std::vector<std::vector<Index>>& points_of_;
    Neighbours neighbours_;
    std::map<std::array<std::size_t, 2>, std::vector<Index>> at_walls_;
    std::map<std::pair<Index, bool>, Index> slid_;
    Index n_fans_ = 0;
    Columns out_;
};

}  // namespace

Columns set_columns(const Ground& ground, const LayerPlan& plan, const std::vector<LayerRecipe>& recipes,
                    const std::vector<Vec2>& points, const std::vector<std::vector<Index>>& points_of) {
    return Setter(ground, plan, recipes, points, points_of).run();
}

Vec2 level_of(const Column& c, int k, const Ground& ground) {
    if (k == 0) return c.base;
    const double height = c.stack.height(k);
    const double share = height / c.asked.total;
    if (c.strand == kNone) return c.base + c.way * height + c.lean * (share * share);
    const Strand& s = ground.outline.strands[c.strand];
    const double along = height * c.per_height;
    return place_at(s, ground.curves, c.from_end ? s.length() - along : along);
}

}  // namespace anvilcast::planar
