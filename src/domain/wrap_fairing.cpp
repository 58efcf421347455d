#include "domain/wrap_fairing.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "domain/shell_mesh.hpp"
#include "domain/wrap_meetings.hpp"

namespace anvilcast::wrapping {
namespace {

/// In gaps.
constexpr double kFree = 0.05;  ///< what is changed may be as far from the original, or as far as it was
constexpr double kLeastGain = 1e-3;
constexpr double kNeedle = 0.04;    ///< height of triangles that one of the points is taken out of
constexpr double kFlatter = 0.015;  ///< height that no triangle gets
/// Turns of faces, in radians, from which edges are looked at, and points taken out.
constexpr double kRough = std::numbers::pi / 4, kFold = std::numbers::pi * 100 / 180;
constexpr int kMostPasses = 8;
constexpr int kMostAttempts = 8;

/// Some triangles and what would take their place, with the same border.
struct Change {
    std::vector<Index> gone;
    std::vector<Triangle> made;
    void clear() {
        gone.clear();
        made.clear();
    }
};

class Fairing {
  public:
    Fairing(const Settled& wrap, const TriangleTree& original, const LengthAt& gap_at, const std::vector<bool>& locked)
        : wrap_(wrap),
          original_(original),
          gap_at_(gap_at),
          locked_(locked),
          mesh_(wrap.triangles, wrap.points.size()),
          is_changed_(wrap.triangles.size(), false) {}

    void run() {
        for (int pass = 0; pass < kMostPasses; ++pass)
            if (turn_edges() + take_points_out() == 0) return;
    }
    const ShellMesh& mesh() const { return mesh_; }
    const std::vector<bool>& is_changed() const { return is_changed_; }

  private:
    const Vec3& place(Index p) const { return wrap_.points[p]; }
    Vec3 normal(const Triangle& t) const { return triangle_normal(place(t[0]), place(t[1]), place(t[2])); }
    double height(const Triangle& t) const {
        const double longest =
            std::sqrt(std::max({distance_squared(place(t[0]), place(t[1])), distance_squared(place(t[1]), place(t[2])),
                                distance_squared(place(t[2]), place(t[0]))}));
        return longest > 0 ? length(normal(t)) / longest : 0;
    }
    static double turn(const Vec3& m, const Vec3& n) {
        return std::acos(std::clamp(dot(normalized(m), normalized(n)), -1.0, 1.0));
    }
    double turn_at(Index h) const {
        return turn(normal(mesh_.triangle(h / 3)), normal(mesh_.triangle(mesh_.twin(h) / 3)));
    }
    bool is_on_curve(Index h) const {
        const Edge e{std::min(mesh_.from(h), mesh_.to(h)), std::max(mesh_.from(h), mesh_.to(h))};
        return std::binary_search(wrap_.on_curves.begin(), wrap_.on_curves.end(), e);
    }
    bool is_gone_with(Index t) const {
        return std::find(change_.gone.begin(), change_.gone.end(), t) != change_.gone.end();
    }

