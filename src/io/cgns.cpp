#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <cgnslib.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <memory>
#include <set>

#include "base/disjoint_sets.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

constexpr std::array<ElementType_t, 4> kElementOf{TETRA_4, PYRA_5, PENTA_6, HEXA_8};
constexpr std::size_t kNameLength = 32;  // of the standard
constexpr DataType_t kIndexType = sizeof(cgsize_t) == 8 ? LongInteger : Integer;
constexpr const char* kRegionKind = "RegionKind";  // a descriptor of ours: fluid or solid

BCType_t bc_of(Role role) {
    switch (role) {
        case Role::inlet:
            return BCInflow;
        case Role::outlet:
            return BCOutflow;
        case Role::symmetry:
            return BCSymmetryPlane;
        case Role::farfield:
            return BCFarfield;
        case Role::interface_:
            return BCGeneral;
        case Role::wall:
        case Role::baffle:
            break;
    }
    return BCWall;
}

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

/// An open file; every call's status is checked, and the file is closed whatever happens.
class CgnsFile {
  public:
    CgnsFile(const std::filesystem::path& path, int mode, bool writing) : path_(path), writing_(writing) {
        if (cg_open(path.c_str(), mode, &number_) != CG_OK) fail();
        is_open_ = true;
    }
    ~CgnsFile() {
        if (is_open_) cg_close(number_);
    }
    CgnsFile(const CgnsFile&) = delete;
    CgnsFile& operator=(const CgnsFile&) = delete;

    int operator*() const { return number_; }
    void check(int status) const {
        if (status != CG_OK) fail();
    }
    void close() {
        is_open_ = false;
        check(cg_close(number_));
    }
    [[noreturn]] void fail() const {
        const std::string text = fmt::format("{}: {}", path_.string(), cg_get_error());
        if (writing_) throw FailureError(text + "; the mesh is not written");
        throw InputError(text + "; is it a CGNS file?");
    }

  private:
    std::filesystem::path path_;
    bool writing_;
    bool is_open_ = false;
    int number_ = 0;
};

/// Names fit for the standard: at most 32 characters, no slash, each once.
class Names {
  public:
    explicit Names(std::set<std::string> used = {}) : used_(std::move(used)) {}
    std::string unique(const std::string& wanted) {
        std::string name = wanted.substr(0, kNameLength);
        std::replace(name.begin(), name.end(), '/', '_');
        if (name.empty()) name = "zone";
        for (int n = 2; !used_.insert(name).second; ++n) {
            const std::string suffix = fmt::format("-{}", n);
            name = wanted.substr(0, kNameLength - suffix.size()) + suffix;
            std::replace(name.begin(), name.end(), '/', '_');
        }
        return name;
    }

  private:
    std::set<std::string> used_;
};

/// Names that other nodes have, beside zones and families, and beside sections.
const std::set<std::string> kInBase{"DataClass", "DimensionalUnits"};
const std::set<std::string> kInZone{"GridCoordinates", "ZoneBC",     "ZoneType", "FamilyName", "ZoneGridConnectivity",
                                    kRegionKind,       "tetrahedra", "pyramids", "prisms",     "hexahedra",
                                    "faces",           "polyhedra"};

/// One Zone_t for each region, under its name. Cells are sections of their types, or, when there are polyhedra, all
/// faces are NGON_n sections and all cells one of NFACE_n. Boundary zones are sections of faces with a BC_t and a
/// family; interfaces are sections of faces on both sides, joined one to one.
class CgnsWriter {
  public:
    CgnsWriter(const std::filesystem::path& path, const VolumeMesh& mesh)
        : file_(path, CG_MODE_WRITE, true),
          mesh_(mesh),
          has_polyhedra_(std::find(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::polyhedron) !=
                         mesh.cell_types.end()) {}

