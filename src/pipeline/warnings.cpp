#include "pipeline/warnings.hpp"

#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include "base/names.hpp"

namespace anvilcast {
namespace {

/// A warning without what differs from one to the next: quoted names and numbers.
std::string kind_of(const std::string& warning) {
    std::string kind;
    bool is_quoted = false;
    for (const char c : warning) {
        if (c == '"') is_quoted = !is_quoted;
        const bool is_number = (c >= '0' && c <= '9') || c == '.' || c == '-' || c == '+';
        if (!is_quoted && !is_number) kind += c;
    }
    return kind;
}

bool is_wall_of_fluid(const Domain& domain, Index t, Index side) {
    const Index own = domain.sides[t][side], other = domain.sides[t][1 - side];
    if (own == kNone || domain.regions[own].kind != RegionKind::fluid) return false;
    const Role role = domain.boundary.zones[domain.boundary.zone_of[t]].role;
    if (role == Role::interface_) return other != kNone && domain.regions[other].kind == RegionKind::solid;
    return role == Role::wall || role == Role::baffle;
}

void warn_of_bare_walls(const Domain& domain, const std::vector<LayerForecast>& forecasts,
                        std::vector<std::string>& warnings) {
    std::set<Index> with_layers;
    std::set<std::pair<Index, Index>> covered;  // region, zone
    for (const LayerForecast& f : forecasts) {
        with_layers.insert(f.region);
        covered.insert({f.region, f.zone});
    }
    std::map<Index, std::set<Index>> bare;
    for (Index t = 0; t < domain.sides.size(); ++t)
        for (const Index side : {0U, 1U}) {
            const Index region = domain.sides[t][side], zone = domain.boundary.zone_of[t];
            if (!is_wall_of_fluid(domain, t, side) || !with_layers.contains(region)) continue;
            if (!covered.contains({region, zone})) bare[region].insert(zone);
        }
    for (const auto& [region, zones] : bare) {
        std::vector<std::string> names;
        for (const Index z : zones) names.push_back(domain.boundary.zones[z].name);
        warnings.push_back(fmt::format("no layers are asked for on {} of \"{}\": {}; other walls of it have some",
                                       names.size() == 1 ? "a wall" : "walls", domain.regions[region].name,
                                       fmt::join(names, ", ")));
    }
}

void warn_of_low_stacks(const Domain& domain, const std::vector<LayerForecast>& forecasts, const Case& c,
                        std::vector<std::string>& warnings) {
    if (!c.flow) return;
    const WallEstimate wall = estimate_wall(c.flow->conditions);
    // A pipe's is its radius, which nobody fills with layers.
    if (c.flow->conditions.wall == WallKind::pipe) return;
    for (const LayerForecast& f : forecasts)
        if (f.stack.total < wall.layer_thickness)
            warnings.push_back(
                fmt::format("layers on \"{}\" are {} together, the boundary layer is about {} thick: {} at growth "
                            "{:.4g} would cover it",
                            domain.boundary.zones[f.zone].name, format_length(f.stack.total, c.unit),
                            format_length(wall.layer_thickness, c.unit),
                            layers_to_reach(f.stack.first, f.stack.growth, wall.layer_thickness), f.stack.growth));
}

}  // namespace

void warn_of_layers(const Domain& domain, const std::vector<LayerForecast>& forecasts, const Case& c,
                    std::vector<std::string>& warnings) {
    warn_of_bare_walls(domain, forecasts, warnings);
    warn_of_low_stacks(domain, forecasts, c, warnings);
}

std::vector<std::string> zone_file_names(const VolumeMesh& mesh) {
    std::vector<std::string> names;
    for (const BoundaryZone& z : mesh.zones) names.push_back(z.name);
    return base::file_names(names);
}

void warn_of_names(const VolumeMesh& mesh, const Case& c, std::vector<std::string>& warnings) {
    const std::vector<std::string> files = zone_file_names(mesh);
    const CgnsNames in_cgns = cgns_names(mesh);
    // A number at the end, where zone and region have one name, changes nothing that anybody would miss.
    auto tell = [&](const char* what, const std::string& name, const std::string& there) {
        constexpr std::size_t kLongestOfCgns = 32;
        if (name.size() > kLongestOfCgns || name.find('/') != std::string::npos)
            warnings.push_back(fmt::format(
                "{} \"{}\" is called \"{}\" in mesh.cgns, where names have at most 32 bytes, each once, without \"/\"; "
                "its whole name stands beside it there",
                what, name, there));
    };
    for (std::size_t r = 0; r < mesh.regions.size(); ++r) tell("region", mesh.regions[r].name, in_cgns.regions[r]);
    for (std::size_t z = 0; z < mesh.zones.size(); ++z) {
        const std::string& name = mesh.zones[z].name;
        if (z < in_cgns.zones.size()) tell("zone", name, in_cgns.zones[z]);
        if (c.write_stl && files[z] != name)
            warnings.push_back(fmt::format("zone \"{}\" is written to zones/{}.stl", name, files[z]));
    }
}

void warn_of_surface_mesh(const SurfaceMesh& mesh, const Case& c, std::vector<std::string>& warnings) {
    auto at = [&](const Vec3& p) {
        return fmt::format("[{:.6g}, {:.6g}, {:.6g}] {}", p.x / c.unit.metres, p.y / c.unit.metres, p.z / c.unit.metres,
                           c.unit.name);
    };
    if (!mesh.too_far.empty())
        warnings.push_back(fmt::format(
            "the surface mesh is farther from the parts than asked for at {} places, e.g. at {}: ask for a smaller "
            "size there",
            mesh.too_far.size(), at(mesh.too_far.front())));
    auto tell = [&](SurfaceFlawKind kind, const char* text) {
        const auto is_it = [kind](const SurfaceFlaw& f) { return f.kind == kind; };
        const auto worst = std::find_if(mesh.flaws.begin(), mesh.flaws.end(), is_it);
        if (worst == mesh.flaws.end()) return;
        warnings.push_back(fmt::format(fmt::runtime(text),
                                       fmt::arg("count", std::count_if(mesh.flaws.begin(), mesh.flaws.end(), is_it)),
                                       fmt::arg("value", worst->value), fmt::arg("at", at(worst->place)),
                                       fmt::arg("zone", mesh.surface.zones[worst->zone].name)));
    };
    tell(SurfaceFlawKind::needle,
         "the surface mesh has {count} needle(s), the thinnest with an angle of {value:.3g}° at {at}, zone \"{zone}\": "
         "cells there will be as flat; look at the part there, or ask for a smaller size");
    tell(SurfaceFlawKind::fold,
         "the surface mesh is folded at {count} place(s), by {value:.0f}° at {at}, zone \"{zone}\": look at the part "
         "there, or ask for a smaller size");
    tell(SurfaceFlawKind::lost_area,
         "the area of {count} zone(s) changed in the surface mesh: \"{zone}\" has {value:.2f} times what it had, near "
         "{at}; ask for a smaller size there");
}

std::vector<std::string> gathered(const std::vector<std::string>& warnings) {
    constexpr std::size_t kFew = 3;
    std::map<std::string, std::size_t> count;
    for (const std::string& w : warnings) ++count[kind_of(w)];
    std::vector<std::string> out;
    for (const std::string& w : warnings) {
        std::size_t& n = count[kind_of(w)];
        if (n == 0) continue;
        if (n <= kFew) {
            out.push_back(w);
            continue;
        }
        out.push_back(fmt::format("{} (and {} more like it)", w, n - 1));
        n = 0;
    }
    return out;
}

std::string unit_suspicion(const Case& c, const Box& parts) {
    std::vector<Vec3> places;
    for (const OpeningSpec& o : c.openings)
        if (o.near) places.push_back(*o.near);
    for (const RegionRequest& r : c.regions)
        if (r.inside) places.push_back(*r.inside);
    if (places.empty() || parts.is_empty()) return "";
    const double margin = 0.2 * parts.diagonal();
    auto all_near = [&](double factor) {
        return std::all_of(places.begin(), places.end(),
                           [&](const Vec3& p) { return parts.distance_squared_to(p * factor) <= margin * margin; });
    };
    // Near the origin a place is near at every scale: it must be the scale that tells.
    const auto reach = [&](double factor) {
        double most = 0;
        for (const Vec3& p : places) most = std::max(most, length(p) * factor);
        return most;
    };
    const double farthest = std::max(length(parts.lo), length(parts.hi));
    if (all_near(1) && reach(1) > 0.01 * farthest) return "";
    for (const double factor : {1e-3, 1e3, 1e-2, 1e2, 1e-1, 1e1, 1 / 25.4, 25.4})
        if (all_near(factor) && reach(factor) > 0.1 * farthest)
            return fmt::format(
                "\nThe parts reach from {} to {} (x), and the places in the case would fit parts {} times as {}: is "
                "the "
                "unit of the parts right, and that of the case?",
                format_length(parts.lo.x, c.unit), format_length(parts.hi.x, c.unit),
                factor < 1 ? fmt::format("{:.4g}", 1 / factor) : fmt::format("{:.4g}", factor),
                factor < 1 ? "large" : "small");
    return "";
}

}  // namespace anvilcast
