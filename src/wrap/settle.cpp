#include "wrap/settle.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "geometry/distances.hpp"
#include "wrap/meetings.hpp"
#include "wrap/shell_mesh.hpp"

namespace anvilcast::wrapping {
namespace {

// In gaps.
constexpr double kShortEdge = 0.12;      ///< edges whose targets are closer than this are collapsed
constexpr double kThinnest = 0.05;       ///< sheets thinner than this keep their offset
constexpr double kFlatTriangle = 0.015;  ///< height of triangles that are better turned into others
/// Normals may turn by as much on the way to the targets (cosine).
constexpr double kTurn = 0.1;
/// Neighbours whose normals are closer to opposite than this (170 degrees) lie on each other.
constexpr double kCosOfFold = -0.985;
/// Where a point may stand on its way, as shares.
constexpr std::array<double, 4> kStands{1, 0.5, 0.25, 0};
constexpr std::uint8_t kAtOffset = 3;

/// Edits of the shell before it is moved: each one is good for the targets; whether it is for the offset, too, is
/// looked at when all is done.
class Tidying {
  public:
    Tidying(const Shell& shell, const CurveSet& curves, const LengthAt& gap_at, const std::vector<bool>& locked)
        : shell_(shell),
          curves_(curves),
          gap_at_(gap_at),
          locked_(locked),
          mesh_(shell.triangles, shell.points.size()) {}

    const ShellMesh& run() {
        for (int pass = 0; pass < 3; ++pass) {
            join_curves();
            collapse_short();
            turn_flat();
        }
        join_curves();
        return mesh_;
    }

  private:
    const Site& site(Index p) const { return shell_.sites[p]; }
    const Vec3& target(Index p) const { return shell_.sites[p].target; }
    Vec3 normal(Index a, Index b, Index c) const { return triangle_normal(target(a), target(b), target(c)); }
    Vec3 offset_normal(Index a, Index b, Index c) const {
        return triangle_normal(shell_.points[a], shell_.points[b], shell_.points[c]);
    }
    /// Is the triangle one, and on the right side, both at the offset and at the targets?
    bool is_upright(Index a, Index b, Index c, const Vec3& like) const {
        const Vec3 n = normal(a, b, c);
        return dot(normalized(n), like) > 0.2 && dot(normalized(offset_normal(a, b, c)), like) > 0.2;
    }
    double height(Index a, Index b, Index c) const {
        const double longest =
            std::sqrt(std::max({distance_squared(target(a), target(b)), distance_squared(target(b), target(c)),
                                distance_squared(target(c), target(a))}));
        return longest > 0 ? length(normal(a, b, c)) / longest : 0;
    }
    /// Places along the curve from one point to the next; nothing when they are not on the same one.
    std::optional<double> apart_on_curve(Index a, Index b) const { return curves_.apart(site(a), site(b)); }
    int rank(Index p) const { return site(p).is_corner ? 2 : site(p).curve != kNone ? 1 : 0; }

    Vec3 normal_at_edge(Index h) const {
        const Index g = mesh_.twin(h);
        return normalized(offset_normal(mesh_.from(h), mesh_.to(h), mesh_.across(h)) +
                          offset_normal(mesh_.from(g), mesh_.to(g), mesh_.across(g)));
    }
    bool can_flip(Index h) const {
        const Index c = mesh_.across(h), d = mesh_.across(mesh_.twin(h));
        if (c == d || locked_[mesh_.from(h)] || locked_[mesh_.to(h)] || locked_[c] || locked_[d]) return false;
        int from = 0, to = 0;
        mesh_.around(mesh_.from(h), [&](Index) { ++from; });
        mesh_.around(mesh_.to(h), [&](Index) { ++to; });
        return from > 3 && to > 3 && !mesh_.has_edge(c, d);
    }

