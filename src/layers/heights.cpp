#include "layers/heights.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <queue>

#include "layers/assignment.hpp"
#include "layers/repeat.hpp"

namespace anvilcast::layers {
namespace {

/// The top of the stacks rises by at most this share of the way along the wall.
constexpr double kSteepest = 0.5;
/// Recipes that meet go over into each other within so many edges.
constexpr int kBlendRings = 3;

/// Logarithms of first height and growth are smoothed round the feet at which recipes meet.
void blend(const Wall& wall, const std::vector<char>& is_between, std::vector<LayerStack>& stack) {
    if (std::none_of(is_between.begin(), is_between.end(), [](char b) { return b != 0; })) return;
    const Links link = links_of(wall);
    std::vector<char> is_near = is_between;
    for (int ring = 0; ring < kBlendRings; ++ring) {
        std::vector<char> wider = is_near;
        for (const auto& e : wall.edges)
            if (is_near[e[0]] != 0 || is_near[e[1]] != 0) wider[e[0]] = wider[e[1]] = 1;
        is_near = std::move(wider);
    }
    for (int pass = 0; pass < kBlendRings; ++pass) {
        const std::vector<LayerStack> before = stack;
        for (Index f = 0; f < stack.size(); ++f) {
            if (is_near[f] == 0) continue;
            double first = 0, growth = 0;
            const auto n = static_cast<double>(link.of(f).size());
            for (const Index g : link.of(f)) {
                first += std::log(before[g].first) / n;
                growth += std::log(before[g].growth) / n;
            }
            if (n == 0) continue;
            stack[f].first = std::sqrt(before[f].first * std::exp(first));
            stack[f].growth = std::sqrt(before[f].growth * std::exp(growth));
            stack[f] = squeezed(stack[f], stack[f].count, Box::inf);
        }
    }
}

class GapFinder {
  public:
    GapFinder(const Wall& wall, const std::vector<Direction>& directions, const Asked& asked)
        : wall_(wall),
          directions_(directions),
          asked_(asked),
          tree_(wall.mesh->surface.points, wall.mesh->surface.triangles) {}

    /// Both stacks give way alike; the core keeps its cells between them.
    double room(Index f) const {
        const Vec3& step = directions_[f].step;
        const double stretch = length(step);
        if (!(stretch > 0)) return 0;
        const double own = asked_.stack[f].total;
        double core = asked_.gap_cells[f] * asked_.size[f] / stretch;
        const double reach = 2 * own * kMostOpposite + core;
        const Vec3& from = wall_.place_of(f);
        double start = 1e-6 * own;
        TriangleTree::RayHit hit{};
        // The walls and shores at the foot itself do not count, though rounding may have them hit, one after the other.
        for (int i = 0; i < kMostGrazed; ++i) {
            hit = tree_.first_hit(from, step, start, reach);
            if (hit.triangle == kNone) return Box::inf;
            if (!is_at(f, hit.triangle)) break;
            start = hit.t * (1 + 1e-6) + 1e-6 * own;
        }
        const Index side = hit.from_front ? front_of(hit.triangle) : back_of(hit.triangle);
        // Walls that run into each other leave the tops room between them; only those that face each other do not.
        if (-dot(wall_.normal_of_side[side], step) < kLeastFacing * stretch) return Box::inf;
        const double opposite = wall_.is_layered(side) ? height_at(side) : 0;
        if (goes_on_behind(wall_.mesh->surface, wall_.mesh->sides, wall_.recipe_of_side, hit.triangle))
            core = std::min(core, kCoreBeforeInterface * asked_.size[f] / stretch);
        const double together = own + opposite;
        if (together + core <= hit.t) return Box::inf;
        return std::max(0.0, (hit.t - core) * own / together);
    }

  private:
    static constexpr int kMostGrazed = 200;
    static constexpr double kLeastFacing = 0.77;
    static constexpr double kMostOpposite = 4;  // stacks opposite are not looked for farther than this many own heights

    bool is_at(Index f, Index triangle) const {
        const Surface& s = wall_.mesh->surface;
        const Triangle& t = s.triangles[triangle];
        if (std::find(t.begin(), t.end(), wall_.feet[f].point) != t.end()) return true;
        const auto shores = wall_.shores_of(f);
        return std::any_of(shores.begin(), shores.end(),
                           [&](Corner c) { return wall_.zone_of(Wall::side_of(c)) == s.zone_of[triangle]; });
    }

