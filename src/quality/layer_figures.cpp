#include <anvilcast/layer_figures.hpp>

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/thread_limit.hpp"
#include "quality/measures.hpp"

namespace anvilcast {
namespace {

bool is_layer_type(CellType t) {
    return t == CellType::prism || t == CellType::hexahedron || t == CellType::polyhedron;
}

std::size_t n_shared(std::span<const Index> a, std::span<const Index> b) {
    return static_cast<std::size_t>(
        std::count_if(a.begin(), a.end(), [&b](Index p) { return std::find(b.begin(), b.end(), p) != b.end(); }));
}

/// A polyhedron on a stack that is so many times as high as the last one is of the core, prism or not.
constexpr double kMostGrowth = 2.5;
/// Of its face's width: a lowest cell that is higher is no layer, but a cube that stands on the wall, or half of one as
/// a polyhedron. Prisms are never cubes.
constexpr double kMostUpright = 0.45;

class Columns {
  public:
    explicit Columns(const VolumeMesh& mesh) : mesh_(mesh), n_plain_(mesh.n_plain_faces()) {
        // Faces of the cells that layers may be of.
        first_.assign(mesh.n_cells() + 1, 0);
        auto for_sides = [&](const auto& visit) {
            for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
                visit(mesh.owner[f], static_cast<Index>(f));
                if (f < mesh.n_inner_faces()) visit(mesh.neighbour[f], static_cast<Index>(f));
            }
        };
        for_sides([this](Index c, Index) {
            if (is_layer_type(mesh_.cell_types[c])) ++first_[c + 1];
        });
        for (std::size_t c = 1; c < first_.size(); ++c) first_[c] += first_[c - 1];
        faces_.resize(first_.back());
        std::vector<Index> at(first_.begin(), first_.end() - 1);
        for_sides([&](Index c, Index f) {
            if (is_layer_type(mesh_.cell_types[c])) faces_[at[c]++] = f;
        });
    }

    FaceLayers over(Index face, Index cell) const {
        FaceLayers out;
        out.face = face;
        out.cell = cell;
        out.area = length(area_vector(face));
        double below = 0, log_growth = 0;
        Index n_growing = 0;
        while (true) {
            const Index opposite = opposite_of(cell, face);
            if (opposite == kNone) break;
            const double height = height_of(cell, face, opposite);
            const bool is_polyhedron = mesh_.cell_types[cell] == CellType::polyhedron;
            const bool may_be_cube = mesh_.cell_types[cell] != CellType::prism;
            if (out.count == 0 && may_be_cube && height > kMostUpright * std::sqrt(out.area)) break;
            if (is_polyhedron && below > 0 && height > kMostGrowth * below) break;  // of the core
            if (out.count++ == 0) out.first = height;
            out.total += height;
            if (below > 0 && height > 1.0001 * below) {
                log_growth += std::log(height / below);
                ++n_growing;
            }
            below = height;
            if (opposite >= mesh_.n_inner_faces()) return with_growth(out, log_growth, n_growing);
            const Index beyond = mesh_.owner[opposite] == cell ? mesh_.neighbour[opposite] : mesh_.owner[opposite];
            const double ratio = volume(cell) / volume(beyond);
            out.step = std::max(ratio, 1 / ratio);
            face = opposite;
            cell = beyond;
        }
        return with_growth(out, log_growth, n_growing);
    }

  private:
    static FaceLayers with_growth(FaceLayers f, double log_growth, Index n) {
        f.growth = n > 0 ? std::exp(log_growth / n) : f.count > 1 ? 1 : 0;
        return f;
    }

    Vec3 area_vector(Index f) const {
        const auto p = mesh_.face(f);
        Vec3 sum{};
        for (std::size_t k = 1; k + 1 < p.size(); ++k)
            sum += triangle_normal(mesh_.points[p[0]], mesh_.points[p[k]], mesh_.points[p[k + 1]]) * 0.5;
        return sum;
    }