    /// Neighbours on a curve that an edge keeps apart are joined by turning it.
    void join_curves() {
        for (Index h = 0; h < mesh_.n_half_edges(); ++h) {
            if (mesh_.is_gone(h) || mesh_.from(h) > mesh_.to(h)) continue;
            const Index a = mesh_.from(h), b = mesh_.to(h), c = mesh_.across(h), d = mesh_.across(mesh_.twin(h));
            const auto apart = apart_on_curve(c, d);
            if (!apart || apart_on_curve(a, b)) continue;
            if (*apart > 1.2 * gap_at_(target(c)) || !can_flip(h)) continue;
            // Nothing of the curve lies between them.
            bool is_next = true;
            for (const Index p : {a, b}) {
                const auto one = apart_on_curve(c, p), two = apart_on_curve(p, d);
                if (one && two && std::abs(*one + *two - *apart) < 1e-6 * *apart) is_next = false;
            }
            const Vec3 like = normal_at_edge(h);
            if (is_next && is_upright_across(a, b, c, d, like)) mesh_.flip(h);
        }
    }
    /// The two triangles that turning the edge ab makes; at a sharp edge they look in different directions.
    bool is_upright_across(Index a, Index b, Index c, Index d, const Vec3& like) const {
        auto fine = [&](Index p, Index q, Index r) {
            return dot(normalized(normal(p, q, r)), like) > -0.3 &&
                   dot(normalized(offset_normal(p, q, r)), like) > -0.3 &&
                   height(p, q, r) > kFlatTriangle * gap_at_(target(p));
        };
        const bool is_folded = dot(normalized(normal(c, d, b)), normalized(normal(d, c, a))) < kCosOfFold ||
                               dot(normalized(offset_normal(c, d, b)), normalized(offset_normal(d, c, a))) < kCosOfFold;
        return !is_folded && fine(c, d, b) && fine(d, c, a);
    }

    void collapse_short() {
        for (Index h = 0; h < mesh_.n_half_edges(); ++h) {
            if (mesh_.is_gone(h)) continue;
            const Index a = mesh_.from(h), b = mesh_.to(h);
            if (rank(a) > rank(b) || (rank(a) == rank(b) && a > b) || locked_[a] || locked_[b]) continue;
            if (distance(target(a), target(b)) > kShortEdge * gap_at_(target(a))) continue;
            // A point of a curve goes along it, or nowhere.
            if (rank(a) == 1 && !apart_on_curve(a, b)) continue;
            if (rank(a) == 2 || !mesh_.can_collapse(h)) continue;
            if (is_collapse_upright(a, b)) mesh_.collapse(h);
        }
    }
    bool is_collapse_upright(Index a, Index b) const {
        bool is_good = true;
        mesh_.around(a, [&](Index g) {
            const Index p = mesh_.to(g), q = mesh_.across(g);
            if (p == b || q == b) return;
            const Vec3 like = normalized(offset_normal(a, p, q));
            if (!is_upright(b, p, q, like)) is_good = false;
        });
        return is_good;
    }

    /// A triangle whose corners are nearly in line is flat because of its longest edge.
    void turn_flat() {
        for (Index t = 0; t < mesh_.n_half_edges() / 3; ++t) {
            if (mesh_.is_gone(3 * t)) continue;
            const Triangle c = mesh_.triangle(t);
            const double gap = gap_at_(target(c[0]));
            const double flat = height(c[0], c[1], c[2]);
            if (flat > kFlatTriangle * gap) continue;
            Index h = 3 * t;
            for (const Index k : {3 * t + 1, 3 * t + 2})
                if (distance(target(mesh_.from(k)), target(mesh_.to(k))) >
                    distance(target(mesh_.from(h)), target(mesh_.to(h))))
                    h = k;
            const Index a = mesh_.from(h), b = mesh_.to(h), p = mesh_.across(h), q = mesh_.across(mesh_.twin(h));
            if (!can_flip(h)) continue;
            const Vec3 like = normalized(normal(b, a, q));
            if (std::min(height(p, q, b), height(q, p, a)) > 2 * flat && dot(normalized(normal(p, q, b)), like) > 0.2 &&
                dot(normalized(normal(q, p, a)), like) > 0.2)
                mesh_.flip(h);
        }
    }

