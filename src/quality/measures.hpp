// Geometry of cells and faces, shared by the checks and the metrics. Cells' is computed once, faces' on the way: kept
// for all faces it would be two thirds of the memory.
#pragma once

#include <anvilcast/volume_mesh.hpp>
#include <vector>

#include "base/large_pages.hpp"
#include "mesh/cell_faces.hpp"

namespace anvilcast::quality {

struct FaceMeasure {
    Vec3 area;    ///< area vector, pointing from owner to neighbour
    Vec3 center;  ///< area centroid
    Vec3 apex;    ///< where the triangles meet that it is taken as: the mean of its points
};

FaceMeasure measure_face(const VolumeMesh& mesh, std::size_t f);

struct Measures {
    explicit Measures(const VolumeMesh& mesh);

    CellFaces faces;
    struct Cell {
        Vec3 center;  ///< its centroid
        double volume = 0;
    };
    LargeVector<Cell> cell;
};

}  // namespace anvilcast::quality
