#include "figures/raster.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace anvilcast::figures {
namespace {

constexpr std::size_t kSamples = 2;  // each way

/// Rows of samples that one task owns.
struct Band {
    std::size_t first = 0, last = 0;  // rows, one past the end
};

class Renderer {
  public:
    Renderer(const Facets& facets, const std::vector<Stroke>& strokes, const Camera& camera, std::size_t width,
             std::size_t height, const Theme& theme)
        : facets_(facets),
          strokes_(strokes),
          camera_(camera),
          theme_(theme),
          width_(kSamples * width),
          height_(kSamples * height) {
        camera_.metres_per_pixel /= kSamples;
        places_.resize(facets.points.size());
        tbb::parallel_for(std::size_t{0}, places_.size(),
                          [&](std::size_t i) { places_[i] = project(camera_, width_, height_, facets_.points[i]); });
        colour_.assign(width_ * height_, theme.ground);
        depth_.assign(width_ * height_, -std::numeric_limits<float>::infinity());
    }

    Image run() {
        constexpr std::size_t kRows = 64;
        const std::size_t n = (height_ + kRows - 1) / kRows;
        const std::vector<std::vector<Index>> facets_of = sort_into_bands(n, kRows);
        tbb::parallel_for(std::size_t{0}, n, [&](std::size_t b) {
            const Band band{b * kRows, std::min(height_, (b + 1) * kRows)};
            for (const Index f : facets_of[b]) fill(f, band);
            for (const Index f : facets_of[b])
                if (facets_.has_edges[f] != 0) outline(f, band);
            for (const Stroke& s : strokes_)
                if (!s.on_top) draw(s, band);
            for (const Stroke& s : strokes_)
                if (s.on_top) draw(s, band);
        });
        return averaged();
    }

  private:
    std::vector<std::vector<Index>> sort_into_bands(std::size_t n, std::size_t rows) const {
        std::vector<std::vector<Index>> out(n);
        for (Index f = 0; f < facets_.size(); ++f) {
            double low = std::numeric_limits<double>::infinity(), high = -low, left = low, right = -low;
            for (std::size_t k = facets_.offsets[f]; k < facets_.offsets[f + 1]; ++k) {
                const Projected& p = places_[facets_.corners[k]];
                low = std::min(low, p.y);
                high = std::max(high, p.y);
                left = std::min(left, p.x);
                right = std::max(right, p.x);
            }
            if (!(high >= -2) || low >= static_cast<double>(height_) + 2 || right < -2 ||
                left >= static_cast<double>(width_) + 2)
                continue;
            const auto first = static_cast<std::size_t>(std::max(0.0, low - 2)) / rows;
            const auto last =
                static_cast<std::size_t>(std::clamp(high + 2, 0.0, static_cast<double>(height_ - 1))) / rows;
            for (std::size_t b = first; b <= last && b < n; ++b) out[b].push_back(f);
        }
        return out;
    }

    /// Lit from the eye and a little from the upper left.
    Colour lit(const Colour& c, const Vec3& normal) const {
        const Vec3 n = normalized(normal);
        const double front = std::abs(dot(n, camera_.towards));
        const Vec3 lamp = normalized(camera_.towards + 0.6 * camera_.up - 0.5 * camera_.right);
        const double side = std::abs(dot(n, lamp));
        return mixed({0, 0, 0}, c, std::min(1.0, 0.42 + 0.28 * front + 0.34 * side));
    }

    void fill(Index f, const Band& band) {
        const std::size_t begin = facets_.offsets[f], n = facets_.offsets[f + 1] - begin;
        const Index* corner = facets_.corners.data() + begin;
        Vec3 normal{};
        for (std::size_t k = 1; k + 1 < n; ++k)
            normal +=
                triangle_normal(facets_.points[corner[0]], facets_.points[corner[k]], facets_.points[corner[k + 1]]);
        const Colour colour = lit(facets_.colours[f], normal);
        for (std::size_t k = 1; k + 1 < n; ++k)
            fill_triangle(places_[corner[0]], places_[corner[k]], places_[corner[k + 1]], colour, band);
    }

