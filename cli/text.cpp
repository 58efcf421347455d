#include "text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "console.hpp"
#include "quality_text.hpp"
#include "text_parts.hpp"

namespace cli {
using namespace anvilcast;

static std::string sized(const DefectInfo& info, double size, const LengthUnit& unit) {
    const std::string what = info.size;
    if (what.empty() || (what == "depth" && size == 0)) return "";  // a depth of 0 is one that is not known
    return fmt::format("{} {}", what,
                       what == "area"     ? format_area(size, unit)
                       : what == "volume" ? format_volume(size, unit)
                                          : format_length(size, unit));
}

/// The distance that would mend all of a kind, rounded up to two digits.
static std::string distance_hint(const SurfaceHealth& h, const DefectList& list, const LengthUnit& unit) {
    double needed = 0;
    const char* option = nullptr;
    if (list.kind == DefectKind::rim) {
        option = "--close-rims";
        for (const RimMeasure& r : h.rims)
            if (!r.is_crack) needed = std::max(needed, r.bounds.diagonal());
    } else if (list.kind == DefectKind::crack || list.kind == DefectKind::t_junction) {
        option = "--stitch";
        needed = 2 * list.items.front().size;
    }
    if (option == nullptr || needed <= 0) return "";
    const double grain = std::pow(10.0, std::floor(std::log10(needed / unit.metres)) - 1);
    return fmt::format("; {} \"{:.6g} {}\" takes all", option, std::ceil(needed / unit.metres / grain) * grain,
                       unit.name);
}

static std::string defects_text(const SurfaceHealth& h, const LengthUnit& unit) {
    std::string text = fmt::format("\nDefects  (tolerance {})\n", format_length(h.tolerance, unit));
    std::string absent;
    for (const DefectList& list : h.defects) {
        const DefectInfo& info = defect_info(list.kind);
        if (list.items.empty()) {
            absent += fmt::format("{}{}", absent.empty() ? "" : ", ", info.name);
            continue;
        }
        const Defect& worst = list.items.front();
        const std::string count = fmt::format("{:>9}", grouped(list.items.size()));
        const std::string size = sized(info, worst.size, unit);
        text += fmt::format("  {:<23}{}  worst{}{} at {}\n", info.name,
                            info.severity == Severity::blocking ? bad(count) : count, size.empty() ? "" : " ", size,
                            place(worst.place, unit));
        text += fmt::format("  {:<23}{:>9}  {}: {}{}\n", "", "", severity_name(info.severity), info.mend,
                            distance_hint(h, list, unit));
    }
    // The kinds that were not found, wrapped.
    std::string line = "  none of: ";
    for (std::size_t at = 0; at < absent.size();) {
        const std::size_t end = std::min(absent.find(", ", at), absent.size() - 2) + 2;
        const std::string word = absent.substr(at, end - at);
        if (line.size() + word.size() > 110) {
            text += line + "\n";
            line = "    ";
        }
        line += word;
        at = end;
    }
    return text + line + "\n";
}

static std::string rims_text(const SurfaceHealth& h, const LengthUnit& unit) {
    constexpr std::size_t kMost = 12;
    if (h.rims.empty()) return "";
    std::string text =
        fmt::format("\n{:<8}{:>14}{:>9}  {:<36}center, {}\n", "Rims", "length", "points", "kind", unit.name);
    for (std::size_t i = 0; i < std::min(kMost, h.rims.size()); ++i) {
        const RimMeasure& r = h.rims[i];
        const std::string kind = r.is_crack ? "crack" : !r.is_loop ? "open chain" : r.is_flat ? "flat" : "not flat";
        text += fmt::format("  {:<6}{:>14}{:>9}  {:<36}{}\n", i + 1, format_length(r.rim.length, unit),
                            r.rim.points.size(), kind + ", " + extent(r.bounds, unit), place(r.rim.center, unit));
    }
    if (h.rims.size() > kMost) text += fmt::format("  and {} more (--json has all)\n", grouped(h.rims.size() - kMost));
    return text;
}

static std::string zone_table(const SurfaceHealth& h, const LengthUnit& unit) {
    constexpr std::size_t kMost = 40;
    std::vector<ZoneMeasure> zones = h.zones;
    const std::size_t width = std::min<std::size_t>(32, name_width(zones));
    std::string text = fmt::format("\n{:<{}}{:<14}{:>14}{:>10}  {:<19}{:<26}center, {}\n", "Zones", width + 2, "role",
                                   "area", "triangles", " mean normal", "extent, " + unit.name, unit.name);
    for (std::size_t i = 0; i < std::min(kMost, zones.size()); ++i) {
        const ZoneMeasure& z = zones[i];
        const Vec3 e = z.bounds.extent() / unit.metres, n = z.mean_normal;
        // What rounding has made of a flat zone is not worth reading.
        const double noise = 1e-9 * h.bounds.diagonal() / unit.metres;
        auto seen = [noise](double v) { return v < noise ? 0.0 : v; };
        auto clean = [](double v) { return std::abs(v) < 0.005 ? 0.0 : v; };
        const std::string normal = length(n) < 0.01
                                       ? " all round"
                                       : fmt::format("{:5.2f} {:5.2f} {:5.2f}", clean(n.x), clean(n.y), clean(n.z));
        text += fmt::format("  {:<{}}{:<14}", z.name, width,
                            fmt::format("{}{}", role_name(z.role), z.role_is_guess ? " (guess)" : ""));
        const std::string area = format_area(z.area, unit);
        text += fmt::format("{:>14}{:>10}  {:<19}{:<26}{}\n", area, grouped(z.triangles), normal,
                            fmt::format("{:.4g} x {:.4g} x {:.4g}", seen(e.x), seen(e.y), seen(e.z)),
                            place(z.center, unit));
    }
    if (zones.size() > kMost) text += fmt::format("  and {} more (--json has all)\n", grouped(zones.size() - kMost));
    return text;
}

std::string health_text(const SurfaceHealth& h, const std::string& source, const LengthUnit& unit) {
    std::string text = fmt::format("{}\n", bold(source));
    const Vec3 e = h.bounds.extent();
    text += fmt::format("  extent               {}  ({:.3g} m at the longest: right?)\n", extent(h.bounds, unit),
                        std::max({e.x, e.y, e.z}));
    text += fmt::format("  from, to             {} {}\n", place(h.bounds.lo, unit), place(h.bounds.hi, unit));
    text += fmt::format("  triangles, points    {}, {}\n", grouped(h.n_triangles), grouped(h.n_points));
    const auto n_closed = std::count_if(h.shells.begin(), h.shells.end(), [](const Shell& s) { return s.is_closed; });
    const auto n_inner = std::count_if(h.shells.begin(), h.shells.end(), [](const Shell& s) { return s.depth > 0; });
    text += fmt::format("  pieces               {}, {} of them closed, {} inside of others\n", grouped(h.shells.size()),
                        grouped(static_cast<std::size_t>(n_closed)), grouped(static_cast<std::size_t>(n_inner)));
    text += fmt::format("  area                 {}\n", format_area(h.area, unit));
    if (h.is_closed) text += fmt::format("  enclosed volume      {}\n", format_volume(h.enclosed_volume, unit));
    text += defects_text(h, unit) + rims_text(h, unit) + zone_table(h, unit);
    const std::string sentence = verdict(h, unit);
    return text + "\n" + (h.is_blocked() ? bad(sentence) : good(sentence)) + "\n";
}

static std::string mendings_text(const std::vector<Mending>& mendings, const LengthUnit& unit) {
    std::string text;
    for (const Mending& m : mendings) {
        text += fmt::format("  {:>9}  {}", grouped(m.count), m.what);
        if (m.largest_move > 0)
            text += fmt::format(", moving points by at most {} at {}", format_length(m.largest_move, unit),
                                place(m.at, unit));
        text += "\n";
    }
    return text;
}

std::string mend_text(const MendResult& mended, const std::string& file, const LengthUnit& unit) {
    std::string text = fmt::format("{}\n", bold("Mended"));
    text += mended.is_changed() ? mendings_text(mended.done, unit) : "  nothing: there was nothing to mend\n";
    for (const std::string& left : mended.left) text += fmt::format("  {} {}\n", bad("left:"), left);
    return text + fmt::format("  written to {}\n\n", file);
}

static std::string distances_text(const DistanceSummary& d, const LengthUnit& unit) {
    return fmt::format("{} on average, 99 % within {}, {} at most at {}", format_length(d.mean, unit),
                       format_length(d.percentile_99, unit), format_length(d.largest, unit), place(d.largest_at, unit));
}

std::string wrap_text(const WrapResult& w, const std::string& file, const LengthUnit& unit) {
    constexpr std::size_t kMost = 8;
    std::string text = fmt::format("\n{} at a gap of {}: {} triangles, closed and free of self-intersections\n",
                                   bold("Wrapped"), format_length(w.gap, unit), grouped(w.n_triangles));
    text += fmt::format("  to the original     {}\n", distances_text(w.to_original, unit));
    text += fmt::format("  from the original   {}\n", distances_text(w.from_original, unit));
    if (w.edges_asked > 0)
        text += fmt::format("  sharp edges         {:.1f} % of {} kept\n",
                            100 * std::min(1.0, w.edges_kept / w.edges_asked), format_length(w.edges_asked, unit));
    if (w.points_held_off > 0)
        text += fmt::format("  held off            {} points, so that thin sheets do not touch themselves\n",
                            grouped(w.points_held_off));
    if (w.bridged.empty()) text += "  bridged             nothing\n";
    if (!w.bridged.empty()) {
        double area = 0;
        for (const WrapFinding& f : w.bridged) area += f.area;
        text += fmt::format("  bridged             {} gap{}, {} together, now zone \"bridged\":\n",
                            grouped(w.bridged.size()), w.bridged.size() == 1 ? "" : "s", format_area(area, unit));
        for (std::size_t k = 0; k < std::min(kMost, w.bridged.size()); ++k)
            text += fmt::format("    {:<12} about {:<10} wide, at {} beside \"{}\"\n",
                                format_area(w.bridged[k].area, unit), format_length(w.bridged[k].width, unit),
                                place(w.bridged[k].place, unit), w.bridged[k].zone);
        if (w.bridged.size() > kMost) text += fmt::format("    and {} more\n", w.bridged.size() - kMost);
    }
    if (!w.lost.empty()) text += "  out of reach of the fluid, and left out:\n";
    for (std::size_t k = 0; k < std::min(kMost, w.lost.size()); ++k)
        text += fmt::format("    {:<12} {:>5.1f} % of zone \"{}\", e.g. at {}\n", format_area(w.lost[k].area, unit),
                            100 * w.lost[k].share, w.lost[k].zone, place(w.lost[k].place, unit));
    if (w.lost.size() > kMost) text += fmt::format("    and parts of {} zones more\n", w.lost.size() - kMost);
    return text + (file.empty() ? "" : fmt::format("  written to {}\n", file));
}

/// A few names, and how many more.
static std::string names_text(const std::vector<std::string>& names) {
    constexpr std::size_t kMost = 4;
    std::string text;
    for (std::size_t k = 0; k < std::min(kMost, names.size()); ++k) text += (k > 0 ? ", " : "") + names[k];
    return names.size() > kMost ? fmt::format("{} and {} more", text, names.size() - kMost) : text;
}

/// Cells that nobody asked for; the material of bodies is told as a sum.
static std::string left_out_text(const std::vector<SpaceCell>& cells, const LengthUnit& unit) {
    constexpr std::size_t kMost = 5;
    std::string text;
    double material = 0;
    std::size_t n_cavities = 0;
    for (const SpaceCell& c : cells) {
        if (!c.inside_of.empty()) {
            material += c.volume;
        } else if (++n_cavities <= kMost) {
            text += fmt::format("  left out  {} enclosed by {}, with the point {}\n", format_volume(c.volume, unit),
                                names_text(c.zones), place(c.inside, unit));
        }
    }
    if (n_cavities > kMost) text += fmt::format("            and {} more volumes\n", n_cavities - kMost);
    if (material > 0) text += fmt::format("  left out  {} in the material of bodies\n", format_volume(material, unit));
    return text;
}

std::string volumes_text(const Space& space, const LengthUnit& unit) {
    constexpr std::size_t kMost = 30;
    const std::size_t n = space.cells.size() - 1;
    std::string text = fmt::format("\nEnclosed volumes: {}", n);
    if (space.complex.pairs_cut > 0)
        text += fmt::format(" (after cutting {} pairs of triangles that meet)", grouped(space.complex.pairs_cut));
    text += "\n";
    for (std::size_t c = 1; c <= std::min(n, kMost); ++c) {
        const SpaceCell& cell = space.cells[c];
        text += fmt::format("  {:>3}  {:<18} inside = {}  {}, bounded by {}\n", c, format_volume(cell.volume, unit),
                            place(cell.inside, unit),
                            cell.inside_of.empty() ? "free" : "material of " + names_text(cell.inside_of),
                            names_text(cell.zones));
    }
    if (n > kMost) text += fmt::format("  and {} more\n", n - kMost);
    return text;
}

std::string openings_text(const std::vector<Opening>& openings, const std::string& source, const LengthUnit& unit) {
    std::string text =
        fmt::format("{}: {} opening{}\n", bold(source), openings.size(), openings.size() == 1 ? "" : "s");
    if (openings.empty())
        return text +
               "  An opening is the rim of a bore through a wall, or a free rim of a skin. None separates\n"
               "  an inside from the outside here. `anvilcast inspect` tells whether the surface is closed and in one "
               "piece.\n";
    for (std::size_t i = 0; i < openings.size(); ++i) {
        const Opening& o = openings[i];
        const Vec3 at = rounded_place(o, unit);
        text += fmt::format(
            "  {}  center [{:.6g}, {:.6g}, {:.6g}]  area {}  hydraulic diameter {}  facing [{:.2f}, {:.2f}, "
            "{:.2f}]{}\n",
            i + 1, at.x, at.y, at.z, format_area(o.area, unit), format_length(o.hydraulic_diameter(), unit),
            o.facing.x + 0.0, o.facing.y + 0.0, o.facing.z + 0.0, o.is_free_rim ? "  (free rim)" : "");
        if (o.is_ring) text += "     something passes through it: a ring is left\n";
        if (!o.is_flat) text += "     its rim is not flat\n";
        if (!o.rim_zones.empty()) text += fmt::format("     rim at {}\n", fmt::join(o.rim_zones, ", "));
    }
    text += "\nFor the case file (give each its name and role):\n";
    for (std::size_t i = 0; i < openings.size(); ++i)
        text += "\n" + opening_snippet(openings[i], fmt::format("opening-{}", i + 1), unit);
    return text;
}

std::string improve_text(const VolumeMesh& after, const ImproveReport& r, const ImproveOptions& options,
                         const std::string& source, const std::string& output, const LengthUnit& unit) {
    std::string text = fmt::format("{}\n  cells     {}, {} before\n  points    {}, {} before\n", bold(source),
                                   grouped(after.n_cells()), grouped(r.before.n_cells), grouped(after.points.size()),
                                   grouped(r.before.n_points));
    if (r.points_moved > 0)
        text += fmt::format(
            "  moved     {} points within; boundary and layers are as before\n  farthest  {}, at {} {}\n",
            grouped(r.points_moved), format_length(r.largest_move, unit), place(r.largest_move_at, unit), unit.name);
    text += fmt::format("\n{:<26}{:>12}{:>12}{:>12}{:>12}\n{:<26}{:>12}{:>12}{:>12}{:>12}\n", "", "worst", "worst",
                        "mean", "mean", "Quality", "before", "after", "before", "after");
    for (std::size_t k = 0; k < r.before.metrics.size(); ++k) {
        const Metric &b = r.before.metrics[k], &a = r.after.metrics[k];
        if (b.name == "volume") continue;
        const std::string label = b.unit.empty() ? b.name : b.name + ", " + b.unit;
        text += padded(label, 26);
        text += fmt::format("{:>12.4g}{:>12.4g}{:>12.4g}{:>12.4g}\n", b.low_is_better ? b.max : b.min,
                            a.low_is_better ? a.max : a.min, b.mean, a.mean);
    }
    text += "\nWorst place\n" + worst_row(r.after.metric("smallest dihedral"), unit);
    text +=
        fmt::format("\nTetrahedra with an angle below {:.4g}\xC2\xB0: {}, {} before; the smallest is {:.4g}\xC2\xB0.\n",
                    options.target, grouped(r.sharp_after.n), grouped(r.sharp_before.n), r.sharp_after.smallest);
    if (r.is_reached)
        text += good("The target is reached.") + "\n";
    else
        text += bad("The target is not reached") +
                fmt::format("; what is left is at the boundary as a rule, and that stays.{}\n",
                            options.may_add_cells ? "" : "\nNew points may help: --more-cells.");
    return text + fmt::format("Written to {}\n", output);
}

static std::string time_text(const std::vector<StageCost>& costs) {
    double total = 0;
    std::string text = "\nTime";
    for (const StageCost& s : costs) {
        text += fmt::format("  {} {:.1f} s", s.stage, s.seconds);
        total += s.seconds;
    }
    return text + fmt::format("  together {:.1f} s, peak memory {:.0f} MB\n", total,
                              costs.empty() ? 0 : costs.back().peak_megabytes);
}

static std::string absorbed_text(const AbsorbReport& a, const LengthUnit& unit) {
    if (a.faces + a.narrowed + a.edges == 0) return "";
    return fmt::format("  absorbed  {} faces, {} in part, and {} edges; the surface moved by {} at most, at {}\n",
                       a.faces, a.narrowed, a.edges, format_length(a.largest_move, unit),
                       place(a.largest_move_at, unit));
}

std::string build_text(const BuildResult& r, const Case& c, const std::string& directory) {
    const LengthUnit& unit = c.unit;
    std::string text = fmt::format("{}\n  parts     {}\n", bold(c.name), extent(r.bounds, unit));
    for (std::size_t i = 0; i < r.mesh.regions.size(); ++i)
        text += fmt::format("  region    {} ({})  {}\n", r.mesh.regions[i].name,
                            region_kind_name(r.mesh.regions[i].kind), format_volume(r.quality.region_volumes[i], unit));
    text += fmt::format("  cells     {}, {} points\n", cells_text(r.mesh), grouped(r.mesh.points.size()));
    text += fmt::format("  surface   within {} of the parts, worst at {}\n", format_length(r.largest_deviation, unit),
                        place(r.largest_deviation_at, unit));
    if (r.surround)
        text += fmt::format("  surround  the body is {} long, its frontal area {} blocks {:.2f} % of the section\n",
                            format_length(r.surround->body_length, unit), format_area(r.surround->frontal_area, unit),
                            100 * r.surround->blockage());
    if (r.corners_joined > 0)
        text += fmt::format("  joined    {} corners moved onto another part, by {} at most\n", r.corners_joined,
                            format_length(r.largest_join, unit));
    text += absorbed_text(r.absorbed, unit);
    text += left_out_text(r.left_out, unit);
    if (r.wrapped) text += wrap_text(*r.wrapped, "", unit);
    if (!r.mendings.empty()) text += "  mended\n" + mendings_text(r.mendings, unit);
    if (!r.fill.boundary_points_added.empty())
        text +=
            fmt::format("  boundary  {} points were added to its edges and faces, the first at {}\n",
                        r.fill.boundary_points_added.size(), place(r.fill.boundary_points_added.front().place, unit));
    text += zones_text(r.mesh, r.quality, unit, r.guessed_roles);
    text += layers_text(r.mesh, r.quality.layers, unit, &c) + shortfalls_text(r, unit);
    text += quality_text(r.mesh, r.quality, unit);
    text += time_text(r.costs);
    text += fmt::format("Written to {}: mesh.cgns{}{}, summary.json, report.html\n", directory,
                        c.write_vtu ? ", mesh.vtu" : "", c.write_stl ? ", zones/" : "");
    return text;
}

std::string surface_text(const SurfaceBuild& built, const Case& c, const std::string& directory) {
    const LengthUnit& unit = c.unit;
    const Surface& s = built.mesh.surface;
    std::string text =
        fmt::format("{}\n  parts     {}\n  surface   {} triangles, {} points\n", bold(c.name),
                    extent(built.result.bounds, unit), grouped(s.triangles.size()), grouped(s.points.size()));
    text += fmt::format("  deviation {} from the parts at most, at {} {}\n",
                        format_length(built.result.largest_deviation, unit),
                        place(built.result.largest_deviation_at, unit), unit.name);
    text += absorbed_text(built.result.absorbed, unit);
    if (built.result.wrapped) text += wrap_text(*built.result.wrapped, "", unit);
    text += surface_metrics_text(built.quality, unit) + "\nWorst places\n";
    for (const Metric& m : built.quality) text += worst_row(m, unit);
    text += time_text(built.result.costs);
    return text + fmt::format("Written to {}: surface.vtu, surface.stl, summary.json\n", directory);
}

/// 98171 as "98 200": a prediction has three digits.
static std::string rounded(double n) {
    if (!(n >= 1)) return "0";
    const double grain = std::pow(10.0, std::max(0.0, std::floor(std::log10(n)) - 2));
    return grouped(static_cast<std::size_t>(std::llround(std::round(n / grain) * grain)));
}

static std::string plan_zones_text(const Plan& p, const LengthUnit& unit, YPlusAt at) {
    const std::size_t width = name_width(p.zones);
    std::string text =
        fmt::format("\n{:<{}}{:<18}{:>12}  {:<12}area\n", "Zones", width + 2, "role", "triangles", "size");
    for (const ZonePlan& z : p.zones)
        text += fmt::format("  {:<{}}{:<18}{:>12}  {:<12}{}\n", z.name, width,
                            fmt::format("{}{}", role_name(z.role), z.role_is_guess ? " (guess)" : ""),
                            rounded(z.triangles), format_length(z.size, unit), format_area(z.area, unit));
    if (std::none_of(p.zones.begin(), p.zones.end(), [](const ZonePlan& z) { return z.layers.has_value(); }))
        return text;
    text += fmt::format("\n{:<{}}{:>6}{:>8}   {:<12}{:<12}{:<12}core beside is (height, volume)\n", "Layers", width + 2,
                        "count", "growth", "first", "last", "together");
    for (const ZonePlan& z : p.zones) {
        if (!z.layers) continue;
        text += fmt::format("  {:<{}}{:>6}{:>8.3f}   {:<12}{:<12}{:<12}{:.2f}, {:.2f} times as large", z.name, width,
                            z.layers->count, z.layers->growth, format_length(z.layers->first, unit),
                            format_length(z.layers->last, unit), format_length(z.layers->total, unit),
                            z.layers->step_to_core, z.volume_step);
        if (p.wall)
            text += fmt::format(
                "; first {:.4g} \xC2\xB5"
                "m, y+ {:.3g}",
                1e6 * z.layers->first, y_plus_of(z.layers->first, *p.wall, at));
        text += "\n";
    }
    return text;
}

static std::string sources_text(const Plan& p) {
    double volume = 0, cells = 0;
    for (const SourceShare& s : p.sources) {
        volume += s.volume;
        cells += s.cells;
    }
    const std::size_t width = name_width(p.sources);
    std::string text = fmt::format("\n{:<{}}{:>12}{:>16}{:>18}\n", "Sizes by", width + 2, "core cells",
                                   "share of cells", "share of volume");
    for (const SourceShare& s : p.sources)
        text += fmt::format("  {:<{}}{:>12}{:>14.1f} %{:>16.1f} %\n", s.name, width, rounded(s.cells),
                            100 * s.cells / cells, 100 * s.volume / volume);
    return text;
}

static std::string wall_lines(const WallEstimate& w, const LengthUnit& unit) {
    return fmt::format(
        "  Reynolds number    {:.4g}, {}\n"
        "  skin friction      {:.4g} ({})\n"
        "  friction velocity  {:.4g} m/s; y+ is 1 at {}\n"
        "  boundary layer     {} thick\n",
        w.reynolds, w.is_turbulent ? "turbulent" : "laminar", w.skin_friction, w.correlation, w.friction_velocity,
        format_length(w.viscous_length, unit), format_length(w.layer_thickness, unit));
}

std::string plan_text(const Plan& p, const Case& c) {
    const LengthUnit& unit = c.unit;
    std::string text = fmt::format("{}\n  parts     {}\n", bold(c.name), extent(p.bounds, unit));
    for (const RegionPlan& r : p.regions)
        text += fmt::format("  region    {} ({})  {}, {} cells\n", r.name, region_kind_name(r.kind),
                            format_volume(r.volume, unit), rounded(r.cells));
    text += absorbed_text(p.absorbed, unit);
    if (p.wrapped) text += wrap_text(*p.wrapped, "", unit);
    text += plan_zones_text(p, unit, c.flow ? c.flow->y_plus_at : YPlusAt::cell_center) + sources_text(p);
    if (p.wall) text += "\nFlow at the walls\n" + wall_lines(*p.wall, unit);
    text += fmt::format("\nPredicted\n  surface    {} triangles\n  core       {} cells\n", rounded(p.triangles),
                        rounded(p.core_cells));
    if (p.layer_cells > 0) text += fmt::format("  layers     {} cells\n", rounded(p.layer_cells));
    text += fmt::format("  together   {} cells, {}\n  takes      about {} s and {} MB on this machine\n\n",
                        bold(rounded(p.total_cells())),
                        p.wrapped ? "or up to twice as many: wraps are rough" : "within 15 %",
                        p.cost.seconds < 10 ? fmt::format("{:.1f}", p.cost.seconds) : rounded(p.cost.seconds),
                        rounded(p.cost.megabytes));
    if (!p.beyond.empty())
        for (const std::string& b : p.beyond) text += bad("Beyond the limit: ") + b + "\n";
    else
        text += p.cells_limit ? fmt::format("{} of {} cells.\n", good("Within the limit"),
                                            grouped(static_cast<std::size_t>(*p.cells_limit)))
                              : "No limit on cells is set ([limits] cells).\n";
    return text;
}

std::string wall_text(const WallQuestion& q, const LengthUnit& unit) {
    const WallEstimate w = estimate_wall(q.flow);
    const double first = first_height(w, q.y_plus, q.at);
    std::string text =
        fmt::format("First cell {} high for y+ = {:.4g} at the {} of the first cell\n",
                    bold(format_length(first, unit)), q.y_plus, q.at == YPlusAt::cell_center ? "center" : "top");
    text += fmt::format("  {} at {:.4g} m/s over {}: density {:.4g} kg/m\xC2\xB3, viscosity {:.4g} Pa s\n",
                        q.flow.fluid.name, q.flow.speed, format_length(q.flow.length, unit), q.flow.fluid.density,
                        q.flow.fluid.viscosity);
    text += wall_lines(w, unit);
    text += fmt::format("  layers             {} at growth {:.4g} cover the boundary layer\n",
                        layers_to_reach(first, q.growth, w.layer_thickness), q.growth);
    if (q.core_size > 0 && layers_to_grow(first, q.growth, kCoreHeight * q.core_size) == 0)
        text += fmt::format("                     none at growth {:.4g} ever meet a core of {}\n", q.growth,
                            format_length(q.core_size, unit));
    else if (q.core_size > 0)
        text += fmt::format("                     {} at growth {:.4g} meet a core of {} (cells {} high)\n",
                            layers_to_grow(first, q.growth, kCoreHeight * q.core_size), q.growth,
                            format_length(q.core_size, unit), format_length(kCoreHeight * q.core_size, unit));
    for (const std::string& warning : w.warnings) text += fmt::format("  {} {}\n", bad("careful:"), warning);
    return text;
}

std::string wall_json(const WallQuestion& q) {
    const WallEstimate w = estimate_wall(q.flow);
    const double first = first_height(w, q.y_plus, q.at);
    return wall_estimate_json(w, q.y_plus, first, layers_to_reach(first, q.growth, w.layer_thickness),
                              q.core_size > 0 ? layers_to_grow(first, q.growth, kCoreHeight * q.core_size) : 0);
}

}  // namespace cli
