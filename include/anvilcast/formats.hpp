// The file formats that are read and written: the one table that readers, writers, help, messages and documents come
// from. A new format is a row here and a file in src/io.
//
//     for (const FileFormat& f : file_formats()) print(f.name, f.endings);
//     if (const FileFormat* f = format_of("body.step.gz")) ...
#pragma once

#include <anvilcast/export.hpp>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace anvilcast {

enum class FileKind : unsigned char { triangles, cad, mesh };

struct FileFormat {
    const char* name;
    FileKind kind;
    std::vector<const char*> endings;  ///< with their dots, in small letters, the usual one first
    bool is_read, is_written;
    bool is_packed_too;  ///< with .gz after the ending
    bool states_unit;    ///< the file says the unit of its numbers
    const char* holds;   ///< what of ours it keeps, in a few words
};

ANVILCAST_API std::span<const FileFormat> file_formats();

/// By the ending, whatever its case; null where there is none of it.
ANVILCAST_API const FileFormat* format_of(const std::filesystem::path& file);

/// The usual endings of those that are read, or written: ".stl, .obj or .ply".
ANVILCAST_API std::string endings_read(FileKind kind, const char* last_word = " or ");
ANVILCAST_API std::string endings_written(FileKind kind, const char* last_word = " or ");

}  // namespace anvilcast
