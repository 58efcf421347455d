// Where a body stands: mirrored, turned and moved from where its file has it. And what repeats by such a placement.
//
//     Placement there = after(Placement::turned({0, 0, 1}, 30, {}), Placement::moved({0, 0.2, 0}));
//     Surface second = placed(rod, there);
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/units.hpp>
#include <anvilcast/vectors.hpp>
#include <array>
#include <string>
#include <vector>

namespace anvilcast {

struct Surface;

/// Keeps lengths and angles.
struct Placement {
    std::array<Vec3, 3> image{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};  ///< of the directions of x, y and z
    Vec3 origin;                                                   ///< image of [0, 0, 0], metres

    static Placement moved(const Vec3& by) { return {{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}, by}; }
    /// By the right hand round an axis, which need not be of length 1, through a place. Exact for multiples of 90
    /// degrees round an axis of coordinates.
    ANVILCAST_API static Placement turned(const Vec3& axis, double degrees, const Vec3& about);
    /// At the plane where the coordinate with that number, from 0, is `at`.
    ANVILCAST_API static Placement mirrored(int coordinate, double at);

    Vec3 direction(const Vec3& d) const { return image[0] * d.x + image[1] * d.y + image[2] * d.z; }
    Vec3 operator()(const Vec3& p) const { return direction(p) + origin; }
    bool is_mirrored() const { return dot(cross(image[0], image[1]), image[2]) < 0; }
    bool is_turned() const { return image != Placement{}.image; }
};

/// First the one, then the other.
inline Placement after(const Placement& first, const Placement& then) {
    return {{{then.direction(first.image[0]), then.direction(first.image[1]), then.direction(first.image[2])}},
            then(first.origin)};
}

/// What undoes it.
inline Placement inverse(const Placement& p) {
    Placement back{{{{p.image[0].x, p.image[1].x, p.image[2].x},
                     {p.image[0].y, p.image[1].y, p.image[2].y},
                     {p.image[0].z, p.image[1].z, p.image[2].z}}},
                   {}};
    back.origin = Vec3{} - back.direction(p.origin);
    return back;
}

/// A placement as a turn by the right hand round an axis (of length 1) through a place, and a way along that axis.
struct Screw {
    Vec3 axis{0, 0, 1};
    double degrees = 0;  ///< 0 to 180; 0: moved along the axis alone
    Vec3 about;          ///< the point of the axis that is nearest to [0, 0, 0]
    double way = 0;      ///< metres
};
/// Of what is not mirrored. Source: M. Chasles (1830).
ANVILCAST_API Screw screw_of(const Placement& placement);

/// "moved by [40, 0, 0] mm", "turned by 30 degrees round [0, 0, 1] through [0, 0, 0] mm".
ANVILCAST_API std::string placement_text(const Placement& placement, const LengthUnit& unit);

/// The one that brings points closest to their images, in the mean of squares; without a turn where the points lie in a
/// line. Source: W. Kabsch (1976).
ANVILCAST_API Placement fitted(const std::vector<Vec3>& points, const std::vector<Vec3>& images);

/// Two zones of which the second is the first one's image, point by point.
struct PeriodicPair {
    std::string first, second;
    Placement image;      ///< of the first: the second
    double residual = 0;  ///< by which they differed where they came from, metres at most
};

/// Triangles of what is mirrored are turned round, so that normals still point out.
ANVILCAST_API Surface placed(const Surface& surface, const Placement& placement);

}  // namespace anvilcast
