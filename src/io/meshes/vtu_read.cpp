// Reads VTU files: ours, with zones and regions by name, and others', whose outer faces become one zone.

#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <locale>
#include <sstream>

#include "assemble/flat_cells.hpp"
#include "io/files.hpp"
#include "io/meshes/missing_boundary.hpp"
#include "io/meshes/vtu_arrays.hpp"
#include "io/meshes/vtu_types.hpp"

namespace anvilcast {
namespace {

using namespace io;

class VtuReader {
  public:
    VtuReader(std::string content, std::string name) : arrays_(std::move(content), std::move(name)) {
        grid_ = arrays_.xml().child("VTKFile").child("UnstructuredGrid");
        piece_ = grid_.child("Piece");
        if (!piece_ || piece_.next_sibling("Piece")) wrong("one unstructured grid in one piece was expected");
        is_ours_ = !piece_.child("CellData").find_child_by_attribute("DataArray", "Name", "zone").empty() &&
                   !strings("zone names").empty();
    }

    CellsAndBoundary read() {
        CellsAndBoundary out;
        const std::vector<std::string> zones = strings("zone names"), roles = strings("zone roles"),
                                       regions = strings("region names");
        const std::vector<std::string> other_names = strings("zone names from the other side"),
                                       kinds = strings("region kinds");
        for (std::size_t z = 0; z < zones.size(); ++z) {
            out.zones.push_back({zones[z]});
            if (z < roles.size()) out.zones.back().set(parse_role(roles[z]));
            if (z < other_names.size()) out.zones.back().other_name = other_names[z];
        }
        for (std::size_t r = 0; r < regions.size(); ++r)
            out.regions.push_back({regions[r], r < kinds.size() ? parse_region_kind(kinds[r]) : RegionKind::fluid});
        out.periodic = pairs();
        if (out.regions.empty()) out.regions.push_back({"fluid", RegionKind::fluid});
        const std::vector<double> places = arrays_.values<double>(piece_.child("Points").child("DataArray"));
        if (places.size() % 3 != 0) wrong("the array of points has a broken length");
        for (std::size_t i = 0; i + 2 < places.size(); i += 3)
            out.points.push_back({places[i], places[i + 1], places[i + 2]});
        for (const Vec3& p : out.points)
            if (!is_finite(p)) wrong("a coordinate is not a finite number");
        read_cells(out);
        if (is_plane_) draw_out(out);
        if (!is_ours_ && !has_polyhedra()) {
            if (!is_plane_) turn_cells(out);
            Index unnamed = kNone;
            add_missing_boundary(out, [&](std::span<const Index>) {
                if (unnamed == kNone) {
                    unnamed = static_cast<Index>(out.zones.size());
                    out.zones.push_back({"unnamed", Role::wall});
                }
                return unnamed;
            });
        }
        return out;
    }

    /// Polyhedra, when the file has any; `cells` what read() gave.
    bool has_polyhedra() const { return !polyhedra_.empty(); }
    FacesOfPolyhedra faces(CellsAndBoundary&& cells) const {
        if (!cells.cell_types.empty()) wrong("polyhedra and other cells in one file are not read");
        FacesOfPolyhedra out;
        match_faces(cells, out);
        out.points = std::move(cells.points);
        if (is_ours_) out.zones = std::move(cells.zones);
        out.regions = std::move(cells.regions);
        out.periodic = std::move(cells.periodic);
        out.cell_region = polyhedron_region_;
        return out;
    }

    /// Of a plane mesh; 0 for any other.
    double plane_depth() const { return plane_depth_; }

  private:
    void draw_out(CellsAndBoundary& out) {
        Box box;
        for (const Vec3& p : out.points) box.include(p);
        constexpr double kLevel = 1e-9;
        if (!(box.extent().z <= kLevel * box.diagonal()))
            wrong("its cells are flat, but do not lie in one plane z = ...; surfaces are read from other files");
        plane_depth_ = assemble::draw_out(out);
    }

    [[noreturn]] void wrong(const std::string& what) const { arrays_.wrong(what); }

    pugi::xml_node named(const pugi::xml_node& parent, const char* name) const {
        const pugi::xml_node node = parent.find_child_by_attribute("DataArray", "Name", name);
        if (!node) wrong(fmt::format("the array \"{}\" is missing", name));
        return node;
    }

