// VTU files. After the XML head comes the appended data: for each array a head of 64-bit numbers (blocks, block size,
// size of the last block if smaller, compressed sizes) and the blocks, each compressed with zlib.

#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>
#include <zlib.h>

#include <algorithm>
#include <charconv>
#include <cstring>
#include <optional>
#include <pugixml.hpp>

#include "io/files.hpp"
#include "mesh/cell_faces.hpp"

namespace anvilcast {
namespace {

constexpr std::size_t kBlock = std::size_t{1} << 18;
constexpr std::array<int, 5> kVtkType{10, 14, 13, 12, 42};  // tetrahedron, pyramid, wedge, hexahedron, polyhedron
constexpr int kVtkTriangle = 5, kVtkPolygon = 7, kVtkQuad = 9, kVtkPolyhedron = 42;

std::string compressed(const void* data, std::size_t bytes) {
    const std::size_t n = (bytes + kBlock - 1) / kBlock;
    std::vector<std::string> blocks(n);
    tbb::parallel_for(std::size_t{0}, n, [&](std::size_t k) {
        const std::size_t size = std::min(kBlock, bytes - k * kBlock);
        uLongf length = compressBound(size);
        blocks[k].resize(length);
        compress2(reinterpret_cast<Bytef*>(blocks[k].data()), &length, static_cast<const Bytef*>(data) + k * kBlock,
                  size, 3);
        blocks[k].resize(length);
    });
    std::vector<std::uint64_t> head{n, kBlock, bytes % kBlock};
    for (const std::string& b : blocks) head.push_back(b.size());
    std::string out(reinterpret_cast<const char*>(head.data()), head.size() * 8);
    for (const std::string& b : blocks) out += b;
    return out;
}

class VtuWriter {
  public:
    VtuWriter(const VolumeMesh& mesh, const std::vector<FaceField>& fields, const std::vector<CellField>& cell_fields)
        : fields_(fields), cell_fields_(cell_fields), mesh_(mesh) {}

    std::string write() {
        const std::size_t n_boundary = mesh_.n_faces() - mesh_.n_plain_faces();
        head_ =
            "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" byte_order=\"LittleEndian\" "
            "header_type=\"UInt64\" compressor=\"vtkZLibDataCompressor\">\n<UnstructuredGrid>\n<FieldData>\n";
        std::vector<std::string> names, roles, other_names, regions, kinds;
        for (const BoundaryZone& z : mesh_.zones) {
            names.push_back(z.name);
            roles.emplace_back(role_name(z.role));
            other_names.push_back(z.other_name);
        }
        for (const Region& r : mesh_.regions) {
            regions.push_back(r.name);
            kinds.emplace_back(region_kind_name(r.kind));
        }
        add_strings("zone names", names);
        add_strings("zone roles", roles);
        add_strings("zone names from the other side", other_names);
        add_strings("region names", regions);
        add_strings("region kinds", kinds);
        head_ += fmt::format("</FieldData>\n<Piece NumberOfPoints=\"{}\" NumberOfCells=\"{}\">\n<Points>\n",
                             mesh_.points.size(), mesh_.n_cells() + n_boundary);
        add("Float64", "points", 3, mesh_.points);
        head_ += "</Points>\n<Cells>\n";
        add_cells();
        head_ += "</Cells>\n<CellData>\n";
        add_cell_data();
        head_ += "</CellData>\n</Piece>\n</UnstructuredGrid>\n<AppendedData encoding=\"raw\">\n_";
        return head_ + data_ + "\n</AppendedData>\n</VTKFile>\n";
    }

  private:
    template <typename T>
    void add(const char* type, const char* name, int components, const std::vector<T>& values) {
        head_ += fmt::format(
            "<DataArray type=\"{}\" Name=\"{}\" NumberOfComponents=\"{}\" format=\"appended\" offset=\"{}\"/>\n", type,
            name, components, data_.size());
        data_ += compressed(values.data(), values.size() * sizeof(T));
    }

