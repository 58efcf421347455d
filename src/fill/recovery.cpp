// Boundary recovery.
//
// The Delaunay tetrahedra of the surface's points hold nearly all its edges and triangles as they are. What is
// missing is brought back in three steps, each only where the one before failed:
//   edges:  the tetrahedron at a that the segment ab leaves through is found; the face that it crosses is flipped
//           away (two tetrahedra become three), or an edge at fault is removed;
//   faces:  with all three edges there, the edges that pierce the triangle are removed one by one;
//   points: what resists is split. A point on an edge divides the edge and every surface triangle at it; a point on a
//           face divides the triangle in three. It goes in by a cavity that tagged faces bound, so that what is
//           recovered stays. Its coordinates are rounded; from then on the surface is what the rounded point says.
// Every round either recovers all, or adds points, which makes the pieces shorter than the local gaps of the surface:
// then they are in the Delaunay tetrahedra by themselves. The number of points is bounded all the same; passing
// the bound is reported with the place.

#include "fill/recovery.hpp"

#include <anvilcast/fill.hpp>
#include <optional>

#include <fmt/format.h>

#include <algorithm>
#include <unordered_map>

#include "tets/edge_removal.hpp"

namespace anvilcast::fill {
namespace {

constexpr int kMaxFlipsPerEdge = 64;
constexpr int kMaxFlipsPerFace = 200;
/// Of an edge of the surface. What is shorter than that is in a place where coordinates are too coarse.
constexpr int kMostHalvings = 16;
/// Where a share of a triangle's corner is below that, a point is taken to be at the side opposite.
constexpr double kCloseToSide = 0.02;

std::uint64_t edge_key(Index a, Index b) { return a < b ? (std::uint64_t{a} << 32) | b : (std::uint64_t{b} << 32) | a; }

class Recovery {
  public:
    Recovery(TetComplex& complex, SurfaceTriangles& surface, const Context& context)
        : complex_(complex), surface_(surface), context_(context), max_points_(1000 + 20 * surface.triangles.size()) {
        for (Index t = 0; t < surface_.triangles.size(); ++t) enlist(t);
    }

    RecoveryReport run() {
        tag_what_is_there();
        for (std::size_t round = 0;; ++round) {
            context_.report("fill", "boundary recovery", 0.2);
            recover_edges(round);
            if (recover_faces()) return report_;
        }
    }

  private:
    void enlist(Index t) {
        const Triangle& c = surface_.triangles[t];
        for (std::size_t k = 0; k < 3; ++k) at_edge_[edge_key(c[k], c[(k + 1) % 3])].push_back(t);
    }
    void delist(Index t) {
        const Triangle& c = surface_.triangles[t];
        for (std::size_t k = 0; k < 3; ++k) std::erase(at_edge_[edge_key(c[k], c[(k + 1) % 3])], t);
    }
    bool tag_if_there(Index t) {
        const Triangle& c = surface_.triangles[t];
        const auto code = complex_.find_face(c[0], c[1], c[2]);
        if (code) complex_.set_tag(tet_of(*code), face_of(*code), t);
        return code.has_value();
    }
    /// Those that were tagged.
    std::vector<Index> untag(const std::vector<Index>& triangles) {
        std::vector<Index> tagged;
        for (const Index t : triangles) {
            const Triangle& c = surface_.triangles[t];
            const auto code = complex_.find_face(c[0], c[1], c[2]);
            if (!code || complex_.tag(tet_of(*code), face_of(*code)) != t) continue;
            complex_.set_tag(tet_of(*code), face_of(*code), kNone);
            tagged.push_back(t);
        }
        return tagged;
    }
    void tag_what_is_there() {
        for (Index t = 0; t < surface_.triangles.size(); ++t)
            if (!tag_if_there(t)) missing_.push_back(t);
    }

    void recover_edges(std::size_t round) {
        std::vector<std::array<Index, 2>> edges;
        for (const Index t : missing_) {
            const Triangle& c = surface_.triangles[t];
            for (std::size_t k = 0; k < 3; ++k)
                edges.push_back({std::min(c[k], c[(k + 1) % 3]), std::max(c[k], c[(k + 1) % 3])});
        }
        std::sort(edges.begin(), edges.end());
        edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
        // A piece of a split edge may be missing in its turn: go on with the pieces.
        for (std::size_t i = 0; i < edges.size(); ++i) {
            context_.check_stop();
            const auto [a, b] = edges[i];
            if (complex_.find_edge(a, b)) continue;
            if (flip_in_edge(a, b) || flip_in_edge(b, a)) {
                ++report_.edges_by_flips;
                continue;
            }
            const Index m = split_edge(a, b, round);
            edges.push_back({a, m});
            edges.push_back({m, b});
        }
    }

