#include "planar/untangle.hpp"

#include <anvilcast/predicates.hpp>

#include <algorithm>
#include <cmath>

#include "planar/vec2.hpp"

namespace anvilcast::planar {
namespace {

constexpr int kMostSweeps = 400;
/// Of the mean area of a cell, and of the worst fold: below, an area counts as hardly any.
constexpr double kSoft = 0.03, kSoftOfFold = 0.3;
/// Steps of a point, in its shortest edges.
constexpr double kFirstStep = 0.25, kLeastStep = 1e-4;
constexpr double kDiagonal = 0.7071067811865476;
constexpr std::array<Vec2, 8> kWays{{{1, 0},
                                     {kDiagonal, kDiagonal},
                                     {0, 1},
                                     {-kDiagonal, kDiagonal},
                                     {-1, 0},
                                     {-kDiagonal, -kDiagonal},
                                     {0, -1},
                                     {kDiagonal, -kDiagonal}}};

class Untangler {
  public:
    Untangler(const std::vector<Vec2>& rim, Quadrangles& mesh) : mesh_(mesh), points_(rim), n_rim_(rim.size()) {
        points_.insert(points_.end(), mesh.inner.begin(), mesh.inner.end());
        cells_of_.resize(points_.size());
        for (Index c = 0; c < mesh.cells.size(); ++c)
            for (const Index p : mesh.cells[c]) cells_of_[p].push_back(c);
        double twice = 0;
        for (std::size_t k = 0; k < rim.size(); ++k) twice += cross(rim[k], rim[(k + 1) % rim.size()]);
        mean_area_ = 0.5 * twice / static_cast<double>(mesh.cells.size());
    }

    bool run() {
        step_.resize(points_.size());
        for (std::size_t p = n_rim_; p < points_.size(); ++p) step_[p] = kFirstStep * std::sqrt(mean_area_);
        std::vector<char> is_active(points_.size(), 0);
        for (int sweep = 0; sweep < kMostSweeps; ++sweep) {
            const double worst = note_folds(is_active);
            if (worst > 0) break;
            soft_ = kSoft * mean_area_ + kSoftOfFold * -worst;
            for (std::size_t p = n_rim_; p < points_.size(); ++p) {
                if (is_active[p] == 0) continue;
                is_active[p] = 0;
                if (!move(p)) continue;
                for (const Index c : cells_of_[p])
                    for (const Index q : mesh_.cells[c]) is_active[q] = 1;
            }
        }
        std::copy(points_.begin() + static_cast<std::ptrdiff_t>(n_rim_), points_.end(), mesh_.inner.begin());
        return is_unfolded();
    }

  private:
    std::array<Vec2, 4> corners(Index c, std::size_t moved, const Vec2& place) const {
        std::array<Vec2, 4> out;
        for (std::size_t k = 0; k < 4; ++k) {
            const Index p = mesh_.cells[c][k];
            out[k] = p == moved ? place : points_[p];
        }
        return out;
    }

    /// The smallest area at a corner; points of cells that fold are to be moved.
    double note_folds(std::vector<char>& is_active) const {
        double worst = Box::inf;
        for (Index c = 0; c < mesh_.cells.size(); ++c) {
            const auto p = corners(c, kNone, {});
            double least = Box::inf;
            for (std::size_t k = 0; k < 4; ++k)
                least = std::min(least, cross(p[(k + 1) % 4] - p[k], p[(k + 3) % 4] - p[k]));
            worst = std::min(worst, least);
            if (least <= 0)
                for (const Index q : mesh_.cells[c]) is_active[q] = 1;
        }
        return worst;
    }

    /// How far the corners of the cells at a point are from square; large, but finite, for those that fold.
    double cost(std::size_t v, const Vec2& place) const {
        double sum = 0;
        for (const Index c : cells_of_[v]) {
            const auto p = corners(c, v, place);
            for (std::size_t k = 0; k < 4; ++k) {
                const Vec2 u = p[(k + 1) % 4] - p[k], w = p[(k + 3) % 4] - p[k];
                const double area = cross(u, w);
                const double h = 0.5 * (area + std::sqrt(area * area + 4 * soft_ * soft_));
                sum += (length_squared(u) + length_squared(w)) / h;
            }
        }
        return sum;
    }

    bool move(std::size_t v) {
        double best = cost(v, points_[v]);
        Vec2 place = points_[v];
        for (const Vec2& way : kWays) {
            const Vec2 p = points_[v] + way * step_[v];
            if (const double there = cost(v, p); there < best * (1 - 1e-9)) {
                best = there;
                place = p;
            }
        }
        if (place == points_[v]) {
            step_[v] = std::max(0.5 * step_[v], kLeastStep * std::sqrt(mean_area_));
            return step_[v] > kLeastStep * std::sqrt(mean_area_);
        }
        points_[v] = place;
        step_[v] *= 1.3;
        return true;
    }

    bool is_unfolded() const {
        for (const auto& c : mesh_.cells)
            for (std::size_t k = 0; k < 4; ++k)
                if (orient2d(points_[c[(k + 3) % 4]], points_[c[k]], points_[c[(k + 1) % 4]]) <= 0) return false;
        return true;
    }

    Quadrangles& mesh_;
    std::vector<Vec2> points_;
    std::size_t n_rim_;
    std::vector<std::vector<Index>> cells_of_;
    std::vector<double> step_;
    double mean_area_ = 0, soft_ = 0;
};

}  // namespace

bool untangle(const std::vector<Vec2>& rim, Quadrangles& mesh) { return Untangler(rim, mesh).run(); }

}  // namespace anvilcast::planar
