#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>

#include <fmt/format.h>

#include "io/files.hpp"

namespace anvilcast {
namespace {

/// An unstructured grid in plain text.
struct PlainGrid {
    std::size_t n_points = 0, n_cells = 0;
    std::string points, connectivity, offsets, types, numbers;  // values, separated by blanks

    void add_point(const Vec3& p) {
        points += fmt::format("{:.17g} {:.17g} {:.17g}\n", p.x, p.y, p.z);
        ++n_points;
    }
    /// `n_corners`: of all cells so far, this one included.
    void add_cell(int type, std::size_t n_corners, std::size_t number) {
        offsets += fmt::format("{} ", n_corners);
        types += fmt::format("{} ", type);
        numbers += fmt::format("{} ", number);
        ++n_cells;
    }
    /// `name`: what the cells' numbers are called; `field`: further arrays for the field data.
    std::string text(const char* name, const std::string& field = "") const {
        auto array = [](const char* type, const char* what, int components, const std::string& values) {
            return fmt::format(
                "<DataArray type=\"{}\" Name=\"{}\" NumberOfComponents=\"{}\" format=\"ascii\">\n{}\n</DataArray>\n",
                type, what, components, values);
        };
        return fmt::format(
            "<?xml version=\"1.0\"?>\n<VTKFile type=\"UnstructuredGrid\" version=\"1.0\" byte_order=\"LittleEndian\">\n"
            "<UnstructuredGrid>\n{}<Piece NumberOfPoints=\"{}\" "
            "NumberOfCells=\"{}\">\n<Points>\n{}</Points>\n<Cells>\n{}{}{}</Cells>\n"
            "<CellData>\n{}</CellData>\n</Piece>\n</UnstructuredGrid>\n</VTKFile>\n",
            field, n_points, n_cells, array("Float64", "points", 3, points),
            array("Int64", "connectivity", 1, connectivity), array("Int64", "offsets", 1, offsets),
            array("UInt8", "types", 1, types), array("Int32", name, 1, numbers));
    }
};

std::string vtu_text(const std::vector<std::vector<Vec3>>& paths) {
    constexpr int kPolyLine = 4;
    PlainGrid grid;
    for (std::size_t k = 0; k < paths.size(); ++k) {
        for (const Vec3& p : paths[k]) {
            grid.connectivity += fmt::format("{} ", grid.n_points);
            grid.add_point(p);
        }
        grid.add_cell(kPolyLine, grid.n_points, k + 1);
    }
    return grid.text("path");
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

/// Texts of the field data are lists of letters, each text ended by a 0.
std::string names_field(const std::vector<Zone>& zones) {
    std::string letters;
    for (const Zone& zone : zones) {
        for (const char c : zone.name) letters += fmt::format("{} ", static_cast<int>(static_cast<unsigned char>(c)));
        letters += "0 ";
    }
    return fmt::format(
        "<FieldData>\n<DataArray type=\"String\" Name=\"zone names\" NumberOfTuples=\"{}\" "
        "format=\"ascii\">\n{}\n</DataArray>\n</FieldData>\n",
        zones.size(), letters);
}

}  // namespace

void write_surface_vtu(const std::filesystem::path& file, const Surface& surface) {
    constexpr int kTriangle = 5;
    PlainGrid grid;
    for (const Vec3& p : surface.points) grid.add_point(p);
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Triangle& c = surface.triangles[t];
        grid.connectivity += fmt::format("{} {} {}\n", c[0], c[1], c[2]);
        grid.add_cell(kTriangle, 3 * (std::size_t{t} + 1), surface.zone_of[t]);
    }
    io::write_file(file, grid.text("zone", names_field(surface.zones)));
}

void write_paths(const std::filesystem::path& file, const std::vector<std::vector<Vec3>>& paths) {
    std::size_t n_points = 0;
    for (const auto& path : paths) n_points += path.size();
    const std::string ending = file.extension().string();
    if (ending != ".vtu" && ending != ".ply")
        throw InputError(fmt::format("{}: paths are written to .vtu or .ply, not to \"{}\"", file.string(), ending));
    io::write_file(file, ending == ".vtu" ? vtu_text(paths) : ply_text(paths, n_points));
}

}  // namespace anvilcast