    /// True when all faces are there in the end.
    bool recover_faces() {
        std::vector<Index> left;
        std::vector<Index> list = std::move(missing_);
        missing_.clear();
        for (const Index t : list) {
            context_.check_stop();
            if (tag_if_there(t)) continue;
            const Triangle c = surface_.triangles[t];
            bool edges_there = true;
            for (std::size_t k = 0; k < 3; ++k)
                edges_there = edges_there && complex_.find_edge(c[k], c[(k + 1) % 3]).has_value();
            if (edges_there && flip_in_face(c) && tag_if_there(t)) {
                ++report_.faces_by_flips;
                continue;
            }
            left.push_back(t);
        }
        for (const Index t : left) {
            // Splitting one may have brought another.
            if (tag_if_there(t)) continue;
            missing_.push_back(t);
            const Triangle c = surface_.triangles[t];
            bool edges_there = true;
            for (std::size_t k = 0; k < 3; ++k)
                edges_there = edges_there && complex_.find_edge(c[k], c[(k + 1) % 3]).has_value();
            if (edges_there) split_face(t);
        }
        return missing_.empty();
    }

    bool remove_edge(Index a, Index b) {
        if (at_edge_.contains(edge_key(a, b)) && !at_edge_[edge_key(a, b)].empty()) return false;
        const auto t = complex_.find_edge(a, b);
        if (!t) return false;
        complex_.edge_ring(*t, a, b, ring_);
        const EdgeRemoval removal = best_edge_removal(ring_, a, b, [this](const Quad& q) { return quality(q); });
        if (removal.quality <= 0) return false;
        complex_.replace(ring_.tets, removal.fresh);
        return true;
    }

    /// Exactly positive volume first; among those the fattest, so that later flips stay possible.
    double quality(const Quad& q) const {
        if (complex_.orientation(q) <= 0) return 0;
        const Vec3 &a = complex_.point(q[0]), &b = complex_.point(q[1]), &c = complex_.point(q[2]),
                   &d = complex_.point(q[3]);
        const double l = distance_squared(a, b) + distance_squared(a, c) + distance_squared(a, d) +
                         distance_squared(b, c) + distance_squared(b, d) + distance_squared(c, d);
        return std::max(tetrahedron_volume(a, b, c, d) / (l * std::sqrt(l)), 1e-300);
    }

    /// Two tetrahedra over face f of t become three round the edge between their apexes, if that is valid.
    bool flip_face(Index t, int f) {
        const Index code = complex_.tet(t).n[f];
        if (code == kNone || complex_.tag(t, f) != kNone) return false;
        const Index other = tet_of(code);
        if (complex_.has_ghost(t) || complex_.has_ghost(other)) return false;
        const Index* v = complex_.tet(t).v;
        const Index x = v[kFace[f][0]], y = v[kFace[f][1]], z = v[kFace[f][2]], top = v[f],
                    low = complex_.tet(other).v[face_of(code)];
        const std::array<Quad, 3> fresh{Quad{x, y, low, top}, Quad{y, z, low, top}, Quad{z, x, low, top}};
        for (const Quad& q : fresh)
            if (complex_.orientation(q) <= 0) return false;
        const std::array<Index, 2> old{t, other};
        complex_.replace(old, fresh);
        return true;
    }

    struct Crossing {
        Index tet = kNone;
        int face = -1;               // of tet, opposite a
        std::array<Index, 3> on{};   // corners of that face
        std::array<bool, 3> zero{};  // the segment passes the plane of a and side k (between on[k] and on[k + 1])
    };

    /// Where the segment from a to b leaves the star of a.
    Crossing leave_star(Index a, Index b) const {
        for (const Index t : complex_.star(a)) {
            if (complex_.has_ghost(t)) continue;
            const int f = complex_.tet(t).index_of(a);
            const Index* v = complex_.tet(t).v;
            Crossing c{t, f, {v[kFace[f][0]], v[kFace[f][1]], v[kFace[f][2]]}, {}};
            bool inside = true;
            for (std::size_t k = 0; k < 3 && inside; ++k) {
                // (on[k], on[k+1], a) with the third corner: b must be on the same side of the plane.
                const int s = orient3d(complex_.point(c.on[k]), complex_.point(c.on[(k + 1) % 3]), complex_.point(a),
                                       complex_.point(b));
                const int reference = orient3d(complex_.point(c.on[k]), complex_.point(c.on[(k + 1) % 3]),
                                               complex_.point(a), complex_.point(c.on[(k + 2) % 3]));
                inside = s * reference >= 0;
                c.zero[k] = s == 0;
            }
            if (inside) return c;
        }
        return {};
    }

