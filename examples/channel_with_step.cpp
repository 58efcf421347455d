// A channel with a step in its floor: divided into three patches, with layers, in the plane and swept round a bend.
//
//     channel_with_step OUT.png

#include <anvilcast/anvilcast.hpp>

#include <cstdio>

using namespace anvilcast;

static PlaneCurve line(const char* name, Role role, const std::vector<Vec2>& points) {
    return {{name, role}, straight_pieces(points)};
}
static PlaneCurve dividing_line(const Vec2& from, const Vec2& to) {
    PlaneCurve line{{"step line"}, straight_pieces({from, to})};
    line.divides = true;
    return line;
}

int main(int argc, char** argv) try {
    if (argc != 2) return std::fprintf(stderr, "usage: channel_with_step OUT.png\n"), 2;
    PlaneRequest request;  // metres
    request.curves = {line("floor", Role::wall, {{0, 0}, {0.05, 0}, {0.05, -0.015}, {0.16, -0.015}}),
                      line("outflow", Role::outlet, {{0.16, -0.015}, {0.16, 0.04}}),
                      line("ceiling", Role::wall, {{0.16, 0.04}, {0, 0.04}}),
                      line("inflow", Role::inlet, {{0, 0.04}, {0, 0}}),
                      dividing_line({0.05, 0}, {0.05, 0.04}),
                      dividing_line({0.05, 0}, {0.16, 0})};
    request.areas = {{"water", RegionKind::fluid, Vec2{0.01, 0.01}, PlaneCells::mapped}};
    request.sizing.surface = request.sizing.largest = 0.002;
    LayerRecipe recipe;
    recipe.first_height = 1e-4;
    recipe.count = 8;
    recipe.growth = 1.25;
    request.layers = {recipe};

    const PlaneResult plane = mesh_plane(request);
    for (const LayerFigures& f : plane.figures)
        std::printf("zone %s: all layers on %.1f %%, first height %.3g mm\n", plane.mesh.zones[f.zone].name.c_str(),
                    100 * f.full_area / f.area, 1e3 * f.first_median);
    const VolumeMesh sheet = sheet_of(plane.mesh);
    std::printf("%zu cells in the plane, largest equiangle skewness %.2f\n", sheet.n_cells(),
                assess(sheet).metric("equiangle skewness").max);
    FigureOptions options;
    options.title = "Channel with a step";
    draw_boundary(argv[1], sheet, parse_colouring("skewness"), options);

    const VolumeMesh bend = sweep(plane.mesh, RoundPath{{-0.2, 0}, {-0.2, 1}, 60}, {.steps = 40});
    std::printf("%zu hexahedra round the bend\n", bend.n_cells());
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
