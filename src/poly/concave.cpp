// Walls at a vertex are gathered with the cells in front of them. Two of them meet at an edge where the same cells lie
// between both, which at the free edge of a sheet are those round it; they are smooth together, or one falls away
// behind the other. Smooth walls with an edge that falls away take the cells that are most in front of them, and what
// hangs together with these.

#include "poly/concave.hpp"

#include <cmath>
#include <limits>
#include <numbers>
#include <vector>

#include "base/disjoint_sets.hpp"

namespace anvilcast::poly {
namespace {

/// Degrees beyond a straight wall from which an edge or corner is worth a polyhedron for each of its walls.
constexpr double kConcave = 40;
/// 10 degrees: walls that are smooth together but for the border of their zones.
constexpr double kCosOfOnePlane = 0.985;

/// Of the cells about a vertex: those that go on from each other round one edge, up to the walls on both sides.
class CellsRoundEdges {
  public:
    CellsRoundEdges(const DualFrame& frame, Index vertex, std::span<const Index> cells) : sets_(0) {
        for (const Index c : cells) {
            first_.push_back(static_cast<Index>(far_.size()));
            for (const Index v : frame.mesh().cell(c))
                if (v != vertex) far_.push_back(v);
        }
        sets_ = DisjointSets(far_.size());
        for_neighbours(frame, vertex, cells, [&](Index i, Index j, Index f) {
            for (const Index v : frame.mesh().face(f))
                if (v != vertex) sets_.join(at(i, v), at(j, v));
        });
    }
    /// Do two cells, by their places in the list, lie between the same two walls at the edge to `far`?
    bool meet(Index i, Index j, Index far) { return sets_.find(at(i, far)) == sets_.find(at(j, far)); }

  private:
    Index at(Index cell, Index far) const {
        Index k = first_[cell];
        while (far_[k] != far) ++k;
        return k;
    }
    std::vector<Index> first_, far_;  ///< of each cell its other corners
    DisjointSets sets_;
};

class Divider {
  public:
    Divider(const DualFrame& frame, Index vertex, std::span<const Index> cells, std::span<Index> part)
        : frame_(frame), mesh_(frame.mesh()), vertex_(vertex), cells_(cells), part_(part), smooth_(0) {}

    void run() {
        if (!find_walls()) return;
        join_walls();
        if (std::count(stands_out_.begin(), stands_out_.end(), 1) < 2) return;
        label_cells();
        settle_labels();
        DisjointSets sets(cells_.size());
        for_neighbours(frame_, vertex_, cells_, [&](Index i, Index j, Index) {
            if (label_[i] == label_[j]) sets.join(i, j);
        });
        for (Index i = 0; i < cells_.size(); ++i) part_[i] = sets.find(i);
    }

  private:
    struct Wall {
        Index cell, face;  ///< the cell's place in the list
        Vec3 normal;       ///< inward, as long as twice the area
    };

    /// False where no edge is sharp.
    bool find_walls() {
        bool is_sharp_here = false;
        for (Index i = 0; i < cells_.size(); ++i)
            for (const Index f : frame_.faces_of(cells_[i])) {
                const auto p = mesh_.face(f);
                const auto k = static_cast<std::size_t>(std::find(p.begin(), p.end(), vertex_) - p.begin());
                if (!frame_.is_kept(f) || k == p.size()) continue;
                walls_.push_back({i, f, frame_.inward_normal(f, cells_[i])});
                for (const Index next : {p[(k + 1) % p.size()], p[(k + p.size() - 1) % p.size()]})
                    is_sharp_here = is_sharp_here || frame_.is_sharp(frame_.edge(vertex_, next));
            }
        smooth_ = DisjointSets(walls_.size());
        return is_sharp_here;
    }