    bool flip_in_edge(Index a, Index b) {
        for (int step = 0; step < kMaxFlipsPerEdge; ++step) {
            if (complex_.find_edge(a, b)) return true;
            const Crossing c = leave_star(a, b);
            if (c.tet == kNone) return false;
            const auto n_zero = static_cast<int>(c.zero[0]) + c.zero[1] + c.zero[2];
            if (n_zero >= 2) report_point_on_edge(a, b, c);
            bool changed = false;
            if (n_zero == 0) changed = flip_face(c.tet, c.face);
            for (std::size_t k = 0; k < 3 && !changed; ++k)
                if (n_zero == 0 || c.zero[k]) changed = remove_edge(c.on[k], c.on[(k + 1) % 3]);
            if (!changed) return false;
        }
        return complex_.find_edge(a, b).has_value();
    }

    [[noreturn]] void report_point_on_edge(Index a, Index b, const Crossing& c) const {
        for (std::size_t k = 0; k < 3; ++k) {
            if (!c.zero[k] || !c.zero[(k + 1) % 3]) continue;
            const Vec3& p = complex_.point(c.on[(k + 1) % 3]);
            throw GeometryError(
                fmt::format("the surface touches itself: a point at [{:.9g}, {:.9g}, {:.9g}] m lies on an edge "
                            "of another triangle",
                            p.x, p.y, p.z));
        }
        fail("the surface touches itself", midpoint(complex_.point(a), complex_.point(b)));
    }

    [[noreturn]] void fail_at_edge(Index a, Index b) const {
        fail("an edge of the surface could not be brought into the tetrahedra",
             midpoint(complex_.point(a), complex_.point(b)));
    }
    [[noreturn]] void fail(const char* what, const Vec3& p) const {
        throw FillObstacle(
            fmt::format("{} near [{:.9g}, {:.9g}, {:.9g}] m; look at the surface there, or change the surface size a "
                        "little",
                        what, p.x, p.y, p.z),
            {p});
    }

    /// An edge of the complex that pierces the triangle, next to its side ab; the edges of the triangle are there.
    std::optional<std::array<Index, 2>> piercing_edge(Index a, Index b, Index c) {
        const auto at = complex_.find_edge(a, b);
        if (!at) return std::nullopt;
        complex_.edge_ring(*at, a, b, ring_);
        const std::size_t n = ring_.ring.size();
        for (std::size_t i = 0; i < ring_.tets.size(); ++i) {
            const Index p = ring_.ring[i], q = ring_.ring[(i + 1) % n];
            if (p == kGhost || q == kGhost) continue;
            if (pierces(p, q, a, b, c)) return {{p, q}};
        }
        return std::nullopt;
    }

    bool pierces(Index p, Index q, Index a, Index b, Index c) const {
        const Vec3 &pp = complex_.point(p), &pq = complex_.point(q), &pa = complex_.point(a), &pb = complex_.point(b),
                   &pc = complex_.point(c);
        if (orient3d(pa, pb, pc, pp) * orient3d(pa, pb, pc, pq) >= 0) return false;
        const int s = orient3d(pp, pq, pa, pb), t = orient3d(pp, pq, pb, pc), u = orient3d(pp, pq, pc, pa);
        return s != 0 && s == t && t == u;
    }

    bool flip_in_face(const Triangle& c) {
        for (int step = 0; step < kMaxFlipsPerFace; ++step) {
            if (complex_.find_face(c[0], c[1], c[2])) return true;
            bool changed = false;
            for (std::size_t k = 0; k < 3 && !changed; ++k) {
                const auto edge = piercing_edge(c[k], c[(k + 1) % 3], c[(k + 2) % 3]);
                changed = edge && remove_edge((*edge)[0], (*edge)[1]);
            }
            if (!changed) return false;
        }
        return false;
    }

    void count_point(const Vec3& p) {
        if (report_.splits.size() > max_points_) fail("the boundary could not be brought into the tetrahedra", p);
    }

