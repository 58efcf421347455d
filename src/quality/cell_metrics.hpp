// The metrics of one cell and of one face: the formulas of <anvilcast/metrics.hpp>.
#pragma once

#include <anvilcast/metrics.hpp>
#include <array>
#include <vector>

#include "quality/measures.hpp"

namespace anvilcast::quality {

/// By MetricId; NaN where the cell has none.
using CellFigures = std::array<double, kCellMetrics>;
/// By MetricId, from MetricId::non_orthogonality on.
using FaceFigures = std::array<double, kFaceMetrics>;

/// Computes the figures of cells one by one; keeps scratch memory, so one for each thread.
class CellProbe {
  public:
    CellProbe(const VolumeMesh& mesh, const Measures& measures) : mesh_(mesh), m_(measures) {}

    /// O(faces log faces); for tetrahedra some 100 ns.
    CellFigures operator()(std::size_t cell);

  private:
    /// A face of the cell at hand, turned out.
    struct Side {
        FaceMeasure measure;
        double area = 0;
        Index face = 0;
        bool is_own = false;
    };
    struct Edge {
        std::uint64_t points;  // the lower one above the higher one
        Index side;
    };

    CellFigures of_tetrahedron(std::size_t cell) const;
    CellFigures of_plane(std::size_t cell) const;
    void plane_sight(std::size_t cell, CellFigures& out) const;
    CellFigures of_any(std::size_t cell);
    void gather_sides(std::size_t cell);
    void dihedral_angles(CellFigures& out);
    void corner_angles(std::size_t cell, CellFigures& out) const;
    double aspect_ratio(std::size_t cell) const;
    double corner_determinant(std::size_t cell) const;
    double orthogonality(std::size_t cell) const;
    double visibility(std::size_t cell) const;

    const VolumeMesh& mesh_;
    const Measures& m_;
    std::vector<Side> sides_;
    std::vector<Edge> edges_;
};

FaceFigures face_figures(const VolumeMesh& mesh, const Measures& m, std::size_t face);

}  // namespace anvilcast::quality
