// Lengths as people write them. Inside the library every length is in metres.
//
//     LengthUnit mm = parse_length_unit("mm");
//     double size = parse_length("2.5 in", mm);   // 0.0635: an explicit unit wins
#pragma once

#include <anvilcast/export.hpp>
#include <string>
#include <string_view>

namespace anvilcast {

struct LengthUnit {
    std::string name = "m";
    double metres = 1.0;  ///< length of one unit
};

/// The unit called m, cm, mm, um (or µm), km, in or ft. Throws InputError that lists them otherwise.
ANVILCAST_API LengthUnit parse_length_unit(std::string_view name);

/// A length in metres from "12", "12 mm" or "12mm"; a bare number is in `bare`.
/// Throws InputError when the text is not a finite number with a known unit.
ANVILCAST_API double parse_length(std::string_view text, const LengthUnit& bare);

/// A speed in m/s from "18 m/s", "65 km/h", "400 mm/s" or "60 ft/s"; a bare number is in m/s. Throws InputError.
ANVILCAST_API double parse_speed(std::string_view text);
/// Bytes from "2 GB", "500 MB" or "1 TB"; a bare number counts bytes. Not negative. Throws InputError.
ANVILCAST_API double parse_bytes(std::string_view text);
/// A temperature in kelvin from "20 C" or "293 K"; a bare number is in degrees Celsius. Throws InputError.
ANVILCAST_API double parse_temperature(std::string_view text);

/// A length for people: four significant digits in the given unit, e.g. "640 mm".
ANVILCAST_API std::string format_length(double metres, const LengthUnit& unit);
ANVILCAST_API std::string format_area(double square_metres, const LengthUnit& unit);
ANVILCAST_API std::string format_volume(double cubic_metres, const LengthUnit& unit);

/// 218743 as "218 743".
ANVILCAST_API std::string format_count(std::size_t n);

}  // namespace anvilcast