    /// The sum of edge lengths times turns over triangles; those beyond the border stay as they are.
    double roughness(const std::vector<Triangle>& triangles) const {
        double sum = 0;
        for (const Triangle& t : triangles)
            for (std::size_t k = 0; k < 3; ++k) {
                const Index p = t[k], q = t[(k + 1) % 3];
                const Triangle* other = nullptr;
                for (const Triangle& u : triangles)
                    for (std::size_t j = 0; j < 3; ++j)
                        if (u[j] == q && u[(j + 1) % 3] == p) other = &u;
                if (other != nullptr && p > q) continue;
                if (other == nullptr) {
                    const auto b = std::find_if(border_.begin(), border_.end(),
                                                [&](Index h) { return mesh_.from(h) == p && mesh_.to(h) == q; });
                    if (b == border_.end()) return Box::inf;
                    other = &mesh_.triangle(mesh_.twin(*b) / 3);
                }
                sum += distance(place(p), place(q)) * turn(normal(t), normal(*other));
            }
        return sum;
    }
    double off(const std::vector<Triangle>& triangles) const {
        double most = 0;
        for (const Triangle& t : triangles) {
            most = std::max(most, original_.closest((place(t[0]) + place(t[1]) + place(t[2])) / 3.0).distance);
            for (std::size_t k = 0; k < 3; ++k)
                most = std::max(most, original_.closest(midpoint(place(t[k]), place(t[(k + 1) % 3]))).distance);
        }
        return most;
    }
    /// How much less the roughness gets by the change; nothing when it may not be made.
    double gain() {
        border_.clear();
        before_.clear();
        for (const Index t : change_.gone) {
            before_.push_back(mesh_.triangle(t));
            for (Index h = 3 * t; h < 3 * t + 3; ++h)
                if (!is_gone_with(mesh_.twin(h) / 3)) border_.push_back(h);
        }
        double least_before = Box::inf, least_after = Box::inf;
        for (const Triangle& t : before_) least_before = std::min(least_before, height(t));
        for (const Triangle& t : change_.made) least_after = std::min(least_after, height(t));
        const double gap = gap_at_(place(before_.front()[0]));
        if (least_after < std::min(kFlatter * gap, 0.9 * least_before)) return 0;
        const double gained = roughness(before_) - roughness(change_.made);
        return gained > kLeastGain * gap ? gained : 0;
    }
    /// Is what the change makes where it may be?
    bool is_close() const {
        const double gap = gap_at_(place(before_.front()[0]));
        return off(change_.made) <= std::max(kFree * gap, off(before_));
    }
    void mark_changed(const std::vector<Index>& triangles) {
        for (const Index t : triangles) is_changed_[t] = true;
    }

    std::size_t turn_edges() {
        std::size_t n = 0;
        for (Index h = 0; h < mesh_.n_half_edges(); ++h)
            if (!mesh_.is_gone(h) && mesh_.from(h) < mesh_.to(h) && can_turn(h) && gain() > 0 && is_close()) {
                mesh_.flip(h);
                mark_changed(change_.gone);
                ++n;
            }
        return n;
    }
    bool can_turn(Index h) {
        const Index g = mesh_.twin(h), a = mesh_.from(h), b = mesh_.to(h), c = mesh_.across(h), d = mesh_.across(g);
        if (locked_[a] || locked_[b] || locked_[c] || locked_[d] || c == d) return false;
        double most = 0;
        for (const Index k : {h, ShellMesh::next(h), ShellMesh::before(h), ShellMesh::next(g), ShellMesh::before(g)})
            if (!is_on_curve(k)) most = std::max(most, turn_at(k));
        if (most < kRough || is_on_curve(h) || mesh_.find(c, d) != kNone) return false;
        if (degree(a) <= 3 || degree(b) <= 3) return false;
        change_.gone = {h / 3, g / 3};
        change_.made = {{c, d, b}, {d, c, a}};
        return true;
    }
    int degree(Index p) const {
        int n = 0;
        mesh_.around(p, [&n](Index) { ++n; });
        return n;
    }

