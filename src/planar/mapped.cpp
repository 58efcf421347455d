// Four-sided areas divided like a chessboard.
//
// Interpolation between the sides is right at once where they are nearly straight, and keeps their spacing; where they
// are not, it may run over the outline. The inverse of a map onto a square whose coordinates are harmonic cannot fold,
// so its equations, in the plane, are what the points are moved by; control functions taken from the sides keep the
// spacing near them. They are tried with full control, with half of it, and with none: the first without a fold is it.

#include "planar/mapped.hpp"

#include <anvilcast/predicates.hpp>

#include <algorithm>
#include <cmath>

#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

constexpr int kMostSweeps = 400;
/// Of the shorter spacing: a sweep that moves all points by less is the last one.
constexpr double kSettled = 1e-4;

/// Shares of a side's length, 0 to 1.
std::vector<double> shares_of(const std::vector<Vec2>& side) {
    std::vector<double> out{0};
    for (std::size_t k = 1; k < side.size(); ++k) out.push_back(out.back() + distance(side[k - 1], side[k]));
    for (double& s : out) s /= out.back() > 0 ? out.back() : 1;
    return out;
}

/// Gordon's and Hall's interpolation with the sides' own spacing blended between opposite ones.
Grid interpolated(const std::vector<Vec2>& south, const std::vector<Vec2>& east, const std::vector<Vec2>& north,
                  const std::vector<Vec2>& west) {
    Grid g{south.size(), west.size(), {}};
    g.points.resize(g.n_columns * g.n_rows);
    const auto s = shares_of(south), n = shares_of(north), w = shares_of(west), e = shares_of(east);
    for (std::size_t j = 0; j < g.n_rows; ++j)
        for (std::size_t i = 0; i < g.n_columns; ++i) {
            // Where the lines between equal numbers of opposite sides meet in the unit square.
            const double p = s[i], dp = n[i] - s[i], q = w[j], dq = e[j] - w[j];
            const double u = (p + q * dp) / (1 - dp * dq), v = q + u * dq;
            g.at(i, j) = south[i] * (1 - v) + north[i] * v + west[j] * (1 - u) + east[j] * u -
                         (south.front() * ((1 - u) * (1 - v)) + south.back() * (u * (1 - v)) +
                          north.front() * ((1 - u) * v) + north.back() * (u * v));
        }
    for (std::size_t i = 0; i < g.n_columns; ++i) {
        g.at(i, 0) = south[i];
        g.at(i, g.n_rows - 1) = north[i];
    }
    for (std::size_t j = 0; j < g.n_rows; ++j) {
        g.at(0, j) = west[j];
        g.at(g.n_columns - 1, j) = east[j];
    }
    return g;
}

/// Control along one line of points of a side: - (r' . r'') / (r' . r').
double control(const Vec2& before, const Vec2& here, const Vec2& after) {
    const Vec2 first = (after - before) * 0.5, second = after - here * 2 + before;
    const double l = length_squared(first);
    return l > 0 ? std::clamp(-dot(first, second) / l, -1.0, 1.0) : 0;
}

/// Sweeps over a grid that a coarser one has already settled, and how many points a side that one may have at most.
constexpr int kSweepsOfFine = 12;
constexpr std::size_t kCoarse = 48;

/// Relaxes the inverse Laplace equations; `share` of the sides' control.
Grid settled(Grid g, double share, int most_sweeps) {
    const std::size_t nx = g.n_columns, ny = g.n_rows;
    if (nx < 3 || ny < 3) return g;
    std::vector<double> south(nx, 0), north(nx, 0), west(ny, 0), east(ny, 0);
    for (std::size_t i = 1; i + 1 < nx; ++i) {
        south[i] = share * control(g.at(i - 1, 0), g.at(i, 0), g.at(i + 1, 0));
        north[i] = share * control(g.at(i - 1, ny - 1), g.at(i, ny - 1), g.at(i + 1, ny - 1));
    }
    for (std::size_t j = 1; j + 1 < ny; ++j) {
        west[j] = share * control(g.at(0, j - 1), g.at(0, j), g.at(0, j + 1));
        east[j] = share * control(g.at(nx - 1, j - 1), g.at(nx - 1, j), g.at(nx - 1, j + 1));
    }
    for (int sweep = 0; sweep < most_sweeps; ++sweep) {
        double most = 0;
        for (std::size_t j = 1; j + 1 < ny; ++j)
            for (std::size_t i = 1; i + 1 < nx; ++i) {
                const double v = static_cast<double>(j) / static_cast<double>(ny - 1),
                             u = static_cast<double>(i) / static_cast<double>(nx - 1);
                const double phi = south[i] * (1 - v) + north[i] * v, psi = west[j] * (1 - u) + east[j] * u;
                const Vec2 &l = g.at(i - 1, j), &r = g.at(i + 1, j), &d = g.at(i, j - 1), &t = g.at(i, j + 1);
                const Vec2 across = (r - l) * 0.5, up = (t - d) * 0.5;
                const double a = length_squared(up), b = dot(across, up), c = length_squared(across);
                if (!(a + c > 0)) continue;
                const Vec2 mixed =
                    (g.at(i + 1, j + 1) - g.at(i - 1, j + 1) - g.at(i + 1, j - 1) + g.at(i - 1, j - 1)) * 0.25;
                const Vec2 place =
                    ((l + r + across * phi) * a + (t + d + up * psi) * c - mixed * (2 * b)) / (2 * (a + c));
                most = std::max(most, distance_squared(place, g.at(i, j)) / std::min(a > 0 ? a : c, c > 0 ? c : a));
                g.at(i, j) = place;
            }
        if (most < kSettled * kSettled) break;
    }
    return g;
}