    void fill_triangle(const Projected& a, const Projected& b, const Projected& c, const Colour& colour,
                       const Band& band) {
        const double area = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
        if (area == 0) return;
        const double low = std::min({a.y, b.y, c.y}), high = std::max({a.y, b.y, c.y});
        const auto first =
            std::max(static_cast<std::ptrdiff_t>(std::ceil(low - 0.5)), static_cast<std::ptrdiff_t>(band.first));
        const auto last =
            std::min(static_cast<std::ptrdiff_t>(std::floor(high - 0.5)), static_cast<std::ptrdiff_t>(band.last) - 1);
        const std::array<const Projected*, 3> p{&a, &b, &c};
        for (std::ptrdiff_t row = first; row <= last; ++row) {
            const double y = static_cast<double>(row) + 0.5;
            double left = std::numeric_limits<double>::infinity(), right = -left;
            for (std::size_t k = 0; k < 3; ++k) {
                const Projected &u = *p[k], &v = *p[(k + 1) % 3];
                if ((u.y < y) == (v.y < y)) continue;
                const double x = u.x + (v.x - u.x) * (y - u.y) / (v.y - u.y);
                left = std::min(left, x);
                right = std::max(right, x);
            }
            const auto from = std::max(static_cast<std::ptrdiff_t>(std::ceil(left - 0.5)), std::ptrdiff_t{0});
            const auto to =
                std::min(static_cast<std::ptrdiff_t>(std::floor(right - 0.5)), static_cast<std::ptrdiff_t>(width_) - 1);
            for (std::ptrdiff_t column = from; column <= to; ++column) {
                const double x = static_cast<double>(column) + 0.5;
                const double s = ((x - a.x) * (c.y - a.y) - (y - a.y) * (c.x - a.x)) / area,
                             t = ((b.x - a.x) * (y - a.y) - (b.y - a.y) * (x - a.x)) / area;
                put(column, row, a.depth + s * (b.depth - a.depth) + t * (c.depth - a.depth), colour);
            }
        }
    }

    void put(std::ptrdiff_t column, std::ptrdiff_t row, double depth, const Colour& colour) {
        const std::size_t at = static_cast<std::size_t>(row) * width_ + static_cast<std::size_t>(column);
        if (static_cast<float>(depth) <= depth_[at]) return;
        depth_[at] = static_cast<float>(depth);
        colour_[at] = colour;
    }

    /// The edges of a facet, a sample wide, as strong as there is room for.
    void outline(Index f, const Band& band) {
        const std::size_t begin = facets_.offsets[f], n = facets_.offsets[f + 1] - begin;
        const Index* corner = facets_.corners.data() + begin;
        double length = 0;
        for (std::size_t k = 0; k < n; ++k) {
            const Projected &a = places_[corner[k]], &b = places_[corner[(k + 1) % n]];
            length += std::hypot(b.x - a.x, b.y - a.y) / static_cast<double>(n);
        }
        const double strength = std::clamp((length / kSamples - 2.5) / 9, 0.0, 0.75);
        if (strength <= 0) return;
        for (std::size_t k = 0; k < n; ++k)
            line(places_[corner[k]], places_[corner[(k + 1) % n]], theme_.edge, strength, 1.2, false, band);
    }

    void draw(const Stroke& s, const Band& band) {
        line(project(camera_, width_, height_, s.from), project(camera_, width_, height_, s.to), s.colour, 1,
             s.width * kSamples, s.on_top, band);
    }

