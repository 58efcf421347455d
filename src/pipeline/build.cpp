#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>
#include <sys/resource.h>

#include <algorithm>
#include <chrono>

#include "io/files.hpp"

namespace anvilcast {
namespace {

/// Times each stage from the end of the one before.
class Stopwatch {
  public:
    explicit Stopwatch(std::vector<StageCost>& costs) : costs_(costs), start_(Clock::now()) {}
    void lap(const char* stage) {
        const auto now = Clock::now();
        rusage usage{};
        getrusage(RUSAGE_SELF, &usage);
        costs_.push_back(
            {stage, std::chrono::duration<double>(now - start_).count(), static_cast<double>(usage.ru_maxrss) / 1024});
        start_ = now;
    }

  private:
    using Clock = std::chrono::steady_clock;
    std::vector<StageCost>& costs_;
    Clock::time_point start_;
};

/// How each zone of a part is to be split; 0 for not at all.
double split_angle_of(const PartSpec& part, const SurfaceFile& file) {
    return part.split_angle.value_or(file.surface.zones.size() == 1 && !file.is_cad ? PartSpec::kDefaultSplitAngle : 0);
}

/// The openings that one [[opening]] picks.
std::vector<std::size_t> picked_by(const OpeningSpec& spec, const std::vector<Opening>& all, const LengthUnit& unit) {
    if (spec.near) return {pick_opening(all, *spec.near, unit)};
    std::vector<std::size_t> found;
    for (std::size_t k = 0; k < all.size(); ++k) {
        const auto& zones = all[k].rim_zones;
        if (spec.rim.empty() ||
            std::any_of(zones.begin(), zones.end(), [&](const std::string& z) { return matches_pattern(z, spec.rim); }))
            found.push_back(k);
    }
    std::string list;
    for (const Opening& o : all)
        list += fmt::format("\n  center [{0:.6g}, {1:.6g}, {2:.6g}], rim at {3}", rounded_place(o, unit).x,
                            rounded_place(o, unit).y, rounded_place(o, unit).z, fmt::join(o.rim_zones, ", "));
    if (found.empty())
        throw GeometryError(fmt::format(
            "{}; the openings are:{}",
            spec.rim.empty() ? std::string("there is none") : fmt::format("no rim touches a zone \"{}\"", spec.rim),
            list.empty() ? " none" : list));
    if (found.size() > 1 && !spec.all)
        throw GeometryError(
            fmt::format("rim = \"{}\" fits {} openings; write all = true for all of them, or near for one of:{}",
                        spec.rim, found.size(), list));
    return found;
}

std::vector<Opening> chosen_openings(const Surface& body, const Case& c) {
    std::vector<Opening> chosen;
    if (c.openings.empty()) return chosen;
    const std::vector<Opening> all = find_openings(body);
    std::vector<std::string> taken_by(all.size());
    for (const OpeningSpec& spec : c.openings) {
        auto place = [&] {
            return fmt::format("{}, line {}: [[opening]] \"{}\"", c.file.string(), spec.line, spec.name);
        };
        try {
            int number = 0;
            for (const std::size_t at : picked_by(spec, all, c.unit)) {
                // What was named one by one is not among "all" of the others.
                if (!taken_by[at].empty() && spec.all) continue;
                if (!taken_by[at].empty())
                    throw GeometryError(fmt::format("it picks the same opening as \"{}\"", taken_by[at]));
                taken_by[at] = spec.name;
                chosen.push_back(moved(body, all[at], spec.distance));
                std::string name = spec.name;
                if (spec.all) name.replace(name.find('*'), 1, std::to_string(++number));
                chosen.back().zone = {name, spec.role};
            }
        } catch (const GeometryError& e) {
            throw GeometryError(fmt::format("{}: {}", place(), e.what()));
        }
    }
    return chosen;
}

void warn_of_unused_openings(const Domain& domain, const std::vector<Opening>& openings,
                             std::vector<std::string>& warnings) {
    for (const Opening& o : openings) {
        const auto& zones = domain.boundary.zones;
        if (std::none_of(zones.begin(), zones.end(), [&](const Zone& z) { return z.name == o.zone.name; }))
            warnings.push_back(fmt::format("opening \"{}\" does not touch any region", o.zone.name));
    }
}

void warn_of_leftovers(const Domain& domain, const Case& c, std::vector<std::string>& warnings) {
    for (const Domain::Leftover& l : domain.leftovers)
        warnings.push_back(
            fmt::format("{} of zone \"{}\" lies inside of region \"{}\" and bounds nothing, e.g. at [{:.6g}, {:.6g}, "
                        "{:.6g}] {}: {}",
                        format_area(l.area, c.unit), l.zone, l.region, l.at.x / c.unit.metres, l.at.y / c.unit.metres,
                        l.at.z / c.unit.metres, c.unit.name,
                        c.drop_leftovers ? "it was dropped"
                                         : "it stays as a wall with two sides; give its zone the role baffle, or "
                                           "drop it with [domain] leftovers = \"drop\""));
}

void warn_of_slivers(const Space& space, const Case& c, std::vector<std::string>& warnings) {
    std::size_t n = 0;
    const SpaceCell* thickest = nullptr;
    for (std::size_t k = 1; k < space.cells.size(); ++k) {
        if (!space.cells[k].is_sliver()) continue;
        ++n;
        if (thickest == nullptr || space.cells[k].thickness() > thickest->thickness()) thickest = &space.cells[k];
    }
    if (n == 0) return;
    warnings.push_back(
        fmt::format("{} sliver{} of volume lie between parts that almost touch, or overlap by very little, up to {} "
                    "thick, e.g. at [{:.6g}, {:.6g}, {:.6g}] {}: join the parts with [domain] join = \"{}\"",
                    n, n == 1 ? "" : "s", format_length(thickest->thickness(), c.unit),
                    thickest->inside.x / c.unit.metres, thickest->inside.y / c.unit.metres,
                    thickest->inside.z / c.unit.metres, c.unit.name, format_length(2 * thickest->thickness(), c.unit)));
}

std::optional<Surround> surround_of(const Surface& body, const Case& c) {
    if (!c.surround) return std::nullopt;
    try {
        return make_surround(body, c.surround->options, c.unit);
    } catch (const InputError& e) {
        throw InputError(fmt::format("{}, line {}: {}", c.file.string(), c.surround->line, e.what()));
    }
}

/// Parts, openings and surround to the surfaces of the regions.
Domain make_domain(const LoadedParts& parts, const Case& c, BuildResult& result, const Context& context) {
    const std::vector<Opening> openings = chosen_openings(parts.surface, c);
    result.surround = surround_of(parts.surface, c);
    SpaceOptions options;
    options.join = c.join;
    options.part_of = parts.part_of;
    if (result.surround) {
        options.surround = &result.surround->surface;
        result.warnings.insert(result.warnings.end(), result.surround->warnings.begin(),
                               result.surround->warnings.end());
    }
    const Space space = divide_space(parts.surface, openings, options, context);
    result.corners_joined = space.complex.corners_joined;
    result.largest_join = space.complex.largest_move;
    Domain domain = choose_regions(space, c.regions, c.unit, {c.drop_leftovers});
    warn_of_unused_openings(domain, openings, result.warnings);
    warn_of_slivers(space, c, result.warnings);
    warn_of_leftovers(domain, c, result.warnings);
    result.regions = domain.regions;
    result.leftovers = domain.leftovers;
    result.left_out = domain.left_out;
    if (result.surround) result.surround->surface = {};
    return domain;
}

}  // namespace

LoadedParts load_parts(const Case& c, const Context& context) {
    LoadedParts out;
    std::vector<Surface> parts;
    std::vector<double> angles;
    for (const PartSpec& part : c.parts) {
        SurfaceFile file = read_surface(part.file, {part.unit, part.chord, part.angle});
        if (part.weld > 0) weld(file.surface, part.weld);
        for (Zone& z : file.surface.zones) z.part = part.name;
        angles.insert(angles.end(), file.surface.zones.size(), split_angle_of(part, file));
        out.warnings.insert(out.warnings.end(), file.warnings.begin(), file.warnings.end());
        parts.push_back(std::move(file.surface));
    }
    MendResult mended = mend(joined(parts), c.mend, context);
    for (const std::string& left : mended.left) out.warnings.push_back("not mended: " + left);
    out.mendings = std::move(mended.done);
    out.surface = split_at_sharp_edges(mended.surface, angles);
    for (const Index z : out.surface.zone_of) out.part_of.push_back(out.surface.zones[z].part);
    name_zones(out.surface, c.zones, c.unit);
    return out;
}

BuildResult build(const Case& c, const Context& context) {
    BuildResult result;
    Stopwatch watch(result.costs);
    context.report("domain", "reading the parts", 0);
    LoadedParts parts = load_parts(c, context);
    const Surface& body = parts.surface;
    result.mendings = std::move(parts.mendings);
    result.warnings = std::move(parts.warnings);
    result.bounds = body.bounds();
    context.report("domain", "openings and regions", 0.3);
    const Domain domain = make_domain(parts, c, result, context);
    result.domain_volume = domain.volume;
    for (const Zone& zone : domain.boundary.zones)
        if (zone.role_is_guess) result.guessed_roles.push_back(zone.name);
    watch.lap("domain");

    const Sizing sizing = make_sizing(domain, c.sizing, context);
    result.warnings.insert(result.warnings.end(), sizing.warnings.begin(), sizing.warnings.end());
    watch.lap("sizes");

    SurfaceMeshOptions surface_options = c.surface;
    surface_options.divisions = sizing.divisions;
    const SurfaceMesh surface = mesh_surface(domain, sizing.field, surface_options, context);
    result.largest_deviation = surface.largest_deviation;
    result.largest_deviation_at = surface.largest_deviation_at;
    watch.lap("surface");

    FillOptions options;
    options.max_cells = c.limits.cells ? static_cast<std::size_t>(*c.limits.cells) : 0;
    result.mesh = fill_with_tetrahedra(surface, with_finer_surface(sizing.field, surface.surface), options, context,
                                       &result.fill);
    watch.lap("fill");

    context.report("assess", "validity", 0);
    if (const auto faults = find_faults(result.mesh); !faults.empty())
        throw InternalError(
            fmt::format("the mesh that was made is not valid, so it is not written: {}", fmt::join(faults, "; ")));
    result.quality = assess(result.mesh, c.limits, context);
    watch.lap("assess");
    for (const std::string& w : result.warnings) context.warn(w);
    return result;
}

void write_build(const BuildResult& result, const Case& c, const std::filesystem::path& directory) {
    std::error_code code;
    std::filesystem::create_directories(c.write_stl ? directory / "zones" : directory, code);
    if (code)
        throw FailureError(fmt::format("{}: the directory cannot be made: {}", directory.string(), code.message()));
    write_cgns(directory / "mesh.cgns", result.mesh);
    if (c.write_vtu) write_vtu(directory / "mesh.vtu", result.mesh);
    if (c.write_stl) {
        const Surface boundary = boundary_surface(result.mesh);
        for (Index z = 0; z < boundary.zones.size(); ++z) {
            Surface zone;
            zone.points = boundary.points;
            zone.zones = {boundary.zones[z]};
            for (Index t = 0; t < boundary.triangles.size(); ++t)
                if (boundary.zone_of[t] == z) zone.triangles.push_back(boundary.triangles[t]);
            zone.zone_of.assign(zone.triangles.size(), 0);
            std::string name = boundary.zones[z].name;
            std::replace(name.begin(), name.end(), '/', '_');
            write_stl(directory / "zones" / (name + ".stl"), zone, c.unit);
        }
    }
    io::write_file(directory / "summary.json", summary_json(result, c));
}

}  // namespace anvilcast
