#include "wrap/features.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <numeric>

#include "base/disjoint_sets.hpp"
#include "wrap/meeting_of_planes.hpp"
#include "wrap/place_grid.hpp"

namespace anvilcast::wrapping {
namespace {

/// A chain ends where it turns by more than this.
constexpr double kCosOfTurn = 0.5;
/// Places beside very sharp edges are at most so many offsets away.
constexpr double kFarthestAside = 2, kFarthestInHollow = 10;

Vec3 unit_normal(const Surface& s, Index t) {
    return normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
}

Vec3 capped(const Vec3& v, double most) {
    const double l = length(v);
    return l > most ? v * (most / l) : v;
}

/// The place at the offset 1 of all faces with these normals.
Vec3 common_offset(const std::vector<Vec3>& normals) {
    std::vector<Plane> planes;
    for (const Vec3& n : normals) planes.push_back({n, 1});
    return meeting_of_planes(planes, {});
}

/// Chains through the kept edges that end at points where other than two of them meet, or where they turn.
class ChainFinder {
  public:
    ChainFinder(const Surface& s, const SurfaceEdges& edges, const std::vector<bool>& keep)
        : s_(s), edges_(edges), used_(edges.size(), false) {
        std::vector<Index> count(s.points.size() + 1, 0);
        for (Index e = 0; e < edges.size(); ++e)
            if (keep[e])
                for (const Index p : edges.ends(e)) ++count[p + 1];
        std::partial_sum(count.begin(), count.end(), count.begin());
        first_ = count;
        at_.resize(first_.back());
        for (Index e = 0; e < edges.size(); ++e)
            if (keep[e])
                for (const Index p : edges.ends(e)) at_[count[p]++] = e;
    }

    bool is_end(Index p) const {
        if (first_[p + 1] - first_[p] != 2) return true;
        const Vec3 a = s_.points[other(at_[first_[p]], p)], b = s_.points[other(at_[first_[p] + 1], p)];
        return dot(normalized(s_.points[p] - a), normalized(b - s_.points[p])) < kCosOfTurn;
    }
    Index degree(Index p) const { return first_[p + 1] - first_[p]; }
    Index edge_at(Index p, Index k) const { return at_[first_[p] + k]; }
    bool is_used(Index e) const { return used_[e]; }

    /// The chain from p along e: its edges, and its points in order.
    void follow(Index p, Index e, std::vector<Index>& chain, std::vector<Index>& points) {
        chain.clear();
        points.assign(1, p);
        while (!used_[e]) {
            used_[e] = true;
            chain.push_back(e);
            p = other(e, p);
            points.push_back(p);
            if (is_end(p)) break;
            e = at_[first_[p]] == e ? at_[first_[p] + 1] : at_[first_[p]];
        }
    }

  private:
    Index other(Index e, Index p) const { return edges_.ends(e)[0] == p ? edges_.ends(e)[1] : edges_.ends(e)[0]; }

    const Surface& s_;
    const SurfaceEdges& edges_;
    std::vector<bool> used_;
    std::vector<Index> first_, at_;
};

/// Pieces that hang together over edges, with their extents.
class Sheets {
  public:
    Sheets(const Surface& s, const SurfaceEdges& edges) : sets_(s.triangles.size()), boxes_(s.triangles.size()) {
        for (std::size_t e = 0; e < edges.size(); ++e)
            for (const auto* use = edges.begin(e) + 1; use < edges.end(e); ++use)
                sets_.join(edges.begin(e)->triangle, use->triangle);
        for (Index t = 0; t < s.triangles.size(); ++t)
            for (int k = 0; k < 3; ++k) boxes_[sets_.find(t)].include(s.corner(t, k));
    }
    double extent_of(Index triangle) const { return boxes_[sets_.find(triangle)].diagonal(); }

