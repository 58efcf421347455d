// From curves to faces.
//
// Each curve is sampled, and broken into strands where it turns sharply. Pairs of segments of samples whose boxes meet
// are looked at exactly: where they cross or touch, both strands are cut. A cut's place is rounded once and taken by
// both, so the strands meet in one node; the rounding may make a neighbour cross, so all is looked at again until
// nothing is cut. Round a node strands are sorted by direction; a face keeps to the left of its strands. Loops that run
// clockwise are the rims of holes, or of everything; they belong to the smallest loop that they lie in.

#include "planar/outline.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>

#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

constexpr int kSamplesOfTurn = 1440, kSamplesOfSpan = 24;
/// Of the extent: dividing lines reach so much farther than they are drawn, to meet curves that bend away from them,
/// and lose again what ends within that.
constexpr double kReach = 2e-5, kSpur = 1e-4;
/// Rounding of cut places dies out at once as a rule.
constexpr int kMostRounds = 8;

int n_samples(const CurvePiece& piece) {
    if (const auto* arc = std::get_if<ArcPiece>(&piece))
        return std::max(
            4, static_cast<int>(std::ceil(std::abs(arc->to - arc->from) / (2 * std::numbers::pi) * kSamplesOfTurn)));
    if (const auto* smooth = std::get_if<SmoothPiece>(&piece))
        return kSamplesOfSpan * static_cast<int>(smooth->knots.size() - 1);
    return 1;
}

void measure(Strand& s) {
    double along = 0;
    for (std::size_t i = 0; i < s.samples.size(); ++i) {
        if (i > 0) along += distance(s.samples[i - 1].point, s.samples[i].point);
        s.samples[i].along = along;
    }
}

bool turns_sharply(const Vec2& a, const Vec2& b, const Vec2& c, double corner_deg) {
    return dot(normalized(b - a), normalized(c - b)) < std::cos(corner_deg * std::numbers::pi / 180);
}

/// The strands of one curve, before any is cut.
std::vector<Strand> strands_of(const PlaneCurve& curve, Index number, double join) {
    std::vector<Strand> out;
    for (Index p = 0; p < curve.pieces.size(); ++p) {
        const int n = n_samples(curve.pieces[p]);
        std::vector<Strand::Sample> samples;
        for (int i = 0; i <= n; ++i) {
            const double share = static_cast<double>(i) / n;
            samples.push_back({place_on(curve.pieces[p], share), p, share});
        }
        const bool goes_on = !out.empty() && distance(out.back().samples.back().point, samples[0].point) <= join &&
                             !turns_sharply(out.back().samples[out.back().samples.size() - 2].point, samples[0].point,
                                            samples[1].point, curve.corner_angle_deg);
        if (!goes_on) {
            out.push_back({number, 0, 0, std::move(samples)});
            continue;
        }
        // The joint stays the end of the piece before: up to it shares are of that.
        auto& before = out.back().samples;
        before.insert(before.end(), samples.begin() + 1, samples.end());
    }
    // A closed curve begins somewhere; where it is smooth there, that is no corner.
    if (out.size() > 1) {
        auto &first = out.front().samples, &last = out.back().samples;
        if (distance(first.front().point, last.back().point) <= join &&
            !turns_sharply(last[last.size() - 2].point, first[0].point, first[1].point, curve.corner_angle_deg)) {
            last.insert(last.end(), first.begin() + 1, first.end());
            out.front() = std::move(out.back());
            out.pop_back();
        }
    }
    return out;
}

class Arranger {
  public:
    Arranger(const std::vector<PlaneCurve>& curves, double join) : curves_(curves), join_(join) {}

    Outline run() {
        find_extent();
        for (Index c = 0; c < curves_.size(); ++c)
            for (Strand& s : strands_of(curves_[c], c, join_)) {
                s.from = node_at(s.samples.front().point);
                s.to = node_at(s.samples.back().point);
                out_.strands.push_back(std::move(s));
            }
        for (Strand& s : out_.strands) settle(s);
        for (Strand& s : out_.strands)
            if (curve(s).divides) lengthen(s);
        for (int round = 0; round < kMostRounds; ++round) {
            find_cuts();
            if (!cut()) break;
        }
        drop_specks();
        drop_spurs();
        settle_twins();
        find_faces();
        return std::move(out_);
    }

