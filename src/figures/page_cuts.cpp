#include "figures/page_cuts.hpp"

#include <algorithm>
#include <cmath>

namespace anvilcast::figures {

CellQuality cell_quality(const VolumeMesh& mesh, const Context& context) {
    const bool has_standard = std::any_of(mesh.cell_types.begin(), mesh.cell_types.end(),
                                          [](CellType t) { return t != CellType::polyhedron; });
    CellQuality out{has_standard ? MetricId::equiangle_skewness : MetricId::orthogonality, {}, 0, 1};
    if (!has_standard) out.low = 1, out.high = 0;
    const std::vector<float> values = metric_by_cell(mesh, out.metric, context);
    for (const float v : values)
        out.bytes.push_back(
            std::isnan(v)
                ? std::uint8_t{0}
                : byte_of(static_cast<std::size_t>(std::lround(
                      255 * std::clamp((static_cast<double>(v) - out.low) / (out.high - out.low), 0.0, 1.0)))));
    return out;
}

PagePolygons cut_at(const VolumeMesh& mesh, const CellReach& reach, double at, const CellQuality& quality) {
    const auto plane = static_cast<float>(at);
    Gatherer gatherer(mesh, 3);
    auto is_kept = [&](Index c) { return reach[c][0] <= plane; };
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const Index own = mesh.owner[f], other = f < mesh.n_inner_faces() ? mesh.neighbour[f] : kNone;
        const bool a = is_kept(own), b = other != kNone && is_kept(other);
        const Index c = a ? own : other;
        const bool is_wall = other == kNone && a && reach[own][1] > plane;  // of a cell that is met
        if (a == b && !is_wall) continue;
        if (other == kNone && !is_wall) continue;
        gatherer.add(mesh.face(f),
                     {static_cast<std::uint8_t>(mesh.cell_types[c]), byte_of(mesh.cell_region[c]), quality.bytes[c]});
    }
    return gatherer.take();
}

std::array<CellReach, 3> reach_of_cells(const VolumeMesh& mesh) {
    std::array<CellReach, 3> reach;
    for (auto& list : reach) list.assign(mesh.n_cells(), {static_cast<float>(Box::inf), static_cast<float>(-Box::inf)});
    for (std::size_t f = 0; f < mesh.n_faces(); ++f)
        for (const Index p : mesh.face(f))
            for (std::size_t axis = 0; axis < 3; ++axis) {
                const auto x = static_cast<float>(mesh.points[p][static_cast<int>(axis)]);
                auto note = [&](Index c) {
                    reach[axis][c][0] = std::min(reach[axis][c][0], x);
                    reach[axis][c][1] = std::max(reach[axis][c][1], x);
                };
                note(mesh.owner[f]);
                if (f < mesh.n_inner_faces()) note(mesh.neighbour[f]);
            }
    return reach;
}

}  // namespace anvilcast::figures
