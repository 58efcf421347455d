// Feature curves divided by size.
#pragma once

#include <anvilcast/surface_mesh.hpp>
#include <functional>
#include <vector>

#include "surfmesh/original.hpp"

namespace anvilcast::surfmesh {

using SizeAt = std::function<double(const Vec3&)>;

/// A place on a curve: on the segment from its point `segment` to the next one.
struct CurvePlace {
    Index segment;
    double share;  ///< 0 to 1 along the segment
    Vec3 point;
};

/// The places that divide each curve, ends not included (a loop without corners: its first point stays).
using CurvePlaces = std::vector<std::vector<CurvePlace>>;

/// Pieces have the lengths that the sizes ask for, all stretched alike to come out even, and their chords stay within
/// `deviation` sizes of the curve. Divisions asked for by number come out as asked. Places next to a point of the
/// original are that point.
CurvePlaces divide_curves(const Original& original, const SizeAt& size_at, const SurfaceMeshOptions& options);

/// The places with more of them where sizes became smaller: each piece is divided by itself, every place stays. Curves
/// that are divided by number stay as they are.
CurvePlaces divide_further(const Original& original, const CurvePlaces& places, const SizeAt& size_at,
                           const SurfaceMeshOptions& options);

}  // namespace anvilcast::surfmesh
