// What a volume mesh is judged by: validity first, then quality.
//
//     QualityReport report = assess(mesh, limits);
//     for (const Metric& m : report.metrics) print(m.name, m.min, m.mean, m.max);
//
// The metrics' definitions stand in <anvilcast/metrics.hpp>.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/metrics.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace anvilcast {

struct QualityLimit {
    MetricId metric;
    double value;
};

struct QualityLimits {
    std::vector<QualityLimit> metrics;
    std::optional<double> cells;  ///< at most
    bool usual = true;            ///< metrics without a limit of their own have the usual one, where there is one

    /// Of a metric by its name, see find_metric, or of "cells". A later one for the same metric replaces it. Throws
    /// InputError for a name that is none and a value that the metric cannot have.
    ANVILCAST_API void set(std::string_view metric, double value);
    ANVILCAST_API std::optional<double> of(MetricId metric) const;
};

struct WorstPlace {
    double value = 0;
    Vec3 place;
    std::size_t cell = 0;  ///< of a face the owner
    CellType type = CellType::tetrahedron;
    bool is_of_plane = false;  ///< then its type is to be taken as cell_type_name() does
    std::string zone;          ///< the nearest
    double distance = 0;       ///< of the place from it; 0 where the cell has a point on it
    std::string cause;         ///< what has most likely made it bad, as a clause; empty where nothing stands out
};

struct Histogram {
    std::vector<double> edges;  ///< one more than counts
    std::vector<std::size_t> counts;
};

struct Metric {
    MetricId id = MetricId::volume;
    std::string key, name, unit;
    bool low_is_better = true;
    std::size_t count = 0;  ///< of cells or faces measured
    double min = 0, mean = 0, max = 0;
    double p1 = 0, p50 = 0, p99 = 0;  ///< percentiles, to single precision
    std::optional<double> limit;
    std::size_t n_beyond = 0;
    std::vector<WorstPlace> worst;  ///< worst first
    Histogram histogram;

    double worst_value() const { return low_is_better ? max : min; }
    double p99_of_good() const { return low_is_better ? p99 : p1; }  ///< what 99 of 100 keep on the good side of
};

/// A metric within a group of cells.
struct GroupFigure {
    MetricId metric = MetricId::volume;
    std::size_t count = 0, n_beyond = 0;
    double worst = 0, mean = 0, p99_of_good = 0;
};

/// Cells that have something in common: a region, a type, a zone that they touch, a volume of refinement. A face
/// between two cells counts where one of them does.
struct GroupQuality {
    enum class Kind : unsigned char { region, cell_type, zone, refinement };
    Kind kind = Kind::region;
    std::string name;
    std::size_t n_cells = 0;
    double volume = 0;
    std::vector<GroupFigure> figures;
};
ANVILCAST_API const char* group_kind_name(GroupQuality::Kind kind);

struct QualityOptions {
    std::size_t n_worst = 5;  ///< places of each metric
    bool groups = true;
    /// Volumes to tell apart: a name, and whether a cell's centre is inside.
    std::vector<std::pair<std::string, std::function<bool(const Vec3&)>>> volumes;
};

struct QualityReport {
    std::size_t n_cells = 0, n_points = 0;
    double volume = 0;                 ///< of a plane mesh its area, and so in all that follows
    bool is_plane = false;             ///< areas of zones are lengths then
    std::vector<Metric> metrics;       ///< those that there are cells or faces for
    std::vector<Metric> surface;       ///< of the boundary's triangles, see assess_surface
    std::vector<GroupQuality> groups;  ///< kinds with one group that is all of the mesh are left out
    std::vector<double> region_volumes;
    std::vector<double> zone_areas;
    std::vector<LayerFigures> layers;  ///< where the mesh has some
    std::optional<double> cells_limit;
    bool limits_hold = true;  ///< those that were set
    /// No metric is beyond its usual limit, but for those that have one of their own: most solvers will take the mesh.
    bool is_fit = true;
    bool is_good() const { return limits_hold && is_fit; }
    std::string verdict;  ///< a sentence or two: sound (it is a mesh), and fit or not

    ANVILCAST_API const Metric& metric(const std::string& name) const;  ///< throws InputError, see find_metric
};

/// All metrics. Parallel, O(n); the result does not depend on the number of threads. Throws InputError for a mesh
/// without cells.
ANVILCAST_API QualityReport assess(const VolumeMesh& mesh, const QualityLimits& limits = {},
                                   const Context& context = {}, const QualityOptions& options = {});

/// The worst places of one metric of cells or faces, worst first, as assess() tells them, without the rest. Throws
/// InputError for a metric of the boundary, and where the mesh has no such values.
ANVILCAST_API std::vector<WorstPlace> worst_places(const VolumeMesh& mesh, MetricId metric, std::size_t n,
                                                   const Context& context = {});

/// The metrics of a surface's triangles: smallest angle, largest angle, equiangle skewness, area ratio.
/// WorstPlace::cell is the number of a triangle. Parallel, O(n log n).
ANVILCAST_API std::vector<Metric> assess_surface(const Surface& surface, const QualityLimits& limits = {});

/// One triangle's smallest angle, largest angle or equiangle skewness. Throws InputError for another metric.
ANVILCAST_API double triangle_metric(MetricId metric, const Vec3& a, const Vec3& b, const Vec3& c);

}  // namespace anvilcast
