#include "poly/points.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace anvilcast::poly {
namespace {

constexpr int kRounds = 2, kFlattenings = 2, kResets = 4;
/// The share of the way that is gone at a time.
constexpr double kFlattening = 0.35;
/// Least barycentric coordinate of a node within its tetrahedron, triangle or edge.
constexpr double kLeastInTetrahedron = 0.08, kLeastInTriangle = 0.1, kLeastOnEdge = 0.25;

/// From the middle towards a place whose barycentric coordinates are given, as far as none falls below the least.
template <std::size_t N>
double share_of_way(const std::array<double, N>& weights, double least) {
    constexpr double kMiddle = 1.0 / N;
    double share = 1;
    for (const double w : weights)
        if (w < least) share = std::min(share, (kMiddle - least) / (kMiddle - w));
    return std::isfinite(share) ? share : 0;
}

Vec3 in_tetrahedron(const std::array<Vec3, 4>& p) {
    const Vec3 middle = (p[0] + p[1] + p[2] + p[3]) / 4.0;
    const Vec3 u = p[1] - p[0], v = p[2] - p[0], w = p[3] - p[0];
    const double volume6 = dot(u, cross(v, w));
    if (!(volume6 > 0)) return middle;
    const Vec3 step = (dot(u, u) * cross(v, w) + dot(v, v) * cross(w, u) + dot(w, w) * cross(u, v)) / (2 * volume6);
    const double b = dot(step, cross(v, w)) / volume6, c = dot(step, cross(w, u)) / volume6,
                 d = dot(step, cross(u, v)) / volume6;
    return middle + (p[0] + step - middle) * share_of_way<4>({1 - b - c - d, b, c, d}, kLeastInTetrahedron);
}

class Places {
  public:
    Places(const DualFrame& frame, const DualNodes& nodes, const CellFaces& faces, VolumeMesh& polyhedra)
        : frame_(frame), mesh_(frame.mesh()), nodes_(nodes), node_of_(nodes.node_of), faces_(faces), out_(polyhedra) {
        face_of_edge_.assign(frame.n_edges(), kNone);
        for (auto f = static_cast<Index>(mesh_.n_plain_faces()); f < mesh_.n_faces(); ++f) {
            if (frame.is_side(f, mesh_.owner[f])) continue;
            const auto p = mesh_.face(f);
            for (std::size_t k = 0; k < p.size(); ++k) face_of_edge_[frame.edge(p[k], p[(k + 1) % p.size()])] = f;
        }
    }

    /// In the beginning a polyhedron's middle is its vertex.
    std::vector<Vec3> run() {
        out_.points.resize(node_of_.size());
        place_all(false);
        for (int round = 0; round < kRounds; ++round) {
            find_middles();
            place_all(true);
        }
        for (int k = 0; k < kFlattenings; ++k) flatten();
        find_middles();
        for (int k = 0; k < kResets && reset_inverted(); ++k) find_middles();
        return std::move(middle_);
    }

