// Strands divided into edges: as many as the sizes along them ask for, each taking an equal share of the sum of length
// over size; or as many as the curve says, of equal length or biased.

#include "planar/divide.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

/// Of a strand: the sum of length over size up to each of so many equal steps.
constexpr int kSteps = 400;

std::vector<double> edges_up_to(const Strand& s, const std::vector<PlaneCurve>& curves, const SizeField& sizes,
                                double from, double to) {
    // Steps must not be coarser than what rules the size: a handful to an edge.
    const Vec2 a = s.samples.front().point;
    const double length = to - from, rough = length / sizes.at({a.x, a.y, 0});
    const int n = std::max(kSteps, static_cast<int>(std::min(20000.0, 8 * rough)));
    std::vector<double> out{0};
    for (int i = 0; i < n; ++i) {
        const Vec2 p = place_at(s, curves, from + length * (i + 0.5) / n);
        out.push_back(out.back() + length / n / sizes.at({p.x, p.y, 0}));
    }
    return out;
}

/// Lengths of edges, the first 1, each so many times the one before that the last is `bias`.
std::vector<double> biased_lengths(int n, double bias, FinerAt finer_at) {
    std::vector<double> out(static_cast<std::size_t>(n), 1);
    auto fill = [&](std::size_t from, std::size_t to, bool grows) {
        const std::size_t m = to - from;
        for (std::size_t k = 0; k < m; ++k) {
            const double share = m > 1 ? static_cast<double>(k) / static_cast<double>(m - 1) : 0;
            out[from + k] = std::pow(bias, grows ? share : 1 - share);
        }
    };
    const auto size = static_cast<std::size_t>(n);
    switch (finer_at) {
        case FinerAt::start:
            fill(0, size, true);
            break;
        case FinerAt::end:
            fill(0, size, false);
            break;
        case FinerAt::ends:
            fill(0, (size + 1) / 2, true);
            fill(size / 2, size, false);
            break;
        case FinerAt::middle:
            fill(0, (size + 1) / 2, false);
            fill(size / 2, size, true);
            break;
    }
    return out;
}

/// Shares out a number by weights, at least one each.
std::vector<int> shared_out(int n, const std::vector<double>& weights) {
    const double sum = std::accumulate(weights.begin(), weights.end(), 0.0);
    std::vector<int> out;
    std::vector<std::pair<double, std::size_t>> rests;
    int left = n;
    for (std::size_t k = 0; k < weights.size(); ++k) {
        const double exact = n * weights[k] / sum;
        out.push_back(std::max(1, static_cast<int>(exact)));
        left -= out.back();
        rests.emplace_back(-(exact - out.back()), k);
    }
    std::sort(rests.begin(), rests.end());
    for (std::size_t k = 0; left > 0; k = (k + 1) % rests.size(), --left) ++out[rests[k].second];
    while (left < 0) {
        const auto most = std::max_element(out.begin(), out.end());
        if (*most <= 1) break;
        --*most;
        ++left;
    }
    return out;
}

/// Samples are as fine as crossings need; sizes need one for every few degrees that the strand turns by.
std::vector<Vec2> enough_for_sizes(const Strand& s) {
    constexpr double kTurn = 4;  // degrees; curvature is right to a part in a thousand
    const double cos_turn = std::cos(kTurn * 3.14159265358979 / 180);
    std::vector<Vec2> out{s.samples.front().point};
    Vec2 before = normalized(s.samples[1].point - s.samples[0].point);
    for (std::size_t k = 1; k + 1 < s.samples.size(); ++k) {
        const Vec2 ahead = normalized(s.samples[k + 1].point - s.samples[k].point);
        if (dot(before, ahead) > cos_turn) continue;
        out.push_back(s.samples[k].point);
        before = ahead;
    }
    out.push_back(s.samples.back().point);
    return out;
}

double length_of(const std::vector<Index>& side, const Outline& outline) {
    double sum = 0;
    for (const Index s : side) sum += outline.strands[s].length();
    return sum;
}

}  // namespace

