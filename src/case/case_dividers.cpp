#include "case/case_dividers.hpp"

#include <anvilcast/health.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/shapes.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "case/case_placement.hpp"
#include "case/case_sizes.hpp"

namespace anvilcast {
namespace {

/// A choice between shapes by their names.
std::string shape_among(const std::string& text, const std::vector<const char*>& known) {
    if (std::find(known.begin(), known.end(), text) != known.end()) return text;
    throw InputError(fmt::format("\"{}\" is not a shape; write one of {}", text, fmt::join(known, ", ")));
}

struct SkinOf {
    std::string name;
    Surface operator()(const BoxVolume& v) const { return box_surface(v.lo, v.hi, name); }
    Surface operator()(const BallVolume& v) const { return ball_surface(v.center, v.radius, name); }
    Surface operator()(const ConeVolume& v) const {
        return v.has_round_ends ? capsule_surface(v.from, v.to, v.radius_from, name)
                                : cone_surface(v.from, v.to, v.radius_from, v.radius_to, name);
    }
    Surface operator()(const BodyVolume& v) const {
        if (v.surface.triangles.empty() || !find_rims(v.surface).empty())
            throw InputError("the body is not closed; mend it, or close its rims");
        return v.surface;
    }
    template <typename Other>
    Surface operator()(const Other&) const {
        throw InputError("the shape of a region is given by itself, not by the extent of something else");
    }
};

Surface of_one_zone(Surface surface, const Zone& zone) {
    surface.zones = {zone};
    surface.zone_of.assign(surface.triangles.size(), 0);
    return surface;
}

}  // namespace

Divider read_shape_region(Section& s, const std::filesystem::path& folder) {
    Divider out;
    out.region = *s.name("name", "turning");
    out.kind = s.parsed("kind", parse_region_kind).value_or(RegionKind::fluid);
    for (const char* key : {"inside", "solid_of", "largest"})
        if (s.has(key))
            s.fail(
                fmt::format("[[region]] has a shape and {}: it is one or the other; what a shape is taken from is "
                            "told by within = [\"gas\"]",
                            key));
    if (out.kind == RegionKind::void_)
        s.fail("[[region]] a shape that is void would leave a hole: make it a part, and its zones walls");
    const auto shape = s.parsed("shape", [](const std::string& text) {
        return shape_among(text, {"box", "ball", "sphere", "cylinder", "cone", "capsule", "body"});
    });
    const Volume volume = read_volume(s, *shape, folder);
    const Placement placement = read_placement(s);
    try {
        out.surface = of_one_zone(placed(std::visit(SkinOf{out.region}, volume), placement), {out.region});
    } catch (const InputError& e) {
        s.fail(fmt::format("[[region]] \"{}\": {}", out.region, e.what()));
    }
    out.within = s.texts("within").value_or(std::vector<std::string>{});
    return out;
}

Divider read_sheet(Section& s, const std::filesystem::path& folder) {
    Divider out;
    Zone zone{*s.name("name", "throat")};
    zone.set(s.parsed("role", parse_role).value_or(BoundaryRole{Role::inner}));
    if (!is_within_region(zone.role))
        s.fail(
            fmt::format("[[surface]] \"{}\" divides nothing and cannot be {}: its role is inner, fan or screen (a "
                        "wall without thickness is a part, whose zone has the role baffle)",
                        zone.name, role_name(zone.role)));
    const auto shape = s.parsed("shape", [](const std::string& text) {
        return shape_among(text, {"disc", "rectangle", "body"});
    });
    if (!shape && !s.has("file"))
        s.fail(
            "[[surface]] does not say where it is: write shape = \"disc\" or \"rectangle\", or file = \"sheet.stl\"");
    Surface sheet;
    try {
        if (shape == "disc") {
            sheet = disc_surface(s.required_point("center"), s.required_direction("normal"),
                                 s.required_length("radius", "40 mm"), zone.name);
        } else if (shape == "rectangle") {
            const Vec3 center = s.required_point("center"), normal = s.required_direction("normal");
            const double width = s.required_length("width", "80 mm"), height = s.required_length("height", "60 mm");
            sheet =
                rectangle_surface(center, normal, s.direction("up").value_or(Vec3{0, 0, 1}), width, height, zone.name);
        } else {
            const std::filesystem::path file = folder / s.required_text("file", "sheet.stl");
            ReadSurfaceOptions options;
            options.unit = s.parsed("unit", [](const std::string& text) { return parse_length_unit(text); });
            if (!options.unit && !states_unit(file))
                s.fail("[[surface]] unit is missing: the unit of the numbers in that file, e.g. unit = \"mm\"");
            sheet = read_surface(file, options).surface;
            weld(sheet);
        }
    } catch (const InputError& e) {
        const std::string text = e.what();
        if (text.find(", line ") != std::string::npos) throw;
        s.fail(fmt::format("[[surface]] \"{}\": {}", zone.name, text));
    }
    out.surface = of_one_zone(placed(sheet, read_placement(s)), zone);
    s.finish();
    return out;
}

}  // namespace anvilcast
