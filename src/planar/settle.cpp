// How high columns may be: gaps are shared, neighbours differ by one layer at most and no top is steep; then cells and
// tops are looked at, exactly, and columns of what is wrong are cut back until nothing is.

#include <anvilcast/predicates.hpp>

#include <algorithm>
#include <cmath>
#include <queue>

#include "planar/columns.hpp"
#include "planar/segments.hpp"

namespace anvilcast::planar {
namespace {

/// The top rises by at most this share of the way along the wall.
constexpr double kSteepest = 0.5;
/// Cosine between a column and the wall that it meets, from which on they face each other.
constexpr double kLeastFacing = 0.77;
/// Stacks opposite are not looked for farther than so many own heights.
constexpr double kMostOpposite = 4;
constexpr double kCutBack = 0.8;
constexpr int kMostRounds = 120;

/// Boundaries of areas as they were divided, or as their curves run where they are not yet.
struct Wall {
    SegmentGrid::Segment place;
    Index strand;
};

class Settler {
  public:
    Settler(Columns& columns, const Ground& ground, const LayerPlan& plan, const std::vector<Vec2>& points,
            const std::vector<std::vector<Index>>& points_of)
        : c_(columns.columns), links_(columns.links), g_(ground), plan_(plan) {
        for (Index i = 0; i < g_.outline.strands.size(); ++i) {
            const Strand& s = g_.outline.strands[i];
            if ((s.area[0] == kNone && s.area[1] == kNone) || g_.curves[s.curve].divides) continue;
            std::vector<Vec2> way;
            if (points_of[i].empty())
                for (const auto& sample : s.samples) way.push_back(sample.point);
            else
                for (const Index p : points_of[i]) way.push_back(points[p]);
            for (std::size_t k = 1; k < way.size(); ++k) {
                walls_.push_back({{way[k - 1], way[k]}, i});
                segments_.push_back(walls_.back().place);
            }
        }
        beside_.resize(c_.size());
        for (const Link& l : links_) {
            beside_[l.a].push_back(l.b);
            beside_[l.b].push_back(l.a);
        }
        twin_.assign(c_.size(), kNone);
        for (const auto& [a, b] : columns.alike) {
            beside_[a].push_back(twin_[a] = b);
            beside_[b].push_back(twin_[b] = a);
        }
    }

    void run(const Context& context) {
        if (c_.empty()) return;
        share_gaps();
        for (int round = 0; round < kMostRounds; ++round) {
            context.check_stop();
            settle();
            // A few rounds in, what is still wrong is so for other reasons than a height.
            if (!cut_back_what_is_wrong(round < kMostRounds / 2 ? kCutBack : 0)) return;
        }
        for (Column& c : c_) c.count = 0;
    }

  private:
    // ---- gaps ----

    void share_gaps() {
        SegmentGrid grid(segments_);
        std::vector<double> room(c_.size());
        for (std::size_t i = 0; i < c_.size(); ++i) room[i] = room_of(c_[i], grid);
        for (std::size_t i = 0; i < c_.size(); ++i)
            if (room[i] < c_[i].room) {
                c_[i].room = room[i];
                if (room[i] < c_[i].asked.total) c_[i].limit = LayerLimit::narrow_gap;
            }
    }

    double room_of(const Column& c, SegmentGrid& grid) const {
        const double stretch = length(c.way), own = c.asked.total;
        if (!(stretch > 0) || !(c.room > 0)) return Box::inf;
        const double core = c.gap_cells * c.size / stretch, reach = 2 * own * kMostOpposite + core;
        const Vec2 end = c.base + c.way * reach;
        double best = Box::inf;
        std::size_t hit = 0;
        grid.near(c.base, end, [&](std::size_t i) {
            const auto& [a, b] = segments_[i];
            if (a == c.base || b == c.base || walls_[i].strand == c.strand) return;
            const Vec2 along = b - a;
            const double across = cross(c.way, along);
            if (across == 0) return;
            const double t = cross(a - c.base, along) / across, s = cross(a - c.base, c.way) / across;
            if (t > 0 && t < best && s >= 0 && s <= 1) {
                best = t;
                hit = i;
            }
        });
        if (best > reach) return Box::inf;
        const auto& [a, b] = segments_[hit];
        const bool from_left = cross(b - a, c.base - a) > 0;
        const Vec2 normal = normalized(left_of(b - a)) * (from_left ? 1.0 : -1.0);
        if (-dot(normal, c.way) < kLeastFacing * stretch) return Box::inf;
        const Index stack = plan_.stack[walls_[hit].strand][from_left ? 0 : 1];
        const double together = own + (stack == kNone ? 0 : plan_.stacks[stack].total);
        if (together + core <= best) return Box::inf;
        return std::max(0.0, (best - core) * own / together);
    }

