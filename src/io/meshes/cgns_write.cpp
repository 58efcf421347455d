#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <limits>
#include <map>
#include <set>

#include "base/names.hpp"
#include "io/files.hpp"
#include "io/meshes/cgns_file.hpp"
#include "io/meshes/cgns_periodic.hpp"
#include "io/meshes/cgns_roles.hpp"
#include "mesh/plane_parts.hpp"

namespace anvilcast {
namespace {

using namespace io;

/// Names that other nodes have, beside zones and families, and beside sections.
const std::set<std::string> kInBase{"DataClass", "DimensionalUnits"};
const std::set<std::string> kInZone{"GridCoordinates", "ZoneBC",     "ZoneType",  "FamilyName", "ZoneGridConnectivity",
                                    kRegionKind,       "tetrahedra", "pyramids",  "prisms",     "hexahedra",
                                    "faces",           "polyhedra",  "triangles", "quadrangles"};

/// A name without what separates nodes.
std::string node_name(std::string name) {
    std::replace(name.begin(), name.end(), '/', '_');
    return name;
}

/// One Zone_t for each region, under its name. Cells are sections of their types, or, when there are polyhedra, all
/// faces are NGON_n sections and all cells one of NFACE_n. Boundary zones are sections of faces with a BC_t and a
/// family; interfaces are sections of faces on both sides, joined one to one. Of a plane mesh the lower half is
/// written, in two dimensions: its cells are triangles and quadrangles, its faces edges.
class CgnsWriter {
  public:
    CgnsWriter(const std::filesystem::path& path, const VolumeMesh& mesh, const Context& context)
        : file_(path, CG_MODE_WRITE, true),
          mesh_(mesh),
          context_(context),
          names_of_(cgns_names(mesh)),
          has_polyhedra_(std::find(mesh.cell_types.begin(), mesh.cell_types.end(), CellType::polyhedron) !=
                         mesh.cell_types.end()) {}

    void write() {
        file_.check(cg_base_write(*file_, "Base", dimensions(), dimensions(), &base_));
        file_.check(cg_goto(*file_, base_, "end"));
        file_.check(cg_dataclass_write(Dimensional));
        file_.check(cg_units_write(Kilogram, Meter, Second, Kelvin, Radian));
        for (Index r = 0; r < mesh_.regions.size(); ++r) write_region(r);
        connection_names_.assign(mesh_.regions.size(), base::UniqueNames(kNameLength));
        for (Index r = 0; r < mesh_.regions.size(); ++r) write_connections(r);
        for (const PeriodicPair& pair : mesh_.periodic) write_pair(pair);
        file_.close();
    }

  private:
    int dimensions() const { return mesh_.is_plane() ? 2 : 3; }
    GridLocation_t on_faces() const { return mesh_.is_plane() ? EdgeCenter : FaceCenter; }

