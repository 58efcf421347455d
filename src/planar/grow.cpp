// Cells between the columns, and what they leave of the areas.

#include <algorithm>
#include <cmath>
#include <map>

#include "planar/columns.hpp"
#include "planar/repeat.hpp"
#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

class Grower {
  public:
    Grower(Columns columns, const Ground& ground, const LayerPlan& plan, std::vector<Vec2>& points,
           std::vector<std::vector<Index>>& points_of)
        : all_(std::move(columns)), c_(all_.columns), g_(ground), plan_(plan), points_(points), points_of_(points_of) {}

    GrownLayers run(const std::function<std::vector<Vec2>(Index, double, double)>& divide) {
        number_levels();
        find_columns_at_nodes();
        divide_the_rest(divide);
        for (const Link& l : all_.links)
            if (l.zone != kNone) add_cells(l);
        for (std::size_t a = 0; a < all_.loops.size(); ++a) {
            add_fans(static_cast<Index>(a));
            out_.cores.push_back(core_of(static_cast<Index>(a)));
        }
        take_figures();
        return std::move(out_);
    }

  private:
    Index level(Index column, int k) const {
        return k == 0 ? c_[column].point : levels_[column][static_cast<std::size_t>(k - 1)];
    }
    Index top(Index column) const { return level(column, c_[column].count); }

    void number_levels() {
        for (const Column& c : c_) {
            auto& list = levels_.emplace_back();
            for (int k = 1; k <= c.count; ++k) {
                list.push_back(static_cast<Index>(points_.size()));
                points_.push_back(level_of(c, k, g_));
            }
        }
    }

    void divide_the_rest(const std::function<std::vector<Vec2>(Index, double, double)>& divide) {
        std::vector<std::array<Index, 2>> at_ends(points_of_.size(), {kNone, kNone});
        for (Index i = 0; i < c_.size(); ++i)
            if (c_[i].strand != kNone) at_ends[c_[i].strand][c_[i].from_end ? 1 : 0] = i;
        for (Index i = 0; i < points_of_.size(); ++i) {
            if (!points_of_[i].empty()) continue;
            const Strand& s = g_.outline.strands[i];
            if (g_.curves[s.curve].divides) {
                lay_between_tops(i, divide(i, 0, s.length()));
                continue;
            }
            std::array<double, 2> taken{0, 0};
            std::vector<Index> list{s.from}, end{s.to};
            for (std::size_t side = 0; side < 2; ++side) {
                const Index column = at_ends[i][side];
                if (column == kNone || c_[column].count == 0) continue;
                taken[side] = c_[column].stack.height(c_[column].count) * c_[column].per_height;
                auto& own = side == 0 ? list : end;
                own.insert(own.end(), levels_[column].begin(), levels_[column].end());
            }
            const std::vector<Vec2> between = divide(i, taken[0], s.length() - taken[1]);
            if (between.empty()) continue;
            for (std::size_t k = 1; k + 1 < between.size(); ++k) {
                list.push_back(static_cast<Index>(points_.size()));
                points_.push_back(between[k]);
            }
            list.insert(list.end(), end.rbegin(), end.rend());
            points_of_[i] = std::move(list);
        }
    }

    /// A line that divides an area leads from the top of a column to that of another, where there are any at its ends.
    void lay_between_tops(Index strand, const std::vector<Vec2>& between) {
        if (between.empty()) return;
        const Strand& s = g_.outline.strands[strand];
        std::array<Index, 2> ends{s.from, s.to};
        std::array<Vec2, 2> moved{Vec2{}, Vec2{}};
        for (std::size_t k = 0; k < 2; ++k)
            if (const auto column = column_at_.find(ends[k]); column != column_at_.end()) {
                moved[k] = points_[top(column->second)] - points_[ends[k]];
                ends[k] = top(column->second);
            }
        std::vector<Index>& list = points_of_[strand];
        list.push_back(ends[0]);
        for (std::size_t k = 1; k + 1 < between.size(); ++k) {
            const double share = static_cast<double>(k) / static_cast<double>(between.size() - 1);
            list.push_back(static_cast<Index>(points_.size()));
            points_.push_back(between[k] + moved[0] * (1 - share) + moved[1] * share);
        }
        list.push_back(ends[1]);
    }
    /// The columns that dividing lines begin on.
    void find_columns_at_nodes() {
        for (std::size_t a = 0; a < all_.loops.size(); ++a)
            for (std::size_t l = 0; l < all_.loops[a].size(); ++l) {
                const Loop& loop = l == 0 ? g_.faces[a].outer : g_.faces[a].holes[l - 1];
                for (std::size_t j = 0; j < loop.size(); ++j) {
                    const auto& here = all_.loops[a][l].at_node[j];
                    if (here.size() == 1) column_at_.try_emplace(c_[here[0]].point, here[0]);
                }
            }
    }

