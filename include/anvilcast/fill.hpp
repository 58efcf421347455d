// From a closed surface mesh and a size field to tetrahedra.
//
//     SizeField sizes = size_field_of_mesh(surface.surface, options);
//     VolumeMesh mesh = fill_with_tetrahedra(surface, sizes, {}, context);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/volume_mesh.hpp>

namespace anvilcast {

struct FillOptions {
    std::size_t max_cells = 0;  ///< the fill stops with an error well above this; 0: no limit
    bool optimise = true;
};

struct FillReport {
    std::size_t boundary_points_added = 0;  ///< by boundary recovery, on edges and triangles of the surface mesh
    std::size_t edges_flipped_in = 0;
    std::size_t faces_flipped_in = 0;
    std::size_t interior_points = 0;
    std::size_t insertions = 0;  ///< points put in by the optimisation
    double worst_shape = 0;      ///< 6 sqrt(2) volume / (rms edge)^3 of the worst cell, 1 for a regular one
};

/// Guarantees: (1) every cell has a positive volume, decided exactly; (2) every triangle of the surface mesh, or a
/// subdivision of it, is a face, in its zone, and every cell is in its region; (3) the same input gives the same mesh,
/// on any number of threads. Throws GeometryError when the surface is not closed or touches itself, FailureError when
/// max_cells is passed by half. Expected O(n log n).
ANVILCAST_API VolumeMesh fill_with_tetrahedra(const SurfaceMesh& surface, const SizeField& sizes,
                                              const FillOptions& options = {}, const Context& context = {},
                                              FillReport* report = nullptr);

}  // namespace anvilcast
