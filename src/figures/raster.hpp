// Flat facets and lines in space, drawn into an image: orthographic, hidden parts hidden, no display needed.
#pragma once

#include <anvilcast/vectors.hpp>
#include <cstdint>
#include <vector>

#include "figures/colours.hpp"

namespace anvilcast::figures {

struct Image {
    std::size_t width = 0, height = 0;
    std::vector<std::uint32_t> pixels;  ///< 0xAARRGGBB, alpha multiplied in; row by row from the top
};

/// From where, which way up, and how much of it.
struct Camera {
    Vec3 right, up, towards;  ///< unit vectors; the last one points to the eye
    Vec3 center;
    double metres_per_pixel = 1;
};

/// Looking from a direction, with z up where that makes sense.
Camera camera_from(const Vec3& eye_direction);

struct Facets {
    std::vector<Vec3> points;
    std::vector<std::size_t> offsets{0};  ///< of each facet's corners in `corners`
    std::vector<Index> corners;
    std::vector<Colour> colours;  ///< of each facet
    std::vector<char> has_edges;  ///< of each facet

    std::size_t size() const { return colours.size(); }
    void add(const std::vector<Index>& polygon, const Colour& colour, bool edges) {
        corners.insert(corners.end(), polygon.begin(), polygon.end());
        offsets.push_back(corners.size());
        colours.push_back(colour);
        has_edges.push_back(edges ? 1 : 0);
    }
};

/// Drawn over facets that they lie on.
struct Stroke {
    Vec3 from, to;
    Colour colour;
    double width = 1;  ///< pixels
    bool on_top = false;
};

/// Where a facet or stroke is on the image: pixels from the left and from the top, and the depth towards the eye.
struct Projected {
    double x = 0, y = 0, depth = 0;
};
Projected project(const Camera& camera, std::size_t width, std::size_t height, const Vec3& p);

/// Each pixel is the mean of four samples. Edges get fainter where there are many in few pixels. O(pixels of facets),
/// bands of the image side by side.
Image render(const Facets& facets, const std::vector<Stroke>& strokes, const Camera& camera, std::size_t width,
             std::size_t height, const Theme& theme);

}  // namespace anvilcast::figures
