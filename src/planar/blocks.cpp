// Mapped areas as blocks of cells.
//
// Four corners: one block. Three corners: a block at each, which meet in a point within. A block's facing sides have as
// many edges; so with x, y, z edges from the corners to where their sides (counter-clockwise) are divided, these have
// x + z, y + x and z + y. A round outline: an inner square whose
// corners lie between the middle and four places of the outline, and a block from each of its sides to the outline.

#include "planar/blocks.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "planar/mapped.hpp"
#include "planar/untangle.hpp"
#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

/// Degrees that an outline turns by at a corner.
constexpr double kCorner = 30;
/// The inner square's corners, as a share of the way out, and how much of the outline's bulge its sides take. Tried at
/// 20 divisions a side: 0.5 and 0.35 give a worst equiangle skewness below 0.4; a larger square presses the cells at
/// the outline flat.
constexpr double kSquare = 0.55, kBulge = 0.4;

Vec2 begin_of(const Outline& o, const Pass& p) {
    const Strand& s = o.strands[p.strand];
    return o.nodes[p.is_forward ? s.from : s.to];
}
Vec2 direction(const Outline& o, const Pass& p, bool at_end) {
    const auto& s = o.strands[p.strand].samples;
    const bool last = at_end == p.is_forward;
    const Vec2 d = last ? s[s.size() - 1].point - s[s.size() - 2].point : s[1].point - s[0].point;
    return normalized(p.is_forward ? d : d * -1);
}
/// Degrees that the loop turns to the left by where a pass begins.
double turn_at(const Outline& o, const Loop& loop, std::size_t k) {
    const Vec2 before = direction(o, loop[(k + loop.size() - 1) % loop.size()], true),
               after = direction(o, loop[k], false);
    return std::atan2(cross(before, after), dot(before, after)) * 180 / std::numbers::pi;
}

/// Which pass begins next to each place.
std::vector<std::size_t> named_corners(const Outline& o, const Loop& loop, const PlaneArea& area) {
    std::vector<std::size_t> out;
    for (const Vec2& place : area.corners) {
        std::size_t best = 0;
        for (std::size_t k = 1; k < loop.size(); ++k)
            if (distance(begin_of(o, loop[k]), place) < distance(begin_of(o, loop[best]), place)) best = k;
        out.push_back(best);
    }
    std::sort(out.begin(), out.end());
    if (std::adjacent_find(out.begin(), out.end()) != out.end())
        throw InputError(
            fmt::format("two of the corners of the mapped area \"{}\" are next to one and the same corner "
                        "of its outline",
                        area.name));
    return out;
}

/// Blocks put together: equal points are joined by what they were made from.
class Blocks {
  public:
    explicit Blocks(const std::vector<Vec2>& rim) : rim_(rim) {}

    Index add(const Vec2& p) {
        out_.inner.push_back(p);
        return static_cast<Index>(rim_.size() + out_.inner.size() - 1);
    }
    const Vec2& point(Index p) const { return p < rim_.size() ? rim_[p] : out_.inner[p - rim_.size()]; }

    /// A straight line of new points between two that are there; n edges.
    std::vector<Index> line(Index from, Index to, int n) {
        std::vector<Index> out{from};
        for (int k = 1; k < n; ++k)
            out.push_back(
                add(point(from) * (1 - static_cast<double>(k) / n) + point(to) * (static_cast<double>(k) / n)));
        out.push_back(to);
        return out;
    }
    std::vector<Index> along_rim(std::size_t from, int n) const {
        std::vector<Index> out;
        for (int k = 0; k <= n; ++k)
            out.push_back(static_cast<Index>((from + static_cast<std::size_t>(k)) % rim_.size()));
        return out;
    }
    static std::vector<Index> reversed(std::vector<Index> side) {
        std::reverse(side.begin(), side.end());
        return side;
    }

    /// A block between four sides, counter-clockwise, each beginning where the one before ends. False when it folds.
    bool fill(const std::vector<Index>& south, const std::vector<Index>& east, const std::vector<Index>& north,
              const std::vector<Index>& west) {
        auto places = [&](const std::vector<Index>& side) {
            std::vector<Vec2> p;
            for (const Index i : side) p.push_back(point(i));
            return p;
        };
        const auto top = reversed(north), left = reversed(west);
        const Grid grid = mapped_grid(places(south), places(east), places(top), places(left));
        std::vector<Index> number(grid.points.size());
        for (std::size_t j = 0; j < grid.n_rows; ++j)
            for (std::size_t i = 0; i < grid.n_columns; ++i)
                number[j * grid.n_columns + i] = j == 0                    ? south[i]
                                                 : j + 1 == grid.n_rows    ? top[i]
                                                 : i == 0                  ? left[j]
                                                 : i + 1 == grid.n_columns ? east[j]
                                                                           : add(grid.at(i, j));
        for (std::size_t j = 0; j + 1 < grid.n_rows; ++j)
            for (std::size_t i = 0; i + 1 < grid.n_columns; ++i) {
                const std::size_t k = j * grid.n_columns + i;
                out_.cells.push_back(
                    {number[k], number[k + 1], number[k + grid.n_columns + 1], number[k + grid.n_columns]});
            }
        return n_folded(grid) == 0;
    }

