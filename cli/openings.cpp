// anvilcast openings: the openings of surfaces, with place, size and lines to name them.

#include <anvilcast/errors.hpp>
#include <anvilcast/openings.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "model.hpp"

namespace cli {
namespace {

struct Options : ModelOptions {
    std::string join_text;
};

int openings(const Options& o) {
    const Model model = read_model(o);
    const double diagonal = model.surface.bounds().diagonal();
    const double join = length_or(o.join_text, model.unit, usual_seam(model.surface));
    if (!(join >= 0 && join < diagonal))
        throw InputError(fmt::format("--join {} is not a distance within the model", o.join_text));
    const std::vector<Opening> found = find_openings(divided(model, model.surface), {.join = join});
    print(o.json ? openings_json(found, model.name) : openings_text(found, model.name, model.unit));
    return kDone;
}

}  // namespace

void add_openings(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<Options>();
    CLI::App* s = command(app, *o, "openings", "the openings found, with place, size and a snippet to name them",
                          "anvilcast openings body.stl --unit mm");
    add_surface_files(s, *o);
    s->add_option("--join", o->join_text,
                  "bodies this close to each other are one (default: 0.0003 of the extent; 0: none)");
    commands.push_back({s, &o->console, [o] { return openings(*o); }});
}

}  // namespace cli
