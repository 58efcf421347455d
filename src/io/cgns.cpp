#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <cgnslib.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <memory>
#include <set>

#include "io/files.hpp"

namespace anvilcast {
namespace {

constexpr std::array<ElementType_t, 4> kElementOf{TETRA_4, PYRA_5, PENTA_6, HEXA_8};
constexpr std::size_t kNameLength = 32;      // of the standard
constexpr const char* kZoneName = "Volume";  // families stand beside it, so it must differ from our names

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
    // Names that other nodes beside ours have.
    std::set<std::string> used_{kZoneName,  "Base",       "GridCoordinates", "ZoneBC",
                                "ZoneType", "FamilyName", "tetrahedra",      "pyramids",
                                "prisms",   "hexahedra",  "DataClass",       "DimensionalUnits"};
};

class CgnsWriter {
  public:
    CgnsWriter(const std::filesystem::path& path, const VolumeMesh& mesh)
        : file_(path, CG_MODE_WRITE, true), mesh_(mesh) {}

    void write() {
        file_.check(cg_base_write(*file_, "Base", 3, 3, &base_));
        file_.check(cg_goto(*file_, base_, "end"));
        file_.check(cg_dataclass_write(Dimensional));
        file_.check(cg_units_write(Kilogram, Meter, Second, Kelvin, Degree));
        const std::string region = names_.unique(mesh_.regions.at(0).name);
        std::array<cgsize_t, 3> size{static_cast<cgsize_t>(mesh_.points.size()), static_cast<cgsize_t>(mesh_.n_cells()),
                                     0};
        file_.check(cg_zone_write(*file_, base_, kZoneName, size.data(), Unstructured, &zone_));
        int family = 0;
        file_.check(cg_family_write(*file_, base_, region.c_str(), &family));
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
        file_.check(cg_famname_write(region.c_str()));
        write_points();
        write_cells();
        for (const BoundaryZone& zone : mesh_.zones) write_zone(zone);
        file_.close();
    }

  private:
    void write_points() {
        std::vector<double> values(mesh_.points.size());
        constexpr std::array<const char*, 3> kAxes{"CoordinateX", "CoordinateY", "CoordinateZ"};
        for (int axis = 0; axis < 3; ++axis) {
            for (std::size_t i = 0; i < values.size(); ++i) values[i] = mesh_.points[i][axis];
            int coordinate = 0;
            file_.check(cg_coord_write(*file_, base_, zone_, RealDouble, kAxes[static_cast<std::size_t>(axis)],
                                       values.data(), &coordinate));
            constexpr std::array<float, 5> kLength{0, 1, 0, 0,
                                                   0};  // exponents of mass, length, time, temperature, angle
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
            for (std::size_t c = 0; c < mesh_.n_cells(); ++c) {
                if (static_cast<std::size_t>(mesh_.cell_types[c]) != type) continue;
                ++n;
                for (const Index p : mesh_.cell(c)) points.push_back(static_cast<cgsize_t>(p) + 1);
            }
            write_section(cell_type_name(static_cast<CellType>(type)), kElementOf[type], n, points);
        }
        if (next_ != static_cast<cgsize_t>(mesh_.n_cells()) + 1)
            throw FailureError("polyhedra cannot be written to CGNS by this version; fill with tetrahedra");
    }

    void write_zone(const BoundaryZone& zone) {
        if (zone.n_faces == 0) return;
        const std::string name = names_.unique(zone.name);
        std::array<cgsize_t, 2> range{next_, 0};
        for (const std::size_t corners : {std::size_t{3}, std::size_t{4}}) {
            std::vector<cgsize_t> points;
            for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
                const auto face = mesh_.face(f);
                if (face.size() == corners)
                    for (const Index p : face) points.push_back(static_cast<cgsize_t>(p) + 1);
            }
            write_section(range[0] == next_ ? name : names_.unique(name + "-quads"), corners == 3 ? TRI_3 : QUAD_4,
                          points.size() / corners, points);
        }
        range[1] = next_ - 1;
        int bc = 0, family = 0, family_bc = 0;
        file_.check(
            cg_boco_write(*file_, base_, zone_, name.c_str(), bc_of(zone.role), PointRange, 2, range.data(), &bc));
        file_.check(cg_boco_gridlocation_write(*file_, base_, zone_, bc, FaceCenter));
        file_.check(cg_family_write(*file_, base_, name.c_str(), &family));
        file_.check(cg_fambc_write(*file_, base_, family, "FamBC", bc_of(zone.role), &family_bc));
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "ZoneBC_t", 1, "BC_t", bc, "end"));
        file_.check(cg_famname_write(name.c_str()));
    }

    CgnsFile file_;
    const VolumeMesh& mesh_;
    Names names_;
    int base_ = 0, zone_ = 0;
    cgsize_t next_ = 1;
};

class CgnsReader {
  public:
    explicit CgnsReader(const std::filesystem::path& path) : path_(path.string()), file_(path, CG_MODE_READ, false) {}