    Quadrangles take() { return std::move(out_); }

  private:
    const std::vector<Vec2>& rim_;
    Quadrangles out_;
};

Vec2 middle_of(const std::vector<Vec2>& rim) {
    // Of the area, not of the points, which are dense where edges are short.
    double twice = 0;
    Vec2 sum{};
    for (std::size_t k = 0; k < rim.size(); ++k) {
        const Vec2 &a = rim[k], &b = rim[(k + 1) % rim.size()];
        const double w = cross(a - rim[0], b - rim[0]);
        twice += w;
        sum = sum + (rim[0] + a + b) * (w / 3);
    }
    return sum / twice;
}

bool fill_round(Blocks& blocks, const std::vector<Vec2>& rim, const SizeField& sizes) {
    const std::size_t n = rim.size() / 4, first = n / 2;
    const Vec2 middle = middle_of(rim);
    auto inner = [&](std::size_t k, const Vec2& chord) {
        return middle + (chord * (1 - kBulge) + rim[k % rim.size()] * kBulge - middle) * kSquare;
    };
    std::array<Index, 4> corner{};
    for (std::size_t c = 0; c < 4; ++c) {
        const Vec2& p = rim[(first + c * n) % rim.size()];
        corner[c] = blocks.add(inner(first + c * n, p));
    }
    double spokes = 0;
    for (std::size_t c = 0; c < 4; ++c) {
        const Vec2 a = rim[(first + c * n) % rim.size()], b = blocks.point(corner[c]);
        constexpr int kSteps = 40;
        for (int k = 0; k < kSteps; ++k) {
            const Vec2 p = a + (b - a) * ((k + 0.5) / kSteps);
            spokes += distance(a, b) / kSteps / sizes.at({p.x, p.y, 0}) / 4;
        }
    }
    const int rows = std::max(1, static_cast<int>(std::lround(spokes)));
    std::array<std::vector<Index>, 4> square, spoke;
    for (std::size_t c = 0; c < 4; ++c) {
        const std::size_t from = first + c * n;
        const Vec2 &a = rim[from % rim.size()], &b = rim[(from + n) % rim.size()];
        square[c].push_back(corner[c]);
        for (std::size_t k = 1; k < n; ++k) {
            const double share = static_cast<double>(k) / static_cast<double>(n);
            square[c].push_back(blocks.add(inner(from + k, a * (1 - share) + b * share)));
        }
        square[c].push_back(corner[(c + 1) % 4]);
        spoke[c] = blocks.line(static_cast<Index>(from % rim.size()), corner[c], rows);
    }
    bool is_good = blocks.fill(square[0], square[1], square[2], square[3]);
    for (std::size_t c = 0; c < 4; ++c)
        is_good &= blocks.fill(blocks.along_rim(first + c * n, static_cast<int>(n)), spoke[(c + 1) % 4],
                               Blocks::reversed(square[c]), Blocks::reversed(spoke[c]));
    return is_good;
}

bool fill_three(Blocks& blocks, const std::vector<Vec2>& rim, const std::array<std::size_t, 3>& start,
                const std::array<int, 3>& n) {
    // From the first corner to where its side is divided, and so on for the other two; see the story.
    const int x = (n[0] + n[1] - n[2]) / 2, y = n[1] - x, z = n[0] - x;
    const std::array<int, 3> before{x, y, z}, spoke_edges{y, z, x};
    const Index o = blocks.add(middle_of(rim));
    std::array<std::size_t, 3> at{};
    for (std::size_t s = 0; s < 3; ++s) at[s] = (start[s] + static_cast<std::size_t>(before[s])) % rim.size();
    std::array<std::vector<Index>, 3> spoke;
    for (std::size_t s = 0; s < 3; ++s) spoke[s] = blocks.line(static_cast<Index>(at[s]), o, spoke_edges[s]);
    bool is_good = true;
    for (std::size_t s = 0; s < 3; ++s) {
        const std::size_t last = (s + 2) % 3;  // the side that ends where s begins
        is_good &= blocks.fill(blocks.along_rim(start[s], before[s]), spoke[s], Blocks::reversed(spoke[last]),
                               blocks.along_rim(at[last], n[last] - before[last]));
    }
    return is_good;
}

}  // namespace

