#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/volume_mesh.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "assemble/face_order.hpp"

namespace anvilcast {
namespace {

void check(const FacesOfPolyhedra& in) {
    const std::size_t n = in.owner.size(), n_cells = in.cell_region.size();
    std::vector<Index> n_faces(n_cells, 0);
    for (std::size_t f = 0; f < n; ++f) {
        auto place = [&] {
            const Vec3& p = in.points[in.face_points[in.face_offsets[f]]];
            return fmt::format("near [{:.6g}, {:.6g}, {:.6g}] m", p.x, p.y, p.z);
        };
        if (in.face_offsets[f + 1] - in.face_offsets[f] < 3)
            throw InputError(fmt::format("face {} has fewer than three points", f));
        for (std::size_t k = in.face_offsets[f]; k < in.face_offsets[f + 1]; ++k)
            if (in.face_points[k] >= in.points.size())
                throw InputError(fmt::format("a face refers to point {}, but there are only {} points",
                                             in.face_points[k], in.points.size()));
        const Index own = in.owner[f], other = in.neighbour[f], zone = in.face_zone[f];
        if (own >= n_cells || (other != kNone && other >= n_cells))
            throw InputError(fmt::format("a face {} belongs to a cell that is not there", place()));
        if (own == other) throw InputError(fmt::format("a face {} has the same cell on both sides", place()));
        if (zone != kNone && zone >= in.zones.size())
            throw InputError(fmt::format("a face {} is in a zone that is not there", place()));
        if (zone == kNone && other == kNone) throw InputError(fmt::format("an outer face {} is in no zone", place()));
        const bool is_between = other != kNone && in.cell_region[own] != in.cell_region[other];
        const bool is_sheet = zone != kNone && is_within_region(in.zones[zone].role);
        if (other != kNone && is_between != (zone != kNone) && !is_sheet)
            throw InputError(zone == kNone ? fmt::format("a face between two regions {} is in no zone", place())
                                           : fmt::format("a face within a region {} is in a zone", place()));
        ++n_faces[own];
        if (other != kNone) ++n_faces[other];
    }
    for (std::size_t c = 0; c < n_cells; ++c) {
        if (n_faces[c] < 4) throw InputError(fmt::format("polyhedron {} has fewer than four faces", c));
        if (in.cell_region[c] >= in.regions.size())
            throw InputError(
                fmt::format("a cell refers to region {}, but there are only {}", in.cell_region[c], in.regions.size()));
    }
}

}  // namespace

VolumeMesh assemble_polyhedra(FacesOfPolyhedra&& in) {
    check(in);
    auto sides = [&in](Index f) {
        return FaceSides{std::min(in.owner[f], in.neighbour[f]),
                         in.neighbour[f] == kNone ? kNone : std::max(in.owner[f], in.neighbour[f]), in.face_zone[f]};
    };
    const std::size_t n = in.owner.size(), n_cells = in.cell_region.size();
    VolumeMesh mesh;
    mesh.face_points.reserve(in.face_points.size());
    for (const Zone& z : in.zones) mesh.zones.push_back(without_faces(z));
    mesh.cell_types.assign(n_cells, CellType::polyhedron);
    auto add_points = [&](Index f, std::vector<Index>& points) {
        const auto begin = in.face_points.begin() + static_cast<std::ptrdiff_t>(in.face_offsets[f]),
                   end = in.face_points.begin() + static_cast<std::ptrdiff_t>(in.face_offsets[f + 1]);
        if (sides(f).owner == in.owner[f])
            points.insert(points.end(), begin, end);
        else
            points.insert(points.end(), std::make_reverse_iterator(end), std::make_reverse_iterator(begin));
    };
    put_faces(n, sides, add_points, mesh);
    mesh.points = std::move(in.points);
    mesh.cell_offsets.assign(n_cells + 1, 0);
    mesh.cell_region = std::move(in.cell_region);
    mesh.regions = std::move(in.regions);
    mesh.periodic = std::move(in.periodic);
    return mesh;
}

}  // namespace anvilcast
