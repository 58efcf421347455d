// Polyhedra are read off a mesh corner by corner. Round cubes that mesh is completed first, by the cubes as they are:
// with more points on their edges and more faces on their sides than a hexahedron has, where finer cubes or halves of
// the hull's squares are behind. About a corner of eight cubes the polyhedron is a cube again.

#include <anvilcast/errors.hpp>

#include <algorithm>

#include "assemble/face_order.hpp"
#include "fill/fill_core.hpp"
#include "poly/dual.hpp"

namespace anvilcast::fill {
namespace {

class CubesIn {
  public:
    /// The mesh' last zone is the cubes' hull.
    CubesIn(const VolumeMesh& mesh, const CubesToCome& cubes)
        : m_(mesh), core_(cubes.core), wall_zones_(cubes.wall_zones), n_(mesh.n_cells()) {
        number_.assign(core_.points.size(), kNone);
        for (std::size_t t = 0; t < cubes.hull.size(); ++t) {
            for (std::size_t k = 0; k < 3; ++k) number_[core_.hull[t][k]] = cubes.hull[t][k];
            hull_.push_back({sorted(cubes.hull[t]), static_cast<Index>(n_ + core_.cube_of[t])});
        }
        std::sort(hull_.begin(), hull_.end());
    }

    VolumeMesh put_in() {
        VolumeMesh out;
        out.points = m_.points;
        out.regions = m_.regions;
        out.periodic = m_.periodic;
        for (std::size_t z = 0; z + 1 < m_.zones.size(); ++z) out.zones.push_back(without_faces(m_.zones[z]));
        auto add = [&](Index point) {
            if (number_[point] != kNone) return;
            number_[point] = static_cast<Index>(out.points.size());
            out.points.push_back(core_.points[point]);
        };
        for (const Index corner : core_.corners) add(corner);
        for (const cubes::Piece& wall : core_.walls)
            for (const Index p : wall)
                if (p != kNone) add(p);
        add_cells(out);
        const std::vector<FaceSides> sides = sides_of_faces();
        put_faces(
            sides.size(), [&](Index f) { return sides[f]; },
            [this](Index f, std::vector<Index>& points) { add_points(f, points); }, out);
        return out;
    }

  private:
    static Triangle sorted(Triangle t) {
        std::sort(t.begin(), t.end());
        return t;
    }

    /// The cell behind a face of the hull.
    Index cube_behind(std::size_t face) const {
        const auto p = m_.face(face);
        const Triangle corners = sorted({p[0], p[1], p[2]});
        const auto found = std::lower_bound(hull_.begin(), hull_.end(), std::pair{corners, Index{0}});
        if (found == hull_.end() || found->first != corners)
            throw InternalError("a face of the cubes' hull is not where it was");
        return found->second;
    }

    std::vector<FaceSides> sides_of_faces() const {
        std::vector<FaceSides> out;
        out.reserve(m_.n_faces() + core_.faces.owner.size());
        for (std::size_t f = 0; f < m_.n_faces(); ++f)
            out.push_back({m_.owner[f], f < m_.n_inner_faces() ? m_.neighbour[f] : kNone, kNone});
        for (Index z = 0; z < m_.zones.size(); ++z)
            for (std::size_t k = 0; k < m_.zones[z].n_faces; ++k) {
                const std::size_t f = m_.zones[z].first_face + k;
                if (z + 1 < m_.zones.size())
                    out[f].zone = z;
                else
                    out[f].neighbour = cube_behind(f);
            }
        const auto n = static_cast<Index>(n_);
        for (std::size_t f = 0; f < core_.faces.owner.size(); ++f)
            out.push_back({n + core_.faces.owner[f], n + core_.faces.neighbour[f], kNone});
        for (std::size_t w = 0; w < core_.walls.size(); ++w)
            out.push_back({n + core_.wall_cube[w], kNone, wall_zones_[w]});
        return out;
    }

