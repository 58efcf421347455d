// anvilcast start: a first case file for surfaces that nobody has described yet.

#include <anvilcast/errors.hpp>
#include <anvilcast/first_case.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <filesystem>

#include "command.hpp"

namespace cli {
namespace {

struct StartOptions : CommonOptions {
    std::vector<std::string> files;
    std::string output, speed, fluid = "air";
    double cells = 1e6;
    bool inside = false, around = false, replace = false;
};

int start(const StartOptions& o) {
    FirstCaseOptions options;
    if (!o.unit.empty()) options.unit = parse_length_unit(o.unit);
    if (o.inside || o.around)
        options.where = o.inside ? FirstCaseOptions::Where::inside : FirstCaseOptions::Where::around;
    if (!o.speed.empty()) options.speed = parse_speed(o.speed);
    options.fluid = o.fluid;
    options.cells = o.cells;
    const std::vector<std::filesystem::path> files(o.files.begin(), o.files.end());
    const std::filesystem::path file =
        o.output.empty() ? files.front().stem().replace_extension(".toml") : std::filesystem::path(o.output);
    if (std::filesystem::exists(file) && !o.replace)
        throw InputError(
            fmt::format("there is a {} already; give another name with --out, or --replace it", file.string()));
    FirstCase first;
    {
        ProgressLine progress(o.console, {"mend", "domain", "sizes"});
        first = first_case(files, file, options, progress.context());
    }
    write_first_case(file, first, o.replace);
    if (o.json)
        print(first_case_json(first, file.string()));
    else if (!o.console.quiet)
        print(first_case_text(first, file.string()));
    return kDone;
}

}  // namespace

void add_start(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<StartOptions>();
    CLI::App* s = command(app, *o, "start", "a first case file for surfaces, everything decided as well as it can be",
                          "anvilcast start hood.step --speed \"12 m/s\"");
    s->add_option("FILE", o->files,
                  fmt::format("surface files {}; all of them are parts of the case", surface_endings()))
        ->required();
    s->add_option("-o,--out", o->output, "the case file to write (default: named like the first file)");
    add_unit(s, *o, "unit of the numbers in the files (default: guessed; STEP and IGES know theirs)");
    CLI::Option* inside = s->add_flag("--inside", o->inside, "mesh what the bodies enclose");
    s->add_flag("--around", o->around, "mesh the flow round the bodies")->excludes(inside);
    s->add_option("--speed", o->speed, "of the flow, e.g. \"12 m/s\": layers grow on the walls");
    s->add_option("--fluid", o->fluid, "air or water (default air)");
    s->add_option("--cells", o->cells, "sizes are chosen for no more than so many (default a million)")
        ->check(CLI::Range(1e3, 1e9));
    s->add_flag("--replace", o->replace, "put it in the place of a case file that is there");
    commands.push_back({s, &o->console, [o] { return start(*o); }});
}

}  // namespace cli
