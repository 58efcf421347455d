// anvilcast improve: the worst cells of a mesh raised.

#include <anvilcast/improve.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "command.hpp"

namespace cli {
namespace {

struct ImproveCommandOptions : CommonOptions {
    std::string input, output;
    ImproveOptions improve;
};

int improve(const ImproveCommandOptions& o) {
    const LengthUnit unit = unit_of(o);
    const VolumeMesh mesh = read_mesh(o.input, stoppable());
    ImproveReport report;
    VolumeMesh better;
    {
        ProgressLine progress(o.console);
        better = improve_mesh(mesh, o.improve, progress.context(), &report);
    }
    write_mesh(o.output, better, stoppable());
    if (o.json) {
        print(improve_json(better, report, o.input));
    } else if (!o.console.quiet) {
        print(improve_text(better, report, o.improve, o.input, o.output, unit));
    }
    return report.is_reached ? kDone : kBroken;
}

}  // namespace

void add_improve(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<ImproveCommandOptions>();
    CLI::App* s = command(app, *o, "improve", "raise the worst cells of a mesh; its boundary and layers stay",
                          "anvilcast improve mesh.cgns --out better.cgns --target 20");
    s->add_option("MESH", o->input, "a mesh of standard cells, or in a plane, " + mesh_endings())->required();
    s->add_option("-o,--out", o->output, "the mesh to write " + mesh_endings())->required();
    s->add_option("--target", o->improve.target,
                  "smallest dihedral angle of the tetrahedra to reach, in a plane the smallest angle; degrees")
        ->capture_default_str();
    s->add_flag("--all", o->improve.all_cells, "better all tetrahedra, not only the worst");
    s->add_flag("--more-cells", o->improve.may_add_cells, "allow more cells and points than there are");
    add_unit(s, *o, "unit for the printed lengths");
    commands.push_back({s, &o->console, [o] { return improve(*o); }});
}

}  // namespace cli
