#include <anvilcast/errors.hpp>
#include <anvilcast/formats.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include <string_view>

#include "io/surfaces/surface_text.hpp"

namespace anvilcast {
namespace {

std::string_view kind_of(const std::filesystem::path& file) {
    const FileFormat* format = format_of(file);
    return format == nullptr ? "" : format->name;
}

}  // namespace

VolumeMesh read_mesh(const std::filesystem::path& file, const Context& context) {
    if (kind_of(file) == "CGNS") return read_cgns(file, context);
    if (kind_of(file) == "VTU") return read_vtu(file);
    throw InputError(fmt::format("{}: a volume mesh is read from {}, not from \"{}\"", file.string(),
                                 endings_read(FileKind::mesh), io::lower_ending(file.string())));
}

void write_mesh(const std::filesystem::path& file, const VolumeMesh& mesh, const Context& context) {
    if (kind_of(file) == "CGNS") return write_cgns(file, mesh, context);
    if (kind_of(file) == "VTU") return write_vtu(file, mesh);
    throw InputError(fmt::format("{}: a volume mesh is written to {}, not to \"{}\"", file.string(),
                                 endings_written(FileKind::mesh), io::lower_ending(file.string())));
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
