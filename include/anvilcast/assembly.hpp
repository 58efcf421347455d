// Volume meshes put together from cells, or from faces.
//
//     VolumeMesh mesh = assemble_mesh(std::move(cells_and_boundary));
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <vector>

namespace anvilcast {

/// A mesh of standard cells and the triangles or quadrangles of its boundary, as files hold them.
struct CellsAndBoundary {
    std::vector<Vec3> points;
    std::vector<CellType> cell_types;
    std::vector<std::size_t> cell_offsets{0};
    std::vector<Index> cell_points;
    std::vector<Index> cell_region;
    std::vector<std::size_t> boundary_offsets{0};
    std::vector<Index> boundary_points;
    std::vector<Index> boundary_zone;
    std::vector<Zone> zones;
    std::vector<Region> regions;
    std::vector<PeriodicPair> periodic = {};
};

/// Finds the faces of the cells and joins the boundary's triangles to them. A boundary face that lies between two cells
/// (a baffle) becomes two faces, one for each cell, with points of their own but at its free edges; unless its zone's
/// role is interface and the cells are of two regions, or it is one within a region and they are of one. Throws
/// InputError when a cell refers to a point that is not there, when more than two cells share a face, when an outer
/// face or one between two regions is in no zone, or when a boundary face belongs to no cell. O(n log n).
ANVILCAST_API VolumeMesh assemble_mesh(CellsAndBoundary&& cells);

/// A mesh of polyhedra by its faces, in any order.
struct FacesOfPolyhedra {
    std::vector<Vec3> points;
    std::vector<std::size_t> face_offsets{0};
    std::vector<Index> face_points;  ///< counter-clockwise seen from outside of the owner
    std::vector<Index> owner;
    std::vector<Index> neighbour;  ///< of every face; kNone on the boundary
    std::vector<Index> face_zone;  ///< kNone between two cells of one region
    std::vector<Index> cell_region;
    std::vector<Zone> zones;
    std::vector<Region> regions;
    std::vector<PeriodicPair> periodic = {};
};

/// Puts the faces in order, and turns those round whose owner has the higher number. Throws InputError as
/// assemble_mesh does, and when a face has fewer than three points or a cell fewer than four faces. O(n).
ANVILCAST_API VolumeMesh assemble_polyhedra(FacesOfPolyhedra&& faces);

}  // namespace anvilcast
