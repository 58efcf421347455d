// One exact cut: find the pairs that meet, gather the points and segments on each triangle, divide each triangle.
//
// All points are exact while this lasts, so that the same point, constructed on different triangles in different
// ways, is one point; the points on an edge are given to all triangles at it. With that the pieces fit together.

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <anvilcast/triangle_intersection.hpp>

#include <algorithm>
#include <unordered_map>

#include "base/disjoint_sets.hpp"
#include "cut/complex.hpp"
#include "cut/meeting.hpp"
#include "cut/planar_division.hpp"

namespace anvilcast::cutting {
namespace {

using robust::compare;
using robust::ExactPoint;

struct PlaceHash {
    std::size_t operator()(const Vec3& p) const {
        std::uint64_t h = 0;
        for (int k = 0; k < 3; ++k) {
            const double value = p[k] + 0.0;  // -0 and 0 are equal
            h = (h ^ std::hash<double>{}(value)) * 0x9E3779B97F4A7C15ULL;
            h ^= h >> 29U;
        }
        return h;
    }
};

/// Points by their exact place.
class PointTable {
  public:
    explicit PointTable(std::vector<ExactPoint>& points) : points_(points) {}
    /// Only points that can be met again need to be known.
    void know(Index p) { by_place_[points_[p].approx()].push_back(p); }
    Index number(const ExactPoint& p) {
        std::vector<Index>& here = by_place_[p.approx()];
        for (const Index i : here)
            if (points_[i] == p) return i;
        points_.push_back(p);
        here.push_back(static_cast<Index>(points_.size() - 1));
        return here.back();
    }

  private:
    std::vector<ExactPoint>& points_;
    std::unordered_map<Vec3, std::vector<Index>, PlaceHash> by_place_;  // looked up only, never iterated
};

/// What is to be put into one triangle, and what becomes of it.
struct Job {
    Index triangle;
    int axis = 0;
    std::vector<Index> points;
    std::vector<std::array<Index, 2>> segments;

    std::vector<Index> number;          // of the division's points; kNone for those that are new
    std::vector<ExactPoint> crossings;  // the new ones
    std::vector<Triangle> pieces;
};

/// Nearby points one after the other, so that walks are short.
void order_for_insertion(std::vector<Index>& list, const std::vector<ExactPoint>& points, int axis) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
    if (list.size() < 16) return;
    Box box;
    for (const Index p : list) box.include(points[p].approx());
    const int u = (axis + 1) % 3, v = (axis + 2) % 3;
    const double columns = std::ceil(std::sqrt(static_cast<double>(list.size()) / 2));
    const double width = std::max(box.extent()[u] / columns, std::numeric_limits<double>::min());
    auto column = [&](Index p) { return static_cast<std::int64_t>((points[p].approx()[u] - box.lo[u]) / width); };
    std::sort(list.begin(), list.end(), [&](Index p, Index q) {
        const auto cp = column(p), cq = column(q);
        if (cp != cq) return cp < cq;
        const double a = points[p].approx()[v], b = points[q].approx()[v];
        if (a != b) return cp % 2 == 0 ? a < b : a > b;
        return p < q;
    });
}

class Cutter {
  public:
    Cutter(Complex& complex, const Context& context) : complex_(complex), context_(context), table_(complex.points) {}

    CutCount cut(const std::vector<Vec3>& normals, double grain) {
        find_meetings();
        for (int round = 0; round < kMostFlattenings && flatten_meetings(grain); ++round) {
            tidy(complex_, normals);
            find_meetings();
        }
        if (meetings_.empty()) return {};
        const std::size_t n_points = complex_.points.size();
        know_points();
        gather();
        share_points_on_edges();
        divide();
        put_together();
        return {meetings_.size(), complex_.points.size() - n_points};
    }

  private:
    struct Pair {
        Index i, j;
        Meeting meeting;
    };

    bool all_double(Index t) const {
        const auto c = complex_.corners(t);
        return c[0]->is_double() && c[1]->is_double() && c[2]->is_double();
    }

    /// Is there more to the meeting than corners that both have?
    bool is_shared(Index i, Index j, const Meeting& meeting) const {
        if (meeting.is_coplanar && !meeting.first.empty() && !meeting.second.empty()) return share_an_edge_only(i, j);
        return std::all_of(meeting.points.begin(), meeting.points.end(), [&](const ExactPoint& p) {
            auto has = [&](Index t) {
                const auto c = complex_.corners(t);
                return *c[0] == p || *c[1] == p || *c[2] == p;
            };
            return has(i) && has(j);
        });
    }
    bool share_an_edge_only(Index i, Index j) const {
        const Triangle &s = complex_.triangles[i], &t = complex_.triangles[j];
        std::array<Index, 3> shared{};
        std::size_t n = 0;
        Index tip_s = kNone, tip_t = kNone;
        for (const Index p : s) {
            if (std::find(t.begin(), t.end(), p) != t.end())
                shared[n++] = p;
            else
                tip_s = p;
        }
        for (const Index p : t)
            if (std::find(s.begin(), s.end(), p) == s.end()) tip_t = p;
        if (n != 2) return false;
        const auto& p = complex_.points;
        const auto c = complex_.corners(i);
        const int axis = robust::axis_across(*c[0], *c[1], *c[2]);
        return robust::orient2d(p[shared[0]], p[shared[1]], p[tip_s], axis) *
                   robust::orient2d(p[shared[0]], p[shared[1]], p[tip_t], axis) <
               0;
    }