    /// The face of a prism or hexahedron that has no point of the given one; kNone for other cells, and for a prism's
    /// quadrangles. Polyhedra count that stand on the face as a prism does.
    Index opposite_of(Index cell, Index face) const {
        if (!is_layer_type(mesh_.cell_types[cell])) return kNone;
        if (mesh_.cell_types[cell] == CellType::polyhedron) return top_over(cell, face);
        const auto own = mesh_.face(face);
        if (mesh_.cell_types[cell] == CellType::prism && own.size() != 3) return kNone;
        for (Index k = first_[cell]; k < first_[cell + 1]; ++k) {
            const auto other = mesh_.face(faces_[k]);
            if (std::none_of(other.begin(), other.end(),
                             [&own](Index p) { return std::find(own.begin(), own.end(), p) != own.end(); }))
                return faces_[k];
        }
        return kNone;
    }

    /// The one face that shares no point with the given one, if all others have an edge in common with it, but for
    /// those that the polyhedron stands on beside this one, where zones meet. All but two sides are quadrangles: where
    /// a neighbour has a layer more, sides have a fifth point.
    Index top_over(Index cell, Index face) const {
        const std::span<const Index> faces(faces_.data() + first_[cell], first_[cell + 1] - first_[cell]);
        Index top = kNone;
        for (const Index f : faces) {
            if (n_shared(mesh_.face(f), mesh_.face(face)) != 0) continue;
            if (top != kNone) return kNone;
            top = f;
        }
        if (top == kNone) return kNone;
        std::size_t n_wide = 0;
        for (const Index f : faces) {
            const bool is_base = f == face || (f >= n_plain_ && n_shared(mesh_.face(f), mesh_.face(top)) == 0);
            if (f != top && !is_base && n_shared(mesh_.face(f), mesh_.face(top)) < 2) return kNone;
            if (f != top && !is_base && mesh_.face(f).size() > 4) ++n_wide;
        }
        if (n_wide > 2) return kNone;
        return top;
    }

    /// By tetrahedra from the mean of its points to the triangles round its faces' means.
    double polyhedron_volume(Index cell) const {
        const std::span<const Index> faces(faces_.data() + first_[cell], first_[cell + 1] - first_[cell]);
        const Vec3& at = mesh_.points[mesh_.face(faces[0])[0]];
        double sum = 0;
        for (const Index f : faces) {
            const auto p = mesh_.face(f);
            Vec3 mean{};
            for (const Index i : p) mean += (mesh_.points[i] - at) / static_cast<double>(p.size());
            double face_sum = 0;
            for (std::size_t k = 0; k < p.size(); ++k)
                face_sum += dot(mean, cross(mesh_.points[p[k]] - at, mesh_.points[p[(k + 1) % p.size()]] - at)) / 6;
            sum += mesh_.owner[f] == cell ? face_sum : -face_sum;
        }
        return sum;
    }

    /// By tetrahedra from the cell's first corner to its faces.
    double volume(Index cell) const {
        if (mesh_.cell_types[cell] == CellType::polyhedron) return polyhedron_volume(cell);
        const auto corners = mesh_.cell(cell);
        const Vec3& at = mesh_.points[corners[0]];
        double sum = 0;
        for (const auto& f : cell_faces(mesh_.cell_types[cell])) {
            auto p = [&](std::size_t k) { return mesh_.points[corners[static_cast<std::size_t>(f[k])]]; };
            if (f.size() == 3) {
                sum += tetrahedron_volume(p(0), p(1), p(2), at);
            } else {
                // Both ways of dividing a quadrangle, in equal parts.
                sum += 0.5 * (tetrahedron_volume(p(0), p(1), p(2), at) + tetrahedron_volume(p(0), p(2), p(3), at) +
                              tetrahedron_volume(p(1), p(2), p(3), at) + tetrahedron_volume(p(1), p(3), p(0), at));
            }
        }
        return std::abs(sum);
    }

