// Geometry of cells and faces, computed once and shared by the checks and the metrics.
#pragma once

#include <anvilcast/volume_mesh.hpp>
#include <vector>

namespace anvilcast::quality {

struct Measures {
    std::vector<std::size_t> first;  ///< n_cells + 1 places in faces
    std::vector<Index> faces;        ///< of each cell, ascending
    std::vector<Vec3> face_center;
    std::vector<Vec3> face_area;  ///< area vector, pointing from owner to neighbour
    std::vector<Vec3> cell_center;
    std::vector<double> cell_volume;

    std::span<const Index> faces_of(std::size_t cell) const {
        return {faces.data() + first[cell], first[cell + 1] - first[cell]};
    }
};

Measures measure(const VolumeMesh& mesh);

}  // namespace anvilcast::quality
