#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include "io/files.hpp"

namespace anvilcast {
namespace {

std::string vtu_text(const std::vector<std::vector<Vec3>>& paths, std::size_t n_points) {
    constexpr int kPolyLine = 4;
    std::string points, connectivity, offsets, types, numbers;
    std::size_t n = 0;
    for (std::size_t k = 0; k < paths.size(); ++k) {
        for (const Vec3& p : paths[k]) {
            points += fmt::format("{:.17g} {:.17g} {:.17g}\n", p.x, p.y, p.z);
            connectivity += fmt::format("{} ", n++);
        }
        offsets += fmt::format("{} ", n);
        types += fmt::format("{} ", kPolyLine);
        numbers += fmt::format("{} ", k + 1);
    }
    auto array = [](const char* type, const char* name, int components, const std::string& values) {
        return fmt::format(
            "<DataArray type=\"{}\" Name=\"{}\" NumberOfComponents=\"{}\" format=\"ascii\">\n{}\n</DataArray>\n", type,
            name, components, values);
    };
    return fmt::format(
        "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" byte_order=\"LittleEndian\">\n"
        "<UnstructuredGrid>\n<Piece NumberOfPoints=\"{}\" "
        "NumberOfCells=\"{}\">\n<Points>\n{}</Points>\n<Cells>\n{}{}{}</Cells>\n"
        "<CellData>\n{}</CellData>\n</Piece>\n</UnstructuredGrid>\n</VTKFile>\n",
        n_points, paths.size(), array("Float64", "points", 3, points), array("Int64", "connectivity", 1, connectivity),
        array("Int64", "offsets", 1, offsets), array("UInt8", "types", 1, types), array("Int32", "path", 1, numbers));
}

std::string ply_text(const std::vector<std::vector<Vec3>>& paths, std::size_t n_points) {
    std::string points, edges;
    std::size_t n = 0, n_edges = 0;
    for (const auto& path : paths)
        for (std::size_t i = 0; i < path.size(); ++i, ++n) {
            points += fmt::format("{:.17g} {:.17g} {:.17g}\n", path[i].x, path[i].y, path[i].z);
            if (i == 0) continue;
            edges += fmt::format("{} {}\n", n - 1, n);
            ++n_edges;
        }
    return fmt::format(
        "ply\nformat ascii 1.0\nelement vertex {}\nproperty double x\nproperty double y\nproperty double z\n"
        "element edge {}\nproperty int vertex1\nproperty int vertex2\nend_header\n{}{}",
        n_points, n_edges, points, edges);
}

}  // namespace

void write_paths(const std::filesystem::path& file, const std::vector<std::vector<Vec3>>& paths) {
    std::size_t n_points = 0;
    for (const auto& path : paths) n_points += path.size();
    const std::string ending = file.extension().string();
    if (ending != ".vtu" && ending != ".ply")
        throw InputError(fmt::format("{}: paths are written to .vtu or .ply, not to \"{}\"", file.string(), ending));
    io::write_file(file, ending == ".vtu" ? vtu_text(paths, n_points) : ply_text(paths, n_points));
}

}  // namespace anvilcast
