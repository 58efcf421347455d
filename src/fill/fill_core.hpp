// The fill up to cells and boundary, with what it takes to go on from there.
#pragma once

#include <anvilcast/assembly.hpp>
#include <anvilcast/fill.hpp>
#include <functional>
#include <optional>

#include "cubes/cubes.hpp"
#include "poly/layer_slots.hpp"

namespace anvilcast::fill {

/// Two regions run into each other: the surface is not closed, or part of it was lost.
class RegionsMeet : public GeometryError {
  public:
    RegionsMeet(const std::string& message, const Vec3& place) : GeometryError(message), place_(place) {}
    const Vec3& place() const { return place_; }

  private:
    Vec3 place_;
};

/// Cubes that are still to be put in, where polyhedra are made of all.
struct CubesToCome {
    cubes::CubeCore core;
    std::vector<Triangle> hull;     ///< of the core, by the filled cells' points
    std::vector<Index> wall_zones;  ///< of the core's walls
};

struct FilledCore {
    CellsAndBoundary cells;
    std::vector<Index> parent;  ///< of each triangle of the boundary: the one of the surface mesh that it is of
    std::vector<Index>
        number_of;  ///< of each point of the surface mesh among the cells' points; kNone for an unused one
    std::optional<CubesToCome> cubes = {};  ///< the cells have a hole there, which the boundary tells nothing of
};

/// Looks at the points that the boundary needs, before anything is filled; may throw.
using BoundaryCheck = std::function<void(const std::vector<AddedBoundaryPoint>&)>;

/// Sizes are made when the boundary is known to stand.
using MakeSizes = std::function<SizeField()>;

/// As fill_with_tetrahedra, but for the assembly. `may_slide`: of each point of the surface mesh, where the options let
/// points slide; left out: all. `is_top`: of each triangle, layers are under it; left out: of none.
FilledCore fill_core(const SurfaceMesh& surface, const MakeSizes& make_sizes, const FillOptions& options,
                     const Context& context, FillReport& report, const std::vector<char>& may_slide = {},
                     const BoundaryCheck& check = {}, const std::vector<char>& is_top = {});

/// As fill_core, with nothing but tetrahedra.
FilledCore fill_with_tetrahedra_alone(const SurfaceMesh& surface, const MakeSizes& make_sizes,
                                      const FillOptions& options, const Context& context, FillReport& report,
                                      const std::vector<char>& may_slide, const BoundaryCheck& check,
                                      const std::vector<char>& is_top);

/// Cubes, and tetrahedra between them and the surface. Where the fill would need a point on the cubes' hull, cubes
/// there are left out.
FilledCore fill_round_cubes(const SurfaceMesh& surface, const MakeSizes& make_sizes, const FillOptions& options,
                            const Context& context, FillReport& report, const std::vector<char>& may_slide,
                            const BoundaryCheck& check, const std::vector<char>& is_top);

/// The core with the layers' cells put on, and the boundary of both. `added`: the points on the core's boundary that
/// its surface mesh did not have; each becomes a column, with those it lies between. `slots`: if wanted, those of all
/// cells from the first layer cell on.
CellsAndBoundary with_layer_cells(const SurfaceMesh& wall, const LayerStacks& stacks, FilledCore&& core,
                                  const std::vector<AddedBoundaryPoint>& added, poly::LayerSlots* slots = nullptr);

/// Polyhedra of the cells, and of the cubes where there is a hole for them; tells how many are not as they should be.
VolumeMesh made_polyhedra(CellsAndBoundary&& cells, const std::optional<CubesToCome>& cubes, poly::LayerSlots slots,
                          const Context& context, FillReport& report);

}  // namespace anvilcast::fill
