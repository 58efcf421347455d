// The predicates against exact arithmetic: integers of 128 bits where they suffice, GMP elsewhere.

#include <gmpxx.h>
#include <gtest/gtest.h>
#include <anvilcast/predicates.hpp>

#include <cmath>
#include <random>

namespace anvilcast {
namespace {

using namespace predicate_rungs;
__extension__ using Wide = __int128;
using Random = std::mt19937_64;

struct IntPoint {
    std::int64_t x, y, z;
    Vec3 scaled(double s) const {
        return {static_cast<double>(x) * s, static_cast<double>(y) * s, static_cast<double>(z) * s};
    }
};

template <typename T>
int sign_of(const T& v) {
    return v > 0 ? 1 : v < 0 ? -1 : 0;
}

/// Determinants over any exact number type, written independently of the library's formulas.
template <typename T>
T det3(const T (&m)[3][3]) {
    return m[0][0] * (m[1][1] * m[2][2] - m[1][2] * m[2][1]) - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0]) +
           m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
}

template <typename T>
T orient_det(const T (&p)[4][3]) {
    T m[3][3];
    for (int i = 0; i < 3; ++i)
        for (int k = 0; k < 3; ++k) m[i][k] = p[i + 1][k] - p[0][k];
    return det3(m);
}

/// In-sphere value, positive inside for a positive tetrahedron; lifts[i] is added to the height of point i.
template <typename T>
T sphere_det(const T (&p)[5][3], const T (&lifts)[5]) {
    T r[4][4];
    for (int i = 0; i < 4; ++i) {
        T here = lifts[i], last = lifts[4];
        for (int k = 0; k < 3; ++k) {
            r[i][k] = p[i][k] - p[4][k];
            here += r[i][k] * r[i][k];
        }
        r[i][3] = here - last;
    }
    T sum = 0;
    for (int i = 0; i < 4; ++i) {
        T m[3][3];
        for (int j = 0, row = 0; j < 4; ++j) {
            if (j == i) continue;
            for (int k = 0; k < 3; ++k) m[row][k] = r[j][k];
            ++row;
        }
        // Expansion along the lifted column; the sign makes "inside" positive.
        const T term = r[i][3] * det3(m);
        sum += i % 2 == 0 ? term : -term;
    }
    return sum;
}

template <typename T, typename Convert>
int exact_orient3d(const Vec3* p, Convert convert) {
    T q[4][3];
    for (int i = 0; i < 4; ++i)
        for (int k = 0; k < 3; ++k) q[i][k] = convert(p[i][k]);
    return sign_of(orient_det(q));
}

template <typename T, typename Convert>
int exact_insphere(const Vec3* p, Convert convert) {
    T q[5][3], lifts[5];
    for (int i = 0; i < 5; ++i) {
        lifts[i] = 0;
        for (int k = 0; k < 3; ++k) q[i][k] = convert(p[i][k]);
    }
    return sign_of(sphere_det(q, lifts));
}

/// Doubles as integers over a common power of two.
mpz_class as_integer(double value) {
    mpz_class out;
    mpf_class scaled(value, 64);
    mpf_mul_2exp(scaled.get_mpf_t(), scaled.get_mpf_t(), 220);
    mpz_set_f(out.get_mpz_t(), scaled.get_mpf_t());
    return out;
}

constexpr double kScales[] = {0x1p-40, 0x1p-20, 1.0, 0x1p20, 0x1p40};

