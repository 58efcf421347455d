// From points and triangles made in memory to a mesh file: the stages by hand. Hot air rises in the glass chimney of an
// oil lamp.
//
//     lamp_chimney chimney.cgns

#include <anvilcast/anvilcast.hpp>

#include <cmath>
#include <cstdio>

using namespace anvilcast;

// Of the glass's inside at height z, in metres: a bulge round the flame, slender above it.
static double radius(double z) { return 0.018 + 0.014 * std::exp(-std::pow((z - 0.05) / 0.03, 2)); }

// Glass of one thickness, turned round the z axis, open at both ends.
static Surface make_chimney(double height, double thickness, Index n_rings, Index n_around) {
    Surface s;
    s.zones.push_back({"glass", Role::wall});
    for (const double offset : {0.0, thickness})
        for (Index k = 0; k < n_rings; ++k)
            for (Index i = 0; i < n_around; ++i) {
                const double z = height * k / (n_rings - 1), a = 6.283185307179586 * i / n_around;
                s.points.push_back({(radius(z) + offset) * std::cos(a), (radius(z) + offset) * std::sin(a), z});
            }
    const Index inside = 0, outside = n_rings * n_around, top = (n_rings - 1) * n_around;
    auto band = [&](Index low, Index high) {
        for (Index i = 0; i < n_around; ++i) {
            const Index j = (i + 1) % n_around;
            s.triangles.push_back({low + i, low + j, high + j});
            s.triangles.push_back({low + i, high + j, high + i});
        }
    };
    for (Index k = 0; k < top; k += n_around) {
        band(outside + k, outside + k + n_around);
        band(inside + k + n_around, inside + k);
    }
    band(outside + top, inside + top);
    band(inside, outside);
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

int main(int argc, char** argv) try {
    const char* file = argc > 1 ? argv[1] : "chimney.cgns";
    const LengthUnit mm = parse_length_unit("mm");
    const Surface body = split_at_sharp_edges(make_chimney(0.24, 0.002, 49, 48), 40);

    // Close the two ends and take the volume between.
    std::vector<Opening> openings = find_openings(body);
    openings[pick_opening(openings, {0, 0, 0}, mm)].zone = {"burner", Role::inlet};
    openings[pick_opening(openings, {0, 0, 0.24}, mm)].zone = {"draught", Role::outlet};
    const Domain domain = extract_region(body, openings, {0, 0, 0.12}, mm);

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
