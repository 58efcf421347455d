#include "poly/polish.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>

namespace anvilcast::poly {
namespace {

/// Least cosines that are good enough: of the angle between a face's triangles and the lines from the centroid to it,
/// between the face and that line, and between the face and the line to the neighbour's centroid (65 degrees).
/// In layers the last is as their columns lean.
constexpr double kLeastSeen = 0.02, kLeastUpright = 0.25, kLeastToNeighbour = 0.42, kLeastInLayers = 0.34;
constexpr int kRounds = 12;
/// Places that are tried in all: where thousands are bad, as on rough walls, the worst come first and the rest stay.
constexpr std::size_t kMostTrials = 400'000, kMostTrialsPerCell = 12;
/// Of the search, in distances to the farthest point about.
constexpr double kLeastStep = 0.03;
/// Least barycentric coordinate of a point within its triangle, and least share of an edge on either side of it.
constexpr double kLeastInTriangle = 0.04, kLeastOnEdge = 0.12;

class Polish {
  public:
    Polish(const DualFrame& frame, const DualNodes& nodes, const CellFaces& faces, std::vector<Vec3>&& centroids,
           VolumeMesh& polyhedra)
        : frame_(frame), nodes_(nodes), faces_(faces), out_(polyhedra), center_(std::move(centroids)) {}

    std::size_t run() {
        std::vector<std::pair<double, Index>> bad = find_bad();
        if (bad.empty()) return 0;
        changed_at_.assign(out_.n_cells(), 0);
        tried_at_.assign(out_.points.size(), 0);
        list_faces_at_points(bad);
        for (int round = 0; round < kRounds && !bad.empty(); ++round) {
            bool changed = false;
            for (const auto& [q, c] : bad)
                for (const Index p : points_of(c)) {
                    if (quality(c) >= 0 || n_trials_ > kMostTrials + kMostTrialsPerCell * out_.n_cells()) break;
                    changed = improve(p) || changed;
                }
            if (!changed) break;
            // Those about them may have come up, or down, in the meantime.
            std::erase_if(bad, [this](auto& item) { return (item.first = quality(item.second)) >= 0; });
            std::sort(bad.begin(), bad.end());
        }
        return bad.size();
    }

  private:
    template <typename Work>
    static void for_all(std::size_t n, const Work& work) {
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, 1024), [&](const auto& range) {
            for (std::size_t i = range.begin(); i < range.end(); ++i) work(i);
        });
    }
    /// What of a face a polyhedron's quality depends on.
    struct FaceView {
        Index face = kNone;
        FaceMeasure measure;
        Vec3 mean, normal;
        std::vector<Vec3> triangles;  ///< normals of those about the mean, twice as long as their areas

        void look_at(const VolumeMesh& mesh, Index f) {
            face = f;
            const auto p = mesh.face(f);
            mean = mean_of(mesh, p);
            measure = measure_face(mesh, f);
            triangles.clear();
            Vec3 area{}, before = mesh.points[p.back()] - mean;
            for (const Index i : p) {
                const Vec3 here = mesh.points[i] - mean;
                triangles.push_back(cross(before, here));
                area += triangles.back();
                before = here;
            }
            normal = normalized(area);
        }
    };

    /// By how much the worst cosine at a face, seen from a cell on one side, is above its least.
    double quality_at(const FaceView& view, Index cell) const {
        const double sense = out_.owner[view.face] == cell ? 1.0 : -1.0;
        const Vec3 sight = normalized(view.mean - center_[cell]);
        // A thin layer follows the curve of its wall: what its centroid cannot see there is no fault.
        const bool every_triangle = !frame_.is_of_layer(cell);
        double worst = 1;
        for (const Vec3& n : view.triangles) {
            // Roots are for those that may count alone.
            const double seen = sense * dot(n, sight);
            if (every_triangle && (seen < 0 || seen * seen < worst * worst * dot(n, n)))
                worst = std::min(worst, seen / length(n) - kLeastSeen);
        }
        const Vec3 normal = view.normal * sense;
        worst = std::min(worst, dot(normal, sight) - kLeastUpright);
        if (view.face < out_.n_inner_faces()) {
            const Index other = out_.owner[view.face] == cell ? out_.neighbour[view.face] : out_.owner[view.face];
            const double least = every_triangle && !frame_.is_of_layer(other) ? kLeastToNeighbour : kLeastInLayers;
            worst = std::min(worst, dot(normal, normalized(center_[other] - center_[cell])) - least);
        }
        return worst;
    }

    /// Negative for a bad polyhedron.
    double quality(Index cell) const {
        FaceView view;
        double worst = 1;
        for (const Index f : faces_.of(cell)) {
            view.look_at(out_, f);
            worst = std::min(worst, quality_at(view, cell));
        }
        return worst;
    }

