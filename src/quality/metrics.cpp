#include <anvilcast/errors.hpp>
#include <anvilcast/metrics.hpp>

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "base/nearest_name.hpp"

namespace anvilcast {
namespace {

constexpr double kInf = std::numeric_limits<double>::infinity(), kNotSet = std::numeric_limits<double>::quiet_NaN();
constexpr const char* kDegree = "\xC2\xB0";
constexpr MetricOf kCells = MetricOf::cells, kFaces = MetricOf::faces, kBoundary = MetricOf::boundary;

constexpr std::array<MetricInfo, kMetrics> kInfos{{
    {MetricId::volume, "volume", "volume", "m\xC2\xB3", kCells, false, -kInf, kInf, kNotSet, kNotSet, "all cells",
     "sum over the faces of (face mean - p) . A / 3, p any place", "divergence theorem"},
    {MetricId::equiangle_skewness, "equiangle_skewness", "equiangle skewness", "", kCells, true, 0, 1, 0, 0.9,
     "cells but polyhedra, which have no regular one to compare with",
     "largest of (t - e) / (180 - e) and (e - t) / e over the corner angles t of the cell's faces; e is 60 degrees in "
     "triangles, 90 in quadrangles",
     "in general use"},
    {MetricId::equivolume_skewness, "equivolume_skewness", "equivolume skewness", "", kCells, true, 0, 1, 0, 0.99,
     "tetrahedra", "1 - V / V_regular, of the regular tetrahedron with the same circumsphere", "in general use"},
    {MetricId::smallest_dihedral, "smallest_dihedral", "smallest dihedral", kDegree, kCells, false, 0, 360, kNotSet, 8,
     "all cells", "smallest angle between two faces at an edge of the cell, measured inside",
     "Freitag & Ollivier-Gooch 1997"},
    {MetricId::largest_dihedral, "largest_dihedral", "largest dihedral", kDegree, kCells, true, 0, 360, kNotSet, 170,
     "cells but polyhedra, which may be concave: visibility tells where that matters",
     "largest angle between two faces at an edge of the cell, measured inside; above 180 it is concave",
     "Freitag & Ollivier-Gooch 1997"},
    {MetricId::smallest_angle, "smallest_angle", "smallest face angle", kDegree, kCells, false, 0, 180, kNotSet,
     kNotSet, "all cells", "smallest corner angle of the cell's faces", "in general use"},
    {MetricId::largest_angle, "largest_angle", "largest face angle", kDegree, kCells, true, 0, 180, kNotSet, kNotSet,
     "all cells", "largest corner angle of the cell's faces", "in general use"},
    {MetricId::aspect_ratio, "aspect_ratio", "aspect ratio", "", kCells, true, 1, kInf, 1, kNotSet,
     "cells but polyhedra",
     "longest edge / inradius, the latter 3 V / surface, over the same of the regular cell of its type",
     "Parthasarathy, Graichen & Hathaway 1994"},
    {MetricId::corner_determinant, "corner_determinant", "corner determinant", "", kCells, false, -1, 1, 1, 0.1,
     "cells but polyhedra",
     "smallest over the corners of the determinant of the three unit edge vectors there, over that of the regular "
     "cell; of a pyramid the four corners of its base",
     "Knupp 2000"},
    {MetricId::orthogonality, "orthogonality", "orthogonality", "", kCells, false, -1, 1, 1, 0.1, "all cells",
     "smallest over the faces of n . unit(face centre - cell centre) and, between two cells, n . unit(other centre - "
     "cell centre)",
     "in general use"},
    {MetricId::visibility, "visibility", "visibility", "", kCells, false, -1, 1, 1, 0, "cells but tetrahedra",
     "smallest over the faces, as triangles round the mean of their points, of the cosine between a triangle's normal "
     "and the line from the cell's centre to that mean; above 0 the cell is star-shaped about its centre",
     "Garimella, Kim & Berndt 2014"},
    {MetricId::closedness, "closedness", "closedness", "", kCells, true, 0, 1, 0, 1e-9, "all cells",
     "|sum of A| / sum of |A| over the faces, pointing out", "divergence theorem"},
    {MetricId::non_orthogonality, "non_orthogonality", "non-orthogonality", kDegree, kFaces, true, 0, 180, 0, 70,
     "faces between two cells", "between n and the line that joins the centres of the two cells", "Jasak 1996"},
    {MetricId::face_skewness, "face_intersection_skewness", "face-intersection skewness", "", kFaces, true, 0, kInf, 0,
     4, "faces between two cells",
     "from the face's centre to where the line between the cells' centres meets its plane, over the length of that "
     "line",
     "Jasak 1996"},
    {MetricId::volume_ratio, "volume_ratio", "volume ratio", "", kFaces, true, 1, kInf, 1, 10,
     "faces between two cells of one region", "larger over smaller volume", "in general use"},
    {MetricId::size_growth, "size_growth", "size growth", "", kFaces, true, 1, kInf, 1, kNotSet,
     "faces between two cells of one region",
     "larger over smaller of the distances of the two cells' centres from the face's plane", "in general use"},
    {MetricId::warp, "warp", "warp", "", kFaces, true, 0, kInf, 0, 0.3, "faces with more than three points",
     "largest distance of the points from the plane through the face's centre with its mean normal, over the square "
     "root of its area",
     "in general use"},
    {MetricId::surface_smallest_angle, "surface_smallest_angle", "smallest angle", kDegree, kBoundary, false, 0, 60, 60,
     kNotSet, "boundary triangles", "smallest corner angle", "in general use"},
    {MetricId::surface_largest_angle, "surface_largest_angle", "largest angle", kDegree, kBoundary, true, 60, 180, 60,
     kNotSet, "boundary triangles", "largest corner angle", "in general use"},
    {MetricId::surface_skewness, "surface_skewness", "equiangle skewness", "", kBoundary, true, 0, 1, 0, kNotSet,
     "boundary triangles", "as that of cells", "in general use"},
    {MetricId::area_ratio, "area_ratio", "area ratio", "", kBoundary, true, 1, kInf, 1, kNotSet,
     "edges between two boundary triangles", "larger over smaller area", "in general use"},
}};

std::string key_of(std::string_view text) {
    std::string key(text);
    for (char& c : key) {
        if (c == ' ' || c == '-') c = '_';
        if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
    }
    return key;
}

}  // namespace

std::span<const MetricInfo> metric_infos() { return kInfos; }
const MetricInfo& metric_info(MetricId id) { return kInfos[static_cast<std::size_t>(id)]; }

const MetricInfo& find_metric(std::string_view text) {
    const std::string key = key_of(text);
    if (key == "skewness") return metric_info(MetricId::equiangle_skewness);
    if (key == "volume_growth") return metric_info(MetricId::volume_ratio);
    std::vector<std::string> names;
    for (const MetricInfo& m : kInfos) {
        if (key == m.key || (m.of != kBoundary && key == key_of(m.name))) return m;
        names.emplace_back(m.key);
    }
    if (const std::string_view nearest = nearest_name(key, names); !nearest.empty())
        throw InputError(fmt::format("there is no metric \"{}\"; did you mean \"{}\"?", text, nearest));
    throw InputError(fmt::format("there is no metric \"{}\"; there are {}", text, fmt::join(names, ", ")));
}

}  // namespace anvilcast
