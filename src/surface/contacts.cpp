// Where triangles meet that should not, or nearly do.
//
// One pass over the pairs whose boxes, widened by the tolerance, overlap: is the pair in conflict (decided exactly), or
// without a common corner and closer than the tolerance? Pairs of two shells are gathered into one interference each.

#include <anvilcast/predicates.hpp>
#include <anvilcast/triangle_intersection.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <tbb/blocked_range.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "geometry/distances.hpp"
#include "surface/findings.hpp"

namespace anvilcast::health {
namespace {

enum class Meeting : unsigned char { crossing, touch, coplanar, near };

struct Pair {
    Index s, t;  // s < t
    Meeting meeting;
    Vec3 place;
    double size;
    bool operator<(const Pair& p) const { return s != p.s ? s < p.s : t < p.t; }
};

std::array<Vec3, 3> corners(const Surface& s, Index t) { return {s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)}; }

Box box_of(const Surface& s, Index t) {
    Box box;
    for (const Vec3& p : corners(s, t)) box.include(p);
    return box;
}

int shared_corners(const Triangle& s, const Triangle& t) {
    int n = 0;
    for (const Index p : s) n += std::find(t.begin(), t.end(), p) != t.end() ? 1 : 0;
    return n;
}

bool coplanar(const Surface& s, Index a, Index b) {
    const auto p = corners(s, a), q = corners(s, b);
    return std::all_of(q.begin(), q.end(), [&](const Vec3& v) { return orient3d(p[0], p[1], p[2], v) == 0; });
}

Box common_box(const Surface& s, Index a, Index b) {
    const Box p = box_of(s, a), q = box_of(s, b);
    Box out;
    for (int i = 0; i < 3; ++i) {
        out.lo[i] = std::max(p.lo[i], q.lo[i]);
        out.hi[i] = std::min(p.hi[i], q.hi[i]);
    }
    return out;
}

class ContactSearch {
  public:
    ContactSearch(Findings& f, const Context& context)
        : f_(f), context_(context), tree_(f.surface.points, f.surface.triangles) {}

    std::vector<Pair> pairs() {
        tbb::enumerable_thread_specific<std::vector<Pair>> found;
        const auto n = static_cast<Index>(f_.surface.triangles.size());
        tbb::parallel_for(tbb::blocked_range<Index>(0, n, 512), [&](const auto& range) {
            context_.check_stop();
            auto& mine = found.local();
            for (Index s = range.begin(); s < range.end(); ++s) search_from(s, mine);
        });
        std::vector<Pair> all;
        for (const auto& part : found) all.insert(all.end(), part.begin(), part.end());
        std::sort(all.begin(), all.end());
        return all;
    }

  private:
    void search_from(Index s, std::vector<Pair>& out) const {
        if (f_.is_degenerate[s]) return;
        const Surface& surface = f_.surface;
        Box box = box_of(surface, s);
        const Vec3 margin{f_.tolerance, f_.tolerance, f_.tolerance};
        box.lo -= margin;
        box.hi += margin;
        tree_.overlapping(box, [&](Index t) {
            if (t <= s || f_.is_degenerate[t]) return;
            const int shared = shared_corners(surface.triangles[s], surface.triangles[t]);
            if (shared == 3) return;  // a duplicate, listed as that
            if (triangles_conflict(surface.points, surface.triangles[s], surface.triangles[t])) {
                const Meeting meeting = coplanar(surface, s, t) ? Meeting::coplanar
                                        : crosses(s, t)         ? Meeting::crossing
                                                                : Meeting::touch;
                if (meeting == Meeting::touch && at_seam(s) && at_seam(t)) return;  // part of a crack, listed as that
                const Box common = common_box(surface, s, t);
                out.push_back({s, t, meeting, common.center(), std::max(0.0, common.diagonal())});
            } else if (shared == 0 && !(at_seam(s) && at_seam(t))) {
                add_if_near(s, t, out);
            }
        });
    }

    bool at_seam(Index t) const {
        const Triangle& c = f_.surface.triangles[t];
        return std::any_of(c.begin(), c.end(), [this](Index p) { return f_.at_seam[p]; });
    }

    /// Does an edge of one go through the inside of the other?
    bool crosses(Index s, Index t) const {
        auto pierces = [&](Index edges_of, Index face) {
            const auto e = corners(f_.surface, edges_of), q = corners(f_.surface, face);
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3 &a = e[k], &b = e[(k + 1) % 3];
                if (orient3d(q[0], q[1], q[2], a) * orient3d(q[0], q[1], q[2], b) >= 0) continue;
                const int turn = orient3d(a, b, q[0], q[1]);
                if (turn != 0 && orient3d(a, b, q[1], q[2]) == turn && orient3d(a, b, q[2], q[0]) == turn) return true;
            }
            return false;
        };
        return pierces(s, t) || pierces(t, s);
    }

    /// Walls of one shell count when they face each other and are not joined by a triangle between them.
    void add_if_near(Index s, Index t, std::vector<Pair>& out) const {
        if (f_.tolerance <= 0) return;
        const ClosestPair closest = closest_between_triangles(corners(f_.surface, s), corners(f_.surface, t));
        if (closest.squared > f_.tolerance * f_.tolerance) return;
        // As near as numbers allow is a touch.
        const double touch = 0x1p-48 * (length(closest.first) + length(closest.second));
        if (closest.squared <= touch * touch) return;
        if (f_.orientation.shell_of[s] == f_.orientation.shell_of[t] && (!opposed(s, t) || neighbours(s, t))) return;
        out.push_back({s, t, Meeting::near, midpoint(closest.first, closest.second), std::sqrt(closest.squared)});
    }
    bool opposed(Index s, Index t) const {
        auto normal = [&](Index i) {
            const auto c = corners(f_.surface, i);
            return normalized(triangle_normal(c[0], c[1], c[2])) * (f_.orientation.turn[i] ? -1.0 : 1.0);
        };
        return dot(normal(s), normal(t)) < -0.5;
    }
    bool neighbours(Index s, Index t) const {
        for (Index k = 0; k < 3; ++k) {
            const std::size_t e = f_.edges.edge_of(s, k);
            for (const auto* u = f_.edges.begin(e); u != f_.edges.end(e); ++u)
                if (shared_corners(f_.surface.triangles[u->triangle], f_.surface.triangles[t]) > 0) return true;
        }
        return false;
    }

