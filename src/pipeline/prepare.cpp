// The first stages of a build, which a plan goes through too: parts, openings, surround, regions.

#include "pipeline/prepare.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/leaks.hpp>
#include <anvilcast/placement.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>
#include <sys/resource.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/place_text.hpp"
#include "pipeline/outer_bodies.hpp"
#include "pipeline/warnings.hpp"
#include "pipeline/wrap_case.hpp"

namespace anvilcast {
namespace {

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

std::vector<Opening> chosen_openings(const Surface& body, const std::vector<std::string>& part_of, const Case& c) {
    std::vector<Opening> chosen;
    if (c.openings.empty()) return chosen;
    const std::vector<Opening> all = find_openings(body, {.join = c.join, .part_of = part_of});
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
                chosen.push_back(moved(body, all[at], spec.is_swept ? 0 : spec.distance));
                std::string name = spec.name;
                if (spec.all) name.replace(name.find('*'), 1, std::to_string(++number));
                chosen.back().zone = {name, spec.role, spec.bc_type};
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

void warn_of_shapes(const Domain& domain, const Case& c, std::vector<std::string>& warnings) {
    for (const Domain::Overlap& o : domain.overlaps)
        warnings.push_back(
            fmt::format("the shapes of regions \"{}\" and \"{}\" overlap by {}, e.g. at {}: that is of "
                        "\"{}\", which stands first in the case",
                        o.first, o.second, format_volume(o.volume, c.unit), base::place_text(o.at, c.unit), o.first));
    for (const Domain::Film& f : domain.films)
        warnings.push_back(
            fmt::format("the shape of region \"{}\" leaves a film {} thick between itself and \"{}\" at "
                        "{}, which will need tiny cells: lay it onto the wall (or [domain] join = \"{}\"), "
                        "or move it away",
                        f.region, format_length(f.width, c.unit), f.zone, base::place_text(f.at, c.unit),
                        format_length(1.1 * f.width, c.unit)));
    for (const Divider& d : c.dividers) {
        const auto& zones = domain.boundary.zones;
        const std::string& name = d.surface.zones.front().name;
        if (d.is_sheet() && std::none_of(zones.begin(), zones.end(), [&](const Zone& z) { return z.name == name; }))
            warnings.push_back(fmt::format("surface \"{}\" lies in no region: it was left out", name));
    }
}

std::optional<Surround> surround_of(const Surface& body, const Case& c) {
    if (!c.surround) return std::nullopt;
    try {
        return make_surround(body, c.surround->options, c.unit);
    } catch (const InputError& e) {
        throw InputError(fmt::format("{}, line {}: {}", c.file.string(), c.surround->line, e.what()));
    }
}

/// The bodies that space is divided by.
struct Bodies {
    Surface surface;
    std::vector<std::string> part_of;  // of each triangle
    std::vector<Opening> openings;     // still to be put in
    std::map<std::string, std::string> file_of_body;
};

/// Parts, openings and surround to the surfaces of the regions.
Domain divide(const Bodies& bodies, const Case& c, BuildResult& result, const Context& context) {
    result.surround = surround_of(bodies.surface, c);
    SpaceOptions options;
    options.join = c.join;
    options.part_of = bodies.part_of;
    options.file_of_part = bodies.file_of_body;
    options.dividers = c.dividers;
    if (result.surround) {
        options.surround = &result.surround->surface;
        result.warnings.insert(result.warnings.end(), result.surround->warnings.begin(),
                               result.surround->warnings.end());
    }
    const Space space = divide_space(bodies.surface, bodies.openings, options, context);
    result.corners_joined = space.complex.corners_joined;
    result.largest_join = space.complex.largest_move;
    Domain domain = choose_regions(space, c.regions, c.unit, {c.drop_leftovers});
    warn_of_slivers(space, c, result.warnings);
    warn_of_shapes(domain, c, result.warnings);
    return domain;
}

std::vector<Vec3> points_inside(const Case& c) {
    std::vector<Vec3> points;
    for (const RegionRequest& r : c.regions)
        if (r.inside) points.push_back(*r.inside);
    return points;
}

/// What to try where the parts as they are do not enclose what was asked for; empty when a wrap would not help either.
std::string wrap_offer(const Bodies& bodies, const Case& c, const Context& context) {
    try {
        const Surface closed = close_openings(bodies.surface, bodies.openings);
        const auto inside = c.surround ? std::vector<Vec3>{} : points_inside(c);
        if (!c.surround && inside.empty()) return "";
        const auto gap = suggest_gap(closed, inside, c.unit, context);
        if (!gap) return "";
        return fmt::format(
            "\nOr wrap the geometry instead of mending it, at a gap that holds the fluid:\n"
            "  [wrap]\n  gap = \"{}\"",
            format_length(*gap, c.unit));
    } catch (const GeometryError&) {
        return "";
    } catch (const InputError&) {
        return "";
    }
}

Domain domain_of_all(Bodies bodies, const Case& c, BuildResult& result, const Context& context) {
    const bool wraps_first = c.wrap && (c.surround || !c.wrap->parts.empty());
    if (wraps_first) wrap_bodies(c, bodies.surface, bodies.part_of, bodies.file_of_body, result, context);
    bodies.openings = chosen_openings(bodies.surface, bodies.part_of, c);
    const std::vector<Opening> openings = bodies.openings;
    if (c.wrap && !wraps_first) {
        bodies.surface = close_openings(bodies.surface, bodies.openings);
        bodies.openings.clear();
        wrap_flow(c, bodies.surface, bodies.part_of, result, context);
    }
    Domain domain;
    try {
        domain = divide(bodies, c, result, context);
    } catch (const LeakError& e) {
        if (c.wrap) throw;
        throw LeakError(e.what() + wrap_offer(bodies, c, context), e.leaks());
    } catch (const GeometryError& e) {
        if (c.wrap) throw;
        throw GeometryError(e.what() + wrap_offer(bodies, c, context));
    }
    warn_of_unused_openings(domain, openings, result.warnings);
    warn_of_leftovers(domain, c, result.warnings);
    result.regions = domain.regions;
    result.leftovers = domain.leftovers;
    result.left_out = domain.left_out;
    if (result.surround) result.surround->surface = {};
    return domain;
}

/// Without the bodies that no flow gets to see; nothing where that cannot be told.
std::optional<Domain> domain_without_outer_bodies(const LoadedParts& parts, const Case& c, BuildResult& result,
                                                  const Context& context) {
    constexpr int kMostTries = 2;
    OuterBodies outer(parts.surface, parts.part_of, c);
    for (int k = 0; k < kMostTries && !outer.empty(); ++k) {
        BuildResult trial = result;
        try {
            Domain domain =
                domain_of_all({outer.rest(), outer.parts_of_rest(), {}, parts.file_of_body}, c, trial, context);
            if (outer.drop_those_that_matter(domain, c.join)) continue;
            const std::vector<SpaceCell> cells = outer.cells();
            domain.left_out.insert(domain.left_out.end(), cells.begin(), cells.end());
            trial.left_out = domain.left_out;
            result = std::move(trial);
            return domain;
        } catch (const InputError&) {
            break;
        } catch (const GeometryError&) {
            // They may close what the flow would leak through.
            break;
        }
    }
    return std::nullopt;
}

Domain make_domain(const LoadedParts& parts, const Case& c, BuildResult& result, const Context& context) {
    if (std::optional<Domain> domain = domain_without_outer_bodies(parts, c, result, context))
        return *std::move(domain);
    return domain_of_all({parts.surface, parts.part_of, {}, parts.file_of_body}, c, result, context);
}

}  // namespace

namespace {

/// The bodies of a CAD file are parts of their own; any other file is one.
void name_bodies(SurfaceFile& file, const std::string& name, std::map<std::string, std::string>& file_of_body) {
    std::set<std::string> bodies;
    for (const Zone& z : file.surface.zones) bodies.insert(z.part);
    const bool has_bodies = file.is_cad && bodies.size() > 1;
    for (Zone& z : file.surface.zones) {
        if (!has_bodies)
            z.part = name;
        else if (const auto known = file_of_body.find(z.part); known != file_of_body.end() && known->second != name)
            z.part = name + "." + z.part;
        file_of_body.emplace(z.part, name);
    }
}

}  // namespace

LoadedParts load_parts(const Case& c, const Context& context) {
    LoadedParts out;
    std::vector<Surface> parts;
    std::vector<double> angles;
    SurfaceFile original;
    for (const PartSpec& part : c.parts) {
        // Copies follow what they are copies of.
        const bool is_copy = !part.zone_ending.empty();
        if (!is_copy) {
            original = read_surface(part.file, {part.unit, part.chord, part.angle, part.patience, context.stop});
            if (part.weld > 0) weld(original.surface, part.weld);
        }
        SurfaceFile file = original;
        file.surface = placed(original.surface, part.placement);
        for (Zone& z : file.surface.zones) z.name += part.zone_ending;
        if (is_copy) file.warnings.clear();
        name_bodies(file, part.name, out.file_of_body);
        angles.insert(angles.end(), file.surface.zones.size(), split_angle_of(part, file));
        out.warnings.insert(out.warnings.end(), file.warnings.begin(), file.warnings.end());
        parts.push_back(std::move(file.surface));
    }
    MendResult mended = mend(joined(parts), c.mend, context);
    for (const std::string& left : mended.left) out.warnings.push_back("not mended: " + left);
    out.mendings = std::move(mended.done);
    out.surface = split_at_sharp_edges(mended.surface, angles);
    for (const Index z : out.surface.zone_of) out.part_of.push_back(out.surface.zones[z].part);
    name_zones(out.surface, c.zones, c.unit, out.file_of_body);
    return out;
}

void Stopwatch::lap(const char* stage, bool is_kept) {
    const auto now = Clock::now();
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    const double seconds = std::chrono::duration<double>(now - start_).count();
    const double megabytes = static_cast<double>(usage.ru_maxrss) / 1024;
    start_ = now;
    // What is done again counts to what was done before.
    const auto known = std::find_if(costs_.begin(), costs_.end(), [&](const StageCost& s) { return s.stage == stage; });
    if (known == costs_.end()) {
        costs_.push_back({stage, seconds, megabytes, is_kept});
        return;
    }
    known->seconds += seconds;
    known->peak_megabytes = megabytes;
}

LayerRequest layer_request(const Case& c) {
    LayerRequest request;
    request.recipes = c.layers;
    if (c.flow) {
        request.wall = estimate_wall(c.flow->conditions);
        request.y_plus_at = c.flow->y_plus_at;
    }
    return request;
}

std::size_t octree_budget(const Case& c) {
    // A mesh has several cells for each of its field; four times the limit still gets a prediction.
    constexpr double kLeast = 1e6, kMost = 2e7;
    return static_cast<std::size_t>(c.limits.cells ? std::clamp(4 * *c.limits.cells, kLeast, kMost) : kMost);
}

namespace {

/// What the geometry does not allow may be a wrong unit alone.
Domain domain_or_suspicion(const LoadedParts& parts, const Case& c, BuildResult& result, const Context& context) {
    try {
        return make_domain(parts, c, result, context);
    } catch (const LeakError& e) {
        throw LeakError(e.what() + unit_suspicion(c, result.bounds), e.leaks());
    } catch (const GeometryError& e) {
        throw GeometryError(e.what() + unit_suspicion(c, result.bounds));
    }
}

/// What joining left behind is worth an attempt, and no error when it cannot go.
Domain without_details(const Domain& domain, const Case& c, BuildResult& result, const Context& context) {
    try {
        Domain calm = absorb_details(domain, {c.absorb, c.sizing.feature_angle}, &result.absorbed, context);
        for (const std::string& zone : result.absorbed.zones)
            result.warnings.push_back(
                fmt::format("zone \"{}\" is gone: it was narrower everywhere than [sizing] absorb = {}", zone,
                            format_length(c.absorb, c.unit)));
        return calm;
    } catch (const GeometryError& e) {
        if (!c.absorbs_steps) throw;
        result.absorbed = {};
        result.warnings.push_back(fmt::format("steps that joining left stay: {}", e.what()));
        return domain;
    }
}

}  // namespace

Domain prepare_domain(const Case& c, BuildResult& result, const Context& context) {
    context.report("domain", "reading the parts", 0);
    LoadedParts parts = load_parts(c, context);
    result.mendings = std::move(parts.mendings);
    result.warnings = std::move(parts.warnings);
    result.bounds = parts.surface.bounds();
    context.report("domain", "openings and regions", 0.3);
    Domain domain = domain_or_suspicion(parts, c, result, context);
    result.domain_volume = domain.volume;
    if (c.absorb > 0) domain = without_details(domain, c, result, context);
    domain = make_periodic(domain, c.periodic, c.unit);
    for (const Zone& zone : domain.boundary.zones)
        if (zone.role_is_guess) result.guessed_roles.push_back(zone.name);
    return domain;
}

}  // namespace anvilcast