    const Shell& shell_;
    const CurveSet& curves_;
    const LengthAt& gap_at_;
    const std::vector<bool>& locked_;
    ShellMesh mesh_;
};

/// The shell without what is gone.
Shell compacted(const Shell& shell, const ShellMesh& mesh) {
    Shell out;
    out.peak_bytes = shell.peak_bytes;
    std::vector<Index> number(shell.points.size(), kNone);
    for (const Triangle& t : mesh.triangles()) {
        if (t[0] == kNone) continue;
        Triangle own;
        for (std::size_t k = 0; k < 3; ++k) {
            if (number[t[k]] == kNone) {
                number[t[k]] = static_cast<Index>(out.points.size());
                out.points.push_back(shell.points[t[k]]);
                out.sites.push_back(shell.sites[t[k]]);
            }
            own[k] = number[t[k]];
        }
        out.triangles.push_back(own);
    }
    return out;
}

/// Edits that make the shell cross itself at the offset are undone: their points are locked, and all begins anew.
Shell tidied(const Shell& shell, const CurveSet& curves, const LengthAt& gap_at) {
    std::vector<bool> locked(shell.points.size(), false);
    for (int attempt = 0; attempt < 6; ++attempt) {
        Tidying tidying(shell, curves, gap_at, locked);
        const ShellMesh& mesh = tidying.run();
        std::vector<Triangle> triangles;
        for (const Triangle& t : mesh.triangles())
            if (t[0] != kNone) triangles.push_back(t);
        const auto crossing = find_self_intersections(shell.points, triangles);
        if (crossing.empty()) return compacted(shell, mesh);
        for (const auto& pair : crossing)
            for (const Index t : pair)
                for (const Index p : triangles[t]) locked[p] = true;
        // The points that were collapsed into those, too.
        std::vector<bool> wider = locked;
        for (const Triangle& t : shell.triangles)
            if (locked[t[0]] || locked[t[1]] || locked[t[2]])
                for (const Index p : t) wider[p] = true;
        locked = std::move(wider);
    }
    return shell;
}

class Homecoming {
  public:
    Homecoming(const Shell& shell, const LengthAt& gap_at, const Context& context)
        : shell_(shell),
          gap_at_(gap_at),
          context_(context),
          edges_(shell.triangles, shell.points.size()),
          stand_(shell.points.size(), 0),
          places_(shell.points.size()) {}

    void run() {
        for (std::size_t p = 0; p < places_.size(); ++p) places_[p] = place(p);
        hold_thin();
        std::vector<bool> moved(places_.size(), true);
        while (std::find(moved.begin(), moved.end(), true) != moved.end()) {
            context_.check_stop();
            std::vector<bool> goes_back(places_.size(), false);
            mark_turned(goes_back, moved);
            mark_folded(goes_back, moved);
            mark_meetings(goes_back, moved);
            moved = step_back(goes_back);
        }
    }
    const std::vector<Vec3>& places() const { return places_; }
    bool is_held(std::size_t p) const { return stand_[p] != 0; }

  private:
    Vec3 place(std::size_t p) const {
        const double share = kStands[stand_[p]];
        return stand_[p] == 0 ? shell_.sites[p].target
                              : shell_.points[p] + (shell_.sites[p].target - shell_.points[p]) * share;
    }
    void mark(const std::array<Index, 2>& pair, std::vector<bool>& out) const {
        for (const Index t : pair)
            for (const Index p : shell_.triangles[t]) out[p] = true;
    }
    bool touches(const Triangle& t, const std::vector<bool>& moved) const {
        return moved[t[0]] || moved[t[1]] || moved[t[2]];
    }
    void mark_turned(std::vector<bool>& out, const std::vector<bool>& moved) const {
        for (const Triangle& t : shell_.triangles) {
            if (!touches(t, moved)) continue;
            if (stand_[t[0]] == kAtOffset && stand_[t[1]] == kAtOffset && stand_[t[2]] == kAtOffset) continue;
            const Vec3 before = triangle_normal(shell_.points[t[0]], shell_.points[t[1]], shell_.points[t[2]]);
            const Vec3 now = triangle_normal(places_[t[0]], places_[t[1]], places_[t[2]]);
            if (dot(normalized(before), normalized(now)) < kTurn)
                for (const Index p : t) out[p] = true;
        }
    }
    /// Neighbours that come to lie on each other, and did not at the offset.
    void mark_folded(std::vector<bool>& out, const std::vector<bool>& moved) const {
        auto normal = [this](const std::vector<Vec3>& at, Index t) {
            const Triangle& c = shell_.triangles[t];
            return normalized(triangle_normal(at[c[0]], at[c[1]], at[c[2]]));
        };
        for (std::size_t e = 0; e < edges_.size(); ++e) {
            const Index s = edges_.begin(e)[0].triangle, t = edges_.begin(e)[1].triangle;
            if (!touches(shell_.triangles[s], moved) && !touches(shell_.triangles[t], moved)) continue;
            if (dot(normal(places_, s), normal(places_, t)) < kCosOfFold &&
                dot(normal(shell_.points, s), normal(shell_.points, t)) > kCosOfFold)
                mark({s, t}, out);
        }
    }
    /// Points with another side of the wrap right behind them stay at the offset.
    void hold_thin() {
        const TriangleTree tree(places_, shell_.triangles);
        std::vector<char> is_thin(places_.size(), 0);
        tbb::parallel_for(std::size_t{0}, places_.size(), [&](std::size_t p) {
            const double gap = gap_at_(places_[p]);
            const Vec3 inwards = normalized(shell_.sites[p].target - shell_.points[p]);
            const Vec3 reach = Vec3{1, 1, 1} * (kThinnest * gap);
            tree.overlapping({places_[p] - reach, places_[p] + reach}, [&](Index t) {
                const Triangle& c = shell_.triangles[t];
                if (is_thin[p] != 0 || std::find(c.begin(), c.end(), static_cast<Index>(p)) != c.end()) return;
                const Vec3 n = triangle_normal(shell_.points[c[0]], shell_.points[c[1]], shell_.points[c[2]]);
                // Only what looks the other way is another side.
                if (dot(normalized(n), inwards) < 0.5) return;
                const Vec3 q = closest_point_on_triangle(places_[p], places_[c[0]], places_[c[1]], places_[c[2]]);
                if (distance(places_[p], q) < kThinnest * gap) is_thin[p] = 1;
            });
        });
        for (std::size_t p = 0; p < places_.size(); ++p)
            if (is_thin[p] != 0) {
                stand_[p] = kAtOffset;
                places_[p] = place(p);
            }
    }
    /// Triangles that cross or touch what has moved, or come too close to it.
    void mark_meetings(std::vector<bool>& out, const std::vector<bool>& moved) const {
        std::vector<bool> has_moved(shell_.triangles.size());
        for (std::size_t t = 0; t < has_moved.size(); ++t) has_moved[t] = touches(shell_.triangles[t], moved);
        for (const auto& pair : find_meetings(places_, shell_.triangles, has_moved, gap_at_)) mark(pair, out);
    }
    /// Returns which points moved.
    std::vector<bool> step_back(const std::vector<bool>& goes_back) {
        std::vector<bool> moved(places_.size(), false);
        for (std::size_t p = 0; p < places_.size(); ++p) {
            if (!goes_back[p] || stand_[p] + 1U >= kStands.size()) continue;
            ++stand_[p];
            places_[p] = place(p);
            moved[p] = true;
        }
        return moved;
    }

