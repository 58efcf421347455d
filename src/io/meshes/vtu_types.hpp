// Numbers that VTU files have for cells.
#pragma once

#include <array>

namespace anvilcast::io {

/// By CellType: tetrahedron, pyramid, wedge, hexahedron, polyhedron.
inline constexpr std::array<int, 5> kVtkType{10, 14, 13, 12, 42};
inline constexpr int kVtkLine = 3, kVtkTriangle = 5, kVtkPolygon = 7, kVtkQuad = 9, kVtkPolyhedron = 42, kVtkVoxel = 11,
                     kVtkHexahedron = 12, kVtkPrism = 13;

}  // namespace anvilcast::io
