#include "wrap/fairing.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "wrap/meetings.hpp"
#include "wrap/place_grid.hpp"
#include "wrap/shell_mesh.hpp"

namespace anvilcast::wrapping {
namespace {

/// In gaps.
constexpr double kFree = 0.05;       ///< what is changed may be as far from the original, or as far as it was
constexpr double kLeftBehind = 0.1;  ///< points of the original that are taken out are no farther from the wrap
constexpr double kLeastGain = 1e-3;
constexpr double kNeedle = 0.04;    ///< height of triangles that one of the points is taken out of
constexpr double kFlatter = 0.015;  ///< height that no triangle gets
/// Turns of faces, in radians, from which edges are looked at, and points taken out.
constexpr double kRough = std::numbers::pi / 4, kFold = std::numbers::pi * 100 / 180;
/// No change makes an edge sharper than this, or than there was.
constexpr double kSharpest = std::numbers::pi * 70 / 180;
constexpr int kMostPasses = 8;

/// Some triangles and what would take their place, with the same border.
struct Change {
    std::vector<Index> gone;
    std::vector<Triangle> made;
    void clear() {
        gone.clear();
        made.clear();
    }
};

/// The triangles of a wrap where they are now: those that have changed apart from those that have not.
class Neighbourhood {
  public:
    Neighbourhood(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles, double width)
        : points_(points), tree_(points, triangles), width_(width), has_changed_(triangles.size(), false) {}

    void change(Index triangle, const Triangle& corners) {
        has_changed_[triangle] = true;
        for_cells(box_of(corners), [&](const GridCell& cell) { changed_[cell].push_back(triangle); });
    }
    /// Calls visit(t) for triangles near the box, some of them more than once; those that are gone, too.
    template <typename Visit>
    void near(const Triangle& corners, double margin, const Visit& visit) const {
        Box box = box_of(corners);
        box.lo -= Vec3{margin, margin, margin};
        box.hi += Vec3{margin, margin, margin};
        tree_.overlapping(box, [&](Index t) {
            if (!has_changed_[t]) visit(t);
        });
        for_cells(box, [&](const GridCell& cell) {
            if (const auto found = changed_.find(cell); found != changed_.end())
                for (const Index t : found->second) visit(t);
        });
    }

  private:
    Box box_of(const Triangle& corners) const {
        Box box;
        for (const Index p : corners) box.include(points_[p]);
        return box;
    }
    template <typename Visit>
    void for_cells(const Box& box, const Visit& visit) const {
        const GridCell lo = GridCell::of(box.lo, width_), hi = GridCell::of(box.hi, width_);
        for (std::int64_t x = lo.x; x <= hi.x; ++x)
            for (std::int64_t y = lo.y; y <= hi.y; ++y)
                for (std::int64_t z = lo.z; z <= hi.z; ++z) visit(GridCell{x, y, z});
    }

    const std::vector<Vec3>& points_;
    TriangleTree tree_;
    double width_;
    std::vector<bool> has_changed_;
    PlaceCache<std::vector<Index>> changed_;
};

class Fairing {
  public:
    Fairing(const Settled& wrap, const TriangleTree& original, const LengthAt& gap_at, double gap)
        : wrap_(wrap),
          original_(original),
          gap_at_(gap_at),
          mesh_(wrap.triangles, wrap.points.size()),
          neighbourhood_(wrap.points, wrap.triangles, gap) {}

    const ShellMesh& run(const Context& context) {
        for (int pass = 0; pass < kMostPasses; ++pass) {
            context.check_stop();
            if (turn_edges() + take_points_out() == 0) break;
        }
        return mesh_;
    }

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