  private:
    /// `lo` to `hi` along the axis that is swept over, `low` to `high` across.
    struct Segment {
        Index strand;
        std::size_t at;
        double lo, hi, low, high;
    };
    struct Cut {
        double along;
        Index node;
    };

    const PlaneCurve& curve(const Strand& s) const { return curves_[s.curve]; }

    /// The node within the tolerance, of the lowest number, or a new one. Nodes are kept in a grid as wide as that.
    Index node_at(const Vec2& p) {
        const auto x = static_cast<std::int64_t>(std::floor(p.x / join_)),
                   y = static_cast<std::int64_t>(std::floor(p.y / join_));
        Index found = kNone;
        for (std::int64_t i = x - 1; i <= x + 1; ++i)
            for (std::int64_t j = y - 1; j <= y + 1; ++j)
                if (const auto at = grid_.find({i, j}); at != grid_.end())
                    for (const Index n : at->second)
                        if (distance(out_.nodes[n], p) <= join_) found = std::min(found, n);
        if (found != kNone) return found;
        out_.nodes.push_back(p);
        grid_[{x, y}].push_back(static_cast<Index>(out_.nodes.size() - 1));
        return static_cast<Index>(out_.nodes.size() - 1);
    }
    void settle(Strand& s) const {
        s.samples.front().point = out_.nodes[s.from];
        s.samples.back().point = out_.nodes[s.to];
        measure(s);
    }

    // ---- cuts ----

    void find_cuts() {
        cuts_.assign(out_.strands.size(), {});
        // Over the longer axis, so that few are open at a time.
        Box box;
        for (const Strand& s : out_.strands)
            for (const auto& sample : s.samples) box.include(Vec3{sample.point.x, sample.point.y, 0});
        const bool is_upright = !box.is_empty() && box.extent().y > box.extent().x;
        std::vector<Segment> segments;
        for (Index i = 0; i < out_.strands.size(); ++i) {
            const auto& samples = out_.strands[i].samples;
            for (std::size_t k = 0; k + 1 < samples.size(); ++k) {
                const Vec2 &a = samples[k].point, &b = samples[k + 1].point;
                const auto x = std::minmax(a.x, b.x), y = std::minmax(a.y, b.y);
                const auto &along = is_upright ? y : x, &across = is_upright ? x : y;
                segments.push_back(
                    {i, k, along.first - join_, along.second + join_, across.first - join_, across.second + join_});
            }
        }
        std::sort(segments.begin(), segments.end(), [](const Segment& a, const Segment& b) {
            return std::tie(a.lo, a.strand, a.at) < std::tie(b.lo, b.strand, b.at);
        });
        std::vector<std::size_t> open;
        for (std::size_t i = 0; i < segments.size(); ++i) {
            const Segment& s = segments[i];
            std::erase_if(open, [&](std::size_t k) { return segments[k].hi < s.lo; });
            for (const std::size_t k : open)
                if (segments[k].low <= s.high && s.low <= segments[k].high) look_at(segments[k], s);
            open.push_back(i);
        }
    }

    void look_at(const Segment& p, const Segment& q) {
        const Strand &s = out_.strands[p.strand], &t = out_.strands[q.strand];
        const Vec2 &a = s.samples[p.at].point, &b = s.samples[p.at + 1].point, &c = t.samples[q.at].point,
                   &d = t.samples[q.at + 1].point;
        const bool is_next = p.strand == q.strand && (p.at + 1 == q.at || q.at + 1 == p.at);
        if (a == c || a == d || b == c || b == d || is_next) {
            touch_at_ends(p, q);
            return;
        }
        const int abc = orient2d(a, b, c), abd = orient2d(a, b, d), cda = orient2d(c, d, a), cdb = orient2d(c, d, b);
        // What touches at a sample within a strand is cut as what crosses is.
        const bool is_along = abc == 0 && abd == 0;
        if (abc * abd <= 0 && cda * cdb <= 0 && !is_along) {
            const double share = std::clamp(cross(c - a, d - c) / cross(b - a, d - c), 0.0, 1.0);
            const Vec2 place = a * (1 - share) + b * share;
            const Index node = node_at(place);
            add_cut(p, place, node);
            add_cut(q, place, node);
        }
        touch_at_ends(p, q);
    }

