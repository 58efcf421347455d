// Break a surface, mend it, and show what the mends did: mend_surface BROKEN.stl MENDED.stl

#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/mend.hpp>
#include <anvilcast/surface_files.hpp>

#include <cmath>
#include <cstdio>
#include <numbers>

namespace {

using namespace anvilcast;

/// The shell of a settling tank: a cone on a cylinder, open where the cover should be, with every third plate loose.
Surface tank() {
    Surface s;
    s.zones.push_back({"tank"});
    const int n = 48;
    auto point = [&](double radius, double z, int i, bool loose) {
        const double a = 2 * std::numbers::pi * i / n;
        s.points.push_back({radius * std::cos(a), radius * std::sin(a), z + (loose ? 2e-5 : 0)});
        return static_cast<Index>(s.points.size() - 1);
    };
    const double radius[4] = {0.02, 0.5, 0.5, 0.46}, height[4] = {0, 0.6, 1.4, 1.45};
    for (int band = 0; band < 3; ++band)
        for (int i = 0; i < n; ++i) {
            const bool loose = i % 3 == 0;
            const Index a = point(radius[band], height[band], i, loose),
                        b = point(radius[band], height[band], i + 1, loose),
                        c = point(radius[band + 1], height[band + 1], i + 1, loose),
                        d = point(radius[band + 1], height[band + 1], i, loose);
            s.triangles.push_back({a, b, c});
            s.triangles.push_back(i % 7 == 0 ? Triangle{a, d, c} : Triangle{a, c, d});
            s.zone_of.insert(s.zone_of.end(), {0, 0});
        }
    return s;
}

}  // namespace

int main(int argc, char** argv) try {
    if (argc != 3) return std::fputs("usage: mend_surface BROKEN.stl MENDED.stl\n", stderr), 2;
    const LengthUnit m = parse_length_unit("m");
    const Surface broken = tank();
    write_surface(argv[1], broken, m);
    std::printf("before: %s\n", verdict(examine(broken, {.tolerance = 1e-4}), m).c_str());

    const MendResult mended = mend(broken, {.stitch = 1e-4, .close_rims = 2});
    for (const Mending& done : mended.done)
        std::printf("  %zu %s (moved by at most %s)\n", done.count, done.what.c_str(),
                    format_length(done.largest_move, m).c_str());
    const SurfaceHealth after = examine(mended.surface);
    std::printf("after:  %s It holds %s.\n", verdict(after, m).c_str(),
                format_volume(after.enclosed_volume, m).c_str());
    write_surface(argv[2], mended.surface, m);
    return after.is_sound ? 0 : 1;
} catch (const anvilcast::Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 2;
}
