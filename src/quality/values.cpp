#include "quality/values.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/large_pages.hpp"
#include "base/thread_limit.hpp"
#include "quality/cell_metrics.hpp"
#include "quality/simplices.hpp"

namespace anvilcast {
namespace quality {
namespace {

constexpr std::size_t kBlock = 4096;

/// What there is to measure on.
struct Kinds {
    bool tetrahedra = false, polyhedra = false, others = false, polygons = false, is_plane = false;

    explicit Kinds(const VolumeMesh& mesh) : is_plane(mesh.is_plane()) {
        for (const CellType t : mesh.cell_types)
            (t == CellType::tetrahedron ? tetrahedra : t == CellType::polyhedron ? polyhedra : others) = true;
        polygons = mesh.face_points.size() != 3 * mesh.n_faces();
    }
    bool have(MetricId id) const {
        switch (id) {
            case MetricId::equivolume_skewness:
                return tetrahedra;
            case MetricId::equiangle_skewness:
            case MetricId::aspect_ratio:
            case MetricId::corner_determinant:
                return tetrahedra || others;
            case MetricId::visibility:
                return polyhedra || others;
            case MetricId::warp:
                return polygons && !is_plane;
            // The sheet that a plane mesh is drawn out to says nothing here.
            case MetricId::largest_dihedral:
                return !is_plane && (tetrahedra || others);
            case MetricId::smallest_dihedral:
            case MetricId::closedness:
                return !is_plane;
            default:
                return true;
        }
    }
};

/// Hands items on by fours; the last ones with the last of them repeated.
template <typename Work>
class Batch {
  public:
    explicit Batch(Work work) : work_(std::move(work)) {}
    void add(Index item) {
        items_[n_++] = item;
        if (n_ == kLanes) flush();
    }
    void finish() {
        if (n_ == 0) return;
        for (std::size_t k = n_; k < kLanes; ++k) items_[k] = items_[n_ - 1];
        flush();
    }