    /// Puts a point into the complex; nothing when it cannot be done there.
    std::optional<Index> insert(const Vec3& p, Index near) {
        const auto& star = complex_.star(near);
        const auto from = std::find_if(star.rbegin(), star.rend(), [&](Index s) { return !complex_.has_ghost(s); });
        if (from == star.rend()) return std::nullopt;
        const auto t = complex_.locate(p, *from);
        if (!t || !complex_.find_cavity(p, *t, cavity_)) return std::nullopt;
        const Index v = complex_.add_point(p);
        complex_.fill_cavity(cavity_, v);
        return v;
    }

    /// Puts a point on the edge pq, which must be no edge of the surface: what it pierced is free of it.
    /// Nothing when the point does not see all round the edge.
    std::optional<Index> insert_on_edge(const Vec3& place, Index p, Index q) {
        const auto at = complex_.find_edge(p, q);
        if (!at) return std::nullopt;
        complex_.edge_ring(*at, p, q, ring_);
        if (!ring_.is_free) return std::nullopt;
        const Index m = complex_.add_point(place);
        std::vector<Quad> fresh;
        for (std::size_t i = 0; i < ring_.ring.size(); ++i) {
            const Index c = ring_.ring[i], d = ring_.ring[(i + 1) % ring_.ring.size()];
            fresh.push_back({d, c, q, m});
            fresh.push_back({c, d, p, m});
        }
        if (std::all_of(fresh.begin(), fresh.end(), [&](const Quad& f) { return complex_.orientation(f) > 0; })) {
            complex_.replace(ring_.tets, fresh);
            return m;
        }
        complex_.drop_last_point();
        return std::nullopt;
    }

    Index split_edge(Index a, Index b, std::size_t round) {
        // Off the middle by a little in later rounds, so that unlucky places are not met again.
        for (const double base : {0.5, 0.45, 0.55, 0.38, 0.62, 0.27, 0.73})
            if (const auto m = split_edge_at(a, b, base + 0.01 * static_cast<double>(round % 5))) return *m;
        fail_at_edge(a, b);
    }

    /// At a share of the way from a to b; nothing when no point can be put there.
    std::optional<Index> split_edge_at(Index a, Index b, double share) {
        const Vec3 pa = complex_.point(a), pb = complex_.point(b);
        count_point(pa);
        const int halvings = halvings_[edge_key(a, b)] + 1;
        if (halvings > kMostHalvings) fail_at_edge(a, b);
        const std::vector<Index> around = at_edge_[edge_key(a, b)];
        const std::vector<Index> lost = untag(around);
        const auto inserted = insert(pa + (pb - pa) * share, a);
        if (!inserted) {
            for (const Index t : lost) tag_if_there(t);
            return std::nullopt;
        }
        const Index m = *inserted;
        missing_.insert(missing_.end(), lost.begin(), lost.end());
        halvings_[edge_key(a, m)] = halvings_[edge_key(m, b)] = halvings;
        SplitPoint split{m, surface_.parent[around.front()], {}, blend({{a, 1 - share}, {b, share}})};
        for (const Index t : around) split.parents.push_back(split_triangle_at_edge(t, a, b, m));
        keep(std::move(split));
        return m;
    }

    SplitPoint::Parent split_triangle_at_edge(Index t, Index a, Index b, Index m) {
        Triangle first = surface_.triangles[t], second = first;
        std::replace(first.begin(), first.end(), b, m);
        std::replace(second.begin(), second.end(), a, m);
        return replace_triangle(t, {first, second});
    }

    /// The first piece keeps the number; the others are new and missing until found.
    SplitPoint::Parent replace_triangle(Index t, const std::vector<Triangle>& pieces) {
        SplitPoint::Parent parent{surface_.triangles[t], {t}};
        delist(t);
        surface_.triangles[t] = pieces.front();
        enlist(t);
        for (std::size_t k = 1; k < pieces.size(); ++k) {
            const auto fresh = static_cast<Index>(surface_.triangles.size());
            surface_.triangles.push_back(pieces[k]);
            surface_.parent.push_back(surface_.parent[t]);
            enlist(fresh);
            missing_.push_back(fresh);
            parent.pieces.push_back(fresh);
        }
        return parent;
    }

    /// Where a point lies between vertices of the input, given where it lies between vertices of the complex.
    std::vector<std::pair<Index, double>> blend(const std::vector<std::pair<Index, double>>& between) const {
        std::vector<std::pair<Index, double>> out;
        auto add = [&out](Index v, double weight) {
            for (auto& [w, sum] : out)
                if (w == v) return void(sum += weight);
            out.push_back({v, weight});
        };
        for (const auto& [v, weight] : between) {
            const auto split = split_of_.find(v);
            if (split == split_of_.end())
                add(v, weight);
            else
                for (const auto& [w, share] : report_.splits[split->second].between) add(w, weight * share);
        }
        return out;
    }