    void add_strings(const char* name, const std::vector<std::string>& values) {
        head_ += fmt::format("<DataArray type=\"String\" Name=\"{}\" NumberOfTuples=\"{}\" format=\"ascii\">\n", name,
                             values.size());
        for (const std::string& s : values) {
            for (const char c : s) head_ += fmt::format("{} ", static_cast<unsigned char>(c));
            head_ += "0\n";
        }
        head_ += "</DataArray>\n";
    }

    void add_cells() {
        std::vector<std::int64_t> connectivity, offsets;
        std::vector<std::uint8_t> types;
        for (std::size_t c = 0; c < mesh_.n_cells(); ++c) {
            const auto cell = mesh_.cell(c);
            connectivity.insert(connectivity.end(), cell.begin(), cell.end());
            if (mesh_.cell_types[c] == CellType::polyhedron) add_polyhedron(c, connectivity);
            offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
            types.push_back(static_cast<std::uint8_t>(kVtkType[static_cast<std::size_t>(mesh_.cell_types[c])]));
            face_offsets_.push_back(
                mesh_.cell_types[c] == CellType::polyhedron ? static_cast<std::int64_t>(face_stream_.size()) : -1);
        }
        for (std::size_t f = mesh_.n_plain_faces(); f < mesh_.n_faces(); ++f) {
            auto face = mesh_.face(f);
            connectivity.insert(connectivity.end(), face.begin(), face.end());
            offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
            types.push_back(static_cast<std::uint8_t>(face.size() == 3   ? kVtkTriangle
                                                      : face.size() == 4 ? kVtkQuad
                                                                         : kVtkPolygon));
            face_offsets_.push_back(-1);
        }
        add("Int64", "connectivity", 1, connectivity);
        add("Int64", "offsets", 1, offsets);
        add("UInt8", "types", 1, types);
        if (face_stream_.empty()) return;
        add("Int64", "faces", 1, face_stream_);
        add("Int64", "faceoffsets", 1, face_offsets_);
    }

    /// Its points, each once, and its faces turned out: their number, then each one's number of points and these.
    void add_polyhedron(std::size_t cell, std::vector<std::int64_t>& connectivity) {
        if (!faces_) faces_.emplace(mesh_);
        const std::size_t first = connectivity.size();
        const std::span<const Index> faces = faces_->of(cell);
        face_stream_.push_back(static_cast<std::int64_t>(faces.size()));
        for (const Index f : faces) {
            const auto points = mesh_.face(f);
            face_stream_.push_back(static_cast<std::int64_t>(points.size()));
            if (mesh_.owner[f] == cell)
                face_stream_.insert(face_stream_.end(), points.begin(), points.end());
            else
                face_stream_.insert(face_stream_.end(), points.rbegin(), points.rend());
            connectivity.insert(connectivity.end(), points.begin(), points.end());
        }
        const auto begin = connectivity.begin() + static_cast<std::ptrdiff_t>(first);
        std::sort(begin, connectivity.end());
        connectivity.erase(std::unique(begin, connectivity.end()), connectivity.end());
    }

    void add_cell_data() {
        std::vector<std::int32_t> zone(mesh_.n_cells(), -1), region(mesh_.cell_region.begin(), mesh_.cell_region.end());
        zone.resize(mesh_.n_cells() + mesh_.n_faces() - mesh_.n_plain_faces(), -1);
        for (std::size_t z = 0; z < mesh_.zones.size(); ++z)
            for (std::size_t k = 0; k < mesh_.zones[z].n_faces; ++k)
                zone[mesh_.n_cells() + mesh_.zones[z].first_face - mesh_.n_plain_faces() + k] =
                    static_cast<std::int32_t>(z);
        for (std::size_t f = mesh_.n_plain_faces(); f < mesh_.n_faces(); ++f)
            region.push_back(static_cast<std::int32_t>(mesh_.cell_region[mesh_.owner[f]]));
        add("Int32", "zone", 1, zone);
        add("Int32", "region", 1, region);
        for (const FaceField& f : fields_) {
            std::vector<double> values(mesh_.n_cells(), 0);
            values.insert(values.end(), f.values.begin(), f.values.end());
            add("Float64", f.name.c_str(), 1, values);
        }
        for (const CellField& f : cell_fields_) {
            std::vector<double> values = f.values;
            values.resize(zone.size(), 0);
            add("Float64", f.name.c_str(), 1, values);
        }
    }

