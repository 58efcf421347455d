// A small cell-centred finite-volume solver: what a mesh is for.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <functional>
#include <vector>

namespace anvilcast::kit {

/// Centres, area vectors and volumes, by code of the tests' own.
struct Cells {
    explicit Cells(const VolumeMesh& mesh);

    std::vector<Vec3> face_center, face_area, cell_center;  ///< area vectors from owner to neighbour
    std::vector<double> volume;
    double worst_gap = 0;  ///< largest sum of area vectors of a cell over the sum of their lengths
};

/// What all but a thousandth of the faces keep to, the share of cells whose centre does not see all their faces from
/// inside, and faces for each cell.
struct PolyhedraFigures {
    double non_orthogonality = 0, warp = 0, unseen = 0, faces = 0;
};
PolyhedraFigures polyhedra_figures(const VolumeMesh& mesh);

/// Largest error of least-squares gradients of a linear field with gradient of length 1.
double linear_gradient_error(const VolumeMesh& mesh);

/// Solves -div grad u = f with u given on the boundary but for symmetry planes, where its slope is 0, and for sides
/// that repeat by a move, over which it goes on; the faces' gradients corrected for non-orthogonality, and returns the
/// root mean square of the error against the exact solution, by volume.
double poisson_error(const VolumeMesh& mesh, const std::function<double(const Vec3&)>& exact,
                     const std::function<double(const Vec3&)>& source);

}  // namespace anvilcast::kit
