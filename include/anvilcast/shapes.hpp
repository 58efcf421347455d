// Surfaces of plain bodies and sheets, in triangles.
//
//     Surface drum = cone_surface({0, 0, 0}, {0, 0, 0.3}, 0.1, 0.1, "turning");
#pragma once

#include <anvilcast/export.hpp>
#include <anvilcast/surface.hpp>
#include <string>

namespace anvilcast {

/// Lengths in metres. Bodies are closed and their normals point out; round ones have 128 edges to a turn, with their
/// corners on the true surface. All triangles are of one zone. Throw InputError for an extent that is not positive.
ANVILCAST_API Surface box_surface(const Vec3& from, const Vec3& to, const std::string& zone);
ANVILCAST_API Surface ball_surface(const Vec3& center, double radius, const std::string& zone);
/// A cylinder where both radii are equal; one of them may be 0.
ANVILCAST_API Surface cone_surface(const Vec3& from, const Vec3& to, double radius_from, double radius_to,
                                   const std::string& zone);
/// All places within a radius of the line between two.
ANVILCAST_API Surface capsule_surface(const Vec3& from, const Vec3& to, double radius, const std::string& zone);

/// Sheets, which look along `normal`.
ANVILCAST_API Surface disc_surface(const Vec3& center, const Vec3& normal, double radius, const std::string& zone);
/// `up`: the direction that the height is measured in, as far as it lies in the sheet.
ANVILCAST_API Surface rectangle_surface(const Vec3& center, const Vec3& normal, const Vec3& up, double width,
                                        double height, const std::string& zone);

}  // namespace anvilcast
