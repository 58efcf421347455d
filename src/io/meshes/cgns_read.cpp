// Reads CGNS files, ours and others': unstructured zones of sections of one type, MIXED, or NGON_n with NFACE_n or
// parent elements; structured zones, whose blocks become one region; boundaries told by faces or by points, or not at
// all.

#include <anvilcast/assembly.hpp>
#include <anvilcast/mesh_files.hpp>

#include <algorithm>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "base/disjoint_sets.hpp"
#include "io/apart.hpp"
#include "io/files.hpp"
#include "io/meshes/cgns_file.hpp"
#include "io/meshes/cgns_nodes.hpp"
#include "io/meshes/missing_boundary.hpp"

namespace anvilcast {
namespace {

using namespace io;

Role role_of(BCType_t type) {
    switch (type) {
        case BCInflow:
        case BCInflowSubsonic:
        case BCInflowSupersonic:
        case BCTunnelInflow:
            return Role::inlet;
        case BCOutflow:
        case BCOutflowSubsonic:
        case BCOutflowSupersonic:
        case BCTunnelOutflow:
            return Role::outlet;
        case BCSymmetryPlane:
            return Role::symmetry;
        case BCFarfield:
            return Role::farfield;
        case BCGeneral:
            return Role::interface_;
        default:
            return Role::wall;
    }
}

/// Which points a boundary condition names.
struct ZoneByPoints {
    Index zone;
    std::vector<Index> points;
};

/// What a file holds, before anything that it leaves out is found.
struct CgnsContent {
    CellsAndBoundary cells;
    FacesOfPolyhedra polyhedra;               // their points, zones and regions are those of the cells
    std::vector<std::array<Index, 2>> twins;  // the same faces of two regions, the second first
    std::vector<ZoneByPoints> zones_by_points;
    bool is_ours = false;  // written by us: nothing is left to guess

    bool has_polyhedra() const { return !polyhedra.cell_region.empty(); }
};

class CgnsReader {
  public:
    explicit CgnsReader(const std::filesystem::path& path)
        : path_(path.string()), nodes_(path), file_(path, CG_MODE_READ, false) {}

    CgnsContent read() {
        choose_base();
        int n_zones = 0;
        file_.check(cg_nzones(*file_, base_, &n_zones));
        if (n_zones < 1) wrong("it has no zone");
        for (zone_ = 1; zone_ <= n_zones; ++zone_) read_zone();
        join_connections();
        return {std::move(out_), std::move(polyhedra_), std::move(twin_), std::move(zones_by_points_), is_ours_};
    }

  private:
    using Face = std::vector<Index>;
    /// An interface as one of its sides tells it.
    struct Connection {
        int zone;
        std::string name, donor;
        std::vector<cgsize_t> own, theirs;
        std::map<cgsize_t, Face> faces;      // of the own elements
        std::map<cgsize_t, Index> polygons;  // those of them that are of polyhedra
        bool is_by_points = false;           // then own and theirs are points
    };
    struct Range {
        cgsize_t first, last;
        Index zone;
    };
    /// Points in rows, from 1 on each way.
    struct Block {
        std::array<cgsize_t, 3> size;
        std::size_t number(const std::array<cgsize_t, 3>& at) const {
            return static_cast<std::size_t>(at[0] - 1 + size[0] * (at[1] - 1 + size[1] * (at[2] - 1)));
        }
        bool has(const std::array<cgsize_t, 3>& at) const {
            for (std::size_t k = 0; k < 3; ++k)
                if (at[k] < 1 || at[k] > size[k]) return false;
            return true;
        }
    };
    struct BlockConnection {
        int zone = 0;
        std::string name, donor;
        std::array<cgsize_t, 6> range{}, donor_range{};
        std::array<int, 3> transform{};
    };
    struct Parents {
        cgsize_t first, second;
        Index face;
    };

    [[noreturn]] void wrong(const std::string& what) const { throw InputError(path_ + ": " + what); }

    std::string zone_path() const {
        std::array<char, 33> base{}, zone{};
        std::array<cgsize_t, 9> size{};
        int cells = 0, space = 0;
        file_.check(cg_base_read(*file_, base_, base.data(), &cells, &space));
        file_.check(cg_zone_read(*file_, base_, zone_, zone.data(), size.data()));
        return fmt::format("/{}/{}", base.data(), zone.data());
    }
    std::string section_path(const char* section) const { return zone_path() + "/" + section; }
    /// The library reads as much as is there, whatever room there is for it.
    void expect_values(const std::string& path, cgsize_t n) const {
        if (const auto there = nodes_.n_values(path); there && *there != static_cast<std::uint64_t>(n))
            wrong(fmt::format("node \"{}\" holds {} values, {} were expected; the file is damaged", path, *there, n));
    }

    /// The first base of volumes, and the metres that its unit of length has.
    void choose_base() {
        int n = 0;
        file_.check(cg_nbases(*file_, &n));
        for (base_ = 1; base_ <= n; ++base_) {
            std::array<char, 33> name{};
            int cell_dimension = 0, physical_dimension = 0;
            file_.check(cg_base_read(*file_, base_, name.data(), &cell_dimension, &physical_dimension));
            if (cell_dimension == 3 && physical_dimension == 3) break;
        }
        if (base_ > n) wrong("it has no base of volumes in space: its cells are flat, or it is empty");
        file_.check(cg_goto(*file_, base_, "end"));
        MassUnits_t mass{};
        LengthUnits_t length{};
        TimeUnits_t time{};
        TemperatureUnits_t temperature{};
        AngleUnits_t angle{};
        if (cg_units_read(&mass, &length, &time, &temperature, &angle) != CG_OK) return;
        metres_ = length == Centimeter   ? 0.01
                  : length == Millimeter ? 0.001
                  : length == Foot       ? 0.3048
                  : length == Inch       ? 0.0254
                                         : 1;
    }

    void read_zone() {
        ZoneType_t type{};
        file_.check(cg_zone_type(*file_, base_, zone_, &type));
        if (type == Structured) return read_block();
        if (type != Unstructured) wrong("a zone is neither structured nor unstructured");
        block_of_.emplace_back();
        read_region();
    }

