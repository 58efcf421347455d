// What is told of surfaces: their health, what mended them, wraps, the volumes that they enclose, openings.

#include <anvilcast/openings.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "tell/json_parts.hpp"
#include "tell/quality_parts.hpp"
#include "tell/text_parts.hpp"

namespace anvilcast {

using namespace tell;

namespace {

std::string sized(const DefectInfo& info, double size, const LengthUnit& unit) {
    const std::string what = info.size;
    if (what.empty() || (what == "depth" && size == 0)) return "";  // a depth of 0 is one that is not known
    return fmt::format("{} {}", what,
                       what == "area"     ? format_area(size, unit)
                       : what == "volume" ? format_volume(size, unit)
                                          : format_length(size, unit));
}

/// The distance that would mend all of a kind, rounded up to two digits.
std::string distance_hint(const SurfaceHealth& h, const DefectList& list, const LengthUnit& unit) {
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

std::string defects_text(const SurfaceHealth& h, const LengthUnit& unit) {
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

std::string rims_text(const SurfaceHealth& h, const LengthUnit& unit) {
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

std::string zone_table(const SurfaceHealth& h, const LengthUnit& unit) {
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

std::string distances_text(const DistanceSummary& d, const LengthUnit& unit) {
    return fmt::format("{} on average, 99 % within {}, {} at most at {}", format_length(d.mean, unit),
                       format_length(d.percentile_99, unit), format_length(d.largest, unit), place(d.largest_at, unit));
}

}  // namespace

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

std::string mend_text(const MendResult& mended, const std::string& file, const LengthUnit& unit) {
    std::string text = fmt::format("{}\n", bold("Mended"));
    text += mended.is_changed() ? mendings_text(mended.done, unit) : "  nothing: there was nothing to mend\n";
    for (const std::string& left : mended.left) text += fmt::format("  {} {}\n", bad("left:"), left);
    return text + fmt::format("  written to {}\n\n", file);
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
        if (o.seam > 0)
            text += fmt::format(
                "     its rim runs across a seam of up to {0}: a case closes it with [domain] join = \"{1}\"\n",
                format_length(o.seam, unit), format_length(1.2 * o.seam, unit));
        if (!o.rim_zones.empty()) text += fmt::format("     rim at {}\n", fmt::join(o.rim_zones, ", "));
    }
    text += "\nFor the case file (give each its name and role):\n";
    for (std::size_t i = 0; i < openings.size(); ++i)
        text += "\n" + opening_snippet(openings[i], fmt::format("opening-{}", i + 1), unit);
    return text;
}

std::string health_json(const SurfaceHealth& h, const std::string& source, const MendResult* mended, const Space* space,
                        const WrapResult* wrapped) {
    ordered_json zones = ordered_json::array(), rims = ordered_json::array(), shells = ordered_json::array();
    for (const ZoneMeasure& z : h.zones)
        zones.push_back({{"name", z.name},
                         {"role", role_name(z.role)},
                         {"role_is_guess", z.role_is_guess},
                         {"part", z.part},
                         {"triangles", z.triangles},
                         {"area", z.area},
                         {"bounds", json_of(z.bounds)},
                         {"center", json_of(z.center)},
                         {"mean_normal", json_of(z.mean_normal)}});
    for (const RimMeasure& r : h.rims)
        rims.push_back({{"center", json_of(r.rim.center)},
                        {"length", r.rim.length},
                        {"points", r.rim.points.size()},
                        {"extent", json_of(r.bounds.extent())},
                        {"loop", r.is_loop},
                        {"flat", r.is_flat},
                        {"crack", r.is_crack}});
    for (const Shell& s : h.shells)
        shells.push_back({{"triangles", s.triangles},
                          {"closed", s.is_closed},
                          {"area", s.area},
                          {"volume", s.is_closed ? ordered_json(s.volume) : ordered_json()},
                          {"bounds", json_of(s.bounds)},
                          {"depth", s.depth},
                          {"inside", s.inside == kNone ? ordered_json() : ordered_json(s.inside)}});
    ordered_json defects;
    for (const DefectList& list : h.defects) {
        const DefectInfo& info = defect_info(list.kind);
        ordered_json items = ordered_json::array();
        for (const Defect& d : list.items) {
            ordered_json item{{"place", json_of(d.place)}};
            if (*info.size != '\0') item["size"] = d.size;
            ordered_json triangles = ordered_json::array();
            for (const Index t : d.triangles)
                if (t != kNone) triangles.push_back(t);
            if (!triangles.empty()) item["triangles"] = triangles;
            items.push_back(std::move(item));
        }
        defects[info.key] = {{"count", list.items.size()},
                             {"severity", severity_name(info.severity)},
                             {"size_is", info.size},
                             {"mend", info.mend},
                             {"items", items}};
    }
    ordered_json out{{"surface", source},
                     {"closed", h.is_closed},
                     {"sound", h.is_sound},
                     {"blocked", h.is_blocked()},
                     {"tolerance", h.tolerance},
                     {"bounds", json_of(h.bounds)},
                     {"points", h.n_points},
                     {"triangles", h.n_triangles},
                     {"area", h.area},
                     {"enclosed_volume", h.is_closed ? ordered_json(h.enclosed_volume) : ordered_json()},
                     {"zones", zones},
                     {"shells", shells},
                     {"rims", rims},
                     {"defects", defects}};
    if (mended != nullptr) out["mended"] = {{"done", json_of(mended->done)}, {"left", mended->left}};
    if (wrapped != nullptr) out["wrap"] = json_of(wrapped);
    if (space != nullptr) out["volumes"] = cells_of_space({space->cells.begin() + 1, space->cells.end()});
    return dumped(out);
}

std::string openings_json(const std::vector<Opening>& openings, const std::string& source) {
    ordered_json list = ordered_json::array();
    for (const Opening& o : openings)
        list.push_back({{"center", json_of(o.center)},
                        {"facing", json_of(o.facing)},
                        {"area", o.area},
                        {"perimeter", o.perimeter},
                        {"hydraulic_diameter", o.hydraulic_diameter()},
                        {"kind", o.is_free_rim ? "free rim" : "bore"},
                        {"flat", o.is_flat},
                        {"ring", o.is_ring},
                        {"seam", o.seam},
                        {"rim_zones", o.rim_zones}});
    return dumped({{"surface", source}, {"openings", list}});
}

std::string opening_snippet(const Opening& opening, const std::string& name, const LengthUnit& unit) {
    const Vec3 near = rounded_place(opening, unit);
    const std::string seam = opening.seam > 0
                                 ? fmt::format("# its rim runs across a seam: [domain] join = \"{}\" closes it\n",
                                               format_length(1.2 * opening.seam, unit))
                                 : "";
    return seam +
           fmt::format(
               "[[opening]]\nname = \"{}\"\nrole = \"inlet\"  # or \"outlet\"\nnear = [{:.10g}, {:.10g}, {:.10g}]\n",
               name, near.x, near.y, near.z);
}

}  // namespace anvilcast
