// anvilcast yplus: the first height of layers from flow conditions.

#include <anvilcast/errors.hpp>
#include <anvilcast/flow.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "command.hpp"

namespace cli {
namespace {

struct YPlusOptions : CommonOptions {
    std::string speed, fluid, temperature, length, core_size;
    double density = 0, viscosity = 0, y_plus = 1, growth = 1.2;
    bool is_pipe = false, at_top = false;
};

int yplus(const YPlusOptions& o) {
    const LengthUnit unit = unit_of(o);
    WallQuestion q;
    q.flow.speed = parse_speed(o.speed);
    q.flow.length = parse_length(o.length, unit);
    q.flow.wall = o.is_pipe ? WallKind::pipe : WallKind::plate;
    if ((o.density > 0) != (o.viscosity > 0)) throw InputError("--density and --viscosity go together");
    if (o.density > 0 && (!o.fluid.empty() || !o.temperature.empty()))
        throw InputError("--density and --viscosity do not go with --fluid and --temperature");
    q.flow.fluid = o.density > 0 ? Fluid{"fluid", o.density, o.viscosity}
                                 : fluid_by_name(o.fluid.empty() ? "air" : o.fluid,
                                                 o.temperature.empty() ? 293.15 : parse_temperature(o.temperature));
    q.y_plus = o.y_plus;
    q.at = o.at_top ? YPlusAt::cell_top : YPlusAt::cell_center;
    q.growth = o.growth;
    q.core_size = length_or(o.core_size, unit, 0);
    print(o.json ? wall_json(q) : wall_text(q, unit));
    return kDone;
}

}  // namespace

void add_yplus(CLI::App& app, Commands& commands) {
    const auto o = std::make_shared<YPlusOptions>();
    CLI::App* s = command(app, *o, "yplus", "first cell height from flow conditions, and layers to match",
                          "anvilcast yplus --speed \"18 m/s\" --length \"200 mm\" --target 30 --core-size \"4 mm\"");
    s->add_option("--speed", o->speed, "of the flow along the wall, e.g. \"18 m/s\"; of a pipe: the mean speed")
        ->required();
    s->add_option("--length", o->length, "along the wall; of a pipe: the hydraulic diameter")->required();
    s->add_option("--target", o->y_plus, "the y+ to aim at (default 1)")->check(CLI::Range(1e-3, 1e5));
    s->add_option("--fluid", o->fluid, "air or water (default air)");
    s->add_option("--temperature", o->temperature, "of the fluid, e.g. \"60 C\" (default 20 C)");
    s->add_option("--density", o->density, "kg/m3, instead of a fluid")->check(CLI::Range(1e-9, 1e6));
    s->add_option("--viscosity", o->viscosity, "dynamic, Pa s, with the density")->check(CLI::Range(1e-9, 1e6));
    s->add_flag("--pipe", o->is_pipe, "a pipe or duct instead of a plate");
    s->add_flag("--top", o->at_top, "y+ is meant at the first cell's top (default: at its center)");
    s->add_option("--growth", o->growth, "of the layers (default 1.2)")->check(CLI::Range(1.0, 3.0));
    s->add_option("--core-size", o->core_size, "edge length of the cells beyond the layers");
    add_unit(s, *o, "unit of bare lengths and of the answer (default mm)");
    commands.push_back({s, &o->console, [o] { return yplus(*o); }});
}

}  // namespace cli