Walls as_walls(const Outline& outline, const std::vector<PlaneCurve>& curves, const std::vector<PlaneArea>& areas,
               double height) {
    Walls walls{{}, {}, std::vector<Index>(outline.strands.size(), kNone), height};
    Domain& out = walls.domain;
    for (const PlaneCurve& c : curves) out.boundary.zones.push_back(c.zone);
    for (const PlaneArea& a : areas) out.regions.push_back({a.name, a.kind, 0, {}});
    std::vector<Index> interface_of(curves.size(), kNone);
    for (Index i = 0; i < outline.strands.size(); ++i) {
        const Strand& s = outline.strands[i];
        if ((s.area[0] == kNone && s.area[1] == kNone) || curves[s.curve].divides) continue;
        walls.zone_of_strand[i] = s.curve;
        if (s.area[0] != kNone && s.area[1] != kNone) {
            if (interface_of[s.curve] == kNone) {
                interface_of[s.curve] = static_cast<Index>(out.boundary.zones.size());
                Zone zone = curves[s.curve].zone;
                zone.role = Role::interface_;
                out.boundary.zones.push_back(std::move(zone));
            }
            walls.zone_of_strand[i] = interface_of[s.curve];
        }
        const auto first = static_cast<Index>(out.boundary.points.size());
        const std::vector<Vec2> points = enough_for_sizes(s);
        const auto n = static_cast<Index>(points.size());
        for (const Vec2& p : points)
            for (const double z : {-0.5 * height, 0.5 * height}) out.boundary.points.push_back({p.x, p.y, z});
        for (Index k = 0; k + 1 < n; ++k) {
            const Index a = first + 2 * k, b = a + 2;
            // Normals to the right of the strand's way, or the other way where there is nothing on its left.
            std::array<Triangle, 2> pair{{{a, b, b + 1}, {a, b + 1, a + 1}}};
            std::array<Index, 2> sides{s.area[1], s.area[0]};
            if (sides[1] == kNone || (sides[0] != kNone && sides[0] < sides[1])) {
                for (Triangle& t : pair) std::swap(t[1], t[2]);
                std::swap(sides[0], sides[1]);
            }
            for (const Triangle& t : pair) {
                out.boundary.triangles.push_back(t);
                out.boundary.zone_of.push_back(walls.zone_of_strand[i]);
                out.sides.push_back(sides);
                walls.strand_of.push_back(i);
            }
        }
    }
    return walls;
}

Division count_edges(const Outline& outline, const std::vector<PlaneCurve>& curves, const SizeField& sizes,
                     const std::vector<std::array<double, 2>>& taken) {
    Division out;
    out.count.assign(outline.strands.size(), 0);
    out.is_given.assign(outline.strands.size(), 0);
    std::vector<std::vector<Index>> strands_of(curves.size());
    std::map<std::pair<Index, Index>, int> n_between;
    for (const Strand& s : outline.strands) ++n_between[std::minmax(s.from, s.to)];
    for (Index i = 0; i < outline.strands.size(); ++i) {
        const Strand& s = outline.strands[i];
        if (s.area[0] == kNone && s.area[1] == kNone) continue;
        strands_of[s.curve].push_back(i);
        const std::array<double, 2> off = taken.empty() ? std::array<double, 2>{0, 0} : taken[i];
        const double edges = edges_up_to(s, curves, sizes, off[0], s.length() - off[1]).back();
        // A loop needs three edges to enclose anything, and strands between the same nodes two to be told apart.
        const int least = s.is_loop() ? 3 : n_between[std::minmax(s.from, s.to)] > 1 ? 2 : 1;
        out.count[i] = std::max(least, static_cast<int>(std::lround(std::min(edges, 1e7))));
    }
    for (Index c = 0; c < curves.size(); ++c) {
        if (!curves[c].divisions || strands_of[c].empty()) continue;
        std::vector<double> lengths;
        for (const Index s : strands_of[c]) lengths.push_back(outline.strands[s].length());
        if (*curves[c].divisions < static_cast<int>(lengths.size()))
            throw InputError(
                fmt::format("the curve \"{}\" is to have {} edge(s), but corners or other curves cut it "
                            "into {} pieces",
                            curves[c].zone.name, *curves[c].divisions, lengths.size()));
        const auto counts = shared_out(*curves[c].divisions, lengths);
        for (std::size_t k = 0; k < counts.size(); ++k) {
            out.count[strands_of[c][k]] = counts[k];
            out.is_given[strands_of[c][k]] = 1;
        }
    }
    return out;
}

