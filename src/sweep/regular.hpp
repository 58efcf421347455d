// Swept meshes put down face by face: what lies beside what is known from the section.
#pragma once

#include <anvilcast/planar_mesh.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <vector>

namespace anvilcast::sweeping {

/// Of a sweep without an axis in the section: point p of layer k has the number k * n + p. A closed way round has no
/// ends; its last layer of cells goes back to the first points. The points are the caller's. O(n).
VolumeMesh regular_mesh(const PlanarMesh& section, std::size_t n_steps, bool is_closed, const Zone& first_end,
                        const Zone& last_end);

}  // namespace anvilcast::sweeping
