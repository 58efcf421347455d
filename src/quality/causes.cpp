#include "quality/causes.hpp"

#include <anvilcast/layer_figures.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace anvilcast::quality {
namespace {

// What counts as bad enough to be called the cause.
constexpr double kSharpCorner = 30;     // degrees between two boundary faces
constexpr double kNeedleAngle = 12;     // degrees, smallest of a boundary triangle
constexpr double kAreaRatio = 6;        // of boundary faces side by side
constexpr double kFastGrowth = 4;       // volume ratio of cells side by side
constexpr double kSliverDihedral = 15;  // degrees
constexpr double kOpposite = -0.7;      // cosine between normals across a gap

double degrees(double radians) { return radians * 180.0 / std::numbers::pi; }

/// The faces in zones, seen from the cells behind them.
class Explainer {
  public:
    Explainer(const VolumeMesh& mesh, const Measures& m, std::span<const BadPlace> places)
        : mesh_(mesh), m_(m), n_plain_(mesh.n_plain_faces()), has_core_(has_core(mesh)) {
        // Of a plane mesh the sheet's two sides are no boundary.
        end_ = mesh.n_faces() - (mesh.is_plane() ? 2 * mesh.n_cells() : 0);
        for (std::size_t z = 0; z < mesh.n_named_zones(); ++z)
            if (mesh.zones[z].n_faces > 0) starts_.push_back({mesh.zones[z].first_face, z});
        std::sort(starts_.begin(), starts_.end());
        // The boundary round the points of all bad cells, found in one go.
        for (const BadPlace& b : places)
            for (const Index c : cells_of(b))
                for (const Index f : m_.faces.of(c))
                    for (const Index p : mesh_.face(f)) at_point_[p];
        for (auto f = static_cast<Index>(n_plain_); f < end_; ++f)
            for (const Index p : mesh_.face(f))
                if (const auto found = at_point_.find(p); found != at_point_.end()) found->second.push_back(f);
    }

    WorstPlace explain(const BadPlace& b) const {
        WorstPlace out;
        out.cell = b.cell;
        out.type = mesh_.cell_types[b.cell];
        out.is_of_plane = mesh_.is_plane();
        out.place = b.face == kNone ? m_.cell[b.cell].center : measure_face(mesh_, b.face).center;
        if (mesh_.is_plane()) out.place.z = 0;
        const std::vector<Index> boundary = boundary_at(b);
        const Nearest nearest = nearest_face(out.place, boundary);
        if (nearest.face != kNone) {
            out.zone = zone_name(nearest.face);
            out.distance = boundary.empty() ? nearest.distance : 0;
        }
        out.cause = cause(b, boundary);
        return out;
    }

  private:
    struct Nearest {
        Index face = kNone;
        double distance = std::numeric_limits<double>::infinity();
    };

    std::vector<Index> cells_of(const BadPlace& b) const {
        if (b.face == kNone || b.face >= mesh_.n_inner_faces()) return {b.cell};
        return {mesh_.owner[b.face], mesh_.neighbour[b.face]};
    }

    const std::string& zone_name(Index face) const {
        const auto next = std::upper_bound(starts_.begin(), starts_.end(), std::array<std::size_t, 2>{face, kNone});
        return mesh_.zones[(*(next - 1))[1]].name;
    }

    /// The boundary faces that touch the cells.
    std::vector<Index> boundary_at(const BadPlace& b) const {
        std::vector<Index> out;
        for (const Index c : cells_of(b))
            for (const Index f : m_.faces.of(c))
                for (const Index p : mesh_.face(f)) {
                    const auto& list = at_point_.at(p);
                    out.insert(out.end(), list.begin(), list.end());
                }
        std::sort(out.begin(), out.end());
        out.erase(std::unique(out.begin(), out.end()), out.end());
        return out;
    }

    void look_at(Index f, const Vec3& p, Nearest& best) const {
        const auto points = mesh_.face(f);
        const Vec3& first = mesh_.points[points[0]];
        double reach = 0;
        for (const Index i : points) reach = std::max(reach, distance_squared(first, mesh_.points[i]));
        const double least = std::sqrt(distance_squared(p, first)) - std::sqrt(reach);
        if (least > best.distance) return;
        for (std::size_t k = 2; k < points.size(); ++k) {
            const double d =
                distance(p, closest_point_on_triangle(p, first, mesh_.points[points[k - 1]], mesh_.points[points[k]]));
            if (d < best.distance) best = {f, d};
        }
    }

    /// Of those given, or of all when there is none.
    Nearest nearest_face(const Vec3& p, const std::vector<Index>& among) const {
        Nearest best;
        for (const Index f : among) look_at(f, p, best);
        if (among.empty())
            for (auto f = static_cast<Index>(n_plain_); f < end_; ++f) look_at(f, p, best);
        return best;
    }

    bool is_of_layers(CellType t) const { return has_core_ && (t == CellType::prism || t == CellType::hexahedron); }