    void read_region() {
        std::array<char, 33> name{};
        std::array<cgsize_t, 9> size{};
        file_.check(cg_zone_read(*file_, base_, zone_, name.data(), size.data()));
        if (size[0] <= 0 || size[1] <= 0 || static_cast<std::uint64_t>(size[0]) + out_.points.size() >= kNone)
            wrong("its sizes make no sense");
        zone_names_.emplace_back(name.data());
        region_ = static_cast<Index>(out_.regions.size());
        out_.regions.push_back({region_name(name.data()), region_kind()});
        first_point_ = out_.points.size();
        first_points_.push_back(first_point_);
        n_points_.push_back(static_cast<std::size_t>(size[0]));
        ranges_.clear();
        read_points({size.data(), 1});
        read_bcs();
        read_connections();
        int n_sections = 0;
        file_.check(cg_nsections(*file_, base_, zone_, &n_sections));
        face_of_.clear();
        parents_.clear();
        has_nface_ = false;
        for (int s = 1; s <= n_sections; ++s) read_section(s);
        // Cells of polyhedra refer to faces of any section.
        for (int s = 1; s <= n_sections; ++s) read_polyhedra(s);
        turn_faces();
        if (!has_nface_ && !parents_.empty()) make_polyhedra_of_parents();
        out_.cell_region.resize(out_.cell_types.size(), region_);
    }

    /// The family of a zone is our region; without one, the zone's own name.
    std::string region_name(const char* zone_name) const {
        std::array<char, 33 * 20> family{};
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
        return cg_famname_read(family.data()) == CG_OK ? family.data() : zone_name;
    }

    RegionKind region_kind() {
        int n = 0;
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
        file_.check(cg_ndescriptors(&n));
        for (int d = 1; d <= n; ++d) {
            std::array<char, 33> name{};
            char* text = nullptr;
            file_.check(cg_descriptor_read(d, name.data(), &text));
            const std::string value = text;
            cg_free(text);
            if (std::string_view(name.data()) != kRegionKind) continue;
            is_ours_ = true;
            return parse_region_kind(value);
        }
        return RegionKind::fluid;
    }

    /// `shape`: points each way; of an unstructured zone their number alone.
    void read_points(std::span<const cgsize_t> shape) {
        cgsize_t n = 1;
        for (const cgsize_t k : shape) n *= k;
        std::vector<cgsize_t> first(shape.size(), 1);
        out_.points.resize(first_point_ + static_cast<std::size_t>(n));
        std::vector<double> values(static_cast<std::size_t>(n));
        for (const char* axis : {"X", "Y", "Z"})
            expect_values(fmt::format("{}/GridCoordinates/Coordinate{}", zone_path(), axis), n);
        constexpr std::array<const char*, 3> kAxes{"CoordinateX", "CoordinateY", "CoordinateZ"};
        for (int axis = 0; axis < 3; ++axis) {
            file_.check(cg_coord_read(*file_, base_, zone_, kAxes[static_cast<std::size_t>(axis)], RealDouble,
                                      first.data(), shape.data(), values.data()));
            for (std::size_t i = 0; i < values.size(); ++i) out_.points[first_point_ + i][axis] = metres_ * values[i];
        }
        for (const Vec3& p : out_.points)
            if (!is_finite(p)) wrong("a coordinate is not a finite number");
    }

    /// A boundary condition as the file has it.
    struct Condition {
        Index zone;
        GridLocation_t location;
        PointSetType_t set;
        std::vector<cgsize_t> items;
    };

    std::vector<Condition> read_conditions() {
        std::vector<Condition> out;
        int n_bcs = 0;
        file_.check(cg_nbocos(*file_, base_, zone_, &n_bcs));
        for (int b = 1; b <= n_bcs; ++b) {
            std::array<char, 33> name{};
            BCType_t type{};
            PointSetType_t set{};
            DataType_t normal_type{};
            GridLocation_t location = Vertex;
            std::array<int, 3> normal_index{};
            cgsize_t n = 0, normal_size = 0;
            int n_data = 0;
            file_.check(cg_boco_info(*file_, base_, zone_, b, name.data(), &type, &set, &n, normal_index.data(),
                                     &normal_size, &normal_type, &n_data));
            file_.check(cg_boco_gridlocation_read(*file_, base_, zone_, b, &location));
            const std::size_t each = is_block_ ? 3 : 1;
            std::vector<cgsize_t> items(each * static_cast<std::size_t>(std::max<cgsize_t>(n, 0)));
            file_.check(cg_boco_read(*file_, base_, zone_, b, items.data(), nullptr));
            if (set == ElementRange || set == ElementList) location = FaceCenter;
            out.push_back({zone_of_condition(b, name.data(), type), location, set, std::move(items)});
        }
        return out;
    }

    /// Blocks tell one zone piece by piece: those of one family are one. Without a family the condition's name counts.
    Index zone_of_condition(int b, std::string name, BCType_t type) {
        std::array<char, 33 * 20> family{};
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "ZoneBC_t", 1, "BC_t", b, "end"));
        const bool has_family = cg_famname_read(family.data()) == CG_OK && family[0] != 0;
        if (has_family && type == FamilySpecified) type = type_of_family(family.data());
        if (has_family && !is_ours_) name = family.data();
        if (is_block_ || has_family)
            for (Index z = 0; z < out_.zones.size(); ++z)
                if (!is_ours_ && out_.zones[z].name == name && out_.zones[z].role == role_of(type)) return z;
        out_.zones.push_back({name, role_of(type)});
        return static_cast<Index>(out_.zones.size() - 1);
    }

    BCType_t type_of_family(const std::string& wanted) const {
        int n = 0;
        file_.check(cg_nfamilies(*file_, base_, &n));
        for (int f = 1; f <= n; ++f) {
            std::array<char, 33> name{}, condition{};
            int n_conditions = 0, n_geometries = 0;
            file_.check(cg_family_read(*file_, base_, f, name.data(), &n_conditions, &n_geometries));
            BCType_t type = BCWall;
            if (wanted == name.data() && n_conditions > 0)
                file_.check(cg_fambc_read(*file_, base_, f, 1, condition.data(), &type));
            if (wanted == name.data()) return type;
        }
        return BCWall;
    }

    /// Which zone each boundary element belongs to, or each point.
    void read_bcs() {
        is_block_ = false;
        for (const Condition& c : read_conditions()) {
            const bool is_range = c.set == PointRange || c.set == ElementRange;
            if (is_range && c.items.size() != 2)
                wrong(fmt::format("the range of boundary \"{}\" makes no sense", out_.zones[c.zone].name));
            if (c.location == Vertex) {
                std::vector<Index> points;
                const cgsize_t last = is_range ? c.items[1] : static_cast<cgsize_t>(c.items.size());
                for (cgsize_t k = is_range ? c.items[0] : 1; k <= last; ++k) {
                    const cgsize_t p = is_range ? k : c.items[static_cast<std::size_t>(k - 1)];
                    if (p < 1 || p > static_cast<cgsize_t>(n_points_.back()))
                        wrong(fmt::format("boundary \"{}\" refers to point {}, which is not there",
                                          out_.zones[c.zone].name, p));
                    points.push_back(static_cast<Index>(first_point_ + static_cast<std::size_t>(p - 1)));
                }
                zones_by_points_.push_back({c.zone, std::move(points)});
            } else if (is_range) {
                ranges_.push_back({c.items[0], c.items[1], c.zone});
            } else {
                for (const cgsize_t e : c.items) ranges_.push_back({e, e, c.zone});
            }
        }
        ranges_ = without_overlaps(std::move(ranges_));
    }