  private:
    mutable DisjointSets sets_;
    std::vector<Box> boxes_;
};

/// The direction from an edge along a triangle, away from the edge.
Vec3 along_triangle(const Surface& s, const Triangle& t, const Edge& e) {
    Index third = t[0];
    for (const Index p : t)
        if (p != e[0] && p != e[1]) third = p;
    const Vec3 axis = normalized(s.points[e[1]] - s.points[e[0]]);
    const Vec3 to = s.points[third] - s.points[e[0]];
    return normalized(to - axis * dot(axis, to));
}

struct Chain {
    std::vector<Index> edges, points;
    double length = 0;
};

std::vector<Chain> find_chains(const Surface& s, const SurfaceEdges& edges, const std::vector<bool>& keep,
                               double detail) {
    ChainFinder finder(s, edges, keep);
    std::vector<Chain> chains;
    auto take = [&](Index p, Index e) {
        Chain chain;
        finder.follow(p, e, chain.edges, chain.points);
        Box box;
        for (const Index q : chain.points) box.include(s.points[q]);
        for (std::size_t k = 0; k + 1 < chain.points.size(); ++k)
            chain.length += distance(s.points[chain.points[k]], s.points[chain.points[k + 1]]);
        // A loop is as large as it is wide.
        if (chain.length >= detail && 2 * box.diagonal() >= detail) chains.push_back(std::move(chain));
    };
    for (Index p = 0; p < s.points.size(); ++p)
        if (finder.degree(p) > 0 && finder.is_end(p))
            for (Index k = 0; k < finder.degree(p); ++k)
                if (!finder.is_used(finder.edge_at(p, k))) take(p, finder.edge_at(p, k));
    for (Index e = 0; e < edges.size(); ++e)
        if (keep[e] && !finder.is_used(e)) take(edges.ends(e)[0], e);
    return chains;
}

/// Chains among many: half of a chain and more has two others, or two other turns of itself, within kCrowdReach gaps.
/// The turns of a thread and the letters of a logo are wrapped over, the two edges of a plate are not.
void drop_crowded(const Surface& s, std::vector<Chain>& chains, const LengthAt& gap_at) {
    constexpr double kCrowdReach = 0.5, kStep = 0.5;
    struct Mark {
        Vec3 place;
        std::size_t chain;
        double along;
    };
    double widest = 0;
    std::vector<std::vector<Mark>> marks(chains.size());
    for (std::size_t c = 0; c < chains.size(); ++c) {
        double along = 0, next = 0;
        for (std::size_t k = 0; k + 1 < chains[c].points.size(); ++k) {
            const Vec3 &a = s.points[chains[c].points[k]], &b = s.points[chains[c].points[k + 1]];
            const double l = distance(a, b), gap = gap_at(midpoint(a, b));
            widest = std::max(widest, gap);
            for (; next <= along + l; next += kStep * gap)
                marks[c].push_back({l > 0 ? a + (b - a) * ((next - along) / l) : a, c, next});
            along += l;
        }
    }
    const double width = kCrowdReach * widest;
    PlaceCache<std::vector<Mark>> grid;
    for (const auto& list : marks)
        for (const Mark& m : list) grid[GridCell::of(m.place, width)].push_back(m);
    auto is_crowded = [&](const Mark& m, double gap) {
        std::vector<std::pair<std::size_t, double>> strands;
        const GridCell at = GridCell::of(m.place, width);
        for (std::int64_t x = -1; x <= 1; ++x)
            for (std::int64_t y = -1; y <= 1; ++y)
                for (std::int64_t z = -1; z <= 1; ++z) {
                    const auto found = grid.find({at.x + x, at.y + y, at.z + z});
                    if (found == grid.end()) continue;
                    for (const Mark& o : found->second) {
                        if (distance(o.place, m.place) > kCrowdReach * gap) continue;
                        if (o.chain == m.chain && std::abs(o.along - m.along) < 1.2 * gap) continue;
                        const bool is_known = std::any_of(strands.begin(), strands.end(), [&](const auto& strand) {
                            return strand.first == o.chain && std::abs(strand.second - o.along) < 1.2 * gap;
                        });
                        if (is_known) continue;
                        if (!strands.empty()) return true;
                        strands.push_back({o.chain, o.along});
                    }
                }
        return false;
    };
    std::vector<Chain> kept;
    for (std::size_t c = 0; c < chains.size(); ++c) {
        // Where chains meet there are others in any case.
        std::erase_if(marks[c], [&](const Mark& m) {
            const double margin = kCrowdReach * gap_at(m.place);
            return m.along < margin || m.along > chains[c].length - margin;
        });
        std::size_t n_crowded = 0;
        for (const Mark& m : marks[c]) {
            if (2 * n_crowded >= marks[c].size()) break;
            if (is_crowded(m, gap_at(m.place))) ++n_crowded;
        }
        if (2 * n_crowded < marks[c].size() || marks[c].empty()) kept.push_back(std::move(chains[c]));
    }
    chains = std::move(kept);
}

}  // namespace

double gap_of(const WrapOptions& options, const Vec3& p) {
    const double own = options.gap_at ? options.gap_at(p) : options.gap;
    return std::isnan(own) ? options.gap : std::clamp(own, 1e-3 * options.gap, options.gap);
}

CurveSet::CurveSet(const Surface& s, double detail, double angle, const LengthAt& gap_at) {
    const SurfaceEdges edges(s.triangles, s.points.size());
    const double sharp = std::cos(angle * std::numbers::pi / 180);
    std::vector<bool> keep(edges.size(), false);
    const Sheets sheets(s, edges);
    for (Index e = 0; e < edges.size(); ++e) {
        if (edges.n_uses(e) == 1) {
            keep[e] = sheets.extent_of(edges.begin(e)->triangle) >= 2 * detail;  // the rim of a sheet, not of a scrap
            continue;
        }
        const auto *a = edges.begin(e), *b = a + 1;
        if (edges.n_uses(e) > 2 || s.zone_of[a->triangle] != s.zone_of[b->triangle] ||
            std::binary_search(s.feature_edges.begin(), s.feature_edges.end(), edges.ends(e))) {
            keep[e] = true;
            continue;
        }
        // Turned against each other: one of the normals counts the other way.
        const double cosine = dot(unit_normal(s, a->triangle), unit_normal(s, b->triangle));
        keep[e] = (a->forward != b->forward ? cosine : -cosine) < sharp;
    }
    std::vector<Chain> chains = find_chains(s, edges, keep, detail);
    drop_crowded(s, chains, gap_at);
    for (const Chain& chain : chains) add_curve(s, edges, chain.edges, chain.points);
    find_corners(s);
    std::vector<Vec3> points;
    std::vector<Triangle> flat;
    for (const auto& [a, b] : ends_) {
        const auto at = static_cast<Index>(points.size());
        points.insert(points.end(), {a, b});
        flat.push_back({at, at + 1, at + 1});
    }
    tree_ = TriangleTree(points, flat);
}

void CurveSet::add_curve(const Surface& s, const SurfaceEdges& edges, const std::vector<Index>& chain,
                         const std::vector<Index>& points) {
    const auto number = static_cast<Index>(curves_.size());
    Curve curve;
    first_segment_.push_back(static_cast<Index>(segments_.size()));
    end_points_.push_back({points.front(), points.back()});
    for (std::size_t k = 0; k < points.size(); ++k) {
        curve.points.push_back(s.points[points[k]]);
        if (k == 0) continue;
        segments_.push_back({number, curve.length, wedges_of(s, edges, chain[k - 1])});
        ends_.push_back({curve.points[k - 1], curve.points[k]});
        curve.length += distance(curve.points[k - 1], curve.points[k]);
    }
    curve.is_loop = points.front() == points.back();
    curves_.push_back(std::move(curve));
}

/// The spaces between neighbouring triangles round an edge.
std::vector<CurveSet::Wedge> CurveSet::wedges_of(const Surface& s, const SurfaceEdges& edges, Index e) {
    const Vec3 axis = normalized(s.points[edges.ends(e)[1]] - s.points[edges.ends(e)[0]]);
    const Vec3 zero = along_triangle(s, s.triangles[edges.begin(e)->triangle], edges.ends(e));
    const Vec3 quarter = cross(axis, zero);
    std::vector<double> angles;
    for (const auto* use = edges.begin(e); use != edges.end(e); ++use) {
        const Vec3 d = along_triangle(s, s.triangles[use->triangle], edges.ends(e));
        angles.push_back(std::atan2(dot(d, quarter), dot(d, zero)));
    }
    std::sort(angles.begin(), angles.end());
    std::vector<Wedge> wedges;
    for (std::size_t k = 0; k < angles.size(); ++k) {
        const double next = k + 1 < angles.size() ? angles[k + 1] : angles[0] + 2 * std::numbers::pi;
        const double opening = next - angles[k], middle = angles[k] + 0.5 * opening;
        const double sine = std::abs(std::sin(0.5 * opening));
        if (opening < 0.05) continue;
        const Vec3 direction = zero * std::cos(middle) + quarter * std::sin(middle);
        const bool is_hollow = opening < 0.97 * std::numbers::pi;
        const double most = angles.size() == 1 ? 1 : is_hollow ? kFarthestInHollow : kFarthestAside;
        wedges.push_back({direction * std::min(1 / std::max(sine, 1e-9), most), is_hollow});
    }
    return wedges;
}

/// Ends of chains. Around a point the faces come in few directions; the place at the offset of all of them is beside
/// it, in front of the triangles and behind them.
void CurveSet::find_corners(const Surface& s) {
    std::map<Index, Corner> found;
    for (Index c = 0; c < curves_.size(); ++c)
        for (const std::size_t end : {0U, 1U}) {
            if (curves_[c].is_loop && end_points_[c][0] == end_points_[c][1] && end == 1) continue;
            Corner& corner = found[end_points_[c][end]];
            corner.point = end_points_[c][end];
            corner.curve = c;
            corner.along = end == 0 ? 0 : curves_[c].length;
        }
    std::map<Index, std::vector<Vec3>> normals;
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (const Index p : s.triangles[t])
            if (found.contains(p)) {
                const Vec3 n = unit_normal(s, t);
                auto& list = normals[p];
                if (n == Vec3{}) continue;
                if (std::none_of(list.begin(), list.end(), [&](const Vec3& m) { return dot(m, n) > 0.98; }))
                    list.push_back(n);
            }
    for (auto& [p, corner] : found) {
        const Vec3 x = capped(common_offset(normals[p]), 3);
        for (const double side : {1.0, -1.0}) corner.wedges.push_back({x * side, false});
        corners_.push_back(corner);
    }
    // A side of a corner is hollow where one of its edges is and none sticks out, along which a ball gets to it: a
    // wedge belongs to the side that it looks to. At the corner of a sheet there is one side, away from it.
    std::map<Index, std::size_t> number;
    for (std::size_t k = 0; k < corners_.size(); ++k) number[corners_[k].point] = k;
    std::vector<Vec3> away(corners_.size());
    std::vector<bool> is_of_sheet(corners_.size(), true);
    std::vector<std::array<bool, 2>> is_reached(corners_.size(), {false, false});
    for (Index c = 0; c < curves_.size(); ++c)
        for (const std::size_t end : {0U, 1U}) {
            const Index last = c + 1 < curves_.size() ? first_segment_[c + 1] : static_cast<Index>(segments_.size());
            const Segment& segment = segments_[end == 0 ? first_segment_[c] : last - 1];
            const std::size_t k = number[end_points_[c][end]];
            if (segment.wedges.size() == 1)
                away[k] += segment.wedges.front().aside;
            else
                is_of_sheet[k] = false;
            for (const Wedge& w : segment.wedges)
                for (const std::size_t side : {0U, 1U}) {
                    Wedge& own = corners_[k].wedges[side];
                    if (dot(w.aside, own.aside) <= 0) continue;
                    if (w.is_hollow)
                        own.is_hollow = true;
                    else
                        is_reached[k][side] = true;
                }
        }
    for (std::size_t k = 0; k < corners_.size(); ++k)
        for (const std::size_t side : {0U, 1U})
            if (is_reached[k][side]) corners_[k].wedges[side].is_hollow = false;
    for (std::size_t k = 0; k < corners_.size(); ++k)
        if (is_of_sheet[k]) corners_[k].wedges = {{normalized(away[k]), false}};
}

Sample CurveSet::sample(Index segment, double share, const Wedge& wedge) const {
    const auto& [a, b] = ends_[segment];
    Sample s;
    s.target = a + (b - a) * share;
    s.aside = wedge.aside;
    s.curve = segments_[segment].curve;
    s.along = segments_[segment].along + share * distance(a, b);
    s.is_hollow = wedge.is_hollow;
    return s;
}

std::vector<Sample> CurveSet::samples(const LengthAt& spacing) const {
    std::vector<Sample> all;
    for (const Corner& corner : corners_) {
        const Curve& curve = curves_[corner.curve];
        for (const Wedge& w : corner.wedges) {
            Sample s;
            s.target = corner.along == 0 ? curve.points.front() : curve.points.back();
            s.aside = w.aside;
            s.curve = corner.curve;
            s.along = corner.along;
            s.is_hollow = w.is_hollow;
            s.is_corner = true;
            all.push_back(s);
        }
    }
    for (Index c = 0; c < curves_.size(); ++c) {
        const Index last = c + 1 < curves_.size() ? first_segment_[c + 1] : static_cast<Index>(segments_.size());
        // How many spacings fit up to the end of each segment.
        std::vector<double> count{0};
        for (Index k = first_segment_[c]; k < last; ++k)
            count.push_back(count.back() +
                            distance(ends_[k][0], ends_[k][1]) / spacing(midpoint(ends_[k][0], ends_[k][1])));
        const double n = std::max(1.0, std::round(count.back()));
        for (double i = 1; i < n; ++i) {
            const double wanted = count.back() * i / n;
            const auto k =
                static_cast<std::size_t>(std::upper_bound(count.begin(), count.end() - 1, wanted) - count.begin() - 1);
            const auto segment = first_segment_[c] + static_cast<Index>(k);
            const double share = (wanted - count[k]) / (count[k + 1] - count[k]);
            for (const Wedge& w : segments_[segment].wedges) all.push_back(sample(segment, share, w));
        }
    }
    return all;
}

std::optional<Sample> CurveSet::near(const Vec3& target, const Vec3& from, double reach) const {
    const TriangleTree::Closest hit = tree_.closest(target, reach);
    if (hit.triangle == kNone) return std::nullopt;
    const auto& [a, b] = ends_[hit.triangle];
    const double l = distance(a, b);
    const Wedge* best = nullptr;
    double cosine = 0.2;
    for (const Wedge& w : segments_[hit.triangle].wedges)
        if (const double c = dot(normalized(w.aside), normalized(from - hit.point)); c > cosine) {
            cosine = c;
            best = &w;
        }
    if (best == nullptr) return std::nullopt;
    return sample(hit.triangle, l > 0 ? distance(a, hit.point) / l : 0, *best);
}

/// A corner is at the end of several curves.
std::optional<double> CurveSet::along_of(const Site& site, Index curve) const {
    if (site.curve == curve) return site.along;
    if (!site.is_corner) return std::nullopt;
    if (curves_[curve].points.front() == site.target) return 0.0;
    if (curves_[curve].points.back() == site.target) return curves_[curve].length;
    return std::nullopt;
}

std::optional<double> CurveSet::apart(const Site& a, const Site& b) const {
    if (a.curve == kNone || b.curve == kNone) return std::nullopt;
    const Index curve = a.is_corner ? b.curve : a.curve;
    const auto from = along_of(a, curve), to = along_of(b, curve);
    if (!from || !to) return std::nullopt;
    const double d = std::abs(*from - *to);
    return curves_[curve].is_loop ? std::min(d, curves_[curve].length - d) : d;
}

bool CurveSet::are_joined(Index a, Index b) const {
    const auto &p = end_points_[a], &q = end_points_[b];
    return a == b || p[0] == q[0] || p[0] == q[1] || p[1] == q[0] || p[1] == q[1];
}

}  // namespace anvilcast::wrapping
