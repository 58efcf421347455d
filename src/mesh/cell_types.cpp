#include <anvilcast/volume_mesh.hpp>

#include <array>

namespace anvilcast {

const char* cell_type_name(CellType type, bool is_of_plane) {
    if (is_of_plane && type == CellType::prism) return "triangles";
    if (is_of_plane && type == CellType::hexahedron) return "quadrangles";
    constexpr std::array<const char*, 5> kNames{"tetrahedra", "pyramids", "prisms", "hexahedra", "polyhedra"};
    return kNames[static_cast<std::size_t>(type)];
}

int n_corners(CellType type) {
    constexpr std::array<int, 5> kCorners{4, 5, 6, 8, 0};
    return kCorners[static_cast<std::size_t>(type)];
}

std::span<const std::vector<int>> cell_faces(CellType type) {
    static const std::array<std::vector<std::vector<int>>, 5> kFaces{{
        {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}},
        {{0, 3, 2, 1}, {0, 1, 4}, {1, 2, 4}, {2, 3, 4}, {3, 0, 4}},
        {{0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}, {0, 2, 1}, {3, 4, 5}},
        {{0, 3, 2, 1}, {0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {0, 4, 7, 3}, {4, 5, 6, 7}},
        {},
    }};
    return kFaces[static_cast<std::size_t>(type)];
}

}  // namespace anvilcast
