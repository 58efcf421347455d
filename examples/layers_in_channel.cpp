// Inflation layers from a target y+: heights, columns, cells, and what came of them.
//
//     layers_in_channel channel.cgns

#include <anvilcast/anvilcast.hpp>

#include <cstdio>

using namespace anvilcast;

// A channel along x, 600 x 200 x 150 mm, with an inlet and an outlet.
static Domain channel() {
    Domain d;
    Surface& s = d.boundary;
    s.zones = {{"wall", Role::wall}, {"in", Role::inlet}, {"out", Role::outlet}};
    for (int i = 0; i < 8; ++i)
        s.points.push_back({(i & 1) != 0 ? 0.6 : 0.0, (i & 2) != 0 ? 0.2 : 0.0, (i & 4) != 0 ? 0.15 : 0.0});
    s.triangles = {{0, 2, 3}, {0, 3, 1}, {4, 5, 7}, {4, 7, 6}, {0, 1, 5}, {0, 5, 4},
                   {2, 6, 7}, {2, 7, 3}, {0, 4, 6}, {0, 6, 2}, {1, 3, 7}, {1, 7, 5}};
    s.zone_of = {0, 0, 0, 0, 0, 0, 0, 0, 1, 1, 2, 2};
    d.regions = {{"air", RegionKind::fluid, 0.6 * 0.2 * 0.15, {0.3, 0.1, 0.075}}};
    d.sides.assign(s.triangles.size(), {kNone, 0});
    return d;
}

int main(int argc, char** argv) try {
    if (argc != 2) return std::fprintf(stderr, "usage: layers_in_channel OUT.cgns\n"), 2;
    const Domain domain = channel();
    SizeOptions sizes;
    sizes.surface = sizes.largest = 0.012;
    const SizeField field = make_size_field(domain, sizes);
    const SurfaceMesh surface = mesh_surface(domain, field);

    LayerRequest request;
    request.wall = estimate_wall({.speed = 12, .fluid = fluid_by_name("air", 293.15), .length = 0.6});
    LayerRecipe recipe;  // on all walls
    recipe.y_plus = 5;
    recipe.count = 7;
    recipe.growth = 1.25;
    request.recipes = {recipe};
    for (const LayerForecast& f : forecast_layers(domain, field, request))
        std::printf("asked: %d layers from %.3g mm, %.3g mm together\n", f.stack.count, 1e3 * f.stack.first,
                    1e3 * f.stack.total);

    const LayerStacks stacks = grow_layers(surface, field, request);
    const VolumeMesh mesh = fill_with_layers(surface, stacks, field);
    const QualityReport quality = assess(mesh);
    for (const LayerFigures& f : quality.layers)
        std::printf("zone %s: all layers on %.1f %%, first height %.3g to %.3g mm\n", mesh.zones[f.zone].name.c_str(),
                    100 * f.full_area / f.area, 1e3 * f.first_min, 1e3 * f.first_max);
    std::printf("%zu cells, largest equiangle skewness %.2f\n", mesh.n_cells(),
                quality.metric("equiangle skewness").max);
    write_cgns(argv[1], mesh);
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
