// Makes the geometry of the bread-oven demo as such geometry arrives: the chamber's panels are sheets that neither meet
// nor end at the corners, rivets go through them, a nameplate and threaded rods are drawn to the last detail, the
// pipes were drawn with other divisions and stick through the panels, and the loaves are scans with holes, twice over
// in places, with triangles turned. All dimensions are our own, in mm.
//
//     make_bread_oven DIRECTORY         writes panels.stl, fittings.stl and loaves.stl there

#include <anvilcast/stl.hpp>

#include <cstdint>
#include <cstdio>
#include <exception>
#include <filesystem>

#include "../solids.hpp"

namespace {

using namespace anvilcast;
using demo::Index;

constexpr double kPi = std::numbers::pi;
// The chamber, from the origin.
constexpr double kLength = 420, kDepth = 300, kHeight = 260;

/// The same numbers everywhere.
class Dice {
  public:
    double operator()() {
        state_ = state_ * 6364136223846793005ULL + 1442695040888963407ULL;
        return static_cast<double>(state_ >> 11) / 9007199254740992.0;
    }
    double around(double reach) { return reach * (2 * (*this)() - 1); }

  private:
    std::uint64_t state_ = 20;
};

void add_triangle(Surface& s, const Vec3& a, const Vec3& b, const Vec3& c) {
    const auto first = static_cast<Index>(s.points.size());
    s.points.insert(s.points.end(), {a, b, c});
    s.triangles.push_back({first, first + 1, first + 2});
    s.zone_of.push_back(0);
}

Surface named(const std::string& name) {
    Surface s;
    s.zones = {{name}};
    return s;
}

void append(Surface& s, const Surface& other) {
    for (Index t = 0; t < other.triangles.size(); ++t)
        add_triangle(s, other.corner(t, 0), other.corner(t, 1), other.corner(t, 2));
}

/// A sheet without thickness over a parallelogram, but for round holes; n x m pieces, each of two triangles.
template <typename IsHole>
void add_sheet(Surface& s, const Vec3& from, const Vec3& u, const Vec3& v, int n, int m, const IsHole& is_hole) {
    auto at = [&](int i, int j) { return from + u * (double(i) / n) + v * (double(j) / m); };
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < m; ++j) {
            const Vec3 a = at(i, j), b = at(i + 1, j), c = at(i + 1, j + 1), d = at(i, j + 1);
            if (is_hole((a + c) * 0.5)) continue;
            add_triangle(s, a, b, c);
            add_triangle(s, a, c, d);
        }
}

/// The same with a round cut-out: rays from its rim to the border.
void add_sheet_with_cut(Surface& s, const Vec3& from, const Vec3& u, const Vec3& v, double at_u, double at_v,
                        double radius, int n) {
    const double lu = length(u), lv = length(v);
    auto place = [&](double x, double y) { return from + u * (x / lu) + v * (y / lv); };
    auto rim = [&](int i) {
        const double a = 2 * kPi * i / n;
        return place(at_u + radius * std::cos(a), at_v + radius * std::sin(a));
    };
    // As many rays into each of the border's eighths, so that its corners are among their ends.
    auto border = [&](int i) {
        const int eighth = n / 8;
        const std::array<Vec2, 8> ends{
            {{lu, at_v}, {lu, lv}, {at_u, lv}, {0, lv}, {0, at_v}, {0, 0}, {at_u, 0}, {lu, 0}}};
        const std::size_t k = static_cast<std::size_t>(i / eighth) % 8;
        const Vec2 a = ends[k], b = ends[(k + 1) % 8];
        const double share = double(i % eighth) / eighth;
        return place(a.x + (b.x - a.x) * share, a.y + (b.y - a.y) * share);
    };
    for (int i = 0; i < n; ++i) {
        add_triangle(s, rim(i), border(i), border(i + 1));
        add_triangle(s, rim(i), border(i + 1), rim(i + 1));
    }
}

/// A tube without thickness along an axis, open at both ends.
void add_tube(Surface& s, const Vec3& from, const Vec3& along, const Vec3& side, double radius, int n, int pieces) {
    const Vec3 other = cross(normalized(along), side);
    auto at = [&](int i, int k) {
        const double a = 2 * kPi * i / n;
        return from + along * (double(k) / pieces) + side * (radius * std::cos(a)) + other * (radius * std::sin(a));
    };
    for (int k = 0; k < pieces; ++k)
        for (int i = 0; i < n; ++i) {
            add_triangle(s, at(i, k), at(i + 1, k), at(i + 1, k + 1));
            add_triangle(s, at(i, k), at(i + 1, k + 1), at(i, k + 1));
        }
}

/// Six panels, some too long and some too short for the corners, with seams of up to 3 mm between them.
Surface panels() {
    Surface s = named("panels");
    // The hot-air pipe goes through the left panel and the flue through the top one; the cut-outs are larger than they.
    auto none = [](const Vec3&) { return false; };
    add_sheet(s, {-6, -4, 0}, {kLength + 11, 0, 0}, {0, kDepth + 9, 0}, 6, 5, none);
    add_sheet_with_cut(s, {1.5, 1, kHeight}, {kLength - 2, 0, 0}, {0, kDepth - 2.5, 0}, 338.5, 149, 28.5, 48);
    add_sheet_with_cut(s, {0, -5, 2}, {0, kDepth + 8, 0}, {0, 0, kHeight + 4}, 155, 58, 34.5, 40);
    add_sheet(s, {kLength, -3, -4}, {0, kDepth + 7, 0}, {0, 0, kHeight + 7}, 3, 3, none);
    add_sheet(s, {-4, 0, 1.5}, {kLength + 8, 0, 0}, {0, 0, kHeight - 4}, 4, 4, none);
    // The back was drawn as two panels, one over the other.
    add_sheet(s, {-3, kDepth, -2}, {230, 0, 0}, {0, 0, kHeight + 6}, 5, 4, none);
    add_sheet(s, {215, kDepth + 0.7, 1}, {208, 0, 0}, {0, 0, kHeight - 3}, 3, 5, none);
    return s;
}