    /// Ends of strands that lie on the other segment, or closer to it than the tolerance.
    void touch_at_ends(const Segment& p, const Segment& q) {
        for (const auto& [one, other] : {std::pair(p, q), std::pair(q, p)}) {
            const Strand& s = out_.strands[one.strand];
            if (one.at == 0) end_on(s.from, other);
            if (one.at + 2 == s.samples.size()) end_on(s.to, other);
        }
    }
    void end_on(Index node, const Segment& other) {
        const Strand& t = out_.strands[other.strand];
        const Vec2 &c = t.samples[other.at].point, &d = t.samples[other.at + 1].point, &p = out_.nodes[node];
        const double share = std::clamp(dot(p - c, d - c) / length_squared(d - c), 0.0, 1.0);
        const Vec2 foot = c * (1 - share) + d * share;
        if (distance(foot, p) > join_ || node == t.from || node == t.to) return;
        add_cut(other, p, node);
    }
    void add_cut(const Segment& at, const Vec2& place, Index node) {
        const Strand& s = out_.strands[at.strand];
        if (node == s.from || node == s.to) return;
        cuts_[at.strand].push_back({s.samples[at.at].along + distance(s.samples[at.at].point, place), node});
    }

    /// True when any strand was cut.
    bool cut() {
        std::vector<Strand> pieces;
        bool has_cut = false;
        for (Index i = 0; i < out_.strands.size(); ++i) {
            auto& cuts = cuts_[i];
            Strand& whole = out_.strands[i];
            if (cuts.empty()) {
                pieces.push_back(std::move(whole));
                continue;
            }
            has_cut = true;
            std::sort(cuts.begin(), cuts.end(),
                      [](const Cut& a, const Cut& b) { return std::tie(a.along, a.node) < std::tie(b.along, b.node); });
            double before = 0;
            Index from = whole.from;
            for (const Cut& c : cuts) {
                if (c.node == from) continue;
                pieces.push_back(part(whole, before, c.along, from, c.node));
                before = c.along;
                from = c.node;
            }
            pieces.push_back(part(whole, before, whole.length(), from, whole.to));
        }
        out_.strands = std::move(pieces);
        return has_cut;
    }

    Strand part(const Strand& whole, double from_along, double to_along, Index from, Index to) const {
        Strand out{whole.curve, from, to, {}};
        auto sample_at = [&](double along) {
            const auto& all = whole.samples;
            auto above = std::upper_bound(all.begin() + 1, all.end() - 1, along,
                                          [](double x, const Strand::Sample& s) { return x < s.along; });
            const auto& b = *above;
            const auto& a = *(above - 1);
            const double t = b.along > a.along ? (along - a.along) / (b.along - a.along) : 0;
            const double first = a.piece == b.piece ? a.share : 0;
            return Strand::Sample{a.point * (1 - t) + b.point * t, b.piece, first + (b.share - first) * t};
        };
        // A sample where the cut is would leave a segment of no length.
        const double least = std::min(join_, 1e-3 * (to_along - from_along));
        out.samples.push_back(sample_at(from_along));
        for (const auto& s : whole.samples)
            if (s.along > from_along + least && s.along < to_along - least) out.samples.push_back(s);
        out.samples.push_back(sample_at(to_along));
        settle(out);
        return out;
    }

