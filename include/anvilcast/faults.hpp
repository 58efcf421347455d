// Is it a mesh? The oracle, which shares nothing with what makes or measures meshes.
//
//     if (auto faults = find_faults(mesh); !faults.empty()) print(faults.front());  // not a mesh
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// What must hold for a mesh to be one; an empty list means valid. Checked: every cell is closed (each of its edges
/// lies on exactly two of its faces) and has a positive volume; faces point from owner to neighbour; every boundary
/// face is in exactly one zone; the boundary of every region is closed; points are finite; the faces of the second zone
/// of a periodic pair are the images of the first one's, to 1e-9 of the extent. Each fault names a place.
/// Shares no code with what makes meshes. O(n log n).
ANVILCAST_API std::vector<std::string> find_faults(const VolumeMesh& mesh, std::size_t max_faults = 10,
                                                   const Context& context = {});

}  // namespace anvilcast