    void write() {
        file_.check(cg_base_write(*file_, "Base", 3, 3, &base_));
        file_.check(cg_goto(*file_, base_, "end"));
        file_.check(cg_dataclass_write(Dimensional));
        file_.check(cg_units_write(Kilogram, Meter, Second, Kelvin, Degree));
        for (const Region& region : mesh_.regions) zone_names_.push_back(base_names_.unique(region.name));
        for (Index r = 0; r < mesh_.regions.size(); ++r) write_region(r);
        for (Index r = 0; r < mesh_.regions.size(); ++r) write_connections(r);
        file_.close();
    }

  private:
    /// Where the faces of an interface are among the elements of a region.
    struct Side {
        std::string name;
        Index region, other_region;
        std::size_t zone;
        cgsize_t first, last;
    };

    void write_region(Index r) {
        number_.assign(mesh_.points.size(), 0);
        std::vector<Index> points;
        cells_.clear();
        auto add_point = [&](Index p) {
            if (number_[p] != 0) return;
            points.push_back(p);
            number_[p] = static_cast<cgsize_t>(points.size());
        };
        for (Index c = 0; c < mesh_.n_cells(); ++c) {
            if (mesh_.cell_region[c] != r) continue;
            cells_.push_back(c);
            for (const Index p : mesh_.cell(c)) add_point(p);
        }
        if (has_polyhedra_)
            for (std::size_t f = 0; f < mesh_.n_faces(); ++f)
                if (is_in_region(f, r))
                    for (const Index p : mesh_.face(f)) add_point(p);
        std::array<cgsize_t, 3> size{static_cast<cgsize_t>(points.size()), static_cast<cgsize_t>(cells_.size()), 0};
        file_.check(cg_zone_write(*file_, base_, zone_names_[r].c_str(), size.data(), Unstructured, &zone_));
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
        file_.check(cg_descriptor_write(kRegionKind, region_kind_name(mesh_.regions[r].kind)));
        next_ = 1;
        names_ = Names(kInZone);
        write_points(points);
        if (has_polyhedra_)
            write_inner_faces(r);
        else
            write_cells();
        for (std::size_t z = 0; z < mesh_.zones.size(); ++z) write_zone(r, z);
        if (has_polyhedra_) write_polyhedra(r);
    }

    bool is_in_region(std::size_t f, Index r) const {
        return mesh_.cell_region[mesh_.owner[f]] == r ||
               (f < mesh_.n_inner_faces() && mesh_.cell_region[mesh_.neighbour[f]] == r);
    }

    /// Polygons, their points in a row.
    struct Polygons {
        std::vector<cgsize_t> points, offsets{0};
    };
    void write_polygons(const std::string& name, ElementType_t type, const Polygons& polygons) {
        if (polygons.offsets.size() == 1) return;
        int section = 0;
        const auto last = next_ + static_cast<cgsize_t>(polygons.offsets.size()) - 2;
        file_.check(cg_poly_section_write(*file_, base_, zone_, name.c_str(), type, next_, last, 0,
                                          polygons.points.data(), polygons.offsets.data(), &section));
        next_ = last + 1;
    }

    /// The faces within a region. Element numbers of all its faces are kept for its cells.
    void write_inner_faces(Index r) {
        element_.assign(mesh_.n_faces(), 0);
        Polygons polygons;
        for (std::size_t f = 0; f < mesh_.n_plain_faces(); ++f) {
            if (!is_in_region(f, r)) continue;
            element_[f] = next_ + static_cast<cgsize_t>(polygons.offsets.size()) - 1;
            for (const Index p : mesh_.face(f)) polygons.points.push_back(number_[p]);
            polygons.offsets.push_back(static_cast<cgsize_t>(polygons.points.size()));
        }
        write_polygons("faces", NGON_n, polygons);
    }

