// anvilcast report: the page of a finished build.

#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/report.hpp>

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <iterator>

#include "command.hpp"

namespace cli {
namespace {

namespace fs = std::filesystem;

struct ReportOptions : CommonOptions {
    std::string input, output;
};

/// The page of a finished build, from what lies in its directory.
int report(const ReportOptions& o) {
    const fs::path directory = o.input;
    const fs::path mesh_file = directory / (fs::exists(directory / "mesh.cgns") ? "mesh.cgns" : "mesh.vtu");
    if (!fs::exists(directory / "summary.json") || !fs::exists(mesh_file))
        throw InputError(
            fmt::format("{}: no build is here; a directory with mesh.cgns and summary.json was expected, as "
                        "`anvilcast build CASE --out DIR` leaves it",
                        directory.string()));
    std::ifstream in(directory / "summary.json", std::ios::binary);
    const std::string summary{std::istreambuf_iterator<char>(in), {}};
    const fs::path page = o.output.empty() ? directory / "report.html" : fs::path(o.output);
    {
        ProgressLine progress(o.console);
        write_report(page, read_mesh(mesh_file, stoppable()), summary, {}, progress.context());
    }
    print_written(o, o.input, page.string());
    return kDone;
}

}  // namespace

void add_report(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<ReportOptions>();
    CLI::App* s = command(app, *o, "report", "the report page of a finished build: one HTML file, offline",
                          "anvilcast report cyclone\n  anvilcast report cyclone --out for-a-colleague.html");
    s->add_option("DIR", o->input, "the directory of a build")->required();
    s->add_option("-o,--out", o->output, "the page to write (default: report.html in the directory)");
    commands.push_back({s, &o->console, [o] { return report(*o); }});
}

}  // namespace cli