    void find_meetings() {
        meetings_.clear();
        std::vector<Vec3> places;
        places.reserve(complex_.points.size());
        for (const ExactPoint& p : complex_.points) places.push_back(p.approx());
        const TriangleTree tree(places, complex_.triangles);
        // Approximations are off by less than this.
        const double margin = 1e-15 * (length(tree.bounds().lo) + length(tree.bounds().hi));
        const auto n = static_cast<Index>(complex_.triangles.size());
        std::vector<std::vector<Pair>> found(n / kBlock + 1);
        tbb::parallel_for(Index{0}, n / kBlock + 1, [&](Index block) {
            context_.check_stop();
            for (Index i = block * kBlock; i < std::min(n, (block + 1) * kBlock); ++i) {
                if (complex_.is_settled[i]) continue;
                Box box;
                for (const Index p : complex_.triangles[i]) box.include(places[p]);
                box.lo -= Vec3{margin, margin, margin};
                box.hi += Vec3{margin, margin, margin};
                const bool doubles = all_double(i);
                std::vector<Index> near;
                tree.overlapping(box, [&](Index j) {
                    if (i < j || (i != j && complex_.is_settled[j])) near.push_back(j);
                });
                std::sort(near.begin(), near.end());
                for (const Index j : near) {
                    const bool exact = !doubles || !all_double(j);
                    if (!exact && !triangles_conflict(places, complex_.triangles[i], complex_.triangles[j])) continue;
                    Meeting meeting = meet(complex_.corners(i), complex_.corners(j));
                    if (exact && (meeting.points.empty() || is_shared(i, j, meeting))) continue;
                    found[block].push_back({i, j, std::move(meeting)});
                }
            }
        });
        for (auto& block : found)
            for (Pair& pair : block) meetings_.push_back(std::move(pair));
    }

    bool flatten_meetings(double grain) {
        std::vector<std::array<Index, 2>> pairs;
        for (const Pair& pair : meetings_)
            if (!pair.meeting.is_coplanar) pairs.push_back({pair.i, pair.j});
        return flatten(complex_, pairs, grain);
    }

    Job& job_of(Index triangle) {
        if (job_number_[triangle] == kNone) {
            job_number_[triangle] = static_cast<Index>(jobs_.size());
            jobs_.push_back({triangle, 0, {}, {}, {}, {}, {}});
        }
        return jobs_[job_number_[triangle]];
    }

    void know_points() {
        std::vector<bool> known(complex_.points.size(), false);
        for (const Pair& pair : meetings_)
            for (const Index t : {pair.i, pair.j})
                for (const Index p : complex_.triangles[t])
                    if (!known[p]) {
                        known[p] = true;
                        table_.know(p);
                    }
    }

    void gather() {
        job_number_.assign(complex_.triangles.size(), kNone);
        DisjointSets planes(complex_.triangles.size());
        std::vector<Index> number;
        for (Pair& pair : meetings_) {
            number.clear();
            for (const ExactPoint& p : pair.meeting.points) number.push_back(table_.number(p));
            auto add = [&](Index triangle, const std::vector<std::array<Index, 2>>& segments) {
                Job& job = job_of(triangle);
                job.points.insert(job.points.end(), number.begin(), number.end());
                for (const auto& s : segments)
                    job.segments.push_back(
                        {std::min(number[s[0]], number[s[1]]), std::max(number[s[0]], number[s[1]])});
            };
            add(pair.i, pair.meeting.first);
            add(pair.j, pair.meeting.second);
            if (pair.meeting.is_coplanar) planes.join(pair.i, pair.j);
            pair.meeting = {};
        }
        choose_axes(planes);
    }

    /// Triangles in one plane that meet must be seen along one axis, for the Delaunay property depends on it.
    void choose_axes(DisjointSets& planes) {
        struct Seen {
            double size = -1;
            int axis = 0;
        };
        std::unordered_map<std::size_t, Seen> largest;
        for (const Job& job : jobs_) {
            const Vec3 n = complex_.normal(job.triangle);
            auto& [size, axis] = largest[planes.find(job.triangle)];
            if (length_squared(n) <= size) continue;
            const auto c = complex_.corners(job.triangle);
            size = length_squared(n);
            axis = robust::axis_across(*c[0], *c[1], *c[2]);
        }
        for (Job& job : jobs_) job.axis = largest[planes.find(job.triangle)].axis;
    }