    void line(const Projected& a, const Projected& b, const Colour& colour, double strength, double width, bool on_top,
              const Band& band) {
        const double dx = b.x - a.x, dy = b.y - a.y, length = std::hypot(dx, dy), half = 0.5 * width;
        const auto first = std::max(static_cast<std::ptrdiff_t>(std::floor(std::min(a.y, b.y) - half)),
                                    static_cast<std::ptrdiff_t>(band.first));
        const auto last = std::min(static_cast<std::ptrdiff_t>(std::ceil(std::max(a.y, b.y) + half)),
                                   static_cast<std::ptrdiff_t>(band.last) - 1);
        // In front of its own facet: by a share of what there is in depth, and of what the line itself leans.
        const double lift = 1.5 * camera_.metres_per_pixel + (length > 0 ? std::abs(b.depth - a.depth) / length : 0);
        for (std::ptrdiff_t row = first; row <= last; ++row) {
            // The part of the line within half a width of this row.
            double s = 0, e = 1;
            const double y = static_cast<double>(row) + 0.5;
            if (std::abs(dy) > 1e-12) {
                const double u = (y - half - 0.5 - a.y) / dy, v = (y + half + 0.5 - a.y) / dy;
                s = std::clamp(std::min(u, v), 0.0, 1.0);
                e = std::clamp(std::max(u, v), 0.0, 1.0);
            }
            const double x0 = a.x + s * dx, x1 = a.x + e * dx;
            const auto from =
                std::max(static_cast<std::ptrdiff_t>(std::floor(std::min(x0, x1) - half)), std::ptrdiff_t{0});
            const auto to = std::min(static_cast<std::ptrdiff_t>(std::ceil(std::max(x0, x1) + half)),
                                     static_cast<std::ptrdiff_t>(width_) - 1);
            for (std::ptrdiff_t column = from; column <= to; ++column) {
                const double px = static_cast<double>(column) + 0.5 - a.x, py = y - a.y;
                const double t = length > 0 ? std::clamp((px * dx + py * dy) / (length * length), 0.0, 1.0) : 0;
                if (std::hypot(px - t * dx, py - t * dy) > half) continue;
                const std::size_t at = static_cast<std::size_t>(row) * width_ + static_cast<std::size_t>(column);
                const double depth = a.depth + t * (b.depth - a.depth) + lift;
                if (!on_top && static_cast<float>(depth) < depth_[at]) continue;
                colour_[at] = mixed(colour_[at], colour, strength);
            }
        }
    }

    Image averaged() const {
        Image out{width_ / kSamples, height_ / kSamples, {}};
        out.pixels.resize(out.width * out.height);
        tbb::parallel_for(std::size_t{0}, out.height, [&](std::size_t y) {
            for (std::size_t x = 0; x < out.width; ++x) {
                Colour sum;
                for (std::size_t k = 0; k < kSamples * kSamples; ++k) {
                    const Colour& c = colour_[(kSamples * y + k / kSamples) * width_ + kSamples * x + k % kSamples];
                    sum = {sum.r + c.r, sum.g + c.g, sum.b + c.b};
                }
                auto byte = [](double v) {
                    return static_cast<std::uint32_t>(
                        std::lround(255 * std::clamp(v / (kSamples * kSamples), 0.0, 1.0)));
                };
                out.pixels[y * out.width + x] = 0xFF000000U | byte(sum.r) << 16 | byte(sum.g) << 8 | byte(sum.b);
            }
        });
        return out;
    }

    const Facets& facets_;
    const std::vector<Stroke>& strokes_;
    Camera camera_;
    Theme theme_;
    std::size_t width_, height_;
    std::vector<Projected> places_;
    std::vector<Colour> colour_;
    std::vector<float> depth_;
};

}  // namespace

Camera camera_from(const Vec3& eye_direction) {
    Camera c;
    c.towards = normalized(eye_direction);
    const Vec3 z = std::abs(c.towards.z) < 0.98 ? Vec3{0, 0, 1} : Vec3{0, 1, 0};
    c.right = normalized(cross(z, c.towards));
    c.up = cross(c.towards, c.right);
    return c;
}

Projected project(const Camera& camera, std::size_t width, std::size_t height, const Vec3& p) {
    const Vec3 d = p - camera.center;
    return {0.5 * static_cast<double>(width) + dot(d, camera.right) / camera.metres_per_pixel,
            0.5 * static_cast<double>(height) - dot(d, camera.up) / camera.metres_per_pixel, dot(d, camera.towards)};
}

Image render(const Facets& facets, const std::vector<Stroke>& strokes, const Camera& camera, std::size_t width,
             std::size_t height, const Theme& theme) {
    return Renderer(facets, strokes, camera, width, height, theme).run();
}

}  // namespace anvilcast::figures
