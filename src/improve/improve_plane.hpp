// A better plane mesh from one that is there.
#pragma once

#include <anvilcast/improve.hpp>

namespace anvilcast::improve {

/// As improve_mesh() does for tetrahedra: inner points move and edges between triangles are flipped, the worst cells
/// first, until the smallest corner angle of every cell is the target or nothing gets better. What is beside triangles
/// stays: in a mesh with both, quadrangles are layers.
VolumeMesh improve_plane(const VolumeMesh& sheet, const ImproveOptions& options, const Context& context,
                         ImproveReport& report);

}  // namespace anvilcast::improve