    void join_walls() {
        CellsRoundEdges round_edges(frame_, vertex_, cells_);
        stands_out_.assign(walls_.size(), 0);
        for (Index i = 0; i < walls_.size(); ++i)
            for (Index j = i + 1; j < walls_.size(); ++j) {
                const auto p = mesh_.face(walls_[i].face);
                for (const Index common : mesh_.face(walls_[j].face)) {
                    if (common == vertex_ || std::find(p.begin(), p.end(), common) == p.end()) continue;
                    const auto between = frame_.find_edge(vertex_, common);
                    if (!between || !round_edges.meet(walls_[i].cell, walls_[j].cell, common)) continue;
                    if (!frame_.is_sharp(*between)) {
                        // A sheet goes on behind the tops of layers, and these beyond it.
                        if (is_in_zone(i) == is_in_zone(j)) smooth_.join(i, j);
                    } else if (lie_in_a_plane(walls_[i], walls_[j])) {
                        if (is_in_zone(i) && is_in_zone(j)) smooth_.join(i, j);  // of two zones
                    } else if (falls_away(walls_[i], walls_[j])) {
                        stands_out_[i] = stands_out_[j] = 1;
                    }
                }
            }
    }

    bool is_in_zone(Index wall) const { return frame_.zone_of(walls_[wall].face) != kNone; }

    static bool lie_in_a_plane(const Wall& first, const Wall& second) {
        return dot(normalized(first.normal), normalized(second.normal)) > kCosOfOnePlane;
    }

    /// Does the second wall fall away behind the first? Faces of a sheet lie on each other.
    bool falls_away(const Wall& first, const Wall& second) const {
        const Vec3 n = normalized(first.normal), m = normalized(second.normal);
        if (dot(n, m) >= std::cos(kConcave * std::numbers::pi / 180)) return false;
        const auto p = mesh_.face(first.face);
        for (const Index v : mesh_.face(second.face)) {
            if (std::find(p.begin(), p.end(), v) != p.end()) continue;
            const Vec3 across = mesh_.points[v] - mesh_.points[vertex_];
            return dot(n, across) < 1e-9 * length(across);
        }
        return true;
    }

    /// The walls that are smooth together, by the first of them, that each cell is most in front of; kNone in parts
    /// where nothing stands out.
    void label_cells() {
        std::vector<Vec3> normal(walls_.size());
        std::vector<char> is_out(walls_.size(), 0);
        for (Index w = 0; w < walls_.size(); ++w) {
            const Index set = smooth_.find(w);
            normal[set] += walls_[w].normal;
            is_out[set] = static_cast<char>(is_out[set] != 0 || stands_out_[w] != 0);
        }
        label_.assign(cells_.size(), kNone);
        for (Index i = 0; i < cells_.size(); ++i) {
            Vec3 towards{};
            for (const Index v : mesh_.cell(cells_[i])) towards += mesh_.points[v] - mesh_.points[vertex_];
            double best = -std::numeric_limits<double>::infinity();
            for (Index w = 0; w < walls_.size(); ++w) {
                if (smooth_.find(w) != w || is_out[w] == 0 || part_[walls_[w].cell] != part_[i]) continue;
                const double ahead = dot(normalized(normal[w]), towards);
                if (ahead <= best) continue;
                best = ahead;
                label_[i] = w;
            }
        }
        // A cell at a wall belongs to it.
        for (Index w = 0; w < walls_.size(); ++w)
            if (is_out[smooth_.find(w)] != 0) label_[walls_[w].cell] = smooth_.find(w);
    }

    /// What does not hang together with its wall goes to a neighbour that does.
    void settle_labels() {
        std::vector<char> is_settled(cells_.size(), 0);
        for (Index w = 0; w < walls_.size(); ++w)
            if (label_[walls_[w].cell] == smooth_.find(w)) is_settled[walls_[w].cell] = 1;
        for (const bool only_alike : {true, false})
            for (bool changed = true; changed;) {
                changed = false;
                for_neighbours(frame_, vertex_, cells_, [&](Index i, Index j, Index) {
                    if (is_settled[i] == is_settled[j] || (only_alike && label_[i] != label_[j])) return;
                    if (is_settled[j] != 0) std::swap(i, j);
                    label_[j] = label_[i];
                    is_settled[j] = 1;
                    changed = true;
                });
            }
    }

    const DualFrame& frame_;
    const VolumeMesh& mesh_;
    Index vertex_;
    std::span<const Index> cells_;
    std::span<Index> part_;
    std::vector<Wall> walls_;
    DisjointSets smooth_;           ///< of walls
    std::vector<char> stands_out_;  ///< of each wall
    std::vector<Index> label_;      ///< of each cell
};

}  // namespace

void divide_concave(const DualFrame& frame, Index vertex, std::span<const Index> cells, std::span<Index> part) {
    Divider(frame, vertex, cells, part).run();
}

}  // namespace anvilcast::poly
