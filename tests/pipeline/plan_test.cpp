// What is predicted against what is built, on bodies of all kinds.

#include <gtest/gtest.h>
#include <anvilcast/fill.hpp>
#include <anvilcast/plan.hpp>
#include <anvilcast/weld.hpp>

#include "kit/scratch.hpp"
#include "kit/shapes.hpp"

namespace anvilcast {
namespace {

struct Body {
    const char* what;
    Surface surface;
    SizeOptions sizes;
};

TEST(Prediction, IsWithinFifteenPerCentOfTheMesh) {
    auto sized = [](double surface, double largest, double growth = 1.2) {
        return SizeOptions{surface, largest, growth};
    };
    const Surface ball = kit::sphere({0, 0, 0}, 1, 5);
    const Surface box = split_at_sharp_edges(kit::box({0, 0, 0}, {1, 2, 3}), 40);
    std::vector<Body> bodies{
        {"even ball", ball, sized(0.12, 0.12)},
        {"ball, coarser inside", ball, sized(0.08, 0.3)},
        {"even box", box, sized(0.13, 0.13)},
        {"box, growing fast", box, sized(0.1, 0.4, 1.35)},
        {"box, growing slowly", box, sized(0.12, 0.3, 1.1)},
        {"box with a fine ball", box, sized(0.16, 0.3)},
        {"cylinder by curvature", split_at_sharp_edges(kit::cylinder(0.5, 2, 200), 40), sized(0.3, 0.3)},
        {"torus", kit::torus(1, 0.35, 120, 48), sized(0.1, 0.1)},
        {"two balls nearly touching",
         joined({kit::box({-3, -3, -3}, {3.2, 3, 3}), kit::flipped(kit::sphere({-1.02, 0, 0}, 1, 4)),
                 kit::flipped(kit::sphere({1.02, 0, 0}, 1, 4))}),
         sized(0.5, 0.6)},
        {"slab by its gap", split_at_sharp_edges(kit::box({0, 0, 0}, {1, 1, 0.1}), 40), sized(0.2, 0.2)},
        {"plate with holes", kit::plate_with_holes(3, 0.5), sized(0.12, 0.2)},
    };
    bodies[5].sizes.refine = {{.name = "ball", .volume = BallVolume{{0.5, 1, 1}, 0.3}, .size = 0.04}};
    bodies[6].sizes.per_turn = 30;
    bodies[8].sizes.across_gaps = 2;
    bodies[9].sizes.across_gaps = 4;
    for (const Body& body : bodies) {
        const Domain domain = kit::inside_of(body.surface);
        const Sizing sizing = make_sizing(domain, body.sizes);
        const Prediction p = predict(domain, sizing.field);
        const SurfaceMesh surface = mesh_surface(domain, sizing.field);
        const VolumeMesh mesh = fill_with_tetrahedra(surface, with_finer_surface(sizing.field, surface.surface));
        const auto triangles = static_cast<double>(surface.surface.triangles.size());
        EXPECT_NEAR(p.cells / static_cast<double>(mesh.n_cells()), 1, 0.15) << body.what;
        EXPECT_NEAR(p.triangles / triangles, 1, 0.15) << body.what;
    }
}

class PlanTest : public kit::ScratchTest {
  protected:
    Case with(const std::string& more) const {
        std::string text = content(std::filesystem::path(ANVILCAST_DEMO) / "wind-hut" / "case.toml");
        for (const char* part : {"walls.stl", "roof.stl", "chimney.stl"})
            text.replace(text.find(part), 0, (std::filesystem::path(ANVILCAST_DEMO) / "wind-hut").string() + "/");
        text.erase(text.find("[[layers]]"), text.find("[limits]") - text.find("[[layers]]"));  // its own
        return parse_case(text + more, directory / "case.toml");
    }
};

TEST_F(PlanTest, TellsLayersBudgetAndWhoIsToBlame) {
    const Plan p =
        plan(with("\n[flow]\nspeed = 12\nlength = 6\n[[layers]]\non = [\"walls\", \"roof\"]\n"
                  "y_plus = 100\ngrowth = 1.2\nmeets_core = 0.8\n"));
    ASSERT_EQ(p.zones.size(), 9U);
    double layer_cells = 0;
    for (const ZonePlan& z : p.zones) {
        EXPECT_EQ(z.layers.has_value(), z.name == "walls" || z.name == "roof") << z.name;
        if (!z.layers) continue;
        EXPECT_NEAR(z.layers->step_to_core, 1 / 0.8, 1e-6);
        EXPECT_NEAR(z.layers->first, first_height(*p.wall, 100, YPlusAt::cell_center), 1e-12);
        layer_cells += z.triangles * z.layers->count;
    }
    EXPECT_NEAR(p.layer_cells, layer_cells, 1e-6 * layer_cells);
    EXPECT_TRUE(p.beyond.empty());

    std::string text = with("").text;
    text.replace(text.find("cells = 1_000_000"), 17, "cells = 60_000");
    const Case tight = parse_case(text, directory / "case.toml");
    const Plan over = plan(tight);
    ASSERT_EQ(over.beyond.size(), 1U);
    EXPECT_NE(over.beyond[0].find("\"on walls, roof\" makes "), std::string::npos) << over.beyond[0];
    EXPECT_NE(over.beyond[0].find("instead of 0.16 m"), std::string::npos) << over.beyond[0];
    // The same is refused before anything is meshed.
    EXPECT_NE(kit::message_of<FailureError>([&] { build(tight); }).find("nothing was meshed"), std::string::npos);
    // Layers that no stack fulfils are told with their line.
    EXPECT_NE(kit::message_of<InputError>([&] { plan(with("\n[[layers]]\ncount = 3\n")); }).find("add two of"),
              std::string::npos);
    EXPECT_NE(kit::message_of<InputError>([&] {
                  plan(with("\n[[layers]]\non = [\"keel\"]\nfirst_height = 1\ncount = 3\ngrowth = 1.2\n"));
              }).find("\"keel\" fits no zone"),
              std::string::npos);
}

}  // namespace
}  // namespace anvilcast