    const std::vector<FaceField>& fields_;
    const std::vector<CellField>& cell_fields_;
    const VolumeMesh& mesh_;
    std::string head_, data_;
    std::optional<CellFaces> faces_;  // where there are polyhedra
    std::vector<std::int64_t> face_stream_, face_offsets_;
};

class VtuReader {
  public:
    VtuReader(std::string content, std::string name) : content_(std::move(content)), name_(std::move(name)) {
        constexpr std::string_view kAppended = "<AppendedData encoding=\"raw\">";
        const std::size_t at = content_.find(kAppended);
        if (at == std::string::npos) wrong("no appended raw data; only VTU files in that form are read");
        data_ = content_.find('_', at + kAppended.size());
        if (data_ == std::string::npos) wrong("the appended data does not begin with \"_\"");
        ++data_;
        const std::string head = content_.substr(0, at) + "</VTKFile>";
        const pugi::xml_parse_result parsed = xml_.load_string(head.c_str());
        if (!parsed) wrong(fmt::format("the XML is damaged: {}", parsed.description()));
        const pugi::xml_node top = xml_.child("VTKFile");
        if (std::string_view(top.attribute("header_type").value()) != "UInt64" ||
            std::string_view(top.attribute("byte_order").value()) != "LittleEndian")
            wrong("only little-endian files with 64-bit headers are read");
        is_compressed_ = !top.attribute("compressor").empty();
        grid_ = top.child("UnstructuredGrid");
        piece_ = grid_.child("Piece");
        if (!piece_ || piece_.next_sibling("Piece")) wrong("one unstructured grid in one piece was expected");
    }

    CellsAndBoundary read() {
        CellsAndBoundary out;
        const std::vector<std::string> zones = strings("zone names"), roles = strings("zone roles"),
                                       regions = strings("region names");
        const std::vector<std::string> other_names = strings("zone names from the other side"),
                                       kinds = strings("region kinds");
        for (std::size_t z = 0; z < zones.size(); ++z) {
            out.zones.push_back({zones[z], z < roles.size() ? parse_role(roles[z]) : Role::wall});
            if (z < other_names.size()) out.zones.back().other_name = other_names[z];
        }
        for (std::size_t r = 0; r < regions.size(); ++r)
            out.regions.push_back({regions[r], r < kinds.size() ? parse_region_kind(kinds[r]) : RegionKind::fluid});
        if (out.regions.empty()) out.regions.push_back({"fluid", RegionKind::fluid});
        out.points = array<Vec3>(piece_.child("Points").child("DataArray"), "Float64");
        for (const Vec3& p : out.points)
            if (!is_finite(p)) wrong("a coordinate is not a finite number");
        read_cells(out);
        return out;
    }

    /// Polyhedra, when the file has any; `cells` what read() gave.
    bool has_polyhedra() const { return !polyhedra_.empty(); }
    FacesOfPolyhedra faces(CellsAndBoundary&& cells) const {
        if (!cells.cell_types.empty()) wrong("polyhedra and other cells in one file are not read");
        FacesOfPolyhedra out;
        match_faces(cells, out);
        out.points = std::move(cells.points);
        out.zones = std::move(cells.zones);
        out.regions = std::move(cells.regions);
        out.cell_region = polyhedron_region_;
        return out;
    }

  private:
    [[noreturn]] void wrong(const std::string& what) const { throw InputError(name_ + ": " + what); }

