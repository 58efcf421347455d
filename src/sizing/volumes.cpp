#include "sizing/volumes.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <cmath>
#include <numbers>

namespace anvilcast::sizing {
namespace {

class BoxDistance final : public SignedVolume {
  public:
    explicit BoxDistance(const BoxVolume& box) {
        box_.include(box.lo);
        box_.include(box.hi);
    }
    double distance(const Vec3& p) const override {
        Vec3 out;
        double inside = -Box::inf;
        for (int i = 0; i < 3; ++i) {
            const double d = std::max(box_.lo[i] - p[i], p[i] - box_.hi[i]);
            out[i] = std::max(d, 0.0);
            inside = std::max(inside, d);
        }
        return inside > 0 ? length(out) : inside;
    }
    Box bounds() const override { return box_; }

  private:
    Box box_;
};

class BallDistance final : public SignedVolume {
  public:
    explicit BallDistance(const BallVolume& ball) : ball_(ball) {}
    double distance(const Vec3& p) const override { return anvilcast::distance(p, ball_.center) - ball_.radius; }
    Box bounds() const override {
        const Vec3 r{ball_.radius, ball_.radius, ball_.radius};
        return {ball_.center - r, ball_.center + r};
    }

  private:
    BallVolume ball_;
};

class PlacedVolume final : public SignedVolume {
  public:
    PlacedVolume(std::shared_ptr<const SignedVolume> volume, const Placement& placement)
        : volume_(std::move(volume)), there_(placement), back_(inverse(placement)) {}
    double distance(const Vec3& p) const override { return volume_->distance(back_(p)); }
    Box bounds() const override {
        const Box box = volume_->bounds();
        Box out;
        for (int k = 0; k < 8; ++k)
            out.include(there_({(k & 1) != 0 ? box.hi.x : box.lo.x, (k & 2) != 0 ? box.hi.y : box.lo.y,
                                (k & 4) != 0 ? box.hi.z : box.lo.z}));
        return out;
    }

  private:
    std::shared_ptr<const SignedVolume> volume_;
    Placement there_, back_;
};

/// In the half plane through the axis and the point, the cone is a trapezium.
class ConeDistance final : public SignedVolume {
  public:
    explicit ConeDistance(const ConeVolume& cone)
        : cone_(cone), axis_(normalized(cone.to - cone.from)), height_(anvilcast::distance(cone.from, cone.to)) {}

    double distance(const Vec3& p) const override {
        const Vec3 from_start = p - cone_.from;
        const double z = dot(from_start, axis_), r = length(from_start - axis_ * z);
        if (cone_.has_round_ends) {
            const double beyond = std::max({-z, 0.0, z - height_});
            return std::hypot(beyond, r) - std::max(cone_.radius_from, cone_.radius_to);
        }
        // Distance to the slanted side, along its normal and to its ends; then the flat ends.
        const double dr = cone_.radius_to - cone_.radius_from, side = std::hypot(dr, height_);
        const double off_side = ((r - cone_.radius_from) * height_ - z * dr) / side;
        const double off_ends = std::max(-z, z - height_);
        if (off_side <= 0 && off_ends <= 0) return std::max(off_side, off_ends);
        auto to_segment = [&](double r0, double z0, double r1, double z1) {
            const double l2 = (r1 - r0) * (r1 - r0) + (z1 - z0) * (z1 - z0);
            const double t = l2 > 0 ? std::clamp(((r - r0) * (r1 - r0) + (z - z0) * (z1 - z0)) / l2, 0.0, 1.0) : 0.0;
            return std::hypot(r - (r0 + t * (r1 - r0)), z - (z0 + t * (z1 - z0)));
        };
        return std::min({to_segment(cone_.radius_from, 0, cone_.radius_to, height_),
                         to_segment(0, 0, cone_.radius_from, 0), to_segment(0, height_, cone_.radius_to, height_)});
    }
    Box bounds() const override {
        const double r = std::max(cone_.radius_from, cone_.radius_to);
        Box box;
        for (const Vec3& end : {cone_.from, cone_.to}) {
            // Of a disc with normal n the extent along axis i is r sqrt(1 - n_i^2).
            Vec3 reach{r, r, r};
            for (int i = 0; i < 3 && !cone_.has_round_ends; ++i)
                reach[i] = r * std::sqrt(std::max(0.0, 1 - axis_[i] * axis_[i]));
            box.include(end - reach);
            box.include(end + reach);
        }
        return box;
    }