    std::vector<std::pair<double, Index>> find_bad() const {
        std::vector<double> all(out_.n_cells());
        for_all(all.size(), [&](std::size_t c) { all[c] = quality(static_cast<Index>(c)); });
        std::vector<std::pair<double, Index>> bad;
        for (Index c = 0; c < all.size(); ++c)
            if (all[c] < 0) bad.emplace_back(all[c], c);
        std::sort(bad.begin(), bad.end());
        return bad;
    }

    std::vector<Index> points_of(Index cell) const {
        std::vector<Index> list;
        for (const Index f : faces_.of(cell))
            for (const Index p : out_.face(f)) list.push_back(p);
        std::sort(list.begin(), list.end());
        list.erase(std::unique(list.begin(), list.end()), list.end());
        return list;
    }

    /// Of the points of bad polyhedra.
    void list_faces_at_points(const std::vector<std::pair<double, Index>>& bad) {
        std::vector<char> is_wanted(out_.points.size(), 0);
        for (const auto& [q, c] : bad)
            for (const Index p : points_of(c)) is_wanted[p] = 1;
        for (Index f = 0; f < out_.n_faces(); ++f)
            for (const Index p : out_.face(f))
                if (is_wanted[p] != 0) faces_at_.push_back({p, f});
        std::sort(faces_at_.begin(), faces_at_.end());
    }

    /// A pattern search for the place where the bad polyhedra about the point are best, all together. None of them gets
    /// worse, and a good one stays good.
    bool improve(Index point) {
        cells_.clear();
        at_point_.clear();
        double reach = 0;
        for (auto at = std::lower_bound(faces_at_.begin(), faces_at_.end(), std::array<Index, 2>{point, 0});
             at != faces_at_.end() && (*at)[0] == point; ++at) {
            const Index f = (*at)[1];
            at_point_.push_back(f);
            cells_.push_back(out_.owner[f]);
            if (f < out_.n_inner_faces()) cells_.push_back(out_.neighbour[f]);
            for (const Index p : out_.face(f)) reach = std::max(reach, distance(out_.points[p], out_.points[point]));
        }
        std::sort(cells_.begin(), cells_.end());
        cells_.erase(std::unique(cells_.begin(), cells_.end()), cells_.end());
        // The same would come out again.
        if (std::none_of(cells_.begin(), cells_.end(), [&](Index c) { return changed_at_[c] >= tried_at_[point]; }))
            return false;
        tried_at_[point] = ++clock_;
        Vec3 best = out_.points[point];
        look_about();
        least_.clear();
        double now = 0;
        for (std::size_t k = 0; k < cells_.size(); ++k) {
            least_.push_back(std::min(0.0, quality_about(k)));
            now += least_.back();
        }
        const double first = now;
        constexpr double kDiagonal = 0.57735;
        static constexpr std::array<std::array<double, 3>, 14> kDirections{{{1, 0, 0},
                                                                            {-1, 0, 0},
                                                                            {0, 1, 0},
                                                                            {0, -1, 0},
                                                                            {0, 0, 1},
                                                                            {0, 0, -1},
                                                                            {kDiagonal, kDiagonal, kDiagonal},
                                                                            {-kDiagonal, kDiagonal, kDiagonal},
                                                                            {kDiagonal, -kDiagonal, kDiagonal},
                                                                            {kDiagonal, kDiagonal, -kDiagonal},
                                                                            {-kDiagonal, -kDiagonal, kDiagonal},
                                                                            {-kDiagonal, kDiagonal, -kDiagonal},
                                                                            {kDiagonal, -kDiagonal, -kDiagonal},
                                                                            {-kDiagonal, -kDiagonal, -kDiagonal}}};
        for (double step = 0.3 * reach; now < 0 && step > kLeastStep * reach;) {
            bool better = false;
            for (const auto& d : kDirections) {
                if (now >= 0) break;
                const Vec3 p = allowed(point, best + Vec3{d[0], d[1], d[2]} * step);
                const double q = p == best ? now : sum_with(point, p);
                if (q <= now + 1e-6) continue;
                now = q;
                best = p;
                better = true;
            }
            if (!better) step *= 0.5;
        }
        move(point, best);
        if (now <= first) return false;
        ++clock_;
        for (const Index c : cells_) changed_at_[c] = clock_;
        return true;
    }

