// Numbers that VTU files have for cells.
#pragma once

#include <array>

namespace anvilcast::io {

/// By CellType: tetrahedron, pyramid, wedge, hexahedron, polyhedron.
inline constexpr std::array<int, 5> kVtkType{10, 14, 13, 12, 42};
inline constexpr int kVtkTriangle = 5, kVtkPolygon = 7, kVtkQuad = 9, kVtkPolyhedron = 42, kVtkVoxel = 11;

}  // namespace anvilcast::io