  private:
    ConeVolume cone_;
    Vec3 axis_;
    double height_;
};

class BodyDistance final : public SignedVolume {
  public:
    explicit BodyDistance(const Surface& s) : surface_(s), tree_(s.points, s.triangles) {}

    double distance(const Vec3& p) const override {
        const double d = tree_.closest(p).distance;
        return is_inside(p) ? -d : d;
    }
    Box bounds() const override { return tree_.bounds(); }

  private:
    /// By the number of surfaces that a ray meets; another direction where one passes too close to an edge.
    bool is_inside(const Vec3& p) const {
        const Box box = tree_.bounds();
        if (box.distance_squared_to(p) > 0) return false;
        for (const Vec3& direction : {Vec3{0.8117, 0.2931, 0.5052}, Vec3{-0.3313, 0.9142, 0.2337},
                                      Vec3{0.1279, -0.4413, 0.8882}, Vec3{0.6021, 0.5555, -0.5735}}) {
            bool is_clear = true;
            int crossings = 0;
            for (const auto& hit : tree_.line_hits(p, direction)) {
                is_clear &= hit.margin > 1e-7;
                if (hit.t > 0) crossings += 1;
            }
            if (is_clear) return crossings % 2 == 1;
        }
        return false;
    }

    Surface surface_;
    TriangleTree tree_;
};

/// The extent of all parts and zones with a name like that.
Box extent_of(const Surface& boundary, const std::string& pattern) {
    Box box;
    std::vector<std::string> names;
    for (Index t = 0; t < boundary.triangles.size(); ++t) {
        const Zone& zone = boundary.zones[boundary.zone_of[t]];
        if (!matches_pattern(zone.name, pattern) && !matches_pattern(zone.part, pattern)) continue;
        for (int k = 0; k < 3; ++k) box.include(boundary.corner(t, k));
    }
    if (!box.is_empty()) return box;
    for (const Zone& zone : boundary.zones) {
        names.push_back(zone.name);
        if (!zone.part.empty()) names.push_back(zone.part);
    }
    std::sort(names.begin(), names.end());
    names.erase(std::unique(names.begin(), names.end()), names.end());
    throw InputError(fmt::format("no part or zone at the domain's boundary is called \"{}\"; there are {}", pattern,
                                 fmt::join(names, ", ")));
}

/// Corners (i, j, k) of a hexahedron in the order of their bits, as twelve triangles.
Surface hexahedron(const std::array<Vec3, 8>& corners) {
    Surface s;
    s.points.assign(corners.begin(), corners.end());
    constexpr std::array<std::array<Index, 4>, 6> kSides{
        {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}};
    for (const auto& f : kSides) {
        s.triangles.push_back({f[0], f[1], f[2]});
        s.triangles.push_back({f[0], f[2], f[3]});
    }
    s.zones.push_back({"body"});
    s.zone_of.assign(12, 0);
    return s;
}

Surface wake_of(const WakeVolume& wake, const Box& body) {
    const Vec3 along = normalized(wake.direction);
    const Vec3 least = std::abs(along.x) <= std::abs(along.y) && std::abs(along.x) <= std::abs(along.z) ? Vec3{1, 0, 0}
                       : std::abs(along.y) <= std::abs(along.z)                                         ? Vec3{0, 1, 0}
                                                                                                        : Vec3{0, 0, 1};
    const Vec3 side = normalized(cross(along, least)), up = cross(along, side);
    auto reach = [&](const Vec3& axis) {
        const Vec3 half = body.extent() * 0.5;
        return std::abs(axis.x) * half.x + std::abs(axis.y) * half.y + std::abs(axis.z) * half.z;
    };
    const double length = reach(along) + wake.length;
    const double widening = std::tan(wake.opening * std::numbers::pi / 180) * length;
    std::array<Vec3, 8> corners;
    for (std::size_t i = 0; i < 8; ++i) {
        const double s = (i & 1U) != 0 ? 1 : -1, u = (i & 2U) != 0 ? 1 : -1, end = (i & 4U) != 0 ? 1 : 0;
        corners[i] = body.center() + along * (end * length) + side * (s * (reach(side) + end * widening)) +
                     up * (u * (reach(up) + end * widening));
    }
    return hexahedron(corners);
}

void require(bool holds, const std::string& what) {
    if (!holds) throw InputError(what);
}

void check_extent(const SignedVolume& volume) {
    const Vec3 extent = volume.bounds().extent();
    require(is_finite(extent) && extent.x > 0 && extent.y > 0 && extent.z > 0,
            "the volume has no extent: its corners, radius or ends are one place, or not finite");
}

struct Maker {
    const Domain& domain;

