#include "pipeline/wrap_case.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <memory>

namespace anvilcast {
namespace {

/// How fast a finer gap grows with the distance from where it was asked for.
constexpr double kGapGrowth = 0.3;

[[noreturn]] void fail(const Case& c, int line, const std::string& what) {
    throw InputError(fmt::format("{}, line {}: {}", c.file.string(), line, what));
}

/// Distance from the zones that patterns fit.
std::function<double(const Vec3&)> distance_from_zones(const Case& c, const WrapSpec::Finer& finer,
                                                       const Surface& surface) {
    std::vector<Triangle> chosen;
    std::vector<bool> fits(surface.zones.size(), false);
    for (std::size_t z = 0; z < fits.size(); ++z)
        fits[z] = std::any_of(finer.near.begin(), finer.near.end(), [&](const std::string& pattern) {
            return matches_pattern(surface.zones[z].name, pattern);
        });
    for (Index t = 0; t < surface.triangles.size(); ++t)
        if (fits[surface.zone_of[t]]) chosen.push_back(surface.triangles[t]);
    if (chosen.empty())
        fail(c, finer.line, fmt::format("[[wrap.finer]] near fits no zone: {}", fmt::join(finer.near, ", ")));
    // Infinite beyond where it matters.
    const double reach = (c.wrap->gap - finer.gap) / kGapGrowth;
    return [tree = std::make_shared<TriangleTree>(surface.points, chosen), reach](const Vec3& p) {
        return tree->closest(p, reach).distance;
    };
}

LengthAt local_gap(const Case& c, const Surface& surface) {
    struct Source {
        double gap;
        std::function<double(const Vec3&)> distance;
    };
    std::vector<Source> sources;
    for (const WrapSpec::Finer& finer : c.wrap->finer) {
        if (finer.volume) sources.push_back({finer.gap, distance_from(*finer.volume, surface)});
        if (!finer.near.empty()) sources.push_back({finer.gap, distance_from_zones(c, finer, surface)});
    }
    if (sources.empty()) return {};
    return [sources, gap = c.wrap->gap](const Vec3& p) {
        double least = gap;
        for (const Source& s : sources) least = std::min(least, s.gap + kGapGrowth * std::max(0.0, s.distance(p)));
        return least;
    };
}

WrapResult wrapped(const Case& c, const Surface& surface, WrapOptions options, const Context& context) {
    options.gap = c.wrap->gap;
    options.detail = c.wrap->detail;
    options.feature_angle = c.wrap->feature_angle;
    options.gap_at = local_gap(c, surface);
    try {
        return wrap(surface, options, c.unit, context);
    } catch (const InputError& e) {
        fail(c, c.wrap->line, fmt::format("[wrap]: {}", e.what()));
    }
}

/// The triangles for which it holds, as a surface with all zones.
template <typename Holds>
Surface part_of_surface(const Surface& surface, const Holds& holds) {
    Surface out;
    out.points = surface.points;
    out.zones = surface.zones;
    out.feature_edges = surface.feature_edges;
    for (Index t = 0; t < surface.triangles.size(); ++t)
        if (holds(t)) {
            out.triangles.push_back(surface.triangles[t]);
            out.zone_of.push_back(surface.zone_of[t]);
        }
    drop_unused_points(out);
    return out;
}

}  // namespace

void wrap_bodies(const Case& c, Surface& surface, std::vector<std::string>& part_of,
                 const std::map<std::string, std::string>& file_of_body, BuildResult& result, const Context& context) {
    const auto& patterns = c.wrap->parts;
    auto is_chosen = [&](const std::string& part) {
        const auto file = file_of_body.find(part);
        return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& pattern) {
                   return matches_pattern(part, pattern) ||
                          (file != file_of_body.end() && matches_pattern(file->second, pattern));
               });
    };
    std::vector<std::string> chosen;
    for (const std::string& part : part_of)
        if (is_chosen(part) && std::find(chosen.begin(), chosen.end(), part) == chosen.end()) chosen.push_back(part);
    if (chosen.empty()) fail(c, c.wrap->line, fmt::format("[wrap] parts fits no part: {}", fmt::join(patterns, ", ")));
    const Surface dirty = part_of_surface(surface, [&](Index t) { return is_chosen(part_of[t]); });
    Surface clean = part_of_surface(surface, [&](Index t) { return !is_chosen(part_of[t]); });
    std::erase_if(part_of, is_chosen);
    result.wrapped = wrapped(c, dirty, {}, context);
    const std::string name = chosen.size() == 1 ? chosen.front() : "wrapped";
    part_of.insert(part_of.end(), result.wrapped->surface.triangles.size(), name);
    // Zones keep their numbers; the wrap's come after them, where they differ.
    const auto n_points = static_cast<Index>(clean.points.size()), n_zones = static_cast<Index>(clean.zones.size());
    Surface& own = result.wrapped->surface;
    const auto n_wrapped = static_cast<Index>(own.zones.size());
    clean.zones.insert(clean.zones.end(), own.zones.begin(), own.zones.end());
    clean.points.insert(clean.points.end(), own.points.begin(), own.points.end());
    for (const Triangle& t : own.triangles)
        clean.triangles.push_back({t[0] + n_points, t[1] + n_points, t[2] + n_points});
    for (const Index z : own.zone_of) clean.zone_of.push_back(z + n_zones);
    for (const Edge& e : own.feature_edges) clean.feature_edges.push_back({e[0] + n_points, e[1] + n_points});
    // A zone without triangles would be in the way of one of its name.
    std::vector<Index> number(n_zones + n_wrapped, kNone);
    std::vector<Zone> used;
    for (Index& z : clean.zone_of) {
        if (number[z] == kNone) {
            number[z] = static_cast<Index>(used.size());
            used.push_back(clean.zones[z]);
        }
        z = number[z];
    }
    clean.zones = std::move(used);
    surface = std::move(clean);
    own = {};
}

void wrap_flow(const Case& c, Surface& surface, std::vector<std::string>& part_of, BuildResult& result,
               const Context& context) {
    WrapOptions options;
    for (const RegionRequest& r : c.regions) {
        if (!r.solid_of.empty())
            fail(c, c.wrap->line,
                 fmt::format("[[region]] \"{}\" is the material of a part, which a wrap from the fluid's side does not "
                             "keep; wrap the dirty parts alone: [wrap] parts = [\"NAME*\"]",
                             r.name));
        if (!r.inside) continue;
        options.inside.push_back(*r.inside);
        options.names.push_back(r.name);
    }
    if (options.inside.empty())
        fail(c, c.wrap->line,
             "[wrap] needs a point in the fluid: [[region]] with inside = [x, y, z]; or a [surround]; or parts = "
             "[\"NAME*\"] to wrap bodies from outside");
    result.wrapped = wrapped(c, surface, options, context);
    surface = std::move(result.wrapped->surface);
    result.wrapped->surface = {};
    part_of.assign(surface.triangles.size(), "wrapped");
}

}  // namespace anvilcast
