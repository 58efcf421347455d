#include "fill/dual.hpp"

#include <algorithm>
#include <numeric>

#include "base/thread_limit.hpp"
#include "fill/dual_faces.hpp"
#include "fill/dual_points.hpp"
#include "fill/dual_polish.hpp"

namespace anvilcast::fill {
namespace {

/// Faces in the order of a mesh: within regions, between them zone by zone, on the boundary zone by zone; each by owner
/// and neighbour.
std::vector<Index> order_of(const DualFaces& faces, std::size_t n_polyhedra, std::size_t n_zones) {
    auto sorted_by = [](const std::vector<Index>& list, std::size_t n_keys, const auto& key) {
        std::vector<std::size_t> at(n_keys + 1, 0);
        for (const Index f : list) ++at[key(f) + 1];
        std::partial_sum(at.begin(), at.end(), at.begin());
        std::vector<Index> sorted(list.size());
        for (const Index f : list) sorted[at[key(f)]++] = f;
        return sorted;
    };
    std::vector<Index> list(faces.size());
    std::iota(list.begin(), list.end(), Index{0});
    list = sorted_by(list, n_polyhedra + 1, [&](Index f) {
        return faces.faces[f].neighbour == kNone ? n_polyhedra : std::size_t{faces.faces[f].neighbour};
    });
    list = sorted_by(list, n_polyhedra, [&](Index f) { return std::size_t{faces.faces[f].owner}; });
    return sorted_by(list, 2 * n_zones + 1, [&](Index f) {
        const DualFaces::Face& face = faces.faces[f];
        if (face.zone == kNone) return std::size_t{0};
        return 1 + face.zone + (face.neighbour == kNone ? n_zones : 0);
    });
}

}  // namespace

VolumeMesh dual_of(const VolumeMesh& mesh, const LayerSlots& slots, const DualOptions& options,
                   const Context& context) {
    const ThreadLimit limit(context);
    context.report("fill", "polyhedra", 0);
    const DualFrame frame(mesh, slots, options.feature_angle);
    const DualFaces faces = dual_faces(frame);
    context.report("fill", "polyhedra", 0.5);
    const std::size_t n = frame.n_polyhedra();

    VolumeMesh out;
    out.regions = mesh.regions;
    for (const BoundaryZone& z : mesh.zones) out.zones.push_back({z.name, z.role, 0, 0, z.other_name});
    out.cell_types.assign(n, CellType::polyhedron);
    out.cell_offsets.assign(n + 1, 0);
    for (Index p = 0; p < n; ++p) out.cell_region.push_back(frame.region_of(p));

    // Points are numbered as the faces meet them.
    DualNodes nodes{std::vector<Index>(frame.n_nodes(), kNone), {}};
    out.face_offsets.reserve(faces.size() + 1);
    out.face_offsets.push_back(0);
    out.face_points.reserve(faces.nodes.size());
    out.owner.reserve(faces.size());
    for (const Index f : order_of(faces, n, mesh.zones.size())) {
        const DualFaces::Face& face = faces.faces[f];
        for (const Node node : faces.face(f)) {
            Index& number = nodes.number_of[node];
            if (number == kNone) {
                number = static_cast<Index>(nodes.node_of.size());
                nodes.node_of.push_back(node);
            }
            out.face_points.push_back(number);
        }
        if (face.zone != kNone) {
            BoundaryZone& zone = out.zones[face.zone];
            if (zone.n_faces++ == 0) zone.first_face = out.owner.size();
        }
        out.face_offsets.push_back(out.face_points.size());
        out.owner.push_back(face.owner);
        if (face.neighbour != kNone) out.neighbour.push_back(face.neighbour);
    }
    for (BoundaryZone& zone : out.zones)
        if (zone.n_faces == 0) zone.first_face = out.owner.size();
    const CellFaces cell_faces(out);
    place_points(frame, nodes, cell_faces, out);
    polish(frame, nodes, cell_faces, out);
    return out;
}

}  // namespace anvilcast::fill
