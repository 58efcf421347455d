// anvilcast build: the whole job.

#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>
#include <anvilcast/kept.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/report.hpp>
#include <anvilcast/results.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <filesystem>
#include <fstream>
#include <sstream>

#include "build.hpp"

namespace cli {
namespace {

/// A leak's way out is written where the mesh would have been.
BuildResult built(const Case& c, const ResultDirectory& results, const std::filesystem::path& directory,
                  KeptStages* kept, const Context& context) {
    try {
        return build(c, context, kept);
    } catch (const LeakError& e) {
        std::vector<std::vector<Vec3>> paths;
        for (const Leak& leak : e.leaks())
            if (leak.path.size() > 1) paths.push_back(leak.path);
        if (paths.empty()) throw;
        write_paths(results.path() / "leaks.vtu", paths);
        throw GeometryError(
            fmt::format("{}\nThe ways out are drawn in {}, in metres.", e.what(), (directory / "leaks.vtu").string()));
    }
}

int build_case_surface(const BuildOptions& o, const Case& c, ResultDirectory& results,
                       const std::filesystem::path& directory, KeptStages* kept) {
    SurfaceBuild built_surface;
    {
        ProgressLine progress(o.console, {"mend", "domain", "sizes", "surface"});
        built_surface = build_surface(c, progress.context(), kept);
        write_surface_build(built_surface, c, results.path());
        results.commit();
    }
    if (o.json)
        print(surface_json(built_surface, c));
    else if (!o.console.quiet)
        print(surface_text(built_surface, c, directory.string()));
    return kDone;
}

/// Nothing has changed: the result that is there already is told, and what was warned of when it was made.
int tell_unchanged(const BuildOptions& o, const UnchangedResult& result, const std::filesystem::path& directory) {
    if (!o.console.quiet)
        for (const std::string& w : result.warnings) tell(fmt::format("warning: {}\n", w));
    if (o.json)
        print((std::ostringstream() << std::ifstream(directory / "summary.json").rdbuf()).str());
    else if (!o.console.quiet)
        print(fmt::format("Nothing has changed: {} holds what this case makes, {} cells{}. --fresh builds it again.\n",
                          directory.string(), format_count(result.n_cells),
                          result.is_good ? "" : "; limits are broken, see its report"));
    return result.is_good ? kDone : kBroken;
}

int build_case_volume(const BuildOptions& o, const Case& c, ResultDirectory& results,
                      const std::filesystem::path& directory, KeptStages* kept) {
    if (kept != nullptr && !o.full)
        if (const auto unchanged = find_unchanged(c, *kept, directory)) return tell_unchanged(o, *unchanged, directory);
    BuildResult result;
    {
        std::vector<std::string_view> stages{"mend", "domain", "sizes", "surface", "fill", "assess", "report"};
        if (!c.layers.empty()) stages.emplace_back("layers");
        ProgressLine progress(o.console, stages);
        result = built(c, results, directory, kept, progress.context());
        write_build(result, c, results.path(), progress.context());
        if (c.write_report) {
            draw_build(results.path() / "figures", result.mesh, c.unit, c.name, progress.context());
            write_report(results.path() / "report.html", result.mesh, summary_json(result, c), {}, progress.context());
        }
        results.commit();
        if (kept != nullptr)
            note_result(c, *kept, directory, {result.mesh.n_cells(), result.quality.is_good(), result.warnings});
    }
    if (o.json)
        print(summary_json(result, c));
    else if (!o.console.quiet)
        print(build_text(result, c, directory.string(), o.full));
    return result.quality.is_good() ? kDone : kBroken;
}

}  // namespace

void add_full(CLI::App* sub, BuildOptions& o) {
    sub->add_flag("--full", o.full, "print all figures, not what fits one screen");
}

int build_case(const BuildOptions& o, const std::filesystem::path& file, const std::filesystem::path& directory) {
    ResultDirectory results(directory);
    try {
        const Case c = read_case(file);
        std::optional<KeptStages> kept;
        if (c.kept_bytes > 0)
            kept.emplace(o.kept.empty() ? directory / "kept" : std::filesystem::path(o.kept), c.kept_bytes, o.fresh);
        KeptStages* where = kept ? &*kept : nullptr;
        return o.until == "surface" ? build_case_surface(o, c, results, directory, where)
                                    : build_case_volume(o, c, results, directory, where);
    } catch (const Cancelled&) {
        throw;
    } catch (const std::exception& e) {
        results.set_earlier_result_aside(e.what());
        throw;
    }
}

void add_build(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<BuildOptions>();
    CLI::App* s = command(app, *o, "build", "the whole job: from a case file to a checked mesh",
                          "anvilcast build cyclone.toml --out cyclone");
    s->add_option("CASE", o->input, "case file (TOML)")->required();
    s->add_option("-o,--out", o->directory, "directory for the results")->required();
    s->add_option("--until", o->until, "stop at the surface mesh, and write that: surface.vtu and surface.stl")
        ->check(CLI::IsMember({"surface"}));
    s->add_option("--kept", o->kept, "where stages are kept, for several builds to share (default: kept in --out)");
    s->add_flag("--fresh", o->fresh, "build all of it, whatever is kept of an earlier build");
    add_full(s, *o);
    commands.push_back({s, &o->console, [o] { return build_case(*o, o->input, o->directory); }});
}

}  // namespace cli
