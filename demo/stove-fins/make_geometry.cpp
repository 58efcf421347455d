// Makes the geometry of the stove-fins demo: one twelfth of an iron collar with twelve fins, and of the air round it.
// All dimensions are our own, in mm.
//
//     make_stove_fins DIRECTORY

#include <anvilcast/stl.hpp>
#include <anvilcast/weld.hpp>

#include <cmath>
#include <cstdio>
#include <exception>
#include <filesystem>
#include <numbers>

#include "../solids.hpp"

namespace {

constexpr double kPitch = 30, kInner = 40, kCollar = 46, kTip = 90, kOuter = 104, kThickness = 4, kHeight = 120;

anvilcast::Vec2 at(double radius, double degrees) {
    const double a = degrees * std::numbers::pi / 180;
    return {radius * std::cos(a), radius * std::sin(a)};
}

void add_arc(std::vector<anvilcast::Vec2>& outline, double radius, double from, double to) {
    constexpr int kSteps = 10;
    for (int k = 0; k <= kSteps; ++k) outline.push_back(at(radius, from + (to - from) * k / kSteps));
}

/// The collar, and a fin in the middle of it.
std::vector<anvilcast::Vec2> iron() {
    std::vector<anvilcast::Vec2> outline;
    const double half = std::asin(kThickness / 2 / kCollar) * 180 / std::numbers::pi;
    const double half_at_tip = std::asin(kThickness / 2 / kTip) * 180 / std::numbers::pi;
    add_arc(outline, kCollar, 0, kPitch / 2 - half);
    outline.push_back(at(kTip, kPitch / 2 - half_at_tip));
    outline.push_back(at(kTip, kPitch / 2 + half_at_tip));
    add_arc(outline, kCollar, kPitch / 2 + half, kPitch);
    add_arc(outline, kInner, kPitch, 0);
    return outline;
}

/// With the iron's corners on its sides, so that both have the same numbers there.
std::vector<anvilcast::Vec2> all() {
    std::vector<anvilcast::Vec2> outline;
    add_arc(outline, kOuter, 0, kPitch);
    outline.push_back(at(kCollar, kPitch));
    add_arc(outline, kInner, kPitch, 0);
    outline.push_back(at(kCollar, 0));
    return outline;
}

}  // namespace

int main(int argc, char** argv) try {
    using namespace anvilcast;
    const std::filesystem::path directory = argc > 1 ? argv[1] : ".";
    const LengthUnit mm = parse_length_unit("mm");
    auto write = [&](const char* file, const std::vector<Vec2>& outline, const char* name) {
        Surface s = demo::prism(outline, {1, 0, 0}, {0, 1, 0}, 0, kHeight, name);
        for (Vec3& p : s.points) p *= mm.metres;
        write_stl(directory / file, s, mm);
    };
    write("iron.stl", iron(), "iron");
    write("sector.stl", all(), "sector");
    return 0;
} catch (const std::exception& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
