// How large cells should be, everywhere.
//
//     SizeOptions options;
//     options.surface = 0.004;  options.largest = 0.01;  options.growth = 1.2;
//     SizeField sizes = make_size_field(domain.boundary, options);
//     double h = sizes.at(point);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/triangle_tree.hpp>
#include <vector>

namespace anvilcast {

/// An edge length on the zones whose names match a pattern.
struct ZoneSize {
    std::vector<std::string> on;
    double size = 0;  ///< metres
};

struct SizeOptions {
    double surface = 0;   ///< edge length on every surface that no zone size is for, metres; required
    double largest = 0;   ///< edge length that is not exceeded inside, metres; 0: no limit
    double growth = 1.2;  ///< ratio of neighbouring sizes, above 1: h grows by at most growth - 1 per metre
    std::vector<ZoneSize> on_zones = {};  ///< where several match, the smallest wins
};

/// Throws InputError that names the field that is out of range.
ANVILCAST_API void validate(const SizeOptions& options);

/// Either of two kinds, both thread-safe:
/// of surfaces with a size each: h(p) = min(largest, least of size + (growth - 1) * distance to that surface);
/// of a mesh with a size at each point: h(p) = min(largest, size at the closest point + (growth - 1) * distance to it).
class ANVILCAST_API SizeField {
  public:
    SizeField() = default;
    /// `size_at_point`: the edge length wanted at each point of the surface; made to respect the growth first.
    SizeField(const Surface& surface, std::vector<double> size_at_point, double largest, double growth);

    /// `size_of_triangle`: the edge length wanted on each triangle.
    static SizeField of_surfaces(const Surface& surface, const std::vector<double>& size_of_triangle, double largest,
                                 double growth);

    /// The edge length wanted at p, in metres. O(log n) for each different size.
    double at(const Vec3& p) const;
    double largest() const { return largest_; }
    double growth() const { return growth_; }

  private:
    struct Source {
        double size;
        TriangleTree tree;
    };
    std::vector<Source> sources_;  // smallest size first; empty for a mesh
    std::vector<Vec3> points_;
    std::vector<Triangle> triangles_;
    std::vector<double> size_;
    TriangleTree tree_;
    double largest_ = 0;
    double growth_ = 1.2;
    double reach_ = 0;  // beyond this distance from the surface the largest size rules
};

/// The sizes of the zones, each growing away from its zone. Throws InputError when a pattern fits no zone.
ANVILCAST_API SizeField make_size_field(const Surface& surface, const SizeOptions& options);

/// Sizes taken from the edges of a surface that is meshed already (mean edge length at each point).
ANVILCAST_API SizeField size_field_of_mesh(const Surface& mesh, const SizeOptions& options);

}  // namespace anvilcast