MappedPlan plan_mapped(const Outline& outline, const Face& face, const PlaneArea& area, Index number) {
    MappedPlan out{number, {}};
    if (!face.holes.empty())
        throw InputError(
            fmt::format("the area \"{}\" has {} hole(s): mapped areas have none; divide it by curves, or "
                        "write cells = \"triangles\"",
                        area.name, face.holes.size()));
    if (!area.corners.empty()) {
        out.corners = named_corners(outline, face.outer, area);
    } else {
        std::vector<std::pair<double, std::size_t>> turns;
        for (std::size_t k = 0; k < face.outer.size(); ++k)
            if (const double turn = turn_at(outline, face.outer, k); turn > kCorner) turns.emplace_back(-turn, k);
        std::sort(turns.begin(), turns.end());
        if (turns.size() > 4) turns.resize(4);
        for (const auto& [turn, k] : turns) out.corners.push_back(k);
        std::sort(out.corners.begin(), out.corners.end());
    }
    const std::size_t n = out.corners.size();
    if (n != 0 && n != 3 && n != 4) {
        const Vec2 at = begin_of(outline, face.outer[out.corners.front()]);
        throw InputError(
            fmt::format("the outline of the mapped area \"{}\" has {} corner(s) (one at [{:.6g}, {:.6g}] "
                        "m): four, three or none can be mapped; name them, corners = [[x, y], ...], or "
                        "divide it by curves",
                        area.name, n, at.x, at.y));
    }
    return out;
}

std::vector<FacingSides> facing_sides(const MappedPlan& plan, const Face& face) {
    if (plan.corners.size() != 4) return {};
    std::array<std::vector<Index>, 4> sides;
    for (std::size_t s = 0; s < 4; ++s)
        for (std::size_t k = plan.corners[s]; k != plan.corners[(s + 1) % 4]; k = (k + 1) % face.outer.size())
            sides[s].push_back(face.outer[k].strand);
    return {{sides[0], sides[2], plan.area}, {sides[1], sides[3], plan.area}};
}

void make_divisible(Division& division, const MappedPlan& plan, const Face& face, const PlaneArea& area,
                    const std::vector<PlaneCurve>& curves, const Outline& outline) {
    if (plan.corners.size() == 4) return;
    int sum = 0;
    Index longest = kNone;
    for (const Pass& p : face.outer) {
        sum += division.count[p.strand];
        if (division.is_given[p.strand] == 0 &&
            (longest == kNone || outline.strands[p.strand].length() > outline.strands[longest].length()))
            longest = p.strand;
    }
    const int grain = plan.corners.empty() ? 4 : 2, least = plan.corners.empty() ? 8 : 6;
    const int wanted = std::max(least, (sum + grain - 1) / grain * grain);
    if (wanted == sum) return;
    if (longest == kNone)
        throw InputError(
            fmt::format("the outline of the mapped area \"{}\" has {} edges, and needs a multiple of {}, at "
                        "least {}: change divisions of \"{}\"",
                        area.name, sum, grain, least, curves[outline.strands[face.outer[0].strand].curve].zone.name));
    division.count[longest] += wanted - sum;
}

Quadrangles fill_mapped(const MappedPlan& plan, const std::vector<Vec2>& rim, const std::vector<int>& sides,
                        const std::string& name, const SizeField& sizes) {
    Blocks blocks(rim);
    bool is_good = true;
    std::vector<std::size_t> start{0};
    for (const int n : sides) start.push_back(start.back() + static_cast<std::size_t>(n));
    auto edges_between = [&](std::size_t corner, std::size_t next) {
        const std::size_t a = start[plan.corners[corner]], b = start[plan.corners[next]];
        return static_cast<int>((b + rim.size() - a) % rim.size());
    };
    if (plan.corners.empty()) {
        is_good = fill_round(blocks, rim, sizes);
    } else if (plan.corners.size() == 3) {
        const std::array<int, 3> n{edges_between(0, 1), edges_between(1, 2), edges_between(2, 0)};
        for (std::size_t k = 0; k < 3; ++k)
            if (n[k] >= n[(k + 1) % 3] + n[(k + 2) % 3])
                throw InputError(
                    fmt::format("the three sides of the mapped area \"{}\" have {}, {} and {} edges: one "
                                "must not have as many as the other two together",
                                name, n[0], n[1], n[2]));
        is_good = fill_three(blocks, rim, {start[plan.corners[0]], start[plan.corners[1]], start[plan.corners[2]]}, n);
    } else {
        std::array<std::vector<Index>, 4> side;
        for (std::size_t s = 0; s < 4; ++s)
            side[s] = blocks.along_rim(start[plan.corners[s]], edges_between(s, (s + 1) % 4));
        is_good = blocks.fill(side[0], side[1], side[2], side[3]);
    }
    Quadrangles out = blocks.take();
    if (!is_good && !untangle(rim, out))
        throw GeometryError(
            fmt::format("the area \"{}\" cannot be mapped without cells that fold: its outline turns back "
                        "too far; name other corners, divide it by curves, or write cells = "
                        "\"triangles\"",
                        name));
    return out;
}

}  // namespace anvilcast::planar