    /// Pieces in order, none of which overlaps another: where ranges do, the shortest rules, and of equal ones the
    /// first.
    static std::vector<Range> without_overlaps(std::vector<Range>&& given) {
        std::erase_if(given, [](const Range& r) { return r.last < r.first; });
        std::stable_sort(given.begin(), given.end(),
                         [](const Range& a, const Range& b) { return a.last - a.first < b.last - b.first; });
        // Each range and, as it ends, its rank once more; a range of lower rank covers those of higher.
        struct Event {
            cgsize_t at;
            bool begins;
            std::size_t rank;
        };
        std::vector<Event> events;
        for (std::size_t rank = 0; rank < given.size(); ++rank) {
            events.push_back({given[rank].first, true, rank});
            events.push_back({given[rank].last + 1, false, rank});
        }
        std::sort(events.begin(), events.end(), [](const Event& a, const Event& b) { return a.at < b.at; });
        std::set<std::size_t> open;
        std::vector<Range> out;
        for (std::size_t k = 0; k < events.size(); ++k) {
            if (events[k].begins)
                open.insert(events[k].rank);
            else
                open.erase(events[k].rank);
            const cgsize_t next = k + 1 < events.size() ? events[k + 1].at : events[k].at;
            if (!open.empty() && next > events[k].at)
                out.push_back({events[k].at, next - 1, given[*open.begin()].zone});
        }
        return out;
    }

    /// Ours may be written in pieces, which say what zone they are of.
    std::string zone_of_connection(int connection, const char* otherwise) const {
        std::array<char, 33> name{};
        char* text = nullptr;
        if (cg_goto(*file_, base_, "Zone_t", zone_, "ZoneGridConnectivity_t", 1, "GridConnectivity_t", connection,
                    "UserDefinedData_t", 1, "end") != CG_OK ||
            cg_descriptor_read(1, name.data(), &text) != CG_OK)
            return otherwise;
        std::string zone = text;
        cg_free(text);
        return zone;
    }

    bool is_periodic(int connection) const {
        std::array<float, 3> center{}, angle{}, way{};
        return cg_conn_periodic_read(*file_, base_, zone_, connection, center.data(), angle.data(), way.data()) ==
               CG_OK;
    }

    void read_connections() {
        int n = 0;
        file_.check(cg_nconns(*file_, base_, zone_, &n));
        for (int k = 1; k <= n; ++k) {
            std::array<char, 33> name{}, donor{};
            GridLocation_t location{};
            GridConnectivityType_t type{};
            PointSetType_t set{}, donor_set{};
            ZoneType_t donor_type{};
            DataType_t donor_data{};
            cgsize_t n_own = 0, n_theirs = 0;
            file_.check(cg_conn_info(*file_, base_, zone_, k, name.data(), &location, &type, &set, &n_own, donor.data(),
                                     &donor_type, &donor_set, &donor_data, &n_theirs));
            const bool fits = set == PointRange ? n_own == 2 : set == PointList && n_own == n_theirs && n_own >= 0;
            // Others' that fit together in part only stay outer faces, without a name.
            if (!is_ours_ && (type != Abutting1to1 || !fits)) continue;
            // Sides that repeat each other are two outer sides, not one face within.
            if (is_periodic(k)) continue;
            const bool by_points = !is_ours_ && location == Vertex;
            if ((location != FaceCenter && !by_points) || type != Abutting1to1 || !fits || n_theirs < 0)
                wrong(fmt::format("the interface \"{}\" is not a list of faces joined one to one", name.data()));
            Connection c{
                zone_,    is_ours_ ? zone_of_connection(k, name.data()) : name.data(), donor.data(), {}, {}, {}, {},
                by_points};
            c.own.resize(static_cast<std::size_t>(n_own));
            c.theirs.resize(static_cast<std::size_t>(n_theirs));
            file_.check(cg_conn_read(*file_, base_, zone_, k, c.own.data(), kIndexType, c.theirs.data()));
            if (set == PointRange) {
                const cgsize_t first = c.own[0], last = c.own[1];
                if (last - first + 1 != n_theirs)
                    wrong(fmt::format("the sides of interface \"{}\" differ in size", name.data()));
                c.own.resize(c.theirs.size());
                for (cgsize_t e = first; e <= last; ++e) c.own[static_cast<std::size_t>(e - first)] = e;
            }
            if (!by_points)
                for (const cgsize_t e : c.own) c.faces[e];
            connections_.push_back(std::move(c));
        }
    }

    Index zone_of(cgsize_t element) const {
        auto it = std::upper_bound(ranges_.begin(), ranges_.end(), element,
                                   [](cgsize_t e, const Range& r) { return e < r.first; });
        return it == ranges_.begin() || (--it)->last < element ? kNone : it->zone;
    }

