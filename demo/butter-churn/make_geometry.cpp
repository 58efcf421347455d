// Makes the geometry of the butter-churn demo: the cream in a barrel, one of its ribs, the shaft, and one of the boards
// that turn with it; the case has more of them. All dimensions are our own, in mm.
//
//     make_butter_churn DIRECTORY

#include <anvilcast/stl.hpp>

#include <cstdio>
#include <exception>
#include <filesystem>

#include "../solids.hpp"

int main(int argc, char** argv) try {
    using namespace anvilcast;
    const std::filesystem::path directory = argc > 1 ? argv[1] : ".";
    const LengthUnit mm = parse_length_unit("mm");
    auto write = [&](const char* file, Surface s) {
        for (Vec3& p : s.points) p *= mm.metres;
        write_stl(directory / file, s, mm);
    };
    write("barrel.stl", demo::prism(demo::circle({0, 0}, 120, 96), {1, 0, 0}, {0, 1, 0}, 0, 200, "barrel"));
    write("shaft.stl", demo::prism(demo::circle({0, 0}, 12, 32), {1, 0, 0}, {0, 1, 0}, 0, 200, "shaft"));
    // Into the barrel's wall, and from lid to lid.
    write("rib.stl", demo::box({108, -6, 0}, {130, 6, 200}, "rib"));
    // Out of the shaft.
    write("board.stl", demo::box({6, -4, 30}, {80, 4, 170}, "board"));
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
