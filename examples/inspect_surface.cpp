// Read a surface and say how sound it is: inspect_surface FILE [UNIT]

#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/surface_files.hpp>

#include <cstdio>

int main(int argc, char** argv) try {
    using namespace anvilcast;
    if (argc < 2) return std::fputs("usage: inspect_surface FILE [UNIT]\n", stderr), 2;
    ReadSurfaceOptions options;
    if (!states_unit(argv[1])) options.unit = parse_length_unit(argc > 2 ? argv[2] : "mm");
    const SurfaceFile file = read_surface(argv[1], options);
    const SurfaceHealth health = examine(file.surface);

    for (const ZoneMeasure& zone : health.zones)
        std::printf("%-24s %8zu triangles  %s\n", zone.name.c_str(), zone.triangles,
                    format_area(zone.area, file.unit).c_str());
    for (const DefectList& list : health.defects) {
        if (list.items.empty()) continue;
        const Vec3 at = list.items.front().place / file.unit.metres;
        std::printf("%zu %s, the worst at [%g, %g, %g]: %s\n", list.items.size(), defect_info(list.kind).name, at.x,
                    at.y, at.z, defect_info(list.kind).mend);
    }
    std::printf("%s\n", verdict(health, file.unit).c_str());
    return health.is_blocked() ? 1 : 0;
} catch (const anvilcast::Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
}
