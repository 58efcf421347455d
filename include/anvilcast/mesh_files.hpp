// Volume meshes in files: CGNS (the standard for CFD data) and VTU (for pictures).
//
//     write_cgns("mesh.cgns", mesh);
//     VolumeMesh back = read_mesh("mesh.cgns");
//
// CGNS: one base with SI units and one zone; cells in a section for each type, boundary faces in a section for each of
// our zones, which is a BC_t of the standard's type with a family of that name. The region is the zone's family.
// Polyhedra: the faces in NGON_n sections, those inside and those of each zone, and the cells in one of NFACE_n.
// VTU: unstructured grid with 64-bit headers, appended raw data, compressed with zlib. Cells first, then the boundary
// faces as cells of their own; the cell arrays "region" and "zone" (-1 for cells) tell them apart, the names stand in
// the field data.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <filesystem>
#include <string>
#include <vector>

namespace anvilcast {

/// A value for each face that is in a zone, in their order.
struct FaceField {
    std::string name;
    std::vector<double> values;
};

/// A value for each cell.
struct CellField {
    std::string name;
    std::vector<double> values;
};

/// The file appears whole or not at all. Fields are more cell arrays, 0 on the faces in zones or on the cells. Throws
/// FailureError when it cannot be written.
ANVILCAST_API void write_cgns(const std::filesystem::path& file, const VolumeMesh& mesh, const Context& context = {});
ANVILCAST_API void write_vtu(const std::filesystem::path& file, const VolumeMesh& mesh,
                             const std::vector<FaceField>& fields = {}, const std::vector<CellField>& cell_fields = {});

/// What regions and zones are called in a CGNS file: names there have at most 32 bytes, each once, and no "/". The
/// whole name of a longer one stands in a descriptor beside it, and is read back.
struct CgnsNames {
    std::vector<std::string> regions, zones;
    std::vector<std::string> other_zones;  ///< of interfaces, from the other side; of other zones as `zones`
};
ANVILCAST_API CgnsNames cgns_names(const VolumeMesh& mesh);

/// Read files of standard cells, or of polyhedra alone, with every outer face in a zone, ours in particular. Throw
/// InputError with what is wrong. CGNS files are read in a forked process, so that one that is damaged cannot take this
/// one with it.
ANVILCAST_API VolumeMesh read_cgns(const std::filesystem::path& file, const Context& context = {});
ANVILCAST_API VolumeMesh read_vtu(const std::filesystem::path& file);

/// By the file's ending.
ANVILCAST_API VolumeMesh read_mesh(const std::filesystem::path& file, const Context& context = {});
ANVILCAST_API void write_mesh(const std::filesystem::path& file, const VolumeMesh& mesh, const Context& context = {});

/// The boundary of a mesh, or one zone of it, as a surface; normals point out.
ANVILCAST_API Surface boundary_surface(const VolumeMesh& mesh);

/// A surface as a VTU file of triangles: the cell array "zone" numbers the zones, whose names stand in the field data.
/// Coordinates in metres.
ANVILCAST_API void write_surface_vtu(const std::filesystem::path& file, const Surface& surface);

/// Lines through given places, one for each path, to look at beside the geometry: .vtu (polylines) or .ply (edges), by
/// the ending. Coordinates in metres.
ANVILCAST_API void write_paths(const std::filesystem::path& file, const std::vector<std::vector<Vec3>>& paths);

}  // namespace anvilcast