void make_equal(Division& division, const std::vector<FacingSides>& sides, const Outline& outline,
                const std::vector<PlaneCurve>& curves, const std::vector<PlaneArea>& areas) {
    auto sum = [&](const std::vector<Index>& side) {
        int n = 0;
        for (const Index s : side) n += division.count[s];
        return n;
    };
    auto is_given = [&](const std::vector<Index>& side) {
        return std::all_of(side.begin(), side.end(), [&](Index s) { return division.is_given[s] != 0; });
    };
    auto set = [&](const std::vector<Index>& side, int n) {
        std::vector<Index> free;
        std::vector<double> weights;
        for (const Index s : side) {
            if (division.is_given[s] != 0) {
                n -= division.count[s];
                continue;
            }
            free.push_back(s);
            weights.push_back(division.count[s] > 0 ? division.count[s] : outline.strands[s].length());
        }
        if (free.empty() || n < static_cast<int>(free.size())) return false;
        const auto counts = shared_out(n, weights);
        for (std::size_t k = 0; k < free.size(); ++k) division.count[free[k]] = counts[k];
        return true;
    };
    auto names = [&](const std::vector<Index>& side) {
        std::vector<std::string> out;
        for (const Index s : side) {
            const std::string name = "\"" + curves[outline.strands[s].curve].zone.name + "\"";
            if (std::find(out.begin(), out.end(), name) == out.end()) out.push_back(name);
        }
        return fmt::format("{}", fmt::join(out, " and "));
    };
    // Counts only grow but where one is given, so this ends; a ring of sides passes a number round once or twice.
    for (std::size_t round = 0; round < 4 * sides.size() + 8; ++round) {
        bool has_changed = false;
        for (const FacingSides& f : sides) {
            const int n = sum(f.one), m = sum(f.other);
            if (n == m) continue;
            const bool one_is_given = is_given(f.one), other_is_given = is_given(f.other);
            bool done = false;
            if (one_is_given && !other_is_given)
                done = set(f.other, n);
            else if (other_is_given && !one_is_given)
                done = set(f.one, m);
            else if (!one_is_given && !other_is_given)
                done = n < m ? set(f.one, m) : set(f.other, n);
            if (!done && f.area == kNone)
                throw InputError(
                    fmt::format("{} is to have {} edges, and {}, where it repeats, {}; change or leave "
                                "out divisions",
                                names(f.one), n, names(f.other), m));
            if (!done)
                throw InputError(
                    fmt::format("the mapped area \"{}\" has {} edges on {} and {} on {} opposite (lengths {:.4g} and "
                                "{:.4g} m): opposite sides need as many; change or leave out divisions",
                                areas[f.area].name, n, names(f.one), m, names(f.other), length_of(f.one, outline),
                                length_of(f.other, outline)));
            has_changed = true;
        }
        if (!has_changed) return;
    }
    throw InputError("divisions of the mapped areas, or of sides that repeat, contradict each other; leave some out");
}

std::vector<Vec2> divided(const Strand& s, const std::vector<PlaneCurve>& curves, int count, bool is_given,
                          const SizeField& sizes, double from, double to) {
    const PlaneCurve& curve = curves[s.curve];
    std::vector<Vec2> out{place_at(s, curves, from)};
    const auto n = static_cast<std::size_t>(count);
    if (is_given || curve.bias != 1) {
        const auto lengths = biased_lengths(count, curve.bias, curve.finer_at);
        const double whole = std::accumulate(lengths.begin(), lengths.end(), 0.0);
        double sum = 0;
        for (std::size_t k = 0; k + 1 < n; ++k) {
            sum += lengths[k];
            out.push_back(place_at(s, curves, from + (to - from) * sum / whole));
        }
    } else {
        const auto edges = edges_up_to(s, curves, sizes, from, to);
        const double steps = static_cast<double>(edges.size() - 1);
        for (std::size_t k = 1; k < n; ++k) {
            const double wanted = edges.back() * static_cast<double>(k) / static_cast<double>(n);
            const auto above = std::lower_bound(edges.begin(), edges.end(), wanted);
            const auto i = static_cast<std::size_t>(above - edges.begin());
            const double within = (wanted - edges[i - 1]) / (edges[i] - edges[i - 1]);
            out.push_back(place_at(s, curves, from + (to - from) * (static_cast<double>(i - 1) + within) / steps));
        }
    }
    out.push_back(place_at(s, curves, to));
    return out;
}

}  // namespace anvilcast::planar