/// A rod with a thread: two radii that go round.
void add_threaded_rod(Surface& s, const Vec3& from, double length, double radius, double pitch) {
    constexpr int kSides = 12;
    const int turns = static_cast<int>(length / pitch);
    auto at = [&](int i, int k) {
        const double a = 2 * kPi * i / kSides, z = (k + double(i) / kSides) * pitch / 2;
        const double r = radius - (k % 2 == 0 ? 0 : 0.16 * radius);
        return from + Vec3{r * std::cos(a), r * std::sin(a), z};
    };
    for (int k = 0; k < 2 * turns; ++k)
        for (int i = 0; i < kSides; ++i) {
            add_triangle(s, at(i, k), at(i + 1, k), at(i + 1, k + 1));
            add_triangle(s, at(i, k), at(i + 1, k + 1), at(i, k + 1));
        }
}

/// Pipes that stick through the panels, a perforated shelf on threaded rods, rivets and a nameplate.
Surface fittings() {
    Surface s = named("fittings");
    add_tube(s, {-90, 150, 60}, {104, 0, 0}, {0, 1, 0}, 32, 60, 8);
    add_tube(s, {340, 150, kHeight - 9}, {0, 0, 99}, {1, 0, 0}, 26, 48, 7);
    // The shelf ends short of the panels; its slits are a grid of 5 mm.
    auto is_slit = [](const Vec3& p) {
        const int i = static_cast<int>(p.x / 5), j = static_cast<int>(p.y / 30);
        return i % 3 == 0 && i > 12 && i < 72 && p.y > 60 && p.y < 240 && static_cast<int>(p.y - 30 * j) < 22;
    };
    add_sheet(s, {40, 30, 110}, {340, 0, 0}, {0, 240, 0}, 68, 40, is_slit);
    for (const double x : {50.0, 370.0})
        for (const double y : {40.0, 260.0}) add_threaded_rod(s, {x, y, -6}, 124, 6, 4);
    for (int k = 0; k < 12; ++k)
        append(s, demo::prism(demo::circle({30.0 + 32 * k, 12}, 3.5, 10), {1, 0, 0}, {0, 1, 0}, -2, 2.2, "rivet"));
    append(s, demo::box({150, -1, 190}, {250, 1.5, 230}, "nameplate"));
    // Letters, of a sort.
    for (int k = 0; k < 6; ++k) {
        append(s, demo::box({158.0 + 15 * k, 1.2, 198}, {160.0 + 15 * k, 2.8, 222}, "stem"));
        append(s, demo::box({158.0 + 15 * k, 1.1, 206.0 + 2 * (k % 3)}, {168.0 + 15 * k, 2.6, 208.5 + 2 * (k % 3)},
                            "bar"));
    }
    return s;
}

/// A scan of a loaf: noise, holes, triangles twice and turned.
void add_loaf(Surface& s, const Vec3& middle, const Vec3& half, Dice& dice) {
    constexpr int kAround = 44, kUp = 22;
    std::vector<Vec3> places;
    for (int j = 0; j <= kUp; ++j)
        for (int i = 0; i < kAround; ++i) {
            const double a = 2 * kPi * i / kAround, b = kPi * (double(j) / kUp - 0.5);
            const double crust = 1 + 0.03 * std::sin(5 * a + 3 * b) + dice.around(0.006);
            places.push_back(middle + Vec3{half.x * std::cos(a) * std::pow(std::cos(b), 0.7),
                                           half.y * std::sin(a) * std::cos(b), half.z * std::sin(b)} *
                                          crust);
        }
    auto at = [&](int i, int j) { return places[static_cast<std::size_t>(j * kAround + i % kAround)]; };
    auto scan = [&](const Vec3& a, const Vec3& b, const Vec3& c) {
        const double luck = dice();
        if (luck < 0.04) return;  // not seen
        if (luck < 0.12) add_triangle(s, a, b, c);
        if (luck > 0.7)
            add_triangle(s, a, c, b);
        else
            add_triangle(s, a, b, c);
    };
    for (int j = 0; j < kUp; ++j)
        for (int i = 0; i < kAround; ++i) {
            scan(at(i, j), at(i + 1, j), at(i + 1, j + 1));
            scan(at(i, j), at(i + 1, j + 1), at(i, j + 1));
        }
}

/// Two loaves, sunk a little into the shelf; in one of them an older, smaller scan was forgotten.
Surface loaves() {
    Surface s = named("loaves");
    Dice dice;
    add_loaf(s, {140, 150, 138}, {72, 46, 30}, dice);
    add_loaf(s, {290, 150, 136}, {60, 52, 28}, dice);
    add_loaf(s, {290, 150, 136}, {44, 38, 20}, dice);
    return s;
}

}  // namespace

int main(int argc, char** argv) {
    const std::filesystem::path directory = argc > 1 ? argv[1] : ".";
    try {
        const LengthUnit mm = parse_length_unit("mm");
        auto write = [&](const char* file, Surface s) {
            for (Vec3& p : s.points) p *= mm.metres;
            write_stl(directory / file, s, mm);
        };
        write("panels.stl", panels());
        write("fittings.stl", fittings());
        write("loaves.stl", loaves());
    } catch (const std::exception& e) {
        std::fprintf(stderr, "make_bread_oven: %s\n", e.what());
        return 1;
    }
    return 0;
}