    pugi::xml_node named(const pugi::xml_node& parent, const char* name) const {
        const pugi::xml_node node = parent.find_child_by_attribute("DataArray", "Name", name);
        if (!node) wrong(fmt::format("the array \"{}\" is missing", name));
        return node;
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

    std::uint64_t number_at(std::size_t place) const {
        if (place > content_.size() || content_.size() - place < 8) wrong("truncated in the appended data");
        std::uint64_t value = 0;
        std::memcpy(&value, content_.data() + place, 8);
        return value;
    }

    template <typename T>
    std::vector<T> array(const pugi::xml_node& node, std::string_view type) const {
        if (node.attribute("type").value() != type || std::string_view(node.attribute("format").value()) != "appended")
            wrong(fmt::format("the array \"{}\" is not of type {} and appended", node.attribute("Name").value(), type));
        const std::string bytes = payload(data_ + static_cast<std::size_t>(node.attribute("offset").as_ullong()));
        if (bytes.size() % sizeof(T) != 0)
            wrong(fmt::format("the array \"{}\" has a broken length", node.attribute("Name").value()));
        std::vector<T> out(bytes.size() / sizeof(T));
        if (!bytes.empty()) std::memcpy(static_cast<void*>(out.data()), bytes.data(), bytes.size());
        return out;
    }

    std::string payload(std::size_t at) const {
        if (!is_compressed_) {
            const std::uint64_t n = number_at(at);
            if (n > content_.size() - at - 8) wrong("truncated in the appended data");
            return content_.substr(at + 8, n);
        }
        const std::uint64_t n_blocks = number_at(at), block = number_at(at + 8), last = number_at(at + 16);
        if (n_blocks > content_.size() / 8 || block > (std::uint64_t{1} << 32) || last > block)
            wrong("an array's head makes no sense");
        std::string out;
        std::size_t place = at + 24 + 8 * n_blocks;
        for (std::uint64_t k = 0; k < n_blocks; ++k) {
            const std::uint64_t size = number_at(at + 24 + 8 * k);
            if (place > content_.size() || size > content_.size() - place) wrong("truncated in the appended data");
            const std::uint64_t full = k + 1 == n_blocks && last > 0 ? last : block;
            // zlib shrinks by a factor of about 1000 at most: a head that claims more is a lie.
            if (full > 1100 * size + 64) wrong("an array's head makes no sense");
            const std::size_t start = out.size();
            out.resize(start + full);
            uLongf length = full;
            if (uncompress(reinterpret_cast<Bytef*>(out.data() + start), &length,
                           reinterpret_cast<const Bytef*>(content_.data() + place), size) != Z_OK ||
                length != full)
                wrong("the compressed data is damaged");
            place += size;
        }
        return out;
    }

    void read_cells(CellsAndBoundary& out) {
        const pugi::xml_node cells = piece_.child("Cells"), data = piece_.child("CellData");
        const auto connectivity = array<std::int64_t>(named(cells, "connectivity"), "Int64");
        const auto offsets = array<std::int64_t>(named(cells, "offsets"), "Int64");
        const auto types = array<std::uint8_t>(named(cells, "types"), "UInt8");
        const auto zone = array<std::int32_t>(named(data, "zone"), "Int32");
        const auto region = array<std::int32_t>(named(data, "region"), "Int32");
        if (offsets.size() != types.size() || zone.size() != types.size() || region.size() != types.size())
            wrong("the cell arrays differ in length");
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
            const auto type = std::find(kVtkType.begin(), kVtkType.end(), types[c]);
            const bool is_cell = type != kVtkType.end();
            const int expected = is_cell                    ? n_corners(static_cast<CellType>(type - kVtkType.begin()))
                                 : types[c] == kVtkTriangle ? 3
                                 : types[c] == kVtkQuad     ? 4
                                 : types[c] == kVtkPolygon && end - first > 2 ? static_cast<int>(end - first)
                                                                              : -1;
            if (end - first != expected) wrong(fmt::format("cell {} of type {} is not read", c, types[c]));
            std::vector<Index>& points = is_cell ? out.cell_points : out.boundary_points;
            for (std::int64_t k = first; k < end; ++k) {
                const std::int64_t p = connectivity[static_cast<std::size_t>(k)];
                if (p < 0 || p >= static_cast<std::int64_t>(out.points.size()))
                    wrong(fmt::format("cell {} refers to point {}, which is not there", c, p));
                points.push_back(static_cast<Index>(p));
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

    void read_polyhedron(std::size_t c, std::int32_t region, const CellsAndBoundary& out) {
        if (face_stream_.empty()) {
            const pugi::xml_node cells = piece_.child("Cells");
            face_stream_ = array<std::int64_t>(named(cells, "faces"), "Int64");
            face_offsets_ = array<std::int64_t>(named(cells, "faceoffsets"), "Int64");
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
            out.face_zone.push_back(j - i > n_cells ? boundary.boundary_zone[sides[j - 1].number] : kNone);
        }
    }

    std::vector<std::int64_t> face_stream_, face_offsets_;
    std::size_t stream_at_ = 0;
    std::vector<std::size_t> polyhedra_;  // first face of each, and the number of all
    std::vector<Index> polyhedron_region_, polyhedron_points_;
    std::vector<std::size_t> polyhedron_face_offsets_{0};
    std::string content_, name_;
    std::size_t data_ = 0;
    bool is_compressed_ = false;
    pugi::xml_document xml_;
    pugi::xml_node grid_, piece_;
};

}  // namespace

void write_vtu(const std::filesystem::path& file, const VolumeMesh& mesh, const std::vector<FaceField>& fields,
               const std::vector<CellField>& cell_fields) {
    for (const FaceField& f : fields)
        if (f.values.size() != mesh.n_faces() - mesh.n_plain_faces())
            throw InputError(fmt::format("the field \"{}\" has {} values for {} faces", f.name, f.values.size(),
                                         mesh.n_faces() - mesh.n_plain_faces()));
    for (const CellField& f : cell_fields)
        if (f.values.size() != mesh.n_cells())
            throw InputError(
                fmt::format("the field \"{}\" has {} values for {} cells", f.name, f.values.size(), mesh.n_cells()));
    io::write_file(file, VtuWriter(mesh, fields, cell_fields).write());
}

VolumeMesh read_vtu(const std::filesystem::path& file) {
    VtuReader reader(io::read_file(file), file.string());
    CellsAndBoundary cells = reader.read();
    try {
        return reader.has_polyhedra() ? assemble_polyhedra(reader.faces(std::move(cells)))
                                      : assemble_mesh(std::move(cells));
    } catch (const InputError& e) {
        throw InputError(fmt::format("{}: {}", file.string(), e.what()));
    }
}

namespace {
std::string lower_ending(const std::filesystem::path& file) {
    std::string ending = file.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
    return ending;
}
}  // namespace

VolumeMesh read_mesh(const std::filesystem::path& file) {
    const std::string ending = lower_ending(file);
    if (ending == ".cgns") return read_cgns(file);
    if (ending == ".vtu") return read_vtu(file);
    throw InputError(
        fmt::format("{}: a volume mesh is read from .cgns or .vtu, not from \"{}\"", file.string(), ending));
}

void write_mesh(const std::filesystem::path& file, const VolumeMesh& mesh) {
    const std::string ending = lower_ending(file);
    if (ending == ".cgns") return write_cgns(file, mesh);
    if (ending == ".vtu") return write_vtu(file, mesh);
    throw InputError(
        fmt::format("{}: a volume mesh is written to .cgns or .vtu, not to \"{}\"", file.string(), ending));
}

Surface boundary_surface(const VolumeMesh& mesh) {
    Surface out;
    std::vector<Index> number(mesh.points.size(), kNone);
    for (const BoundaryZone& zone : mesh.zones) {
        const auto z = static_cast<Index>(out.zones.size());
        out.zones.push_back({zone.name, zone.role});
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            const auto face = mesh.face(f);
            for (std::size_t k = 2; k < face.size(); ++k) {
                Triangle t{face[0], face[k - 1], face[k]};
                for (Index& p : t) {
                    if (number[p] == kNone) {
                        number[p] = static_cast<Index>(out.points.size());
                        out.points.push_back(mesh.points[p]);
                    }
                    p = number[p];
                }
                out.triangles.push_back(t);
                out.zone_of.push_back(z);
            }
        }
    }
    return out;
}

}  // namespace anvilcast