    void read_section(int s) {
        std::array<char, 33> name{};
        ElementType_t type{};
        cgsize_t first = 0, last = 0, size = 0;
        int n_boundary = 0, parent = 0;
        file_.check(cg_section_read(*file_, base_, zone_, s, name.data(), &type, &first, &last, &n_boundary, &parent));
        file_.check(cg_ElementDataSize(*file_, base_, zone_, s, &size));
        if (type == NFACE_n) return;
        if (type == NGON_n) return read_polygons(s, name.data(), first, last, size, parent != 0);
        if (type == MIXED) return read_mixed(s, name.data(), first, last, size);
        int corners = 0;
        file_.check(cg_npe(type, &corners));
        if (corners <= 0)
            wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", name.data(),
                              cg_ElementTypeName(type)));
        if (last < first || size != (last - first + 1) * corners)
            wrong(fmt::format("section \"{}\" is damaged", name.data()));
        expect_values(section_path(name.data()) + "/ElementConnectivity", size);
        std::vector<cgsize_t> points(static_cast<std::size_t>(size));
        file_.check(cg_elements_read(*file_, base_, zone_, s, points.data(), nullptr));
        for (cgsize_t e = first; e <= last; ++e)
            add_element(name.data(), e, type, points.data() + (e - first) * corners);
    }

    /// Each element's type stands before its points.
    void read_mixed(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size) {
        if (last < first || size < 2 * (last - first + 1)) wrong(fmt::format("section \"{}\" is damaged", name));
        expect_values(section_path(name) + "/ElementConnectivity", size);
        expect_values(section_path(name) + "/ElementStartOffset", last - first + 2);
        std::vector<cgsize_t> values(static_cast<std::size_t>(size)),
            offsets(static_cast<std::size_t>(last - first + 2));
        file_.check(cg_poly_elements_read(*file_, base_, zone_, s, values.data(), offsets.data(), nullptr));
        std::size_t at = 0;
        for (cgsize_t e = first; e <= last; ++e) {
            if (at >= values.size()) wrong(fmt::format("section \"{}\" is truncated", name));
            const auto type = static_cast<ElementType_t>(values[at++]);
            int corners = 0;
            if (values[at - 1] < 0 || values[at - 1] >= NofValidElementTypes || cg_npe(type, &corners) != CG_OK ||
                corners <= 0 || at + static_cast<std::size_t>(corners) > values.size())
                wrong(fmt::format("section \"{}\" holds an element of a type that is not read", name));
            add_element(name, e, type, values.data() + at);
            at += static_cast<std::size_t>(corners);
        }
    }

    /// The linear element with the same corners, which are the first points of the higher ones; itself where it is one.
    static ElementType_t linear(ElementType_t type) {
        switch (type) {
            case TRI_6:
                return TRI_3;
            case QUAD_8:
            case QUAD_9:
                return QUAD_4;
            case TETRA_10:
                return TETRA_4;
            case PYRA_13:
            case PYRA_14:
                return PYRA_5;
            case PENTA_15:
            case PENTA_18:
                return PENTA_6;
            case HEXA_20:
            case HEXA_27:
                return HEXA_8;
            default:
                return type;
        }
    }

    void add_element(const char* section, cgsize_t e, ElementType_t full_type, const cgsize_t* p) {
        const ElementType_t type = linear(full_type);
        int corners = 0;
        file_.check(cg_npe(type, &corners));
        const auto element = std::find(kElementOf.begin(), kElementOf.end(), type);
        if (element != kElementOf.end()) {
            append(p, corners, out_.cell_points);
            out_.cell_offsets.push_back(out_.cell_points.size());
            out_.cell_types.push_back(static_cast<CellType>(element - kElementOf.begin()));
        } else if (type == TRI_3 || type == QUAD_4) {
            for (Connection& c : connections_)
                if (const auto face = c.faces.find(e); c.zone == zone_ && face != c.faces.end())
                    append(p, corners, face->second);
            const Index zone = zone_of(e);
            if (zone == kNone) return;
            append(p, corners, out_.boundary_points);
            out_.boundary_offsets.push_back(out_.boundary_points.size());
            out_.boundary_zone.push_back(zone);
        } else if (type != NODE && type != BAR_2 && type != BAR_3) {
            wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", section,
                              cg_ElementTypeName(type)));
        }
    }

    /// Numbers in rows, each of at least so many.
    struct Rows {
        std::vector<cgsize_t> values, offsets;
    };
    Rows read_rows(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size, cgsize_t least) {
        if (last < first || size < least * (last - first + 1)) wrong(fmt::format("section \"{}\" is damaged", name));
        expect_values(section_path(name) + "/ElementConnectivity", size);
        expect_values(section_path(name) + "/ElementStartOffset", last - first + 2);
        Rows rows{std::vector<cgsize_t>(static_cast<std::size_t>(size)),
                  std::vector<cgsize_t>(static_cast<std::size_t>(last - first + 2))};
        file_.check(cg_poly_elements_read(*file_, base_, zone_, s, rows.values.data(), rows.offsets.data(), nullptr));
        for (std::size_t k = 0; k + 1 < rows.offsets.size(); ++k)
            if (rows.offsets[k] < 0 || rows.offsets[k + 1] > size || rows.offsets[k + 1] - rows.offsets[k] < least)
                wrong(fmt::format("section \"{}\" is damaged", name));
        return rows;
    }

    void read_polygons(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size, bool has_parents) {
        const Rows rows = read_rows(s, name, first, last, size, 3);
        std::vector<cgsize_t> parents;
        if (has_parents) {
            expect_values(section_path(name) + "/ParentElements", 2 * (last - first + 1));
            // Of all faces the first one, of all the second one, and two places that polygons do not have.
            parents.resize(4 * static_cast<std::size_t>(last - first + 1));
            std::vector<cgsize_t> values(rows.values.size()), offsets(rows.offsets.size());
            file_.check(cg_poly_elements_read(*file_, base_, zone_, s, values.data(), offsets.data(), parents.data()));
        }
        for (cgsize_t e = first; e <= last; ++e) {
            const auto k = static_cast<std::size_t>(e - first);
            const auto n = static_cast<int>(rows.offsets[k + 1] - rows.offsets[k]);
            const cgsize_t* points = rows.values.data() + rows.offsets[k];
            face_of_[e] = static_cast<Index>(polyhedra_.owner.size());
            if (has_parents)
                parents_.push_back({parents[k], parents[k + static_cast<std::size_t>(last - first + 1)], face_of_[e]});
            for (Connection& c : connections_)
                if (const auto face = c.faces.find(e); c.zone == zone_ && face != c.faces.end()) {
                    append(points, n, face->second);
                    c.polygons[e] = face_of_[e];
                }
            append(points, n, polyhedra_.face_points);
            polyhedra_.face_offsets.push_back(polyhedra_.face_points.size());
            polyhedra_.owner.push_back(kNone);
            polyhedra_.neighbour.push_back(kNone);
            polyhedra_.face_zone.push_back(zone_of(e));
        }
    }

    void read_polyhedra(int s) {
        std::array<char, 33> name{};
        ElementType_t type{};
        cgsize_t first = 0, last = 0, size = 0;
        int n_boundary = 0, parent = 0;
        file_.check(cg_section_read(*file_, base_, zone_, s, name.data(), &type, &first, &last, &n_boundary, &parent));
        if (type != NFACE_n) return;
        has_nface_ = true;
        file_.check(cg_ElementDataSize(*file_, base_, zone_, s, &size));
        const Rows rows = read_rows(s, name.data(), first, last, size, 4);
        for (std::size_t k = 0; k + 1 < rows.offsets.size(); ++k) {
            const auto cell = static_cast<Index>(polyhedra_.cell_region.size());
            polyhedra_.cell_region.push_back(region_);
            for (cgsize_t i = rows.offsets[k]; i < rows.offsets[k + 1]; ++i) {
                const cgsize_t signed_face = rows.values[static_cast<std::size_t>(i)];
                const auto face = face_of_.find(std::abs(signed_face));
                if (face == face_of_.end())
                    wrong(fmt::format("a cell refers to face {}, which is not there", signed_face));
                // A face that only points into cells is turned round for the first of them.
                Index& side = signed_face > 0 ? polyhedra_.owner[face->second] : polyhedra_.neighbour[face->second];
                if (side != kNone) wrong(fmt::format("face {} has two cells on one side", std::abs(signed_face)));
                side = cell;
            }
        }
    }

    /// Faces that point into their only cell.
    void turn_faces() {
        for (const auto& [element, f] : face_of_) {
            if (polyhedra_.owner[f] != kNone || polyhedra_.neighbour[f] == kNone) continue;
            std::swap(polyhedra_.owner[f], polyhedra_.neighbour[f]);
            std::reverse(polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f]),
                         polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f + 1]));
        }
    }

    /// Files that name the two cells of each face instead of the faces of each cell: the normal points from the first
    /// to the second.
    void make_polyhedra_of_parents() {
        std::map<cgsize_t, Index> cell_of;
        for (const Parents& p : parents_)
            for (const cgsize_t c : {p.first, p.second})
                if (c > 0) cell_of.try_emplace(c, 0);
        for (auto& [number, cell] : cell_of) {
            cell = static_cast<Index>(polyhedra_.cell_region.size());
            polyhedra_.cell_region.push_back(region_);
        }
        for (const Parents& p : parents_) {
            if (p.first > 0) polyhedra_.owner[p.face] = cell_of.at(p.first);
            if (p.second > 0) polyhedra_.neighbour[p.face] = cell_of.at(p.second);
        }
        turn_faces();
    }

    /// Hexahedra between the points of a block, and the quadrangles of its conditions.
    void read_block() {
        is_block_ = true;
        std::array<char, 33> name{};
        std::array<cgsize_t, 9> size{};
        file_.check(cg_zone_read(*file_, base_, zone_, name.data(), size.data()));
        double n = 1;
        for (std::size_t k = 0; k < 3; ++k) {
            if (size[k] < 2) wrong("a block is fewer than two points wide");
            n *= static_cast<double>(size[k]);
        }
        if (n + static_cast<double>(out_.points.size()) >= kNone) wrong("its sizes make no sense");
        zone_names_.emplace_back(name.data());
        first_point_ = out_.points.size();
        first_points_.push_back(first_point_);
        n_points_.push_back(static_cast<std::size_t>(n));
        block_of_.push_back(Block{{size[0], size[1], size[2]}});
        region_ = region_of_block();
        read_points({size.data(), 3});
        const Block& block = *block_of_.back();
        auto point = [&](cgsize_t i, cgsize_t j, cgsize_t k) {
            return static_cast<Index>(first_point_ + block.number({i, j, k}));
        };
        for (cgsize_t k = 1; k < size[2]; ++k)
            for (cgsize_t j = 1; j < size[1]; ++j)
                for (cgsize_t i = 1; i < size[0]; ++i) {
                    for (const cgsize_t up : {k, k + 1})
                        for (const auto& [di, dj] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}})
                            out_.cell_points.push_back(point(i + di, j + dj, up));
                    out_.cell_offsets.push_back(out_.cell_points.size());
                    out_.cell_types.push_back(CellType::hexahedron);
                }
        out_.cell_region.resize(out_.cell_types.size(), region_);
        turn_left_handed_cells(out_.cell_types.size() -
                               static_cast<std::size_t>((size[0] - 1) * (size[1] - 1) * (size[2] - 1)));
        for (const Condition& c : read_conditions()) add_block_faces(c, block);
        read_block_connections();
    }

    /// Of a block whose directions make a left-handed frame, cells are inside out: their lower and upper faces change
    /// places.
    void turn_left_handed_cells(std::size_t first) {
        double sum = 0;
        for (std::size_t c = first; c < out_.cell_types.size(); ++c) {
            const Index* p = out_.cell_points.data() + out_.cell_offsets[c];
            sum += tetrahedron_volume(out_.points[p[0]], out_.points[p[1]], out_.points[p[3]], out_.points[p[4]]) +
                   tetrahedron_volume(out_.points[p[6]], out_.points[p[5]], out_.points[p[7]], out_.points[p[2]]);
        }
        if (sum >= 0) return;
        for (std::size_t c = first; c < out_.cell_types.size(); ++c) {
            Index* p = out_.cell_points.data() + out_.cell_offsets[c];
            std::swap_ranges(p, p + 4, p + 4);
        }
    }

    /// A range of points that is flat one way, or of faces across one direction.
    void add_block_faces(const Condition& c, const Block& block) {
        if (c.set != PointRange || c.items.size() != 6)
            wrong(fmt::format("boundary \"{}\" of a block is not a range of points", out_.zones[c.zone].name));
        std::array<cgsize_t, 3> low{}, high{};
        int flat = c.location == IFaceCenter ? 0 : c.location == JFaceCenter ? 1 : c.location == KFaceCenter ? 2 : -1;
        for (std::size_t k = 0; k < 3; ++k) {
            low[k] = std::min(c.items[k], c.items[k + 3]);
            high[k] = std::max(c.items[k], c.items[k + 3]);
            // By faces, the range counts cells in the two directions along them.
            if (flat >= 0 && static_cast<int>(k) != flat) ++high[k];
            if (low[k] < 1 || high[k] > block.size[k])
                wrong(fmt::format("boundary \"{}\" reaches out of its block", out_.zones[c.zone].name));
        }
        for (int k = 0; k < 3 && flat < 0; ++k)
            if (low[static_cast<std::size_t>(k)] == high[static_cast<std::size_t>(k)]) flat = k;
        if (flat < 0) wrong(fmt::format("boundary \"{}\" is no side of its block", out_.zones[c.zone].name));
        const auto a = static_cast<std::size_t>((flat + 1) % 3), b = static_cast<std::size_t>((flat + 2) % 3);
        for (cgsize_t u = low[a]; u < high[a]; ++u)
            for (cgsize_t v = low[b]; v < high[b]; ++v) {
                for (const auto& [du, dv] : {std::pair{0, 0}, {1, 0}, {1, 1}, {0, 1}}) {
                    std::array<cgsize_t, 3> at = low;
                    at[a] = u + du;
                    at[b] = v + dv;
                    out_.boundary_points.push_back(static_cast<Index>(first_point_ + block.number(at)));
                }
                out_.boundary_offsets.push_back(out_.boundary_points.size());
                out_.boundary_zone.push_back(c.zone);
            }
    }

    /// Blocks are how a region was divided, not regions: those of one family, or all without, are one.
    Index region_of_block() {
        std::array<char, 33 * 20> family{};
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
        const std::string name = cg_famname_read(family.data()) == CG_OK ? family.data() : "fluid";
        for (Index r = 0; r < out_.regions.size(); ++r)
            if (out_.regions[r].name == name) return r;
        out_.regions.push_back({name, RegionKind::fluid});
        return static_cast<Index>(out_.regions.size() - 1);
    }

    void read_block_connections() {
        int n = 0;
        file_.check(cg_n1to1(*file_, base_, zone_, &n));
        for (int k = 1; k <= n; ++k) {
            std::array<char, 33> name{}, donor{};
            std::array<float, 3> center{}, angle{}, way{};
            if (cg_1to1_periodic_read(*file_, base_, zone_, k, center.data(), angle.data(), way.data()) == CG_OK)
                continue;
            BlockConnection c;
            c.zone = zone_;
            file_.check(cg_1to1_read(*file_, base_, zone_, k, name.data(), donor.data(), c.range.data(),
                                     c.donor_range.data(), c.transform.data()));
            c.name = name.data();
            c.donor = donor.data();
            block_connections_.push_back(std::move(c));
        }
    }

    /// The points that blocks have in common.
    void join_blocks(DisjointSets& same) const {
        for (const BlockConnection& c : block_connections_) {
            const auto donor = std::find(zone_names_.begin(), zone_names_.end(), c.donor);
            if (donor == zone_names_.end())
                wrong(fmt::format("\"{}\" joins \"{}\", which is not there", c.name, c.donor));
            const auto other = static_cast<std::size_t>(donor - zone_names_.begin()),
                       own = static_cast<std::size_t>(c.zone - 1);
            if (!block_of_[other]) wrong(fmt::format("\"{}\" joins a block to a zone that is none", c.name));
            const Block &from = *block_of_[own], &to = *block_of_[other];
            std::array<cgsize_t, 3> at{}, step{};
            for (std::size_t d = 0; d < 3; ++d) {
                step[d] = c.range[d + 3] >= c.range[d] ? 1 : -1;
                if (std::abs(c.transform[d]) > 3) wrong(fmt::format("the directions of \"{}\" make no sense", c.name));
            }
            for (at[2] = c.range[2];; at[2] += step[2]) {
                for (at[1] = c.range[1];; at[1] += step[1]) {
                    for (at[0] = c.range[0];; at[0] += step[0]) {
                        std::array<cgsize_t, 3> there{c.donor_range[0], c.donor_range[1], c.donor_range[2]};
                        for (std::size_t d = 0; d < 3; ++d)
                            if (c.transform[d] != 0)
                                there[static_cast<std::size_t>(std::abs(c.transform[d]) - 1)] +=
                                    (c.transform[d] > 0 ? 1 : -1) * (at[d] - c.range[d]);
                        if (!from.has(at) || !to.has(there))
                            wrong(fmt::format("\"{}\" reaches out of its blocks", c.name));
                        same.join(static_cast<Index>(first_points_[own] + from.number(at)),
                                  static_cast<Index>(first_points_[other] + to.number(there)));
                        if (at[0] == c.range[3]) break;
                    }
                    if (at[1] == c.range[4]) break;
                }
                if (at[2] == c.range[5]) break;
            }
        }
    }

    void append(const cgsize_t* points, int n, std::vector<Index>& to) const {
        for (int k = 0; k < n; ++k) {
            if (points[k] < 1 || points[k] > static_cast<cgsize_t>(out_.points.size() - first_point_))
                wrong(fmt::format("an element refers to point {}, which is not there", points[k]));
            to.push_back(static_cast<Index>(first_point_ + static_cast<std::size_t>(points[k] - 1)));
        }
    }

    void join_points(const Connection& c, std::size_t other, DisjointSets& same) const {
        const auto own = static_cast<std::size_t>(c.zone - 1);
        for (std::size_t k = 0; k < c.own.size(); ++k) {
            auto is_there = [&](cgsize_t p, std::size_t zone) {
                return p >= 1 && p <= static_cast<cgsize_t>(n_points_[zone]);
            };
            if (!is_there(c.own[k], own) || !is_there(c.theirs[k], other))
                wrong(fmt::format("interface \"{}\" refers to a point that is not there", c.name));
            same.join(static_cast<Index>(first_points_[own] + static_cast<std::size_t>(c.own[k] - 1)),
                      static_cast<Index>(first_points_[other] + static_cast<std::size_t>(c.theirs[k] - 1)));
        }
    }

    Index zone_of_interface(const std::string& name, const std::string& other_name) {
        for (Index z = 0; z < out_.zones.size(); ++z)
            if (out_.zones[z].role == Role::interface_ && out_.zones[z].name == name &&
                out_.zones[z].other_name == other_name)
                return z;
        out_.zones.push_back({name, Role::interface_});
        out_.zones.back().other_name = other_name;
        return static_cast<Index>(out_.zones.size() - 1);
    }

    /// The points on both sides of an interface become one, and its faces a zone.
    void join_connections() {
        DisjointSets same(out_.points.size());
        join_blocks(same);
        for (const Connection& c : connections_) {
            const auto donor = std::find(zone_names_.begin(), zone_names_.end(), c.donor);
            if (donor == zone_names_.end())
                wrong(fmt::format("interface \"{}\" joins \"{}\", which is not there", c.name, c.donor));
            const int other = static_cast<int>(donor - zone_names_.begin()) + 1;
            if (c.is_by_points) {
                join_points(c, static_cast<std::size_t>(other - 1), same);
                continue;
            }
            if (other < c.zone) continue;
            const auto partner = std::find_if(connections_.begin(), connections_.end(), [&](const Connection& d) {
                return d.zone == other && !c.theirs.empty() && d.faces.contains(c.theirs.front());
            });
            if (partner == connections_.end()) wrong(fmt::format("interface \"{}\" is told by one side only", c.name));
            const Index zone = zone_of_interface(c.name, partner->name);
            for (std::size_t k = 0; k < c.own.size(); ++k) {
                const Face& face = c.faces.at(c.own[k]);
                const auto theirs = partner->faces.find(c.theirs[k]);
                if (theirs == partner->faces.end() || theirs->second.size() != face.size() || face.empty())
                    wrong(fmt::format("the faces of interface \"{}\" do not fit together", c.name));
                for (const Index p : face) {
                    // The closest corner of the face on the other side.
                    const Index q =
                        *std::min_element(theirs->second.begin(), theirs->second.end(), [&](Index a, Index b) {
                            return distance_squared(out_.points[p], out_.points[a]) <
                                   distance_squared(out_.points[p], out_.points[b]);
                        });
                    same.join(p, q);
                }
                if (const auto polygon = c.polygons.find(c.own[k]); polygon != c.polygons.end()) {
                    const auto twin = partner->polygons.find(c.theirs[k]);
                    if (twin == partner->polygons.end())
                        wrong(fmt::format("the faces of interface \"{}\" do not fit together", c.name));
                    polyhedra_.face_zone[polygon->second] = zone;
                    twin_.push_back({twin->second, polygon->second});
                    continue;
                }
                out_.boundary_points.insert(out_.boundary_points.end(), face.begin(), face.end());
                out_.boundary_offsets.push_back(out_.boundary_points.size());
                out_.boundary_zone.push_back(zone);
            }
        }
        if (connections_.empty() && block_connections_.empty()) return;
        std::vector<Index> number(out_.points.size(), kNone);
        Index n = 0;
        for (Index p = 0; p < number.size(); ++p) {
            if (same.find(p) != p) continue;
            out_.points[n] = out_.points[p];
            number[p] = n++;
        }
        for (std::vector<Index>* list : {&out_.cell_points, &out_.boundary_points, &polyhedra_.face_points})
            for (Index& p : *list) p = number[same.find(p)];
        for (ZoneByPoints& z : zones_by_points_)
            for (Index& p : z.points) p = number[same.find(p)];
        out_.points.resize(n);
    }

    std::string path_;
    CgnsNodes nodes_;  // looked at before the library opens the file
    CgnsFile file_;
    CellsAndBoundary out_;
    int base_ = 1, zone_ = 0;
    double metres_ = 1;
    bool is_ours_ = false;   // written by us: nothing is left to guess
    bool is_block_ = false;  // the zone at hand
    Index region_ = 0;       // of the zone at hand
    std::size_t first_point_ = 0;
    std::vector<std::size_t> first_points_, n_points_;  // of each zone
    std::vector<std::optional<Block>> block_of_;        // of each zone that is one
    std::vector<BlockConnection> block_connections_;
    std::vector<ZoneByPoints> zones_by_points_;
    std::vector<Parents> parents_;  // of the faces of the zone at hand
    bool has_nface_ = false;
    std::vector<std::string> zone_names_;
    std::vector<Range> ranges_;
    std::vector<Connection> connections_;
    FacesOfPolyhedra polyhedra_;              // its points are those of out_
    std::map<cgsize_t, Index> face_of_;       // element number, in the region at hand
    std::vector<std::array<Index, 2>> twin_;  // the same faces of two regions, the second first
};