    /// Strands that the tolerance has made points of.
    void drop_specks() {
        std::erase_if(out_.strands, [this](const Strand& s) {
            return s.is_loop() && std::all_of(s.samples.begin(), s.samples.end(), [&](const Strand::Sample& at) {
                       return distance(at.point, out_.nodes[s.from]) <= join_;
                   });
        });
    }

    // ---- dividing lines ----

    void find_extent() {
        Box box;
        for (const PlaneCurve& c : curves_)
            for (const CurvePiece& piece : c.pieces)
                for (const double share : {0.0, 0.25, 0.5, 0.75, 1.0}) {
                    const Vec2 p = place_on(piece, share);
                    box.include(Vec3{p.x, p.y, 0});
                }
        extent_ = box.is_empty() ? 0 : box.diagonal();
    }
    /// An end that is on nothing goes on straight.
    void lengthen(Strand& s) {
        auto& all = s.samples;
        if (s.is_loop()) return;
        if (!is_met(s, all.front().point)) {
            Strand::Sample first = all.front();
            first.point = first.point + normalized(first.point - all[1].point) * (kReach * extent_);
            s.from = node_at(first.point);
            all.insert(all.begin(), first);
        }
        if (!is_met(s, all.back().point)) {
            Strand::Sample last = all.back();
            last.point = last.point + normalized(last.point - all[all.size() - 2].point) * (kReach * extent_);
            s.to = node_at(last.point);
            all.push_back(last);
        }
        settle(s);
    }
    bool is_met(const Strand& own, const Vec2& p) const {
        for (const Strand& s : out_.strands) {
            if (&s == &own) continue;
            for (std::size_t k = 1; k < s.samples.size(); ++k) {
                const Vec2 &a = s.samples[k - 1].point, &b = s.samples[k].point;
                const double share = std::clamp(dot(p - a, b - a) / std::max(length_squared(b - a), 1e-300), 0.0, 1.0);
                if (distance(a * (1 - share) + b * share, p) <= join_) return true;
            }
        }
        return false;
    }
    void drop_spurs() {
        for (bool any = true; any;) {
            std::vector<int> n_at(out_.nodes.size(), 0);
            for (const Strand& s : out_.strands) {
                ++n_at[s.from];
                ++n_at[s.to];
            }
            any = std::erase_if(out_.strands, [&](const Strand& s) {
                      return curve(s).divides && s.length() < kSpur * extent_ && (n_at[s.from] == 1 || n_at[s.to] == 1);
                  }) > 0;
        }
    }

    /// Of two that run along each other one gives way, of the surround before that of a body.
    void settle_twins() {
        const auto& all = out_.strands;
        std::vector<char> is_out(all.size(), 0);
        std::map<std::pair<Index, Index>, std::vector<std::size_t>> between;
        for (std::size_t k = 0; k < all.size(); ++k) {
            auto& others = between[std::minmax(all[k].from, all[k].to)];
            for (const std::size_t i : others) {
                if (is_out[i] != 0) continue;
                const Vec2 middle = place_at(all[i], curves_, 0.5 * all[i].length());
                if (std::abs(all[i].length() - all[k].length()) > 2 * join_ ||
                    distance(middle, place_at(all[k], curves_, 0.5 * all[k].length())) > join_)
                    continue;
                const PlaneCurve &one = curve(all[i]), &other = curve(all[k]);
                if (one.gives_way || other.gives_way) {
                    const bool is_first = one.gives_way && (!other.gives_way || one.zone.is_of_surround);
                    is_out[is_first ? i : k] = 1;
                    if (is_first) continue;
                    break;
                }
                throw InputError(
                    fmt::format("the curves \"{}\" and \"{}\" run along each other at [{:.6g}, {:.6g}] m; "
                                "leave one of them out there",
                                curve(all[i]).zone.name, curve(all[k]).zone.name, middle.x, middle.y));
            }
            others.push_back(k);
        }
        std::size_t n = 0;
        std::erase_if(out_.strands, [&](const Strand&) { return is_out[n++] != 0; });
    }

    // ---- faces ----

