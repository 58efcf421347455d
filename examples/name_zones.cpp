// Divide a surface at its sharp edges and name the pieces by rule: name_zones FILE.stl OUT.obj
// The rules fit the shell of the dust cyclone demo.

#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include <cstdio>

int main(int argc, char** argv) try {
    using namespace anvilcast;
    if (argc != 3) return std::fputs("usage: name_zones FILE.stl OUT.obj\n", stderr), 2;
    const LengthUnit mm = parse_length_unit("mm");
    Surface body = split_at_sharp_edges(read_surface(argv[1], {.unit = mm}).surface, 40);

    ZoneRule bore{.name = "finder-bore", .place = "rule 1"};
    bore.on_cylinder = Cylinder{{0, 0, 0}, {0, 0, 1}, 0.040};  // metres
    bore.tolerance = 0.5e-3;
    ZoneRule flange{.name = "inlet-flange", .place = "rule 2"};  // its role is guessed from the name
    flange.normal = {1, 0, 0};
    flange.on_plane = Plane{{0.220, 0, 0}, {1, 0, 0}};
    ZoneRule rest{.name = "shell", .role = Role::wall, .place = "rule 3"};
    rest.matches = "*";
    name_zones(body, {bore, flange, rest}, mm);

    for (const ZoneMeasure& z : examine(body).zones)
        std::printf("%-14s %-7s%-9s %s\n", z.name.c_str(), role_name(z.role), z.role_is_guess ? " (guess)" : "",
                    format_area(z.area, mm).c_str());
    write_surface(argv[2], body, mm);
    return 0;
} catch (const anvilcast::Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
}
