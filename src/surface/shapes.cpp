#include <anvilcast/errors.hpp>
#include <anvilcast/shapes.hpp>

#include <cmath>
#include <numbers>
#include <vector>

namespace anvilcast {
namespace {

using std::numbers::pi;

constexpr Index kEdgesToATurn = 128;

void require(bool holds, const char* what) {
    if (!holds) throw InputError(what);
}

Vec3 across(const Vec3& direction) {
    const Vec3 d{std::abs(direction.x), std::abs(direction.y), std::abs(direction.z)};
    const Vec3 least = d.x <= d.y && d.x <= d.z ? Vec3{1, 0, 0} : d.y <= d.z ? Vec3{0, 1, 0} : Vec3{0, 0, 1};
    return normalized(cross(direction, least));
}

struct ProfilePoint {
    double radius, along;
};

/// A profile from one end to the other, turned round an axis; where its radius is 0 it is one point. Normals point away
/// from the axis where the profile runs along it.
Surface revolved(const Vec3& origin, const Vec3& axis, const std::vector<ProfilePoint>& profile,
                 const std::string& zone) {
    Surface s;
    s.zones = {{zone}};
    const Vec3 n = normalized(axis), u = across(n), v = cross(n, u);
    std::vector<Index> first;
    for (const ProfilePoint& p : profile) {
        first.push_back(static_cast<Index>(s.points.size()));
        for (Index k = 0; k < (p.radius > 0 ? kEdgesToATurn : 1); ++k) {
            const double angle = 2 * pi * k / kEdgesToATurn;
            s.points.push_back(origin + n * p.along + (u * std::cos(angle) + v * std::sin(angle)) * p.radius);
        }
    }
    for (std::size_t i = 0; i + 1 < profile.size(); ++i)
        for (Index k = 0; k < kEdgesToATurn; ++k) {
            const Index next = (k + 1) % kEdgesToATurn;
            const bool from_pole = !(profile[i].radius > 0), to_pole = !(profile[i + 1].radius > 0);
            const Index a = first[i] + (from_pole ? 0 : k), b = first[i] + (from_pole ? 0 : next);
            const Index c = first[i + 1] + (to_pole ? 0 : k), d = first[i + 1] + (to_pole ? 0 : next);
            if (!from_pole) s.triangles.push_back({a, b, to_pole ? c : d});
            if (!to_pole) s.triangles.push_back({a, d, c});
        }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

/// A quarter turn from a pole, or to it.
void add_quarter(std::vector<ProfilePoint>& profile, double center, double radius, bool from_pole) {
    constexpr Index kEdges = kEdgesToATurn / 4;
    for (Index k = 0; k <= kEdges; ++k) {
        const double angle = pi / 2 * k / kEdges;
        if (from_pole)
            profile.push_back({k == 0 ? 0 : radius * std::sin(angle), center - radius * std::cos(angle)});
        else
            profile.push_back({k == kEdges ? 0 : radius * std::cos(angle), center + radius * std::sin(angle)});
    }
}

}  // namespace

Surface box_surface(const Vec3& from, const Vec3& to, const std::string& zone) {
    Box box;
    box.include(from);
    box.include(to);
    for (int i = 0; i < 3; ++i) require(box.extent()[i] > 0, "a box needs two corners that differ in x, y and z");
    Surface s;
    s.zones = {{zone}};
    for (unsigned i = 0; i < 8; ++i)
        s.points.push_back({(i & 1U) != 0 ? box.hi.x : box.lo.x, (i & 2U) != 0 ? box.hi.y : box.lo.y,
                            (i & 4U) != 0 ? box.hi.z : box.lo.z});
    constexpr std::array<std::array<Index, 4>, 6> kSides{
        {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}}};
    for (const auto& f : kSides) {
        s.triangles.push_back({f[0], f[1], f[2]});
        s.triangles.push_back({f[0], f[2], f[3]});
    }
    s.zone_of.assign(s.triangles.size(), 0);
    return s;
}

Surface ball_surface(const Vec3& center, double radius, const std::string& zone) {
    require(radius > 0, "the radius must be more than 0");
    std::vector<ProfilePoint> profile;
    add_quarter(profile, 0, radius, true);
    profile.pop_back();
    add_quarter(profile, 0, radius, false);
    return revolved(center, {0, 0, 1}, profile, zone);
}

Surface cone_surface(const Vec3& from, const Vec3& to, double radius_from, double radius_to, const std::string& zone) {
    require(from != to, "the two ends are one place");
    require(radius_from >= 0 && radius_to >= 0 && radius_from + radius_to > 0,
            "radii must not be negative, and one of them more than 0");
    std::vector<ProfilePoint> profile{{0, 0}};
    if (radius_from > 0) profile.push_back({radius_from, 0});
    if (radius_to > 0) profile.push_back({radius_to, distance(from, to)});
    profile.push_back({0, distance(from, to)});
    return revolved(from, to - from, profile, zone);
}

Surface capsule_surface(const Vec3& from, const Vec3& to, double radius, const std::string& zone) {
    require(radius > 0, "the radius must be more than 0");
    require(from != to, "the two ends are one place");
    std::vector<ProfilePoint> profile;
    add_quarter(profile, 0, radius, true);
    add_quarter(profile, distance(from, to), radius, false);
    return revolved(from, to - from, profile, zone);
}

Surface disc_surface(const Vec3& center, const Vec3& normal, double radius, const std::string& zone) {
    require(radius > 0, "the radius must be more than 0");
    require(length(normal) > 0, "the normal must not be [0, 0, 0]");
    // From the rim inwards, so that it looks along the normal.
    return revolved(center, normal, {{radius, 0}, {0, 0}}, zone);
}

Surface rectangle_surface(const Vec3& center, const Vec3& normal, const Vec3& up, double width, double height,
                          const std::string& zone) {
    require(width > 0 && height > 0, "width and height must be more than 0");
    require(length(normal) > 0, "the normal must not be [0, 0, 0]");
    const Vec3 n = normalized(normal), in_sheet = up - n * dot(up, n);
    require(length(in_sheet) > 1e-9 * length(up), "up must not point along the normal");
    const Vec3 v = normalized(in_sheet) * (height / 2), u = normalized(cross(in_sheet, n)) * (width / 2);
    Surface s;
    s.zones = {{zone}};
    s.points = {center - u - v, center + u - v, center + u + v, center - u + v};
    s.triangles = {{0, 1, 2}, {0, 2, 3}};
    s.zone_of = {0, 0};
    return s;
}

}  // namespace anvilcast
