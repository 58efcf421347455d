#include "poly/dual.hpp"

#include <algorithm>

#include "assemble/face_order.hpp"
#include "base/thread_limit.hpp"
#include "poly/faces.hpp"
#include "poly/match_sides.hpp"
#include "poly/merge.hpp"
#include "poly/points.hpp"
#include "poly/polish.hpp"

namespace anvilcast::poly {

VolumeMesh dual_of(const VolumeMesh& mesh, const LayerSlots& slots, const DualOptions& options, const Context& context,
                   DualCounts* counts) {
    const ThreadLimit limit(context);
    context.report("fill", "polyhedra", 0);
    const DualFrame frame(mesh, slots, options.feature_angle);
    DualFaces faces = dual_faces(frame);
    context.report("fill", "polyhedra", 0.5);
    const std::size_t n = frame.n_polyhedra();

    VolumeMesh out;
    out.regions = mesh.regions;
    out.periodic = mesh.periodic;
    for (const BoundaryZone& z : mesh.zones) out.zones.push_back(without_faces(z));
    out.cell_types.assign(n, CellType::polyhedron);
    out.cell_offsets.assign(n + 1, 0);
    for (Index p = 0; p < n; ++p) out.cell_region.push_back(frame.region_of(p));

    // Points are numbered as the faces meet them.
    DualNodes nodes{std::vector<Index>(frame.n_nodes(), kNone), {}};
    out.face_points.reserve(faces.nodes.size());
    auto sides = [&faces](Index f) {
        const DualFaces::Face& face = faces.faces[f];
        return FaceSides{face.owner, face.neighbour, face.zone};
    };
    auto add_points = [&](Index f, std::vector<Index>& points) {
        for (const Node node : faces.face(f)) {
            Index& number = nodes.number_of[node];
            if (number == kNone) {
                number = static_cast<Index>(nodes.node_of.size());
                nodes.node_of.push_back(node);
            }
            points.push_back(number);
        }
    };
    put_faces(faces.size(), sides, add_points, out);
    faces = {};
    const CellFaces cell_faces(out);
    std::vector<Vec3> centroids = place_points(frame, nodes, cell_faces, out);
    context.check_stop();
    context.report("fill", "polyhedra", 0.8);
    const std::size_t bad = polish(frame, nodes, cell_faces, std::move(centroids), out);
    const std::size_t merged = merge_unsound(out);
    match_sides(out);
    if (counts != nullptr) *counts = {bad, merged};
    return out;
}

}  // namespace anvilcast::poly