    /// Volume over the mean of the area on the way, by Simpson's rule, exact for straight edges.
    double height_of(Index cell, Index low, Index high) const {
        if (mesh_.cell_types[cell] == CellType::polyhedron) return height_of_polyhedron(cell, high);
        const Vec3 a = area_vector(low), b = area_vector(high);
        // A prism's corners k and k + 3 are over each other, and a hexahedron's k and k + 4 when it stands on these.
        const auto corners = mesh_.cell(cell);
        const std::size_t n = corners.size() / 2;
        Vec3 middle{};
        for (std::size_t k = 1; k + 1 < n; ++k)
            middle += triangle_normal(midpoint(mesh_.points[corners[0]], mesh_.points[corners[n]]),
                                      midpoint(mesh_.points[corners[k]], mesh_.points[corners[k + n]]),
                                      midpoint(mesh_.points[corners[k + 1]], mesh_.points[corners[k + 1 + n]])) *
                      0.5;
        const auto own = mesh_.face(low);
        const auto n_low = std::count_if(corners.begin(), corners.begin() + static_cast<std::ptrdiff_t>(n),
                                         [&own](Index p) { return std::find(own.begin(), own.end(), p) != own.end(); });
        const bool stands = n_low == 0 || n_low == static_cast<std::ptrdiff_t>(n);
        const double mean = stands ? (length(a) + 4 * length(middle) + length(b)) / 6 : 0.5 * (length(a) + length(b));
        return mean > 0 ? volume(cell) / mean : 0;
    }

    /// The area halfway up by the middles of the edges that lead up. What it stands on is all that has no point of its
    /// top.
    double height_of_polyhedron(Index cell, Index high) const {
        const std::span<const Index> faces(faces_.data() + first_[cell], first_[cell + 1] - first_[cell]);
        const auto top = mesh_.face(high);
        double low = 0, middle = 0;
        for (const Index f : faces) {
            const auto base = mesh_.face(f);
            if (n_shared(base, top) != 0) continue;
            low += length(area_vector(f));
            std::vector<Vec3> halfway;
            for (const Index p : base)
                if (const Index above = over(faces, top, p); above != kNone)
                    halfway.push_back(midpoint(mesh_.points[p], mesh_.points[above]));
            Vec3 sum{};
            for (std::size_t k = 1; k + 1 < halfway.size(); ++k)
                sum += triangle_normal(halfway[0], halfway[k], halfway[k + 1]) * 0.5;
            middle += length(sum);
        }
        const double mean = (low + 4 * middle + length(area_vector(high))) / 6;
        return mean > 0 ? volume(cell) / mean : 0;
    }

    /// The point of the top that an edge leads to from a point below; kNone when none does.
    Index over(std::span<const Index> faces, std::span<const Index> top, Index below) const {
        for (const Index f : faces) {
            const auto p = mesh_.face(f);
            const auto at = static_cast<std::size_t>(std::find(p.begin(), p.end(), below) - p.begin());
            if (at == p.size()) continue;
            for (const Index q : {p[(at + 1) % p.size()], p[(at + p.size() - 1) % p.size()]})
                if (std::find(top.begin(), top.end(), q) != top.end()) return q;
        }
        return kNone;
    }

    const VolumeMesh& mesh_;
    std::size_t n_plain_;
    std::vector<Index> first_, faces_;
};

/// The largest count that there is. Among polyhedra of the core some are built like prisms, too: there it is the
/// largest that a good part of the area has.
Index most_layers(const std::vector<const FaceLayers*>& list, bool has_polyhedra) {
    constexpr double kLeastShare = 0.2;
    Index most = 0;
    double all = 0;
    for (const FaceLayers* f : list) {
        most = std::max(most, f->count);
        all += f->area;
    }
    for (; has_polyhedra && most > 0; --most) {
        double with_so_many = 0;
        for (const FaceLayers* f : list) with_so_many += f->count >= most ? f->area : 0;
        if (with_so_many >= kLeastShare * all) break;
    }
    return most;
}

double weighted_percentile(std::vector<std::pair<double, double>>& values, double share) {
    std::sort(values.begin(), values.end());
    double total = 0, sum = 0;
    for (const auto& [v, w] : values) total += w;
    for (const auto& [v, w] : values)
        if ((sum += w) >= share * total) return v;
    return values.empty() ? 0 : values.back().first;
}

std::vector<FaceLayers> columns_on_faces(const VolumeMesh& mesh, const Context& context) {
    const ThreadLimit limit(context);
    const Columns columns(mesh);
    std::vector<std::array<Index, 2>> starts;
    for (const BoundaryZone& zone : std::span(mesh.zones).first(mesh.n_named_zones())) {
        if (zone.role != Role::wall && zone.role != Role::interface_ && zone.role != Role::baffle) continue;
        for (auto f = static_cast<Index>(zone.first_face); f < zone.first_face + zone.n_faces; ++f) {
            starts.push_back({f, mesh.owner[f]});
            if (f < mesh.n_inner_faces()) starts.push_back({f, mesh.neighbour[f]});
        }
    }
    std::vector<FaceLayers> out(starts.size());
    tbb::parallel_for(std::size_t{0}, starts.size(),
                      [&](std::size_t i) { out[i] = columns.over(starts[i][0], starts[i][1]); });
    return out;
}

}  // namespace