    std::vector<PeriodicPair> pairs() const {
        const std::vector<std::string> zones = strings("periodic zones"), images = strings("periodic images");
        std::vector<PeriodicPair> out;
        for (std::size_t k = 0; k < images.size() && 2 * k + 1 < zones.size(); ++k) {
            std::istringstream text(images[k]);
            text.imbue(std::locale::classic());
            PeriodicPair pair{zones[2 * k], zones[2 * k + 1], {}};
            for (Vec3* v : {&pair.image.image[0], &pair.image.image[1], &pair.image.image[2], &pair.image.origin})
                text >> v->x >> v->y >> v->z;
            if (!text) wrong("the array \"periodic images\" is damaged");
            out.push_back(std::move(pair));
        }
        return out;
    }

    std::vector<std::string> strings(const char* name) const {
        std::vector<std::string> out;
        std::string current;
        const pugi::xml_node node = grid_.child("FieldData").find_child_by_attribute("DataArray", "Name", name);
        std::string_view text = node.text().get();
        while (true) {
            const std::size_t start = text.find_first_of("0123456789");
            if (start == std::string_view::npos) break;
            text.remove_prefix(start);
            unsigned code = 0;
            const auto [end, status] = std::from_chars(text.data(), text.data() + text.size(), code);
            if (status != std::errc() || code > 255) wrong(fmt::format("the names in \"{}\" are damaged", name));
            text.remove_prefix(static_cast<std::size_t>(end - text.data()));
            if (code != 0) {
                current += static_cast<char>(code);
            } else {
                out.push_back(std::move(current));
                current.clear();
            }
        }
        return out;
    }

    void read_cells(CellsAndBoundary& out) {
        const pugi::xml_node cells = piece_.child("Cells"), data = piece_.child("CellData");
        const auto connectivity = arrays_.values<std::int64_t>(named(cells, "connectivity"));
        const auto offsets = arrays_.values<std::int64_t>(named(cells, "offsets"));
        const auto types = arrays_.values<std::uint8_t>(named(cells, "types"));
        std::vector<std::int32_t> zone(types.size(), -1), region(types.size(), 0);
        if (is_ours_) {
            zone = arrays_.values<std::int32_t>(named(data, "zone"));
            region = arrays_.values<std::int32_t>(named(data, "region"));
        }
        if (offsets.size() != types.size() || zone.size() != types.size() || region.size() != types.size())
            wrong("the cell arrays differ in length");
        // A file without a cell that fills space is of a plane mesh, if it is level.
        is_plane_ = std::all_of(types.begin(), types.end(),
                                [](std::uint8_t t) {
                                    return t <= 2 || t == kVtkLine || t == 4 || t == 21 || n_flat_corners(t) != 0;
                                }) &&
                    std::any_of(types.begin(), types.end(), [](std::uint8_t t) { return n_flat_corners(t) != 0; });
        std::int64_t first = 0;
        for (std::size_t c = 0; c < types.size(); ++c) {
            const std::int64_t end = offsets[c];
            if (end < first || end > static_cast<std::int64_t>(connectivity.size()))
                wrong("the cell offsets make no sense");
            if (types[c] == kVtkPolyhedron) {
                read_polyhedron(c, region[c], out);
                first = end;
                continue;
            }
            const bool is_flat_cell = is_plane_ && (n_flat_corners(types[c]) != 0);
            const auto type = is_flat_cell ? std::find(kVtkType.begin(), kVtkType.end(),
                                                       n_flat_corners(types[c]) == 3 ? kVtkPrism : kVtkHexahedron)
                                           : std::find(kVtkType.begin(), kVtkType.end(), linear(types[c]));
            const bool is_cell = type != kVtkType.end();
            // Others' faces, lines and points have no zone that we could know.
            if (!is_cell && !is_ours_) {
                first = end;
                continue;
            }
            const int expected = is_flat_cell               ? n_flat_corners(types[c])
                                 : is_cell                  ? n_corners(static_cast<CellType>(type - kVtkType.begin()))
                                 : types[c] == kVtkLine     ? 2
                                 : types[c] == kVtkTriangle ? 3
                                 : types[c] == kVtkQuad     ? 4
                                 : types[c] == kVtkPolygon && end - first > 2 ? static_cast<int>(end - first)
                                                                              : -1;
            // The corners of higher elements come first.
            if (is_ours_ ? end - first != expected : end - first < expected)
                wrong(fmt::format("cell {} of type {} is not read", c, types[c]));
            std::vector<Index>& points = is_cell ? out.cell_points : out.boundary_points;
            for (std::int64_t k = first; k < first + expected; ++k) {
                const std::int64_t p = connectivity[static_cast<std::size_t>(k)];
                if (p < 0 || p >= static_cast<std::int64_t>(out.points.size()))
                    wrong(fmt::format("cell {} refers to point {}, which is not there", c, p));
                points.push_back(static_cast<Index>(p));
            }
            if (types[c] == kVtkVoxel) {
                std::swap(points[points.size() - 6], points[points.size() - 5]);
                std::swap(points[points.size() - 2], points[points.size() - 1]);
            }
            first = end;
            if (is_cell) {
                if (region[c] < 0 || region[c] >= static_cast<std::int32_t>(out.regions.size()))
                    wrong(fmt::format("cell {} is in no region", c));
                out.cell_types.push_back(static_cast<CellType>(type - kVtkType.begin()));
                out.cell_offsets.push_back(points.size());
                out.cell_region.push_back(static_cast<Index>(region[c]));
            } else {
                if (zone[c] < 0 || zone[c] >= static_cast<std::int32_t>(out.zones.size()))
                    wrong(fmt::format("boundary face {} is in no zone", c));
                out.boundary_offsets.push_back(points.size());
                out.boundary_zone.push_back(static_cast<Index>(zone[c]));
            }
        }
    }

