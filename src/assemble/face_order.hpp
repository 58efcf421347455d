// The order of faces in a mesh, and meshes whose faces are put in by it.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <numeric>
#include <vector>

namespace anvilcast {

struct FaceSides {
    Index owner, neighbour;  ///< the owner has the lower number; neighbour kNone on the boundary
    Index zone;              ///< kNone within a region
};

/// Faces within regions, those between them zone by zone, those of the boundary zone by zone; each by owner and
/// neighbour, alike ones as they come. `sides(f)`: of face f of n. O(n).
template <typename Sides>
std::vector<Index> face_order(std::size_t n, std::size_t n_cells, std::size_t n_zones, const Sides& sides) {
    auto sorted_by = [](const std::vector<Index>& list, std::size_t n_keys, const auto& key) {
        std::vector<Index> at(n_keys + 1, 0);
        for (const Index f : list) ++at[key(f) + 1];
        std::partial_sum(at.begin(), at.end(), at.begin());
        std::vector<Index> sorted(list.size());
        for (const Index f : list) sorted[at[key(f)]++] = f;
        return sorted;
    };
    std::vector<Index> list(n);
    std::iota(list.begin(), list.end(), Index{0});
    list = sorted_by(list, n_cells + 1, [&](Index f) {
        const Index other = sides(f).neighbour;
        return other == kNone ? n_cells : std::size_t{other};
    });
    list = sorted_by(list, n_cells, [&](Index f) { return std::size_t{sides(f).owner}; });
    return sorted_by(list, 2 * n_zones + 1, [&](Index f) {
        const FaceSides s = sides(f);
        return s.zone == kNone ? std::size_t{0} : 1 + s.zone + (s.neighbour == kNone ? n_zones : 0);
    });
}

/// Puts n faces into a mesh that has cells and zones, in their order. `add_points(f, points)` appends those of a face.
template <typename Sides, typename AddPoints>
void put_faces(std::size_t n, const Sides& sides, const AddPoints& add_points, VolumeMesh& mesh) {
    mesh.face_offsets.assign(1, 0);
    mesh.face_offsets.reserve(n + 1);
    mesh.owner.reserve(n);
    for (const Index f : face_order(n, mesh.n_cells(), mesh.zones.size(), sides)) {
        add_points(f, mesh.face_points);
        const FaceSides s = sides(f);
        if (s.zone != kNone) {
            BoundaryZone& zone = mesh.zones[s.zone];
            if (zone.n_faces++ == 0) zone.first_face = mesh.owner.size();
        }
        mesh.face_offsets.push_back(mesh.face_points.size());
        mesh.owner.push_back(s.owner);
        if (s.neighbour != kNone) mesh.neighbour.push_back(s.neighbour);
    }
    for (BoundaryZone& zone : mesh.zones)
        if (zone.n_faces == 0) zone.first_face = mesh.owner.size();
}

}  // namespace anvilcast
