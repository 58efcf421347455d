#include <anvilcast/errors.hpp>
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

enum class Format { none, stl, obj, ply, step, iges, brep };

Format format_of(const std::filesystem::path& file) {
    std::string ending = io::lower_ending(file.string());
    const bool packed = ending == ".gz";
    if (packed) ending = io::lower_ending(file.stem().string());
    if (ending == ".stl") return Format::stl;
    if (ending == ".obj") return Format::obj;
    if (ending == ".ply") return Format::ply;
    if (packed) return Format::none;
    if (ending == ".step" || ending == ".stp") return Format::step;
    if (ending == ".iges" || ending == ".igs") return Format::iges;
    if (ending == ".brep") return Format::brep;
    return Format::none;
}

const char* name_of(Format format) {
    constexpr std::array<const char*, 7> names{"an unknown format", "STL", "OBJ", "PLY", "STEP", "IGES", "BREP"};
    return names[static_cast<std::size_t>(format)];
}

/// What the first bytes tell without doubt; none when they could be anything.
Format format_by_content(std::string_view content) {
    const std::string_view begin = content.substr(0, 200);
    if (begin.starts_with("ply\n") || begin.starts_with("ply\r")) return Format::ply;
    if (begin.find("ISO-10303-21;") != std::string_view::npos) return Format::step;
    if (io::trimmed(begin).starts_with("DBRep_DrawableShape") || io::trimmed(begin).starts_with("CASCADE Topology"))
        return Format::brep;
    if (begin.size() > 73 && begin.substr(72, 1) == "S" &&
        begin.substr(73, 7).find_first_not_of(" 01") == std::string_view::npos)
        return Format::iges;
    return Format::none;
}

bool is_gzip(std::string_view content) { return content.starts_with("\x1f\x8b"); }

void check_content(std::string_view content, Format format, const std::string& name) {
    const Format seen = format_by_content(content);
    if (seen != Format::none && seen != format)
        throw InputError(fmt::format("{}: its name says {}, its content is {}; give it the ending that fits", name,
                                     name_of(format), name_of(seen)));
}

LengthUnit needed_unit(const std::filesystem::path& file, const ReadSurfaceOptions& options) {
    if (options.unit) return *options.unit;
    throw InputError(
        fmt::format("{}: a file of this kind does not say the unit of its numbers; give it, e.g. mm", file.string()));
}

SurfaceFile read_triangles(const std::filesystem::path& file, Format format, const ReadSurfaceOptions& options) {
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
    out.surface = format == Format::stl   ? parse_stl(content, name, out.unit, &out.triangles_dropped)
                  : format == Format::obj ? parse_obj(content, name, out.unit, &out.triangles_dropped, &others_skipped)
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

bool is_surface_file(const std::filesystem::path& file) { return format_of(file) != Format::none; }

bool states_unit(const std::filesystem::path& file) {
    return format_of(file) == Format::step || format_of(file) == Format::iges;
}

SurfaceFile read_surface(const std::filesystem::path& file, const ReadSurfaceOptions& options) {
    const Format format = format_of(file);
    if (format == Format::none)
        throw InputError(fmt::format(
            "{}: a surface is read from .stl, .obj or .ply (also .gz), .step, .stp, .iges, .igs or .brep, not "
            "from \"{}\"",
            file.string(), io::lower_ending(file.string())));
    if (format < Format::step) return with_drops_told(read_triangles(file, format, options), file.string());
    const std::string begin = io::read_file(file, 400);
    check_content(begin, format, file.string());
    if (format_by_content(begin) == Format::none)
        throw InputError(fmt::format("{}: its name says {}, but it does not begin like one; export the model again",
                                     file.string(), name_of(format)));
    return with_drops_told(io::read_cad(file, options), file.string());
}

void copy_surface_file(const std::filesystem::path& from, const std::filesystem::path& to) {
    std::error_code code;
    if (!std::filesystem::equivalent(from, to, code)) io::write_file(to, io::read_file(from));
}

void write_surface(const std::filesystem::path& file, const Surface& surface, const LengthUnit& unit, bool ascii) {
    const Format format = format_of(file);
    std::string content;
    if (format == Format::stl)
        content = ascii ? stl_text(surface, unit) : stl_bytes(surface, unit);
    else if (format == Format::obj)
        content = io::obj_text(surface, unit);
    else if (format == Format::ply)
        content = io::ply_content(surface, unit, ascii);
    else
        throw InputError(fmt::format("{}: a surface is written to .stl, .obj or .ply (also .gz), not to \"{}\"",
                                     file.string(), io::lower_ending(file.string())));
    io::write_file(file, io::lower_ending(file.string()) == ".gz" ? io::gzipped(content) : content);
}

}  // namespace anvilcast
