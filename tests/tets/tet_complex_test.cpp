// The complex and its operations from the inside: every invariant is checked after each change.

#include "tets/tet_complex.hpp"

#include <gtest/gtest.h>
#include <anvilcast/errors.hpp>

#include <random>

#include "fill/optimise.hpp"
#include "kit/shapes.hpp"
#include "tets/edge_removal.hpp"
#include "tets/kernel.hpp"
#include "tets/spatial_order.hpp"

namespace anvilcast::tets {
namespace {

/// Delaunay tetrahedra with ghosts; vertex k + 1 is points[order[k]].
TetComplex delaunay_complex(const std::vector<Vec3>& points) {
    const Kernel kernel(points, insertion_order(points), {});
    return {kernel.points(), kernel.tets()};
}

double total_volume(const TetComplex& complex) {
    double sum = 0;
    for (Index t = 0; t < complex.n_slots(); ++t)
        if (!complex.is_free(t) && !complex.has_ghost(t)) sum += complex.volume(t);
    return sum;
}

std::vector<Vec3> filled_cube(std::size_t n, unsigned seed) {
    std::vector<Vec3> points = kit::random_points(n, seed);
    for (const Vec3& corner : kit::box({0, 0, 0}, {1, 1, 1}).points) points.push_back(corner);
    return points;
}

TEST(TetComplex, StarsRingsAndFacesAgree) {
    const TetComplex complex = delaunay_complex(filled_cube(300, 1));
    EXPECT_NO_THROW(complex.check());
    TetComplex::Ring ring;
    for (Index t = 0; t < complex.n_slots(); t += 7) {
        if (complex.is_free(t)) continue;
        const Tet& tet = complex.tet(t);
        for (const auto& e : kEdge) {
            const Index a = tet.v[e[0]], b = tet.v[e[1]];
            complex.edge_ring(t, a, b, ring);
            ASSERT_EQ(ring.tets.size(), ring.ring.size());
            const std::vector<Index> star = complex.star(a);
            std::size_t with_both = 0;
            for (const Index s : star) with_both += complex.tet(s).has(b) ? 1 : 0;
            ASSERT_EQ(with_both, ring.tets.size());
            for (std::size_t i = 0; i < ring.tets.size(); ++i) {
                ASSERT_TRUE(complex.tet(ring.tets[i]).has(ring.ring[i]));
                ASSERT_TRUE(complex.tet(ring.tets[i]).has(ring.ring[(i + 1) % ring.ring.size()]));
            }
        }
        const auto code = complex.find_face(tet.v[0], tet.v[1], tet.v[2]);
        ASSERT_TRUE(code);
        ASSERT_TRUE(tet_of(*code) == t || tet_of(complex.tet(tet_of(*code)).n[face_of(*code)]) == t);
    }
}

TEST(TetComplex, InsertionsKeepVolumeAndInvariants) {
    TetComplex complex = delaunay_complex(filled_cube(50, 2));
    TetComplex::Cavity cavity;
    std::size_t n = 0;
    for (const Vec3& p : kit::random_points(300, 3)) {
        Index start = 0;
        while (complex.is_free(start) || complex.has_ghost(start)) ++start;
        const auto t = complex.locate(p, start);
        ASSERT_TRUE(t);
        if (!complex.find_cavity(p, *t, cavity)) continue;
        const Index v = complex.add_point(p);
        complex.fill_cavity(cavity, v);
        ++n;
    }
    EXPECT_GT(n, 290U);
    EXPECT_NO_THROW(complex.check());
    EXPECT_NEAR(total_volume(complex), 1, 1e-12);
}

TEST(TetComplex, TaggedFacesAreNeverRemoved) {
    TetComplex complex = delaunay_complex(filled_cube(200, 4));
    std::mt19937 random(5);
    struct Face {
        Index a, b, c, tag;
    };
    std::vector<Face> tagged;
    for (int i = 0; i < 60; ++i) {
        const auto t = static_cast<Index>(random() % complex.n_slots());
        const int f = static_cast<int>(random() % 4);
        if (complex.is_free(t) || complex.has_ghost(t) || complex.tag(t, f) != kNone) continue;
        const Index* v = complex.tet(t).v;
        tagged.push_back({v[kFace[f][0]], v[kFace[f][1]], v[kFace[f][2]], static_cast<Index>(tagged.size())});
        complex.set_tag(t, f, tagged.back().tag);
    }
    TetComplex::Cavity cavity;
    for (const Vec3& p : kit::random_points(200, 6)) {
        Index start = 0;
        while (complex.is_free(start) || complex.has_ghost(start)) ++start;
        const auto t = complex.locate(p, start);
        if (!t || !complex.find_cavity(p, *t, cavity)) continue;
        const Index v = complex.add_point(p);
        complex.fill_cavity(cavity, v);
    }
    complex.check();
    for (const Face& f : tagged) {
        const auto code = complex.find_face(f.a, f.b, f.c);
        ASSERT_TRUE(code);
        EXPECT_EQ(complex.tag(tet_of(*code), face_of(*code)), f.tag);
    }
}

TEST(TetComplex, RefusesToPutInWhatDoesNotFit) {
    TetComplex complex = delaunay_complex(filled_cube(20, 7));
    Index t = 0;
    while (complex.has_ghost(t)) ++t;
    const Tet tet = complex.tet(t);
    const std::vector<Index> old{t};
    EXPECT_THROW(complex.replace(old, std::vector<Quad>{}), InternalError);
    TetComplex again = delaunay_complex(filled_cube(20, 7));
    const Quad same{tet.v[0], tet.v[1], tet.v[2], tet.v[3]};
    EXPECT_THROW(again.replace(old, std::vector<Quad>{same, same}), InternalError);
}

/// An edge with n points in a regular ring round it.
TEST(EdgeRemoval, FindsTheBestFillingOfARing) {
    for (int n = 3; n <= 8; ++n) {
        std::vector<Vec3> points{{0, 0, -0.3}, {0, 0, 0.3}};
        for (int i = 0; i < n; ++i)
            points.push_back({std::cos(2 * M_PI * i / n), std::sin(2 * M_PI * i / n), 0.001 * i});
        const TetComplex complex = delaunay_complex(points);
        // Find the vertices again: insertion reorders them.
        Index a = kNone, b = kNone;
        for (Index v = 1; v < complex.points().size(); ++v) {
            if (complex.point(v) == points[0]) a = v;
            if (complex.point(v) == points[1]) b = v;
        }
        const auto t = complex.find_edge(a, b);
        ASSERT_TRUE(t);
        TetComplex::Ring ring;
        complex.edge_ring(*t, a, b, ring);
        ASSERT_TRUE(ring.is_free);
        ASSERT_EQ(ring.ring.size(), static_cast<std::size_t>(n));
        auto quality = [&](const Quad& q) {
            return complex.orientation(q) > 0
                       ? fill::shape(complex.point(q[0]), complex.point(q[1]), complex.point(q[2]), complex.point(q[3]))
                       : 0.0;
        };
        const EdgeRemoval removal = best_edge_removal(ring, a, b, quality);
        EXPECT_GT(removal.quality, 0);
        EXPECT_EQ(removal.fresh.size(), 2 * static_cast<std::size_t>(n - 2));
        double worst = 1;
        for (const Quad& q : removal.fresh) worst = std::min(worst, quality(q));
        EXPECT_DOUBLE_EQ(worst, removal.quality);
        // Asking for better than the best there is gives nothing.
        EXPECT_EQ(best_edge_removal(ring, a, b, quality, removal.quality).quality, 0);
        TetComplex changed = complex;
        changed.replace(ring.tets, removal.fresh);
        EXPECT_NO_THROW(changed.check());
        EXPECT_FALSE(changed.find_edge(a, b));
        EXPECT_NEAR(total_volume(changed), total_volume(complex), 1e-14);
    }
}

TEST(Circumsphere, BoundsAreCertified) {
    // Points decided by the cached sphere must agree with the exact predicate, nearly flat tetrahedra included.
    std::mt19937 random(9);
    std::uniform_real_distribution<double> unit(-1, 1);
    std::size_t decided = 0, total = 0;
    for (int i = 0; i < 60'000; ++i) {
        const double flatness = std::pow(10.0, -(i % 14)), scale = std::pow(10.0, (i % 17) - 8);
        Vec3 p[5];
        for (Vec3& q : p) q = Vec3{unit(random), unit(random), unit(random) * flatness} * scale + Vec3{1, 2, 3} * scale;
        if (orient3d(p[0], p[1], p[2], p[3]) == 0) continue;
        if (orient3d(p[0], p[1], p[2], p[3]) < 0) std::swap(p[0], p[1]);
        const Sphere s = circumsphere(p[0], p[1], p[2], p[3]);
        // The fifth point is put close to the sphere half of the time.
        if (i % 2 == 0)
            p[4] = s.center + normalized(p[4] - s.center) * distance(p[0], s.center) * (1 + 1e-7 * unit(random));
        const double d = distance_squared(p[4], s.center);
        const int exact = insphere(p[0], p[1], p[2], p[3], p[4]);
        ++total;
        ASSERT_TRUE(!(d < s.inside_below) || exact > 0) << i;
        ASSERT_TRUE(!(d > s.outside_above) || exact < 0) << i;
        decided += d < s.inside_below || d > s.outside_above ? 1 : 0;
    }
    // Half of the points are too close for a float to tell, and half of the rest see tetrahedra too flat to certify.
    EXPECT_GT(decided, total / 10);
}

}  // namespace
}  // namespace anvilcast::tets