TEST(Predicates, AgreeWithIntegersOnLattices) {
    Random random(1);
    std::size_t zeros = 0;
    for (int i = 0; i < 1'500'000; ++i) {
        // Small lattices are full of exact degeneracies, large ones of near ones.
        const std::int64_t size = i % 3 == 0 ? 3 : i % 3 == 1 ? 20 : 1 << 18;
        IntPoint q[5];
        Wide w[5][3], lifts[5] = {};
        const double scale = kScales[i % 5];
        Vec3 p[5];
        for (int k = 0; k < 5; ++k) {
            q[k] = {static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(size)),
                    static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(size)),
                    static_cast<std::int64_t>(random() % static_cast<std::uint64_t>(size))};
            w[k][0] = q[k].x, w[k][1] = q[k].y, w[k][2] = q[k].z;
            p[k] = q[k].scaled(scale);
        }
        Wide first[4][3];
        std::copy(&w[0][0], &w[0][0] + 12, &first[0][0]);
        const int orient = sign_of(orient_det(first)), in = sign_of(sphere_det(w, lifts));
        zeros += orient == 0 || in == 0;
        ASSERT_EQ(orient3d(p[0], p[1], p[2], p[3]), orient) << "case " << i;
        ASSERT_EQ(insphere(p[0], p[1], p[2], p[3], p[4]), in) << "case " << i;
        const Wide turn = (w[1][0] - w[0][0]) * (w[2][1] - w[0][1]) - (w[1][1] - w[0][1]) * (w[2][0] - w[0][0]);
        ASSERT_EQ(orient2d({p[0].x, p[0].y}, {p[1].x, p[1].y}, {p[2].x, p[2].y}), sign_of(turn)) << "case " << i;
    }
    EXPECT_GT(zeros, 100'000U);  // the degenerate cases were really there
}

/// Points that are exactly in a plane, circle or sphere but for a few units in the last place.
Vec3 nudged(Vec3 p, Random& random) {
    for (int k = 0; k < 3; ++k)
        for (std::uint64_t n = random() % 3; n > 0; --n)
            p[k] = std::nextafter(p[k], random() % 2 == 0 ? 1e300 : -1e300);
    return p;
}