/// The zone of outer faces that the file says nothing about.
class UnnamedZone {
  public:
    explicit UnnamedZone(std::vector<Zone>& zones) : zones_(zones) {}
    Index number() {
        if (number_ == kNone) {
            number_ = static_cast<Index>(zones_.size());
            zones_.push_back({"unnamed", Role::wall});
        }
        return number_;
    }

  private:
    std::vector<Zone>& zones_;
    Index number_ = kNone;
};

/// Outer faces that no element names: by the points of conditions, else in a zone "unnamed".
void complete_boundary(CgnsContent& content) {
    std::vector<std::vector<char>> is_on;
    for (const ZoneByPoints& z : content.zones_by_points) {
        is_on.emplace_back(content.cells.points.size(), 0);
        for (const Index p : z.points) is_on.back()[p] = 1;
    }
    UnnamedZone unnamed(content.cells.zones);
    add_missing_boundary(content.cells, [&](std::span<const Index> points) {
        for (std::size_t z = 0; z < is_on.size(); ++z)
            if (std::all_of(points.begin(), points.end(), [&](Index p) { return is_on[z][p] != 0; }))
                return content.zones_by_points[z].zone;
        return unnamed.number();
    });
}

/// The faces of a file of polyhedra, each once.
FacesOfPolyhedra faces_of(CgnsContent&& content) {
    FacesOfPolyhedra& all = content.polyhedra;
    if (!content.cells.cell_types.empty())
        throw InputError("it has NGON_n polyhedra and other cells; files of the one or the other are read");
    FacesOfPolyhedra out;
    // A face of an interface is told by both sides; the second telling goes.
    std::vector<char> is_second(all.owner.size(), 0);
    for (const auto& [second, first] : content.twins) is_second[second] = 1;
    for (const auto& [second, first] : content.twins) all.neighbour[first] = all.owner[second];
    UnnamedZone unnamed(content.cells.zones);
    for (std::size_t f = 0; f < all.owner.size(); ++f) {
        if (is_second[f] != 0) continue;
        if (all.owner[f] == kNone) throw InputError("a face of the NGON_n sections belongs to no cell");
        if (all.neighbour[f] == kNone && all.face_zone[f] == kNone) all.face_zone[f] = unnamed.number();
        out.face_points.insert(out.face_points.end(),
                               all.face_points.begin() + static_cast<std::ptrdiff_t>(all.face_offsets[f]),
                               all.face_points.begin() + static_cast<std::ptrdiff_t>(all.face_offsets[f + 1]));
        out.face_offsets.push_back(out.face_points.size());
        out.owner.push_back(all.owner[f]);
        out.neighbour.push_back(all.neighbour[f]);
        out.face_zone.push_back(all.face_zone[f]);
    }
    out.cell_region = std::move(all.cell_region);
    out.points = std::move(content.cells.points);
    out.zones = std::move(content.cells.zones);
    out.regions = std::move(content.cells.regions);
    return out;
}

