// Plane meshes as sheets of one cell, and back.
//
//     VolumeMesh sheet = sheet_of(mesh_plane(request).mesh);
//     write_cgns("section.cgns", sheet);          // a file of two dimensions
//     QualityReport report = assess(sheet);       // areas, angles and skewness of triangles and quadrangles
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/planar_mesh.hpp>
#include <anvilcast/volume_mesh.hpp>

namespace anvilcast {

/// As deep as the square root of the mean area of its cells. Throws InputError where assemble_mesh does. O(n log n).
ANVILCAST_API VolumeMesh sheet_of(const PlanarMesh& plane);

/// Throws InputError for a mesh that is no plane one. O(n).
ANVILCAST_API PlanarMesh plane_of(const VolumeMesh& sheet);

}  // namespace anvilcast