    /// Way 2 s goes along strand s, 2 s + 1 back.
    Index start_of(Index way) const {
        const Strand& s = out_.strands[way / 2];
        return way % 2 == 0 ? s.from : s.to;
    }
    std::vector<Vec2> points_of(Index way) const {
        std::vector<Vec2> out;
        for (const auto& s : out_.strands[way / 2].samples) out.push_back(s.point);
        if (way % 2 == 1) std::reverse(out.begin(), out.end());
        return out;
    }

    void find_faces() {
        std::vector<std::vector<Index>> leaving(out_.nodes.size());
        for (Index way = 0; way < 2 * out_.strands.size(); ++way) leaving[start_of(way)].push_back(way);
        std::vector<Index> place(2 * out_.strands.size());
        for (Index n = 0; n < leaving.size(); ++n) {
            sort_by_direction(leaving[n]);
            for (Index k = 0; k < leaving[n].size(); ++k) place[leaving[n][k]] = k;
            if (leaving[n].size() == 1) out_.open_ends.push_back(n);
        }
        std::vector<char> is_done(2 * out_.strands.size(), 0);
        std::vector<Loop> holes;
        for (Index first = 0; first < is_done.size(); ++first) {
            if (is_done[first] != 0) continue;
            Loop loop;
            double twice = 0;
            for (Index way = first; is_done[way] == 0;) {
                is_done[way] = 1;
                loop.push_back({way / 2, way % 2 == 0});
                const auto points = points_of(way);
                for (std::size_t k = 1; k < points.size(); ++k) twice += cross(points[k - 1], points[k]);
                // The next one to the right of the way back keeps the face on the left.
                const auto& around = leaving[start_of(way ^ 1U)];
                way = around[(place[way ^ 1U] + around.size() - 1) % around.size()];
            }
            if (twice > 0)
                out_.faces.push_back({std::move(loop), {}, 0.5 * twice});
            else
                holes.push_back(std::move(loop));
        }
        for (const Face& f : out_.faces) {
            Box& box = boxes_.emplace_back();
            for (const Pass& p : f.outer)
                for (const auto& s : out_.strands[p.strand].samples) box.include(Vec3{s.point.x, s.point.y, 0});
        }
        for (Loop& hole : holes) put_into_face(std::move(hole));
        for (const auto& [face, area] : hole_area_) face->area += area;
    }

    void sort_by_direction(std::vector<Index>& ways) const {
        auto angle = [&](Index way) {
            const auto points = points_of(way);
            const Vec2 d = points[1] - points[0];
            return std::atan2(d.y, d.x);
        };
        // What leaves in one direction is told apart by which way it bends.
        auto bend = [&](Index way) {
            const auto points = points_of(way);
            if (points.size() < 3) return 0.0;
            const Vec2 u = normalized(points[1] - points[0]), v = points[2] - points[0];
            return cross(u, v) / std::max(1e-300, length_squared(v));
        };
        constexpr double kSame = 1e-9;
        std::sort(ways.begin(), ways.end());
        std::stable_sort(ways.begin(), ways.end(), [&](Index a, Index b) {
            const double x = angle(a), y = angle(b);
            return std::abs(x - y) > kSame ? x < y : bend(a) < bend(b);
        });
    }

    void put_into_face(Loop&& hole) {
        const Index inner = start_of(2 * hole.front().strand);
        Face* smallest = nullptr;
        const Vec3 place{out_.nodes[inner].x, out_.nodes[inner].y, 0};
        for (std::size_t k = 0; k < out_.faces.size(); ++k) {
            Face& f = out_.faces[k];
            if (smallest != nullptr && f.area >= smallest->area) continue;
            if (boxes_[k].distance_squared_to(place) > 0) continue;
            if (is_inside(out_, {f.outer, {}, f.area}, out_.nodes[inner]) != true) continue;
            smallest = &f;
        }
        if (smallest == nullptr) return;
        double twice = 0;
        for (const Pass& p : hole) {
            const auto points = points_of(2 * p.strand + (p.is_forward ? 0 : 1));
            for (std::size_t k = 1; k < points.size(); ++k) twice += cross(points[k - 1], points[k]);
        }
        smallest->holes.push_back(std::move(hole));
        hole_area_.emplace_back(smallest, 0.5 * twice);
    }

