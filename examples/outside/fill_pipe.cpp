// From points and triangles made in memory to a mesh file: the stages by hand.
//
//     fill_pipe pipe.cgns

#include <anvilcast/anvilcast.hpp>

#include <cmath>
#include <cstdio>

using namespace anvilcast;

// A straight pipe along z with a wall, open at both ends, in metres.
static Surface make_pipe(double inner, double outer, double height, Index n) {
    Surface s;
    s.zones.push_back({"pipe", Role::wall});
    for (const double radius : {inner, outer})
        for (const double z : {0.0, height})
            for (Index i = 0; i < n; ++i) {
                const double a = 6.283185307179586 * i / n;
                s.points.push_back({radius * std::cos(a), radius * std::sin(a), z});
            }
    const Index in_low = 0, in_high = n, out_low = 2 * n, out_high = 3 * n;
    auto band = [&](Index low, Index high) {
        for (Index i = 0; i < n; ++i) {
            const Index j = (i + 1) % n;
            s.triangles.push_back({low + i, low + j, high + j});
            s.triangles.push_back({low + i, high + j, high + i});
        }
    };
    band(out_low, out_high);
    band(in_high, in_low);
    band(out_high, in_high);
    band(in_low, out_low);
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

int main(int argc, char** argv) try {
    const char* file = argc > 1 ? argv[1] : "pipe.cgns";
    const LengthUnit mm = parse_length_unit("mm");
    const Surface body = split_at_sharp_edges(make_pipe(0.02, 0.023, 0.12, 40), 40);

    // Close the two ends and take the volume between.
    std::vector<Opening> openings = find_openings(body);
    openings[pick_opening(openings, {0, 0, 0}, mm)].zone = {"feed", Role::inlet};
    openings[pick_opening(openings, {0, 0, 0.12}, mm)].zone = {"drain", Role::outlet};
    const Domain domain = extract_region(body, openings, {0, 0, 0.06}, mm);

    // Sizes, surface mesh, cells.
    SizeOptions sizes;
    sizes.surface = 0.004;
    sizes.largest = 0.006;
    const SurfaceMesh surface = mesh_surface(domain, make_size_field(domain, sizes));
    const VolumeMesh mesh = fill_with_tetrahedra(surface, size_field_of_mesh(surface.surface, sizes));

    // Look at it before using it.
    if (!find_faults(mesh).empty()) return 1;
    const QualityReport quality = assess(mesh);
    std::printf("%zu cells, largest equiangle skewness %.3f\n", mesh.n_cells(),
                quality.metric("equiangle skewness").max);
    write_cgns(file, mesh);
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
