// Boundary recovery from the inside.

#include "fill/recovery.hpp"

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>
#include <anvilcast/weld.hpp>

#include <random>

#include "kit/shapes.hpp"
#include "tets/kernel.hpp"
#include "tets/spatial_order.hpp"

namespace anvilcast::fill {
namespace {

double total_volume(const TetComplex& complex) {
    double sum = 0;
    for (Index t = 0; t < complex.n_slots(); ++t)
        if (!complex.is_free(t) && !complex.has_ghost(t)) sum += complex.volume(t);
    return sum;
}

/// A surface's triangles and the complex of its points in a large box, whose corners are sheared a little.
struct Start {
    TetComplex complex;
    SurfaceTriangles surface;
};

Start begun(const Surface& body) {
    std::vector<Vec3> points = body.points;
    for (const Vec3& corner : kit::box({-4, -4.1, -4.2}, {6, 6.3, 6.4}).points) points.push_back(corner);
    const std::vector<Index> order = insertion_order(points);
    const Kernel kernel(points, order, {});
    Start out{{kernel.points(), kernel.tets()}, {}};
    std::vector<Index> number(points.size());
    for (Index k = 0; k < order.size(); ++k) number[order[k]] = k + 1;
    for (Index t = 0; t < body.triangles.size(); ++t) {
        const Triangle& c = body.triangles[t];
        out.surface.triangles.push_back({number[c[0]], number[c[1]], number[c[2]]});
        out.surface.parent.push_back(t);
    }
    return out;
}

TEST(Recovery, BringsBackEveryTriangleAndKeepsTheComplexSound) {
    std::mt19937 random(8);
    std::uniform_real_distribution<double> unit(0.3, 1);
    for (int i = 0; i < 10; ++i) {
        Surface body = kit::sphere({0, 0, 0}, 1, 2);
        for (Vec3& p : body.points) p *= unit(random);
        auto [complex, surface] = begun(body);
        const double before = total_volume(complex);
        recover_boundary(complex, surface, {});
        complex.check();
        EXPECT_NEAR(total_volume(complex), before, 1e-9 * before);
        std::vector<double> area(body.triangles.size(), 0);
        for (Index t = 0; t < surface.triangles.size(); ++t) {
            const Triangle& c = surface.triangles[t];
            const auto code = complex.find_face(c[0], c[1], c[2]);
            ASSERT_TRUE(code);
            ASSERT_EQ(complex.tag(tet_of(*code), face_of(*code)), t);
            area[surface.parent[t]] += triangle_area(complex.point(c[0]), complex.point(c[1]), complex.point(c[2]));
        }
        for (Index t = 0; t < body.triangles.size(); ++t) {
            const double whole = triangle_area(body.corner(t, 0), body.corner(t, 1), body.corner(t, 2));
            ASSERT_NEAR(area[t], whole, 1e-12);
        }
    }
}

TEST(Recovery, TellsWhenTheSurfaceTouchesItself) {
    // A corner of the second box lies on an edge of the first.
    auto [complex, surface] = begun(joined({kit::box({0, 0, 0}, {1, 1, 1}), kit::box({1, 1, 0.5}, {2, 2, 2})}));
    try {
        recover_boundary(complex, surface, {});
        FAIL() << "nothing was thrown";
    } catch (const GeometryError& e) {
        EXPECT_NE(std::string(e.what()).find("[1, 1, 0.5]"), std::string::npos) << e.what();
    }
}

}  // namespace
}  // namespace anvilcast::fill