    std::shared_ptr<const SignedVolume> operator()(const BoxVolume& v) const {
        return std::make_shared<BoxDistance>(v);
    }
    std::shared_ptr<const SignedVolume> operator()(const BallVolume& v) const {
        require(v.radius > 0, fmt::format("the radius is {} m; it must be positive", v.radius));
        return std::make_shared<BallDistance>(v);
    }
    std::shared_ptr<const SignedVolume> operator()(const ConeVolume& v) const {
        require(v.radius_from >= 0 && v.radius_to >= 0 && v.radius_from + v.radius_to > 0 && v.from != v.to,
                "a cylinder or cone needs two different ends and radii that are not negative, one of them positive");
        return std::make_shared<ConeDistance>(v);
    }
    std::shared_ptr<const SignedVolume> operator()(const BodyVolume& v) const {
        require(!v.surface.triangles.empty() && find_rims(v.surface).empty(),
                "the body that a refinement fills is not closed; mend it, or close its rims");
        return std::make_shared<BodyDistance>(v.surface);
    }
    std::shared_ptr<const SignedVolume> operator()(const RelativeBox& v) const {
        const Box body = extent_of(domain.boundary, v.of);
        BoxVolume box;
        for (int i = 0; i < 3; ++i) {
            require(v.lo[i] < v.hi[i], "the low corner of a relative box must be below the high one on each axis");
            box.lo[i] = body.lo[i] + v.lo[i] * body.extent()[i];
            box.hi[i] = body.lo[i] + v.hi[i] * body.extent()[i];
        }
        return std::make_shared<BoxDistance>(box);
    }
    std::shared_ptr<const SignedVolume> operator()(const WakeVolume& v) const {
        require(length(v.direction) > 0 && v.length > 0 && v.opening >= 0 && v.opening < 80,
                "a wake needs a direction, a length above 0 and an opening from 0 to 80 degrees");
        return std::make_shared<BodyDistance>(wake_of(v, extent_of(domain.boundary, v.of)));
    }
    std::shared_ptr<const SignedVolume> operator()(const RegionVolume& v) const {
        const auto region = std::find_if(domain.regions.begin(), domain.regions.end(),
                                         [&](const DomainRegion& r) { return r.name == v.name; });
        require(region != domain.regions.end(), fmt::format("there is no region called \"{}\"", v.name));
        const auto number = static_cast<Index>(region - domain.regions.begin());
        Surface skin;
        skin.points = domain.boundary.points;
        skin.zones = {{v.name}};
        for (Index t = 0; t < domain.boundary.triangles.size(); ++t) {
            const auto& sides = domain.sides[t];
            if (domain.is_baffle(t) || (sides[0] != number && sides[1] != number)) continue;
            skin.triangles.push_back(domain.boundary.triangles[t]);
            skin.zone_of.push_back(0);
        }
        return std::make_shared<BodyDistance>(skin);
    }
};

}  // namespace

std::shared_ptr<const SignedVolume> make_volume(const Volume& volume, const Domain& domain) {
    auto made = std::visit(Maker{domain}, volume);
    check_extent(*made);
    return made;
}

std::shared_ptr<const SignedVolume> placed(std::shared_ptr<const SignedVolume> volume, const Placement& placement) {
    return std::make_shared<PlacedVolume>(std::move(volume), placement);
}

}  // namespace anvilcast::sizing

namespace anvilcast {

std::function<double(const Vec3&)> distance_from(const Volume& volume, const Surface& bodies) {
    Domain domain;
    domain.boundary = bodies;
    return [distance = sizing::make_volume(volume, domain)](const Vec3& p) { return distance->distance(p); };
}

}  // namespace anvilcast
