// Flow round bodies that overlap: a surround, one conformal complex, and what it divides space into.
//
//     wind_round_bodies

#include <anvilcast/anvilcast.hpp>

#include <cstdio>

using namespace anvilcast;

// A box whose zone and part are called alike, in metres.
static Surface make_box(const Vec3& lo, const Vec3& hi, const char* name) {
    Surface s;
    s.zones.push_back({name, Role::wall, name});
    for (int i = 0; i < 8; ++i)
        s.points.push_back({(i & 1) != 0 ? hi.x : lo.x, (i & 2) != 0 ? hi.y : lo.y, (i & 4) != 0 ? hi.z : lo.z});
    s.triangles = {{0, 2, 3}, {0, 3, 1}, {4, 5, 7}, {4, 7, 6}, {0, 1, 5}, {0, 5, 4},
                   {2, 6, 7}, {2, 7, 3}, {0, 4, 6}, {0, 6, 2}, {1, 3, 7}, {1, 7, 5}};
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

int main() try {
    const LengthUnit m = parse_length_unit("m");
    const Surface bodies =
        joined({make_box({0, -1, 0}, {3, 1, 2}, "shed"), make_box({1, -0.2, 1}, {1.4, 0.2, 3}, "stack")});

    SurroundOptions options;  // 5 body lengths ahead, 15 behind, 5 aside and above
    options.ground = true;
    options.symmetry = SymmetryPlane{{0, 1, 0}, 0};
    const Surround around = make_surround(bodies, options, m);
    std::printf("the bodies block %.2f %% of the section\n", 100 * around.blockage());
    for (const std::string& warning : around.warnings) std::printf("%s\n", warning.c_str());

    SpaceOptions with;
    with.surround = &around.surface;
    const Space space = divide_space(bodies, {}, with);
    for (std::size_t c = 1; c < space.cells.size(); ++c)
        std::printf("a cell of %.4g m3%s\n", space.cells[c].volume,
                    space.cells[c].inside_of.empty() ? "" : ", material");

    RegionRequest air;
    air.name = "air";
    air.is_around = true;
    const Domain domain = choose_regions(space, {air}, m);
    for (const Zone& zone : domain.boundary.zones)
        std::printf("zone %s (%s)\n", zone.name.c_str(), role_name(zone.role));
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
