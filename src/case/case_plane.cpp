#include "case/case_plane.hpp"

#include <anvilcast/naming.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>

#include "base/plane_text.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

FinerAt parse_finer_at(const std::string& text) {
    if (text == "start") return FinerAt::start;
    if (text == "end") return FinerAt::end;
    if (text == "ends") return FinerAt::ends;
    if (text == "middle") return FinerAt::middle;
    throw InputError(fmt::format("\"{}\" is not known; write \"start\", \"end\", \"ends\" or \"middle\"", text));
}

PlaneCells parse_plane_cells(const std::string& text) {
    if (text == "triangles") return PlaneCells::triangles;
    if (text == "quadrangles") return PlaneCells::quadrangles;
    if (text == "mapped") return PlaneCells::mapped;
    throw InputError(fmt::format("\"{}\" is not known; write \"triangles\", \"quadrangles\" or \"mapped\"", text));
}

/// The shape of a curve, whichever key tells it.
CurvePieces read_shape(Section& s, const std::filesystem::path& folder, const LengthUnit& unit) {
    static constexpr std::array<const char*, 6> kShapes{"points", "arc", "circle", "ellipse", "smooth", "file"};
    int n = 0;
    for (const char* key : kShapes) n += s.has(key) ? 1 : 0;
    if (n != 1)
        s.fail(fmt::format("{} has {} shapes; give one of points, arc, circle, ellipse, smooth, file", s.name(), n));
    const double corners = s.number("corners", 1, 180).value_or(30);
    const bool is_closed = s.truth("closed").value_or(false);
    auto closed = [&](std::vector<Vec2> points) {
        if (is_closed && !(points.front() == points.back())) points.push_back(points.front());
        return points;
    };
    if (const auto points = s.plane_points("points")) return straight_pieces(closed(*points));
    if (const auto points = s.plane_points("smooth")) return smooth_curve(closed(*points), corners);
    if (const auto points = s.plane_points("arc")) {
        if (points->size() != 3) s.fail("[[curve]] arc has three places: where it begins, one between, where it ends");
        return arc_through((*points)[0], (*points)[1], (*points)[2]);
    }
    if (auto t = s.table("circle", "{ middle = [0, 0], radius = 5 }", unit)) {
        const Vec2 middle = t->required_plane_point("middle");
        const double radius = t->required_length("radius", "5 mm");
        t->finish();
        if (!(radius > 0)) s.fail("[[curve]] circle radius must be above 0");
        return circle(middle, radius);
    }
    if (auto t = s.table("ellipse", "{ middle = [0, 0], first_radius = 5, second_radius = 3 }", unit)) {
        const Vec2 middle = t->required_plane_point("middle");
        const double first = t->required_length("first_radius", "5 mm"),
                     second = t->required_length("second_radius", "3 mm");
        const double turned = t->number("turned", -360, 360).value_or(0);
        t->finish();
        if (!(first > 0 && second > 0)) s.fail("[[curve]] ellipse: both radii must be above 0");
        return ellipse(middle, first, second, turned);
    }
    const std::filesystem::path file = folder / s.required_text("file", "section.txt");
    const auto own = s.parsed("unit", [](const std::string& text) { return parse_length_unit(text); });
    if (!own) s.fail("[[curve]] unit is missing: the unit of the numbers in that file, e.g. unit = \"mm\"");
    return smooth_curve(closed(parse_places(io::read_file(file), file.string(), own->metres)), corners);
}

/// A vector of the plane, which may be 0.
Vec2 step_of(Section& s, const char* key) { return s.plane_point(key).value_or(Vec2{}); }

void refuse_periodic(const Section& s, const std::optional<BoundaryRole>& role, const std::string& zone) {
    if (role && role->role == Role::periodic)
        s.fail(fmt::format("\"{}\" repeats at another zone, which [[periodic]] zones = [\"{}\", \"...\"] tells; leave its "
                           "role out",
                           zone, zone));
}

Zone end_zone(Section& s, const char* key, const char* role_key, const char* name) {
    Zone zone{s.name(key).value_or(name)};
    const auto role = s.parsed(role_key, parse_role);
    refuse_periodic(s, role, zone.name);
    zone.set(role.value_or(BoundaryRole{guess_role(zone.name)}));
    zone.role_is_guess = !role;
    return zone;
}

}  // namespace

std::vector<Vec2> parse_places(const std::string& text, const std::string& file, double metres) {
    std::vector<Vec2> out;
    std::istringstream lines(text);
    int number = 0;
    for (std::string line; std::getline(lines, line);) {
        ++number;
        if (const auto comment = line.find('#'); comment != std::string::npos) line.resize(comment);
        for (char& c : line)
            if (c == ',' || c == ';' || c == '\t' || c == '\r') c = ' ';
        if (line.find_first_not_of(' ') == std::string::npos) continue;
        std::istringstream words(line);
        Vec2 p;
        std::string more;
        if ((words >> p.x >> p.y) && std::isfinite(p.x) && std::isfinite(p.y) && !(words >> more)) {
            out.push_back({p.x * metres, p.y * metres});
        } else if (!out.empty()) {
            throw InputError(fmt::format("{}, line {}: expected two numbers, x and y", file, number));
        }
    }
    if (out.size() < 2)
        throw InputError(
            fmt::format("{}: it has {} line(s) of two numbers; a curve needs two at least, x and y in "
                        "columns",
                        file, out.size()));
    return out;
}