    /// Where the faces of an interface are among the elements of a region.
    struct Side {
        std::string name, family;
        std::string whole_name;
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
            for (const Index p : cell_in_file(mesh_, c)) add_point(p);
        }
        if (has_polyhedra_)
            for (std::size_t f = 0; f < mesh_.n_faces(); ++f)
                if (is_in_region(f, r))
                    for (const Index p : mesh_.face(f)) add_point(p);
        n_points_.push_back(static_cast<cgsize_t>(points.size()));
        std::array<cgsize_t, 3> size{static_cast<cgsize_t>(points.size()), static_cast<cgsize_t>(cells_.size()), 0};
        file_.check(cg_zone_write(*file_, base_, names_of_.regions[r].c_str(), size.data(), Unstructured, &zone_));
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "end"));
        file_.check(cg_descriptor_write(kRegionKind, region_kind_name(mesh_.regions[r].kind)));
        write_whole_name(mesh_.regions[r].name, names_of_.regions[r]);
        next_ = 1;
        names_ = base::UniqueNames(kNameLength, kInZone);
        write_points(points);
        if (has_polyhedra_)
            write_inner_faces(r);
        else
            write_cells();
        for (std::size_t z = 0; z < mesh_.n_named_zones(); ++z) write_zone(r, z);
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
        context_.check_stop();
        if (polygons.offsets.size() == 1) return;
        check_extent(polygons.points.size());
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
        for (int axis = 0; axis < dimensions(); ++axis) {
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

    /// Sizes of the standard's library are `int` where it was built so, as Debian's is.
    void check_extent(std::size_t n) const {
        if (n > static_cast<std::size_t>(std::numeric_limits<cgsize_t>::max()))
            throw FailureError(fmt::format(
                "the mesh is not written: {} numbers in one section are more than the CGNS library of this machine "
                "counts ({}); it needs one that is built with 64-bit sizes, or larger cells",
                n, std::numeric_limits<cgsize_t>::max()));
    }

    void write_section(const std::string& name, ElementType_t type, std::size_t n,
                       const std::vector<cgsize_t>& points) {
        context_.check_stop();
        if (n == 0) return;
        check_extent(points.size());
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
                for (const Index p : cell_in_file(mesh_, c)) points.push_back(number_[p]);
            }
            const auto own = static_cast<CellType>(type);
            const ElementType_t element = !mesh_.is_plane()        ? kElementOf[type]
                                          : own == CellType::prism ? TRI_3
                                                                   : QUAD_4;
            write_section(cell_type_name(own, mesh_.is_plane()), element, n, points);
        }
    }

    /// The faces of a zone that bound region r, turned out of it.
    void write_zone(Index r, std::size_t z) {
        const BoundaryZone& zone = mesh_.zones[z];
        Index other = kNone;
        bool is_upper = false;
        std::array<std::vector<cgsize_t>, 2> points;  // of triangles, of quadrangles
        Polygons polygons;                            // or of all
        std::array<std::vector<std::size_t>, 2> faces;
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            const Index own = mesh_.cell_region[mesh_.owner[f]];
            const Index beyond = f < mesh_.n_inner_faces() ? mesh_.cell_region[mesh_.neighbour[f]] : kNone;
            if (own != r && beyond != r) continue;
            std::vector<Index> corners = face_in_file(mesh_, f);
            if (own != r) std::reverse(corners.begin(), corners.end());
            if (beyond != kNone) {
                other = own == r ? beyond : own;
                is_upper = r > other;
            }
            if (has_polyhedra_) element_[f] = next_ + static_cast<cgsize_t>(polygons.offsets.size()) - 1;
            std::vector<cgsize_t>& to = has_polyhedra_ ? polygons.points : points[corners.size() == 4 ? 1 : 0];
            for (const Index p : corners) to.push_back(number_[p]);
            if (has_polyhedra_) polygons.offsets.push_back(static_cast<cgsize_t>(polygons.points.size()));
            faces[!has_polyhedra_ && corners.size() == 4 ? 1 : 0].push_back(f);
        }
        if (zone.role == Role::periodic)
            for (cgsize_t element = next_; const auto& list : faces)
                for (const std::size_t f : list) repeated_[f] = {r, element++};
        if (points[0].empty() && points[1].empty() && polygons.points.empty()) return;
        const std::string family = is_upper ? names_of_.other_zones[z] : names_of_.zones[z];
        const std::string& whole_name = is_upper && !zone.other_name.empty() ? zone.other_name : zone.name;
        const std::string name = names_.add(node_name(whole_name));
        std::array<cgsize_t, 2> range{next_, 0};
        write_polygons(name, NGON_n, polygons);
        if (mesh_.is_plane())
            write_section(name, BAR_2, points[0].size() / 2, points[0]);
        else
            write_section(name, TRI_3, points[0].size() / 3, points[0]);
        write_section(points[0].empty() ? name : names_.add(name + "-quads"), QUAD_4, points[1].size() / 4, points[1]);
        range[1] = next_ - 1;
        if (other != kNone && other != r)
            sides_.push_back({name, family, whole_name, r, other, z, range[0], range[1]});
        else
            write_condition(zone, name, family, range);
    }

    /// At the node where the file stands.
    void write_whole_name(const std::string& whole, const std::string& name) {
        if (whole != name) file_.check(cg_descriptor_write(kWholeName, whole.c_str()));
    }

    void write_family(const std::string& name, const std::string& whole_name, const BoundaryRole& role) {
        if (!families_.insert(name).second) return;
        int family = 0, condition = 0;
        file_.check(cg_family_write(*file_, base_, name.c_str(), &family));
        file_.check(cg_fambc_write(*file_, base_, family, "FamBC", type_of(role), &condition));
        file_.check(cg_goto(*file_, base_, "Family_t", family, "end"));
        write_whole_name(whole_name, name);
        if (has_own_meaning(role.role)) file_.check(cg_descriptor_write(kRole, role_name(role.role)));
    }

    void write_condition(const BoundaryZone& zone, const std::string& name, const std::string& family,
                         const std::array<cgsize_t, 2>& range) {
        int bc = 0;
        file_.check(cg_boco_write(*file_, base_, zone_, name.c_str(), type_of(zone.boundary_role()), PointRange, 2,
                                  range.data(), &bc));
        file_.check(cg_boco_gridlocation_write(*file_, base_, zone_, bc, on_faces()));
        write_family(family, zone.name, zone.boundary_role());
        file_.check(cg_goto(*file_, base_, "Zone_t", zone_, "ZoneBC_t", 1, "BC_t", bc, "end"));
        file_.check(cg_famname_write(family.c_str()));
    }

    void write_connections(Index r) {
        for (const Side& side : sides_) {
            if (side.region != r) continue;
            const auto partner = std::find_if(sides_.begin(), sides_.end(), [&](const Side& s) {
                return s.zone == side.zone && s.region == side.other_region && s.other_region == side.region;
            });
            write_connection(side, *partner);
        }
    }

    /// Face by face, as a pair of lists, which is what most readers know. The library refuses lists that are longer
    /// than the zone has points, which coarse regions come to: there it is several connections. Both sides bear the
    /// family of their name.
    void write_connection(const Side& side, const Side& partner) {
        write_family(side.family, side.whole_name, {Role::interface_});
        std::vector<std::array<cgsize_t, 2>> elements;
        for (cgsize_t e = side.first; e <= side.last; ++e) elements.push_back({e, partner.first + (e - side.first)});
        write_lists(side.name, side.region, side.other_region, elements, [&](int zone, int connection) {
            file_.check(cg_goto(*file_, base_, "Zone_t", zone, "ZoneGridConnectivity_t", 1, "GridConnectivity_t",
                                connection, "end"));
            file_.check(cg_user_data_write(kInterfaceData));
            file_.check(cg_goto(*file_, base_, "Zone_t", zone, "ZoneGridConnectivity_t", 1, "GridConnectivity_t",
                                connection, "UserDefinedData_t", 1, "end"));
            file_.check(cg_famname_write(side.family.c_str()));
            file_.check(cg_descriptor_write(kInterfaceZone, side.whole_name.c_str()));
        });
    }

    /// `finish(zone, connection)`: what else is to be written for each.
    template <typename Finish>
    void write_lists(const std::string& name, Index region, Index other,
                     const std::vector<std::array<cgsize_t, 2>>& elements, const Finish& finish) {
        const int zone = static_cast<int>(region) + 1;
        const auto most = static_cast<std::size_t>(std::min(n_points_[region], n_points_[other]));
        for (std::size_t first = 0; first < elements.size(); first += most) {
            std::vector<cgsize_t> own, theirs;
            for (std::size_t i = first; i < std::min(elements.size(), first + most); ++i) {
                own.push_back(elements[i][0]);
                theirs.push_back(elements[i][1]);
            }
            const auto n = static_cast<cgsize_t>(own.size());
            int connection = 0;
            file_.check(cg_conn_write(*file_, base_, zone, connection_names_[region].add(name).c_str(), FaceCenter,
                                      Abutting1to1, PointList, n, own.data(), names_of_.regions[other].c_str(),
                                      Unstructured, PointListDonor, kIndexType, n, theirs.data(), &connection));
            finish(zone, connection);
        }
    }

    /// Faces that repeat bear their conditions' names, and are joined to their images besides.
    void write_pair(const PeriodicPair& pair) {
        using Regions = std::array<Index, 2>;
        std::map<Regions, std::vector<std::array<cgsize_t, 2>>> elements;
        for (const auto& [f, g] : faces_of_pair(mesh_, pair)) {
            const auto own = repeated_.find(f), theirs = repeated_.find(g);
            if (own == repeated_.end() || theirs == repeated_.end()) continue;
            elements[{own->second.region, theirs->second.region}].push_back(
                {own->second.element, theirs->second.element});
        }
        for (auto& [regions, list] : elements) {
            write_periodic(pair.first, regions[0], regions[1], list, pair.image);
            for (auto& e : list) std::swap(e[0], e[1]);
            std::sort(list.begin(), list.end());
            write_periodic(pair.second, regions[1], regions[0], list, inverse(pair.image));
        }
    }

    void write_periodic(const std::string& name, Index region, Index other,
                        const std::vector<std::array<cgsize_t, 2>>& elements, const Placement& image) {
        const PeriodicValues values = periodic_values(image);
        write_lists(node_name(name), region, other, elements, [&](int zone, int connection) {
            file_.check(cg_conn_periodic_write(*file_, base_, zone, connection, values.center.data(),
                                               values.angle.data(), values.way.data()));
            // Of mass, length, time, temperature, angle: of the centre, the angles and the way.
            constexpr std::array<float, 5> kLength{0, 1, 0, 0, 0}, kAngle{0, 0, 0, 0, 1};
            for (int array = 1; array <= 3; ++array) {
                file_.check(cg_goto(*file_, base_, "Zone_t", zone, "ZoneGridConnectivity_t", 1, "GridConnectivity_t",
                                    connection, "GridConnectivityProperty_t", 1, "Periodic_t", 1, "DataArray_t", array,
                                    "end"));
                file_.check(cg_exponents_write(RealSingle, array == 2 ? kAngle.data() : kLength.data()));
            }
        });
    }

    CgnsFile file_;
    const VolumeMesh& mesh_;
    const Context& context_;
    CgnsNames names_of_;
    bool has_polyhedra_;
    std::vector<cgsize_t> element_;  // number of each face in the region at hand, 0 for one that is not in it
    base::UniqueNames names_{kNameLength};
    std::vector<base::UniqueNames> connection_names_;  // of each region
    struct InRegion {
        Index region;
        cgsize_t element;
    };
    std::map<std::size_t, InRegion> repeated_;  // faces of periodic zones
    std::set<std::string> families_;            // that are written
    std::vector<cgsize_t> n_points_;            // of each region
    std::vector<cgsize_t> number_;              // of each point in the region at hand, from 1
    std::vector<Index> cells_;                  // of the region at hand
    std::vector<Side> sides_;
    int base_ = 0, zone_ = 0;
    cgsize_t next_ = 1;
};

}  // namespace