    // ---- counts and heights ----

    void settle() {
        std::vector<double> height(c_.size());
        for (std::size_t i = 0; i < c_.size(); ++i) {
            Column& c = c_[i];
            height[i] = std::min(c.asked.total, c.room);
            int k = c.asked.count;
            while (k > 0 && c.squeeze_to * c.asked.height(k) > height[i] * (1 + 1e-12)) --k;
            c.count = k;
        }
        for (std::vector<int> before; before.empty() || before != counts();) {
            before = counts();
            even_out_fans();
            limit_counts();
        }
        for (std::size_t i = 0; i < c_.size(); ++i) height[i] = std::min(height[i], c_[i].asked.height(c_[i].count));
        limit_heights(height);
        for (std::size_t i = 0; i < c_.size(); ++i) {
            Column& c = c_[i];
            c.stack = squeezed(c.asked, c.count, std::max(height[i], 1e-3 * c.asked.height(c.count)));
            if (c.count == c.asked.count && height[i] >= c.asked.total * (1 - 1e-9) &&
                c.limit != LayerLimit::sharp_edge)
                c.limit = LayerLimit::none;
        }
    }
    std::vector<int> counts() const {
        std::vector<int> out;
        for (const Column& c : c_) out.push_back(c.count);
        return out;
    }
    void even_out_fans() {
        for (const Link& l : links_)
            if (l.zone == kNone) c_[l.a].count = c_[l.b].count = std::min(c_[l.a].count, c_[l.b].count);
        for (auto l = links_.rbegin(); l != links_.rend(); ++l)
            if (l->zone == kNone) c_[l->a].count = c_[l->b].count = std::min(c_[l->a].count, c_[l->b].count);
    }

    /// From the lowest up; what is lowered has its neighbour's reason, or the slope.
    template <typename Value, typename Rise>
    void limit_rise(std::vector<Value>& value, const Rise& rise) {
        using Entry = std::pair<Value, Index>;
        std::priority_queue<Entry, std::vector<Entry>, std::greater<>> todo;
        for (Index i = 0; i < c_.size(); ++i) todo.push({value[i], i});
        while (!todo.empty()) {
            const auto [v, i] = todo.top();
            todo.pop();
            if (v != value[i]) continue;
            for (const Index j : beside_[i]) {
                const Value most = static_cast<Value>(value[i] + rise(i, j));
                if (value[j] <= most) continue;
                value[j] = most;
                if (c_[j].limit == LayerLimit::none)
                    c_[j].limit = c_[i].limit == LayerLimit::none ? LayerLimit::slope : c_[i].limit;
                todo.push({most, j});
            }
        }
    }
    void limit_counts() {
        std::vector<int> count = counts();
        limit_rise(count, [this](Index i, Index j) {
            return twin_[i] == j || (c_[i].fan != kNone && c_[i].fan == c_[j].fan) ? 0 : 1;
        });
        for (std::size_t i = 0; i < c_.size(); ++i) c_[i].count = count[i];
    }
    void limit_heights(std::vector<double>& height) {
        limit_rise(height, [this](Index i, Index j) {
            if (twin_[i] == j) return 0.0;
            const Column &a = c_[i], &b = c_[j];
            // A step of one layer is no slope.
            const double step = std::max(0.0, b.asked.height(b.count) - b.asked.height(std::min(a.count, b.count)));
            return kSteepest * distance(a.base, b.base) + step;
        });
    }

    // ---- what is wrong ----

    bool cut_back_what_is_wrong(double share) {
        levels_.clear();
        for (const Column& c : c_) {
            auto& list = levels_.emplace_back();
            for (int k = 0; k <= c.count; ++k) list.push_back(level_of(c, k, g_));
        }
        is_wrong_.assign(c_.size(), 0);
        for (const Link& l : links_)
            if (!has_sound_cells(l)) is_wrong_[l.a] = is_wrong_[l.b] = 1;
        find_crossings();
        bool any = false;
        for (std::size_t i = 0; i < c_.size(); ++i) {
            if (is_wrong_[i] == 0) continue;
            any = true;
            Column& c = c_[i];
            c.room = std::min(c.room, share * c.stack.total);
            c.limit = LayerLimit::crossing;
        }
        return any;
    }