    /// Faces whose normals point into a cell have a minus.
    void write_polyhedra(Index r) {
        std::vector<std::vector<cgsize_t>> faces(cells_.size());
        std::vector<Index> place(mesh_.n_cells(), kNone);
        for (Index i = 0; i < cells_.size(); ++i) place[cells_[i]] = i;
        for (std::size_t f = 0; f < mesh_.n_faces(); ++f) {
            if (element_[f] == 0) continue;
            // Faces of zones are written turned out of the region.
            const Index own = mesh_.owner[f];
            if (mesh_.cell_region[own] == r) faces[place[own]].push_back(element_[f]);
            if (f >= mesh_.n_inner_faces() || mesh_.cell_region[mesh_.neighbour[f]] != r) continue;
            const bool is_turned = mesh_.cell_region[own] != r;
            faces[place[mesh_.neighbour[f]]].push_back(is_turned ? element_[f] : -element_[f]);
        }
        Polygons cells;
        for (const auto& list : faces) {
            cells.points.insert(cells.points.end(), list.begin(), list.end());
            cells.offsets.push_back(static_cast<cgsize_t>(cells.points.size()));
        }
        write_polygons(cell_type_name(CellType::polyhedron), NFACE_n, cells);
    }

    void write_points(const std::vector<Index>& points) {
        std::vector<double> values(points.size());
        constexpr std::array<const char*, 3> kAxes{"CoordinateX", "CoordinateY", "CoordinateZ"};
        for (int axis = 0; axis < 3; ++axis) {
            for (std::size_t i = 0; i < values.size(); ++i) values[i] = mesh_.points[points[i]][axis];
            int coordinate = 0;
            file_.check(cg_coord_write(*file_, base_, zone_, RealDouble, kAxes[static_cast<std::size_t>(axis)],
                                       values.data(), &coordinate));
            // Exponents of mass, length, time, temperature, angle.
            constexpr std::array<float, 5> kLength{0, 1, 0, 0, 0};
            file_.check(
                cg_goto(*file_, base_, "Zone_t", zone_, "GridCoordinates_t", 1, "DataArray_t", coordinate, "end"));
            file_.check(cg_exponents_write(RealSingle, kLength.data()));
        }
    }

    void write_section(const std::string& name, ElementType_t type, std::size_t n,
                       const std::vector<cgsize_t>& points) {
        if (n == 0) return;
        int section = 0;
        const auto last = next_ + static_cast<cgsize_t>(n) - 1;
        file_.check(
            cg_section_write(*file_, base_, zone_, name.c_str(), type, next_, last, 0, points.data(), &section));
        next_ = last + 1;
    }

    void write_cells() {
        for (std::size_t type = 0; type < kElementOf.size(); ++type) {
            std::vector<cgsize_t> points;
            std::size_t n = 0;
            for (const Index c : cells_) {
                if (static_cast<std::size_t>(mesh_.cell_types[c]) != type) continue;
                ++n;
                for (const Index p : mesh_.cell(c)) points.push_back(number_[p]);
            }
            write_section(cell_type_name(static_cast<CellType>(type)), kElementOf[type], n, points);
        }
    }

