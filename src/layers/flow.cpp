#include <anvilcast/errors.hpp>
#include <anvilcast/flow.hpp>

#include <fmt/format.h>

#include <cmath>

namespace anvilcast {
namespace {

Fluid air(double t) {
    constexpr double kPressure = 101325, kGasConstant = 287.058;
    return {"air", kPressure / (kGasConstant * t), 1.458e-6 * std::pow(t, 1.5) / (t + 110.4)};
}

Fluid water(double t) {
    const double c = t - 273.15;
    const double density =
        (999.83952 +
         c * (16.945176 + c * (-7.9870401e-3 + c * (-46.170461e-6 + c * (105.56302e-9 - c * 280.54253e-12))))) /
        (1 + 16.87985e-3 * c);
    return {"water", density, 2.414e-5 * std::pow(10, 247.8 / (t - 140))};
}

void require_positive(double value, const char* what) {
    if (!(value > 0) || !std::isfinite(value))
        throw InputError(fmt::format("the {} is {}; it must be a positive number", what, value));
}

void estimate_plate(WallEstimate& w, double length) {
    constexpr double kTransition = 5e5, kHighest = 1e9;
    if (w.reynolds < kTransition) {
        w.is_turbulent = false;
        w.skin_friction = 0.664 / std::sqrt(w.reynolds);
        w.layer_thickness = 4.91 * length / std::sqrt(w.reynolds);
        w.correlation = "laminar plate, Blasius 1908, Reynolds number below 5e5";
        if (w.reynolds < 1000)
            w.warnings.push_back(
                fmt::format("the Reynolds number, {:.3g}, is too small for a boundary layer", w.reynolds));
        return;
    }
    w.skin_friction = std::pow(2 * std::log10(w.reynolds) - 0.65, -2.3);
    w.layer_thickness = 0.16 * length / std::pow(w.reynolds, 1.0 / 7);
    w.correlation = "turbulent plate, Schlichting 1979, Reynolds number 5e5 to 1e9";
    if (w.reynolds > kHighest)
        w.warnings.push_back(
            fmt::format("the Reynolds number, {:.3g}, is above 1e9, where the correlation ends", w.reynolds));
}

void estimate_pipe(WallEstimate& w, double diameter) {
    constexpr double kTransition = 2300, kLowest = 3000, kHighest = 5e6;
    w.layer_thickness = 0.5 * diameter;
    if (w.reynolds < kTransition) {
        w.is_turbulent = false;
        w.skin_friction = 16 / w.reynolds;
        w.correlation = "laminar pipe, exact, Reynolds number below 2300";
        return;
    }
    const double darcy = std::pow(0.79 * std::log(w.reynolds) - 1.64, -2);
    w.skin_friction = darcy / 4;
    w.correlation = "turbulent smooth pipe, Petukhov 1970, Reynolds number 3e3 to 5e6";
    if (w.reynolds < kLowest || w.reynolds > kHighest)
        w.warnings.push_back(
            fmt::format("the Reynolds number, {:.3g}, is out of the correlation's range, 3e3 to 5e6", w.reynolds));
}

}  // namespace

Fluid fluid_by_name(const std::string& name, double temperature) {
    const bool is_air = name == "air";
    if (!is_air && name != "water")
        throw InputError(
            fmt::format("the fluid \"{}\" is not known; there are air and water, or give density and viscosity", name));
    const double lowest = is_air ? 200 : 273.15, highest = is_air ? 1000 : 373.15;
    if (!(temperature >= lowest && temperature <= highest))
        throw InputError(fmt::format("{} at {:.5g} K is out of range, {} to {} K; give density and viscosity", name,
                                     temperature, lowest, highest));
    return is_air ? air(temperature) : water(temperature);
}

WallEstimate estimate_wall(const FlowConditions& flow) {
    require_positive(flow.speed, "speed");
    require_positive(flow.length, "length");
    require_positive(flow.fluid.density, "density");
    require_positive(flow.fluid.viscosity, "viscosity");
    WallEstimate w;
    w.reynolds = flow.speed * flow.length * flow.fluid.density / flow.fluid.viscosity;
    if (flow.wall == WallKind::plate)
        estimate_plate(w, flow.length);
    else
        estimate_pipe(w, flow.length);
    w.friction_velocity = flow.speed * std::sqrt(0.5 * w.skin_friction);
    w.viscous_length = flow.fluid.viscosity / (flow.fluid.density * w.friction_velocity);
    return w;
}

double first_height(const WallEstimate& wall, double y_plus, YPlusAt at) {
    require_positive(y_plus, "target y+");
    return y_plus * wall.viscous_length * (at == YPlusAt::cell_center ? 2 : 1);
}

}  // namespace anvilcast