  private:
    void flush() {
        work_(items_);
        n_ = 0;
    }
    Work work_;
    std::array<Index, kLanes> items_{};
    std::size_t n_ = 0;
};

/// Single precision tells angles below a degree, and those above 179, too coarsely to compare them.
bool is_nearly_flat(const MetricValues& values, std::size_t cell) {
    constexpr float kLeast = 1, kMost = 179;
    auto any = [&](MetricId metric, auto&& is_beyond) {
        const auto& list = values[static_cast<std::size_t>(metric)];
        return !list.empty() && is_beyond(list[cell]);
    };
    auto is_small = [](float angle) { return angle < kLeast; };
    auto is_large = [](float angle) { return angle > kMost; };
    return any(MetricId::smallest_dihedral, is_small) || any(MetricId::largest_dihedral, is_large) ||
           any(MetricId::smallest_angle, is_small) || any(MetricId::largest_angle, is_large);
}

}  // namespace

MetricValues metric_values(const VolumeMesh& mesh, const Measures& m, const MetricId* only) {
    MetricValues out;
    const Kinds kinds(mesh);
    bool of_cells = false, of_faces = false;
    for (std::size_t k = 0; k < out.size(); ++k) {
        const MetricInfo& info = metric_infos()[k];
        const bool is_needed = only == nullptr || *only == info.id ||
                               (*only == MetricId::orthogonality && info.id == MetricId::non_orthogonality);
        if (!kinds.have(info.id) || !is_needed) continue;
        const bool is_of_cells = info.of == MetricOf::cells;
        (is_of_cells ? of_cells : of_faces) = true;
        const std::size_t n = is_of_cells                 ? mesh.n_cells()
                              : info.id == MetricId::warp ? mesh.n_faces()
                                                          : mesh.n_inner_faces();
        out[k].reserve(n);
        advise_large_pages(out[k].data(), n * sizeof(float));
        out[k].resize(n, std::numeric_limits<float>::quiet_NaN());  // until measured
    }
    auto in_blocks = [](std::size_t n, const auto& visit) {
        tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n, kBlock), visit);
    };
    const std::size_t n_plain = mesh.n_plain_faces();
    if (of_faces)
        in_blocks(kinds.polygons ? mesh.n_faces() : mesh.n_inner_faces(),
                  [&](const tbb::blocked_range<std::size_t>& range) {
                      Batch batch([&](const auto& faces) { measure_triangles(mesh, m, faces, n_plain, out); });
                      for (std::size_t f = range.begin(); f < range.end(); ++f) {
                          if (mesh.face(f).size() == 3) {
                              if (f < mesh.n_inner_faces()) batch.add(static_cast<Index>(f));
                              continue;
                          }
                          FaceFigures figures = face_figures(mesh, m, f);
                          figures[0] = std::cos(figures[0] * std::numbers::pi / 180);
                          for (std::size_t k = 0; k < kFaceMetrics; ++k)
                              if (auto& list = out[kCellMetrics + k]; f < list.size())
                                  list[f] = static_cast<float>(figures[k]);
                      }
                      batch.finish();
                  });
    if (of_cells)
        in_blocks(mesh.n_cells(), [&](const tbb::blocked_range<std::size_t>& range) {
            CellProbe probe(mesh, m);
            Batch batch([&](const auto& cells) { measure_tetrahedra(mesh, m, cells, out); });
            for (std::size_t c = range.begin(); c < range.end(); ++c) {
                if (mesh.cell_types[c] == CellType::tetrahedron) {
                    batch.add(static_cast<Index>(c));
                    continue;
                }
                const CellFigures figures = probe(c);
                for (std::size_t k = 0; k < kCellMetrics; ++k)
                    if (!out[k].empty()) out[k][c] = static_cast<float>(figures[k]);
            }
            batch.finish();
            for (std::size_t c = range.begin(); c < range.end(); ++c) {
                if (mesh.cell_types[c] != CellType::tetrahedron || !is_nearly_flat(out, c)) continue;
                const CellFigures figures = probe(c);
                for (std::size_t k = 0; k < kCellMetrics; ++k)
                    if (!out[k].empty()) out[k][c] = static_cast<float>(figures[k]);
            }
        });
    if (auto& list = out[static_cast<std::size_t>(MetricId::non_orthogonality)]; !list.empty())
        cosines_to_degrees(list);
    if (only != nullptr && *only == MetricId::orthogonality)
        out[static_cast<std::size_t>(MetricId::non_orthogonality)] = {};
    return out;
}

double exact_value(const VolumeMesh& mesh, const Measures& m, MetricId metric, std::size_t item) {
    const auto k = static_cast<std::size_t>(metric);
    if (k < kCellMetrics) return CellProbe(mesh, m)(item)[k];
    return face_figures(mesh, m, item)[k - kCellMetrics];
}

}  // namespace quality

std::vector<float> metric_by_cell(const VolumeMesh& mesh, MetricId metric, const Context& context) {
    const MetricInfo& info = metric_info(metric);
    if (info.of == MetricOf::boundary)
        throw InputError(fmt::format("\"{}\" is of {}, not of cells", info.key, info.where));
    const ThreadLimit limit(context);
    const quality::Measures m(mesh);
    quality::MetricValues values = quality::metric_values(mesh, m, &metric);
    std::vector<float>& own = values[static_cast<std::size_t>(metric)];
    if (info.of == MetricOf::cells) {
        if (own.empty()) own.assign(mesh.n_cells(), std::numeric_limits<float>::quiet_NaN());
        return std::move(own);
    }
    std::vector<float> out(mesh.n_cells(), std::numeric_limits<float>::quiet_NaN());
    for (std::size_t f = 0; f < own.size(); ++f) {
        if (std::isnan(own[f])) continue;
        auto note = [&](Index c) {
            if (std::isnan(out[c]) || info.is_worse(static_cast<double>(own[f]), static_cast<double>(out[c])))
                out[c] = own[f];
        };
        note(mesh.owner[f]);
        if (f < mesh.n_inner_faces()) note(mesh.neighbour[f]);
    }
    return out;
}

}  // namespace anvilcast
