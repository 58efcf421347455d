// Periodic sides in the words of the CGNS standard.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <array>
#include <vector>

namespace anvilcast::io {

/// What a Periodic_t node says: a turn by angles about x, then y, then z, through a centre, and a way after it.
struct PeriodicValues {
    std::array<float, 3> center{}, angle{}, way{};
};
/// Angles in radians.
PeriodicValues periodic_values(const Placement& image);
/// `degrees`: of the file's unit of angles.
Placement placement_of(const PeriodicValues& values, double metres, double degrees);

/// The faces of a pair that are each other's image, the first zone's first, in the order of the first zone. Faces
/// without a counterpart are left out. O(n log n).
std::vector<std::array<std::size_t, 2>> faces_of_pair(const VolumeMesh& mesh, const PeriodicPair& pair);

}  // namespace anvilcast::io