TEST(Predicates, AgreeWithRationalsWhenNearlyDegenerate) {
    Random random(2);
    std::uniform_real_distribution<double> unit(-1, 1);
    std::size_t undecided = 0;
    for (int i = 0; i < 250'000; ++i) {
        const double scale = std::pow(10.0, -12 + 24 * (i % 25) / 24.0);
        auto on_sphere = [&] { return normalized(Vec3{unit(random), unit(random), unit(random)}) * scale; };
        Vec3 p[5] = {on_sphere(), on_sphere(), on_sphere(), on_sphere(), on_sphere()};
        ASSERT_EQ(insphere(p[0], p[1], p[2], p[3], p[4]), exact_insphere<mpz_class>(p, as_integer)) << "case " << i;
        const double s = unit(random), t = unit(random);
        p[3] = nudged(p[0] + (p[1] - p[0]) * s + (p[2] - p[0]) * t, random);
        undecided += orient3d_filter(p[0], p[1], p[2], p[3]) == kUndecided;
        ASSERT_EQ(orient3d(p[0], p[1], p[2], p[3]), exact_orient3d<mpz_class>(p, as_integer)) << "case " << i;
    }
    EXPECT_GT(undecided, 50'000U);  // the exact rung was really needed
}

TEST(Predicates, PlanarOnesAgreeWithRationals) {
    Random random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    for (int i = 0; i < 200'000; ++i) {
        const double scale = std::pow(10.0, -12 + 24 * (i % 25) / 24.0);
        auto on_circle = [&] {
            const Vec3 v = normalized(Vec3{unit(random), unit(random), 0}) * scale;
            return Vec2{v.x, v.y};
        };
        const Vec2 a = on_circle(), b = on_circle(), c = on_circle(), d = on_circle();
        const mpz_class ax = as_integer(a.x) - as_integer(d.x), ay = as_integer(a.y) - as_integer(d.y),
                        bx = as_integer(b.x) - as_integer(d.x), by = as_integer(b.y) - as_integer(d.y),
                        cx = as_integer(c.x) - as_integer(d.x), cy = as_integer(c.y) - as_integer(d.y);
        const mpz_class m[3][3] = {
            {ax, ay, ax * ax + ay * ay}, {bx, by, bx * bx + by * by}, {cx, cy, cx * cx + cy * cy}};
        ASSERT_EQ(incircle(a, b, c, d), sign_of(det3(m))) << "case " << i;
        const Vec2 e{0.25 * a.x + 0.75 * b.x, 0.25 * a.y + 0.75 * b.y};
        const mpz_class turn = (as_integer(b.x) - as_integer(a.x)) * (as_integer(e.y) - as_integer(a.y)) -
                               (as_integer(b.y) - as_integer(a.y)) * (as_integer(e.x) - as_integer(a.x));
        ASSERT_EQ(orient2d(a, b, e), sign_of(turn)) << "case " << i;
    }
}

TEST(Predicates, EveryRungDecidesWhatItShould) {
    const Vec3 o{0, 0, 0}, x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1};
    EXPECT_EQ(orient3d_filter(o, x, y, z), 1);
    EXPECT_EQ(orient3d_filter(o, x, y, {0.3, 0.3, 0}), kUndecided);
    EXPECT_EQ(orient3d(o, x, y, {0.3, 0.3, 0}), 0);
    EXPECT_EQ(orient3d({0.1, 0.1, 0.1}, {0.2, 0.3, 0.4}, {0.7, 0.2, 0.1}, {0.2, 0.3, std::nextafter(0.4, 1.0)}),
              -orient3d({0.1, 0.1, 0.1}, {0.2, 0.3, 0.4}, {0.7, 0.2, 0.1}, {0.2, 0.3, std::nextafter(0.4, 0.0)}));
    EXPECT_EQ(insphere_filter(o, x, y, z, {0.3, 0.3, 0.3}), 1);
    EXPECT_EQ(insphere(o, x, y, z, {1, 1, 1}), 0);
    EXPECT_EQ(insphere_brick(o, x, y, z, {1, 1, 1}), 0);
    EXPECT_EQ(insphere_brick(o, x, y, z, {1, 2, 1}), kUndecided);
    EXPECT_EQ(insphere_unrounded(o, x, y, z, {1, 1, 1}), 0);
    EXPECT_EQ(insphere_unrounded(o, x, y, z, {1, 1, std::nextafter(1.0, 0.0)}), kUndecided);
    EXPECT_EQ(insphere_two_double(o, x, y, z, {1, 1, 1}), kUndecided);
    EXPECT_EQ(insphere_two_double(o, x, y, z, {1, 1, std::nextafter(1.0, 0.0)}), 1);
    EXPECT_EQ(insphere(o, x, y, z, {1, 1, std::nextafter(1.0, 0.0)}), 1);
    EXPECT_EQ(insphere(o, x, y, z, {1, 1, std::nextafter(1.0, 2.0)}), -1);
}