CgnsNames cgns_names(const VolumeMesh& mesh) {
    CgnsNames out;
    base::UniqueNames names(kNameLength, kInBase);
    for (const Region& region : mesh.regions) out.regions.push_back(names.add(node_name(region.name)));
    for (const BoundaryZone& zone : std::span(mesh.zones).first(mesh.n_named_zones())) {
        out.zones.push_back(names.add(node_name(zone.name)));
        out.other_zones.push_back(zone.other_name.empty() || zone.other_name == zone.name
                                      ? out.zones.back()
                                      : names.add(node_name(zone.other_name)));
    }
    return out;
}

void write_cgns(const std::filesystem::path& file, const VolumeMesh& mesh, const Context& context) {
    PendingFile pending(file);
    try {
        CgnsWriter(pending.path(), mesh, context).write();
    } catch (const FailureError& e) {
        // The library does not say why; mostly it is this.
        constexpr std::uintmax_t kNothing = 1 << 20;
        std::error_code code;
        const std::filesystem::space_info space = std::filesystem::space(pending.path().parent_path(), code);
        const bool is_full = !code && space.available < kNothing;
        throw FailureError(fmt::format("{}: {}; the mesh is not written", file.string(),
                                       is_full ? "no space is left on the disk" : e.what()));
    }
    pending.commit();
}

}  // namespace anvilcast
