// anvilcast openings: the openings of surfaces, with place, size and lines to name them.

#include <anvilcast/openings.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "model.hpp"

namespace cli {
namespace {

int openings(const ModelOptions& o) {
    const Model model = read_model(o);
    const std::vector<Opening> found = find_openings(divided(model, model.surface));
    print(o.json ? openings_json(found, model.name) : openings_text(found, model.name, model.unit));
    return kDone;
}

}  // namespace

void add_openings(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<ModelOptions>();
    CLI::App* s = command(app, *o, "openings", "the openings found, with place, size and a snippet to name them",
                          "anvilcast openings body.stl --unit mm");
    add_surface_files(s, *o);
    commands.push_back({s, &o->console, [o] { return openings(*o); }});
}

}  // namespace cli