/// Every other point, the last one always.
std::vector<std::size_t> every_other(std::size_t n) {
    std::vector<std::size_t> out;
    for (std::size_t k = 0; k + 1 < n; k += 2) out.push_back(k);
    out.push_back(n - 1);
    return out;
}

/// Where a number lies among those that were kept: after which one, and how far towards the next.
std::vector<std::pair<std::size_t, double>> places_among(const std::vector<std::size_t>& kept, std::size_t n) {
    std::vector<std::pair<std::size_t, double>> out;
    for (std::size_t k = 0, at = 0; k < n; ++k) {
        while (at + 2 < kept.size() && kept[at + 1] <= k) ++at;
        out.emplace_back(at, static_cast<double>(k - kept[at]) / static_cast<double>(kept[at + 1] - kept[at]));
    }
    return out;
}

/// What a grid of every other point settles to tells where the points of this one go, but for a few sweeps: errors that
/// are long waves here are short ones on some coarser grid.
Grid relaxed(const Grid& g, double share) {
    if (std::min(g.n_columns, g.n_rows) < 5 || std::max(g.n_columns, g.n_rows) <= kCoarse)
        return settled(g, share, kMostSweeps);
    const auto columns = every_other(g.n_columns), rows = every_other(g.n_rows);
    Grid coarse{columns.size(), rows.size(), {}};
    for (const std::size_t j : rows)
        for (const std::size_t i : columns) coarse.points.push_back(g.at(i, j));
    const Grid moved = relaxed(coarse, share);
    const auto in_columns = places_among(columns, g.n_columns), in_rows = places_among(rows, g.n_rows);
    Grid out = g;
    auto shift = [&](std::size_t i, std::size_t j) { return moved.at(i, j) - coarse.at(i, j); };
    for (std::size_t j = 1; j + 1 < g.n_rows; ++j)
        for (std::size_t i = 1; i + 1 < g.n_columns; ++i) {
            const auto [a, u] = in_columns[i];
            const auto [b, v] = in_rows[j];
            out.at(i, j) = g.at(i, j) + (shift(a, b) * (1 - u) + shift(a + 1, b) * u) * (1 - v) +
                           (shift(a, b + 1) * (1 - u) + shift(a + 1, b + 1) * u) * v;
        }
    return settled(std::move(out), share, kSweepsOfFine);
}

/// The largest turn of a corner from a right angle, as a cosine; 1 for a folded cell.
double worst_corner(const Grid& g) {
    double worst = 0;
    for (std::size_t j = 0; j + 1 < g.n_rows; ++j)
        for (std::size_t i = 0; i + 1 < g.n_columns; ++i) {
            const std::array<Vec2, 4> c{g.at(i, j), g.at(i + 1, j), g.at(i + 1, j + 1), g.at(i, j + 1)};
            for (std::size_t k = 0; k < 4; ++k) {
                if (orient2d(c[(k + 3) % 4], c[k], c[(k + 1) % 4]) <= 0) return 1;
                worst = std::max(worst,
                                 std::abs(dot(normalized(c[(k + 1) % 4] - c[k]), normalized(c[(k + 3) % 4] - c[k]))));
            }
        }
    return worst;
}

}  // namespace

std::size_t n_folded(const Grid& g) {
    std::size_t n = 0;
    for (std::size_t j = 0; j + 1 < g.n_rows; ++j)
        for (std::size_t i = 0; i + 1 < g.n_columns; ++i) {
            const std::array<Vec2, 4> c{g.at(i, j), g.at(i + 1, j), g.at(i + 1, j + 1), g.at(i, j + 1)};
            bool is_good = true;
            for (std::size_t k = 0; k < 4; ++k) is_good &= orient2d(c[(k + 3) % 4], c[k], c[(k + 1) % 4]) > 0;
            n += is_good ? 0U : 1U;
        }
    return n;
}

Grid mapped_grid(const std::vector<Vec2>& south, const std::vector<Vec2>& east, const std::vector<Vec2>& north,
                 const std::vector<Vec2>& west) {
    const Grid first = interpolated(south, east, north, west);
    // A corner that is off by less than that need not be made better.
    constexpr double kSquare = 0.05;
    Grid best = first;
    double worst = worst_corner(first);
    for (const double share : {1.0, 0.5, 0.0}) {
        if (worst < kSquare) break;
        Grid g = relaxed(first, share);
        if (const double own = worst_corner(g); own < worst) {
            worst = own;
            best = std::move(g);
        }
        if (worst < 1) break;
    }
    return best;
}

}  // namespace anvilcast::planar