  private:
    template <typename Work>
    static void for_all(std::size_t n, const Work& work) {
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, 2048), [&](const auto& range) {
            for (std::size_t i = range.begin(); i < range.end(); ++i) work(i);
        });
    }

    /// Draws the nodes of cells towards the mean planes of the faces that they are on.
    void flatten() {
        measure_.resize(out_.n_faces());
        for_all(out_.n_faces(), [this](std::size_t f) { measure_[f] = measure_face(out_, f); });
        std::vector<Vec3> step(out_.points.size());
        std::vector<Index> n_planes(out_.points.size(), 0);
        for (std::size_t f = 0; f < out_.n_faces(); ++f) {
            const Vec3 normal = normalized(measure_[f].area_vector());
            for (const Index p : out_.face(f)) {
                step[p] += normal * dot(normal, measure_[f].center - out_.points[p]);
                ++n_planes[p];
            }
        }
        // Planes in three directions each give a third of the way.
        for_all(node_of_.size(), [&](std::size_t i) {
            if (frame_.kind(node_of_[i]) == DualFrame::NodeKind::cell)
                out_.points[i] += step[i] * (3 * kFlattening / n_planes[i]);
        });
        place_cuts();
    }

    /// By the vertices in the place of the polyhedra's middles, or by those.
    void place_all(bool by_middles) {
        for_all(node_of_.size(), [&](std::size_t i) {
            if (by_middles && !is_free(node_of_[i])) return;
            out_.points[i] = place(node_of_[i], [&](Index vertex, Index cell) {
                return by_middles ? middle_[frame_.owner_in_core(vertex, cell)] : mesh_.points[vertex];
            });
        });
        place_cuts();
    }

    /// Points of polyhedra that have a face that their centroid does not see from inside go back to where they were in
    /// the beginning, each within its own cell of the mesh. False when there were none.
    bool reset_inverted() {
        std::vector<char> is_inverted(out_.n_cells(), 0);
        for (std::size_t f = 0; f < out_.n_faces(); ++f) {
            const FaceMeasure& m = measure_[f];
            const Index own = out_.owner[f];
            if (!(dot(m.area_vector(), m.center - middle_[own]) > 0)) is_inverted[own] = 1;
            if (f < out_.n_inner_faces() && !(dot(m.area_vector(), m.center - middle_[out_.neighbour[f]]) < 0))
                is_inverted[out_.neighbour[f]] = 1;
        }
        bool changed = false;
        for (std::size_t f = 0; f < out_.n_faces(); ++f) {
            const bool touches =
                is_inverted[out_.owner[f]] != 0 || (f < out_.n_inner_faces() && is_inverted[out_.neighbour[f]] != 0);
            if (!touches) continue;
            for (const Index p : out_.face(f)) {
                const Vec3 first = place(node_of_[p], [this](Index vertex, Index) { return mesh_.points[vertex]; });
                changed = changed || out_.points[p] != first;
                out_.points[p] = first;
            }
        }
        if (changed) place_cuts();
        return changed;
    }

    /// A cut goes through the edge between the nodes of the cells on its sides.
    void place_cuts() {
        for (const DualFrame::Cut& cut : frame_.cuts()) {
            const Index i = nodes_.number_of[frame_.node_of_face(cut.face)];
            if (i != kNone)
                out_.points[i] = midpoint(out_.points[nodes_.number_of[mesh_.owner[cut.face]]],
                                          out_.points[nodes_.number_of[mesh_.neighbour[cut.face]]]);
        }
    }

    bool is_layered(Index face) const {
        const Index own = mesh_.owner[face], other = frame_.beyond(face, own);
        return frame_.is_layer(own) || (other != kNone && frame_.is_layer(other));
    }
    bool is_free(Node n) const {
        if (frame_.is_repeated(n)) return false;
        const Index i = frame_.index(n);
        switch (frame_.kind(n)) {
            case DualFrame::NodeKind::cell:
                return mesh_.cell_types[i] == CellType::tetrahedron;
            case DualFrame::NodeKind::face:
                return mesh_.face(i).size() == 3 && frame_.is_kept(i) && !is_layered(i);
            case DualFrame::NodeKind::edge:
                return face_of_edge_[i] != kNone && !is_layered(face_of_edge_[i]);
            case DualFrame::NodeKind::vertex:
                break;
        }
        return false;
    }

    /// `middle(vertex, cell)`: of the polyhedron that the cell's corner belongs to.
    template <typename Middle>
    Vec3 place(Node node, const Middle& middle) const {
        if (frame_.is_repeated(node)) return mean_of_corners(node);
        const Index i = frame_.index(node);
        switch (frame_.kind(node)) {
            case DualFrame::NodeKind::vertex:
                return mesh_.points[i];
            case DualFrame::NodeKind::edge:
                return on_edge(i, middle);
            case DualFrame::NodeKind::face:
                return in_face(i, middle);
            case DualFrame::NodeKind::cell:
                break;
        }
        const auto v = mesh_.cell(i);
        if (v.size() == 4) return in_tetrahedron({middle(v[0], i), middle(v[1], i), middle(v[2], i), middle(v[3], i)});
        return mesh_.cell_types[i] == CellType::polyhedron ? middle_of_faces(i) : mean_of(mesh_, v);
    }

    /// However many faces and points there are on a side.
    Vec3 middle_of_faces(Index cell) const {
        Vec3 sum{};
        double total = 0;
        for (const Index f : frame_.faces_of(cell)) {
            const FaceMeasure m = measure_face(mesh_, f);
            const double area = length(m.area_vector());
            sum += m.center * area;
            total += area;
        }
        return total > 0 ? sum / total : mean_of(mesh_, mesh_.cell(cell));
    }

    /// Of a face or an edge.
    Vec3 mean_of_corners(Node node) const {
        const Index i = frame_.index(node);
        if (frame_.kind(node) == DualFrame::NodeKind::face) return mean_of(mesh_, mesh_.face(i));
        return midpoint(mesh_.points[frame_.ends_of(i)[0]], mesh_.points[frame_.ends_of(i)[1]]);
    }

    /// Of the polyhedra at a corner of a kept face, on its sides. Columns stand upright on their wall.
    template <typename Middle>
    Vec3 middle_at(Index face, Index vertex, const Middle& middle) const {
        if (is_layered(face)) return mesh_.points[vertex];
        const Index own = mesh_.owner[face], other = frame_.beyond(face, own);
        const Vec3 here = middle(vertex, own);
        return other == kNone ? here : midpoint(here, middle(vertex, other));
    }

    /// Where the distance to three middles is the same, in the triangle and well within it. A triangle in a plane
    /// parallel to two axes gives a place in it, to the last bit.
    template <typename Middle>
    Vec3 in_face(Index face, const Middle& middle) const {
        const auto v = mesh_.face(face);
        if (v.size() != 3) return mean_of(mesh_, v);
        const Vec3& origin = mesh_.points[v[0]];
        const Vec3 u = mesh_.points[v[1]] - origin, w = mesh_.points[v[2]] - origin;
        const double uu = dot(u, u), uw = dot(u, w), ww = dot(w, w), det = uu * ww - uw * uw;
        constexpr double kThird = 1.0 / 3;
        if (!(det > 0)) return origin + u * kThird + w * kThird;
        // The middles projected onto the plane, as multiples of u and w.
        std::array<std::array<double, 2>, 3> m{};
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3 x = middle_at(face, v[k], middle) - origin;
            const double xu = dot(x, u), xw = dot(x, w);
            m[k] = {(xu * ww - xw * uw) / det, (xw * uu - xu * uw) / det};
        }
        auto square = [&](const std::array<double, 2>& a) {
            return a[0] * a[0] * uu + 2 * a[0] * a[1] * uw + a[1] * a[1] * ww;
        };
        // 2 x . (m_k - m_0) = |m_k|^2 - |m_0|^2 for k = 1, 2.
        std::array<std::array<double, 2>, 2> row{};
        std::array<double, 2> right{};
        for (std::size_t k = 0; k < 2; ++k) {
            const double a = m[k + 1][0] - m[0][0], b = m[k + 1][1] - m[0][1];
            row[k] = {2 * (a * uu + b * uw), 2 * (a * uw + b * ww)};
            right[k] = square(m[k + 1]) - square(m[0]);
        }
        const double det2 = row[0][0] * row[1][1] - row[0][1] * row[1][0];
        const double b = (right[0] * row[1][1] - right[1] * row[0][1]) / det2,
                     c = (row[0][0] * right[1] - row[1][0] * right[0]) / det2;
        if (!std::isfinite(b) || !std::isfinite(c)) return origin + u * kThird + w * kThird;
        const double share = share_of_way<3>({1 - b - c, b, c}, kLeastInTriangle);
        return origin + u * (kThird + share * (b - kThird)) + w * (kThird + share * (c - kThird));
    }

    template <typename Middle>
    Vec3 on_edge(Index edge, const Middle& middle) const {
        const auto [p, q] = frame_.ends_of(edge);
        const Vec3 &a = mesh_.points[p], &b = mesh_.points[q];
        const Index face = face_of_edge_[edge];
        if (face == kNone || is_layered(face)) return midpoint(a, b);
        const Vec3 along = b - a;
        const double l2 = dot(along, along);
        const double at =
            0.5 * (dot(middle_at(face, p, middle) - a, along) + dot(middle_at(face, q, middle) - a, along)) / l2;
        return a + along * (std::isfinite(at) ? std::clamp(at, kLeastOnEdge, 1 - kLeastOnEdge) : 0.5);
    }

    // ---- middles of the polyhedra ----

    void find_middles() {
        measure_.resize(out_.n_faces());
        middle_.resize(out_.n_cells());
        for_all(out_.n_faces(), [this](std::size_t f) { measure_[f] = measure_face(out_, f); });
        for_all(out_.n_cells(), [this](std::size_t c) {
            middle_[c] = centroid(out_, faces_, c, [this](Index f) -> const FaceMeasure& { return measure_[f]; });
        });
    }

    const DualFrame& frame_;
    const VolumeMesh& mesh_;
    const DualNodes& nodes_;
    const std::vector<Node>& node_of_;
    const CellFaces& faces_;
    VolumeMesh& out_;
    std::vector<Index> face_of_edge_;  // one in a zone, kNone where there is none
    std::vector<FaceMeasure> measure_;
    std::vector<Vec3> middle_;
};

}  // namespace

std::vector<Vec3> place_points(const DualFrame& frame, const DualNodes& nodes, const CellFaces& faces,
                               VolumeMesh& polyhedra) {
    return Places(frame, nodes, faces, polyhedra).run();
}

}  // namespace anvilcast::poly
