
#include "poly/merge.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <map>
#include <vector>

#include "assemble/face_order.hpp"
#include "base/disjoint_sets.hpp"
#include "mesh/cell_faces.hpp"

namespace anvilcast::poly {
namespace {

/// Least volume, of what the pyramids over the faces come to without their signs.
constexpr double kLeastShare = 1e-6;

struct FaceShape {
    Vec3 area;
    std::array<Vec3, 3> middle;  // the mean of its points; of its area; of its area as seen along the vector
};

FaceShape shape_of(const VolumeMesh& mesh, std::size_t f) {
    FaceShape shape;
    const auto p = mesh.face(f);
    const Vec3 first = mesh.points[p[0]];
    Vec3 mean;
    for (const Index i : p) mean += mesh.points[i] - first;
    mean = first + mean / static_cast<double>(p.size());
    auto for_triangles = [&](const auto& visit) {
        Vec3 before = mesh.points[p.back()] - mean;
        for (const Index i : p) {
            const Vec3 here = mesh.points[i] - mean;
            visit(0.5 * cross(before, here), (before + here) / 3.0);
            before = here;
        }
    };
    for_triangles([&](const Vec3& n, const Vec3&) { shape.area += n; });
    const Vec3 along = normalized(shape.area);
    Vec3 by_area, as_seen;
    double area = 0, seen = 0;
    for_triangles([&](const Vec3& n, const Vec3& middle) {
        by_area += middle * length(n);
        area += length(n);
        as_seen += middle * dot(n, along);
        seen += dot(n, along);
    });
    shape.middle = {mean, area > 0 ? mean + by_area / area : mean, seen > 0 ? mean + as_seen / seen : mean};
    return shape;
}

class Merger {
  public:
    explicit Merger(VolumeMesh& mesh) : mesh_(mesh), faces_(mesh), cells_(mesh.n_cells()) {}

    std::size_t run() {
        std::vector<Index> todo = find_unsound();
        if (todo.empty()) return 0;
        std::size_t n = 0;
        while (!todo.empty()) {
            const Index c = todo.back();
            todo.pop_back();
            if (is_sound(faces_of(c))) continue;
            if (!join_with_neighbour(c)) continue;  // the check of the whole mesh will tell
            ++n;
            todo.push_back(c);
        }
        rebuild();
        return n;
    }

  private:
    /// Faces with their sense: true where the face's own normal points out.
    using Faces = std::vector<std::pair<Index, bool>>;
    using Edges = std::vector<std::array<Index, 2>>;

    std::vector<Index> find_unsound() const {
        std::vector<char> is_bad(mesh_.n_cells(), 0);
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, mesh_.n_cells(), 2048), [&](const auto& range) {
            Faces own;
            Edges edges;
            for (std::size_t c = range.begin(); c < range.end(); ++c) {
                own.clear();
                for (const Index f : faces_.of(c)) own.emplace_back(f, mesh_.owner[f] == c);
                is_bad[c] = static_cast<char>(!has_volume(own) || !is_closed(own, edges));
            }
        });
        std::vector<Index> out;
        for (Index c = 0; c < is_bad.size(); ++c)
            if (is_bad[c] != 0) out.push_back(c);
        return out;
    }

    Index cell(Index c) { return static_cast<Index>(cells_.find(c)); }

    /// Of all that has become one with a cell; what lies within is left out.
    Faces faces_of(Index c) {
        const auto found = members_.find(cell(c));
        const std::vector<Index> alone{c};
        Faces out;
        for (const Index member : found == members_.end() ? alone : found->second)
            for (const Index f : faces_.of(member)) {
                const bool is_own = mesh_.owner[f] == member;
                if (f < mesh_.n_inner_faces() && cell(is_own ? mesh_.neighbour[f] : mesh_.owner[f]) == cell(c))
                    continue;
                out.emplace_back(f, is_own);
            }
        return out;
    }

    bool is_sound(const Faces& faces) const {
        Edges edges;
        return has_volume(faces) && is_closed(faces, edges);
    }

    /// By each of the usual ways to take it.
    bool has_volume(const Faces& faces) const {
        if (faces.empty()) return false;
        const Vec3 near = mesh_.points[mesh_.face(faces.front().first)[0]];
        std::array<double, 3> volume{};
        double unsigned_sum = 0;
        for (const auto& [f, is_out] : faces) {
            const FaceShape shape = shape_of(mesh_, f);
            const double sense = is_out ? 1 : -1;
            for (std::size_t k = 0; k < 3; ++k) volume[k] += sense * dot(shape.middle[k] - near, shape.area);
            unsigned_sum += std::abs(dot(shape.middle[0] - near, shape.area));
        }
        return *std::min_element(volume.begin(), volume.end()) > kLeastShare * unsigned_sum;
    }