    /// The faces of a zone that bound region r, turned out of it.
    void write_zone(Index r, std::size_t z) {
        const BoundaryZone& zone = mesh_.zones[z];
        Index other = kNone;
        bool is_upper = false;
        std::array<std::vector<cgsize_t>, 2> points;  // of triangles, of quadrangles
        Polygons polygons;                            // or of all
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            const Index own = mesh_.cell_region[mesh_.owner[f]];
            const Index beyond = f < mesh_.n_inner_faces() ? mesh_.cell_region[mesh_.neighbour[f]] : kNone;
            if (own != r && beyond != r) continue;
            const auto face = mesh_.face(f);
            std::vector<Index> corners(face.begin(), face.end());
            if (own != r) std::reverse(corners.begin(), corners.end());
            if (beyond != kNone) {
                other = own == r ? beyond : own;
                is_upper = r > other;
            }
            if (has_polyhedra_) element_[f] = next_ + static_cast<cgsize_t>(polygons.offsets.size()) - 1;
            std::vector<cgsize_t>& to = has_polyhedra_ ? polygons.points : points[corners.size() == 3 ? 0 : 1];
            for (const Index p : corners) to.push_back(number_[p]);
            if (has_polyhedra_) polygons.offsets.push_back(static_cast<cgsize_t>(polygons.points.size()));
        }
        if (points[0].empty() && points[1].empty() && polygons.points.empty()) return;
        const std::string wanted = is_upper && !zone.other_name.empty() ? zone.other_name : zone.name;
        const std::string name = names_.unique(wanted);
        std::array<cgsize_t, 2> range{next_, 0};
        write_polygons(name, NGON_n, polygons);
        write_section(name, TRI_3, points[0].size() / 3, points[0]);
        write_section(points[0].empty() ? name : names_.unique(name + "-quads"), QUAD_4, points[1].size() / 4,
                      points[1]);
        range[1] = next_ - 1;
        if (other != kNone)
            sides_.push_back({name, r, other, z, range[0], range[1]});
        else
            write_condition(zone, name, range);
    }

    void write_condition(const BoundaryZone& zone, const std::string& name, const std::array<cgsize_t, 2>& range) {
        int bc = 0, family = 0, family_bc = 0;
        file_.check(
            cg_boco_write(*file_, base_, zone_, name.c_str(), bc_of(zone.role), PointRange, 2, range.data(), &bc));
        file_.check(cg_boco_gridlocation_write(*file_, base_, zone_, bc, FaceCenter));
        const std::string family_name = base_names_.unique(zone.name);
        file_.check(cg_family_write(*file_, base_, family_name.c_str(), &family));
        file_.check(cg_fambc_write(*file_, base_, family, "FamBC", bc_of(zone.role), &family_bc));
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "ZoneBC_t", 1, "BC_t", bc, "end"));
        file_.check(cg_famname_write(family_name.c_str()));
    }

    void write_connections(Index r) {
        for (const Side& side : sides_) {
            if (side.region != r) continue;
            const auto partner = std::find_if(sides_.begin(), sides_.end(), [&](const Side& s) {
                return s.zone == side.zone && s.region == side.other_region && s.other_region == side.region;
            });
            // A range: the library refuses lists longer than the zone has points, which coarse regions have.
            const std::array<cgsize_t, 2> own{side.first, side.last};
            std::vector<cgsize_t> theirs;
            for (cgsize_t e = side.first; e <= side.last; ++e) theirs.push_back(partner->first + (e - side.first));
            int connection = 0;
            file_.check(cg_conn_write(*file_, base_, static_cast<int>(r) + 1, side.name.c_str(), FaceCenter,
                                      Abutting1to1, PointRange, 2, own.data(), zone_names_[side.other_region].c_str(),
                                      Unstructured, PointListDonor, kIndexType, static_cast<cgsize_t>(theirs.size()),
                                      theirs.data(), &connection));
        }
    }

    CgnsFile file_;
    const VolumeMesh& mesh_;
    bool has_polyhedra_;
    std::vector<cgsize_t> element_;  // number of each face in the region at hand, 0 for one that is not in it
    Names base_names_{kInBase}, names_;
    std::vector<std::string> zone_names_;
    std::vector<cgsize_t> number_;  // of each point in the region at hand, from 1
    std::vector<Index> cells_;      // of the region at hand
    std::vector<Side> sides_;
    int base_ = 0, zone_ = 0;
    cgsize_t next_ = 1;
};

class CgnsReader {
  public:
    explicit CgnsReader(const std::filesystem::path& path) : path_(path.string()), file_(path, CG_MODE_READ, false) {}

    CellsAndBoundary read() {
        int n_zones = 0;
        file_.check(cg_nzones(*file_, 1, &n_zones));
        if (n_zones < 1) wrong("it has no zone");
        for (zone_ = 1; zone_ <= n_zones; ++zone_) read_region();
        join_connections();
        return std::move(out_);
    }

