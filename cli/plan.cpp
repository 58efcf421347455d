// anvilcast plan: everything that can be told about a mesh before it is made.

#include <anvilcast/kept.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <optional>
#include <set>

#include "command.hpp"

namespace cli {
namespace {

namespace fs = std::filesystem;

struct PlanOptions : CommonOptions {
    std::string input, kept;
    bool print_case = false;
};

/// Where builds may have kept what they made: in their directories, here or beside the case file.
std::set<fs::path> kept_nearby(const fs::path& case_file) {
    std::set<fs::path> found;
    for (const fs::path& folder : {fs::current_path(), fs::absolute(case_file).parent_path()}) {
        std::error_code code, ignored;
        for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code))
            if (fs::is_directory(it->path() / "kept", ignored)) found.insert(it->path() / "kept");
    }
    return found;
}

/// Besides what the plan warns of itself.
std::vector<std::string> warned_of_before(const Case& c, const PlanOptions& o, const Plan& p) {
    const std::set<fs::path> places = o.kept.empty() ? kept_nearby(o.input) : std::set<fs::path>{o.kept};
    for (const fs::path& place : places) {
        KeptStages kept(place);
        std::vector<std::string> told = warnings_of_build(c, kept);
        std::erase_if(told, [&](const std::string& w) {
            return std::find(p.warnings.begin(), p.warnings.end(), w) != p.warnings.end();
        });
        if (!told.empty()) return told;
    }
    return {};
}

int plan_case(const PlanOptions& o) {
    const Case c = read_case(o.input);
    if (o.print_case) {
        print(case_with_defaults(c));
        return kDone;
    }
    Plan p;
    {
        ProgressLine progress(o.console, {"mend", "domain", "sizes"});
        std::optional<KeptStages> kept;
        if (!o.kept.empty()) kept.emplace(o.kept, c.kept_bytes);
        p = plan(c, progress.context(), kept ? &*kept : nullptr);
        p.warnings_of_build = warned_of_before(c, o, p);
    }
    if (o.json)
        print(plan_json(p, c));
    else if (!o.console.quiet)
        print(plan_text(p, c));
    return p.beyond.empty() ? kDone : kBroken;
}

}  // namespace

void add_plan(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<PlanOptions>();
    CLI::App* s =
        command(app, *o, "plan", "everything decided and predicted, nothing meshed; exit status 1 beyond a limit",
                "anvilcast plan cyclone.toml");
    s->add_option("CASE", o->input, "case file (TOML)")->required();
    s->add_option("--kept", o->kept, "where builds keep stages, to begin from (default: nothing is read back)");
    s->add_flag("--print-case", o->print_case, "print the whole case as it is understood, defaults included, and end");
    commands.push_back({s, &o->console, [o] { return plan_case(*o); }});
}

}  // namespace cli
