// Joining rims that run along each other: points that face each other become one at their middle, then points that face
// the inside of an edge divide it. Both, until nothing is left to do.

#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <map>

#include "surface/mending.hpp"
#include "surface/seam_search.hpp"

namespace anvilcast::mending {
namespace {

constexpr int kMostRounds = 12;

struct Candidate {
    double distance;
    Index p, q;
    bool operator<(const Candidate& c) const {
        return distance != c.distance ? distance < c.distance : p != c.p ? p < c.p : q < c.q;
    }
};

/// Merges facing points of rims, the closest ones first.
class PointJoiner {
  public:
    PointJoiner(Surface& surface, const SeamSearch& search, double reach) : surface_(surface), reach_(reach) {
        for (const auto& e : search.free_edges()) rim_.push_back(e.from), rim_.push_back(e.to);
        std::sort(rim_.begin(), rim_.end());
        rim_.erase(std::unique(rim_.begin(), rim_.end()), rim_.end());
    }

    std::size_t join(Mending& m) {
        const std::vector<Candidate> candidates = find_candidates();
        if (candidates.empty()) return 0;
        star_.resize(surface_.points.size());
        for (Index t = 0; t < surface_.triangles.size(); ++t)
            for (const Index p : surface_.triangles[t]) star_[p].push_back(t);
        cluster_.resize(surface_.points.size());
        members_.resize(surface_.points.size());
        for (Index p = 0; p < cluster_.size(); ++p) {
            cluster_[p] = p;
            members_[p] = {p};
        }
        std::size_t joined = 0;
        for (const Candidate& c : candidates) joined += try_to_join(cluster_[c.p], cluster_[c.q]) ? 1 : 0;
        if (joined > 0) apply(m);
        return joined;
    }

  private:
    std::vector<Candidate> find_candidates() const {
        std::vector<Triangle> dots;
        for (const Index p : rim_) dots.push_back({p, p, p});
        const TriangleTree tree(surface_.points, dots);
        std::vector<Candidate> found;
        const Vec3 margin{reach_, reach_, reach_};
        for (const Index p : rim_) {
            Box box;
            box.include(surface_.points[p] - margin);
            box.include(surface_.points[p] + margin);
            tree.overlapping(box, [&](Index i) {
                const double d = distance(surface_.points[p], surface_.points[rim_[i]]);
                if (p < rim_[i] && d <= reach_) found.push_back({d, p, rim_[i]});
            });
        }
        std::sort(found.begin(), found.end());
        return found;
    }

    /// Points of one triangle never become one, nor do points farther apart than twice the reach.
    bool try_to_join(Index a, Index b) {
        if (a == b) return false;
        for (const Index p : members_[a])
            for (const Index q : members_[b])
                if (distance(surface_.points[p], surface_.points[q]) > 2 * reach_) return false;
        for (const Index p : members_[a])
            for (const Index t : star_[p])
                for (const Index c : surface_.triangles[t])
                    if (cluster_[c] == b) return false;
        if (b < a) std::swap(a, b);
        for (const Index q : members_[b]) {
            cluster_[q] = a;
            members_[a].push_back(q);
        }
        members_[b].clear();
        return true;
    }

    void apply(Mending& m) {
        std::vector<Vec3> places = surface_.points;
        for (const auto& list : members_) {
            if (list.size() < 2) continue;
            Vec3 middle;
            for (const Index p : list) middle += surface_.points[p];
            middle = middle / static_cast<double>(list.size());
            for (const Index p : list) note_move(m, distance(surface_.points[p], middle), middle);
            places[list.front()] = middle;
        }
        surface_.points = std::move(places);
        for (Triangle& t : surface_.triangles)
            for (Index& p : t) p = cluster_[p];
        for (Edge& e : surface_.feature_edges)
            e = {std::min(cluster_[e[0]], cluster_[e[1]]), std::max(cluster_[e[0]], cluster_[e[1]])};
        std::sort(surface_.feature_edges.begin(), surface_.feature_edges.end());
    }

    Surface& surface_;
    double reach_;
    std::vector<Index> rim_;
    std::vector<std::vector<Index>> star_, members_;
    std::vector<Index> cluster_;
};

/// Divides free edges at points of other rims that face them. One edge of a triangle at a time.
std::size_t divide_edges(Surface& surface, const SeamSearch& search, double reach, Mending& m) {
    struct Cut {
        double along;
        Index point;
        double distance;
    };
    std::map<Index, std::vector<Cut>> cuts;  // by free edge
    std::vector<bool> seen(surface.points.size(), false);
    for (const auto& e : search.free_edges())
        for (const Index p : {e.from, e.to}) {
            if (seen[p]) continue;
            seen[p] = true;
            const auto foot = search.closest_under(p, reach);
            if (foot.edge == kNone) continue;
            const Triangle& t = surface.triangles[search.free_edges()[foot.edge].triangle];
            if (std::find(t.begin(), t.end(), p) == t.end()) cuts[foot.edge].push_back({foot.along, p, foot.distance});
        }
    std::vector<bool> is_divided(surface.triangles.size(), false);
    std::size_t n = 0;
    for (auto& [edge, list] : cuts) {
        const auto& e = search.free_edges()[edge];
        if (is_divided[e.triangle]) continue;
        is_divided[e.triangle] = true;
        std::sort(list.begin(), list.end(), [](const Cut& a, const Cut& b) {
            return a.along != b.along ? a.along < b.along : a.point < b.point;
        });
        const Index apex = surface.triangles[e.triangle][(e.side + 2) % 3];
        surface.triangles[e.triangle] = {e.from, list.front().point, apex};
        for (std::size_t i = 0; i < list.size(); ++i) {
            surface.triangles.push_back({list[i].point, i + 1 < list.size() ? list[i + 1].point : e.to, apex});
            surface.zone_of.push_back(surface.zone_of[e.triangle]);
            note_move(m, list[i].distance, surface.points[list[i].point]);
            ++n;
        }
    }
    return n;
}

}  // namespace

Mending stitch(Surface& surface, double reach) {
    Mending m{"points joined along cracks", 0, 0, {}};
    for (int round = 0; round < kMostRounds; ++round) {
        std::size_t changed = 0;
        {
            const SeamSearch search(surface, SurfaceEdges(surface.triangles, surface.points.size()));
            if (search.free_edges().empty()) break;
            changed = PointJoiner(surface, search, reach).join(m);
        }
        const SeamSearch search(surface, SurfaceEdges(surface.triangles, surface.points.size()));
        changed += divide_edges(surface, search, reach, m);
        m.count += changed;
        if (changed == 0) break;
    }
    return m;
}

}  // namespace anvilcast::mending