void send(CgnsContent&& c, ArchiveWriter& out) {
    out.hand_over(c.cells.points);
    out.hand_over(c.cells.cell_types);
    out.hand_over(c.cells.cell_offsets);
    out.hand_over(c.cells.cell_points);
    out.hand_over(c.cells.cell_region);
    out.hand_over(c.cells.boundary_offsets);
    out.hand_over(c.cells.boundary_points);
    out.hand_over(c.cells.boundary_zone);
    out.add(std::uint64_t{c.cells.zones.size()});
    for (const Zone& z : c.cells.zones) {
        out.add(z.name);
        out.add(z.role);
        out.add(z.other_name);
    }
    out.add(std::uint64_t{c.cells.regions.size()});
    for (const Region& r : c.cells.regions) {
        out.add(r.name);
        out.add(r.kind);
    }
    out.hand_over(c.polyhedra.face_offsets);
    out.hand_over(c.polyhedra.face_points);
    out.hand_over(c.polyhedra.owner);
    out.hand_over(c.polyhedra.neighbour);
    out.hand_over(c.polyhedra.face_zone);
    out.hand_over(c.polyhedra.cell_region);
    out.hand_over(c.twins);
    out.add(std::uint64_t{c.zones_by_points.size()});
    for (ZoneByPoints& z : c.zones_by_points) {
        out.add(z.zone);
        out.hand_over(z.points);
    }
    out.add(c.is_ours);
}

