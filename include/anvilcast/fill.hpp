// From a closed surface mesh and a size field to tetrahedra.
//
//     SizeField sizes = size_field_of_mesh(surface.surface, options);
//     VolumeMesh mesh = fill_with_tetrahedra(surface, sizes, {}, context);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/cube_layout.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/layers.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <array>
#include <optional>
#include <vector>

namespace anvilcast {

enum class FillCells : unsigned char { tetrahedra, polyhedra };
/// What stands away from walls: the same cells as elsewhere, or cubes.
enum class FillCore : unsigned char { same, cubes };

struct FillOptions {
    FillCells cells = FillCells::tetrahedra;  ///< of fill_with_layers; the other functions' names say it
    FillCore core = FillCore::same;
    CubeLayout layout = {};
    std::size_t max_cells = 0;  ///< the fill stops with an error well above this; 0: no limit
    bool optimise = true;
    /// Points of the boundary may slide along their smooth patch or feature curve where that makes the worst cells
    /// better, as long as the new surface stays within so many metres of the surface mesh (checked at the middles of
    /// triangles and edges); 0: in flat patches and along straight edges only; none: they stay. Corners never move, nor
    /// does what layers stand on.
    std::optional<double> slide = std::nullopt;
};

/// The fill could not bring back the boundary at some places, or needs points within layers there: let no layers grow
/// round them (LayerRequest::bare), or ask for other sizes there, and fill again.
class ANVILCAST_API FillObstacle : public FailureError {
  public:
    FillObstacle(const std::string& message, std::vector<Vec3> places)
        : FailureError(message), places_(std::move(places)) {}
    ~FillObstacle() override;
    /// All that were found before the fill stopped; at least one.
    const std::vector<Vec3>& places() const { return places_; }

  private:
    std::vector<Vec3> places_;
};

/// A point that boundary recovery had to leave on the surface mesh.
struct AddedBoundaryPoint {
    Vec3 place;
    Index triangle;                 ///< of the surface mesh, one of those that it lies on
    std::array<Index, 3> corners;   ///< points of the surface mesh; the third is kNone for a point on an edge
    std::array<double, 3> weights;  ///< place = sum of weights times corners, but for rounding
};

struct FillReport {
    std::vector<AddedBoundaryPoint> boundary_points_added;
    std::size_t boundary_points_lifted = 0;  ///< were needed to bring the boundary back, and could go off it again
    std::size_t edges_flipped_in = 0;
    std::size_t faces_flipped_in = 0;
    std::size_t interior_points = 0;
    std::size_t boundary_moves = 0;    ///< of points along the boundary, see FillOptions::slide
    std::size_t insertions = 0;        ///< points put in by the optimisation
    std::size_t cubes = 0;             ///< that stand whole in the core
    double cube_volume = 0;            ///< of all cubes, those that are divided as well, m^3
    std::size_t cells_of_core = 0;     ///< tetrahedra, before they are made polyhedra
    std::size_t bad_polyhedra = 0;     ///< that could not be made good, see fill_with_polyhedra
    std::size_t merged_polyhedra = 0;  ///< had no volume, and became one with a neighbour
    double worst_shape = 0;            ///< 6 sqrt(2) volume / (rms edge)^3 of the worst cell, 1 for a regular one
};

/// Guarantees: (1) every cell has a positive volume, decided exactly; (2) every triangle of the surface mesh, or a
/// subdivision of it, is a face, in its zone, but for what may slide, and every cell is in its region; (3) the same
/// input gives the same mesh, on any number of threads. Throws GeometryError when the surface is not closed or touches
/// itself, FailureError when max_cells is passed by half. Expected O(n log n).
ANVILCAST_API VolumeMesh fill_with_tetrahedra(const SurfaceMesh& surface, const SizeField& sizes,
                                              const FillOptions& options = {}, const Context& context = {},
                                              FillReport* report = nullptr);

/// The core inside of the stacks filled in the same way, and the cells of the layers put on: prisms; pyramids and
/// tetrahedra where columns beside each other differ by a layer; over fanned-out columns prisms along the edge and
/// hexahedra, with a pyramid on each. Guarantees as above; every point that the fill left on the top of a stack becomes
/// a column of its own. `surface`: the mesh that the stacks were grown on. Besides what fill_with_tetrahedra throws,
/// FailureError where a point was added to a face whose other side has no room for it, with the place.
ANVILCAST_API VolumeMesh fill_with_layers(const SurfaceMesh& surface, const LayerStacks& stacks, const SizeField& sizes,
                                          const FillOptions& options = {}, const Context& context = {},
                                          FillReport* report = nullptr);

/// The tetrahedra turned into polyhedra: one about each of their points, about a sixth as many as there were
/// tetrahedra; where walls stand out with an edge or a corner, one in front of each wall. Sharp edges of the boundary
/// (30 degrees and more), borders of zones and corners stay where they are, and flat zones flat; smoothly curved ones
/// lie as near to the surface mesh as that does to its parts. With layers (fill_with_layers, options.cells): a
/// polygonal prism for each layer of each column, divided where the wall bends sharply. Guarantees as above, but (2)
/// for the edges within smooth zones. Points are then moved until the centroid of every polyhedron sees all of its
/// faces from inside and the lines to the neighbours' centroids cross them at less than 65 degrees;
/// report.bad_polyhedra counts those where that was in vain. With layers, FailureError where a stack's side stands
/// against the core, with the place. O(n log n).
ANVILCAST_API VolumeMesh fill_with_polyhedra(const SurfaceMesh& surface, const SizeField& sizes,
                                             const FillOptions& options = {}, const Context& context = {},
                                             FillReport* report = nullptr);

}  // namespace anvilcast
