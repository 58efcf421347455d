#include <anvilcast/errors.hpp>
#include <anvilcast/formats.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "io/cad/cad.hpp"
#include "io/files.hpp"
#include "io/surfaces/gzip.hpp"
#include "io/surfaces/surface_text.hpp"
#include "io/surfaces/surface_writers.hpp"

namespace anvilcast {
namespace {

const FileFormat& format_named(const char* name) {
    const auto all = file_formats();
    return *std::find_if(all.begin(), all.end(),
                         [name](const FileFormat& f) { return std::string_view(f.name) == name; });
}

/// What the first bytes tell without doubt; null when they could be anything.
const FileFormat* format_by_content(std::string_view content) {
    const std::string_view begin = content.substr(0, 200);
    if (begin.starts_with("ply\n") || begin.starts_with("ply\r")) return &format_named("PLY");
    if (begin.find("ISO-10303-21;") != std::string_view::npos) return &format_named("STEP");
    if (io::trimmed(begin).starts_with("DBRep_DrawableShape") || io::trimmed(begin).starts_with("CASCADE Topology"))
        return &format_named("BREP");
    if (begin.size() > 73 && begin.substr(72, 1) == "S" &&
        begin.substr(73, 7).find_first_not_of(" 01") == std::string_view::npos)
        return &format_named("IGES");
    return nullptr;
}

bool is_gzip(std::string_view content) { return content.starts_with("\x1f\x8b"); }

void check_content(std::string_view content, const FileFormat& format, const std::string& name) {
    const FileFormat* seen = format_by_content(content);
    if (seen != nullptr && seen != &format)
        throw InputError(fmt::format("{}: its name says {}, its content is {}; give it the ending that fits", name,
                                     format.name, seen->name));
}

LengthUnit needed_unit(const std::filesystem::path& file, const ReadSurfaceOptions& options) {
    if (options.unit) return *options.unit;
    throw InputError(
        fmt::format("{}: a file of this kind does not say the unit of its numbers; give it, e.g. mm", file.string()));
}

SurfaceFile read_triangles(const std::filesystem::path& file, const FileFormat& format,
                           const ReadSurfaceOptions& options) {
    const std::string name = file.string();
    SurfaceFile out;
    out.unit = needed_unit(file, options);
    std::string content = io::read_file(file);
    const bool packed = io::lower_ending(name) == ".gz";
    if (packed && !is_gzip(content))
        throw InputError(fmt::format("{}: its name says gzip, its content is not; take off the .gz", name));
    if (!packed && is_gzip(content))
        throw InputError(fmt::format("{}: its content is gzip-compressed; add .gz to its name", name));
    if (packed) content = gunzip(content, name);
    check_content(content, format, name);
    std::size_t others_skipped = 0;
    const std::string_view kind = format.name;
    out.surface = kind == "STL"   ? parse_stl(content, name, out.unit, &out.triangles_dropped)
                  : kind == "OBJ" ? parse_obj(content, name, out.unit, &out.triangles_dropped, &others_skipped)
                                  : parse_ply(content, name, out.unit, &out.triangles_dropped);
    if (others_skipped > 0)
        out.warnings.push_back(
            fmt::format("{}: {} line(s), point(s), curve(s) or curved surface(s) are skipped: faces alone are read",
                        name, others_skipped));
    return out;
}

SurfaceFile with_drops_told(SurfaceFile file, const std::string& name) {
    if (file.triangles_dropped > 0)
        file.warnings.push_back(
            fmt::format("{}: {} triangle(s) with two corners in one place were dropped", name, file.triangles_dropped));
    return file;
}

}  // namespace

bool is_surface_file(const std::filesystem::path& file) {
    const FileFormat* format = format_of(file);
    return format != nullptr && format->kind != FileKind::mesh;
}

bool states_unit(const std::filesystem::path& file) {
    const FileFormat* format = format_of(file);
    return format != nullptr && format->states_unit;
}

SurfaceFile read_surface(const std::filesystem::path& file, const ReadSurfaceOptions& options) {
    if (!is_surface_file(file))
        throw InputError(fmt::format("{}: a surface is read from {} (also .gz), {}, not from \"{}\"", file.string(),
                                     endings_read(FileKind::triangles, ", "), endings_read(FileKind::cad),
                                     io::lower_ending(file.string())));
    const FileFormat& format = *format_of(file);
    if (format.kind == FileKind::triangles)
        return with_drops_told(read_triangles(file, format, options), file.string());
    const std::string begin = io::read_file(file, 400);
    check_content(begin, format, file.string());
    if (format_by_content(begin) == nullptr)
        throw InputError(fmt::format("{}: its name says {}, but it does not begin like one; export the model again",
                                     file.string(), format.name));
    return with_drops_told(io::read_cad(file, options), file.string());
}

void copy_surface_file(const std::filesystem::path& from, const std::filesystem::path& to) {
    std::error_code code;
    if (!std::filesystem::equivalent(from, to, code)) io::write_file(to, io::read_file(from));
}

void write_surface(const std::filesystem::path& file, const Surface& surface, const LengthUnit& unit, bool ascii) {
    const FileFormat* format = format_of(file);
    const std::string_view kind = format == nullptr ? "" : format->name;
    std::string content;
    if (kind == "STL")
        content = ascii ? stl_text(surface, unit) : stl_bytes(surface, unit);
    else if (kind == "OBJ")
        content = io::obj_text(surface, unit);
    else if (kind == "PLY")
        content = io::ply_content(surface, unit, ascii);
    else
        throw InputError(fmt::format("{}: a surface is written to {} (also .gz), not to \"{}\"", file.string(),
                                     endings_written(FileKind::triangles), io::lower_ending(file.string())));
    io::write_file(file, io::lower_ending(file.string()) == ".gz" ? io::gzipped(content) : content);
}

}  // namespace anvilcast