    /// The wall that layers near a place stand on.
    std::string wall_near(const BadPlace& b) const {
        Nearest best;
        for (const BoundaryZone& zone : std::span(mesh_.zones).first(mesh_.n_named_zones())) {
            if (zone.role != Role::wall && zone.role != Role::baffle && zone.role != Role::interface_) continue;
            for (std::size_t k = 0; k < zone.n_faces; ++k)
                look_at(static_cast<Index>(zone.first_face + k), m_.cell[b.cell].center, best);
        }
        return best.face == kNone ? "a wall" : "'" + zone_name(best.face) + "'";
    }

    std::string cause(const BadPlace& b, const std::vector<Index>& boundary) const {
        std::string text;
        if (b.face != kNone && b.face < mesh_.n_inner_faces()) text = layers_end(b);
        if (text.empty()) text = sharp_corner(b, boundary);
        if (text.empty()) text = narrow_gap(b, boundary);
        if (text.empty()) text = bad_triangle(boundary);
        if (text.empty()) text = stack_end(b);
        if (text.empty()) text = uneven_boundary(boundary);
        if (text.empty()) text = fast_growth(b);
        if (text.empty()) text = sliver(b);
        return text;
    }

    std::string layers_end(const BadPlace& b) const {
        const Index own = mesh_.owner[b.face], other = mesh_.neighbour[b.face];
        if (is_of_layers(mesh_.cell_types[own]) == is_of_layers(mesh_.cell_types[other])) return {};
        const double a = m_.cell[own].volume, c = m_.cell[other].volume;
        return fmt::format("from the last layer on {} to the core volumes differ {:.1f}-fold", wall_near(b),
                           std::max(a, c) / std::min(a, c));
    }

    /// Two boundary faces at one edge of the cell, with the fluid between them.
    std::string sharp_corner(const BadPlace& b, const std::vector<Index>& boundary) const {
        double sharpest = kSharpCorner;
        std::string text;
        for (std::size_t i = 0; i < boundary.size(); ++i)
            for (std::size_t j = i + 1; j < boundary.size(); ++j) {
                if (!share_an_edge_of(b, boundary[i], boundary[j])) continue;
                const FaceMeasure p = measure_face(mesh_, boundary[i]), q = measure_face(mesh_, boundary[j]);
                if (dot(p.area, q.center - p.center) >= 0) continue;
                const double angle = 180 - degrees(std::atan2(length(cross(p.area, q.area)), dot(p.area, q.area)));
                if (angle >= sharpest) continue;
                sharpest = angle;
                const std::string &u = zone_name(boundary[i]), &v = zone_name(boundary[j]);
                text = u == v ? fmt::format("in a fold of '{}', whose sides meet at {:.2g}\xC2\xB0", u, angle)
                              : fmt::format("in the corner between '{}' and '{}', which meet at {:.2g}\xC2\xB0", u, v,
                                            angle);
            }
        return text;
    }

    bool share_an_edge_of(const BadPlace& b, Index f, Index g) const {
        const auto p = mesh_.face(f), q = mesh_.face(g);
        std::vector<Index> shared;
        for (const Index i : p)
            if (std::find(q.begin(), q.end(), i) != q.end()) shared.push_back(i);
        if (shared.size() < 2) return false;
        for (const Index c : cells_of(b)) {
            std::size_t n = 0;
            for (const Index i : shared)
                n += std::any_of(m_.faces.of(c).begin(), m_.faces.of(c).end(), [&](Index h) {
                    const auto r = mesh_.face(h);
                    return std::find(r.begin(), r.end(), i) != r.end();
                });
            if (n >= 2) return true;
        }
        return false;
    }

    /// All points of the cell lie on the boundary, and walls face each other across it.
    std::string narrow_gap(const BadPlace& b, const std::vector<Index>& boundary) const {
        if (is_of_layers(mesh_.cell_types[b.cell])) return {};
        for (const Index f : m_.faces.of(b.cell))
            for (const Index p : mesh_.face(f))
                if (at_point_.at(p).empty()) return {};
        for (std::size_t i = 0; i < boundary.size(); ++i)
            for (std::size_t j = i + 1; j < boundary.size(); ++j) {
                const FaceMeasure p = measure_face(mesh_, boundary[i]), q = measure_face(mesh_, boundary[j]);
                if (dot(normalized(p.area), normalized(q.area)) > kOpposite) continue;
                if (dot(p.area, q.center - p.center) >= 0) continue;
                const std::string &u = zone_name(boundary[i]), &v = zone_name(boundary[j]);
                return u == v
                           ? fmt::format("all its points lie on '{}': the gap there is one cell wide", u)
                           : fmt::format("all its points lie on '{}' and '{}': the gap there is one cell wide", u, v);
            }
        return {};
    }

