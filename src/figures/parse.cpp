// Planes, views and colourings as people write them.

#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>

#include <fmt/format.h>

#include <array>

#include "base/nearest_name.hpp"
#include "base/plane_text.hpp"

namespace anvilcast {
CutPlane parse_cut_plane(std::string_view text, const LengthUnit& unit) {
    if (const auto read = base::plane_in(text, unit.metres)) {
        // Seen the way that people look at such a plane: from the front, from the right, from above.
        const int direction = read->axis == 1 ? -1 : 1;
        return {read->normal * direction, read->offset * direction};
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
    if (const auto eye = base::three_numbers_in(text); eye && length(*eye) > 0) return *eye;
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