    const Shell& shell_;
    const LengthAt& gap_at_;
    const Context& context_;
    SurfaceEdges edges_;
    std::vector<std::uint8_t> stand_;
    std::vector<Vec3> places_;
};

/// Edges from one point of a curve to the next; a chord past one between them is none.
std::vector<Edge> edges_on_curves(const Shell& shell, const CurveSet& curves, const LengthAt& gap_at) {
    struct Seen {
        Edge edge;
        bool passes_one;
        bool operator<(const Seen& o) const { return edge != o.edge ? edge < o.edge : passes_one < o.passes_one; }
    };
    std::vector<Seen> seen;
    for (const Triangle& t : shell.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const Index a = t[k], b = t[(k + 1) % 3], c = t[(k + 2) % 3];
            const auto apart = curves.apart(shell.sites[a], shell.sites[b]);
            if (!apart || *apart > 1.2 * gap_at(shell.sites[a].target)) continue;
            const auto ac = curves.apart(shell.sites[a], shell.sites[c]),
                       cb = curves.apart(shell.sites[c], shell.sites[b]);
            seen.push_back({{std::min(a, b), std::max(a, b)}, ac && cb && *ac < *apart && *cb < *apart});
        }
    std::sort(seen.begin(), seen.end());
    std::vector<Edge> edges;
    for (std::size_t i = 0; i + 1 < seen.size(); ++i)
        if (seen[i].edge == seen[i + 1].edge && !seen[i].passes_one && !seen[i + 1].passes_one)
            edges.push_back(seen[i].edge);
    return edges;
}

}  // namespace

Settled settle(Shell shell, const CurveSet& curves, const LengthAt& gap_at, const Context& context) {
    context.report("domain", "bringing the wrap back", 0.8);
    shell = tidied(shell, curves, gap_at);
    Homecoming homecoming(shell, gap_at, context);
    homecoming.run();
    Settled out;
    out.points = homecoming.places();
    for (std::size_t p = 0; p < out.points.size(); ++p) out.is_held.push_back(homecoming.is_held(p));
    out.on_curves = edges_on_curves(shell, curves, gap_at);
    out.sites = std::move(shell.sites);
    out.triangles = std::move(shell.triangles);
    return out;
}

}  // namespace anvilcast::wrapping