    /// Each edge lies on two of the faces: where columns of layers end beside each other, a polyhedron may touch itself
    /// along an edge. `edges` is room to work in.
    bool is_closed(const Faces& faces, Edges& edges) const {
        edges.clear();
        for (const auto& [f, is_out] : faces) {
            const auto p = mesh_.face(f);
            for (std::size_t k = 0; k < p.size(); ++k) {
                const Index a = p[k], b = p[(k + 1) % p.size()];
                edges.push_back({std::min(a, b), std::max(a, b)});
            }
        }
        std::sort(edges.begin(), edges.end());
        for (std::size_t i = 0, j = 0; i < edges.size(); i = j) {
            for (j = i; j < edges.size() && edges[j] == edges[i];) ++j;
            if (j - i != 2) return false;
        }
        return !edges.empty();
    }

    bool join_with_neighbour(Index c) {
        std::map<Index, double> shared;  // area by neighbour
        for (const auto& [f, is_out] : faces_of(c)) {
            if (f >= mesh_.n_inner_faces()) continue;
            const Index other = is_out ? mesh_.neighbour[f] : mesh_.owner[f];
            if (mesh_.cell_region[other] == mesh_.cell_region[c])
                shared[cell(other)] += length(shape_of(mesh_, f).area);
        }
        std::vector<std::pair<double, Index>> order;
        for (const auto& [other, area] : shared) order.emplace_back(-area, other);
        std::sort(order.begin(), order.end());
        // One that makes it sound at once, if there is one.
        Edges edges;
        for (const bool must_be_sound : {true, false})
            for (const auto& [area, other] : order) {
                const Faces both = together(c, other);
                if (!is_closed(both, edges) || (must_be_sound && !has_volume(both))) continue;
                join(c, other);
                return true;
            }
        return false;
    }

    Faces together(Index a, Index b) {
        Faces out = faces_of(a);
        const Faces more = faces_of(b);
        out.insert(out.end(), more.begin(), more.end());
        std::sort(out.begin(), out.end());
        // A face between the two is there twice, once with each sense.
        Faces kept;
        for (std::size_t i = 0; i < out.size(); ++i) {
            if (i + 1 < out.size() && out[i].first == out[i + 1].first)
                ++i;
            else
                kept.push_back(out[i]);
        }
        return kept;
    }

    void join(Index a, Index b) {
        auto take = [this](Index c) {
            const auto found = members_.find(cell(c));
            if (found == members_.end()) return std::vector<Index>{c};
            std::vector<Index> list = std::move(found->second);
            members_.erase(found);
            return list;
        };
        std::vector<Index> list = take(a);
        for (const Index c : take(b)) list.push_back(c);
        cells_.join(a, b);
        members_[cell(a)] = std::move(list);
    }

    void rebuild() {
        std::vector<Index> number(mesh_.n_cells(), kNone);
        VolumeMesh out;
        for (Index c = 0; c < mesh_.n_cells(); ++c)
            if (cell(c) == c) {
                number[c] = static_cast<Index>(out.cell_region.size());
                out.cell_region.push_back(mesh_.cell_region[c]);
            }
        const std::size_t n = out.cell_region.size();
        out.cell_types.assign(n, CellType::polyhedron);
        out.cell_offsets.assign(n + 1, 0);
        out.points = mesh_.points;
        out.regions = mesh_.regions;
        out.periodic = mesh_.periodic;
        std::vector<Index> zone_of(mesh_.n_faces(), kNone), kept;
        for (Index z = 0; z < mesh_.zones.size(); ++z) {
            const BoundaryZone& zone = mesh_.zones[z];
            out.zones.push_back(without_faces(zone));
            for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) zone_of[f] = z;
        }
        std::vector<FaceSides> sides;
        std::vector<bool> is_turned;
        for (Index f = 0; f < mesh_.n_faces(); ++f) {
            Index own = number[cell(mesh_.owner[f])], other = kNone;
            if (f < mesh_.n_inner_faces()) other = number[cell(mesh_.neighbour[f])];
            if (own == other) continue;
            is_turned.push_back(other != kNone && other < own);
            if (is_turned.back()) std::swap(own, other);
            sides.push_back({own, other, zone_of[f]});
            kept.push_back(f);
        }
        auto add_points = [&](Index k, std::vector<Index>& points) {
            const auto p = mesh_.face(kept[k]);
            if (is_turned[k])
                points.insert(points.end(), p.rbegin(), p.rend());
            else
                points.insert(points.end(), p.begin(), p.end());
        };
        put_faces(
            kept.size(), [&](Index i) { return sides[i]; }, add_points, out);
        drop_unused_points(out);
        mesh_ = std::move(out);
    }

    static void drop_unused_points(VolumeMesh& mesh) {
        std::vector<Index> number(mesh.points.size(), kNone);
        for (const Index p : mesh.face_points) number[p] = 0;
        Index n = 0;
        for (Index p = 0; p < number.size(); ++p)
            if (number[p] != kNone) {
                mesh.points[n] = mesh.points[p];
                number[p] = n++;
            }
        mesh.points.resize(n);
        for (Index& p : mesh.face_points) p = number[p];
    }

    VolumeMesh& mesh_;
    CellFaces faces_;
    DisjointSets cells_;
    std::map<Index, std::vector<Index>> members_;  // of what became one, by its number
};

}  // namespace

std::size_t merge_unsound(VolumeMesh& polyhedra) { return Merger(polyhedra).run(); }

}  // namespace anvilcast::poly
