// Reads CGNS files, ours and others': unstructured zones of sections of one type, MIXED, or NGON_n with NFACE_n or
// parent elements; structured zones, whose blocks become one region; boundaries told by faces or by points, or not at
// all.

#include <anvilcast/assembly.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "assemble/flat_cells.hpp"
#include "io/apart.hpp"
#include "io/files.hpp"
#include "io/meshes/cgns_reader.hpp"
#include "io/meshes/missing_boundary.hpp"

namespace anvilcast {
namespace {

using namespace io;

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
    out.periodic = std::move(content.cells.periodic);
    return out;
}

/// The content on its way between processes, in or out.
template <typename Archive>
void pass(Archive& a, CgnsContent& c) {
    a.pass(c.cells.points);
    a.pass(c.cells.cell_types);
    a.pass(c.cells.cell_offsets);
    a.pass(c.cells.cell_points);
    a.pass(c.cells.cell_region);
    a.pass(c.cells.boundary_offsets);
    a.pass(c.cells.boundary_points);
    a.pass(c.cells.boundary_zone);
    a.pass_list(c.cells.zones, [](Archive& to, Zone& zone) {
        to.pass(zone.name);
        to.pass(zone.role);
        to.pass(zone.bc_type);
        to.pass(zone.other_name);
    });
    a.pass_list(c.cells.regions, [](Archive& to, Region& region) {
        to.pass(region.name);
        to.pass(region.kind);
    });
    a.pass_list(c.cells.periodic, [](Archive& to, PeriodicPair& pair) {
        to.pass(pair.first);
        to.pass(pair.second);
        to.pass(pair.image.image);
        to.pass(pair.image.origin);
    });
    a.pass(c.polyhedra.face_offsets);
    a.pass(c.polyhedra.face_points);
    a.pass(c.polyhedra.owner);
    a.pass(c.polyhedra.neighbour);
    a.pass(c.polyhedra.face_zone);
    a.pass(c.polyhedra.cell_region);
    a.pass(c.twins);
    a.pass_list(c.zones_by_points, [](Archive& to, ZoneByPoints& zone) {
        to.pass(zone.zone);
        to.pass(zone.points);
    });
    a.pass(c.is_ours);
    a.pass(c.plane_depth);
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
    pass(in, c);
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
    const ApartEnd end = run_apart(
        [&](ArchiveWriter& to) {
            CgnsContent read = CgnsReader(file).read();
            pass(to, read);
        },
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
        if (content.plane_depth > 0) assemble::put_sides_last(content.cells);
        VolumeMesh mesh = assemble_mesh(std::move(content.cells));
        return content.plane_depth > 0 ? assemble::in_order(std::move(mesh), content.plane_depth) : std::move(mesh);
    } catch (const InputError& e) {
        const std::string text = e.what();
        throw InputError(text.starts_with(file.string()) ? text : fmt::format("{}: {}", file.string(), text));
    }
}

}  // namespace anvilcast