    /// Corners of a cell of a plane mesh; 0 for any other.
    static int n_flat_corners(int type) {
        switch (type) {
            case kVtkTriangle:
            case 22:  // quadratic
                return 3;
            case kVtkQuad:
            case 23:
            case 28:
                return 4;
            default:
                return 0;
        }
    }

    static int linear(int type) {
        switch (type) {
            case 11:  // voxel
            case 25:  // quadratic ones
            case 29:
                return 12;
            case 24:
                return 10;
            case 26:
            case 32:
                return 13;
            case 27:
                return 14;
            default:
                return type;
        }
    }

    /// Programs differ in which way round they count a cell's corners: where most cells of a type come out inside out,
    /// it is meant the other way.
    static void turn_cells(CellsAndBoundary& cells) {
        std::array<std::ptrdiff_t, 4> balance{};
        auto corner = [&](std::size_t c, std::size_t k) {
            return cells.points[cells.cell_points[cells.cell_offsets[c] + k]];
        };
        for (std::size_t c = 0; c < cells.cell_types.size(); ++c) {
            const auto type = static_cast<std::size_t>(cells.cell_types[c]);
            constexpr std::array<std::size_t, 4> kThird{2, 3, 2, 3}, kOver{3, 4, 3, 4};
            balance[type] +=
                tetrahedron_volume(corner(c, 0), corner(c, 1), corner(c, kThird[type]), corner(c, kOver[type])) < 0 ? -1
                                                                                                                    : 1;
        }
        for (std::size_t c = 0; c < cells.cell_types.size(); ++c) {
            const CellType type = cells.cell_types[c];
            if (balance[static_cast<std::size_t>(type)] >= 0) continue;
            Index* p = cells.cell_points.data() + cells.cell_offsets[c];
            if (type == CellType::tetrahedron) std::swap(p[0], p[1]);
            if (type == CellType::pyramid) std::swap(p[1], p[3]);
            if (type == CellType::prism) std::swap_ranges(p, p + 3, p + 3);
            if (type == CellType::hexahedron) std::swap_ranges(p, p + 4, p + 4);
        }
    }

    void read_polyhedron(std::size_t c, std::int32_t region, const CellsAndBoundary& out) {
        if (face_stream_.empty()) {
            const pugi::xml_node cells = piece_.child("Cells");
            face_stream_ = arrays_.values<std::int64_t>(named(cells, "faces"));
            face_offsets_ = arrays_.values<std::int64_t>(named(cells, "faceoffsets"));
            polyhedra_.push_back(0);
        }
        if (region < 0 || region >= static_cast<std::int32_t>(out.regions.size()))
            wrong(fmt::format("cell {} is in no region", c));
        polyhedron_region_.push_back(static_cast<Index>(region));
        // The stream runs from the end of the last polyhedron to this one's.
        auto next = [&] {
            if (stream_at_ >= face_stream_.size()) wrong("the faces of the polyhedra are truncated");
            return face_stream_[stream_at_++];
        };
        const std::int64_t n_faces = next();
        if (n_faces < 4) wrong(fmt::format("polyhedron {} has fewer than four faces", c));
        for (std::int64_t f = 0; f < n_faces; ++f) {
            const std::int64_t n = next();
            if (n < 3) wrong(fmt::format("polyhedron {} has a face with fewer than three points", c));
            for (std::int64_t k = 0; k < n; ++k) {
                const std::int64_t p = next();
                if (p < 0 || p >= static_cast<std::int64_t>(out.points.size()))
                    wrong(fmt::format("cell {} refers to point {}, which is not there", c, p));
                polyhedron_points_.push_back(static_cast<Index>(p));
            }
            polyhedron_face_offsets_.push_back(polyhedron_points_.size());
        }
        if (c >= face_offsets_.size() || face_offsets_[c] != static_cast<std::int64_t>(stream_at_))
            wrong("the faces of the polyhedra are not in the order of the cells");
        polyhedra_.push_back(polyhedron_face_offsets_.size() - 1);
    }