    double height_at(Index side) const {
        double sum = 0;
        for (Index k = 0; k < 3; ++k) sum += asked_.stack[wall_.foot_of_corner[3 * side + k]].total / 3;
        return sum;
    }

    const Wall& wall_;
    const std::vector<Direction>& directions_;
    const Asked& asked_;
    TriangleTree tree_;
};

/// Lowers `value` until no foot is above a neighbour by more than `rise(foot, neighbour)`; what was lowered by a
/// neighbour is told. From the lowest up.
template <typename Value, typename Rise, typename Lowered>
void limit_rise(const Wall& wall, std::vector<Value>& value, const Rise& rise, const Lowered& lowered) {
    const Links link = links_of(wall);
    using Entry = std::pair<Value, Index>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue;
    for (Index f = 0; f < value.size(); ++f) queue.push({value[f], f});
    while (!queue.empty()) {
        const auto [v, f] = queue.top();
        queue.pop();
        if (v > value[f]) continue;
        for (const Index g : link.of(f)) {
            const Value most = v + rise(f, g);
            if (!(value[g] > most)) continue;
            value[g] = most;
            lowered(g, f);
            queue.push({most, g});
        }
    }
}

/// Feet of one umbrella have as many layers as the one with the fewest.
void even_out_umbrellas(const Wall& wall, std::vector<int>& count, std::vector<LayerLimit>& limit) {
    std::vector<Index> lowest;
    for (Index f = 0; f < count.size(); ++f) {
        const Index u = wall.feet[f].umbrella;
        if (u >= lowest.size()) lowest.resize(u + 1, kNone);
        if (lowest[u] == kNone || count[f] < count[lowest[u]]) lowest[u] = f;
    }
    for (Index f = 0; f < count.size(); ++f) {
        const Index l = lowest[wall.feet[f].umbrella];
        if (count[f] <= count[l]) continue;
        count[f] = count[l];
        limit[f] = limit[l];
    }
}

/// Of each family. False when all were equal.
bool lower_to_lowest(const Repeats& repeats, std::vector<double>& height) {
    bool has_lowered = false;
    for (const auto& family : repeats.families()) {
        double least = Box::inf;
        for (const Index f : family) least = std::min(least, height[f]);
        for (const Index f : family) {
            has_lowered = has_lowered || height[f] > least;
            height[f] = least;
        }
    }
    return has_lowered;
}

}  // namespace

Asked ask(const Wall& wall, const SizeField& sizes, const std::vector<LayerRecipe>& recipes,
          const std::vector<LayerStack>& stack_of_side_zone, const std::vector<Index>& zone_stack_of_side) {
    const std::size_t n = wall.feet.size();
    Asked out;
    out.stack.resize(n);
    out.squeeze_to.assign(n, 1);
    out.gap_cells.assign(n, 0);
    out.size.resize(n);
    std::vector<char> is_between(n, 0);
    tbb::parallel_for(std::size_t{0}, n, [&](std::size_t k) {
        const auto f = static_cast<Index>(k);
        out.size[f] = sizes.at(wall.place_of(f));
        Index shown = kNone;
        double first = 0, growth = 0, weight = 0;
        for (const Corner c : wall.corners_of(f)) {
            const Index side = Wall::side_of(c), which = zone_stack_of_side[side];
            const LayerRecipe& recipe = recipes[wall.recipe_of_side[side]];
            out.squeeze_to[f] = std::min(out.squeeze_to[f], recipe.squeeze_to);
            out.gap_cells[f] = std::max(out.gap_cells[f], recipe.gap_cells);
            const LayerStack s = stack_at(recipe, stack_of_side_zone[which], out.size[f]);
            first += std::log(s.first);
            growth += std::log(s.growth);
            weight += 1;
            if (shown == which) continue;
            if (shown != kNone) is_between[f] = 1;
            // The most layers of those that meet: columns with fewer step down to their neighbours.
            if (shown == kNone || s.count > out.stack[f].count) out.stack[f] = s;
            shown = which;
        }
        if (is_between[f] == 0) return;
        out.stack[f].first = std::exp(first / weight);
        out.stack[f].growth = std::exp(growth / weight);
        out.stack[f] = squeezed(out.stack[f], out.stack[f].count, Box::inf);
    });
    blend(wall, is_between, out.stack);
    return out;
}

void make_equal(const Repeats& repeats, Asked& asked) {
    for (const auto& family : repeats.families()) {
        double first = 0, growth = 0;
        const auto n = static_cast<double>(family.size());
        const Index original = family.front();
        Index most = original;
        for (const Index f : family) {
            first += std::log(asked.stack[f].first) / n;
            growth += std::log(asked.stack[f].growth) / n;
            if (asked.stack[f].count > asked.stack[most].count) most = f;
            asked.squeeze_to[original] = std::min(asked.squeeze_to[original], asked.squeeze_to[f]);
            asked.gap_cells[original] = std::max(asked.gap_cells[original], asked.gap_cells[f]);
        }
        LayerStack stack = asked.stack[most];
        stack.first = std::exp(first);
        stack.growth = std::exp(growth);
        stack = squeezed(stack, stack.count, Box::inf);
        for (const Index f : family) {
            asked.stack[f] = stack;
            asked.squeeze_to[f] = asked.squeeze_to[original];
            asked.gap_cells[f] = asked.gap_cells[original];
            asked.size[f] = asked.size[original];
        }
    }
}

std::vector<double> rooms_in_gaps(const Wall& wall, const std::vector<Direction>& directions, const Asked& asked) {
    const GapFinder finder(wall, directions, asked);
    std::vector<double> room(wall.feet.size());
    tbb::parallel_for(std::size_t{0}, room.size(),
                      [&](std::size_t f) { room[f] = finder.room(static_cast<Index>(f)); });
    return room;
}

Settled settle(const Wall& wall, const std::vector<Direction>& directions, const Asked& asked,
               const std::vector<double>& room, const std::vector<LayerLimit>& limit_of_room, const Repeats& repeats) {
    const std::size_t n = wall.feet.size();
    Settled out;
    out.limit.assign(n, LayerLimit::none);
    std::vector<double> height(n);
    for (std::size_t f = 0; f < n; ++f) {
        height[f] = std::min(asked.stack[f].total, room[f]);
        if (height[f] < asked.stack[f].total) out.limit[f] = limit_of_room[f];
        if (directions[f].step == Vec3{}) {
            height[f] = 0;
            out.limit[f] = directions[f].limit;
        } else if (directions[f].limit != LayerLimit::none && out.limit[f] == LayerLimit::none) {
            out.limit[f] = directions[f].limit;  // full, but lower over the faces than asked for
        }
    }
    // Layers first: what is left of a stack that is short of room.
    std::vector<int> count(n);
    for (std::size_t f = 0; f < n; ++f) {
        const LayerStack& s = asked.stack[f];
        int k = s.count;
        while (k > 0 && asked.squeeze_to[f] * s.height(k) > height[f]) --k;
        count[f] = k;
    }
    // Either may undo the other: until both hold.
    for (std::vector<int> before; before != count;) {
        before = count;
        even_out_umbrellas(wall, count, out.limit);
        limit_rise(
            wall, count, [](Index, Index) { return 1; },
            [&](Index g, Index f) {
                out.limit[g] = out.limit[f] == LayerLimit::none ? LayerLimit::slope : out.limit[f];
            });
    }
    for (std::size_t f = 0; f < n; ++f) height[f] = std::min(height[f], asked.stack[f].height(count[f]));
    do
        limit_rise(
            wall, height,
            [&](Index f, Index g) {
                return kSteepest * distance(wall.place_of(f), wall.place_of(g)) +
                       // A step of one layer is no slope.
                       std::max(0.0,
                                asked.stack[g].height(count[g]) - asked.stack[g].height(std::min(count[g], count[f])));
            },
            [&](Index g, Index) {
                if (out.limit[g] == LayerLimit::none) out.limit[g] = LayerLimit::slope;
            });
    while (lower_to_lowest(repeats, height));
    out.stack.resize(n);
    tbb::parallel_for(std::size_t{0}, n, [&](std::size_t f) {
        out.stack[f] = squeezed(asked.stack[f], count[f], std::max(height[f], 1e-3 * asked.stack[f].height(count[f])));
    });
    return out;
}

}  // namespace anvilcast::layers