    struct Roughness {
        double sum = 0;       ///< of edge lengths times turns
        double sharpest = 0;  ///< turn
    };
    /// Of triangles, with the edges of their border; those beyond it stay as they are.
    Roughness roughness(const std::vector<Triangle>& triangles) const {
        Roughness out;
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
                    if (b == border_.end()) return {Box::inf, Box::inf};
                    other = &mesh_.triangle(mesh_.twin(*b) / 3);
                }
                const double turned = turn(normal(t), normal(*other));
                out.sum += distance(place(p), place(q)) * turned;
                out.sharpest = std::max(out.sharpest, turned);
            }
        return out;
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
        const Roughness before = roughness(before_), after = roughness(change_.made);
        const double gained = before.sum - after.sum;
        return gained > kLeastGain * gap && after.sharpest <= std::max(before.sharpest, kSharpest) ? gained : 0;
    }
    /// Is what the change makes where it may be?
    bool is_close() const {
        const double gap = gap_at_(place(before_.front()[0]));
        return off(change_.made) <= std::max(kFree * gap, off(before_));
    }
    /// Does what the change makes cross, touch or come too close to anything?
    bool is_free() const {
        const auto& made = change_.made;
        for (std::size_t k = 0; k < made.size(); ++k) {
            const double reach = kClosest * gap_at_(place(made[k][0]));
            for (std::size_t j = 0; j < k; ++j)
                if (meet(wrap_.points, made[j], made[k], reach)) return false;
            bool is = true;
            neighbourhood_.near(made[k], reach, [&](Index t) {
                is = is && (mesh_.is_gone(3 * t) || is_gone_with(t) ||
                            !meet(wrap_.points, made[k], mesh_.triangle(t), reach));
            });
            if (!is) return false;
        }
        return true;
    }
    void mark_changed() {
        for (const Index t : change_.gone)
            if (!mesh_.is_gone(3 * t)) neighbourhood_.change(t, mesh_.triangle(t));
    }

    std::size_t turn_edges() {
        std::size_t n = 0;
        for (Index h = 0; h < mesh_.n_half_edges(); ++h)
            if (!mesh_.is_gone(h) && mesh_.from(h) < mesh_.to(h) && can_turn(h) && gain() > 0 && is_close() &&
                is_free()) {
                mesh_.flip(h);
                mark_changed();
                ++n;
            }
        return n;
    }
    bool can_turn(Index h) {
        const Index g = mesh_.twin(h), a = mesh_.from(h), b = mesh_.to(h), c = mesh_.across(h), d = mesh_.across(g);
        if (c == d) return false;
        double most = 0;
        for (const Index k : {h, ShellMesh::next(h), ShellMesh::before(h), ShellMesh::next(g), ShellMesh::before(g)})
            if (!is_on_curve(k)) most = std::max(most, turn_at(k));
        if (most < kRough || is_on_curve(h) || mesh_.has_edge(c, d)) return false;
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
    /// Is there a fold or a needle at the point, which is not one of a curve that is to be kept?
    bool is_bad(Index p) const {
        if (wrap_.sites[p].is_reached) return false;
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
            if (!mesh_.can_collapse(h)) continue;
            collapse_of(h);
            if (const double gained = gain(); gained > most && is_close() && stays_near(p) && is_free()) {
                most = gained;
                best = h;
            }
        }
        if (best == kNone) return false;
        collapse_of(best);
        mesh_.collapse(best);
        mark_changed();
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
    /// A point on the original is not left behind: the wrap is still near it.
    bool stays_near(Index p) const {
        const double gap = gap_at_(place(p));
        if (original_.closest(place(p)).distance > kFree * gap) return true;
        auto is_near = [&](const Triangle& t) {
            return distance(closest_point_on_triangle(place(p), place(t[0]), place(t[1]), place(t[2])), place(p)) <
                   kLeftBehind * gap;
        };
        if (std::any_of(change_.made.begin(), change_.made.end(), is_near)) return true;
        bool is = false;
        neighbourhood_.near({p, p, p}, kLeftBehind * gap, [&](Index t) {
            is = is || (!mesh_.is_gone(3 * t) && !is_gone_with(t) && is_near(mesh_.triangle(t)));
        });
        return is;
    }

    const Settled& wrap_;
    const TriangleTree& original_;
    const LengthAt& gap_at_;
    ShellMesh mesh_;
    Neighbourhood neighbourhood_;
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
    for (const Edge& e : wrap.on_curves)
        if (number[e[0]] != kNone && number[e[1]] != kNone) out.on_curves.push_back({number[e[0]], number[e[1]]});
    return out;
}

}  // namespace

Settled fair(const Settled& settled, const TriangleTree& original, double gap, const LengthAt& gap_at,
             const Context& context) {
    context.report("domain", "fairing the wrap", 0.9);
    Fairing fairing(settled, original, gap_at, gap);
    const ShellMesh& mesh = fairing.run(context);
    std::vector<Triangle> triangles;
    for (const Triangle& t : mesh.triangles())
        if (t[0] != kNone) triangles.push_back(t);
    return with_triangles(settled, triangles);
}

}  // namespace anvilcast::wrapping
