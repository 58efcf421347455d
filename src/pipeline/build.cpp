#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/pipeline.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/triangle_tree.hpp>

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

std::vector<Box> zone_boxes(const Surface& s) {
    std::vector<Box> boxes(s.zones.size());
    for (Index t = 0; t < s.triangles.size(); ++t)
        for (int k = 0; k < 3; ++k) boxes[s.zone_of[t]].include(s.corner(t, k));
    return boxes;
}

bool contains(const Box& outer, const Box& inner) {
    Box both = outer;
    both.include(inner);
    return both.lo == outer.lo && both.hi == outer.hi;
}

/// Zones of one name become one zone.
void merge_equal_zones(Surface& s) {
    std::vector<Zone> kept;
    std::vector<Index> number;
    for (const Zone& z : s.zones) {
        const auto it = std::find_if(kept.begin(), kept.end(), [&](const Zone& k) { return k.name == z.name; });
        number.push_back(static_cast<Index>(it - kept.begin()));
        if (it == kept.end()) kept.push_back(z);
    }
    for (Index& z : s.zone_of) z = number[z];
    s.zones = std::move(kept);
}

void name_zones(Surface& s, const Case& c, std::vector<std::string>& warnings) {
    if (c.zones.empty()) return;
    const TriangleTree tree(s.points, s.triangles);
    const std::vector<Box> boxes = zone_boxes(s);
    const std::vector<Zone> before = s.zones;
    std::vector<bool> named(s.zones.size(), false);
    for (const ZoneRule& rule : c.zones) {
        const Index nearest = rule.near ? s.zone_of[tree.closest(*rule.near).triangle] : kNone;
        std::size_t n = 0;
        for (Index z = 0; z < s.zones.size(); ++z) {
            if (named[z] || (rule.near && z != nearest) ||
                (rule.matches && !matches_pattern(before[z].name, *rule.matches)) ||
                (rule.inside_box && !contains(*rule.inside_box, boxes[z])))
                continue;
            named[z] = true;
            s.zones[z] = {rule.name, rule.role.value_or(before[z].role)};
            ++n;
        }
        if (n == 0) {
            std::string names;
            for (const Zone& z : before) names += (names.empty() ? "" : ", ") + z.name;
            warnings.push_back(fmt::format(
                "{}, line {}: the rule for zone \"{}\" fits no zone that is still unnamed; the zones are {}",
                c.file.string(), rule.line, rule.name, names));
        }
    }
    merge_equal_zones(s);
}

std::vector<Opening> chosen_openings(const Surface& body, const Case& c) {
    std::vector<Opening> chosen;
    if (c.openings.empty()) return chosen;
    const std::vector<Opening> all = find_openings(body);
    std::vector<std::string> taken_by(all.size());
    for (const OpeningSpec& spec : c.openings) {
        std::size_t at = 0;
        try {
            at = pick_opening(all, spec.near, c.unit);
        } catch (const GeometryError& e) {
            throw GeometryError(
                fmt::format("{}, line {}: [[opening]] \"{}\": {}", c.file.string(), spec.line, spec.name, e.what()));
        }
        if (!taken_by[at].empty())
            throw GeometryError(fmt::format("{}, line {}: [[opening]] \"{}\" picks the same opening as \"{}\"",
                                            c.file.string(), spec.line, spec.name, taken_by[at]));
        taken_by[at] = spec.name;
        chosen.push_back(all[at]);
        chosen.back().zone = {spec.name, spec.role};
    }
    return chosen;
}

void warn_of_unused_openings(const Domain& domain, const Case& c, std::vector<std::string>& warnings) {
    for (const OpeningSpec& spec : c.openings) {
        const auto& zones = domain.boundary.zones;
        if (std::none_of(zones.begin(), zones.end(), [&](const Zone& z) { return z.name == spec.name; }))
            warnings.push_back(
                fmt::format("opening \"{}\" does not touch the region \"{}\"", spec.name, c.region.name));
    }
}

}  // namespace

Surface load_parts(const Case& c, std::vector<std::string>& warnings) {
    std::vector<Surface> parts;
    for (const PartSpec& part : c.parts) {
        Surface s = read_stl(part.file, part.unit);
        if (part.weld > 0) weld(s, part.weld);
        parts.push_back(split_at_sharp_edges(s, part.split_angle));
    }
    Surface all = joined(parts);
    weld(all);
    name_zones(all, c, warnings);
    return all;
}

BuildResult build(const Case& c, const Context& context) {
    BuildResult result;
    Stopwatch watch(result.costs);
    context.report("domain", "reading the parts", 0);
    const Surface body = load_parts(c, result.warnings);
    result.bounds = body.bounds();
    context.report("domain", "openings and regions", 0.3);
    const Domain domain = extract_region(body, chosen_openings(body, c), c.region.inside, c.unit);
    warn_of_unused_openings(domain, c, result.warnings);
    result.domain_volume = domain.volume;
    watch.lap("domain");

    const SurfaceMesh surface = mesh_surface(domain, make_size_field(domain.boundary, c.sizing), {}, context);
    result.largest_deviation = surface.largest_deviation;
    result.largest_deviation_at = surface.largest_deviation_at;
    watch.lap("surface");

    FillOptions options;
    options.region = {c.region.name, c.region.kind};
    options.max_cells = c.limits.cells ? static_cast<std::size_t>(*c.limits.cells) : 0;
    result.mesh =
        fill_with_tetrahedra(surface, size_field_of_mesh(surface.surface, c.sizing), options, context, &result.fill);
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
