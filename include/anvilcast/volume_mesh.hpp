// The volume mesh: what the fill makes, the assessment judges and the export writes.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/vectors.hpp>
#include <anvilcast/zones.hpp>
#include <cstddef>
#include <span>
#include <string>
#include <vector>

namespace anvilcast {

enum class CellType : unsigned char { tetrahedron, pyramid, prism, hexahedron, polyhedron };
/// In a plane mesh prisms are "triangles" and hexahedra "quadrangles".
ANVILCAST_API const char* cell_type_name(CellType type, bool is_of_plane = false);

/// A named run of faces: of the boundary, or, when the role is interface, of the faces between two regions, or, when it
/// is one within a region, of inner faces of one region.
struct BoundaryZone {
    std::string name;
    Role role = Role::wall;
    std::size_t first_face = 0;
    std::size_t n_faces = 0;
    /// Of an interface: its name as seen from the region with the higher number; `name` is the other one's.
    std::string other_name = {};
    std::string bc_type = {};  ///< see BoundaryRole

    BoundaryRole boundary_role() const { return {role, bc_type}; }
};

/// A zone as a mesh has it, still without faces.
inline BoundaryZone without_faces(const Zone& zone) {
    return {zone.name, zone.role, 0, 0, zone.other_name, zone.bc_type};
}
inline BoundaryZone without_faces(const BoundaryZone& zone) {
    return {zone.name, zone.role, 0, 0, zone.other_name, zone.bc_type};
}

/// Cells and faces over shared points.
/// Faces: those between two cells come first, the ones in a zone (between regions, or of a sheet within one) last among
/// them, zone after zone; then the boundary, likewise. A face's points turn
/// counter-clockwise seen from outside of its owner, so its normal points from owner to neighbour; the owner of an
/// inner face is the cell with the lower number.
/// Cells: the corners of the standard types in the order of the CGNS standard (a tetrahedron's fourth corner is on the
/// side that the normal of the first three points to). A polyhedron has no entry in cell_points: its faces are it.
struct VolumeMesh {
    std::vector<Vec3> points;

    std::vector<CellType> cell_types;
    std::vector<std::size_t> cell_offsets;  ///< n_cells + 1 places in cell_points
    std::vector<Index> cell_points;
    std::vector<Index> cell_region;

    std::vector<std::size_t> face_offsets;  ///< n_faces + 1 places in face_points
    std::vector<Index> face_points;
    std::vector<Index> owner;      ///< of each face
    std::vector<Index> neighbour;  ///< of the inner faces only

    std::vector<BoundaryZone> zones;
    std::vector<Region> regions;
    std::vector<PeriodicPair> periodic;

    /// Above 0: a plane mesh, drawn out to a sheet of one cell by so many metres, so that all that knows meshes knows
    /// it. The upper half of the points lies above the lower one, and the last two zones are the sheet's two sides;
    /// files hold neither. See <anvilcast/sheet.hpp>.
    double plane_depth = 0;
    bool is_plane() const { return plane_depth > 0; }
    /// Zones that a user knows of.
    std::size_t n_named_zones() const { return zones.size() - (is_plane() ? 2 : 0); }

    std::size_t n_cells() const { return cell_types.size(); }
    std::size_t n_faces() const { return owner.size(); }
    std::size_t n_inner_faces() const { return neighbour.size(); }
    /// The faces in no zone: those between two cells of one region. They come first.
    std::size_t n_plain_faces() const {
        std::size_t n = n_faces();
        for (const BoundaryZone& zone : zones) n -= std::min(n, zone.n_faces);
        return n;
    }
    std::span<const Index> face(std::size_t f) const {
        return {face_points.data() + face_offsets[f], face_offsets[f + 1] - face_offsets[f]};
    }
    std::span<const Index> cell(std::size_t c) const {
        return {cell_points.data() + cell_offsets[c], cell_offsets[c + 1] - cell_offsets[c]};
    }
};

/// The corner numbers of each face of a standard cell, counter-clockwise seen from outside.
ANVILCAST_API std::span<const std::vector<int>> cell_faces(CellType type);
ANVILCAST_API int n_corners(CellType type);

}  // namespace anvilcast