/// Lattices with steps that doubles have or have not, and cospherical points nudged: whatever a rung says is true, and
/// each of them is of use.
TEST(Predicates, CheapRungsOfInsphereNeverErr) {
    Random random(7);
    std::array<std::size_t, 3> decided{};
    for (int i = 0; i < 300'000; ++i) {
        const double step = std::array{0.1, 1.0, 1 / 3.0, 0x1p-30, 1e9 / 7}[static_cast<std::size_t>(i % 5)];
        const auto side = static_cast<std::uint64_t>(i % 2 == 0 ? 2 : 6);
        auto coordinate = [&] {
            return static_cast<double>(random() % side) * step + (i % 3 == 0 || i % 7 == 0 ? 0.7 * step : 0);
        };
        Vec3 p[5];
        for (Vec3& q : p) q = {coordinate(), coordinate(), coordinate()};
        if (i % 7 == 0) p[i % 4] = nudged(p[i % 4], random);
        const int truth = exact_insphere<mpz_class>(p, as_integer);
        const std::array says{insphere_brick(p[0], p[1], p[2], p[3], p[4]),
                              insphere_unrounded(p[0], p[1], p[2], p[3], p[4]),
                              insphere_two_double(p[0], p[1], p[2], p[3], p[4])};
        for (std::size_t k = 0; k < says.size(); ++k) {
            ASSERT_TRUE(says[k] == truth || says[k] == kUndecided) << "case " << i << ", rung " << k;
            decided[k] += says[k] != kUndecided;
        }
        ASSERT_EQ(insphere(p[0], p[1], p[2], p[3], p[4]), truth) << "case " << i;
    }
    for (const std::size_t n : decided) EXPECT_GT(n, 50'000U);
}

TEST(Predicates, SwappingTwoPointsFlipsTheSign) {
    Random random(4);
    for (int i = 0; i < 100'000; ++i) {
        Vec3 p[5];
        for (Vec3& q : p)
            q = {static_cast<double>(random() % 7) * 0.1, static_cast<double>(random() % 7) * 0.1,
                 static_cast<double>(random() % 7) * 0.1};
        ASSERT_EQ(orient3d(p[0], p[1], p[2], p[3]), -orient3d(p[1], p[0], p[2], p[3]));
        ASSERT_EQ(orient3d(p[0], p[1], p[2], p[3]), -orient3d(p[0], p[1], p[3], p[2]));
        ASSERT_EQ(insphere(p[0], p[1], p[2], p[3], p[4]), -insphere(p[0], p[2], p[1], p[3], p[4]));
        ASSERT_EQ(insphere(p[0], p[1], p[2], p[3], p[4]), -insphere(p[0], p[1], p[2], p[4], p[3]));
    }
}

TEST(Predicates, TiesAreThoseOfRealSmallLifts) {
    Random random(5);
    std::size_t ties = 0;
    for (int i = 0; i < 20'000; ++i) {
        mpz_class q[5][3], lifts[5];
        Vec3 p[5];
        std::array<Index, 5> numbers{0, 1, 2, 3, 4};
        std::shuffle(numbers.begin(), numbers.end(), random);
        bool spans_space = false;
        for (int k = 0; k < 5; ++k) {
            p[k] = {static_cast<double>(random() % 3), static_cast<double>(random() % 3),
                    static_cast<double>(random() % 3)};
            for (int c = 0; c < 3; ++c) {
                q[k][c] = static_cast<long>(p[k][c]);
                q[k][c] <<= 700;
            }
            // Integers of 700 bits make room below: lifts of 2^(100 * number), each dwarfing those below it.
            lifts[k] = mpz_class(1) << (100 * numbers[static_cast<std::size_t>(k)]);
        }
        for (int k = 0; k < 5 && !spans_space; ++k) {
            Vec3 f[4];
            for (int j = 0, n = 0; j < 5; ++j)
                if (j != k) f[n++] = p[j];
            spans_space = orient3d(f[0], f[1], f[2], f[3]) != 0;
        }
        if (!spans_space) continue;
        ties += insphere(p[0], p[1], p[2], p[3], p[4]) == 0;
        ASSERT_EQ(insphere_tie(p[0], p[1], p[2], p[3], p[4], numbers), sign_of(sphere_det(q, lifts))) << "case " << i;
    }
    EXPECT_GT(ties, 3000U);
}

TEST(Predicates, FiltersRarelyGiveUpOnOrdinaryPoints) {
    Random random(6);
    std::uniform_real_distribution<double> unit(0, 1);
    std::size_t orient_gave_up = 0, sphere_gave_up = 0;
    for (int i = 0; i < 200'000; ++i) {
        Vec3 p[5];
        for (Vec3& q : p) q = {unit(random), unit(random), unit(random)};
        orient_gave_up += orient3d_filter(p[0], p[1], p[2], p[3]) == kUndecided;
        sphere_gave_up += insphere_filter(p[0], p[1], p[2], p[3], p[4]) == kUndecided;
    }
    EXPECT_LE(orient_gave_up, 2U);
    EXPECT_LE(sphere_gave_up, 2U);
}

}  // namespace
}  // namespace anvilcast