    const std::vector<PlaneCurve>& curves_;
    double join_, extent_ = 0;
    Outline out_;
    std::map<std::pair<std::int64_t, std::int64_t>, std::vector<Index>> grid_;
    std::vector<Box> boxes_;  ///< of the faces
    std::vector<std::vector<Cut>> cuts_;
    std::vector<std::pair<Face*, double>> hole_area_;  ///< of each hole, below 0
};

}  // namespace

Vec2 place_at(const Strand& strand, const std::vector<PlaneCurve>& curves, double along) {
    const auto& all = strand.samples;
    if (along <= 0) return all.front().point;
    if (along >= strand.length()) return all.back().point;
    const auto above = std::upper_bound(all.begin() + 1, all.end() - 1, along,
                                        [](double x, const Strand::Sample& s) { return x < s.along; });
    const auto &b = *above, &a = *(above - 1);
    const double t = b.along > a.along ? (along - a.along) / (b.along - a.along) : 0;
    const double first = a.piece == b.piece ? a.share : 0;
    return place_on(curves[strand.curve].pieces[b.piece], first + (b.share - first) * t);
}

std::optional<bool> is_inside(const Outline& outline, const Face& face, const Vec2& place) {
    // Upward and downward crossings of the ray to the right, decided exactly.
    bool inside = false;
    auto look = [&](const Loop& loop) {
        for (const Pass& p : loop) {
            const auto& samples = outline.strands[p.strand].samples;
            for (std::size_t k = 1; k < samples.size(); ++k) {
                const Vec2 &a = samples[k - 1].point, &b = samples[k].point;
                const bool is_over = (a.y > place.y) != (b.y > place.y);
                const bool is_beside = std::min(a.y, b.y) <= place.y && place.y <= std::max(a.y, b.y) &&
                                       std::min(a.x, b.x) <= place.x && place.x <= std::max(a.x, b.x);
                if (!is_over && !is_beside) continue;
                const int turn = orient2d(a, b, place);
                if (turn == 0 && is_beside) return false;
                if (is_over && (turn > 0) == (b.y > a.y)) inside = !inside;
            }
        }
        return true;
    };
    if (!look(face.outer)) return std::nullopt;
    for (const Loop& hole : face.holes)
        if (!look(hole)) return std::nullopt;
    return inside;
}

Vec2 place_inside(const Outline& outline, const Face& face) {
    Box box;
    std::vector<std::array<Vec2, 2>> segments;
    auto gather = [&](const Loop& loop) {
        for (const Pass& p : loop) {
            const auto& samples = outline.strands[p.strand].samples;
            for (std::size_t k = 1; k < samples.size(); ++k) {
                segments.push_back({samples[k - 1].point, samples[k].point});
                box.include(Vec3{samples[k].point.x, samples[k].point.y, 0});
            }
        }
    };
    gather(face.outer);
    for (const Loop& hole : face.holes) gather(hole);
    // The middle of the longest stretch within, of some lines through it.
    Vec2 best{};
    double longest = -1;
    constexpr int kLines = 17;
    for (int i = 1; i < kLines; ++i) {
        const double y = box.lo.y + (box.hi.y - box.lo.y) * (i + 0.137) / (kLines + 0.3);
        std::vector<double> hits;
        for (const auto& [a, b] : segments)
            if ((a.y > y) != (b.y > y)) hits.push_back(a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y));
        std::sort(hits.begin(), hits.end());
        for (std::size_t k = 0; k + 1 < hits.size(); k += 2)
            if (hits[k + 1] - hits[k] > longest) {
                longest = hits[k + 1] - hits[k];
                best = {0.5 * (hits[k] + hits[k + 1]), y};
            }
    }
    return best;
}

Outline arrange(const std::vector<PlaneCurve>& curves, double join) { return Arranger(curves, join).run(); }

}  // namespace anvilcast::planar
