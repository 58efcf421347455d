// What a volume mesh is judged by: validity first, then quality.
//
//     if (auto faults = find_faults(mesh); !faults.empty()) ...     // not a mesh
//     QualityReport report = assess(mesh, limits);
//     for (const Metric& m : report.metrics) print(m.name, m.min, m.mean, m.max);
//
// Definitions. A cell's centre is its centroid, a face's centre its area centroid, n the unit normal of a face, V a
// volume; "better" tells which way is good.
//   volume               m^3, from the cell's faces by the divergence theorem. Better: positive.
// Polyhedra have no equiangle skewness and no aspect ratio: there is no regular one to compare with.
//   equiangle skewness   largest of (t_max - t_e) / (180 - t_e) and (t_e - t_min) / t_e over the corner angles t of the
//                        cell's faces; t_e is 60 degrees in triangles, 90 in quadrangles. 0 to 1, better: low.
//   equivolume skewness  1 - V / V_regular, tetrahedra only, V_regular that of the regular tetrahedron with the same
//                        circumsphere. 0 to 1, better: low.
//   smallest dihedral    degrees, smallest angle between two faces of the cell, measured inside. Better: high.
//   largest dihedral     degrees. Better: low.
//   aspect ratio         longest edge / inradius, 1 for the regular cell of its type; inradius = 3 V / surface. Better:
//   low. orthogonality        smallest over the cell's faces of n . unit(face centre - cell centre) and, between two
//   cells,
//                        n . unit(other centre - cell centre). -1 to 1, better: high.
//   visibility           smallest over the cell's faces, each as triangles round the mean of its points, of the cosine
//                        between a triangle's normal and the line from the cell's centre to that mean; the cell is
//                        star-shaped about its centre when it is above 0. Where not all cells are tetrahedra, which
//                        always are. -1 to 1, better: high.
//   warp                 of a face: largest distance of its points from the plane through its centre with its mean
//                        normal, over the square root of its area. 0 is flat, better: low.
//   non-orthogonality    degrees, of an inner face: between n and the line that joins the centres of its two cells.
//                        Better: low.
//   volume ratio         of a face between two cells of one region: larger over smaller volume. 1 and up, better: low.
// Of surface triangles: smallest angle, largest angle (degrees), equiangle skewness as above, and
//   area ratio           across an edge with two triangles: larger over smaller area. 1 and up, better: low.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// What must hold for a mesh to be one; an empty list means valid. Checked: every cell is closed (each of its edges
/// lies on exactly two of its faces) and has a positive volume; faces point from owner to neighbour; every boundary
/// face is in exactly one zone; the boundary of every region is closed; points are finite. Each fault names a place.
/// Shares no code with what makes meshes. O(n log n).
ANVILCAST_API std::vector<std::string> find_faults(const VolumeMesh& mesh, std::size_t max_faults = 10);

struct QualityLimits {
    std::optional<double> skewness;           ///< equiangle, at most
    std::optional<double> volume_growth;      ///< volume ratio across faces, at most
    std::optional<double> non_orthogonality;  ///< degrees, at most
    std::optional<double> cells;              ///< at most
};

struct WorstPlace {
    double value = 0;
    Vec3 place;
    std::size_t cell = 0;
    std::string zone;  ///< of a boundary face of the cell; "inside" when it has none
};

struct Metric {
    std::string name;
    std::string unit;
    bool low_is_better = true;
    std::size_t count = 0;  ///< of cells or faces measured
    double min = 0, mean = 0, max = 0;
    double p1 = 0, p50 = 0, p99 = 0;  ///< percentiles
    std::optional<double> limit;
    std::size_t n_beyond = 0;
    std::vector<WorstPlace> worst;  ///< worst first
};

struct QualityReport {
    std::size_t n_cells = 0, n_points = 0;
    double volume = 0;
    std::vector<Metric> metrics;
    std::vector<Metric> surface;  ///< of the boundary's triangles, see assess_surface
    std::vector<double> region_volumes;
    std::vector<double> zone_areas;
    std::vector<LayerFigures> layers;  ///< where the mesh has some
    std::optional<double> cells_limit;
    bool limits_hold = true;

    ANVILCAST_API const Metric& metric(const std::string& name) const;  ///< throws InputError that lists the names
};

/// All metrics. Parallel, O(n log n) for the percentiles; the result does not depend on the number of threads.
ANVILCAST_API QualityReport assess(const VolumeMesh& mesh, const QualityLimits& limits = {},
                                   const Context& context = {});

/// The metrics of a surface's triangles: smallest angle, largest angle, equiangle skewness, area ratio.
/// WorstPlace::cell is the number of a triangle. Parallel, O(n log n).
ANVILCAST_API std::vector<Metric> assess_surface(const Surface& surface);

}  // namespace anvilcast