    /// After read(): has the file polyhedra? Then `cells` are its points, zones and regions alone.
    bool has_polyhedra() const { return !polyhedra_.cell_region.empty(); }
    FacesOfPolyhedra faces(CellsAndBoundary&& cells) {
        if (!cells.cell_types.empty()) wrong("polyhedra and other cells in one file are not read");
        FacesOfPolyhedra out;
        // A face of an interface is told by both sides; the second telling goes.
        std::vector<char> is_second(polyhedra_.owner.size(), 0);
        for (const auto& [second, first] : twin_) is_second[second] = 1;
        for (const auto& [second, first] : twin_) polyhedra_.neighbour[first] = polyhedra_.owner[second];
        for (std::size_t f = 0; f < polyhedra_.owner.size(); ++f) {
            if (is_second[f] != 0) continue;
            if (polyhedra_.owner[f] == kNone) wrong("a face of the NGON_n sections belongs to no cell");
            out.face_points.insert(
                out.face_points.end(),
                polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f]),
                polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f + 1]));
            out.face_offsets.push_back(out.face_points.size());
            out.owner.push_back(polyhedra_.owner[f]);
            out.neighbour.push_back(polyhedra_.neighbour[f]);
            out.face_zone.push_back(polyhedra_.face_zone[f]);
        }
        out.cell_region = std::move(polyhedra_.cell_region);
        out.points = std::move(cells.points);
        out.zones = std::move(cells.zones);
        out.regions = std::move(cells.regions);
        return out;
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
    };
    struct Range {
        cgsize_t first, last;
        Index zone;
    };

    [[noreturn]] void wrong(const std::string& what) const { throw InputError(path_ + ": " + what); }

    void read_region() {
        ZoneType_t type{};
        file_.check(cg_zone_type(*file_, 1, zone_, &type));
        if (type != Unstructured) wrong("a zone is structured, unstructured ones were expected");
        std::array<char, 33> name{};
        std::array<cgsize_t, 9> size{};
        file_.check(cg_zone_read(*file_, 1, zone_, name.data(), size.data()));
        if (size[0] <= 0 || size[1] <= 0 || static_cast<std::uint64_t>(size[0]) + out_.points.size() >= kNone)
            wrong("its sizes make no sense");
        zone_names_.emplace_back(name.data());
        out_.regions.push_back({region_name(name.data()), region_kind()});
        first_point_ = out_.points.size();
        ranges_.clear();
        read_points(size[0]);
        read_bcs();
        read_connections();
        int n_sections = 0;
        file_.check(cg_nsections(*file_, 1, zone_, &n_sections));
        face_of_.clear();
        for (int s = 1; s <= n_sections; ++s) read_section(s);
        // Cells of polyhedra refer to faces of any section.
        for (int s = 1; s <= n_sections; ++s) read_polyhedra(s);
        out_.cell_region.resize(out_.cell_types.size(), static_cast<Index>(zone_ - 1));
    }

    /// The family of a zone is our region; without one, the zone's own name.
    std::string region_name(const char* zone_name) const {
        std::array<char, 33 * 20> family{};
        file_.check(cg_goto(*file_, 1, "Zone_t", zone_, "end"));
        return cg_famname_read(family.data()) == CG_OK ? family.data() : zone_name;
    }

    RegionKind region_kind() const {
        int n = 0;
        file_.check(cg_goto(*file_, 1, "Zone_t", zone_, "end"));
        file_.check(cg_ndescriptors(&n));
        for (int d = 1; d <= n; ++d) {
            std::array<char, 33> name{};
            char* text = nullptr;
            file_.check(cg_descriptor_read(d, name.data(), &text));
            const std::string value = text;
            cg_free(text);
            if (std::string_view(name.data()) == kRegionKind) return parse_region_kind(value);
        }
        return RegionKind::fluid;
    }

    void read_points(cgsize_t n) {
        out_.points.resize(first_point_ + static_cast<std::size_t>(n));
        std::vector<double> values(static_cast<std::size_t>(n));
        constexpr std::array<const char*, 3> kAxes{"CoordinateX", "CoordinateY", "CoordinateZ"};
        cgsize_t first = 1;
        for (int axis = 0; axis < 3; ++axis) {
            file_.check(cg_coord_read(*file_, 1, zone_, kAxes[static_cast<std::size_t>(axis)], RealDouble, &first, &n,
                                      values.data()));
            for (std::size_t i = 0; i < values.size(); ++i) out_.points[first_point_ + i][axis] = values[i];
        }
        for (const Vec3& p : out_.points)
            if (!is_finite(p)) wrong("a coordinate is not a finite number");
    }

    /// Which zone each boundary element belongs to.
    void read_bcs() {
        int n_bcs = 0;
        file_.check(cg_nbocos(*file_, 1, zone_, &n_bcs));
        for (int b = 1; b <= n_bcs; ++b) {
            std::array<char, 33> name{};
            BCType_t type{};
            PointSetType_t set{};
            DataType_t normal_type{};
            std::array<int, 3> normal_index{};
            cgsize_t n = 0, normal_size = 0;
            int n_data = 0;
            file_.check(cg_boco_info(*file_, 1, zone_, b, name.data(), &type, &set, &n, normal_index.data(),
                                     &normal_size, &normal_type, &n_data));
            std::vector<cgsize_t> list(static_cast<std::size_t>(std::max<cgsize_t>(n, 0)));
            file_.check(cg_boco_read(*file_, 1, zone_, b, list.data(), nullptr));
            const auto zone = static_cast<Index>(out_.zones.size());
            out_.zones.push_back({name.data(), role_of(type)});
            if (set == PointRange || set == ElementRange) {
                if (list.size() != 2) wrong(fmt::format("the range of boundary \"{}\" makes no sense", name.data()));
                ranges_.push_back({list[0], list[1], zone});
            } else {
                for (const cgsize_t e : list) ranges_.push_back({e, e, zone});
            }
        }
        std::sort(ranges_.begin(), ranges_.end(), [](const Range& a, const Range& b) { return a.first < b.first; });
    }

    void read_connections() {
        int n = 0;
        file_.check(cg_nconns(*file_, 1, zone_, &n));
        for (int k = 1; k <= n; ++k) {
            std::array<char, 33> name{}, donor{};
            GridLocation_t location{};
            GridConnectivityType_t type{};
            PointSetType_t set{}, donor_set{};
            ZoneType_t donor_type{};
            DataType_t donor_data{};
            cgsize_t n_own = 0, n_theirs = 0;
            file_.check(cg_conn_info(*file_, 1, zone_, k, name.data(), &location, &type, &set, &n_own, donor.data(),
                                     &donor_type, &donor_set, &donor_data, &n_theirs));
            const bool fits = set == PointRange ? n_own == 2 : set == PointList && n_own == n_theirs && n_own >= 0;
            if (location != FaceCenter || type != Abutting1to1 || !fits || n_theirs < 0)
                wrong(fmt::format("the interface \"{}\" is not a list of faces joined one to one", name.data()));
            Connection c{zone_, name.data(), donor.data(), {}, {}, {}, {}};
            c.own.resize(static_cast<std::size_t>(n_own));
            c.theirs.resize(static_cast<std::size_t>(n_theirs));
            file_.check(cg_conn_read(*file_, 1, zone_, k, c.own.data(), kIndexType, c.theirs.data()));
            if (set == PointRange) {
                const cgsize_t first = c.own[0], last = c.own[1];
                if (last - first + 1 != n_theirs)
                    wrong(fmt::format("the sides of interface \"{}\" differ in size", name.data()));
                c.own.resize(c.theirs.size());
                for (cgsize_t e = first; e <= last; ++e) c.own[static_cast<std::size_t>(e - first)] = e;
            }
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
        file_.check(cg_section_read(*file_, 1, zone_, s, name.data(), &type, &first, &last, &n_boundary, &parent));
        file_.check(cg_ElementDataSize(*file_, 1, zone_, s, &size));
        if (type == NFACE_n) return;
        if (type == NGON_n) return read_polygons(s, name.data(), first, last, size);
        int corners = 0;
        file_.check(cg_npe(type, &corners));
        if (corners <= 0)
            wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", name.data(),
                              cg_ElementTypeName(type)));
        if (last < first || size != (last - first + 1) * corners)
            wrong(fmt::format("section \"{}\" is damaged", name.data()));
        std::vector<cgsize_t> points(static_cast<std::size_t>(size));
        file_.check(cg_elements_read(*file_, 1, zone_, s, points.data(), nullptr));
        const auto element = std::find(kElementOf.begin(), kElementOf.end(), type);
        for (cgsize_t e = first; e <= last; ++e) {
            const cgsize_t* p = points.data() + (e - first) * corners;
            if (element != kElementOf.end()) {
                append(p, corners, out_.cell_points);
                out_.cell_offsets.push_back(out_.cell_points.size());
                out_.cell_types.push_back(static_cast<CellType>(element - kElementOf.begin()));
            } else if (type == TRI_3 || type == QUAD_4) {
                for (Connection& c : connections_)
                    if (const auto face = c.faces.find(e); c.zone == zone_ && face != c.faces.end())
                        append(p, corners, face->second);
                const Index zone = zone_of(e);
                if (zone == kNone) continue;
                append(p, corners, out_.boundary_points);
                out_.boundary_offsets.push_back(out_.boundary_points.size());
                out_.boundary_zone.push_back(zone);
            } else {
                wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", name.data(),
                                  cg_ElementTypeName(type)));
            }
        }
    }

    /// Numbers in rows, each of at least so many.
    struct Rows {
        std::vector<cgsize_t> values, offsets;
    };
    Rows read_rows(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size, cgsize_t least) {
        if (last < first || size < least * (last - first + 1)) wrong(fmt::format("section \"{}\" is damaged", name));
        Rows rows{std::vector<cgsize_t>(static_cast<std::size_t>(size)),
                  std::vector<cgsize_t>(static_cast<std::size_t>(last - first + 2))};
        file_.check(cg_poly_elements_read(*file_, 1, zone_, s, rows.values.data(), rows.offsets.data(), nullptr));
        for (std::size_t k = 0; k + 1 < rows.offsets.size(); ++k)
            if (rows.offsets[k] < 0 || rows.offsets[k + 1] > size || rows.offsets[k + 1] - rows.offsets[k] < least)
                wrong(fmt::format("section \"{}\" is damaged", name));
        return rows;
    }

    void read_polygons(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size) {
        const Rows rows = read_rows(s, name, first, last, size, 3);
        for (cgsize_t e = first; e <= last; ++e) {
            const auto k = static_cast<std::size_t>(e - first);
            const auto n = static_cast<int>(rows.offsets[k + 1] - rows.offsets[k]);
            const cgsize_t* points = rows.values.data() + rows.offsets[k];
            face_of_[e] = static_cast<Index>(polyhedra_.owner.size());
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
        file_.check(cg_section_read(*file_, 1, zone_, s, name.data(), &type, &first, &last, &n_boundary, &parent));
        if (type != NFACE_n) return;
        file_.check(cg_ElementDataSize(*file_, 1, zone_, s, &size));
        const Rows rows = read_rows(s, name.data(), first, last, size, 4);
        for (std::size_t k = 0; k + 1 < rows.offsets.size(); ++k) {
            const auto cell = static_cast<Index>(polyhedra_.cell_region.size());
            polyhedra_.cell_region.push_back(static_cast<Index>(zone_ - 1));
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
        for (const auto& [element, f] : face_of_) {
            if (polyhedra_.owner[f] != kNone || polyhedra_.neighbour[f] == kNone) continue;
            std::swap(polyhedra_.owner[f], polyhedra_.neighbour[f]);
            std::reverse(polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f]),
                         polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f + 1]));
        }
    }

    void append(const cgsize_t* points, int n, std::vector<Index>& to) const {
        for (int k = 0; k < n; ++k) {
            if (points[k] < 1 || points[k] > static_cast<cgsize_t>(out_.points.size() - first_point_))
                wrong(fmt::format("an element refers to point {}, which is not there", points[k]));
            to.push_back(static_cast<Index>(first_point_ + static_cast<std::size_t>(points[k] - 1)));
        }
    }

    /// The points on both sides of an interface become one, and its faces a zone.
    void join_connections() {
        DisjointSets same(out_.points.size());
        for (const Connection& c : connections_) {
            const auto donor = std::find(zone_names_.begin(), zone_names_.end(), c.donor);
            if (donor == zone_names_.end())
                wrong(fmt::format("interface \"{}\" joins \"{}\", which is not there", c.name, c.donor));
            const int other = static_cast<int>(donor - zone_names_.begin()) + 1;
            if (other < c.zone) continue;
            const auto partner = std::find_if(connections_.begin(), connections_.end(), [&](const Connection& d) {
                return d.zone == other && !c.theirs.empty() && d.faces.contains(c.theirs.front());
            });
            if (partner == connections_.end()) wrong(fmt::format("interface \"{}\" is told by one side only", c.name));
            const auto zone = static_cast<Index>(out_.zones.size());
            out_.zones.push_back({c.name, Role::interface_});
            out_.zones.back().other_name = partner->name;
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
        if (connections_.empty()) return;
        std::vector<Index> number(out_.points.size(), kNone);
        Index n = 0;
        for (Index p = 0; p < number.size(); ++p) {
            if (same.find(p) != p) continue;
            out_.points[n] = out_.points[p];
            number[p] = n++;
        }
        for (std::vector<Index>* list : {&out_.cell_points, &out_.boundary_points, &polyhedra_.face_points})
            for (Index& p : *list) p = number[same.find(p)];
        out_.points.resize(n);
    }

    std::string path_;
    CgnsFile file_;
    CellsAndBoundary out_;
    int zone_ = 0;
    std::size_t first_point_ = 0;
    std::vector<std::string> zone_names_;
    std::vector<Range> ranges_;
    std::vector<Connection> connections_;
    FacesOfPolyhedra polyhedra_;              // its points are those of out_
    std::map<cgsize_t, Index> face_of_;       // element number, in the region at hand
    std::vector<std::array<Index, 2>> twin_;  // the same faces of two regions, the second first
};

}  // namespace

void write_cgns(const std::filesystem::path& file, const VolumeMesh& mesh) {
    io::PendingFile pending(file);
    CgnsWriter(pending.path(), mesh).write();
    pending.commit();
}

VolumeMesh read_cgns(const std::filesystem::path& file) {
    if (io::read_file(file, 8) != "\x89HDF\r\n\x1a\n")
        throw InputError(fmt::format("{}: this is no CGNS file (it is not in HDF5 form)", file.string()));
    try {
        CgnsReader reader(file);
        CellsAndBoundary cells = reader.read();
        return reader.has_polyhedra() ? assemble_polyhedra(reader.faces(std::move(cells)))
                                      : assemble_mesh(std::move(cells));
    } catch (const InputError& e) {
        const std::string text = e.what();
        throw InputError(text.starts_with(file.string()) ? text : fmt::format("{}: {}", file.string(), text));
    }
}

}  // namespace anvilcast