    void add_points(Index f, std::vector<Index>& points) const {
        if (f < m_.n_faces()) {
            const auto p = m_.face(f);
            points.insert(points.end(), p.begin(), p.end());
            return;
        }
        const std::size_t g = f - m_.n_faces();
        if (g >= core_.faces.owner.size()) {
            for (const Index p : core_.walls[g - core_.faces.owner.size()])
                if (p != kNone) points.push_back(number_[p]);
            return;
        }
        for (std::size_t k = core_.faces.offsets[g]; k < core_.faces.offsets[g + 1]; ++k)
            points.push_back(number_[core_.faces.points[k]]);
    }

    /// All points of a cube are corners of its cell.
    void add_cells(VolumeMesh& out) const {
        std::vector<std::array<Index, 2>> corners;  // of each cube
        auto add = [&](Index cube, Index point) { corners.push_back({cube, point}); };
        for (Index c = 0; c < core_.types.size(); ++c)
            for (std::size_t k = core_.offsets[c]; k < core_.offsets[c + 1]; ++k) add(c, number_[core_.corners[k]]);
        for (std::size_t t = 0; t < core_.hull.size(); ++t)
            for (const Index p : core_.hull[t]) add(core_.cube_of[t], number_[p]);
        for (std::size_t w = 0; w < core_.walls.size(); ++w)
            for (const Index p : core_.walls[w])
                if (p != kNone) add(core_.wall_cube[w], number_[p]);
        for (std::size_t f = 0; f < core_.faces.owner.size(); ++f)
            for (std::size_t k = core_.faces.offsets[f]; k < core_.faces.offsets[f + 1]; ++k)
                for (const Index c : {core_.faces.owner[f], core_.faces.neighbour[f]})
                    add(c, number_[core_.faces.points[k]]);
        std::sort(corners.begin(), corners.end());
        corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
        out.cell_types = m_.cell_types;
        out.cell_region = m_.cell_region;
        out.cell_points = m_.cell_points;
        out.cell_offsets = m_.cell_offsets;
        auto at = corners.begin();
        for (Index c = 0; c < core_.types.size(); ++c) {
            for (; at != corners.end() && (*at)[0] == c; ++at) out.cell_points.push_back((*at)[1]);
            out.cell_types.push_back(CellType::polyhedron);
            out.cell_offsets.push_back(out.cell_points.size());
            out.cell_region.push_back(core_.region[c]);
        }
    }

    const VolumeMesh& m_;
    const cubes::CubeCore& core_;
    const std::vector<Index>& wall_zones_;
    std::size_t n_;
    std::vector<Index> number_;                     // of the cubes' points in the mesh
    std::vector<std::pair<Triangle, Index>> hull_;  // sorted: corners in order, and the cube's cell
};

void add_hull(const CubesToCome& cubes, CellsAndBoundary& cells) {
    const auto zone = static_cast<Index>(cells.zones.size());
    cells.zones.emplace_back();
    for (const Triangle& t : cubes.hull) {
        cells.boundary_points.insert(cells.boundary_points.end(), t.begin(), t.end());
        cells.boundary_offsets.push_back(cells.boundary_points.size());
        cells.boundary_zone.push_back(zone);
    }
}

}  // namespace

VolumeMesh made_polyhedra(CellsAndBoundary&& cells, const std::optional<CubesToCome>& cubes, poly::LayerSlots slots,
                          const Context& context, FillReport& report) {
    if (cubes) add_hull(*cubes, cells);
    VolumeMesh mesh = assemble_mesh(std::move(cells));
    if (cubes) {
        mesh = CubesIn(mesh, *cubes).put_in();
        if (!slots.cells.empty()) slots.cells.resize(mesh.n_cells() - slots.first_cell);
    }
    poly::DualCounts counts;
    VolumeMesh polyhedra = poly::dual_of(mesh, slots, {}, context, &counts);
    report.bad_polyhedra = counts.bad;
    report.merged_polyhedra = counts.merged;
    return polyhedra;
}

}  // namespace anvilcast::fill
