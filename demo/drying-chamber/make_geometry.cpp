// Makes the geometry of the drying-chamber demo: the air of a chamber, three heating rods across it, a brick that dries
// on its floor, and a weir of sheet metal without thickness. All dimensions are our own, in mm.
//
//     make_drying_chamber DIRECTORY

#include <anvilcast/stl.hpp>
#include <anvilcast/weld.hpp>

#include <cstdio>
#include <exception>
#include <filesystem>

#include "../solids.hpp"

int main(int argc, char** argv) try {
    using namespace anvilcast;
    const std::filesystem::path directory = argc > 1 ? argv[1] : ".";
    const LengthUnit mm = parse_length_unit("mm");
    auto metres = [&mm](Surface s) {
        for (Vec3& p : s.points) p *= mm.metres;
        return s;
    };
    write_stl(directory / "chamber.stl", metres(demo::box({0, 0, 0}, {600, 300, 300}, "chamber")), mm);
    // The rods end flush with the chamber's side walls.
    std::vector<Surface> rods;
    for (const double x : {180.0, 300.0, 420.0})
        rods.push_back(demo::prism(demo::circle({200, x}, 18, 40), {0, 0, 1}, {1, 0, 0}, 0, 300, "rods"));
    Surface all = joined(rods);
    all.zones = {{"rods"}};
    all.zone_of.assign(all.triangles.size(), 0);
    write_stl(directory / "rods.stl", metres(all), mm);
    write_stl(directory / "brick.stl", metres(demo::box({240, 90, 0}, {360, 210, 60}, "brick")), mm);
    Surface weir;
    weir.zones = {{"weir"}};
    weir.points = {{480, 0, 0}, {480, 300, 0}, {480, 300, 140}, {480, 0, 140}};
    weir.triangles = {{0, 1, 2}, {0, 2, 3}};
    weir.zone_of = {0, 0};
    write_stl(directory / "weir.stl", metres(weir), mm);
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
