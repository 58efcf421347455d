#include <cairo.h>
#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/layers.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/weld.hpp>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <set>

#include "figures/outer_zones.hpp"
#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

namespace fs = std::filesystem;

/// A picture as read back: colours without alpha.
struct Picture {
    int width = 0, height = 0;
    std::vector<std::uint32_t> pixels;

    explicit Picture(const fs::path& file) {
        cairo_surface_t* surface = cairo_image_surface_create_from_png(file.c_str());
        EXPECT_EQ(cairo_surface_status(surface), CAIRO_STATUS_SUCCESS) << file;
        width = cairo_image_surface_get_width(surface);
        height = cairo_image_surface_get_height(surface);
        const unsigned char* data = cairo_image_surface_get_data(surface);
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) {
                std::uint32_t p = 0;
                std::memcpy(&p, data + y * cairo_image_surface_get_stride(surface) + 4 * x, 4);
                pixels.push_back(p & 0xFFFFFFU);
            }
        cairo_surface_destroy(surface);
    }
    std::uint32_t at(int x, int y) const { return pixels[static_cast<std::size_t>(y * width + x)]; }
    /// The share of a rectangle that is not as the upper left corner.
    double drawn(int x0, int y0, int x1, int y1) const {
        int n = 0;
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x) n += at(x, y) != at(0, 0) ? 1 : 0;
        return static_cast<double>(n) / ((x1 - x0) * (y1 - y0));
    }
    bool has(std::uint32_t colour, int x0, int y0, int x1, int y1) const {
        for (int y = y0; y < y1; ++y)
            for (int x = x0; x < x1; ++x)
                if (at(x, y) == colour) return true;
        return false;
    }
};

class Figures : public kit::ScratchTest {
  protected:
    static const VolumeMesh& box_mesh() {
        static const VolumeMesh mesh = [] {
            const Domain domain = kit::inside_of(split_at_sharp_edges(kit::box({0, 0, 0}, {2, 1, 1}), 40));
            SizeOptions sizes;
            sizes.surface = sizes.largest = 0.2;
            const SizeField field = make_size_field(domain, sizes);
            return fill_with_tetrahedra(mesh_surface(domain, field), field);
        }();
        return mesh;
    }
    static FigureOptions options() {
        FigureOptions o;
        o.unit = parse_length_unit("m");
        o.title = "box";
        return o;
    }
};

constexpr std::uint32_t kFirstColour = 0x56B4E9, kSecondColour = 0xE69F00;

TEST_F(Figures, ShowTheBoundaryWithItsLegend) {
    const fs::path file = directory / "zones.png";
    draw_boundary(file, box_mesh(), {ColourBy::zone, {}}, options());
    const Picture p(file);
    EXPECT_EQ(p.width, 1280);
    EXPECT_EQ(p.height, 800);
    EXPECT_GT(p.drawn(24, 64, 940, 720), 0.3);
    EXPECT_GT(p.drawn(24, 10, 400, 60), 0.05);    // the title
    EXPECT_GT(p.drawn(20, 730, 400, 798), 0.01);  // axes and scale bar
    EXPECT_TRUE(p.has(kFirstColour, 960, 80, 1020, 130));
    EXPECT_TRUE(p.has(kSecondColour, 960, 80, 1020, 150));

    // One zone alone leaves more of the sheet empty, and the others out of the legend.
    FigureOptions one = options();
    one.only = {box_mesh().zones[0].name};
    draw_boundary(file, box_mesh(), {ColourBy::zone, {}}, one);
    EXPECT_FALSE(Picture(file).has(kSecondColour, 960, 80, 1020, 400));
    one.only = {"roof*"};
    EXPECT_THROW(draw_boundary(file, box_mesh(), {ColourBy::zone, {}}, one), InputError);
}

TEST_F(Figures, ShowCutsThatFillWhatTheyCut) {
    const fs::path file = directory / "cut.png";
    for (const char* plane : {"y = 0.5", "x = 0.3", "1,1,1 at 1,0.5,0.5"}) {
        draw_cut(file, box_mesh(), parse_cut_plane(plane, options().unit), {ColourBy::type, {}}, options());
        EXPECT_GT(Picture(file).drawn(24, 64, 940, 720), 0.3) << plane;
    }
    // By a metric there is a scale, and in the dark the ground is dark.
    FigureOptions dark = options();
    dark.dark = true;
    dark.width = 640;
    dark.height = 400;
    draw_cut(file, box_mesh(), parse_cut_plane("z = 0.5", dark.unit), {ColourBy::metric, MetricId::equiangle_skewness},
             dark);
    const Picture p(file);
    EXPECT_EQ(p.width, 640);
    EXPECT_EQ(p.at(0, 0), 0x181C20U);
    std::set<std::uint32_t> scale;
    for (int y = 100; y < 300; ++y) scale.insert(p.at(455, y));
    EXPECT_GT(scale.size(), 50U);
    try {
        draw_cut(file, box_mesh(), parse_cut_plane("y = 3", options().unit), {ColourBy::type, {}}, options());
        FAIL() << "a plane that misses the mesh was drawn";
    } catch (const InputError& e) {
        EXPECT_NE(std::string(e.what()).find("from 0 m to 1 m"), std::string::npos) << e.what();
    }
}

