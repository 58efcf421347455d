// The metrics that meshes are judged by: definitions, ranges, usual limits, sources. docs/quality.md draws them.
//
//     for (const MetricInfo& m : metric_infos()) print(m.key, m.unit, m.definition);
//     const MetricInfo& m = find_metric("skewness");       // by key, name or the trade's short name
//     std::vector<float> worst = metric_by_cell(mesh, m.id);
//
// Words of the definitions. A cell's centre is its centroid, a face's centre its area centroid, n the unit normal of a
// face out of the cell, A its area vector, V a volume. A polygon is taken as triangles round the mean of its points.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <limits>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace anvilcast {

enum class MetricId : unsigned char {
    // Of cells.
    volume,
    equiangle_skewness,
    equivolume_skewness,
    smallest_dihedral,
    largest_dihedral,
    smallest_angle,
    largest_angle,
    aspect_ratio,
    corner_determinant,
    orthogonality,
    visibility,
    closedness,
    // Of faces between two cells; warp of all faces.
    non_orthogonality,
    face_skewness,
    volume_ratio,
    size_growth,
    warp,
    // Of the boundary's triangles.
    surface_smallest_angle,
    surface_largest_angle,
    surface_skewness,
    area_ratio,
};
inline constexpr std::size_t kCellMetrics = 12, kFaceMetrics = 5, kMetrics = 21;

enum class MetricOf : unsigned char { cells, faces, boundary };

struct MetricInfo {
    MetricId id;
    const char* key;   ///< in files and on the command line
    const char* name;  ///< for people
    const char* unit;
    MetricOf of;
    bool low_is_better;
    double least, most;  ///< of its values
    double best;         ///< of the ideal cell; NaN where there is none
    double usual_limit;  ///< what solvers commonly take; NaN where there is none
    const char* where;   ///< the cells or faces that have it
    const char* definition;
    const char* source;

    bool has_usual_limit() const { return usual_limit == usual_limit; }
    bool is_worse(double a, double b) const { return low_is_better ? a > b : a < b; }
};

/// All, in the order of MetricId.
ANVILCAST_API std::span<const MetricInfo> metric_infos();
ANVILCAST_API const MetricInfo& metric_info(MetricId id);

/// By key or name, blanks, hyphens and underscores alike; "skewness" is the equiangle one and "volume_growth" the
/// volume ratio. Throws InputError that names the nearest one.
ANVILCAST_API const MetricInfo& find_metric(std::string_view text);

/// One value for each cell, NaN where it has none: of a metric of cells that itself, of one of faces the worst of the
/// cell's faces. Throws InputError for a metric of the boundary. Parallel, O(n).
ANVILCAST_API std::vector<float> metric_by_cell(const VolumeMesh& mesh, MetricId metric, const Context& context = {});

}  // namespace anvilcast
