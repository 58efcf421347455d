// The files of a build.

#include <anvilcast/errors.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/stl.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/tell.hpp>

#include <fmt/format.h>

#include "io/files.hpp"
#include "mesh/plane_parts.hpp"
#include "pipeline/warnings.hpp"

namespace anvilcast {
namespace {

/// How many layers stand on each face, and how high the first one is.
std::vector<FaceField> layer_fields(const BuildResult& result) {
    if (result.layers.empty()) return {};
    const std::size_t first = result.mesh.n_plain_faces(), n = n_zone_faces_in_file(result.mesh);
    std::vector<FaceField> fields{{"layers", std::vector<double>(n, 0)},
                                  {"height of lowest layer", std::vector<double>(n, 0)}};
    // Of the two sides of an interface, the one with more.
    for (const FaceLayers& f : layers_on_faces(result.mesh)) {
        if (f.count <= fields[0].values[f.face - first]) continue;
        fields[0].values[f.face - first] = f.count;
        fields[1].values[f.face - first] = f.first;
    }
    return fields;
}

void make_directory(const std::filesystem::path& directory) {
    std::error_code code;
    std::filesystem::create_directories(directory, code);
    if (code)
        throw FailureError(fmt::format("{}: the directory cannot be made: {}", directory.string(), code.message()));
}

}  // namespace

void write_surface_build(const SurfaceBuild& built, const Case& c, const std::filesystem::path& directory) {
    make_directory(directory);
    write_surface_vtu(directory / "surface.vtu", built.mesh.surface);
    write_surface(directory / "surface.stl", built.mesh.surface, c.unit, false);
    io::write_file(directory / "summary.json", surface_json(built, c));
}

void write_build(const BuildResult& result, const Case& c, const std::filesystem::path& directory,
                 const Context& context) {
    make_directory(c.write_stl ? directory / "zones" : directory);
    write_cgns(directory / "mesh.cgns", result.mesh, context);
    context.check_stop();
    if (c.write_vtu) write_vtu(directory / "mesh.vtu", result.mesh, layer_fields(result));
    if (c.write_stl && !result.mesh.is_plane()) {
        const Surface boundary = boundary_surface(result.mesh);
        const std::vector<std::string> files = zone_file_names(result.mesh);
        for (Index z = 0; z < boundary.zones.size(); ++z) {
            context.check_stop();
            Surface zone;
            zone.points = boundary.points;
            zone.zones = {boundary.zones[z]};
            for (Index t = 0; t < boundary.triangles.size(); ++t)
                if (boundary.zone_of[t] == z) zone.triangles.push_back(boundary.triangles[t]);
            zone.zone_of.assign(zone.triangles.size(), 0);
            write_stl(directory / "zones" / (files[z] + ".stl"), zone, c.unit,
                      c.stl_as_text ? StlFormat::ascii : StlFormat::binary);
        }
    }
    io::write_file(directory / "summary.json", summary_json(result, c));
}

}  // namespace anvilcast
