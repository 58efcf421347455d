#include "pipeline/cube_plan.hpp"

#include <anvilcast/prediction.hpp>

#include <algorithm>

#include "cubes/cubes.hpp"

namespace anvilcast {
namespace {

/// Tetrahedra in the cube of a size: 1 / 0.1179 of regular ones; more of those that fill space. Measured on boxes.
constexpr double kPerSizeCubed = 8.8;
/// A polyhedron is about each point. Those of the hull are half within the belt, where they are counted by its
/// tetrahedra: a quarter of a polyhedron for each triangle is counted twice.
constexpr double kPerHullTriangle = 0.26;

}  // namespace

CubePlan cubes_of(const Domain& domain, const SizeField& sizes, const std::vector<double>& heights, const Case& c,
                  const Context& context) {
    SurfaceMesh boundary;
    boundary.surface = domain.boundary;
    boundary.sides = domain.sides;
    for (const DomainRegion& r : domain.regions) boundary.regions.push_back({r.name, r.kind});
    cubes::CubeOptions options;
    options.keep_whole = c.cells == FillCells::polyhedra;
    options.layout = c.layout;
    for (const Index zone : domain.boundary.zone_of) options.heights.push_back(heights[zone]);
    options.may_carry = cubes::triangles_that_carry(boundary);
    for (std::size_t t = 0; t < options.heights.size(); ++t)
        if (options.heights[t] > 0) options.may_carry[t] = 0;
    const cubes::CubeCore core = cubes::make_cubes(boundary, sizes, options, context);
    CubePlan plan;
    plan.whole = static_cast<double>(core.n_cubes);
    plan.cells = static_cast<double>(core.types.size());
    if (options.keep_whole)
        plan.cells = static_cast<double>(core.points.size()) - kPerHullTriangle * static_cast<double>(core.hull.size());
    plan.volume = core.cube_volume;
    plan.tetrahedra = kPerSizeCubed * core.places_of_cells;
    for (const auto& [edge, n] : core.edges) plan.edges.emplace_back(edge, static_cast<double>(n));
    return plan;
}

double cells_of_core(double tetrahedra, double triangles, FillCells cells, const CubePlan* cubes) {
    if (cubes != nullptr) tetrahedra = std::max(0.0, tetrahedra - cubes->tetrahedra);
    const double others =
        cells == FillCells::polyhedra ? predicted_polyhedra(tetrahedra, triangles) : std::max(0.0, tetrahedra);
    return others + (cubes != nullptr ? cubes->cells : 0);
}

}  // namespace anvilcast