    void add(std::array<Index, 4> cell, Index area) {
        out_.cells.push_back(cell);
        out_.cell_area.push_back(area);
    }
    void add_cells(const Link& l) {
        const int na = c_[l.a].count, nb = c_[l.b].count, n = std::min(na, nb);
        for (int k = 1; k <= n; ++k) add({level(l.a, k - 1), level(l.b, k - 1), level(l.b, k), level(l.a, k)}, l.area);
        if (na > n) add({level(l.a, n), level(l.b, n), level(l.a, n + 1), kNone}, l.area);
        if (nb > n) add({level(l.a, n), level(l.b, n), level(l.b, n + 1), kNone}, l.area);
    }
    /// The first cells of a fan take two of its steps.
    void add_fans(Index area) {
        for (const auto& loop : all_.loops[area])
            for (const auto& fan : loop.at_node) {
                if (fan.size() < 2 || c_[fan[0]].count == 0) continue;
                for (std::size_t k = 2; k < fan.size(); k += 2)
                    add({c_[fan[0]].point, level(fan[k], 1), level(fan[k - 1], 1), level(fan[k - 2], 1)}, area);
                for (std::size_t k = 1; k < fan.size(); ++k)
                    for (int h = 2; h <= c_[fan[0]].count; ++h)
                        add({level(fan[k - 1], h - 1), level(fan[k], h - 1), level(fan[k], h), level(fan[k - 1], h)},
                            area);
            }
    }

    GrownLayers::Core core_of(Index area) const {
        GrownLayers::Core out;
        const Face& face = g_.faces[area];
        for (std::size_t l = 0; l < all_.loops[area].size(); ++l) {
            const Loop& loop = l == 0 ? face.outer : face.holes[l - 1];
            const Columns::OfLoop& columns = all_.loops[area][l];
            auto& entries = out.loops.emplace_back();
            auto& pass_of = out.pass_of.emplace_back();
            for (std::size_t j = 0; j < loop.size(); ++j) {
                const auto &first = columns.at_node[j], &last = columns.at_node[(j + 1) % loop.size()];
                if (first.size() > 1 && c_[first[0]].count > 0) {
                    auto& fan = entries.emplace_back();
                    for (const Index c : first) fan.push_back(top(c));
                    pass_of.push_back(kNone);
                }
                pass_of.push_back(static_cast<Index>(j));
                entries.push_back(plan_.has_layers(loop[j]) ? over_wall(first, columns.within[j], last)
                                                            : beside(loop[j], first, last));
            }
        }
        return out;
    }
    std::vector<Index> over_wall(const std::vector<Index>& first, const std::vector<Index>& within,
                                 const std::vector<Index>& last) const {
        std::vector<Index> out{top(first.back())};
        for (const Index c : within) out.push_back(top(c));
        out.push_back(top(last.front()));
        return out;
    }
    /// What layers at its ends leave of a pass.
    std::vector<Index> beside(const Pass& pass, const std::vector<Index>& first, const std::vector<Index>& last) const {
        std::vector<Index> list = points_of_[pass.strand];
        if (!pass.is_forward) std::reverse(list.begin(), list.end());
        auto n_taken = [&](const std::vector<Index>& columns) {
            return columns.empty() || c_[columns[0]].strand != pass.strand ? 0 : c_[columns[0]].count;
        };
        list.erase(list.end() - n_taken(last), list.end());
        list.erase(list.begin(), list.begin() + n_taken(first));
        return list;
    }

