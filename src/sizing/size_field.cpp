#include <anvilcast/naming.hpp>
#include <anvilcast/sizing.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cmath>
#include <map>
#include <queue>

namespace anvilcast {
namespace {

/// Lowers sizes until no edge of the surface sees a growth above the limit (Dijkstra from the smallest).
void limit_growth(const std::vector<Vec3>& points, const std::vector<Triangle>& triangles, double slope,
                  std::vector<double>& size) {
    std::vector<Index> first(points.size() + 1, 0), neighbour;
    for (const Triangle& t : triangles)
        for (const Index p : t) first[p + 1] += 2;
    for (std::size_t i = 1; i < first.size(); ++i) first[i] += first[i - 1];
    neighbour.resize(first.back());
    std::vector<Index> fill(first.begin(), first.end() - 1);
    for (const Triangle& t : triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            neighbour[fill[t[k]]++] = t[(k + 1) % 3];
            neighbour[fill[t[k]]++] = t[(k + 2) % 3];
        }
    using Entry = std::pair<double, Index>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> queue;
    for (Index p = 0; p < points.size(); ++p) queue.emplace(size[p], p);
    while (!queue.empty()) {
        const auto [h, p] = queue.top();
        queue.pop();
        if (h > size[p]) continue;
        for (Index k = first[p]; k < first[p + 1]; ++k) {
            const Index q = neighbour[k];
            const double limit = h + slope * distance(points[p], points[q]);
            if (size[q] > limit) {
                size[q] = limit;
                queue.emplace(limit, q);
            }
        }
    }
}

}  // namespace

void validate(const SizeOptions& o) {
    if (!(o.surface > 0) || !std::isfinite(o.surface))
        throw InputError(fmt::format("the surface size is {} m; it must be a positive length", o.surface));
    if (!(o.largest >= 0) || !std::isfinite(o.largest) || (o.largest > 0 && o.largest < o.surface))
        throw InputError(
            fmt::format("the largest size is {} m; it must be at least the surface size, {} m", o.largest, o.surface));
    for (const ZoneSize& z : o.on_zones)
        if (!(z.size > 0) || !std::isfinite(z.size) || (o.largest > 0 && z.size > o.largest))
            throw InputError(
                fmt::format("the size on \"{}\" is {} m; it must be positive, and not above the largest size",
                            fmt::join(z.on, "\", \""), z.size));
    if (!(o.growth > 1) || o.growth > 4)
        throw InputError(
            fmt::format("the growth is {}; it must be above 1 and at most 4, 1.1 to 1.3 as a rule", o.growth));
}

SizeField::SizeField(const Surface& surface, std::vector<double> size_at_point, double largest, double growth)
    : points_(surface.points),
      triangles_(surface.triangles),
      size_(std::move(size_at_point)),
      tree_(surface.points, surface.triangles),
      largest_(largest),
      growth_(growth) {
    limit_growth(points_, triangles_, growth_ - 1, size_);
    double smallest = largest_;
    for (const double h : size_) smallest = std::min(smallest, h);
    reach_ = (largest_ - smallest) / (growth_ - 1);
}

SizeField SizeField::of_surfaces(const Surface& surface, const std::vector<double>& size_of_triangle, double largest,
                                 double growth) {
    SizeField field;
    field.largest_ = largest;
    field.growth_ = growth;
    std::map<double, std::vector<Triangle>> of_size;
    for (Index t = 0; t < surface.triangles.size(); ++t) of_size[size_of_triangle[t]].push_back(surface.triangles[t]);
    for (const auto& [size, triangles] : of_size)
        field.sources_.push_back({size, TriangleTree(surface.points, triangles)});
    return field;
}

double SizeField::at(const Vec3& p) const {
    if (!sources_.empty()) {
        double h = largest_;
        for (const Source& s : sources_) {
            if (s.size >= h) break;
            // Farther away than this it does not count.
            h = std::min(h, s.size + (growth_ - 1) * s.tree.closest(p, (h - s.size) / (growth_ - 1)).distance);
        }
        return h;
    }
    const TriangleTree::Closest hit = tree_.closest(p, reach_ * (1 + 1e-9));
    if (hit.triangle == kNone) return largest_;
    const Triangle& t = triangles_[hit.triangle];
    const Vec3 &a = points_[t[0]], &b = points_[t[1]], &c = points_[t[2]];
    const Vec3 n = triangle_normal(a, b, c);
    const double area = length_squared(n);
    double h = size_[t[0]];
    if (area > 0) {
        const double wb = dot(cross(c - a, hit.point - a), -n) / area, wc = dot(cross(b - a, hit.point - a), n) / area;
        h += wb * (size_[t[1]] - size_[t[0]]) + wc * (size_[t[2]] - size_[t[0]]);
    }
    return std::min(largest_, h + (growth_ - 1) * hit.distance);
}

namespace {
double largest_of(const Surface& surface, const SizeOptions& options) {
    return options.largest > 0 ? options.largest : std::max(options.surface, surface.bounds().diagonal());
}

std::vector<double> zone_sizes(const Surface& surface, const SizeOptions& options) {
    std::vector<double> size(surface.zones.size(), Box::inf);
    for (const ZoneSize& entry : options.on_zones)
        for (const std::string& pattern : entry.on) {
            bool fits = false;
            for (std::size_t z = 0; z < size.size(); ++z) {
                if (!matches_pattern(surface.zones[z].name, pattern)) continue;
                size[z] = std::min(size[z], entry.size);
                fits = true;
            }
            if (fits) continue;
            std::vector<std::string> names;
            for (const Zone& z : surface.zones) names.push_back(z.name);
            throw InputError(fmt::format("a size is asked for on \"{}\", but no zone has such a name; the zones are {}",
                                         pattern, fmt::join(names, ", ")));
        }
    for (double& h : size)
        if (h == Box::inf) h = options.surface;
    return size;
}
}  // namespace

SizeField make_size_field(const Surface& surface, const SizeOptions& options) {
    validate(options);
    const std::vector<double> of_zone = zone_sizes(surface, options);
    std::vector<double> size;
    for (const Index z : surface.zone_of) size.push_back(of_zone[z]);
    return SizeField::of_surfaces(surface, size, largest_of(surface, options), options.growth);
}

SizeField size_field_of_mesh(const Surface& mesh, const SizeOptions& options) {
    validate(options);
    std::vector<double> sum(mesh.points.size(), 0);
    std::vector<int> n(mesh.points.size(), 0);
    for (const Triangle& t : mesh.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const double l = distance(mesh.points[t[k]], mesh.points[t[(k + 1) % 3]]);
            for (const Index p : {t[k], t[(k + 1) % 3]}) {
                sum[p] += l;
                ++n[p];
            }
        }
    for (std::size_t p = 0; p < sum.size(); ++p) sum[p] = n[p] > 0 ? sum[p] / n[p] : options.surface;
    return {mesh, std::move(sum), largest_of(mesh, options), options.growth};
}

}  // namespace anvilcast
