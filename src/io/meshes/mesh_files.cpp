#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast {

namespace {
std::string lower_ending(const std::filesystem::path& file) {
    std::string ending = file.extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; });
    return ending;
}
}  // namespace

VolumeMesh read_mesh(const std::filesystem::path& file, const Context& context) {
    const std::string ending = lower_ending(file);
    if (ending == ".cgns") return read_cgns(file, context);
    if (ending == ".vtu") return read_vtu(file);
    throw InputError(
        fmt::format("{}: a volume mesh is read from .cgns or .vtu, not from \"{}\"", file.string(), ending));
}

void write_mesh(const std::filesystem::path& file, const VolumeMesh& mesh, const Context& context) {
    const std::string ending = lower_ending(file);
    if (ending == ".cgns") return write_cgns(file, mesh, context);
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