/// A process with a damaged memory may have written anything.
void check(const CgnsContent& c) {
    auto all_below = [](const std::vector<Index>& list, std::size_t n, bool may_be_none = false) {
        return std::all_of(list.begin(), list.end(), [&](Index i) { return i < n || (may_be_none && i == kNone); });
    };
    auto are_offsets = [](const std::vector<std::size_t>& offsets, std::size_t n, const std::vector<Index>& of) {
        return offsets.size() == n + 1 && offsets.front() == 0 && offsets.back() == of.size() &&
               std::is_sorted(offsets.begin(), offsets.end());
    };
    const CellsAndBoundary& m = c.cells;
    const FacesOfPolyhedra& p = c.polyhedra;
    const std::size_t n_points = m.points.size(), n_zones = m.zones.size(), n_regions = m.regions.size();
    constexpr std::array<std::size_t, 4> kCorners{4, 5, 6, 8};
    bool fits = are_offsets(m.cell_offsets, m.cell_types.size(), m.cell_points) &&
                m.cell_region.size() == m.cell_types.size() &&
                are_offsets(m.boundary_offsets, m.boundary_zone.size(), m.boundary_points) &&
                all_below(m.cell_points, n_points) && all_below(m.cell_region, n_regions) &&
                all_below(m.boundary_points, n_points) && all_below(m.boundary_zone, n_zones) &&
                are_offsets(p.face_offsets, p.owner.size(), p.face_points) && p.neighbour.size() == p.owner.size() &&
                p.face_zone.size() == p.owner.size() && all_below(p.face_points, n_points) &&
                all_below(p.owner, p.cell_region.size(), true) && all_below(p.neighbour, p.cell_region.size(), true) &&
                all_below(p.face_zone, n_zones, true) && all_below(p.cell_region, n_regions);
    for (std::size_t k = 0; k < m.cell_types.size() && fits; ++k)
        fits = m.cell_types[k] < CellType::polyhedron &&
               m.cell_offsets[k + 1] - m.cell_offsets[k] == kCorners[static_cast<std::size_t>(m.cell_types[k])];
    for (const auto& [second, first] : c.twins) fits = fits && second < p.owner.size() && first < p.owner.size();
    for (const ZoneByPoints& z : c.zones_by_points) fits = fits && z.zone < n_zones && all_below(z.points, n_points);
    for (const Vec3& q : m.points) fits = fits && is_finite(q);
    if (!fits) ArchiveReader::refuse();
}

