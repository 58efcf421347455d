// Writes VTU files. After the XML head comes the appended data: for each array a head of 64-bit numbers (blocks, block
// size, size of the last block if smaller, compressed sizes) and the blocks, each compressed with zlib.

#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>
#include <zlib.h>

#include <algorithm>
#include <optional>

#include "io/files.hpp"
#include "io/meshes/vtu_types.hpp"
#include "mesh/cell_faces.hpp"
#include "mesh/plane_parts.hpp"

namespace anvilcast {
namespace {

using namespace io;

constexpr std::size_t kBlock = std::size_t{1} << 18;
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
        const std::size_t n_boundary = n_zone_faces_in_file(mesh_);
        head_ =
            "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" byte_order=\"LittleEndian\" "
            "header_type=\"UInt64\" compressor=\"vtkZLibDataCompressor\">\n<UnstructuredGrid>\n<FieldData>\n";
        std::vector<std::string> names, roles, other_names, regions, kinds;
        for (const BoundaryZone& z : std::span(mesh_.zones).first(mesh_.n_named_zones())) {
            names.push_back(z.name);
            roles.push_back(role_text(z.boundary_role()));
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
        add_pairs();
        head_ += fmt::format("</FieldData>\n<Piece NumberOfPoints=\"{}\" NumberOfCells=\"{}\">\n<Points>\n",
                             n_points_in_file(mesh_), mesh_.n_cells() + n_boundary);
        add("Float64", "points", 3, std::span(mesh_.points).first(n_points_in_file(mesh_)));
        head_ += "</Points>\n<Cells>\n";
        add_cells();
        head_ += "</Cells>\n<CellData>\n";
        add_cell_data();
        head_ += "</CellData>\n</Piece>\n</UnstructuredGrid>\n<AppendedData encoding=\"raw\">\n_";
        return head_ + data_ + "\n</AppendedData>\n</VTKFile>\n";
    }

  private:
    template <typename List>
    void add(const char* type, const char* name, int components, const List& values) {
        head_ += fmt::format(
            "<DataArray type=\"{}\" Name=\"{}\" NumberOfComponents=\"{}\" format=\"appended\" offset=\"{}\"/>\n", type,
            name, components, data_.size());
        data_ += compressed(values.data(), values.size() * sizeof(*values.data()));
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

    /// Names of zones two by two, and what makes the second of the first: where it takes x, y, z and the origin.
    void add_pairs() {
        if (mesh_.periodic.empty()) return;
        std::vector<std::string> zones, images;
        for (const PeriodicPair& pair : mesh_.periodic) {
            zones.insert(zones.end(), {pair.first, pair.second});
            std::string numbers;
            for (const Vec3& v : {pair.image.image[0], pair.image.image[1], pair.image.image[2], pair.image.origin})
                numbers += fmt::format("{} {} {} ", v.x, v.y, v.z);
            images.push_back(numbers);
        }
        add_strings("periodic zones", zones);
        add_strings("periodic images", images);
    }

    void add_cells() {
        std::vector<std::int64_t> connectivity, offsets;
        std::vector<std::uint8_t> types;
        for (std::size_t c = 0; c < mesh_.n_cells(); ++c) {
            const auto cell = cell_in_file(mesh_, c);
            connectivity.insert(connectivity.end(), cell.begin(), cell.end());
            if (mesh_.cell_types[c] == CellType::polyhedron) add_polyhedron(c, connectivity);
            offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
            types.push_back(static_cast<std::uint8_t>(mesh_.is_plane()
                                                          ? cell.size() == 3 ? kVtkTriangle : kVtkQuad
                                                          : kVtkType[static_cast<std::size_t>(mesh_.cell_types[c])]));
            face_offsets_.push_back(
                mesh_.cell_types[c] == CellType::polyhedron ? static_cast<std::int64_t>(face_stream_.size()) : -1);
        }
        const std::size_t first = mesh_.n_plain_faces(), end = first + n_zone_faces_in_file(mesh_);
        for (std::size_t f = first; f < end; ++f) {
            const auto face = face_in_file(mesh_, f);
            connectivity.insert(connectivity.end(), face.begin(), face.end());
            offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
            types.push_back(static_cast<std::uint8_t>(face.size() == 2   ? kVtkLine
                                                      : face.size() == 3 ? kVtkTriangle
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
        zone.resize(mesh_.n_cells() + n_zone_faces_in_file(mesh_), -1);
        for (std::size_t z = 0; z < mesh_.n_named_zones(); ++z)
            for (std::size_t k = 0; k < mesh_.zones[z].n_faces; ++k)
                zone[mesh_.n_cells() + mesh_.zones[z].first_face - mesh_.n_plain_faces() + k] =
                    static_cast<std::int32_t>(z);
        const std::size_t first = mesh_.n_plain_faces(), end = first + n_zone_faces_in_file(mesh_);
        for (std::size_t f = first; f < end; ++f)
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

}  // namespace

void write_vtu(const std::filesystem::path& file, const VolumeMesh& mesh, const std::vector<FaceField>& fields,
               const std::vector<CellField>& cell_fields) {
    for (const FaceField& f : fields)
        if (f.values.size() != n_zone_faces_in_file(mesh))
            throw InputError(fmt::format("the field \"{}\" has {} values for {} faces", f.name, f.values.size(),
                                         n_zone_faces_in_file(mesh)));
    for (const CellField& f : cell_fields)
        if (f.values.size() != mesh.n_cells())
            throw InputError(
                fmt::format("the field \"{}\" has {} values for {} cells", f.name, f.values.size(), mesh.n_cells()));
    io::write_file(file, VtuWriter(mesh, fields, cell_fields).write());
}

}  // namespace anvilcast
