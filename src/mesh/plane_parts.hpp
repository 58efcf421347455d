// What files hold of a mesh: all of it, or of a plane one the lower half.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <algorithm>
#include <span>
#include <vector>

namespace anvilcast {

/// The corners of a cell; of a plane mesh those of its triangle or quadrangle.
inline std::span<const Index> cell_in_file(const VolumeMesh& mesh, std::size_t c) {
    const auto corners = mesh.cell(c);
    return corners.first(mesh.is_plane() ? corners.size() / 2 : corners.size());
}

/// The points of a face; of a plane mesh the two of its edge, with the owner on the left.
inline std::vector<Index> face_in_file(const VolumeMesh& mesh, std::size_t f) {
    const auto points = mesh.face(f);
    std::vector<Index> out(points.begin(), points.end());
    if (!mesh.is_plane()) return out;
    const std::size_t half = mesh.points.size() / 2;
    while (out[0] >= half || out[1] >= half) std::rotate(out.begin(), out.begin() + 1, out.end());
    out.resize(2);
    return out;
}

inline std::size_t n_points_in_file(const VolumeMesh& mesh) {
    return mesh.is_plane() ? mesh.points.size() / 2 : mesh.points.size();
}

/// Faces in zones that a file names.
inline std::size_t n_zone_faces_in_file(const VolumeMesh& mesh) {
    return mesh.n_faces() - mesh.n_plain_faces() - (mesh.is_plane() ? 2 * mesh.n_cells() : 0);
}

}  // namespace anvilcast