CgnsContent received(ArchiveReader& in) {
    CgnsContent c;
    in.take(c.cells.points);
    in.take(c.cells.cell_types);
    in.take(c.cells.cell_offsets);
    in.take(c.cells.cell_points);
    in.take(c.cells.cell_region);
    in.take(c.cells.boundary_offsets);
    in.take(c.cells.boundary_points);
    in.take(c.cells.boundary_zone);
    std::uint64_t n = 0;
    in.take(n);
    for (std::uint64_t k = 0; k < n; ++k) {
        Zone& zone = c.cells.zones.emplace_back();
        in.take(zone.name);
        in.take(zone.role);
        in.take(zone.other_name);
    }
    in.take(n);
    for (std::uint64_t k = 0; k < n; ++k) {
        Region& region = c.cells.regions.emplace_back();
        in.take(region.name);
        in.take(region.kind);
    }
    in.take(c.polyhedra.face_offsets);
    in.take(c.polyhedra.face_points);
    in.take(c.polyhedra.owner);
    in.take(c.polyhedra.neighbour);
    in.take(c.polyhedra.face_zone);
    in.take(c.polyhedra.cell_region);
    in.take(c.twins);
    in.take(n);
    for (std::uint64_t k = 0; k < n; ++k) {
        ZoneByPoints& zone = c.zones_by_points.emplace_back();
        in.take(zone.zone);
        in.take(zone.points);
    }
    in.take(c.is_ours);
    check(c);
    return c;
}

/// A file's content, by a process of its own: the standard's library, and the one under it, fall over some damaged
/// files.
CgnsContent read_content(const std::filesystem::path& file, const Context& context) {
    constexpr double kLeastSeconds = 15, kSecondsPerMegabyte = 2, kMegabyte = 1e6;
    constexpr std::size_t kLeastBytes = 1'000'000'000, kBytesPerByte = 60;
    const auto size = std::filesystem::file_size(file);
    ApartLimits limits;
    limits.cpu_seconds = kLeastSeconds + kSecondsPerMegabyte * static_cast<double>(size) / kMegabyte;
    limits.bytes = kLeastBytes + kBytesPerByte * size;
    CgnsContent content;
    const ApartEnd end = run_apart([&](ArchiveWriter& to) { send(CgnsReader(file).read(), to); },
                                   [&](ArchiveReader& from) { content = received(from); }, limits, context.stop);
    if (end == ApartEnd::done) return content;
    throw InputError(fmt::format("{}; it is damaged: copy or export it again",
                                 end == ApartEnd::out_of_time     ? "reading it does not end"
                                 : end == ApartEnd::out_of_memory ? "it announces more than a file of its size can hold"
                                                                  : "the CGNS library falls over it"));
}

}  // namespace

VolumeMesh read_cgns(const std::filesystem::path& file, const Context& context) {
    if (read_file(file, 8) != "\x89HDF\r\n\x1a\n")
        throw InputError(
            fmt::format("{}: this is no CGNS file in HDF5 form; older ones in ADF form are turned into it by "
                        "the standard's own adf2hdf",
                        file.string()));
    try {
        CgnsContent content = read_content(file, context);
        if (content.has_polyhedra()) return assemble_polyhedra(faces_of(std::move(content)));
        if (!content.is_ours) complete_boundary(content);
        return assemble_mesh(std::move(content.cells));
    } catch (const InputError& e) {
        const std::string text = e.what();
        throw InputError(text.starts_with(file.string()) ? text : fmt::format("{}: {}", file.string(), text));
    }
}

}  // namespace anvilcast