TEST_F(Figures, MarkTheWorstCellAndShowStacks) {
    draw_worst(directory / "worst.png", box_mesh(), MetricId::smallest_dihedral, options());
    const Picture worst(directory / "worst.png");
    EXPECT_TRUE(worst.has(0xC81E1E, 300, 250, 700, 550));  // the ring
    draw_stack(directory / "stack.png", box_mesh(), {1, 0.5, 0}, options());
    EXPECT_GT(Picture(directory / "stack.png").drawn(24, 64, 940, 720), 0.2);
    draw_histogram(directory / "bars.png", assess(box_mesh()).metric("skewness"), options());
    EXPECT_GT(Picture(directory / "bars.png").drawn(100, 100, 1200, 700), 0.1);
    EXPECT_THROW(draw_worst(directory / "no.png", box_mesh(), MetricId::visibility, options()), InputError);
    EXPECT_THROW(draw_worst(directory / "no.png", VolumeMesh{}, MetricId::volume, options()), InputError);
    EXPECT_FALSE(fs::exists(directory / "no.png"));
}

TEST_F(Figures, ShowSurfacesTheirDefectsAndOpenings) {
    Surface open = kit::pipe(0.4, 0.5, 2, 32);
    draw_openings(directory / "openings.png", open, find_openings(open), options());
    EXPECT_TRUE(Picture(directory / "openings.png").has(kFirstColour, 960, 80, 1020, 130));
    Surface broken = kit::box({0, 0, 0}, {1, 1, 1});
    broken.triangles.pop_back();
    broken.zone_of.pop_back();
    draw_defects(directory / "defects.png", broken, examine(broken), options());
    EXPECT_TRUE(Picture(directory / "defects.png").has(0xD55E00, 24, 64, 940, 720));  // the rim
    draw_surface(directory / "quality.svg", broken, {ColourBy::metric, MetricId::surface_skewness}, options());
    std::ifstream svg(directory / "quality.svg");
    std::string head(200, ' ');
    svg.read(head.data(), 200);
    EXPECT_NE(head.find("<svg"), std::string::npos);
    EXPECT_THROW(draw_surface(directory / "no.png", broken, {ColourBy::type, {}}, options()), InputError);
    EXPECT_THROW(draw_surface(directory / "no.gif", broken, {ColourBy::zone, {}}, options()), InputError);
}

TEST_F(Figures, ShowSizesOnAPlane) {
    const Domain domain = kit::inside_of(kit::sphere({0, 0, 0}, 1, 3));
    SizeOptions sizes;
    sizes.surface = 0.05;
    sizes.largest = 0.2;
    const SizeField field = make_size_field(domain, sizes);
    draw_sizes(directory / "sizes.png", domain, field, parse_cut_plane("z = 0", options().unit), options());
    const Picture p(directory / "sizes.png");
    // A disc: of the square round it pi / 4 is drawn.
    EXPECT_NEAR(p.drawn(482 - 312, 396 - 312, 482 + 312, 396 + 312), 0.785, 0.05);
    EXPECT_THROW(draw_sizes(directory / "no.png", domain, field, parse_cut_plane("z = 2", options().unit), options()),
                 InputError);
}

VolumeMesh round_a_ball(double box_size, double radius) {
    const double h = 0.5 * box_size;
    Surface all = joined({split_at_sharp_edges(kit::box({-h, -h, -h}, {h, h, h}, "far"), 40),
                          kit::flipped(kit::sphere({0, 0, 0}, radius, 2))});
    SizeOptions sizes;
    sizes.surface = 0.3 * box_size;
    sizes.refine = {{.name = "ball", .on = {"ball*"}, .size = 0.4 * radius}};
    const Domain domain = kit::inside_of(all);
    const SizeField field = make_size_field(domain, sizes);
    return fill_with_tetrahedra(mesh_surface(domain, field), field);
}

TEST(OuterZones, HideASmallBodyAndNothingElse) {
    const auto small = figures::body_within(round_a_ball(10, 0.5));
    ASSERT_TRUE(small);
    EXPECT_NEAR(small->body.extent().x, 1, 0.05);
    EXPECT_EQ(std::count(small->is_outer.begin(), small->is_outer.end(), 1), 6);
    // A large one is seen anyway, and without a body there is nothing to show instead.
    EXPECT_FALSE(figures::body_within(round_a_ball(10, 4)));
    EXPECT_FALSE(figures::body_within(round_a_ball(10, 4.5)));
}

TEST(FigureWords, AreUnderstoodOrRefused) {
    const LengthUnit mm = parse_length_unit("mm");
    const CutPlane p = parse_cut_plane("x = 120", mm);
    EXPECT_EQ(p.normal, (Vec3{1, 0, 0}));
    EXPECT_DOUBLE_EQ(p.offset, 0.12);
    EXPECT_DOUBLE_EQ(parse_cut_plane("0,0,2 at 1,2,30", mm).offset, 0.03);
    for (const char* wrong : {"", "q = 1", "x", "x = ", "1,2 at 3,4,5", "0,0,0 at 1,2,3", "xy = 3"})
        EXPECT_THROW(parse_cut_plane(wrong, mm), InputError) << wrong;
    EXPECT_EQ(parse_view("top"), (Vec3{0, 0, 1}));
    EXPECT_THROW(parse_view("upside"), InputError);
    EXPECT_EQ(parse_colouring("layers").by, ColourBy::layers);
    EXPECT_EQ(parse_colouring("volume growth").metric, MetricId::volume_ratio);
    EXPECT_THROW(parse_colouring("zones"), InputError);
}

}  // namespace
}  // namespace anvilcast
