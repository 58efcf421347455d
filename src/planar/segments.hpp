// Segments in a grid, to look for those near a place.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

#include "planar/vec2.hpp"

namespace anvilcast::planar {

/// O(1) expected for what is as long as the segments are.
class SegmentGrid {
  public:
    struct Segment {
        Vec2 a, b;
    };

    explicit SegmentGrid(const std::vector<Segment>& all) : all_(all), stamp_(all.size(), 0) {
        if (all.empty()) return;
        lo_ = hi_ = all.front().a;
        double sum = 0;
        for (const Segment& s : all) {
            for (const Vec2& p : {s.a, s.b}) {
                lo_ = {std::min(lo_.x, p.x), std::min(lo_.y, p.y)};
                hi_ = {std::max(hi_.x, p.x), std::max(hi_.y, p.y)};
            }
            sum += distance(s.a, s.b);
        }
        const Vec2 extent = hi_ - lo_;
        const double most = std::max(extent.x, extent.y);
        width_ = std::max(2 * sum / static_cast<double>(all.size()), most / kMostAcross);
        if (!(width_ > 0)) width_ = 1;
        nx_ = static_cast<std::size_t>(extent.x / width_) + 1;
        ny_ = static_cast<std::size_t>(extent.y / width_) + 1;
        first_.assign(nx_ * ny_ + 1, 0);
        // Counted, then laid out.
        for (const Segment& s : all) visit_cells(s.a, s.b, [this](std::size_t cell) { ++first_[cell + 1]; });
        for (std::size_t k = 1; k < first_.size(); ++k) first_[k] += first_[k - 1];
        item_.resize(first_.back());
        std::vector<std::size_t> at(first_.begin(), first_.end() - 1);
        for (std::size_t i = 0; i < all.size(); ++i)
            visit_cells(all[i].a, all[i].b, [&](std::size_t cell) { item_[at[cell]++] = i; });
    }

    /// Calls visit(i) once for each segment whose cells meet those of the box round two places.
    template <typename Visit>
    void near(const Vec2& a, const Vec2& b, const Visit& visit) {
        if (all_.empty()) return;
        ++now_;
        visit_cells(a, b, [&](std::size_t cell) {
            for (std::size_t k = first_[cell]; k < first_[cell + 1]; ++k)
                if (stamp_[item_[k]] != now_) {
                    stamp_[item_[k]] = now_;
                    visit(item_[k]);
                }
        });
    }

  private:
    static constexpr double kMostAcross = 2000;

    std::size_t cell_of(double v, double lo, std::size_t n) const {
        return static_cast<std::size_t>(std::clamp((v - lo) / width_, 0.0, static_cast<double>(n - 1)));
    }
    template <typename Visit>
    void visit_cells(const Vec2& a, const Vec2& b, const Visit& visit) const {
        const std::size_t x0 = cell_of(std::min(a.x, b.x), lo_.x, nx_), x1 = cell_of(std::max(a.x, b.x), lo_.x, nx_),
                          y0 = cell_of(std::min(a.y, b.y), lo_.y, ny_), y1 = cell_of(std::max(a.y, b.y), lo_.y, ny_);
        for (std::size_t y = y0; y <= y1; ++y)
            for (std::size_t x = x0; x <= x1; ++x) visit(y * nx_ + x);
    }

    const std::vector<Segment>& all_;
    std::vector<std::size_t> stamp_;
    std::size_t now_ = 0;
    Vec2 lo_, hi_;
    double width_ = 1;
    std::size_t nx_ = 1, ny_ = 1;
    std::vector<std::size_t> first_, item_;
};

}  // namespace anvilcast::planar
