// STL files, in and out.
//
//     Surface body = read_stl("body.stl", parse_length_unit("mm"));
//     write_stl("body-copy.stl", body, parse_length_unit("mm"), StlFormat::ascii);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/units.hpp>
#include <filesystem>
#include <string>
#include <string_view>

namespace anvilcast {

enum class StlFormat { ascii, binary };

/// Reads a file, ASCII or binary (told apart by content), and welds equal points. Each solid becomes a zone of
/// its name; solids without a name, and binary files, are named after the file. Solids of one name are one zone.
/// Throws InputError with file and line (or triangle) when the content is wrong: truncated, a coordinate that is
/// no finite number, nothing inside. Memory is bounded by the file's size, whatever it claims.
ANVILCAST_API Surface read_stl(const std::filesystem::path& file, const LengthUnit& unit);

/// The same from memory; `name` stands for the file in messages and zones. `triangles_dropped`: how many had two
/// corners in one place.
ANVILCAST_API Surface parse_stl(std::string_view content, const std::string& name, const LengthUnit& unit,
                                std::size_t* triangles_dropped = nullptr);

/// ASCII: one solid for each zone. Binary: one solid for all. The file appears whole or not at all.
/// Throws FailureError when it cannot be written.
ANVILCAST_API void write_stl(const std::filesystem::path& file, const Surface& surface, const LengthUnit& unit,
                             StlFormat format = StlFormat::binary);

/// The content that write_stl() writes.
ANVILCAST_API std::string stl_text(const Surface& surface, const LengthUnit& unit);
ANVILCAST_API std::string stl_bytes(const Surface& surface, const LengthUnit& unit);

}  // namespace anvilcast
