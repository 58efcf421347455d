// Planes, views and colourings as people write them.

#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>

#include <fmt/format.h>

#include <array>
#include <charconv>

#include "base/nearest_name.hpp"

namespace anvilcast {
namespace {

std::optional<double> number(std::string_view text) {
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
    double value = 0;
    const auto [end, status] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (status != std::errc() || end != text.data() + text.size()) return std::nullopt;
    return value;
}

std::optional<Vec3> three_numbers(std::string_view text) {
    Vec3 out;
    for (int k = 0; k < 3; ++k) {
        const std::size_t comma = text.find(',');
        if ((comma == std::string_view::npos) != (k == 2)) return std::nullopt;
        const auto value = number(text.substr(0, comma));
        if (!value) return std::nullopt;
        out[k] = *value;
        if (k < 2) text.remove_prefix(comma + 1);
    }
    return out;
}

}  // namespace

CutPlane parse_cut_plane(std::string_view text, const LengthUnit& unit) {
    const std::size_t equals = text.find('='), at = text.find(" at ");
    if (equals != std::string_view::npos) {
        const std::string_view axis = text.substr(0, equals);
        const std::size_t k = axis.find_first_not_of(' ');
        const auto value = number(text.substr(equals + 1));
        if (value && k != std::string_view::npos && axis[k] >= 'x' && axis[k] <= 'z' &&
            axis.find_first_not_of(' ', k + 1) == std::string_view::npos) {
            CutPlane plane{{0, 0, 0}, *value * unit.metres};
            // Seen the way that people look at such a plane: from the front, from the right, from above.
            const int direction = axis[k] == 'y' ? -1 : 1;
            plane.normal[axis[k] - 'x'] = direction;
            plane.offset *= direction;
            return plane;
        }
    } else if (at != std::string_view::npos) {
        const auto normal = three_numbers(text.substr(0, at)), place = three_numbers(text.substr(at + 4));
        if (normal && place && length(*normal) > 0) {
            const Vec3 n = normalized(*normal);
            return {n, dot(n, *place) * unit.metres};
        }
    }
    throw InputError(
        fmt::format("\"{}\" is no plane; write \"x = 120\" or \"1,1,0 at 10,20,30\" (normal, place)", text));
}

Vec3 parse_view(std::string_view text) {
    struct Named {
        std::string_view name;
        Vec3 eye;
    };
    constexpr std::array<Named, 7> kViews{{{"front", {0, -1, 0}},
                                           {"back", {0, 1, 0}},
                                           {"left", {-1, 0, 0}},
                                           {"right", {1, 0, 0}},
                                           {"top", {0, 0, 1}},
                                           {"bottom", {0, 0, -1}},
                                           {"corner", {0.62, -1, 0.5}}}};
    for (const Named& v : kViews)
        if (v.name == text) return v.eye;
    if (const auto eye = three_numbers(text); eye && length(*eye) > 0) return *eye;
    throw InputError(fmt::format(
        "\"{}\" is no view; write front, back, left, right, top, bottom, corner, or where the eye is: \"1,-2,1\"",
        text));
}

Colouring parse_colouring(std::string_view text) {
    constexpr std::array<std::string_view, 6> kNames{"zone", "role", "type", "region", "size", "layers"};
    for (std::size_t k = 0; k < kNames.size(); ++k)
        if (kNames[k] == text) return {static_cast<ColourBy>(k), {}};
    if (const std::string_view nearest = nearest_name(text, kNames);
        !nearest.empty() && edit_distance(text, nearest) < 3)
        throw InputError(fmt::format("\"{}\" is nothing to colour by; did you mean \"{}\"?", text, nearest));
    return {ColourBy::metric, find_metric(text).id};
}

}  // namespace anvilcast
