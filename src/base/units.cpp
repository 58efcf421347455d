#include <anvilcast/units.hpp>

#include <fmt/format.h>

#include <anvilcast/errors.hpp>
#include <array>
#include <charconv>
#include <cmath>

namespace anvilcast {
namespace {

struct NamedUnit {
    std::string_view name;
    double metres;
};
constexpr std::array<NamedUnit, 8> kUnits{{{"m", 1.0},
                                           {"cm", 1e-2},
                                           {"mm", 1e-3},
                                           {"um", 1e-6},
                                           {"\xC2\xB5m", 1e-6},
                                           {"km", 1e3},
                                           {"in", 0.0254},
                                           {"ft", 0.3048}}};

std::string_view trimmed(std::string_view text) {
    const auto first = text.find_first_not_of(" \t");
    if (first == std::string_view::npos) return {};
    return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

/// Four significant digits, without an exponent where the number is of ordinary size: "270 900", "0.4163".
std::string four_digits(double value) {
    const double size = std::abs(value);
    if (size != 0 && (size < 1e-3 || size >= 1e10)) return fmt::format("{:.4g}", value);
    if (size < 1e4) return fmt::format("{:.4g}", value);
    const double grain = std::pow(10.0, std::floor(std::log10(size)) - 3);
    const std::string digits = fmt::format("{:.0f}", std::round(size / grain) * grain);
    std::string out = value < 0 ? "-" : "";
    for (std::size_t i = 0; i < digits.size(); ++i) {
        if (i > 0 && (digits.size() - i) % 3 == 0) out += ' ';
        out += digits[i];
    }
    return out;
}

struct Quantity {
    double value;
    std::string_view unit;  // empty when there is none
};

Quantity number_and_unit(std::string_view text, const char* what, const char* example) {
    const std::string_view body = trimmed(text);
    double value = 0;
    const auto [end, status] = std::from_chars(body.data(), body.data() + body.size(), value);
    if (status != std::errc() || !std::isfinite(value))
        throw InputError(fmt::format("\"{}\" is not {}; write a number and a unit, e.g. \"{}\"", body, what, example));
    return {value, trimmed(body.substr(static_cast<std::size_t>(end - body.data())))};
}

std::string format_power(double value, const LengthUnit& unit, int power, const char* suffix) {
    return fmt::format("{} {}{}", four_digits(value / std::pow(unit.metres, power)), unit.name, suffix);
}

}  // namespace

LengthUnit parse_length_unit(std::string_view name) {
    const std::string_view wanted = trimmed(name);
    for (const NamedUnit& unit : kUnits)
        if (unit.name == wanted) return {std::string(unit.name), unit.metres};
    throw InputError(fmt::format("\"{}\" is not a length unit; write one of m, cm, mm, um, km, in, ft", wanted));
}

double parse_length(std::string_view text, const LengthUnit& bare) {
    const auto [value, unit] = number_and_unit(text, "a length", "2.5 mm");
    return value * (unit.empty() ? bare : parse_length_unit(unit)).metres;
}

double parse_speed(std::string_view text) {
    const auto [value, unit] = number_and_unit(text, "a speed", "18 m/s");
    constexpr std::array<NamedUnit, 4> kSpeeds{{{"m/s", 1}, {"km/h", 1 / 3.6}, {"mm/s", 1e-3}, {"ft/s", 0.3048}}};
    for (const NamedUnit& u : kSpeeds)
        if (unit.empty() || unit == u.name) return value * u.metres;
    throw InputError(fmt::format("\"{}\" is not a unit of speed; write one of m/s, km/h, mm/s, ft/s", unit));
}

double parse_bytes(std::string_view text) {
    const auto [value, unit] = number_and_unit(text, "a size", "2 GB");
    if (!(value >= 0)) throw InputError(fmt::format("\"{}\" is below 0; write for example 2 GB", text));
    constexpr std::array<NamedUnit, 4> kSizes{{{"B", 1}, {"MB", 1e6}, {"GB", 1e9}, {"TB", 1e12}}};
    for (const NamedUnit& u : kSizes)
        if (unit.empty() || unit == u.name) return value * u.metres;
    throw InputError(fmt::format("\"{}\" is not a unit of size; write one of B, MB, GB, TB", unit));
}

double parse_temperature(std::string_view text) {
    const auto [value, unit] = number_and_unit(text, "a temperature", "20 C");
    if (unit == "K") return value;
    if (unit.empty() || unit == "C" ||
        unit ==
            "\xC2\xB0"
            "C")
        return value + 273.15;
    throw InputError(fmt::format("\"{}\" is not a unit of temperature; write C or K", unit));
}

std::string format_length(double metres, const LengthUnit& unit) { return format_power(metres, unit, 1, ""); }
std::string format_area(double square_metres, const LengthUnit& unit) {
    return format_power(square_metres, unit, 2, "\xC2\xB2");
}
std::string format_volume(double cubic_metres, const LengthUnit& unit) {
    return format_power(cubic_metres, unit, 3, "\xC2\xB3");
}

std::string format_count(std::size_t n) {
    const std::string digits = std::to_string(n);
    std::string out;
    for (std::size_t i = 0; i < digits.size(); ++i) {
        if (i > 0 && (digits.size() - i) % 3 == 0) out += ' ';
        out += digits[i];
    }
    return out;
}

}  // namespace anvilcast