    std::string bad_triangle(const std::vector<Index>& boundary) const {
        double least = kNeedleAngle;
        std::string text;
        for (const Index f : boundary) {
            const auto p = mesh_.face(f);
            for (std::size_t k = 0; k < p.size(); ++k) {
                const Vec3& at = mesh_.points[p[k]];
                const Vec3 u = mesh_.points[p[(k + 1) % p.size()]] - at,
                           v = mesh_.points[p[(k + p.size() - 1) % p.size()]] - at;
                const double angle = degrees(std::atan2(length(cross(u, v)), dot(u, v)));
                if (angle >= least) continue;
                least = angle;
                text = fmt::format("beside a needle of '{}', of {:.2g}\xC2\xB0", zone_name(f), angle);
            }
        }
        return text;
    }

    std::string stack_end(const BadPlace& b) const {
        bool has_pyramid = false;
        for (const Index c : cells_of(b)) {
            has_pyramid = has_pyramid || mesh_.cell_types[c] == CellType::pyramid;
            for (const Index f : m_.faces.of(c))
                if (f < mesh_.n_inner_faces())
                    has_pyramid = has_pyramid || mesh_.cell_types[mesh_.owner[f]] == CellType::pyramid ||
                                  mesh_.cell_types[mesh_.neighbour[f]] == CellType::pyramid;
        }
        if (has_pyramid) return fmt::format("where layers on {} end in steps", wall_near(b));
        if (is_of_layers(mesh_.cell_types[b.cell])) return fmt::format("in the layers on {}", wall_near(b));
        for (const Index c : cells_of(b))
            for (const Index f : m_.faces.of(c))
                if (f < mesh_.n_inner_faces() && is_of_layers(mesh_.cell_types[mesh_.owner[f]]) !=
                                                     is_of_layers(mesh_.cell_types[mesh_.neighbour[f]]))
                    return fmt::format("on top of the layers on {}", wall_near(b));
        return {};
    }

    std::string uneven_boundary(const std::vector<Index>& boundary) const {
        double most = kAreaRatio;
        std::string text;
        for (std::size_t i = 0; i < boundary.size(); ++i)
            for (std::size_t j = i + 1; j < boundary.size(); ++j) {
                const auto p = mesh_.face(boundary[i]), q = mesh_.face(boundary[j]);
                if (std::count_if(p.begin(), p.end(),
                                  [&q](Index k) { return std::find(q.begin(), q.end(), k) != q.end(); }) < 2)
                    continue;
                const double a = length(measure_face(mesh_, boundary[i]).area),
                             c = length(measure_face(mesh_, boundary[j]).area);
                const double ratio = std::max(a, c) / std::min(a, c);
                if (ratio <= most) continue;
                most = ratio;
                text =
                    fmt::format("beside faces of '{}' that differ {:.2g}-fold in area", zone_name(boundary[i]), ratio);
            }
        return text;
    }

    std::string fast_growth(const BadPlace& b) const {
        double most = kFastGrowth;
        for (const Index c : cells_of(b))
            for (const Index f : m_.faces.of(c)) {
                if (f >= n_plain_) continue;
                const double u = m_.cell[mesh_.owner[f]].volume, v = m_.cell[mesh_.neighbour[f]].volume;
                most = std::max(most, std::max(u, v) / std::min(u, v));
            }
        return most > kFastGrowth
                   ? fmt::format("sizes change fast here: a cell beside it is {:.2g} times as large", most)
                   : std::string();
    }

    std::string sliver(const BadPlace& b) const {
        for (const Index c : cells_of(b)) {
            if (mesh_.cell_types[c] != CellType::tetrahedron) continue;
            const auto p = mesh_.cell(c);
            std::array<Vec3, 4> n;
            for (std::size_t k = 0; k < 4; ++k) {
                const auto& f = cell_faces(CellType::tetrahedron)[k];
                auto point = [&](std::size_t i) { return mesh_.points[p[static_cast<std::size_t>(f[i])]]; };
                n[k] = normalized(triangle_normal(point(0), point(1), point(2)));
            }
            for (std::size_t i = 0; i < 4; ++i)
                for (std::size_t j = i + 1; j < 4; ++j)
                    if (dot(n[i], n[j]) < -std::cos(kSliverDihedral * std::numbers::pi / 180))
                        return "its four points lie nearly in one plane";
        }
        return {};
    }

    const VolumeMesh& mesh_;
    const Measures& m_;
    std::size_t n_plain_;
    std::size_t end_ = 0;                                     ///< of the boundary
    bool has_core_;                                           ///< else prisms and hexahedra are no layers
    std::vector<std::array<std::size_t, 2>> starts_;          // first face and number of each zone that has some
    std::unordered_map<Index, std::vector<Index>> at_point_;  // boundary faces round the points of the bad cells
};

}  // namespace

std::vector<WorstPlace> explain(const VolumeMesh& mesh, const Measures& measures, std::span<const BadPlace> places) {
    const Explainer explainer(mesh, measures, places);
    std::vector<WorstPlace> out(places.size());
    tbb::parallel_for(std::size_t{0}, places.size(), [&](std::size_t i) { out[i] = explainer.explain(places[i]); });
    return out;
}

}  // namespace anvilcast::quality
