// anvilcast demo: the cases that are shipped with the tool.

#include <anvilcast/errors.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <system_error>

#include "build.hpp"

namespace cli {
namespace {

namespace fs = std::filesystem;

struct DemoOptions : BuildOptions {
    bool list = false;
};

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

int demo(const DemoOptions& o) {
    const std::vector<std::string> names = demo_names();
    if (o.list) {
        print(o.json ? names_json("demos", names) : fmt::format("{}\n", fmt::join(names, "\n")));
        return kDone;
    }
    const std::string name = o.input.empty() ? "dust-cyclone" : o.input;
    if (std::find(names.begin(), names.end(), name) == names.end())
        throw InputError(fmt::format("there is no demo \"{}\"; there are: {}", name, fmt::join(names, ", ")));
    return build_case(o, demo_directory() / name / "case.toml",
                      o.directory.empty() ? fs::path("anvilcast-demo") / name : fs::path(o.directory));
}

}  // namespace

void add_demo(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<DemoOptions>();
    CLI::App* s =
        command(app, *o, "demo", "run a demo case shipped with the tool", "anvilcast demo dust-cyclone --out cyclone");
    s->add_option("NAME", o->input, "demo to run; dust-cyclone when left out");
    s->add_option("-o,--out", o->directory, "directory for the results; anvilcast-demo/NAME when left out");
    s->add_flag("--list", o->list, "list the demos");
    add_full(s, *o);
    commands.push_back({s, &o->console, [o] { return demo(*o); }});
}

}  // namespace cli
