// The boundary of what is left to fill round cubes.
#pragma once

#include <anvilcast/assembly.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/sizing.hpp>

#include "cubes/cubes.hpp"

namespace anvilcast::fill {

/// Points of the given surface come first, without those that nothing needs any more, and so do its triangles.
struct WithHull {
    SurfaceMesh surface;  ///< its last zone is the cubes' hull
    std::vector<char> may_slide, is_top;
    std::vector<Index> point_of;        ///< of each point of the cubes: of this surface; kNone for one that it has not
    std::vector<Index> point_in_given;  ///< of each point of this surface; kNone for a new one
    std::vector<char> is_of_cubes;      ///< of each point of this surface
    /// Of each triangle of this surface: of the given one, where new ones stand for any of their patch; kNone on the
    /// hull.
    std::vector<Index> triangle_in_given;
};

/// The given surface and the cubes' hull. Where cubes stand on a patch their sides are left out of it, and what is left
/// of it is meshed anew, its border as it was. Throws GeometryError where that cannot be.
WithHull with_hull(const SurfaceMesh& given, const cubes::CubeCore& core, const SizeField& sizes,
                   const std::vector<char>& may_slide, const std::vector<char>& is_top, const Context& context);

}  // namespace anvilcast::fill
