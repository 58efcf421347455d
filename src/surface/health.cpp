#include <anvilcast/health.hpp>
#include <anvilcast/units.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "base/thread_limit.hpp"
#include "surface/findings.hpp"

namespace anvilcast {
namespace {

constexpr double kDefaultTolerance = 1e-5;

/// "2 rims", "1 rim": the names are plurals in s, patches and vertices apart.
std::string counted(std::size_t n, const std::string& plural) {
    if (n != 1) return fmt::format("{} {}", n, plural);
    std::string one = plural.substr(0, plural.find(" ("));
    if (one.ends_with("patches"))
        one.resize(one.size() - 2);
    else if (one.ends_with("vertices"))
        one.replace(one.size() - 4, 4, "ex");
    else if (one.ends_with("misses"))
        one.resize(one.size() - 2);
    else if (one.ends_with("bodies"))
        one.replace(one.size() - 3, 3, "y");
    else if (one.ends_with("s"))
        one.pop_back();
    return "1 " + one;
}

constexpr std::array<DefectInfo, kDefectKinds> kInfo{{
    {"rims (holes)", "rims", Severity::blocking, "length", "close them (--close-rims SIZE), or name them as openings"},
    {"cracks", "cracks", Severity::blocking, "gap", "stitch (--stitch DISTANCE)"},
    {"T-junctions", "t_junctions", Severity::blocking, "distance", "stitch (--stitch DISTANCE)"},
    {"non-manifold edges", "non_manifold_edges", Severity::warning, "length",
     "look: an inner wall, or bodies that touch along an edge"},
    {"non-manifold vertices", "non_manifold_vertices", Severity::note, "", "none needed: bodies that touch in a point"},
    {"duplicate triangles", "duplicate_triangles", Severity::warning, "area", "dropped without asking"},
    {"opposite duplicates", "opposite_duplicates", Severity::warning, "area",
     "look: two bodies that share a face, or a fold"},
    {"degenerate triangles", "degenerate_triangles", Severity::blocking, "length", "remove (--remove-needles HEIGHT)"},
    {"needle triangles", "needles", Severity::note, "height", "remove (--remove-needles HEIGHT)"},
    {"flipped patches", "flipped_patches", Severity::warning, "area", "turned without asking"},
    {"one-sided edges", "one_sided_edges", Severity::blocking, "length", "cut the surface there: it has no two sides"},
    {"inside-out bodies", "inside_out_bodies", Severity::warning, "volume", "turned without asking"},
    {"self-intersections", "self_intersections", Severity::warning, "extent",
     "none needed if meant: a build cuts them exactly; --volumes shows what they enclose"},
    {"coplanar overlaps", "overlaps", Severity::warning, "extent",
     "none needed if meant: a build makes one wall of both; --volumes shows what they enclose"},
    {"interferences", "interferences", Severity::warning, "depth",
     "none needed if meant: a build cuts the bodies where they meet"},
    {"near misses", "near_misses", Severity::warning, "distance",
     "join the parts ([domain] join, or --weld), or move them apart"},
    {"tiny pieces", "tiny_pieces", Severity::note, "extent", "drop specks (--drop-specks SIZE)"},
    {"tiny patches", "tiny_patches", Severity::note, "width", "none needed; small cells will be made there"},
    {"far from the origin", "lost_digits", Severity::warning, "step",
     "move the model to the origin before exporting it"},
    {"unlikely extent", "odd_extent", Severity::warning, "extent", "is the unit right? (--unit)"},
}};

bool smallest_is_worst(DefectKind kind) { return kind == DefectKind::near_miss || kind == DefectKind::needle; }

void sort_worst_first(DefectList& list) {
    const double sense = smallest_is_worst(list.kind) ? -1 : 1;
    std::sort(list.items.begin(), list.items.end(), [sense](const Defect& a, const Defect& b) {
        if (a.size != b.size) return sense * a.size > sense * b.size;
        return std::array{a.place.x, a.place.y, a.place.z} < std::array{b.place.x, b.place.y, b.place.z};
    });
}

std::string place_text(const Vec3& p, const LengthUnit& unit) {
    return fmt::format("[{:.5g}, {:.5g}, {:.5g}] {}", p.x / unit.metres, p.y / unit.metres, p.z / unit.metres,
                       unit.name);
}

/// The size of a defect with its unit, e.g. "gap 0.02 mm"; empty when there is nothing to say.
std::string size_text(DefectKind kind, double size, const LengthUnit& unit) {
    const std::string what = defect_info(kind).size;
    if (what.empty() || (kind == DefectKind::interference && size == 0)) return "";
    return fmt::format("{} {}", what,
                       what == "area"     ? format_area(size, unit)
                       : what == "volume" ? format_volume(size, unit)
                                          : format_length(size, unit));
}

}  // namespace

const char* severity_name(Severity severity) {
    return severity == Severity::note ? "note" : severity == Severity::warning ? "warning" : "blocking";
}

const DefectInfo& defect_info(DefectKind kind) { return kInfo[static_cast<std::size_t>(kind)]; }

double default_tolerance(const Surface& surface) { return kDefaultTolerance * surface.bounds().diagonal(); }

bool SurfaceHealth::is_blocked() const {
    return !is_closed || std::any_of(defects.begin(), defects.end(), [](const DefectList& d) {
        return !d.items.empty() && defect_info(d.kind).severity == Severity::blocking;
    });
}

SurfaceHealth examine(const Surface& surface, const HealthOptions& options, const Context& context) {
    SurfaceHealth health;
    health.tolerance =
        options.tolerance > 0 || surface.triangles.empty() ? options.tolerance : default_tolerance(surface);
    for (std::size_t k = 0; k < kDefectKinds; ++k) health.defects.push_back({static_cast<DefectKind>(k), {}});
    const SurfaceEdges edges(surface.triangles, surface.points.size());
    const Orientation orientation = find_orientation(surface, edges);
    health::Findings f{surface, edges, orientation, health.tolerance, options.sharp_angle, health, {}, {}};
    context.report("inspect", "sizes", 0);
    health::measure(f);
    if (surface.triangles.empty()) return health;
    context.report("inspect", "edges and corners", 0.2);
    health::find_local_defects(f);
    health::find_seams(f);
    context.report("inspect", "contacts", 0.5);
    health::find_contacts(f, context);

    health.is_closed =
        std::all_of(health.shells.begin(), health.shells.end(), [](const Shell& s) { return s.is_closed; });
    health.is_sound = health.is_closed;
    for (DefectList& list : health.defects) {
        sort_worst_first(list);
        if (!list.items.empty() && defect_info(list.kind).severity != Severity::note) health.is_sound = false;
    }
    return health;
}

std::string verdict(const SurfaceHealth& health, const LengthUnit& unit) {
    if (health.n_triangles == 0) return "There is no triangle in it.";
    std::string failures;
    for (const DefectList& list : health.defects) {
        if (list.items.empty() || defect_info(list.kind).severity != Severity::blocking) continue;
        const Defect& worst = list.items.front();
        const std::string size = size_text(list.kind, worst.size, unit);
        failures += fmt::format("{}{} ({}{}at {})", failures.empty() ? "" : ", ",
                                counted(list.items.size(), defect_info(list.kind).name), size, size.empty() ? "" : " ",
                                place_text(worst.place, unit));
    }
    const std::string begin = health.is_closed ? "Closed" : "Not closed";
    if (!failures.empty()) return fmt::format("{}, and this stands in the way: {}.", begin, failures);
    if (!health.is_closed) return "Not closed: free edges end at edges of three or more triangles.";
    return health.is_sound ? "Closed and sound." : "Closed. Nothing stands in the way, but see the warnings.";
}

Surface defect_marks(const SurfaceHealth& health) {
    Surface marks;
    const double arm = 0.004 * health.bounds.diagonal();
    for (const DefectList& list : health.defects) {
        if (list.items.empty()) continue;
        const auto zone = static_cast<Index>(marks.zones.size());
        marks.zones.push_back({defect_info(list.kind).key, Role::wall});
        for (const Defect& d : list.items) {
            const auto first = static_cast<Index>(marks.points.size());
            for (int i = 0; i < 6; ++i) {
                Vec3 p = d.place;
                p[i / 2] += i % 2 == 0 ? arm : -arm;
                marks.points.push_back(p);
            }
            for (const Index x : {0U, 1U})
                for (const Index y : {2U, 3U})
                    for (const Index z : {4U, 5U}) {
                        const bool outward = (x + y + z) % 2 == 0;
                        marks.triangles.push_back(outward ? Triangle{first + x, first + y, first + z}
                                                          : Triangle{first + x, first + z, first + y});
                        marks.zone_of.push_back(zone);
                    }
        }
    }
    return marks;
}

}  // namespace anvilcast
