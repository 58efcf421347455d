// Hexahedra for the inside of regions, and the hull that the belt of other cells round them begins at.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/cube_layout.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <vector>

#include "cubes/faces.hpp"

namespace anvilcast::cubes {

/// Faces between cubes that are kept whole: polygons, counter-clockwise seen from outside of their owner, which has the
/// lower number.
struct CubeFaces {
    std::vector<std::size_t> offsets{0};
    std::vector<Index> points;
    std::vector<Index> owner, neighbour;
};

/// Standard cells that share all their faces, but for those of the hull.
struct CubeCore {
    std::vector<Vec3> points;
    std::vector<CellType> types;
    std::vector<std::size_t> offsets{0};
    std::vector<Index> corners;
    std::vector<Index> region;   ///< of each cell
    std::vector<Triangle> hull;  ///< normals point out of the cubes
    std::vector<Index> hull_region;
    /// Of cubes that are kept whole, all of them hexahedra here, though with more points on their edges and sides.
    CubeFaces faces;
    std::vector<Index> cube_of;  ///< of each triangle of the hull
    /// Triangles and squares that take the place of the boundary's; normals point out of the cubes.
    std::vector<Piece> walls;
    std::vector<Index> wall_patch;  ///< of each of them: a number of `patch_of`
    std::vector<Index> wall_cube;   ///< and its cube, where these are kept whole
    std::vector<Index> patch_of;    ///< of each triangle of the boundary; kNone for one that stays as it is
    std::size_t n_cubes = 0;        ///< that stayed whole
    double cube_volume = 0;         ///< of all cubes, whole or divided, m^3
    double places_of_cells = 0;     ///< the sum over all cubes of volume over the size asked for, cubed
    /// Edges of the cubes, largest first, and how many there are.
    std::vector<std::pair<double, std::size_t>> edges;

    bool empty() const { return types.empty(); }
};

struct CubeOptions {
    double most_over = 1.2;  ///< an edge is at most so many times the size asked for
    CubeLayout layout = {};
    double clearance = 1.6;            ///< of a cube's centre from the boundary, in its edges, at least
    std::vector<double> heights = {};  ///< of each triangle of the boundary, of what is still to stand on it; empty: 0
    std::vector<Vec3> turned = {};     ///< squares of the hull with one of these places are halved the other way
    /// No cube is cut up: its sides have as many faces as there are cubes behind, which is enough for polyhedra about
    /// the points.
    bool keep_whole = false;
    std::vector<Vec3> avoid = {};  ///< no cube stands within two of its edges of these places
    /// Of each triangle of the boundary: cubes may stand on it, and their sides take its place, where it lies in a side
    /// of the boundary's box. Empty: on none.
    std::vector<char> may_carry = {};
};

/// On which triangles cubes may stand, as far as the boundary tells: those of one region, with nothing behind them and
/// no image elsewhere.
std::vector<char> triangles_that_carry(const SurfaceMesh& boundary);

/// Whole cubes are hexahedra; those beside finer ones, and those at the hull, are divided into pyramids and tetrahedra
/// round their centre, unless all are to be kept whole. Empty where no cube fits. O(n log n) for n cubes; the same on
/// any number of threads. Throws InputError for a layout that is none.
CubeCore make_cubes(const SurfaceMesh& boundary, const SizeField& sizes, const CubeOptions& options = {},
                    const Context& context = {});

}  // namespace anvilcast::cubes
