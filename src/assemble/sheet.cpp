// A plane mesh is drawn out to prisms and hexahedra between two zones of faces, its back and its front. Its triangles'
// angles are then the prisms', its areas their volumes over the depth, and lines between centres lie in the plane; so
// what is measured on the sheet is measured on the plane.

#include <anvilcast/errors.hpp>
#include <anvilcast/sheet.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "assemble/flat_cells.hpp"

namespace anvilcast {
namespace assemble {
namespace {

double twice_area(const CellsAndBoundary& flat, std::size_t cell) {
    double sum = 0;
    const Vec3& a = flat.points[flat.cell_points[flat.cell_offsets[cell]]];
    for (std::size_t k = flat.cell_offsets[cell] + 2; k < flat.cell_offsets[cell + 1]; ++k) {
        const Vec3 u = flat.points[flat.cell_points[k - 1]] - a, v = flat.points[flat.cell_points[k]] - a;
        sum += u.x * v.y - u.y * v.x;
    }
    return sum;
}

/// Lists of n items each become lists of 2 n, those above in the second half.
void draw_out_cells(CellsAndBoundary& flat, Index n_points) {
    std::vector<Index> points;
    points.reserve(2 * flat.cell_points.size());
    for (std::size_t c = 0; c < flat.cell_types.size(); ++c) {
        const std::span<const Index> corners(flat.cell_points.data() + flat.cell_offsets[c],
                                             flat.cell_offsets[c + 1] - flat.cell_offsets[c]);
        points.insert(points.end(), corners.begin(), corners.end());
        for (const Index p : corners) points.push_back(p + n_points);
    }
    flat.cell_points = std::move(points);
    for (std::size_t& offset : flat.cell_offsets) offset *= 2;
}

void draw_out_boundary(CellsAndBoundary& flat, Index n_points) {
    std::vector<Index> points;
    points.reserve(2 * flat.boundary_points.size());
    for (std::size_t k = 0; k + 1 < flat.boundary_points.size(); k += 2) {
        const Index a = flat.boundary_points[k], b = flat.boundary_points[k + 1];
        points.insert(points.end(), {a, b, b + n_points, a + n_points});
    }
    flat.boundary_points = std::move(points);
    for (std::size_t& offset : flat.boundary_offsets) offset *= 2;
}

void add_sides(CellsAndBoundary& flat) {
    for (const bool is_front : {false, true}) {
        const auto zone = static_cast<Index>(flat.zones.size());
        flat.zones.push_back({is_front ? "front of the plane" : "back of the plane", Role::symmetry});
        for (std::size_t c = 0; c < flat.cell_types.size(); ++c) {
            const std::size_t first = flat.cell_offsets[c], n = (flat.cell_offsets[c + 1] - first) / 2;
            for (std::size_t k = 0; k < n; ++k)
                flat.boundary_points.push_back(flat.cell_points[first + k + (is_front ? n : 0)]);
            flat.boundary_offsets.push_back(flat.boundary_points.size());
            flat.boundary_zone.push_back(zone);
        }
    }
}

}  // namespace

double draw_out(CellsAndBoundary& flat) {
    double area = 0;
    for (std::size_t c = 0; c < flat.cell_types.size(); ++c) {
        const double twice = twice_area(flat, c);
        const Vec3& at = flat.points[flat.cell_points[flat.cell_offsets[c]]];
        if (!(twice != 0) || !std::isfinite(twice))
            throw InputError(fmt::format("the cell at [{:.6g}, {:.6g}] m has no area", at.x, at.y));
        if (twice < 0)
            std::reverse(flat.cell_points.begin() + static_cast<std::ptrdiff_t>(flat.cell_offsets[c]),
                         flat.cell_points.begin() + static_cast<std::ptrdiff_t>(flat.cell_offsets[c + 1]));
        area += 0.5 * std::abs(twice);
    }
    const double depth = std::sqrt(area / static_cast<double>(std::max<std::size_t>(1, flat.cell_types.size())));
    const auto n_points = static_cast<Index>(flat.points.size());
    flat.points.reserve(2 * flat.points.size());
    for (Index p = 0; p < n_points; ++p) {
        flat.points[p].z = 0;
        flat.points.push_back({flat.points[p].x, flat.points[p].y, depth});
    }
    draw_out_cells(flat, n_points);
    draw_out_boundary(flat, n_points);
    add_sides(flat);
    return depth;
}

VolumeMesh in_order(VolumeMesh&& sheet, double depth) {
    // Walls that were split have points of their own behind all others.
    std::vector<Index> above(sheet.points.size(), kNone);
    for (std::size_t c = 0; c < sheet.n_cells(); ++c) {
        const auto corners = sheet.cell(c);
        const std::size_t n = corners.size() / 2;
        for (std::size_t k = 0; k < n; ++k) above[corners[k]] = corners[k + n];
    }
    std::vector<Index> number(sheet.points.size(), kNone);
    std::vector<Vec3> points(sheet.points.size());
    Index next = 0;
    const auto half = static_cast<Index>(sheet.points.size() / 2);
    for (std::size_t p = 0; p < above.size(); ++p) {
        if (above[p] == kNone) continue;
        number[p] = next;
        number[above[p]] = next + half;
        points[next] = sheet.points[p];
        points[next + half] = sheet.points[above[p]];
        ++next;
    }
    for (std::vector<Index>* list : {&sheet.cell_points, &sheet.face_points})
        for (Index& p : *list) p = number[p];
    sheet.points = std::move(points);
    sheet.plane_depth = depth;
    return std::move(sheet);
}

}  // namespace assemble

VolumeMesh sheet_of(const PlanarMesh& plane) {
    CellsAndBoundary flat;
    flat.points.reserve(2 * plane.points.size());
    for (const Vec2& p : plane.points) flat.points.push_back({p.x, p.y, 0});
    for (const auto& cell : plane.cells) {
        const int n = PlanarMesh::n_corners(cell);
        flat.cell_types.push_back(n == 3 ? CellType::prism : CellType::hexahedron);
        flat.cell_points.insert(flat.cell_points.end(), cell.begin(), cell.begin() + n);
        flat.cell_offsets.push_back(flat.cell_points.size());
    }
    flat.cell_region = plane.cell_region;
    for (const PlanarEdge& e : plane.edges) {
        flat.boundary_points.insert(flat.boundary_points.end(), {e.from, e.to});
        flat.boundary_offsets.push_back(flat.boundary_points.size());
        flat.boundary_zone.push_back(e.zone);
    }
    flat.zones = plane.zones;
    flat.regions = plane.regions;
    const double depth = assemble::draw_out(flat);
    return assemble::in_order(assemble_mesh(std::move(flat)), depth);
}

PlanarMesh plane_of(const VolumeMesh& sheet) {
    if (!sheet.is_plane()) throw InputError("the mesh is no plane one: its cells fill space");
    PlanarMesh out;
    const std::size_t half = sheet.points.size() / 2;
    for (std::size_t p = 0; p < half; ++p) out.points.push_back({sheet.points[p].x, sheet.points[p].y});
    for (std::size_t c = 0; c < sheet.n_cells(); ++c) {
        const auto corners = sheet.cell(c);
        std::array<Index, 4> cell{kNone, kNone, kNone, kNone};
        std::copy(corners.begin(), corners.begin() + static_cast<std::ptrdiff_t>(corners.size() / 2), cell.begin());
        out.cells.push_back(cell);
    }
    out.cell_region = sheet.cell_region;
    out.regions = sheet.regions;
    for (std::size_t z = 0; z < sheet.n_named_zones(); ++z) {
        const BoundaryZone& zone = sheet.zones[z];
        Zone named{zone.name, zone.role};
        named.other_name = zone.other_name;
        out.zones.push_back(std::move(named));
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            // Two of the four are below; the owner's on the left of the way from one to the other.
            const auto face = sheet.face(f);
            for (std::size_t k = 0; k < 4; ++k)
                if (face[k] < half && face[(k + 1) % 4] < half)
                    out.edges.push_back({face[k], face[(k + 1) % 4], static_cast<Index>(z)});
        }
    }
    return out;
}

}  // namespace anvilcast