    void share_points_on_edges() {
        const SurfaceEdges edges(complex_.triangles, complex_.points.size());
        std::unordered_map<std::size_t, std::vector<Index>> on_edge;
        std::vector<std::size_t> touched;
        for (const Job& job : jobs_) {
            const Triangle& t = complex_.triangles[job.triangle];
            for (const Index p : job.points) {
                if (std::find(t.begin(), t.end(), p) != t.end()) continue;
                for (Index k = 0; k < 3; ++k) {
                    if (robust::orient2d(complex_.points[t[k]], complex_.points[t[(k + 1) % 3]], complex_.points[p],
                                         job.axis) != 0)
                        continue;
                    auto& list = on_edge[edges.edge_of(job.triangle, k)];
                    if (list.empty()) touched.push_back(edges.edge_of(job.triangle, k));
                    list.push_back(p);
                }
            }
        }
        for (const std::size_t e : touched) {
            auto& list = on_edge[e];
            std::sort(list.begin(), list.end());
            list.erase(std::unique(list.begin(), list.end()), list.end());
            for (const auto* use = edges.begin(e); use != edges.end(e); ++use) {
                const bool is_new = job_number_[use->triangle] == kNone;
                Job& job = job_of(use->triangle);
                job.points.insert(job.points.end(), list.begin(), list.end());
                if (is_new) {
                    const auto c = complex_.corners(job.triangle);
                    job.axis = robust::axis_across(*c[0], *c[1], *c[2]);
                }
            }
            divide_feature_edge(complex_, edges.ends(e), list);
        }
    }

    void divide() {
        tbb::parallel_for(std::size_t{0}, jobs_.size(), [&](std::size_t k) { divide_triangle(jobs_[k]); });
    }

    void divide_triangle(Job& job) const {
        const auto c = complex_.corners(job.triangle);
        PlanarDivision division(*c[0], *c[1], *c[2], job.axis);
        order_for_insertion(job.points, complex_.points, job.axis);
        std::unordered_map<Index, Index> local;  // looked up only
        const Triangle& t = complex_.triangles[job.triangle];
        job.number.assign(t.begin(), t.end());
        for (Index k = 0; k < 3; ++k) local[t[k]] = k;
        for (const Index p : job.points) {
            if (local.contains(p)) continue;
            local[p] = division.insert(complex_.points[p]);
            job.number.push_back(p);
        }
        std::sort(job.segments.begin(), job.segments.end());
        job.segments.erase(std::unique(job.segments.begin(), job.segments.end()), job.segments.end());
        for (const auto& [a, b] : job.segments) division.insert_segment(local.at(a), local.at(b));
        job.crossings.assign(division.points().begin() + static_cast<std::ptrdiff_t>(job.number.size()),
                             division.points().end());
        job.pieces = division.triangles();
    }

    void put_together() {
        std::vector<Triangle> triangles;
        std::vector<std::vector<CutSurface::Origin>> origins;
        for (Index t = 0; t < complex_.triangles.size(); ++t) {
            if (job_number_[t] == kNone) {
                triangles.push_back(complex_.triangles[t]);
                origins.push_back(std::move(complex_.origins[t]));
                continue;
            }
            Job& job = jobs_[job_number_[t]];
            for (const ExactPoint& p : job.crossings) job.number.push_back(table_.number(p));
            for (const Triangle& piece : job.pieces) {
                triangles.push_back({job.number[piece[0]], job.number[piece[1]], job.number[piece[2]]});
                origins.push_back(complex_.origins[t]);
            }
        }
        complex_.is_settled.assign(triangles.size(), false);
        complex_.triangles = std::move(triangles);
        complex_.origins = std::move(origins);
    }

    static constexpr Index kBlock = 1024;
    static constexpr int kMostFlattenings = 3;
    Complex& complex_;
    const Context& context_;
    PointTable table_;
    std::vector<Pair> meetings_;
    std::vector<Job> jobs_;
    std::vector<Index> job_number_;
};

}  // namespace

void divide_feature_edge(Complex& complex, Edge edge, std::vector<Index> on) {
    if (edge[1] < edge[0]) std::swap(edge[0], edge[1]);
    auto& features = complex.feature_edges;
    const auto at = std::lower_bound(features.begin(), features.end(), edge);
    if (at == features.end() || *at != edge) return;
    features.erase(at);
    on.push_back(edge[0]);
    on.push_back(edge[1]);
    std::sort(on.begin(), on.end(),
              [&](Index p, Index q) { return compare(complex.points[p], complex.points[q]) < 0; });
    for (std::size_t k = 0; k + 1 < on.size(); ++k) {
        const Edge piece{std::min(on[k], on[k + 1]), std::max(on[k], on[k + 1])};
        features.insert(std::lower_bound(features.begin(), features.end(), piece), piece);
    }
}

CutCount cut_once(Complex& complex, const std::vector<Vec3>& normals, double grain, const Context& context) {
    return Cutter(complex, context).cut(normals, grain);
}

}  // namespace anvilcast::cutting
