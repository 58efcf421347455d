// The command-line tool: parses, calls the library, prints. Exit status: 0 done, 1 done but limits are broken or
// defects were found, 2 wrong input, 3 could not do it, 130 interrupted.

#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/version.hpp>

#include <fmt/format.h>
#include <tbb/global_control.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cstdio>
#include <new>

#include "console.hpp"
#include "text.hpp"

namespace {

using namespace anvilcast;
namespace fs = std::filesystem;

constexpr int kDone = 0, kBroken = 1, kWrongInput = 2, kFailed = 3, kInterrupted = 130;

struct Arguments {
    cli::ConsoleOptions console;
    bool json = false;
    std::string unit = "mm";
    std::vector<std::string> files;
    std::string input, output, directory;
    double split_angle = 40;
    bool ascii = false;
    QualityLimits limits;
    bool list = false;
};

void print(const std::string& text) {
    if (std::fputs(text.c_str(), stdout) < 0 || std::fflush(stdout) != 0)
        throw FailureError("standard output cannot be written");
}

int inspect(const Arguments& a) {
    const LengthUnit unit = parse_length_unit(a.unit);
    bool sound = true;
    std::string json;
    for (const std::string& file : a.files) {
        const SurfaceHealth health = examine(read_surface(file, {.unit = states_unit(file) ? std::nullopt : std::optional(unit)}).surface);
        sound = sound && !health.is_blocked();
        if (a.json)
            json += (json.empty() ? "" : ",\n") + health_json(health, file);
        else
            print(cli::health_text(health, file, unit));
    }
    if (a.json) print(a.files.size() == 1 ? json : "[" + json + "]\n");
    return sound ? kDone : kBroken;
}

int openings(const Arguments& a) {
    const LengthUnit unit = parse_length_unit(a.unit);
    std::string json;
    for (const std::string& file : a.files) {
        const std::vector<Opening> found = find_openings(split_at_sharp_edges(read_surface(file, {.unit = states_unit(file) ? std::nullopt : std::optional(unit)}).surface, a.split_angle));
        if (a.json)
            json += (json.empty() ? "" : ",\n") + openings_json(found, file);
        else
            print(cli::openings_text(found, file, unit));
    }
    if (a.json) print(a.files.size() == 1 ? json : "[" + json + "]\n");
    return kDone;
}

int build_case(const Arguments& a, const fs::path& file, const fs::path& directory) {
    const Case c = read_case(file);
    std::string text;
    BuildResult result;
    {
        cli::ProgressLine progress(a.console);
        result = build(c, progress.context());
        write_build(result, c, directory);
    }
    if (a.json)
        print(summary_json(result, c));
    else if (!a.console.quiet)
        print(cli::build_text(result, c, directory.string()));
    return result.quality.limits_hold ? kDone : kBroken;
}

int assess_mesh(const Arguments& a) {
    const LengthUnit unit = parse_length_unit(a.unit);
    const VolumeMesh mesh = read_mesh(a.input);
    if (const auto faults = find_faults(mesh); !faults.empty()) {
        fmt::print(stderr, "{}: not a valid mesh:\n", a.input);
        for (const std::string& f : faults) fmt::print(stderr, "  {}\n", f);
        return kBroken;
    }
    QualityReport report;
    {
        cli::ProgressLine progress(a.console);
        report = assess(mesh, a.limits, progress.context());
    }
    if (a.json) {
        print(quality_json(mesh, report, a.input));
    } else if (!a.console.quiet) {
        print(cli::assess_text(mesh, report, a.input, unit));
    }
    return report.limits_hold ? kDone : kBroken;
}

bool is_stl(const std::string& file) {
    std::string ending = fs::path(file).extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return ending == ".stl";
}

int convert(const Arguments& a) {
    const LengthUnit unit = parse_length_unit(a.unit);
    const StlFormat format = a.ascii ? StlFormat::ascii : StlFormat::binary;
    if (is_stl(a.input)) {
        if (!is_stl(a.output))
            throw InputError(fmt::format(
                "{}: a surface can only be written to .stl; `anvilcast build` makes volume meshes", a.output));
        write_stl(a.output, read_stl(a.input, unit), unit, format);
    } else if (is_stl(a.output)) {
        write_stl(a.output, boundary_surface(read_mesh(a.input)), unit, format);
    } else {
        write_mesh(a.output, read_mesh(a.input));
    }
    if (!a.console.quiet) print(fmt::format("{} -> {}\n", a.input, a.output));
    return kDone;
}

/// Demo cases lie beside the tool, in the share directory of an installation or in the source tree.
fs::path demo_directory() {
    std::error_code ignored;
    const fs::path self = fs::read_symlink("/proc/self/exe", ignored).parent_path();
    for (const fs::path& candidate : {self.parent_path() / ANVILCAST_DEMO_INSTALL, fs::path(ANVILCAST_DEMO_SOURCE)})
        if (fs::is_directory(candidate, ignored)) return candidate;
    throw FailureError("the demo cases were not found beside the tool; install them with it");
}

std::vector<std::string> demo_names() {
    std::vector<std::string> names;
    for (const auto& entry : fs::directory_iterator(demo_directory()))
        if (fs::exists(entry.path() / "case.toml")) names.push_back(entry.path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
}

int demo(const Arguments& a) {
    const std::vector<std::string> names = demo_names();
    if (a.list) {
        for (const std::string& n : names) print(n + "\n");
        return kDone;
    }
    const std::string name = a.input.empty() ? "dust-cyclone" : a.input;
    if (std::find(names.begin(), names.end(), name) == names.end())
        throw InputError(fmt::format("there is no demo \"{}\"; there are: {}", name, fmt::join(names, ", ")));
    return build_case(a, demo_directory() / name / "case.toml",
                      a.directory.empty() ? fs::path("anvilcast-demo") / name : fs::path(a.directory));
}

/// The options that every command has.
CLI::App* command(CLI::App& app, Arguments& a, const char* name, const char* what, const char* example) {
    CLI::App* sub = app.add_subcommand(name, what);
    sub->add_flag("--json", a.json, "print JSON (SI units) instead of text");
    sub->add_flag("-q,--quiet", a.console.quiet, "print nothing but errors (and JSON)");
    sub->add_flag("-v,--verbose", a.console.verbose, "tell each step as it begins");
    sub->add_option("--threads", a.console.threads, "threads to use (default: all); never changes the result")
        ->check(CLI::Range(1, 1024));
    sub->footer(fmt::format("Example:\n  {}", example));
    return sub;
}

void add_unit(CLI::App* sub, Arguments& a, const char* what) {
    sub->add_option("--unit", a.unit, what)->capture_default_str();
}

void add_commands(CLI::App& app, Arguments& a) {
    CLI::App* s = command(app, a, "inspect", "what is in these surfaces, what is wrong with them, and where",
                          "anvilcast inspect body.stl --unit mm");
    s->add_option("FILE", a.files, "STL files")->required();
    add_unit(s, a, "unit of the numbers in the files");

    s = command(app, a, "openings", "the openings found, with place, size and a snippet to name them",
                "anvilcast openings body.stl --unit mm");
    s->add_option("FILE", a.files, "STL files")->required();
    add_unit(s, a, "unit of the numbers in the files");
    s->add_option("--split-angle", a.split_angle, "degrees at which faces are divided")
        ->check(CLI::Range(1.0, 180.0))
        ->capture_default_str();

    s = command(app, a, "build", "the whole job: from a case file to a checked mesh",
                "anvilcast build cyclone.toml --out cyclone");
    s->add_option("CASE", a.input, "case file (TOML)")->required();
    s->add_option("-o,--out", a.directory, "directory for the results")->required();

    s = command(app, a, "assess", "quality, limits, worst places; exit status 1 when a limit is broken",
                "anvilcast assess mesh.cgns --skewness 0.9");
    s->add_option("MESH", a.input, "mesh file (.cgns or .vtu)")->required();
    s->add_option("--skewness", a.limits.skewness, "limit of the equiangle skewness");
    s->add_option("--volume-growth", a.limits.volume_growth, "limit of the volume ratio across faces");
    s->add_option("--non-orthogonality", a.limits.non_orthogonality, "limit in degrees");
    s->add_option("--cells", a.limits.cells, "limit of the number of cells");
    add_unit(s, a, "unit for the printed lengths");

    s = command(app, a, "convert", "between the formats that are read and written",
                "anvilcast convert mesh.cgns mesh.vtu");
    s->add_option("IN", a.input, ".stl, .cgns or .vtu")->required();
    s->add_option("OUT", a.output, ".stl (of a mesh: its boundary), .cgns or .vtu")->required();
    s->add_flag("--ascii", a.ascii, "write STL as text, one solid for each zone");
    add_unit(s, a, "unit of the numbers in STL files");

    s = command(app, a, "demo", "run a demo case shipped with the tool", "anvilcast demo dust-cyclone --out cyclone");
    s->add_option("NAME", a.input, "demo to run; dust-cyclone when left out");
    s->add_option("-o,--out", a.directory, "directory for the results; anvilcast-demo/NAME when left out");
    s->add_flag("--list", a.list, "list the demos");
}

int run(const CLI::App& app, const Arguments& a) {
    std::optional<tbb::global_control> threads;
    if (a.console.threads > 0)
        threads.emplace(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(a.console.threads));
    const std::string name = app.get_subcommands().front()->get_name();
    if (name == "inspect") return inspect(a);
    if (name == "openings") return openings(a);
    if (name == "build") return build_case(a, a.input, a.directory);
    if (name == "assess") return assess_mesh(a);
    if (name == "convert") return convert(a);
    return demo(a);
}

int status_of(const Error& e) {
    switch (e.kind()) {
        case Error::Kind::input:
        case Error::Kind::geometry:
            return kWrongInput;
        case Error::Kind::cancelled:
            return kInterrupted;
        case Error::Kind::failure:
        case Error::Kind::internal:
            break;
    }
    return kFailed;
}

}  // namespace

int main(int argc, char** argv) {
    CLI::App app{"Anvilcast makes volume meshes for flow simulation from the geometry at hand."};
    app.set_version_flag("--version", "anvilcast " + version());
    app.require_subcommand(1);
    app.footer("`anvilcast COMMAND --help` shows a command's options and an example.");
    Arguments arguments;
    add_commands(app, arguments);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        const int status = app.exit(e);
        return status == 0 ? kDone : kWrongInput;
    }
    cli::catch_interrupts();
    try {
        return run(app, arguments);
    } catch (const Error& e) {
        fmt::print(stderr, "anvilcast: {}\n", e.what());
        return status_of(e);
    } catch (const std::bad_alloc&) {
        fmt::print(stderr, "anvilcast: out of memory; make the sizes larger\n");
    } catch (const std::exception& e) {
        fmt::print(stderr, "anvilcast: {}\n", e.what());
    }
    return kFailed;
}
