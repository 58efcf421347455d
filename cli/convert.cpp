// anvilcast convert: between the formats that are read and written.

#include <anvilcast/errors.hpp>
#include <anvilcast/formats.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include "command.hpp"

namespace cli {
namespace {

struct ConvertOptions : CommonOptions {
    std::string input, output, chord_text;
    bool ascii = false;
};

int convert(const ConvertOptions& o) {
    const LengthUnit unit = unit_of(o);
    if (is_surface_file(o.input)) {
        if (!is_surface_file(o.output))
            throw InputError(
                fmt::format("{}: a surface can only be written to {}; `anvilcast build` makes volume meshes", o.output,
                            endings_written(FileKind::triangles)));
        ReadSurfaceOptions options;
        if (!states_unit(o.input) || !o.unit.empty()) options.unit = unit;
        options.chord = length_or(o.chord_text, unit, 0);
        const SurfaceFile in = read_surface(o.input, options);
        for (const std::string& w : in.warnings) tell(fmt::format("anvilcast: {}\n", w));
        write_surface(o.output, in.surface, in.unit, o.ascii);
    } else if (is_surface_file(o.output)) {
        write_surface(o.output, boundary_surface(read_mesh(o.input, stoppable())), unit, o.ascii);
    } else {
        write_mesh(o.output, read_mesh(o.input, stoppable()), stoppable());
    }
    print_written(o, o.input, o.output);
    return kDone;
}

}  // namespace

void add_convert(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<ConvertOptions>();
    CLI::App* s = command(app, *o, "convert", "between the formats that are read and written",
                          "anvilcast convert mesh.cgns mesh.vtu");
    s->add_option("IN", o->input, fmt::format("a surface {} or a mesh {}", surface_endings(), mesh_endings()))
        ->required();
    s->add_option("OUT", o->output,
                  fmt::format("a surface ({}; of a mesh: its boundary) or a mesh ({})",
                              endings_written(FileKind::triangles, ", "), endings_written(FileKind::mesh, ", ")))
        ->required();
    s->add_flag("--ascii", o->ascii, "write STL and PLY as text");
    s->add_option("--chord", o->chord_text, "triangles of CAD faces stay within this of them");
    add_unit(s, *o, "unit of the numbers in surface files (default mm; STEP and IGES know theirs)");
    commands.push_back({s, &o->console, [o] { return convert(*o); }});
}

}  // namespace cli