    /// Views of all faces of the polyhedra about a point; of these only those at the point change as it moves.
    void look_about() {
        faces_about_.clear();
        for (const Index c : cells_)
            for (const Index f : faces_.of(c)) faces_about_.push_back(f);
        std::sort(faces_about_.begin(), faces_about_.end());
        faces_about_.erase(std::unique(faces_about_.begin(), faces_about_.end()), faces_about_.end());
        if (views_.size() < faces_about_.size()) views_.resize(faces_about_.size());
        for (std::size_t k = 0; k < faces_about_.size(); ++k) views_[k].look_at(out_, faces_about_[k]);
        auto place_of = [this](Index f) {
            return static_cast<Index>(std::lower_bound(faces_about_.begin(), faces_about_.end(), f) -
                                      faces_about_.begin());
        };
        for (Index& f : at_point_) f = place_of(f);
        views_of_.clear();
        first_view_.assign(1, 0);
        for (const Index c : cells_) {
            for (const Index f : faces_.of(c)) views_of_.push_back(place_of(f));
            first_view_.push_back(views_of_.size());
        }
    }
    std::span<const Index> views_of(std::size_t k) const {
        return std::span(views_of_).subspan(first_view_[k], first_view_[k + 1] - first_view_[k]);
    }

    double quality_about(std::size_t k) const {
        double worst = 1;
        for (const Index v : views_of(k)) worst = std::min(worst, quality_at(views_[v], cells_[k]));
        return worst;
    }

    void move(Index point, const Vec3& place) {
        out_.points[point] = place;
        for (const Index v : at_point_) views_[v].look_at(out_, faces_about_[v]);
        for (std::size_t k = 0; k < cells_.size(); ++k) {
            auto view = views_of(k).begin();
            center_[cells_[k]] = centroid(out_, faces_, cells_[k], [&](Index f) -> const FaceMeasure& {
                // Faces are asked for in their order, the first one twice.
                if (views_[*view].face != f) ++view;
                return views_[*view].measure;
            });
        }
    }

    /// Of what the bad ones fall short; the least double where one would fall below what is wanted.
    double sum_with(Index point, const Vec3& place) {
        ++n_trials_;
        move(point, place);
        double sum = 0;
        for (std::size_t k = 0; k < cells_.size(); ++k) {
            const double q = quality_about(k);
            if (q < least_[k]) return std::numeric_limits<double>::lowest();
            sum += std::min(0.0, q);
        }
        return sum;
    }

    /// The place nearest to p that a point may take.
    Vec3 allowed(Index point, const Vec3& p) const {
        const VolumeMesh& mesh = frame_.mesh();
        const Node node = nodes_.node_of[point];
        if (frame_.is_repeated(node)) return out_.points[point];
        const Index i = frame_.index(node);
        switch (frame_.kind(node)) {
            case DualFrame::NodeKind::cell:
                return p;
            case DualFrame::NodeKind::vertex:
                break;
            case DualFrame::NodeKind::edge: {
                if (!frame_.is_kept_edge(i)) return p;
                const auto ends = frame_.ends_of(i);
                const Vec3 &a = mesh.points[ends[0]], along = mesh.points[ends[1]] - a;
                return a + along * std::clamp(dot(p - a, along) / dot(along, along), kLeastOnEdge, 1 - kLeastOnEdge);
            }
            case DualFrame::NodeKind::face: {
                if (!frame_.is_kept(i)) return p;
                const auto v = mesh.face(i);
                if (v.size() != 3) break;
                const Vec3& a = mesh.points[v[0]];
                const Vec3 u = mesh.points[v[1]] - a, w = mesh.points[v[2]] - a, x = p - a;
                const double uu = dot(u, u), uw = dot(u, w), ww = dot(w, w), det = uu * ww - uw * uw;
                const double b = (dot(x, u) * ww - dot(x, w) * uw) / det, c = (dot(x, w) * uu - dot(x, u) * uw) / det;
                if (!(std::min({b, c, 1 - b - c}) > kLeastInTriangle)) break;
                return a + u * b + w * c;
            }
        }
        return out_.points[point];
    }

    const DualFrame& frame_;
    const DualNodes& nodes_;
    const CellFaces& faces_;
    VolumeMesh& out_;
    std::vector<Vec3> center_;
    std::vector<std::array<Index, 2>> faces_at_;  // point, face
    // Times of events, of each polyhedron and of each point.
    std::uint32_t clock_ = 0;
    std::size_t n_trials_ = 0;
    std::vector<std::uint32_t> changed_at_, tried_at_;
    // About the point at hand: polyhedra, the quality that each must keep, their faces, how these look.
    std::vector<Index> cells_;
    std::vector<double> least_;
    std::vector<Index> faces_about_;
    std::vector<FaceView> views_;
    std::vector<Index> at_point_;  // views of the faces at the point
    std::vector<Index> views_of_;  // of the polyhedra, one after the other
    std::vector<std::size_t> first_view_;
};

}  // namespace

std::size_t polish(const DualFrame& frame, const DualNodes& nodes, const CellFaces& faces,
                   std::vector<Vec3>&& centroids, VolumeMesh& polyhedra) {
    return Polish(frame, nodes, faces, std::move(centroids), polyhedra).run();
}

}  // namespace anvilcast::poly
