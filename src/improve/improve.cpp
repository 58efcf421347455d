// The tetrahedra of each region become a complex, whose faces to anything else are tagged, and are optimised; then the
// mesh is put together again.

#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/improve.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/thread_limit.hpp"
#include "fill/optimise.hpp"
#include "improve/improve_plane.hpp"
#include "quality/values.hpp"

namespace anvilcast {
namespace {

using tets::code_of;
using tets::kEdge;
using tets::kFace;
using tets::Tet;
using tets::TetComplex;

void refuse_unfit(const VolumeMesh& mesh, const ImproveOptions& options) {
    if (!(options.target > 0 && options.target < 70))
        throw InputError(fmt::format("the smallest {}angle to reach must be between 0 and 70 degrees; it is {}",
                                     mesh.is_plane() ? "" : "dihedral ", options.target));
    if (std::find(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::polyhedron) != mesh.cell_types.end())
        throw InputError("the mesh has polyhedra; only meshes of standard cells can be improved");
    if (const auto faults = find_faults(mesh); !faults.empty())
        throw InputError(fmt::format("the mesh is not valid, so it cannot be improved: {}", faults.front()));
    for (Index c = 0; c < mesh.n_cells(); ++c) {
        if (mesh.cell_types[c] != CellType::tetrahedron) continue;
        const auto v = mesh.cell(c);
        const Vec3& p = mesh.points[v[0]];
        if (orient3d(p, mesh.points[v[1]], mesh.points[v[2]], mesh.points[v[3]]) <= 0)
            throw InputError(
                fmt::format("the mesh is not valid, so it cannot be improved: cell {}, near [{:.6g}, {:.6g}, {:.6g}] "
                            "m, is inside out or flat",
                            c, p.x, p.y, p.z));
    }
}

SharpCells sharp_cells(const VolumeMesh& mesh, double target) {
    SharpCells out;
    const quality::Measures measures(mesh);
    Index sharpest = kNone;
    const std::vector<float> angles = metric_by_cell(mesh, MetricId::smallest_dihedral);
    for (Index c = 0; c < mesh.n_cells(); ++c) {
        if (mesh.cell_types[c] != CellType::tetrahedron) continue;
        if (sharpest == kNone || angles[c] < angles[sharpest]) sharpest = c;
        out.n += static_cast<double>(angles[c]) < target ? 1 : 0;
    }
    if (sharpest != kNone) out.smallest = quality::exact_value(mesh, measures, MetricId::smallest_dihedral, sharpest);
    return out;
}

/// The tetrahedra of one region.
struct Part {
    std::vector<Index> point{0};  ///< of the mesh, of each vertex; the first is no vertex
    TetComplex complex{{}, {}};
};

int face_without(const Tet& tet, std::span<const Index> corners) {
    for (int f = 0; f < 4; ++f)
        if (std::find(corners.begin(), corners.end(), tet.v[f]) == corners.end()) return f;
    return 0;
}

std::vector<Part> split(const VolumeMesh& mesh) {
    std::vector<Part> parts(mesh.regions.size());
    std::vector<std::vector<Tet>> tets(parts.size());
    std::vector<Index> tet_of_cell(mesh.n_cells(), kNone);
    for (Index c = 0; c < mesh.n_cells(); ++c) {
        if (mesh.cell_types[c] != CellType::tetrahedron) continue;
        auto& list = tets[mesh.cell_region[c]];
        tet_of_cell[c] = static_cast<Index>(list.size());
        const auto v = mesh.cell(c);
        list.push_back({{v[0], v[1], v[2], v[3]}, {kNone, kNone, kNone, kNone}});
    }
    std::vector<std::array<Index, 2>> outer;  // cell and face of the mesh
    for (Index f = 0; f < mesh.n_faces(); ++f) {
        const Index a = mesh.owner[f], b = f < mesh.n_inner_faces() ? mesh.neighbour[f] : kNone;
        const bool is_inner = b != kNone && tet_of_cell[a] != kNone && tet_of_cell[b] != kNone &&
                              mesh.cell_region[a] == mesh.cell_region[b];
        if (is_inner) {
            auto& list = tets[mesh.cell_region[a]];
            Tet &s = list[tet_of_cell[a]], &t = list[tet_of_cell[b]];
            const int fs = face_without(s, mesh.face(f)), ft = face_without(t, mesh.face(f));
            s.n[fs] = code_of(tet_of_cell[b], ft);
            t.n[ft] = code_of(tet_of_cell[a], fs);
            continue;
        }
        for (const Index c : {a, b})
            if (c != kNone && tet_of_cell[c] != kNone) outer.push_back({c, f});
    }
    std::vector<std::vector<TetComplex::Tags>> tags(parts.size());
    for (std::size_t r = 0; r < parts.size(); ++r) tags[r].assign(tets[r].size(), {kNone, kNone, kNone, kNone});
    for (const auto& [c, f] : outer) {
        const Index r = mesh.cell_region[c], t = tet_of_cell[c];
        tags[r][t][static_cast<std::size_t>(face_without(tets[r][t], mesh.face(f)))] = f;
    }
    std::vector<Index> vertex(mesh.points.size());
    for (std::size_t r = 0; r < parts.size(); ++r) {
        std::fill(vertex.begin(), vertex.end(), kNone);
        std::vector<Vec3> points(1);
        for (Tet& tet : tets[r])
            for (Index& v : tet.v) {
                if (vertex[v] == kNone) {
                    vertex[v] = static_cast<Index>(points.size());
                    points.push_back(mesh.points[v]);
                    parts[r].point.push_back(v);
                }
                v = vertex[v];
            }
        parts[r].complex = TetComplex(std::move(points), std::move(tets[r]), std::move(tags[r]));
    }
    return parts;
}

/// Cells of the mesh that are no tetrahedra, and the parts' tetrahedra, within the boundary that the mesh had.
CellsAndBoundary join(const VolumeMesh& mesh, const std::vector<Part>& parts, ImproveReport& report) {
    CellsAndBoundary out;
    out.regions = mesh.regions;
    out.periodic = mesh.periodic;
    std::vector<Index> number(mesh.points.size(), kNone);
    auto numbered = [&](Index p, const Vec3& place) {
        if (number[p] == kNone) {
            number[p] = static_cast<Index>(out.points.size());
            out.points.push_back(place);
            const double move = distance(place, mesh.points[p]);
            report.points_moved += move > 0 ? 1 : 0;
            if (move > report.largest_move) {
                report.largest_move = move;
                report.largest_move_at = mesh.points[p];
            }
        }
        return number[p];
    };
    auto end_cell = [&](CellType type, Index region) {
        out.cell_types.push_back(type);
        out.cell_offsets.push_back(out.cell_points.size());
        out.cell_region.push_back(region);
    };
    for (Index r = 0; r < parts.size(); ++r) {
        for (Index c = 0; c < mesh.n_cells(); ++c) {
            if (mesh.cell_region[c] != r || mesh.cell_types[c] == CellType::tetrahedron) continue;
            for (const Index p : mesh.cell(c)) out.cell_points.push_back(numbered(p, mesh.points[p]));
            end_cell(mesh.cell_types[c], r);
        }
        const TetComplex& complex = parts[r].complex;
        std::vector<Index> fresh(complex.points().size(), kNone);
        for (Index t = 0; t < complex.n_slots(); ++t) {
            if (complex.is_free(t)) continue;
            for (const Index v : complex.tet(t).v) {
                if (v < parts[r].point.size()) {
                    out.cell_points.push_back(numbered(parts[r].point[v], complex.point(v)));
                    continue;
                }
                if (fresh[v] == kNone) {
                    fresh[v] = static_cast<Index>(out.points.size());
                    out.points.push_back(complex.point(v));
                }
                out.cell_points.push_back(fresh[v]);
            }
            end_cell(CellType::tetrahedron, r);
        }
    }
    for (Index z = 0; z < mesh.zones.size(); ++z) {
        const BoundaryZone& zone = mesh.zones[z];
        Zone own{zone.name, zone.role};
        own.other_name = zone.other_name;
        out.zones.push_back(std::move(own));
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            for (const Index p : mesh.face(f)) out.boundary_points.push_back(numbered(p, mesh.points[p]));
            out.boundary_offsets.push_back(out.boundary_points.size());
            out.boundary_zone.push_back(z);
        }
    }
    return out;
}

}  // namespace

