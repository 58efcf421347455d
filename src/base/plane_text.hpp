// Planes as people write them.
#pragma once

#include <anvilcast/vectors.hpp>

#include <charconv>
#include <optional>
#include <string_view>

namespace anvilcast::base {

inline std::optional<double> number_in(std::string_view text) {
    while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
    double value = 0;
    const auto [end, status] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (status != std::errc() || end != text.data() + text.size()) return std::nullopt;
    return value;
}

inline std::optional<Vec3> three_numbers_in(std::string_view text) {
    Vec3 out;
    for (int k = 0; k < 3; ++k) {
        const std::size_t comma = text.find(',');
        if ((comma == std::string_view::npos) != (k == 2)) return std::nullopt;
        const auto value = number_in(text.substr(0, comma));
        if (!value) return std::nullopt;
        out[k] = *value;
        if (k < 2) text.remove_prefix(comma + 1);
    }
    return out;
}

/// The points p with dot(normal, p) = offset; `axis` is 0, 1 or 2 where it was written as "x = 120", else -1.
struct PlaneText {
    Vec3 normal;
    double offset = 0;
    int axis = -1;
};

/// "x = 120", or "1,1,0 at 10,20,30" (normal, place); lengths in units of `metres`. Nothing where it is neither.
inline std::optional<PlaneText> plane_in(std::string_view text, double metres) {
    const std::size_t equals = text.find('='), at = text.find(" at ");
    if (equals != std::string_view::npos) {
        const std::string_view axis = text.substr(0, equals);
        const std::size_t k = axis.find_first_not_of(' ');
        const auto value = number_in(text.substr(equals + 1));
        if (!value || k == std::string_view::npos || axis[k] < 'x' || axis[k] > 'z' ||
            axis.find_first_not_of(' ', k + 1) != std::string_view::npos)
            return std::nullopt;
        PlaneText plane{{0, 0, 0}, *value * metres, axis[k] - 'x'};
        plane.normal[plane.axis] = 1;
        return plane;
    }
    if (at == std::string_view::npos) return std::nullopt;
    const auto normal = three_numbers_in(text.substr(0, at)), place = three_numbers_in(text.substr(at + 4));
    if (!normal || !place || !(length(*normal) > 0)) return std::nullopt;
    const Vec3 n = normalized(*normal);
    return PlaneText{n, dot(n, *place) * metres, -1};
}

}  // namespace anvilcast::base
