// Makes the geometry of the wind-hut demo: a mountain hut of three closed bodies that poke into each other, as they
// come from a drawing: walls, a gable roof with eaves, and a chimney. All dimensions are our own, in metres.
//
//     make_wind_hut DIRECTORY

#include <anvilcast/stl.hpp>

#include <cstdio>
#include <exception>
#include <filesystem>

#include "../solids.hpp"

int main(int argc, char** argv) try {
    const std::filesystem::path directory = argc > 1 ? argv[1] : ".";
    const anvilcast::LengthUnit m = anvilcast::parse_length_unit("m");
    write_stl(directory / "walls.stl", demo::box({-3, -2, 0}, {3, 2, 2.6}, "walls"), m);
    // The gable's triangle lies across x; the roof reaches down over the walls.
    write_stl(directory / "roof.stl",
              demo::prism({{-2.5, 2.3}, {2.5, 2.3}, {0, 4.1}}, {0, 1, 0}, {0, 0, 1}, -3.4, 3.4, "roof"), m);
    write_stl(directory / "chimney.stl",
              demo::prism(demo::circle({1.5, 0}, 0.3, 32), {1, 0, 0}, {0, 1, 0}, 2.5, 4.8, "chimney"), m);
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