VolumeMesh improve_mesh(const VolumeMesh& mesh, const ImproveOptions& options, const Context& context,
                        ImproveReport* report) {
    const ThreadLimit limit(context);
    refuse_unfit(mesh, options);
    ImproveReport own;
    ImproveReport& r = report != nullptr ? *report : own;
    r = {};
    if (mesh.is_plane()) return improve::improve_plane(mesh, options, context, r);
    r.before = r.after = assess(mesh, {}, context);
    r.sharp_before = r.sharp_after = sharp_cells(mesh, options.target);
    auto is_reached = [&] { return r.sharp_after.n == 0; };
    VolumeMesh best = mesh;
    constexpr int kSweeps = 2;
    // The bounds that the fill has are good for about 20 degrees.
    const double effort = std::max(1.0, options.target / 20);
    // The least change first; what it left may want its surroundings changed.
    for (const int sweeps : {0, kSweeps}) {
        const bool is_wanted = sweeps == 0 ? !is_reached() : !is_reached() || options.all_cells;
        if (!is_wanted) continue;
        std::vector<Part> parts = split(mesh);
        for (Part& part : parts)
            fill::optimise_in_chunks(part.complex,
                                     {.sweeps = sweeps,
                                      .with_new_points = options.may_add_cells,
                                      .may_grow = options.may_add_cells,
                                      .bad = 0.45 * effort,
                                      .very_bad = 0.2 * effort},
                                     context);
        ImproveReport tried = r;
        tried.points_moved = 0;
        tried.largest_move = 0;
        VolumeMesh better = assemble_mesh(join(mesh, parts, tried));
        tried.sharp_after = sharp_cells(better, options.target);
        const bool is_better =
            tried.sharp_after.n < r.sharp_after.n || (tried.sharp_after.n == r.sharp_after.n && options.all_cells);
        if (!is_better || tried.sharp_after.smallest < r.sharp_after.smallest * (1 - 1e-9)) continue;
        tried.after = assess(better, {}, context);
        best = std::move(better);
        r = std::move(tried);
    }
    r.is_reached = is_reached();
    return best;
}

}  // namespace anvilcast