    bool has_sound_cells(const Link& l) const {
        const auto &a = levels_[l.a], &b = levels_[l.b];
        const auto na = static_cast<std::size_t>(c_[l.a].count), nb = static_cast<std::size_t>(c_[l.b].count);
        const std::size_t n = std::min(na, nb);
        for (std::size_t k = 1; k <= n; ++k) {
            if (l.zone == kNone && k == 1) {
                if (orient2d(a[0], b[1], a[1]) <= 0) return false;
                continue;
            }
            if (orient2d(a[k - 1], b[k - 1], b[k]) <= 0 || orient2d(b[k - 1], b[k], a[k]) <= 0 ||
                orient2d(b[k], a[k], a[k - 1]) <= 0 || orient2d(a[k], a[k - 1], b[k - 1]) <= 0)
                return false;
        }
        if (na > nb && orient2d(a[n], b[n], a[n + 1]) <= 0) return false;
        return !(nb > na && orient2d(a[n], b[n], b[n + 1]) <= 0);
    }

    /// Tops, and the columns that stand at ends without anything beside them, against all else.
    void find_crossings() {
        std::vector<SegmentGrid::Segment> tops;
        std::vector<std::array<Index, 2>> columns;
        for (const Link& l : links_) {
            if (levels_[l.a].size() == 1 && levels_[l.b].size() == 1) continue;
            tops.push_back({levels_[l.a].back(), levels_[l.b].back()});
            columns.push_back({l.a, l.b});
        }
        auto meets = [](const SegmentGrid::Segment& s, const SegmentGrid::Segment& t) {
            if (s.a == t.a || s.a == t.b || s.b == t.a || s.b == t.b) return false;
            const int a = orient2d(s.a, s.b, t.a), b = orient2d(s.a, s.b, t.b), c = orient2d(t.a, t.b, s.a),
                      d = orient2d(t.a, t.b, s.b);
            if (a == 0 && b == 0)
                return std::max(std::min(s.a.x, s.b.x), std::min(t.a.x, t.b.x)) <=
                           std::min(std::max(s.a.x, s.b.x), std::max(t.a.x, t.b.x)) &&
                       std::max(std::min(s.a.y, s.b.y), std::min(t.a.y, t.b.y)) <=
                           std::min(std::max(s.a.y, s.b.y), std::max(t.a.y, t.b.y));
            return a * b <= 0 && c * d <= 0;
        };
        SegmentGrid among_tops(tops), among_walls(segments_);
        for (std::size_t i = 0; i < tops.size(); ++i) {
            const Index one = columns[i][0], other = columns[i][1];
            bool is_crossed = false;
            among_tops.near(tops[i].a, tops[i].b, [&](std::size_t k) {
                if (k == i || !meets(tops[i], tops[k])) return;
                is_crossed = true;
                for (const Index c : columns[k]) is_wrong_[c] = 1;
            });
            among_walls.near(tops[i].a, tops[i].b, [&](std::size_t k) {
                // What it slides along it touches.
                if (walls_[k].strand == c_[one].strand || walls_[k].strand == c_[other].strand) return;
                is_crossed = is_crossed || meets(tops[i], segments_[k]);
            });
            if (is_crossed) is_wrong_[one] = is_wrong_[other] = 1;
        }
    }

    std::vector<Column>& c_;
    const std::vector<Link>& links_;
    const Ground& g_;
    const LayerPlan& plan_;
    std::vector<Wall> walls_;
    std::vector<SegmentGrid::Segment> segments_;
    std::vector<std::vector<Index>> beside_;
    std::vector<Index> twin_;  ///< where sides repeat
    std::vector<std::vector<Vec2>> levels_;
    std::vector<char> is_wrong_;
};

}  // namespace

void settle_columns(Columns& columns, const Ground& ground, const LayerPlan& plan, const std::vector<Vec2>& points,
                    const std::vector<std::vector<Index>>& points_of, const Context& context) {
    Settler(columns, ground, plan, points, points_of).run(context);
}

}  // namespace anvilcast::planar
