#include <anvilcast/formats.hpp>

#include <algorithm>
#include <array>
#include <functional>

#include "io/files.hpp"
#include "io/surfaces/surface_text.hpp"

namespace anvilcast {
namespace {

std::string listed(FileKind kind, const char* last_word, const std::function<bool(const FileFormat&)>& counts) {
    std::vector<const char*> endings;
    for (const FileFormat& f : file_formats())
        if (f.kind == kind && counts(f)) endings.push_back(f.endings.front());
    std::string text;
    for (std::size_t k = 0; k < endings.size(); ++k)
        text += (k == 0 ? "" : k + 1 == endings.size() ? last_word : ", ") + std::string(endings[k]);
    return text;
}

}  // namespace

std::span<const FileFormat> file_formats() {
    static const std::array<FileFormat, 8> kFormats{{
        {"STL", FileKind::triangles, {".stl"}, true, true, true, false, "triangles; zones as solids in the text form"},
        {"OBJ", FileKind::triangles, {".obj"}, true, true, true, false, "triangles; zones as groups"},
        {"PLY", FileKind::triangles, {".ply"}, true, true, true, false, "triangles; zones as a property of faces"},
        {"STEP", FileKind::cad, {".step", ".stp"}, true, false, false, true, "faces and bodies with their names"},
        {"IGES", FileKind::cad, {".iges", ".igs"}, true, false, false, true, "faces and bodies with their names"},
        {"BREP", FileKind::cad, {".brep"}, true, false, false, false, "faces and bodies"},
        {"CGNS", FileKind::mesh, {".cgns"}, true, true, false, true, "cells, zones with roles, regions with kinds"},
        {"VTU", FileKind::mesh, {".vtu"}, true, true, false, false, "cells, zones with roles, regions, fields"},
    }};
    return kFormats;
}

const FileFormat* format_of(const std::filesystem::path& file) {
    std::string ending = io::lower_ending(file.string());
    const bool is_packed = ending == ".gz";
    if (is_packed) ending = io::lower_ending(file.stem().string());
    for (const FileFormat& f : file_formats())
        if (std::find(f.endings.begin(), f.endings.end(), ending) != f.endings.end())
            return is_packed && !f.is_packed_too ? nullptr : &f;
    return nullptr;
}

std::string endings_read(FileKind kind, const char* last_word) {
    return listed(kind, last_word, [](const FileFormat& f) { return f.is_read; });
}

std::string endings_written(FileKind kind, const char* last_word) {
    return listed(kind, last_word, [](const FileFormat& f) { return f.is_written; });
}

}  // namespace anvilcast
