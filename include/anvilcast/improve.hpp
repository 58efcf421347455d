// A better mesh from one that is there: its worst tetrahedra are raised, everything else stays.
//
//     ImproveReport report;
//     VolumeMesh better = improve_mesh(mesh, {.target = 20}, context, &report);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/volume_mesh.hpp>

namespace anvilcast {

struct ImproveOptions {
    double target = 15;          ///< smallest dihedral angle of the tetrahedra to reach, degrees
    bool all_cells = false;      ///< sweep over all tetrahedra for a better mean too, be the target reached or not
    bool may_add_cells = false;  ///< allow more cells than there were, and new points within
};

/// The dihedral angles of a mesh's tetrahedra; of a plane mesh the corner angles of its cells.
struct SharpCells {
    double smallest = 180;  ///< degrees
    std::size_t n = 0;      ///< tetrahedra with an angle below the one asked for
};

struct ImproveReport {
    QualityReport before, after;
    SharpCells sharp_before, sharp_after;
    std::size_t points_moved = 0;
    double largest_move = 0;  ///< metres
    Vec3 largest_move_at;     ///< where the point was
    bool is_reached = false;
};

/// Moves inner points, swaps and collapses edges and flips faces, until the worst tetrahedron has the angle asked for
/// or nothing gets better. Boundary, interfaces, baffles and all cells that are no tetrahedra stay to the last bit, so
/// the shape is unchanged and layers keep their heights; tetrahedra stay in their regions. First only the worst cells
/// are touched, the others when that is not enough. Cells are numbered anew, region by region, those that are no
/// tetrahedra first. In a plane mesh points within move, and edges between triangles are flipped, until the smallest
/// corner angle of every cell is the target (of quadrangles the largest one counts too); beside triangles quadrangles
/// stay. The same mesh on any number of threads. Throws InputError for a mesh that find_faults() finds
/// something in, or with polyhedra.
ANVILCAST_API VolumeMesh improve_mesh(const VolumeMesh& mesh, const ImproveOptions& options = {},
                                      const Context& context = {}, ImproveReport* report = nullptr);

}  // namespace anvilcast
