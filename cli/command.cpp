#include "command.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/faults.hpp>
#include <anvilcast/formats.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <charconv>
#include <cstdio>

namespace cli {

CLI::App* command(CLI::App& app, CommonOptions& o, const char* name, const char* what, const char* example) {
    CLI::App* sub = app.add_subcommand(name, what);
    sub->add_flag("--json", o.json, "print JSON (SI units) instead of text");
    sub->add_flag("-q,--quiet", o.console.quiet, "print nothing but errors (and JSON)");
    sub->add_flag("-v,--verbose", o.console.verbose, "tell each step as it begins");
    sub->add_option("--threads", o.console.threads, "threads to use (default: all); never changes the result")
        ->check(CLI::Range(1, 1024));
    sub->footer(fmt::format("Example:\n  {}", example));
    return sub;
}

void add_unit(CLI::App* sub, CommonOptions& o, const char* what) { sub->add_option("--unit", o.unit, what); }

std::string surface_endings() {
    return fmt::format("({}, also .gz; {})", endings_read(FileKind::triangles, ", "),
                       endings_read(FileKind::cad, ", "));
}

std::string mesh_endings() { return fmt::format("({})", endings_read(FileKind::mesh, ", ")); }

void print(const std::string& raw) {
    const std::string text = printable(is_coloured() ? raw : without_marks(raw));
    if (std::fputs(text.c_str(), stdout) < 0 || std::fflush(stdout) != 0)
        throw FailureError("standard output cannot be written");
}

void print_written(const CommonOptions& o, const std::string& input, const std::string& file) {
    if (o.json)
        print(written_json(input, file));
    else if (!o.console.quiet)
        print(fmt::format("{} -> {}\n", input, file));
}

LengthUnit unit_of(const CommonOptions& o) { return parse_length_unit(o.unit.empty() ? "mm" : o.unit); }

double length_or(const std::string& text, const LengthUnit& unit, double otherwise) {
    if (text.empty()) return otherwise;
    const double value = parse_length(text, unit);
    if (value < 0) throw InputError(fmt::format("\"{}\" is negative; a distance is 0 or more", text));
    return value;
}

Vec3 place_of(const std::string& text, const LengthUnit& unit) {
    Vec3 p;
    std::string rest = text;
    for (int axis = 0; axis < 3; ++axis) {
        const std::size_t comma = axis < 2 ? rest.find(',') : rest.size();
        if (comma == std::string::npos)
            throw InputError(fmt::format("\"{}\" is no place; write X,Y,Z in {}, e.g. 10,20,30", text, unit.name));
        p[axis] = parse_length(rest.substr(0, comma), unit);
        rest = axis < 2 ? rest.substr(comma + 1) : "";
    }
    return p;
}

QualityLimits limits_of(const std::vector<std::string>& texts, bool with_usual) {
    QualityLimits limits;
    limits.usual = with_usual;
    for (const std::string& text : texts) {
        const std::size_t at = text.find('=');
        double value = 0;
        const char* begin = text.data() + (at == std::string::npos ? text.size() : at + 1);
        const auto [end, status] = std::from_chars(begin, text.data() + text.size(), value);
        if (at == std::string::npos || status != std::errc() || end != text.data() + text.size())
            throw InputError(fmt::format("--limit \"{}\": METRIC=VALUE was expected, e.g. skewness=0.9", text));
        limits.set(text.substr(0, at), value);
    }
    return limits;
}

VolumeMesh read_valid_mesh(const std::string& file) {
    VolumeMesh mesh = read_mesh(file, stoppable());
    if (const auto faults = find_faults(mesh, 10, stoppable()); !faults.empty())
        throw InvalidMesh{fmt::format("{}: not a valid mesh:\n  {}\n", file, fmt::join(faults, "\n  "))};
    return mesh;
}

}  // namespace cli