std::vector<PlaneCurve> read_curve(Section& s, const std::filesystem::path& folder, const LengthUnit& unit) {
    PlaneCurve curve;
    curve.line = s.line();
    curve.zone.name = *s.name("name", "wall");
    const auto role = s.parsed("role", parse_role);
    refuse_periodic(s, role, curve.zone.name);
    curve.zone.set(role.value_or(BoundaryRole{guess_role(curve.zone.name)}));
    curve.zone.role_is_guess = !role;
    try {
        curve.pieces = read_shape(s, folder, unit);
    } catch (const InputError& e) {
        if (std::string_view(e.what()).find(", line ") != std::string_view::npos) throw;
        s.fail(fmt::format("[[curve]] \"{}\": {}", curve.zone.name, e.what()));
    }
    PlaneMotion motion;
    motion.about = step_of(s, "about");
    motion.turned_deg = s.number("turned", -360, 360).value_or(0);
    motion.scale = s.number("scaled", 1e-9, 1e9).value_or(1);
    motion.moved = step_of(s, "moved");
    curve.pieces = moved_by(curve.pieces, motion);
    curve.divisions = s.count("divisions", 1, 10'000'000);
    curve.bias = s.number("bias", 1, 1e6).value_or(1);
    curve.finer_at = s.parsed("finer_at", parse_finer_at).value_or(FinerAt::start);
    std::vector<PlaneCurve> out{curve};
    if (auto copies = s.table("copies", "{ count = 5, step = [0, 20] }", unit)) {
        const int count = copies->count("count", 1, 100'000).value_or(1);
        PlaneMotion step;
        step.moved = step_of(*copies, "step");
        step.turned_deg = copies->number("turned", -360, 360).value_or(0);
        step.about = step_of(*copies, "about");
        copies->finish();
        if (step.moved == Vec2{} && step.turned_deg == 0)
            s.fail("[[curve]] copies need a step, [x, y], or an angle, turned, from one to the next");
        for (int k = 1; k < count; ++k) {
            PlaneCurve next = out.back();
            next.pieces = moved_by(next.pieces, step);
            out.push_back(std::move(next));
        }
    }
    // A star in the name stands for a number.
    if (const auto star = curve.zone.name.find('*'); star != std::string::npos)
        for (std::size_t k = 0; k < out.size(); ++k) out[k].zone.name.replace(star, 1, std::to_string(k + 1));
    s.finish();
    return out;
}

namespace {

/// The place at a share of the length of all curves of a name, which follow each other.
Vec2 place_along(const std::vector<PlaneCurve>& curves, const std::string& name, double share, const Section& s) {
    constexpr int kSteps = 2000;
    std::vector<Vec2> way;
    std::vector<std::string> names;
    for (const PlaneCurve& c : curves) {
        if (!c.divides) names.push_back(c.zone.name);
        if (c.divides || c.zone.name != name) continue;
        for (const CurvePiece& piece : c.pieces)
            for (int k = 0; k <= kSteps; ++k) way.push_back(place_on(piece, static_cast<double>(k) / kSteps));
    }
    if (way.empty()) s.fail(fmt::format("there is no curve \"{}\"; there are {}", name, fmt::join(names, ", ")));
    std::vector<double> along{0};
    for (std::size_t k = 1; k < way.size(); ++k)
        along.push_back(along.back() + std::hypot(way[k].x - way[k - 1].x, way[k].y - way[k - 1].y));
    const double wanted = share * along.back();
    const auto k = static_cast<std::size_t>(
        std::clamp<std::ptrdiff_t>(std::lower_bound(along.begin(), along.end(), wanted) - along.begin(), 1,
                                   static_cast<std::ptrdiff_t>(along.size()) - 1));
    const double step = along[k] - along[k - 1], t = step > 0 ? (wanted - along[k - 1]) / step : 0;
    return {way[k - 1].x + (way[k].x - way[k - 1].x) * t, way[k - 1].y + (way[k].y - way[k - 1].y) * t};
}

Vec2 end_of_divide(Section& s, const char* key, const LengthUnit& unit, const std::vector<PlaneCurve>& curves) {
    const toml::node* node = s.find(key);
    if (node == nullptr)
        s.fail(fmt::format("[[divide]] {} is missing: a place, [x, y], or {{ curve = \"bed\", at = 0.5 }}", key));
    if (!node->is_table()) return s.required_plane_point(key);
    auto t = s.table(key, "{ curve = \"bed\", at = 0.5 }", unit);
    const std::string name = t->required_text("curve", "bed");
    const double share = t->number("at", 0, 1).value_or(0.5);
    t->finish();
    return place_along(curves, name, share, s);
}

}  // namespace

PlaneCurve read_divide(Section& s, const std::filesystem::path& folder, const LengthUnit& unit,
                       const std::vector<PlaneCurve>& curves) {
    PlaneCurve line;
    line.line = s.line();
    line.divides = true;
    line.zone.name = "a dividing line";
    if (s.has("from") || s.has("to"))
        line.pieces = straight_pieces({end_of_divide(s, "from", unit, curves), end_of_divide(s, "to", unit, curves)});
    else
        line.pieces = read_shape(s, folder, unit);
    line.divisions = s.count("divisions", 1, 10'000'000);
    line.bias = s.number("bias", 1, 1e6).value_or(1);
    line.finer_at = s.parsed("finer_at", parse_finer_at).value_or(FinerAt::start);
    s.finish();
    return line;
}

void read_plane_table(Section& s, PlaneSpec& plane, const LengthUnit& unit) {
    plane.join = s.distance("join").value_or(0);
    plane.at = s.parsed("at", [&unit](const std::string& text) {
        const auto read = base::plane_in(text, unit.metres);
        if (!read)
            throw InputError(
                fmt::format("\"{}\" is no plane; write \"z = 0\" or \"1,1,0 at 10,20,30\" (normal, place)", text));
        return SectionPlane{read->normal, read->offset};
    });
    const auto corners = s.number("corners", 1, 180);
    if (corners && !plane.at) s.fail("[plane] corners is for [plane] at: the angle that makes a corner of an outline");
    plane.corner_angle_deg = corners.value_or(plane.corner_angle_deg);
    s.finish();
}

PlaneArea read_area(Section& s) {
    PlaneArea area;
    area.line = s.line();
    area.name = s.name("name").value_or("fluid");
    area.kind = s.parsed("kind", parse_region_kind).value_or(RegionKind::fluid);
    area.inside = s.plane_point("inside");
    area.cells = s.parsed("cells", parse_plane_cells).value_or(PlaneCells::triangles);
    area.corners = s.plane_points("corners").value_or(std::vector<Vec2>{});
    if (!area.corners.empty() && area.cells != PlaneCells::mapped)
        s.fail("[[area]] corners are for cells = \"mapped\"");
    if (!area.corners.empty() && area.corners.size() != 3 && area.corners.size() != 4)
        s.fail(fmt::format("[[area]] has {} corners; a mapped area has four, or three", area.corners.size()));
    s.finish();
    return area;
}

void read_sweep(Section& s, PlaneSpec& plane) {
    plane.sweep_line = s.line();
    int n = 0;
    for (const char* key : {"along", "one_cell", "axis", "path"}) n += s.has(key) ? 1 : 0;
    if (n != 1)
        s.fail(
            "[sweep] has one way: along = [0, 0, 200], or one_cell = \"1 mm\", or axis = [[0, 0], [0, 1]] with an "
            "angle, or path = [[x, y, z], ...]");
    const bool is_sheet = s.has("one_cell");
    SweepOptions& o = plane.sweep;
    if (const double depth = s.positive_length("one_cell"); is_sheet) {
        plane.path = StraightPath{{0, 0, depth}};
    } else if (const auto way = s.point("along")) {
        plane.path = StraightPath{*way};
    } else if (const auto axis = s.plane_points("axis")) {
        if (axis->size() != 2) s.fail("[sweep] axis has two places: [[x, y], [x, y]]");
        const auto angle = s.number("angle", 0, 360);
        if (!angle) s.fail("[sweep] angle is missing: degrees round the axis, up to 360");
        plane.path = RoundPath{(*axis)[0], (*axis)[1], *angle};
    } else {
        plane.path = PointsPath{*s.points("path"), s.truth("smooth").value_or(true)};
    }
    const auto steps = s.count("steps", 1, 1'000'000);
    plane.step_size = s.positive_length("size");
    if (is_sheet && (steps || plane.step_size > 0)) s.fail("[sweep] one_cell is one step; leave steps and size out");
    if (!is_sheet && steps.has_value() == (plane.step_size > 0))
        s.fail("[sweep] needs steps, how many, or size, how long one is about");
    o.steps = steps.value_or(1);
    o.bias = s.number("bias", 1, 1e6).value_or(1);
    o.finer_at = s.parsed("finer_at", parse_finer_at).value_or(FinerAt::start);
    o.twist_deg = s.number("twist", -36000, 36000).value_or(0);
    o.scale_at_end = s.number("scale", 1e-6, 1e6).value_or(1);
    o.first_end = end_zone(s, "start", "start_role", is_sheet ? "back" : "start");
    o.last_end = end_zone(s, "end", "end_role", is_sheet ? "front" : "end");
    if (is_sheet)
        for (Zone* zone : {&o.first_end, &o.last_end}) {
            if (zone->role_is_guess) zone->role = Role::symmetry;
            zone->role_is_guess = false;
        }
    if (o.first_end.name == o.last_end.name) s.fail("[sweep] start and end are two zones and need two names");
    s.finish();
}

}  // namespace anvilcast