bool has_core(const VolumeMesh& mesh) {
    constexpr std::size_t kFewOf = 50;
    const auto n = static_cast<std::size_t>(std::count_if(
        mesh.cell_types.begin(), mesh.cell_types.end(),
        // The triangles of a plane mesh are prisms.
        [&](CellType t) { return t != CellType::hexahedron && (t != CellType::prism || mesh.is_plane()); }));
    return kFewOf * n >= mesh.n_cells() && n > 0;
}

std::vector<FaceLayers> layers_on_faces(const VolumeMesh& mesh, const Context& context) {
    return has_core(mesh) ? columns_on_faces(mesh, context) : std::vector<FaceLayers>{};
}

std::vector<LayerFigures> measure_layers(const VolumeMesh& mesh, const std::vector<AskedLayers>& asked,
                                         const Context& context) {
    if (asked.empty() && !has_core(mesh)) return {};
    const std::vector<FaceLayers> faces = columns_on_faces(mesh, context);
    std::map<std::array<Index, 2>, std::vector<const FaceLayers*>> by_zone;
    std::vector<Index> zone_of(mesh.n_faces(), kNone);
    for (Index z = 0; z < mesh.zones.size(); ++z)
        for (std::size_t k = 0; k < mesh.zones[z].n_faces; ++k) zone_of[mesh.zones[z].first_face + k] = z;
    for (const FaceLayers& f : faces)
        if (zone_of[f.face] != kNone) by_zone[{zone_of[f.face], mesh.cell_region[f.cell]}].push_back(&f);
    const bool has_polyhedra =
        std::find(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::polyhedron) != mesh.cell_types.end();
    std::vector<LayerFigures> out;
    for (const auto& [where, list] : by_zone) {
        LayerFigures r;
        r.zone = where[0];
        r.region = where[1];
        r.most = most_layers(list, has_polyhedra);
        const auto request = std::find_if(asked.begin(), asked.end(), [&r](const AskedLayers& a) {
            return a.zone == r.zone && a.region == r.region;
        });
        if (r.most == 0 && request == asked.end()) continue;
        const Index full = request != asked.end() ? request->count : r.most;
        std::vector<std::pair<double, double>> firsts, growths, steps;
        for (const FaceLayers* f : list) {
            r.area += f->area;
            if (f->count >= full) r.full_area += f->area;
            if (f->count == 0) {
                r.bare_area += f->area;
                continue;
            }
            firsts.emplace_back(f->first, f->area);
            if (f->count > 1) growths.emplace_back(f->growth, f->area);
            if (f->step > 0) steps.emplace_back(f->step, f->area);
        }
        r.first_median = weighted_percentile(firsts, 0.5);
        if (!firsts.empty()) {
            r.first_min = firsts.front().first;
            r.first_max = firsts.back().first;
        }
        r.asked_first = request != asked.end() && request->first > 0 ? request->first : r.first_median;
        for (const auto& [h, area] : firsts) {
            const double off = std::abs(h / r.asked_first - 1), share = area / (r.area - r.bare_area);
            if (off <= 0.02) r.first_share_2 += share;
            if (off <= 0.05) r.first_share_5 += share;
        }
        r.growth_median = weighted_percentile(growths, 0.5);
        r.step_median = weighted_percentile(steps, 0.5);
        r.step_95 = weighted_percentile(steps, 0.95);
        out.push_back(r);
    }
    return out;
}

}  // namespace anvilcast
