#include <anvilcast/case.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/surface_files.hpp>

#include <fmt/format.h>

#include "base/names.hpp"
#include "case/case_dividers.hpp"
#include "case/case_placement.hpp"
#include "case/case_plane.hpp"
#include "case/case_sizes.hpp"
#include "case/section.hpp"
#include "case/tables.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

/// Walks through the file's tables in the order in which the stages need them.
class CaseReader {
  public:
    CaseReader(const toml::table& root, const std::filesystem::path& file, const std::string& text)
        : top_(root, "the case file", file.string(), {}), file_(file) {
        case_.file = file;
        case_.text = text;
    }

    Case read() {
        read_head();
        if (top_.has("curve") || cuts_parts()) return read_plane();
        for (const toml::table* t : list("part")) read_part(*t);
        if (case_.parts.empty()) top_.fail(1, "there is no [[part]]; write [[part]] and file = \"body.stl\"");
        read_mend();
        for (const toml::table* t : list("zone")) read_zone(*t);
        for (const toml::table* t : list("opening")) read_opening(*t);
        read_wrap();
        read_surround();
        for (const toml::table* t : list("region")) read_region(*t);
        for (const toml::table* t : list("surface")) {
            Section s = section(*t, "[[surface]]");
            case_.dividers.push_back(read_sheet(s, file_.parent_path()));
        }
        check_regions();
        read_periodic_pairs();
        read_domain();
        read_sizes();
        read_flow_and_layers();
        read_fill();
        read_limits();
        read_export();
        read_keep();
        ignore_study();
        top_.finish();
        return std::move(case_);
    }

  private:
    Section section(const toml::table& table, const char* name) { return {table, name, file_.string(), case_.unit}; }

    const toml::table* table(const char* key, const char* example) {
        const toml::node* node = top_.find(key);
        if (node == nullptr) {
            if (example != nullptr) top_.fail(1, fmt::format("[{}] is missing; write {}", key, example));
            return nullptr;
        }
        if (!node->is_table())
            top_.fail(Section::line_of(*node), fmt::format("\"{}\" must be a table, written [{}]", key, key));
        return node->as_table();
    }
    std::vector<const toml::table*> list(const char* key) {
        std::vector<const toml::table*> out;
        const toml::node* node = top_.find(key);
        if (node == nullptr) return out;
        const toml::array* array = node->as_array();
        if (array == nullptr || !array->is_homogeneous(toml::node_type::table))
            top_.fail(Section::line_of(*node),
                      fmt::format("\"{}\" must be a list of tables, each written [[{}]]", key, key));
        for (const toml::node& item : *array) out.push_back(item.as_table());
        return out;
    }

