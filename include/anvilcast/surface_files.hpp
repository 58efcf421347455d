// Surface files of any kind, in and out: STL, OBJ, PLY, each plain or gzip-compressed; STEP, IGES and BREP through the
// CAD component.
//
//     SurfaceFile body = read_surface("body.step");                              // CAD knows its unit
//     SurfaceFile scan = read_surface("scan.ply.gz", {.unit = parse_length_unit("mm")});
//     write_surface("body.stl", body.surface, parse_length_unit("mm"));
//
// What a file says is checked before it is believed: memory stays within a small multiple of the file's size, and what
// is wrong ends in an InputError with the line or byte.
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <atomic>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace anvilcast {

struct ReadSurfaceOptions {
    /// Of the numbers in the file. Needed for formats that do not say (all but STEP and IGES), and not allowed to
    /// differ from what the file says.
    std::optional<LengthUnit> unit = {};
    /// CAD faces become triangles within this distance of them, metres; 0: a two-thousandth of the model's diagonal.
    /// Never more than a two-hundredth of that.
    double chord = 0;
    double angle = 10;  ///< degrees between the normals of neighbouring triangles of a CAD face, at most
    /// Seconds of the processor that a CAD file may take, and no more than that many; 0: as many as a sound file of its
    /// size needs by far, for damaged ones may take for ever.
    double patience = 0;
    const std::atomic<bool>* stop = nullptr;  ///< set from elsewhere to stop the reading of a CAD file
};

struct SurfaceFile {
    Surface surface;                    ///< equal points welded, unused points dropped
    LengthUnit unit;                    ///< of the file
    bool knows_unit = false;            ///< the file says its unit itself
    bool is_cad = false;                ///< each zone is a CAD face, or the faces of one name
    std::size_t triangles_dropped = 0;  ///< those with two corners in one place
    std::vector<std::string> warnings;
};

/// Reads a file of a kind known by its ending (.stl .obj .ply .step .stp .iges .igs .brep, .gz after the first three).
/// Zones come from solids (STL), objects, groups and materials (OBJ), a face property `zone` with comments (PLY) and
/// names, layers or colours of faces (CAD); a file without any is one zone of its name. Each zone knows its part: the
/// CAD body, or the file. CAD files are read in a forked process, so that one that is damaged cannot take this one with
/// it.
ANVILCAST_API SurfaceFile read_surface(const std::filesystem::path& file, const ReadSurfaceOptions& options = {});

/// Copies a file as it is, whole or not at all.
ANVILCAST_API void copy_surface_file(const std::filesystem::path& from, const std::filesystem::path& to);

/// Is this a name that read_surface() takes for a surface?
ANVILCAST_API bool is_surface_file(const std::filesystem::path& file);
/// Does a file of this name say its unit itself?
ANVILCAST_API bool states_unit(const std::filesystem::path& file);
/// Was the library built with the CAD component?
ANVILCAST_API bool can_read_cad();

/// The same from memory; `name` stands for the file in messages and zones. `triangles_dropped`: how many had two
/// corners in one place; `others_skipped`: how many lines, points, curves and curved surfaces there were beside faces.
ANVILCAST_API Surface parse_obj(std::string_view content, const std::string& name, const LengthUnit& unit,
                                std::size_t* triangles_dropped = nullptr, std::size_t* others_skipped = nullptr);
ANVILCAST_API Surface parse_ply(std::string_view content, const std::string& name, const LengthUnit& unit,
                                std::size_t* triangles_dropped = nullptr);
/// Unpacks gzip data. What unpacks to more than fifty times its size is refused.
ANVILCAST_API std::string gunzip(std::string_view packed, const std::string& name);

/// Writes .stl, .obj or .ply, with .gz after it compressed. STL and PLY are binary unless `ascii`; the file appears
/// whole or not at all. Binary STL keeps no zones: ASCII STL has a solid for each, OBJ a group, PLY a face property.
ANVILCAST_API void write_surface(const std::filesystem::path& file, const Surface& surface, const LengthUnit& unit,
                                 bool ascii = false);

}  // namespace anvilcast