    Findings& f_;
    const Context& context_;
    TriangleTree tree_;
};

/// The shells that cross others, each with a tree of its own, to tell how deep they are in each other.
class DepthFinder {
  public:
    explicit DepthFinder(const Findings& f) : f_(f), members_(f.orientation.n_shells), trees_(f.orientation.n_shells) {
        for (Index t = 0; t < f.surface.triangles.size(); ++t) members_[f.orientation.shell_of[t]].push_back(t);
    }

    /// The deepest point of either shell inside of the other one, as far as that is closed.
    Defect deepest(Index a, Index b, const std::vector<const Pair*>& pairs) {
        Defect worst{pairs.front()->place, 0, {pairs.front()->s, pairs.front()->t}};
        probe(a, b, pairs, worst);
        probe(b, a, pairs, worst);
        return worst;
    }

  private:
    void probe(Index from, Index into, const std::vector<const Pair*>& pairs, Defect& worst) {
        if (!f_.health.shells[into].is_closed) return;
        std::vector<Index> corners_of_from;
        for (const Index t : members_[from])
            for (const Index p : f_.surface.triangles[t]) corners_of_from.push_back(p);
        std::sort(corners_of_from.begin(), corners_of_from.end());
        corners_of_from.erase(std::unique(corners_of_from.begin(), corners_of_from.end()), corners_of_from.end());
        std::vector<Vec3> probes;
        for (const Index p : corners_of_from) probes.push_back(f_.surface.points[p]);
        for (const Pair* pair : pairs)
            for (const Index t : {pair->s, pair->t})
                if (f_.orientation.shell_of[t] == from) {
                    const auto c = corners(f_.surface, t);
                    probes.push_back(f_.middle(t));
                    for (std::size_t k = 0; k < 3; ++k) probes.push_back(midpoint(c[k], c[(k + 1) % 3]));
                }
        const TriangleTree& tree = tree_of(into);
        for (const Vec3& p : probes) {
            if (tree.bounds().distance_squared_to(p) > 0) continue;
            const double depth = tree.closest(p).distance;
            if (depth > worst.size && is_inside(tree, p)) {
                worst.size = depth;
                worst.place = p;
            }
        }
    }

    static bool is_inside(const TriangleTree& tree, const Vec3& p) {
        for (const Vec3& direction :
             {Vec3{0.3847, 0.5513, 0.7404}, Vec3{-0.6121, 0.2287, 0.7570}, Vec3{0.1571, -0.9130, 0.3766}}) {
            const auto hits = tree.line_hits(p, direction);
            if (std::any_of(hits.begin(), hits.end(), [](const auto& h) { return h.margin < 1e-9; })) continue;
            return std::count_if(hits.begin(), hits.end(), [](const auto& h) { return h.t > 0; }) % 2 == 1;
        }
        return false;
    }

    const TriangleTree& tree_of(Index shell) {
        if (!trees_[shell]) {
            std::vector<Triangle> triangles;
            for (const Index t : members_[shell]) triangles.push_back(f_.surface.triangles[t]);
            trees_[shell].emplace(f_.surface.points, triangles);
        }
        return *trees_[shell];
    }

    const Findings& f_;
    std::vector<std::vector<Index>> members_;
    std::vector<std::optional<TriangleTree>> trees_;
};

}  // namespace

void find_contacts(Findings& f, const Context& context) {
    if (f.surface.triangles.empty()) return;
    const std::vector<Pair> pairs = ContactSearch(f, context).pairs();
    std::map<std::array<Index, 2>, std::vector<const Pair*>> between_shells;
    std::set<std::array<Index, 2>> overlapping;
    for (const Pair& pair : pairs) {
        const Index a = f.orientation.shell_of[pair.s], b = f.orientation.shell_of[pair.t];
        const std::array<Index, 2> shells{std::min(a, b), std::max(a, b)};
        if (pair.meeting == Meeting::near)
            f.add(DefectKind::near_miss, {pair.place, pair.size, {pair.s, pair.t}});
        else if (pair.meeting == Meeting::coplanar)
            f.add(DefectKind::overlap, {pair.place, pair.size, {pair.s, pair.t}});
        else if (a == b)
            f.add(DefectKind::self_intersection, {pair.place, pair.size, {pair.s, pair.t}});
        else
            between_shells[shells].push_back(&pair);
        if (pair.meeting == Meeting::coplanar) overlapping.insert(shells);
    }
    // Where faces of two shells overlap, their borders touch: that is the same fault.
    std::erase_if(between_shells, [&](const auto& entry) {
        return overlapping.contains(entry.first) &&
               std::all_of(entry.second.begin(), entry.second.end(),
                           [](const Pair* p) { return p->meeting == Meeting::touch; });
    });
    if (between_shells.empty()) return;
    DepthFinder depths(f);
    for (const auto& [shells, crossing] : between_shells) {
        context.check_stop();
        f.add(DefectKind::interference, depths.deepest(shells[0], shells[1], crossing));
    }
}

}  // namespace anvilcast::health