    CellsAndBoundary read() {
        int n_zones = 0;
        file_.check(cg_nzones(*file_, 1, &n_zones));
        if (n_zones != 1) wrong(fmt::format("it has {} zones, one was expected", n_zones));
        ZoneType_t type{};
        file_.check(cg_zone_type(*file_, 1, 1, &type));
        if (type != Unstructured) wrong("its zone is structured, an unstructured one was expected");
        std::array<char, 33> name{};
        std::array<cgsize_t, 9> size{};
        file_.check(cg_zone_read(*file_, 1, 1, name.data(), size.data()));
        if (size[0] <= 0 || size[1] <= 0 || static_cast<std::uint64_t>(size[0]) >= kNone)
            wrong("its sizes make no sense");
        out_.regions.push_back({region_name(name.data()), RegionKind::fluid});
        read_points(size[0]);
        read_bcs();
        int n_sections = 0;
        file_.check(cg_nsections(*file_, 1, 1, &n_sections));
        for (int s = 1; s <= n_sections; ++s) read_section(s);
        out_.cell_region.assign(out_.cell_types.size(), 0);
        return std::move(out_);
    }

  private:
    [[noreturn]] void wrong(const std::string& what) const { throw InputError(path_ + ": " + what); }

    /// The family of the zone is our region; without one, the zone's own name.
    std::string region_name(const char* zone_name) const {
        std::array<char, 33 * 20> family{};
        file_.check(cg_goto(*file_, 1, "Zone_t", 1, "end"));
        return cg_famname_read(family.data()) == CG_OK ? family.data() : zone_name;
    }

    void read_points(cgsize_t n) {
        out_.points.resize(static_cast<std::size_t>(n));
        std::vector<double> values(static_cast<std::size_t>(n));
        constexpr std::array<const char*, 3> kAxes{"CoordinateX", "CoordinateY", "CoordinateZ"};
        cgsize_t first = 1;
        for (int axis = 0; axis < 3; ++axis) {
            file_.check(cg_coord_read(*file_, 1, 1, kAxes[static_cast<std::size_t>(axis)], RealDouble, &first, &n,
                                      values.data()));
            for (std::size_t i = 0; i < values.size(); ++i) out_.points[i][axis] = values[i];
        }
        for (const Vec3& p : out_.points)
            if (!is_finite(p)) wrong("a coordinate is not a finite number");
    }

    /// Which zone each boundary element belongs to.
    void read_bcs() {
        int n_bcs = 0;
        file_.check(cg_nbocos(*file_, 1, 1, &n_bcs));
        for (int b = 1; b <= n_bcs; ++b) {
            std::array<char, 33> name{};
            BCType_t type{};
            PointSetType_t set{};
            DataType_t normal_type{};
            std::array<int, 3> normal_index{};
            cgsize_t n = 0, normal_size = 0;
            int n_data = 0;
            file_.check(cg_boco_info(*file_, 1, 1, b, name.data(), &type, &set, &n, normal_index.data(), &normal_size,
                                     &normal_type, &n_data));
            std::vector<cgsize_t> list(static_cast<std::size_t>(std::max<cgsize_t>(n, 0)));
            file_.check(cg_boco_read(*file_, 1, 1, b, list.data(), nullptr));
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
        file_.check(cg_section_read(*file_, 1, 1, s, name.data(), &type, &first, &last, &n_boundary, &parent));
        file_.check(cg_ElementDataSize(*file_, 1, 1, s, &size));
        int corners = 0;
        file_.check(cg_npe(type, &corners));
        if (corners <= 0)
            wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", name.data(),
                              cg_ElementTypeName(type)));
        if (last < first || size != (last - first + 1) * corners)
            wrong(fmt::format("section \"{}\" is damaged", name.data()));
        std::vector<cgsize_t> points(static_cast<std::size_t>(size));
        file_.check(cg_elements_read(*file_, 1, 1, s, points.data(), nullptr));
        const auto element = std::find(kElementOf.begin(), kElementOf.end(), type);
        for (cgsize_t e = first; e <= last; ++e) {
            const cgsize_t* p = points.data() + (e - first) * corners;
            if (element != kElementOf.end()) {
                append(p, corners, out_.cell_points);
                out_.cell_offsets.push_back(out_.cell_points.size());
                out_.cell_types.push_back(static_cast<CellType>(element - kElementOf.begin()));
            } else if (type == TRI_3 || type == QUAD_4) {
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

    void append(const cgsize_t* points, int n, std::vector<Index>& to) const {
        for (int k = 0; k < n; ++k) {
            if (points[k] < 1 || points[k] > static_cast<cgsize_t>(out_.points.size()))
                wrong(fmt::format("an element refers to point {}, which is not there", points[k]));
            to.push_back(static_cast<Index>(points[k] - 1));
        }
    }

    struct Range {
        cgsize_t first, last;
        Index zone;
    };
    std::string path_;
    CgnsFile file_;
    CellsAndBoundary out_;
    std::vector<Range> ranges_;
};

}  // namespace

void write_cgns(const std::filesystem::path& file, const VolumeMesh& mesh) {
    if (mesh.regions.size() != 1)
        throw FailureError("a mesh of several regions cannot be written to CGNS by this version");
    io::PendingFile pending(file);
    CgnsWriter(pending.path(), mesh).write();
    pending.commit();
}

VolumeMesh read_cgns(const std::filesystem::path& file) {
    if (io::read_file(file, 8) != "\x89HDF\r\n\x1a\n")
        throw InputError(fmt::format("{}: this is no CGNS file (it is not in HDF5 form)", file.string()));
    try {
        return assemble_mesh(CgnsReader(file).read());
    } catch (const InputError& e) {
        const std::string text = e.what();
        throw InputError(text.starts_with(file.string()) ? text : fmt::format("{}: {}", file.string(), text));
    }
}

}  // namespace anvilcast