    std::size_t take_points_out() {
        std::size_t n = 0;
        for (Index p = 0; p < wrap_.points.size(); ++p)
            if (mesh_.at(p) != kNone && is_bad(p) && take_out(p)) ++n;
        return n;
    }
    /// Is there a fold or a needle at the point, which is not one of a curve?
    bool is_bad(Index p) const {
        if (locked_[p] || wrap_.sites[p].curve != kNone || wrap_.sites[p].is_corner) return false;
        const double needle = kNeedle * gap_at_(place(p));
        bool is = false;
        mesh_.around(p, [&](Index h) { is = is || turn_at(h) > kFold || height(mesh_.triangle(h / 3)) < needle; });
        return is;
    }
    bool take_out(Index p) {
        std::vector<Index> ways;
        mesh_.around(p, [&](Index h) { ways.push_back(h); });
        Index best = kNone;
        double most = 0;
        for (const Index h : ways) {
            if (locked_[mesh_.to(h)] || !mesh_.can_collapse(h)) continue;
            collapse_of(h);
            if (const double gained = gain(); gained > most && is_close() && stays_near(p)) {
                most = gained;
                best = h;
            }
        }
        if (best == kNone) return false;
        collapse_of(best);
        mark_changed(change_.gone);
        mesh_.collapse(best);
        return true;
    }
    void collapse_of(Index h) {
        const Index a = mesh_.from(h), b = mesh_.to(h);
        change_.clear();
        mesh_.around(a, [&](Index g) {
            change_.gone.push_back(g / 3);
            const Index p = mesh_.to(g), q = mesh_.across(g);
            if (p != b && q != b) change_.made.push_back({b, p, q});
        });
    }
    /// A point on the original is not left behind by what takes its place.
    bool stays_near(Index p) const {
        const double gap = gap_at_(place(p));
        if (original_.closest(place(p)).distance > kFree * gap) return true;
        return std::any_of(change_.made.begin(), change_.made.end(), [&](const Triangle& t) {
            return distance(closest_point_on_triangle(place(p), place(t[0]), place(t[1]), place(t[2])), place(p)) <
                   kFree * gap;
        });
    }

    const Settled& wrap_;
    const TriangleTree& original_;
    const LengthAt& gap_at_;
    const std::vector<bool>& locked_;
    ShellMesh mesh_;
    std::vector<bool> is_changed_;
    Change change_;                 ///< that is looked at
    std::vector<Index> border_;     ///< half-edges within what it takes away
    std::vector<Triangle> before_;  ///< what it takes away
};

/// The wrap with other triangles, without points that none of them has.
Settled with_triangles(const Settled& wrap, const std::vector<Triangle>& triangles) {
    Settled out;
    std::vector<Index> number(wrap.points.size(), kNone);
    for (const Triangle& t : triangles)
        for (const Index p : t) number[p] = 0;
    for (Index p = 0; p < number.size(); ++p) {
        if (number[p] == kNone) continue;
        number[p] = static_cast<Index>(out.points.size());
        out.points.push_back(wrap.points[p]);
        out.sites.push_back(wrap.sites[p]);
        out.is_held.push_back(wrap.is_held[p]);
    }
    for (const Triangle& t : triangles) out.triangles.push_back({number[t[0]], number[t[1]], number[t[2]]});
    // Points of curves stay, and with them the order.
    for (const Edge& e : wrap.on_curves) out.on_curves.push_back({number[e[0]], number[e[1]]});
    return out;
}

}  // namespace

Settled fair(Settled settled, const TriangleTree& original, const LengthAt& gap_at, const Context& context) {
    context.report("domain", "fairing the wrap", 0.9);
    std::vector<bool> locked(settled.points.size(), false);
    for (int attempt = 0; attempt < kMostAttempts; ++attempt) {
        context.check_stop();
        Fairing fairing(settled, original, gap_at, locked);
        fairing.run();
        std::vector<Triangle> triangles;
        std::vector<bool> is_changed;
        for (Index t = 0; t < settled.triangles.size(); ++t) {
            if (fairing.mesh().is_gone(3 * t)) continue;
            triangles.push_back(fairing.mesh().triangle(t));
            is_changed.push_back(fairing.is_changed()[t]);
        }
        const auto met = find_meetings(settled.points, triangles, is_changed, gap_at);
        if (met.empty()) return with_triangles(settled, triangles);
        for (const auto& pair : met)
            for (const Index t : pair)
                for (const Index p : triangles[t]) locked[p] = true;
    }
    return settled;
}

}  // namespace anvilcast::wrapping
