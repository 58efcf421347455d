// Plane meshes: curves enclose areas, which are filled with triangles, or divided like a chessboard.
//
//     PlaneRequest request;
//     request.curves = {{{"wall"}, circle({0, 0}, 0.02)}};
//     request.areas = {{"water", RegionKind::fluid, Vec2{0, 0}, PlaneCells::mapped}};
//     request.sizing.surface = 0.002;
//     PlanarMesh mesh = mesh_plane(request);
//     VolumeMesh volume = sweep_straight(mesh, {0, 0, 0.1}, {.steps = 50});   // <anvilcast/sweep.hpp>
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/layers.hpp>
#include <anvilcast/periodic.hpp>
#include <anvilcast/planar_mesh.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/surface.hpp>
#include <anvilcast/surround.hpp>
#include <anvilcast/units.hpp>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace anvilcast {

struct StraightPiece {
    Vec2 from, to;
};
/// Of an ellipse about `middle` whose first half axis is turned by `turned` radians; from one angle to another, in
/// radians, counter-clockwise when the second is the larger one.
struct ArcPiece {
    Vec2 middle;
    double first_radius = 1, second_radius = 1;
    double turned = 0;
    double from = 0, to = 0;
};
/// The cubic spline through points, by the lengths of its chords; its curvature is 0 at ends, and goes on when closed.
struct SmoothPiece {
    std::vector<Vec2> points;
    bool is_closed = false;          ///< from the last point on to the first; they differ
    std::vector<Vec2> bends = {};    ///< second derivatives at the points
    std::vector<double> knots = {};  ///< lengths of the chords, summed up
};
using CurvePiece = std::variant<StraightPiece, ArcPiece, SmoothPiece>;
using CurvePieces = std::vector<CurvePiece>;

/// The place at a share of the way along it, 0 to 1; not by length.
ANVILCAST_API Vec2 place_on(const CurvePiece& piece, double share);

ANVILCAST_API CurvePieces straight_pieces(const std::vector<Vec2>& points);
/// Throws InputError when the three are in a line, or two of them in one place.
ANVILCAST_API CurvePieces arc_through(const Vec2& from, const Vec2& by, const Vec2& to);
ANVILCAST_API CurvePieces circle(const Vec2& middle, double radius);
ANVILCAST_API CurvePieces ellipse(const Vec2& middle, double first_radius, double second_radius, double turned_deg = 0);
/// Smooth but at points where the way through them turns by more than an angle; closed when the last point is the
/// first. Throws InputError for fewer than two points, or equal ones in a row.
ANVILCAST_API CurvePieces smooth_curve(const std::vector<Vec2>& points, double corner_angle_deg = 30);

/// Turned about a place, counter-clockwise, made larger from there, then moved.
struct PlaneMotion {
    Vec2 about;
    double turned_deg = 0;
    double scale = 1;
    Vec2 moved;
};
ANVILCAST_API CurvePieces moved_by(const CurvePieces& pieces, const PlaneMotion& motion);

/// Where the edges of a biased curve are shortest.
enum class FinerAt { start, end, ends, middle };

struct PlaneCurve {
    Zone zone;
    CurvePieces pieces;
    std::optional<int> divisions = {};  ///< of the whole curve; left out: by size
    double bias = 1;                    ///< the longest edge over the shortest
    FinerAt finer_at = FinerAt::start;
    int line = 0;                 ///< of the case file
    double corner_angle_deg = 3;  ///< pieces that meet at more make a corner, which is a point of the mesh
    bool gives_way = false;       ///< left out where it runs along another curve, which else is refused
    bool divides = false;         ///< it is no zone: it cuts the area that it runs through into patches
};

/// Triangles; quadrangles alone, wherever they lie; or rows and columns.
enum class PlaneCells { triangles, quadrangles, mapped };

struct PlaneArea {
    std::string name = "fluid";
    RegionKind kind = RegionKind::fluid;
    std::optional<Vec2> inside = {};  ///< left out: the only area that there is
    PlaneCells cells = PlaneCells::triangles;
    std::vector<Vec2> corners = {};  ///< of a mapped one: the outline's corners next to these; empty: found
    int line = 0;
};

/// The points p with dot(normal, p) = offset; the normal has length 1.
struct SectionPlane {
    Vec3 normal{0, 0, 1};
    double offset = 0;

    /// Its axes: x and y across z, x and z across y, y and z across x; else x lies level (across z).
    ANVILCAST_API Vec3 x_axis() const;
    ANVILCAST_API Vec3 y_axis() const;
};

/// The curves that a surface is cut into, with the zones' names and roles, in the plane's axes: the coordinate x is
/// dot(x_axis, p). Which triangles are met is decided by the signs of distances from the plane, points on it counting
/// as above (or all as below, where it would only touch else), so curves are closed where the surface is. Throws
/// GeometryError when the plane misses the surface. O(n log n).
ANVILCAST_API std::vector<PlaneCurve> section_of(const Surface& surface, const SectionPlane& plane,
                                                 double corner_angle_deg = 30);

/// The outer boundary of a flow in the plane round curves: SurroundOptions as in space, the flow and what is ahead,
/// behind and above of it in the plane; a box, a circle (`sphere`), a half circle on the ground or before a mirror
/// line, or a bullet. Curves named inflow, outflow, sides, top, bottom or ground, and symmetry, as far as the shape has
/// them. `lies_within` gets a place between it and the curves. Throws as make_surround does.
ANVILCAST_API std::vector<PlaneCurve> surround_of(const std::vector<PlaneCurve>& curves, const SurroundOptions& options,
                                                  const LengthUnit& unit, Vec2* lies_within = nullptr);

struct PlaneRequest {
    std::vector<PlaneCurve> curves;
    std::vector<PlaneArea> areas;  ///< empty: the only area that there is, a fluid
    SizeOptions sizing;
    double join = 0;                        ///< ends of curves within this distance are one point; metres
    std::vector<LayerRecipe> layers = {};   ///< on curves; the first one that fits a side of a curve is its own
    std::optional<WallEstimate> wall = {};  ///< needed for recipes with y+
    YPlusAt y_plus_at = YPlusAt::cell_center;
    /// Pairs of curves' zones, moved or turned within the plane.
    std::vector<PeriodicRequest> periodic = {};
};

struct PlaneResult {
    PlanarMesh mesh;
    std::vector<std::string> warnings;
    std::vector<ZoneLayers> layers;     ///< lengths in the place of areas; numbers of the mesh's zones and regions
    std::vector<LayerFigures> figures;  ///< the same as they were reached
    double layer_cells = 0;
};

/// Throws InputError for curves that do not meet (with the gap), an area that is open or not there, three points of an
/// arc in a line, divisions that contradict each other; GeometryError for zones that do not repeat; each with a place.
/// O(n log n) for n cells; the same mesh on any number of threads.
/// Sources: S. Owen, A survey of unstructured mesh generation technology (1998), for points placed from the boundary
/// inwards; W. J. Gordon, C. A. Hall, Construction of curvilinear co-ordinate systems (1973), for mapped areas.
ANVILCAST_API PlaneResult mesh_plane(const PlaneRequest& request, const Context& context = {});

}  // namespace anvilcast