    void take_figures() {
        out_.zones = plan_.zones;
        std::vector<std::map<LayerLimit, std::pair<double, Vec3>>> shortfalls(out_.zones.size());
        for (const ZoneLayers& z : out_.zones) {
            LayerFigures f;
            f.zone = z.zone;
            f.region = z.region;
            f.asked_first = z.asked.first;
            f.first_min = Box::inf;
            out_.figures.push_back(f);
        }
        std::vector<std::vector<std::pair<double, double>>> firsts(out_.zones.size()), growths(out_.zones.size());
        for (const Link& l : all_.links) {
            if (l.zone == kNone) continue;
            const Column &a = c_[l.a], &b = c_[l.b];
            const double edge = distance(a.base, b.base);
            ZoneLayers& z = out_.zones[l.zone];
            LayerFigures& f = out_.figures[l.zone];
            f.area += edge;
            const int n = std::min(a.count, b.count), wanted = std::max(a.asked.count, b.asked.count);
            f.most = std::max(f.most, static_cast<Index>(std::max(a.count, b.count)));
            const bool is_full = n >= wanted;
            if (is_full) {
                z.full_area += edge;
                f.full_area += edge;
                const double share = (a.stack.total + b.stack.total) / (a.asked.total + b.asked.total);
                if (share < 0.999) z.squeezed_area += edge;
            }
            const Column& lower =
                a.stack.total / std::max(a.asked.total, 1e-300) < b.stack.total / std::max(b.asked.total, 1e-300) ? a
                                                                                                                  : b;
            if (lower.limit != LayerLimit::none && (!is_full || lower.stack.total < 0.999 * lower.asked.total)) {
                auto& [length, at] = shortfalls[l.zone][lower.limit];
                if (length == 0) at = {lower.base.x, lower.base.y, 0};
                length += edge;
            }
            if (n == 0) {
                z.bare_area += edge;
                f.bare_area += edge;
                continue;
            }
            const Vec2 &a1 = points_[level(l.a, 1)], &b1 = points_[level(l.b, 1)];
            const double area = 0.5 * (cross(b.base - a.base, b1 - a.base) + cross(b1 - a.base, a1 - a.base));
            const double first = 2 * area / (edge + distance(a1, b1));
            firsts[l.zone].emplace_back(first, edge);
            if (n > 1) growths[l.zone].emplace_back(0.5 * (a.stack.growth + b.stack.growth), edge);
        }
        for (std::size_t k = 0; k < out_.zones.size(); ++k) {
            out_.zones[k].area = out_.figures[k].area;
            for (const auto& [limit, what] : shortfalls[k])
                out_.zones[k].shortfalls.push_back({limit, what.first, what.second});
            std::sort(out_.zones[k].shortfalls.begin(), out_.zones[k].shortfalls.end(),
                      [](const auto& x, const auto& y) { return x.area > y.area; });
            summarise(out_.figures[k], firsts[k], growths[k]);
        }
    }
    static double median(std::vector<std::pair<double, double>>& values) {
        std::sort(values.begin(), values.end());
        double total = 0, sum = 0;
        for (const auto& [v, w] : values) total += w;
        for (const auto& [v, w] : values)
            if ((sum += w) >= 0.5 * total) return v;
        return 0;
    }
    static void summarise(LayerFigures& f, std::vector<std::pair<double, double>>& firsts,
                          std::vector<std::pair<double, double>>& growths) {
        f.first_median = median(firsts);
        f.growth_median = median(growths);
        f.first_min = firsts.empty() ? 0 : firsts.front().first;
        f.first_max = firsts.empty() ? 0 : firsts.back().first;
        for (const auto& [h, edge] : firsts) {
            const double off = std::abs(h / f.asked_first - 1), share = edge / (f.area - f.bare_area);
            if (off <= 0.02) f.first_share_2 += share;
            if (off <= 0.05) f.first_share_5 += share;
        }
    }

    Columns all_;
    std::vector<Column>& c_;
    const Ground& g_;
    const LayerPlan& plan_;
    std::vector<Vec2>& points_;
    std::vector<std::vector<Index>>& points_of_;
    std::vector<std::vector<Index>> levels_;
    std::map<Index, Index> column_at_;  ///< of nodes
    GrownLayers out_;
};

}  // namespace

GrownLayers grow_plane_layers(const Ground& ground, const LayerPlan& plan, const std::vector<LayerRecipe>& recipes,
                              std::vector<Vec2>& points, std::vector<std::vector<Index>>& points_of,
                              const std::function<std::vector<Vec2>(Index, double, double)>& divide,
                              const Context& context) {
    Columns columns = set_columns(ground, plan, recipes, points, points_of);
    link_columns(ground.repeats, columns);
    settle_columns(columns, ground, plan, points, points_of, context);
    return Grower(std::move(columns), ground, plan, points, points_of).run(divide);
}

}  // namespace anvilcast::planar