    /// Faces with the same points, of two polyhedra or of one and the boundary, are one.
    void match_faces(const CellsAndBoundary& boundary, FacesOfPolyhedra& out) const {
        struct Side {
            std::vector<Index> key;
            Index cell, number;  // cell kNone: face of the boundary
        };
        std::vector<Side> sides;
        auto add = [&](auto begin, auto end, Index cell, std::size_t number) {
            std::vector<Index> key(begin, end);
            std::sort(key.begin(), key.end());
            sides.push_back({std::move(key), cell, static_cast<Index>(number)});
        };
        auto span = [](const std::vector<Index>& points, const std::vector<std::size_t>& offsets, std::size_t f) {
            return std::span(points).subspan(offsets[f], offsets[f + 1] - offsets[f]);
        };
        for (std::size_t c = 0; c + 1 < polyhedra_.size(); ++c)
            for (std::size_t f = polyhedra_[c]; f < polyhedra_[c + 1]; ++f) {
                const auto p = span(polyhedron_points_, polyhedron_face_offsets_, f);
                add(p.begin(), p.end(), static_cast<Index>(c), f);
            }
        for (std::size_t b = 0; b < boundary.boundary_zone.size(); ++b) {
            const auto p = span(boundary.boundary_points, boundary.boundary_offsets, b);
            add(p.begin(), p.end(), kNone, b);
        }
        std::sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) {
            return a.key != b.key ? a.key < b.key : a.cell != b.cell ? a.cell < b.cell : a.number < b.number;
        });
        for (std::size_t i = 0, j = 0; i < sides.size(); i = j) {
            std::size_t n_cells = 0;
            for (j = i; j < sides.size() && sides[j].key == sides[i].key; ++j)
                if (sides[j].cell != kNone) ++n_cells;
            if (n_cells == 0 || n_cells > 2 || j - i - n_cells > 1)
                wrong(fmt::format("a face of {} points is of {} polyhedra and {} times in the zones",
                                  sides[i].key.size(), n_cells, j - i - n_cells));
            const auto p = span(polyhedron_points_, polyhedron_face_offsets_, sides[i].number);
            out.face_points.insert(out.face_points.end(), p.begin(), p.end());
            out.face_offsets.push_back(out.face_points.size());
            out.owner.push_back(sides[i].cell);
            out.neighbour.push_back(n_cells == 2 ? sides[i + 1].cell : kNone);
            const bool is_unnamed = n_cells == 1 && j - i == 1 && !is_ours_;
            if (is_unnamed && out.zones.empty()) out.zones.push_back({"unnamed", Role::wall});
            out.face_zone.push_back(is_unnamed        ? 0
                                    : j - i > n_cells ? boundary.boundary_zone[sides[j - 1].number]
                                                      : kNone);
        }
    }

    std::vector<std::int64_t> face_stream_, face_offsets_;
    std::size_t stream_at_ = 0;
    std::vector<std::size_t> polyhedra_;  // first face of each, and the number of all
    std::vector<Index> polyhedron_region_, polyhedron_points_;
    std::vector<std::size_t> polyhedron_face_offsets_{0};
    io::VtuArrays arrays_;
    bool is_ours_ = true;  // with zones and regions by name
    bool is_plane_ = false;
    double plane_depth_ = 0;
    pugi::xml_node grid_, piece_;
};

}  // namespace

VolumeMesh read_vtu(const std::filesystem::path& file) {
    VtuReader reader(read_file(file), file.string());
    CellsAndBoundary cells = reader.read();
    try {
        if (reader.has_polyhedra()) return assemble_polyhedra(reader.faces(std::move(cells)));
        if (reader.plane_depth() > 0) assemble::put_sides_last(cells);
        VolumeMesh mesh = assemble_mesh(std::move(cells));
        return reader.plane_depth() > 0 ? assemble::in_order(std::move(mesh), reader.plane_depth()) : std::move(mesh);
    } catch (const InputError& e) {
        throw InputError(fmt::format("{}: {}", file.string(), e.what()));
    }
}

}  // namespace anvilcast
