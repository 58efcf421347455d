// anvilcast plan: everything that can be told about a mesh before it is made.

#include <anvilcast/plan.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "command.hpp"

namespace cli {
namespace {

struct PlanOptions : CommonOptions {
    std::string input;
    bool print_case = false;
};

int plan_case(const PlanOptions& o) {
    const Case c = read_case(o.input);
    if (o.print_case) {
        print(case_with_defaults(c));
        return kDone;
    }
    Plan p;
    {
        ProgressLine progress(o.console, {"mend", "domain", "sizes"});
        p = plan(c, progress.context());
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
    s->add_flag("--print-case", o->print_case, "print the whole case as it is understood, defaults included, and end");
    commands.push_back({s, &o->console, [o] { return plan_case(*o); }});
}

}  // namespace cli