    void keep(SplitPoint&& split) {
        split_of_[split.vertex] = report_.splits.size();
        report_.splits.push_back(std::move(split));
    }

    /// Of p among the corners, by areas.
    std::vector<std::pair<Index, double>> shares(const Triangle& c, const Vec3& p) const {
        const Vec3 &x = complex_.point(c[0]), &y = complex_.point(c[1]), &z = complex_.point(c[2]);
        const double a = triangle_area(p, y, z), b = triangle_area(x, p, z), d = triangle_area(x, y, p);
        return {{c[0], a / (a + b + d)}, {c[1], b / (a + b + d)}, {c[2], d / (a + b + d)}};
    }

    /// Where the edge pq, which is known to pierce it, does so, as shares of the corners: by the volumes of the
    /// tetrahedra over pq and the sides, which have one sign in exact numbers. None is below 0 or above 1, however flat
    /// they are.
    std::vector<std::pair<Index, double>> pierced_shares(const Triangle& c, Index p, Index q) const {
        std::array<double, 3> volume{};
        double sum = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            volume[k] = tetrahedron_volume(complex_.point(p), complex_.point(q), complex_.point(c[(k + 1) % 3]),
                                           complex_.point(c[(k + 2) % 3]));
            sum += volume[k];
        }
        std::vector<std::pair<Index, double>> out;
        double rest = 0;
        for (double& v : volume) rest += v = sum != 0 ? std::max(0.0, v / sum) : 1;
        for (std::size_t k = 0; k < 3; ++k) out.emplace_back(c[k], volume[k] / rest);
        return out;
    }

    /// Where an edge pierces it, so that the edge goes; at its side, where that is too close for a triangle between;
    /// or in its middle.
    void split_face(Index t) {
        const Triangle c = surface_.triangles[t];
        count_point(complex_.point(c[0]));
        for (std::size_t k = 0; k < 3; ++k) {
            const auto edge = piercing_edge(c[k], c[(k + 1) % 3], c[(k + 2) % 3]);
            if (edge && split_face_where_pierced(t, (*edge)[0], (*edge)[1])) return;
        }
        const Vec3 middle = (complex_.point(c[0]) + complex_.point(c[1]) + complex_.point(c[2])) / 3.0;
        const auto m = insert(middle, c[0]);
        if (!m) fail("a triangle of the surface could not be brought into the tetrahedra", middle);
        split_face_at(t, *m);
    }

    bool split_face_where_pierced(Index t, Index p, Index q) {
        const Triangle c = surface_.triangles[t];
        const auto share = pierced_shares(c, p, q);
        Vec3 place{};
        for (const auto& [corner, of] : share) place += complex_.point(corner) * of;
        for (std::size_t k = 0; k < 3; ++k) {
            if (share[k].second > kCloseToSide) continue;
            const auto& [a, of_a] = share[(k + 1) % 3];
            const auto& [b, of_b] = share[(k + 2) % 3];
            const double s = of_b / (of_a + of_b);
            return std::min(s, 1 - s) > kCloseToSide && split_edge_at(a, b, s).has_value();
        }
        auto m = insert_on_edge(place, p, q);
        if (!m) m = insert(place, c[0]);
        if (!m) return false;
        split_face_at(t, *m);
        return true;
    }

    void split_face_at(Index t, Index m) {
        const Triangle c = surface_.triangles[t];
        SplitPoint split{m, surface_.parent[t], {}, blend(shares(c, complex_.point(m)))};
        split.parents.push_back(replace_triangle(t, {{c[0], c[1], m}, {c[1], c[2], m}, {c[2], c[0], m}}));
        keep(std::move(split));
    }

    TetComplex& complex_;
    SurfaceTriangles& surface_;
    const Context& context_;
    std::size_t max_points_;
    RecoveryReport report_;
    std::vector<Index> missing_;
    std::unordered_map<Index, std::size_t> split_of_;  // of a vertex that was added, its place in the report
    // Looked up only, never iterated.
    std::unordered_map<std::uint64_t, std::vector<Index>> at_edge_;
    std::unordered_map<std::uint64_t, int> halvings_;  // of what the edge is a piece of
    TetComplex::Ring ring_;
    TetComplex::Cavity cavity_;
};

}  // namespace

RecoveryReport recover_boundary(TetComplex& complex, SurfaceTriangles& surface, const Context& context) {
    return Recovery(complex, surface, context).run();
}

}  // namespace anvilcast::fill
