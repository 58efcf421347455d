// Inflation layers: columns of points on the walls, and what is left of the volume inside of them.
//
//     LayerRequest request{.recipes = {{.on = {"floor"}, .first_height = 1e-4, .count = 8, .growth = 1.2}}};
//     LayerStacks stacks = grow_layers(surface, sizes, request, context);
//     VolumeMesh mesh = fill_with_layers(surface, stacks, sizes, {}, context);      // <anvilcast/fill.hpp>
//
// A column stands on a point of a wall; where walls turn round a sharp edge by so much that one column would not do,
// several stand on one point, fanned out. Layer k of a triangle lies between the levels k - 1 and k of its columns.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/layer_stack.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <array>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// Round a place, in metres.
struct Ball {
    Vec3 center;
    double radius = 0;
};

struct LayerRequest {
    std::vector<LayerRecipe> recipes;       ///< the first one that fits a side of a zone is its own
    std::optional<WallEstimate> wall = {};  ///< needed for recipes with y+
    YPlusAt y_plus_at = YPlusAt::cell_center;
    std::vector<Ball> bare = {};  ///< no column stands on a point within one of these
};

/// Why a column is not as it was asked for.
enum class LayerLimit : unsigned char {
    none,
    narrow_gap,      ///< another wall, or its layers, is in the way
    sharp_edge,      ///< no direction is far enough from all faces of the point
    corner_of_zone,  ///< the zones beside the wall leave no way to slide along
    slope,           ///< a neighbour is lower, and the top must not be steep
    crossing,        ///< cells would have turned over, or tops crossed
    fill,            ///< asked for by LayerRequest::bare: the fill needs a point where layers would be
};
ANVILCAST_API const char* layer_limit_text(LayerLimit limit);

/// The layers of one zone, on one side of it.
struct ZoneLayers {
    Index zone = 0, region = 0;
    LayerStack asked;          ///< at the zone's mean size
    double area = 0;           ///< of the wall, m^2
    double full_area = 0;      ///< where all layers are
    double squeezed_area = 0;  ///< of that, where they are lower together than asked for
    double bare_area = 0;      ///< without any layer
    struct Shortfall {
        LayerLimit limit = LayerLimit::none;
        double area = 0;
        Vec3 at;  ///< the largest triangle's middle
    };
    std::vector<Shortfall> shortfalls;  ///< largest area first
};

/// Columns, and the boundary of the core: what remains to be filled.
struct LayerStacks {
    struct Column {
        Index point = 0;  ///< of the surface mesh, that it stands on
        Index first = 0;  ///< its level k, from 1 to count, is at levels[first + k - 1]
        Index count = 0;
        Index top = 0;                        ///< point of the core's boundary; the wall's own where count is 0
        double room = 0;                      ///< it had, metres
        LayerLimit limit = LayerLimit::none;  ///< what took room from it
    };
    /// A triangle of the wall, or one of the faces without width between fanned-out columns (side is kNone then).
    struct Face {
        std::array<Index, 4> columns;  ///< counter-clockwise seen from the region; the last one kNone for a triangle
        Index side = kNone;            ///< 2 t for the front of triangle t of the surface mesh, 2 t + 1 for its back
        Index region = 0;
        Index apex = kNone;  ///< of a quadrangle: the point of the core's boundary above its top
        bool is_quad() const { return columns[3] != kNone; }
    };
    /// Where the outermost layers lie on a zone without layers that they slide along.
    struct Strip {
        Index a = 0, b = 0;  ///< columns, in the order of the face they belong to
        Index zone = 0;
    };
    std::vector<Column> columns;
    std::vector<Vec3> levels;
    std::vector<Face> faces;
    std::vector<Strip> strips;
    SurfaceMesh core;
    std::vector<Index> face_of_core;   ///< of each triangle of the core's boundary, the face it is a top of, or kNone
    std::vector<Index> wall_of_core;   ///< or the triangle of the surface mesh that it is, or came from; else kNone
    std::vector<Index> core_point_of;  ///< of each point of the surface mesh; kNone where it is not on the core
    std::vector<ZoneLayers> zones;

    const Vec3& level(const Column& c, Index k, const std::vector<Vec3>& wall) const {
        return k == 0 ? wall[c.point] : levels[c.first + k - 1];
    }
};

/// Guarantees: (1) every cell between the columns has a positive Jacobian at all corners, decided exactly; (2) the
/// core's boundary is closed and does not cross itself, decided exactly; (3) columns of one triangle differ by at most
/// one layer; (4) the same stacks on any number of threads. Where the stacks asked for do not fit they are squeezed,
/// down to the recipe's share, then made of fewer layers; `zones` tells where and why. Throws InputError for recipes
/// that no stack fulfils or whose patterns fit nothing, with the line. Expected O(n log n), n triangles of the surface
/// mesh. `earlier`: what came of a request that differs by fewer `bare` places alone; it is begun from the rooms that
/// columns had there, which is several times as fast. Sources: R. Aubry, R. Loehner, On the most normal normal (2008);
/// R. Garimella, M. Shephard, Boundary layer mesh generation for viscous flow simulations (2000).
ANVILCAST_API LayerStacks grow_layers(const SurfaceMesh& surface, const SizeField& sizes, const LayerRequest& request,
                                      const Context& context = {}, const LayerStacks* earlier = nullptr);

/// What a recipe comes to on one side of a zone, before anything is meshed.
struct LayerForecast {
    Index zone = 0, region = 0;
    LayerStack stack;        ///< at the zone's mean size
    double area = 0;         ///< of the wall, m^2
    double volume_step = 0;  ///< a core cell's volume over that of the last layer's beside it
    double core_cells = 0;   ///< that the layers take the place of: those that would be within the stacks, less those
                             ///< that the core has more on their tops, whose triangles are as small as the wall's
    double narrow_area = 0;  ///< where an opposite wall leaves no room for the stacks and the core cells between them
    double narrowest = 0;    ///< distance there, metres; 0 where nothing is narrow
    double needed = 0;       ///< what the stacks and core cells need there, metres
    Vec3 narrowest_at;
};

/// Throws as grow_layers does. Looks at the wall opposite from points on each triangle; parallel, O(n log n).
ANVILCAST_API std::vector<LayerForecast> forecast_layers(const Domain& domain, const SizeField& sizes,
                                                         const LayerRequest& request, const Context& context = {});

/// The recipe for the side of a zone that faces a region; nothing when there is none. `name`: what that region calls
/// it; `beyond`: the kind of what lies behind it, if there is a region. To a fluid a solid is a wall; a side that
/// repeats never has any.
ANVILCAST_API std::optional<Index> recipe_for(const std::vector<LayerRecipe>& recipes, const std::string& name,
                                              Role role, const Region& region,
                                              std::optional<RegionKind> beyond = std::nullopt);

}  // namespace anvilcast