    void read_head() {
        Section s = section(*table("case", "[case] and unit = \"mm\""), "[case]");
        case_.name = s.text("name").value_or(file_.stem().string());
        const auto unit = s.parsed("unit", [](const std::string& t) { return parse_length_unit(t); });
        if (!unit) s.fail("[case] unit is missing: the unit of bare lengths in this file, e.g. unit = \"mm\"");
        case_.unit = *unit;
        s.has("base");  // read already
        s.finish();
    }
    bool cuts_parts() {
        const toml::node* plane = top_.find("plane");
        return plane != nullptr && plane->is_table() && plane->as_table()->contains("at");
    }
    /// A plane mesh, or one that is swept: curves, drawn or cut out of parts.
    Case read_plane() {
        PlaneSpec& plane = case_.plane.emplace();
        const bool has_parts = cuts_parts();
        std::vector<const char*> strange{"opening", "wrap", "region", "surface", "domain", "fill"};
        if (!has_parts) strange.insert(strange.end(), {"part", "mend", "zone"});
        for (const char* key : strange)
            if (top_.has(key))
                top_.fail(
                    Section::line_of(*top_.find(key)),
                    fmt::format("a case with [[curve]] or [plane] at is a mesh in a plane, which has no [{}]: it "
                                "has [[curve]], [[divide]], [[area]], [[periodic]], [plane], [surround], [sizing], "
                                "[[refine]], [flow], [[layers]], [sweep], [limits], [export], and with [plane] at "
                                "also [[part]], [mend] and [[zone]]",
                                key));
        if (has_parts) {
            for (const toml::table* t : list("part")) read_part(*t);
            if (case_.parts.empty())
                top_.fail(1, "[plane] at cuts parts, and there is no [[part]]; write [[part]] and file = \"body.stl\"");
            read_mend();
            for (const toml::table* t : list("zone")) read_zone(*t);
        }
        for (const toml::table* t : list("curve")) {
            Section s = section(*t, "[[curve]]");
            for (PlaneCurve& curve : read_curve(s, file_.parent_path(), case_.unit))
                plane.curves.push_back(std::move(curve));
        }
        for (const toml::table* t : list("divide")) {
            Section s = section(*t, "[[divide]]");
            plane.curves.push_back(read_divide(s, file_.parent_path(), case_.unit, plane.curves));
        }
        for (const toml::table* t : list("area")) {
            Section s = section(*t, "[[area]]");
            plane.areas.push_back(read_area(s));
            for (const PlaneArea& other : plane.areas)
                if (other.name == plane.areas.back().name && other.kind != plane.areas.back().kind)
                    s.fail(fmt::format("the areas called \"{}\" are one region, which cannot be {} and {}", other.name,
                                       region_kind_name(other.kind), region_kind_name(plane.areas.back().kind)));
        }
        if (const toml::table* t = table("plane", nullptr)) {
            Section s = section(*t, "[plane]");
            read_plane_table(s, plane, case_.unit);
        }
        read_periodic_pairs();
        read_surround();
        read_sizes();
        read_flow_and_layers();
        plane.is_swept = top_.has("sweep");
        if (plane.is_swept) {
            Section s = section(*table("sweep", "[sweep] and along = [0, 0, 200], steps = 40"), "[sweep]");
            read_sweep(s, plane);
        }
        read_limits();
        read_export();
        read_keep();
        ignore_study();
        top_.finish();
        return std::move(case_);
    }
    void refuse_second(const Section& s, const std::string& part) const {
        for (const PartSpec& other : case_.parts)
            if (other.name == part)
                s.fail(fmt::format("there are two parts called \"{}\"; give one of them another name", part));
    }
    void read_part(const toml::table& t) {
        Section s = section(t, "[[part]]");
        PartSpec part;
        const std::string file = s.required_text("file", "body.stl");
        part.file = file_.parent_path() / file;
        std::string stem = std::filesystem::path(file).filename().string();
        stem = stem.substr(0, stem.find('.', 1));
        part.name = s.name("name").value_or(base::tidy_name(stem));
        refuse_second(s, part.name);
        part.unit = s.parsed("unit", [](const std::string& text) { return parse_length_unit(text); });
        if (!part.unit && !states_unit(part.file))
            s.fail(
                "[[part]] unit is missing: the unit of the numbers in that file, e.g. unit = \"mm\" (only STEP and "
                "IGES files "
                "say)");
        part.split_angle = s.number("split_angle", 1, 180);
        part.weld = s.distance("weld").value_or(0);
        part.chord = s.distance("chord").value_or(0);
        part.angle = s.number("angle", 0.1, 90).value_or(10);
        part.patience = s.number("patience", 1, 1e6).value_or(0);
        part.placement = read_placement(s);
        const std::vector<Placement> copies = read_copies(s, part.placement, case_.unit);
        s.finish();
        const std::string name = part.name;
        case_.parts.push_back(part);
        for (std::size_t k = 0; k < copies.size(); ++k) {
            part.placement = copies[k];
            part.zone_ending = fmt::format(".{}", k + 2);
            part.name = name + part.zone_ending;
            refuse_second(s, part.name);
            case_.parts.push_back(part);
        }
    }
    void read_mend() {
        const toml::table* t = table("mend", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[mend]");
        case_.mend.weld = s.distance("weld").value_or(0);
        case_.mend.stitch = s.distance("stitch").value_or(0);
        case_.mend.remove_needles = s.distance("remove_needles").value_or(0);
        case_.mend.drop_specks = s.distance("drop_specks").value_or(0);
        case_.mend.close_rims = s.distance("close_rims").value_or(0);
        case_.mend.drop_duplicates = s.truth("drop_duplicates").value_or(true);
        case_.mend.orient = s.truth("orient").value_or(true);
        s.finish();
    }
    void read_periodic_pairs() {
        for (const toml::table* t : list("periodic")) {
            Section s = section(*t, "[[periodic]]");
            case_.periodic.push_back(read_periodic(s, case_.plane.has_value()));
        }
    }
    void read_zone(const toml::table& t) {
        Section s = section(t, "[[zone]]");
        ZoneRule rule;
        rule.place = fmt::format("{}, line {}", file_.string(), s.line());
        rule.name = *s.name("name", "lid");
        if (const auto role = s.parsed("role", parse_role)) {
            rule.role = role->role;
            rule.bc_type = role->bc_type;
            if (rule.role == Role::periodic)
                s.fail(
                    fmt::format("[[zone]] \"{}\" repeats at another zone, which [[periodic]] zones = [\"{}\", \"...\"] "
                                "tells; leave its role out",
                                rule.name, rule.name));
        }
        rule.part = s.text("part");
        rule.matches = s.text("matches");
        rule.near = s.point("near");
        rule.normal = s.direction("normal");
        rule.normal_tolerance = s.number("normal_tolerance", 0, 180).value_or(rule.normal_tolerance);
        rule.inside_box = s.box("inside_box");
        if (auto plane = s.table("on_plane", "{ point = [0, 0, 20], normal = [0, 0, 1] }", case_.unit)) {
            rule.on_plane = Plane{plane->required_point("point"), plane->required_direction("normal")};
            plane->finish();
        }
        if (auto cylinder = s.table("on_cylinder", "{ from = [0, 0, 0], to = [0, 0, 1], radius = 40 }", case_.unit)) {
            rule.on_cylinder = Cylinder{cylinder->required_point("from"), cylinder->required_point("to"),
                                        cylinder->required_length("radius", "40 mm")};
            if (rule.on_cylinder->from == rule.on_cylinder->to)
                cylinder->fail("[[zone]] on_cylinder: from and to are one point");
            cylinder->finish();
        }
        rule.tolerance = s.distance("tolerance").value_or(0);
        rule.area = s.area_range("area");
        rule.touching = s.text("touching");
        if (!rule.part && !rule.matches && !rule.near && !rule.normal && !rule.inside_box && !rule.on_plane &&
            !rule.on_cylinder && !rule.area && !rule.touching)
            s.fail(
                "[[zone]] says what to name but not which zones: give part, matches, near, normal, inside_box, "
                "on_plane, "
                "on_cylinder, area or touching");
        s.finish();
        case_.zones.push_back(std::move(rule));
    }
    void read_opening(const toml::table& t) {
        Section s = section(t, "[[opening]]");
        OpeningSpec opening;
        opening.line = s.line();
        opening.name = *s.name("name", "gas-in");
        opening.near = s.point("near");
        opening.rim = s.text("rim").value_or("");
        opening.all = s.truth("all").value_or(false);
        if (!opening.near && opening.rim.empty() && !opening.all)
            s.fail("[[opening]] does not say which: give near = [x, y, z], rim = \"a zone at its rim\", or all = true");
        if (opening.near && opening.all) s.fail("[[opening]] near picks one opening: it does not go with all = true");
        if (opening.all && opening.name.find('*') == std::string::npos)
            s.fail(fmt::format("[[opening]] all = true needs a star in the name, for the number: name = \"{}-*\"",
                               opening.name));
        const auto duct = s.distance("duct"), inset = s.distance("inset");
        if (duct && inset) s.fail("[[opening]] has a duct and an inset; it can be moved one way only");
        opening.distance = duct.value_or(0) - inset.value_or(0);
        opening.is_swept = s.truth("swept").value_or(false);
        if (opening.is_swept && !(opening.distance > 0))
            s.fail("[[opening]] swept = true is of a duct: write its length, duct = \"200 mm\"");
        if (const auto steps = s.count("steps", 1, 1'000'000)) {
            if (!opening.is_swept) s.fail("[[opening]] steps are those of a duct that is swept: swept = true");
            opening.steps = *steps;
        }
        const auto role = s.parsed("role", parse_role);
        if (!role)
            s.fail(fmt::format("[[opening]] \"{}\" has no role; write role = \"inlet\" or role = \"outlet\"",
                               opening.name));
        opening.role = role->role;
        opening.bc_type = role->bc_type;
        if (is_within_region(opening.role) || opening.role == Role::interface_ || opening.role == Role::baffle ||
            opening.role == Role::periodic)
            s.fail(fmt::format("[[opening]] \"{}\" is an end of the flow and cannot be {}", opening.name,
                               role_name(opening.role)));
        // Ten inlets are often one condition.
        for (const OpeningSpec& other : case_.openings)
            if (other.name == opening.name && (other.role != opening.role || other.bc_type != opening.bc_type))
                s.fail(fmt::format("the openings called \"{}\" are one zone, which cannot be {} and {}", opening.name,
                                   role_text({other.role, other.bc_type}), role_text(*role)));
            else if (other.name == opening.name && (opening.is_swept || other.is_swept) &&
                     (other.is_swept != opening.is_swept || other.distance != opening.distance ||
                      other.steps != opening.steps))
                s.fail(fmt::format("the openings called \"{}\" are one zone, before which there is one kind of duct",
                                   opening.name));
        s.finish();
        case_.openings.push_back(std::move(opening));
    }
    void read_wrap() {
        const toml::table* t = table("wrap", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[wrap]");
        WrapSpec wrap;
        wrap.line = s.line();
        wrap.gap = s.required_length("gap", "3 mm");
        if (!(wrap.gap > 0)) s.fail("[wrap] gap must be more than 0: everything narrower than it is closed");
        wrap.detail = s.positive_length("detail");
        wrap.feature_angle = s.number("feature_angle", 1, 179).value_or(wrap.feature_angle);
        wrap.parts = s.texts("parts").value_or(std::vector<std::string>{});
        if (const toml::node* node = s.find("finer")) {
            const toml::array* list = node->as_array();
            if (list == nullptr || !list->is_homogeneous(toml::node_type::table))
                s.fail(Section::line_of(*node), "[wrap] finer must be a list of tables, each written [[wrap.finer]]");
            for (const toml::node& item : *list) {
                Section finer = section(*item.as_table(), "[[wrap.finer]]");
                wrap.finer.push_back(read_finer_gap(finer, file_.parent_path()));
                if (wrap.finer.back().gap >= wrap.gap)
                    finer.fail("[[wrap.finer]] gap is not finer than that of [wrap]");
            }
        }
        s.finish();
        case_.wrap = std::move(wrap);
    }
    void read_surround() {
        const toml::table* t = table("surround", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[surround]");
        SurroundSpec spec;
        spec.line = s.line();
        SurroundOptions& o = spec.options;
        o.shape = s.parsed("shape", parse_surround_shape).value_or(SurroundShape::box);
        o.flow = s.direction("flow").value_or(o.flow);
        o.up = s.direction("up").value_or(o.up);
        o.ahead = s.reach("ahead").value_or(o.ahead);
        o.behind = s.reach("behind").value_or(o.behind);
        o.aside = s.reach("aside").value_or(o.aside);
        o.above = s.reach("above").value_or(o.above);
        o.below = s.reach("below");
        const auto from = s.point("from"), to = s.point("to");
        if (from.has_value() != to.has_value())
            s.fail("[surround] from and to go together: two opposite corners of the box");
        if (from) {
            for (const char* key : {"ahead", "behind", "aside", "above", "below"})
                if (s.has(key))
                    s.fail(fmt::format("[surround] has corners (from, to) and the distance {}; give one or the other",
                                       key));
            o.corners = Box{};
            o.corners->include(*from);
            o.corners->include(*to);
        }
        o.center = s.point("center");
        o.radius = s.length("radius");
        o.ground = s.truth("ground").value_or(false);
        if (const auto at = s.length("ground_at")) {
            o.ground = true;
            o.ground_at = at;
        }
        const auto symmetry = s.parsed("symmetry", [](const std::string& text) {
            const std::string axes = "xyz";
            const bool turned = text.starts_with("-");
            const std::string axis = turned ? text.substr(1) : text;
            if (axis.size() != 1 || axes.find(axis) == std::string::npos)
                throw InputError(fmt::format(
                    "\"{}\" is not an axis; write \"y\" to keep the half with larger y, \"-y\" for the other", text));
            SymmetryPlane plane;
            plane.kept[static_cast<int>(axes.find(axis))] = turned ? -1 : 1;
            return plane;
        });
        o.symmetry = symmetry;
        const auto symmetry_at = s.length("symmetry_at");
        if (symmetry_at && !o.symmetry) s.fail("[surround] symmetry_at needs symmetry = \"y\"");
        if (o.symmetry) o.symmetry->at = symmetry_at.value_or(0);
        o.sides_apart = s.truth("sides_apart").value_or(false);
        if (o.sides_apart && (o.shape != SurroundShape::box || case_.plane))
            s.fail("[surround] sides_apart is for a box in space, whose sides become the zones left and right");
        s.finish();
        case_.surround = spec;
    }
    /// A point, or a face that the region is at.
    void read_inside(Section& s, RegionRequest& region) {
        const toml::node* node = s.find("inside");
        if (node == nullptr || !node->is_table()) {
            region.inside = s.point("inside");
            return;
        }
        auto face = s.table("inside", "{ opening = \"gas-in\" }", case_.unit);
        const auto opening = face->text("opening"), zone = face->text("zone");
        if (opening.has_value() == zone.has_value())
            face->fail("[[region]] inside: give an opening, or a zone, e.g. inside = { opening = \"gas-in\" }");
        const auto side = face->parsed("side", [](const std::string& text) {
            if (text != "out" && text != "in")
                throw InputError(fmt::format(
                    "\"{}\" is no side; write \"out\" for where the faces look, \"in\" for behind them", text));
            return text;
        });
        if (side && opening) face->fail("[[region]] inside: the flow is behind an opening; leave side out");
        face->finish();
        region.at_zone = opening ? *opening : *zone;
        region.is_behind = opening || side == "in";
    }
    void read_region(const toml::table& t) {
        Section s = section(t, "[[region]]");
        if (s.has("shape")) return read_region_of_shape(s);
        RegionRequest region;
        region.name = s.name("name").value_or("fluid");
        region.kind = s.parsed("kind", parse_region_kind).value_or(RegionKind::fluid);
        read_inside(s, region);
        region.solid_of = s.text("solid_of").value_or("");
        region.is_largest = s.truth("largest").value_or(false);
        const int n_ways = (s.has("inside") ? 1 : 0) + (region.solid_of.empty() ? 0 : 1) + (region.is_largest ? 1 : 0);
        if (n_ways > 1) s.fail("[[region]] has several of inside, solid_of and largest; give one of them");
        if (!region.solid_of.empty() && !s.has("kind")) region.kind = RegionKind::solid;
        region.is_around = n_ways == 0;
        if (region.is_around && !case_.surround)
            s.fail(
                "[[region]] does not say where it is: give a point in it, inside = [0, 0, 200], or an opening of it, "
                "inside = { opening = \"gas-in\" }, or largest = true, or solid_of = \"a part\"");
        for (const Divider& other : case_.dividers)
            if (other.region == region.name) s.fail(fmt::format("there are two regions called \"{}\"", region.name));
        for (const RegionRequest& other : case_.regions) {
            if (other.name == region.name) s.fail(fmt::format("there are two regions called \"{}\"", region.name));
            if (other.is_around && region.is_around)
                s.fail(fmt::format(
                    "regions \"{}\" and \"{}\" are both the one round the bodies: neither has a point inside",
                    other.name, region.name));
        }
        read_size_of_region(s, region.name);
        s.finish();
        case_.regions.push_back(std::move(region));
    }
    void read_size_of_region(Section& s, const std::string& name) {
        const double size = s.positive_length("size");
        if (size == 0) return;
        Refinement& all = case_.sizing.refine.emplace_back();
        all.name = "region " + name;
        all.volume = RegionVolume{name};
        all.size = size;
    }
    /// The inside of a shape. Several shapes of one name are one region.
    void read_region_of_shape(Section& s) {
        Divider shape = read_shape_region(s, file_.parent_path());
        for (const RegionRequest& other : case_.regions)
            if (other.name == shape.region) s.fail(fmt::format("there are two regions called \"{}\"", shape.region));
        for (const Divider& other : case_.dividers)
            if (other.region == shape.region && other.kind != shape.kind)
                s.fail(fmt::format("the shapes called \"{}\" are one region, which cannot be {} and {}", shape.region,
                                   region_kind_name(other.kind), region_kind_name(shape.kind)));
        read_size_of_region(s, shape.region);
        s.finish();
        case_.dividers.push_back(std::move(shape));
    }
    void check_regions() {
        if (case_.regions.empty() && case_.surround) {
            case_.regions.emplace_back();
            case_.regions.back().is_around = true;
        }
        if (case_.regions.empty())
            top_.fail(
                1, "a [[region]] with a point inside is needed, e.g. [[region]], name = \"gas\", inside = [0, 0, 200]");
    }
    void read_domain() {
        const toml::table* t = table("domain", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[domain]");
        case_.join = s.distance("join").value_or(0);
        const auto drop = s.parsed("leftovers", [](const std::string& text) {
            if (text == "keep" || text == "drop") return text == "drop";
            throw InputError(fmt::format("\"{}\" is not known; write \"keep\" or \"drop\"", text));
        });
        case_.drop_leftovers = drop.value_or(false);
        s.finish();
    }
    void read_sizes() {
        Section s = section(*table("sizing", "[sizing] and surface = 5"), "[sizing]");
        read_sizing(s, case_);
        std::size_t number = 0;
        for (const toml::table* t : list("refine")) {
            Section refine = section(*t, "[[refine]]");
            case_.sizing.refine.push_back(read_refinement(refine, file_.parent_path(), ++number));
            try {
                validate(case_.sizing);
            } catch (const InputError& e) {
                refine.fail(fmt::format("[[refine]]: {}", e.what()));
            }
        }
    }
    void read_flow_and_layers() {
        if (const toml::table* t = table("flow", nullptr)) {
            Section s = section(*t, "[flow]");
            case_.flow = read_flow(s);
        }
        for (const toml::table* t : list("layers")) {
            Section s = section(*t, "[[layers]]");
            case_.layers.push_back(read_layers(s));
            if (case_.layers.back().y_plus && !case_.flow)
                s.fail("[[layers]] y_plus needs the flow: [flow] with speed, fluid and length");
        }
    }
    void read_fill() {
        const toml::table* t = table("fill", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[fill]");
        const auto cells = s.text("cells");
        if (cells && *cells != "tetrahedra" && *cells != "polyhedra")
            s.fail(fmt::format("[fill] cells = \"{}\" is not known; write \"tetrahedra\" or \"polyhedra\"", *cells));
        if (cells && *cells == "polyhedra") case_.cells = FillCells::polyhedra;
        const auto core = s.text("core");
        if (core && *core != "same" && *core != "cubes")
            s.fail(
                fmt::format("[fill] core = \"{}\" is not known; write \"cubes\", or \"same\" for the same cells as "
                            "elsewhere",
                            *core));
        if (core && *core == "cubes") case_.core = FillCore::cubes;
        read_layout(s);
        s.finish();
    }
    void read_layout(Section& s) {
        const auto per_level = s.count("per_level", 1, 8);
        const auto axes = s.directions("axes");
        if ((per_level || axes) && case_.core != FillCore::cubes)
            s.fail(fmt::format("[fill] {} is for cubes: write core = \"cubes\" as well, or take it out",
                               per_level ? "per_level" : "axes"));
        if (per_level) case_.layout.per_level = *per_level;
        if (axes) case_.layout.axes = *axes;
    }
    void read_limits() {
        const toml::table* t = table("limits", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[limits]");
        auto read = [&](const char* key, double least, double most) {
            if (const auto value = s.number(key, least, most)) case_.limits.set(key, *value);
        };
        read("cells", 1, 1e10);
        case_.limits.usual = s.truth("usual").value_or(true);
        for (const char* short_name : {"skewness", "volume_growth"}) {
            const MetricInfo& m = find_metric(short_name);
            read(short_name, m.least, m.most);
        }
        for (const MetricInfo& m : metric_infos()) read(m.key, m.least, m.most);
        s.finish();
    }
    void read_export() {
        const toml::table* t = table("export", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[export]");
        if (const toml::node* node = s.find("formats")) {
            const toml::array* formats = node->as_array();
            if (formats == nullptr) s.wrong_type(*node, "formats", "a list, e.g. [\"cgns\", \"vtu\", \"stl\"]");
            for (const toml::node& item : *formats) {
                const std::string format = item.value_or(std::string("?"));
                if (format == "vtu")
                    case_.write_vtu = true;
                else if (format == "stl")
                    case_.write_stl = true;
                else if (format != "cgns")
                    s.fail(Section::line_of(item),
                           fmt::format("[export] formats: \"{}\" is not one of cgns, vtu, stl", format));
            }
        }
        case_.stl_as_text = s.truth("stl_as_text").value_or(false);
        case_.write_report = s.truth("report").value_or(true);
        s.finish();
    }
    /// A study's file may be a case of its own.
    void ignore_study() {
        for (const char* key : {"study", "vary"}) top_.has(key);
    }
    void read_keep() {
        const toml::table* t = table("keep", nullptr);
        if (t == nullptr) return;
        Section s = section(*t, "[keep]");
        case_.kept_bytes = s.optional_quantity("size", parse_bytes).value_or(case_.kept_bytes);
        s.finish();
    }

    Section top_;
    std::filesystem::path file_;
    Case case_;
};

}  // namespace

Case case_of_tables(const toml::table& tables, const std::filesystem::path& file, const std::string& text) {
    return CaseReader(tables, file, text).read();
}

Case parse_case(const std::string& text, const std::filesystem::path& file) {
    bool has_base = false;
    const toml::table tables = read_tables(text, file, &has_base);
    // What came from bases is part of what was asked for.
    return case_of_tables(tables, file, has_base ? text_of_tables(tables) : text);
}

Case read_case(const std::filesystem::path& file) { return parse_case(io::read_file(file), file); }

}  // namespace anvilcast
