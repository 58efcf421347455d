// What the flow asks of the cells at a wall: how high the first one has to be for a target y+.
//
//     FlowConditions flow{.speed = 18, .fluid = fluid_by_name("air", 293.15), .length = 0.2};
//     WallEstimate wall = estimate_wall(flow);
//     double first = first_height(wall, 30, YPlusAt::cell_center);
//
// SI units throughout. Estimates are for smooth walls; they hold to some ten per cent, as their correlations do.
#pragma once

#include <anvilcast/export.hpp>
#include <string>
#include <vector>

namespace anvilcast {

struct Fluid {
    std::string name = "air";
    double density = 0;    ///< kg/m^3
    double viscosity = 0;  ///< dynamic, Pa s
};

/// "air" (ideal gas at 101 325 Pa, viscosity by Sutherland, 1893; 200 to 1000 K) or "water" (density by Kell, 1975,
/// viscosity by Vogel's formula, within 2.5 %; 273.15 to 373.15 K). Throws InputError for another name or a
/// temperature, in kelvin, out of range.
ANVILCAST_API Fluid fluid_by_name(const std::string& name, double temperature);

/// A plate: the wall has the outer flow's speed and a length along it. A pipe: mean speed and hydraulic diameter.
enum class WallKind { plate, pipe };

struct FlowConditions {
    double speed = 0;  ///< m/s
    Fluid fluid;
    double length = 0;  ///< along a plate, or hydraulic diameter of a pipe, metres
    WallKind wall = WallKind::plate;
};

struct WallEstimate {
    double reynolds = 0;
    double skin_friction = 0;      ///< wall shear over speed^2 density / 2
    double friction_velocity = 0;  ///< m/s
    double viscous_length = 0;     ///< the height at which y+ is 1, metres
    double layer_thickness = 0;    ///< of the boundary layer at the length; a pipe's radius
    bool is_turbulent = true;
    std::string correlation;            ///< for the skin friction, with source and range
    std::vector<std::string> warnings;  ///< where a range is left
};

/// Plates: H. Blasius (1908) up to a Reynolds number of 5e5, above that H. Schlichting, Boundary-layer theory (1979),
/// up to 1e9. Pipes: laminar up to 2300, above that B. S. Petukhov (1970), 3e3 to 5e6. Throws InputError when a
/// quantity is not positive.
ANVILCAST_API WallEstimate estimate_wall(const FlowConditions& flow);

/// Where y+ is meant: solvers with values in the cells' centres see the wall at half of the first cell's height.
enum class YPlusAt { cell_center, cell_top };

/// Height of the first cell, metres.
ANVILCAST_API double first_height(const WallEstimate& wall, double y_plus, YPlusAt at);

}  // namespace anvilcast
