#include "tets/chunks.hpp"

#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <algorithm>
#include <atomic>
#include <set>

#include "kit/complexes.hpp"
#include "kit/shapes.hpp"

namespace anvilcast::tets {
namespace {

/// Delaunay tetrahedra of a filled unit cube, without ghosts. Every face in the plane x = 0 is tagged, and so are a few
/// inner ones.
TetComplex cube_of(std::size_t n_points) {
    std::vector<Vec3> points = kit::random_points(n_points, 5);
    for (const Vec3& corner : kit::box({0, 0, 0}, {1, 1, 1}).points) points.push_back(corner);
    TetComplex complex = kit::hull_of(points);
    Index tag = 0;
    for (Index t = 0; t < complex.n_slots(); ++t)
        for (int f = 0; f < 4; ++f)
            if (complex.tet(t).n[f] == kNone || (t % 97 == 0 && f == 1 && complex.tag(t, f) == kNone))
                complex.set_tag(t, f, tag++);
    return complex;
}

using Corners = std::array<Index, 4>;

std::set<Corners> cells_of(const TetComplex& complex) {
    std::set<Corners> all;
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        const Index* v = complex.tet(t).v;
        Corners c{v[0], v[1], v[2], v[3]};
        std::sort(c.begin(), c.end());
        all.insert(c);
    }
    return all;
}

/// Three corners and the tag.
std::set<Corners> tagged_faces_of(const TetComplex& complex) {
    std::set<Corners> all;
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        for (int f = 0; f < 4; ++f) {
            if (complex.tag(t, f) == kNone) continue;
            const Index* v = complex.tet(t).v;
            Corners c{v[kFace[f][0]], v[kFace[f][1]], v[kFace[f][2]], complex.tag(t, f)};
            std::sort(c.begin(), c.begin() + 3);
            all.insert(c);
        }
    }
    return all;
}

double total_volume(const TetComplex& complex) {
    double sum = 0;
    for (Index t = 0; t < complex.n_slots(); ++t)
        if (!complex.is_free(t)) sum += complex.volume(t);
    return sum;
}

/// A point in the middle of every third cell, where its cavity allows.
void add_points(TetComplex& chunk) {
    TetComplex::Cavity cavity;
    const auto n = static_cast<Index>(chunk.n_slots());
    for (Index t = 0; t < n; t += 3) {
        if (chunk.is_free(t)) continue;
        Vec3 middle;
        for (const Index v : chunk.tet(t).v) middle += chunk.point(v) / 4.0;
        if (chunk.find_cavity(middle, t, cavity)) chunk.fill_cavity(cavity, chunk.add_point(middle));
    }
}

TEST(Chunks, GiveBackWhatWasNotTouched) {
    const TetComplex given = cube_of(3000);
    for (const double cut : {0.5, 0.37}) {
        TetComplex complex = given;
        std::atomic<int> n_chunks = 0;
        work_in_chunks(complex, 1500, cut, [&](TetComplex& chunk) {
            EXPECT_LE(chunk.n_slots(), 1500U);
            EXPECT_NO_THROW(chunk.check());
            ++n_chunks;
        });
        EXPECT_GT(n_chunks, 10);
        EXPECT_NO_THROW(complex.check());
        EXPECT_EQ(complex.points(), given.points());
        EXPECT_EQ(cells_of(complex), cells_of(given));
        EXPECT_EQ(tagged_faces_of(complex), tagged_faces_of(given));
    }
}

TEST(Chunks, KeepVolumeTagsAndInvariantsThroughChanges) {
    const TetComplex given = cube_of(3000);
    std::vector<std::set<Corners>> results;
    for (const int threads : {1, 2, 7}) {
        const tbb::global_control control(tbb::global_control::max_allowed_parallelism,
                                          static_cast<std::size_t>(threads));
        TetComplex complex = given;
        for (const double cut : {0.5, 0.41}) work_in_chunks(complex, 1500, cut, add_points);
        EXPECT_GT(complex.points().size(), given.points().size() + 1000);
        EXPECT_NO_THROW(complex.check());
        EXPECT_NEAR(total_volume(complex), 1, 1e-12);
        EXPECT_EQ(tagged_faces_of(complex), tagged_faces_of(given));
        EXPECT_TRUE(std::equal(given.points().begin(), given.points().end(), complex.points().begin()));
        results.push_back(cells_of(complex));
    }
    EXPECT_EQ(results[0], results[1]);
    EXPECT_EQ(results[0], results[2]);
}

}  // namespace
}  // namespace anvilcast::tets
