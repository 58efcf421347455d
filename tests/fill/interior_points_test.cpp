#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "fill/lattice.hpp"
#include "kit/complexes.hpp"
#include "kit/shapes.hpp"
#include "tets/insertion.hpp"
#include "tets/spatial_order.hpp"

namespace anvilcast::fill {
namespace {

/// The tetrahedra of a unit cube's finely divided faces; outer faces are tagged, and so is a wall at x = 1/2 if asked
/// for.
TetComplex shell(int n, bool with_wall = false) {
    std::vector<Vec3> points;
    for (int i = 0; i <= n; ++i)
        for (int j = 0; j <= n; ++j)
            for (int k = 0; k <= n; ++k) {
                const bool is_outer = i % n == 0 || j % n == 0 || k % n == 0;
                if (is_outer || (with_wall && 2 * i == n)) points.push_back(Vec3{double(i), double(j), double(k)} / n);
            }
    TetComplex complex = kit::hull_of(points);
    Index tag = 0;
    for (Index t = 0; t < complex.n_slots(); ++t)
        for (int f = 0; f < 4; ++f) {
            const Index* v = complex.tet(t).v;
            const bool is_wall = with_wall && complex.point(v[kFace[f][0]]).x == 0.5 &&
                                 complex.point(v[kFace[f][1]]).x == 0.5 && complex.point(v[kFace[f][2]]).x == 0.5;
            if (complex.tet(t).n[f] == kNone || is_wall) complex.set_tag(t, f, tag++);
        }
    return complex;
}

SizeField even(double size) {
    SizeOptions options;
    options.surface = options.largest = size;
    return make_sizing(kit::inside_of(kit::box({0, 0, 0}, {1, 1, 1})), options).field;
}

std::vector<std::array<Index, 4>> tets_of(const TetComplex& complex) {
    std::vector<std::array<Index, 4>> all;
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        const Index* v = complex.tet(t).v;
        all.push_back({v[0], v[1], v[2], v[3]});
    }
    return all;
}

std::vector<Candidate> in_order(const std::vector<Candidate>& list) {
    std::vector<Vec3> places;
    for (const Candidate& c : list) places.push_back(c.place);
    std::vector<Candidate> sorted;
    for (const Index i : insertion_order(places, kDoublings)) sorted.push_back(list[i]);
    return sorted;
}

TEST(Lattice, IsPerfectWhereTheSizeIsEven) {
    const double size = 0.05;
    const TetComplex complex = shell(20);
    const std::vector<double> sizes(complex.points().size(), size);
    const auto places = lattice_places(complex, even(size), sizes, 1'000'000, {});
    // A cube of 1.1 sizes holds two points; those within three quarters of a size of the faces are left out.
    const double expected = 2 * std::pow(0.93 / (1.1 * size), 3);
    EXPECT_NEAR(static_cast<double>(places.size()), expected, 0.08 * expected);
    // In a lattice all places are whole steps from each other, even or odd along all axes; here and there a place was
    // found in a corner that the lattice left.
    std::size_t n_in_step = 0;
    for (const Candidate& c : places) {
        const Vec3 d = (c.place - places.front().place) * (2 / (1.1 * size));
        const Vec3 whole{std::round(d.x), std::round(d.y), std::round(d.z)};
        const bool is_even = std::lround(d.x - d.y) % 2 == 0 && std::lround(d.x - d.z) % 2 == 0;
        n_in_step += static_cast<std::size_t>(distance(d, whole) < 0.04 && is_even);
    }
    EXPECT_GT(n_in_step, places.size() * 97 / 100);
}

TEST(Lattice, KeepsItsDistanceAndStopsWhenToldTo) {
    const double size = 0.1;
    const TetComplex complex = shell(10, true);
    const std::vector<double> sizes(complex.points().size(), size);
    const auto places = lattice_places(complex, even(size), sizes, 1'000'000, {});
    for (std::size_t i = 0; i < places.size(); ++i) {
        for (std::size_t j = 0; j < i; ++j) EXPECT_GT(distance(places[i].place, places[j].place), 0.72 * size);
        for (Index v = 1; v < complex.points().size(); ++v)
            EXPECT_GT(distance(places[i].place, complex.point(v)), 0.72 * size);
    }
    // Both sides of the wall are reached.
    auto is_left = [](const Candidate& c) { return c.place.x < 0.5; };
    const auto n_left = std::count_if(places.begin(), places.end(), is_left);
    EXPECT_NEAR(static_cast<double>(n_left) / static_cast<double>(places.size()), 0.5, 0.15);
    EXPECT_LE(lattice_places(complex, even(size), sizes, 50, {}).size(), 58U);
}

TEST(Insertion, SideBySideIsTheSameOnAnyNumberOfThreads) {
    const double size = 0.025;
    const TetComplex start = shell(40);
    const std::vector<double> sizes(start.points().size(), size);
    const auto places = in_order(lattice_places(start, even(size), sizes, 1'000'000, {}));
    ASSERT_GT(places.size(), 80'000U);  // several blocks
    TetComplex reference = start;
    for (const std::size_t threads : {1U, 2U, 7U}) {
        const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
        TetComplex complex = start;
        const std::size_t n = insert_side_by_side(complex, places, {});
        complex.check();
        EXPECT_GT(n, places.size() * 98 / 100);  // a few are too near the faces
        double volume = 0;
        for (Index t = 0; t < complex.n_slots(); ++t) volume += complex.is_free(t) ? 0 : complex.volume(t);
        EXPECT_NEAR(volume, 1, 1e-12);
        if (threads == 1) reference = complex;
        EXPECT_EQ(tets_of(complex), tets_of(reference));
        EXPECT_TRUE(complex.points() == reference.points());
    }
}

/// What the cells' own spheres say: with no walls inside, a complex filled side by side is Delaunay like any other.
TEST(Insertion, SideBySideIsDelaunay) {
    const double size = 0.03;
    TetComplex complex = shell(33);
    const std::vector<double> sizes(complex.points().size(), size);
    insert_side_by_side(complex, in_order(lattice_places(complex, even(size), sizes, 1'000'000, {})), {});
    std::size_t n_bad = 0;
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        const Index* v = complex.tet(t).v;
        for (const Index code : complex.tet(t).n) {
            if (code == kNone) continue;
            const Vec3& p = complex.point(complex.tet(tet_of(code)).v[face_of(code)]);
            n_bad += static_cast<std::size_t>(
                insphere(complex.point(v[0]), complex.point(v[1]), complex.point(v[2]), complex.point(v[3]), p) > 0);
        }
    }
    EXPECT_EQ(n_bad, 0U);
}

}  // namespace
}  // namespace anvilcast::fill
