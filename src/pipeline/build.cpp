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

LoadedParts load_parts(const Case& c, const Context& context) {
    LoadedParts out;
    std::vector<Surface> parts;
    std::vector<double> angles;
    for (const PartSpec& part : c.parts) {
        SurfaceFile file = read_surface(part.file, {part.unit, part.chord, part.angle});
        if (part.weld > 0) weld(file.surface, part.weld);
        angles.insert(angles.end(), file.surface.zones.size(), split_angle_of(part, file));
        out.warnings.insert(out.warnings.end(), file.warnings.begin(), file.warnings.end());
        parts.push_back(std::move(file.surface));
    }
    MendResult mended = mend(joined(parts), c.mend, context);
    for (const std::string& left : mended.left) out.warnings.push_back("not mended: " + left);
    out.mendings = std::move(mended.done);
    out.surface = split_at_sharp_edges(mended.surface, angles);
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
    const Domain domain = extract_region(body, chosen_openings(body, c), c.region.inside, c.unit);
    warn_of_unused_openings(domain, c, result.warnings);
    result.domain_volume = domain.volume;
    for (const Zone& zone : domain.boundary.zones)
        if (zone.role_is_guess) result.guessed_roles.push_back(zone.name);
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
