// Pictures of meshes, surfaces and sizes, as PNG or SVG; no display needed.
//
//     FigureOptions options;
//     options.unit = parse_length_unit("mm");
//     draw_cut("cut.png", mesh, {{0, 1, 0}, 0}, {ColourBy::type}, options);
//
// Each has a title, a legend with names and numbers or a colour scale, a scale bar in the unit, and axes. Throws
// InputError for an ending that is neither .png nor .svg, for a size beyond 200 to 8000 pixels, and for what there is
// nothing of; FailureError when the file cannot be written. A file appears whole or not at all.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/health.hpp>
#include <anvilcast/openings.hpp>
#include <anvilcast/quality.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/units.hpp>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace anvilcast {

/// The points p with dot(normal, p) = offset; the normal is a unit vector and points to the eye.
struct CutPlane {
    Vec3 normal{0, 1, 0};
    double offset = 0;
};
/// "x = 120", "y = 0", or "1,1,0 at 10,20,30" with lengths in `unit`. Throws InputError.
ANVILCAST_API CutPlane parse_cut_plane(std::string_view text, const LengthUnit& unit);
/// "front" (from -y), "back", "left" (from -x), "right", "top", "bottom", "corner", or a direction "1,-2,1": where the
/// eye is. Throws InputError.
ANVILCAST_API Vec3 parse_view(std::string_view text);

enum class ColourBy : unsigned char { zone, role, type, region, size, layers, metric };
struct Colouring {
    ColourBy by = ColourBy::zone;
    MetricId metric = MetricId::equiangle_skewness;  ///< of ColourBy::metric
};
/// "zone", "role", "type", "region", "size", "layers", or a metric by any of its names. Throws InputError.
ANVILCAST_API Colouring parse_colouring(std::string_view text);

struct FigureOptions {
    std::size_t width = 1280, height = 800;
    bool dark = false;
    bool edges = true;
    LengthUnit unit;
    std::string title;
    std::optional<Vec3> eye;        ///< direction that the eye is in; chosen where left out
    std::optional<Vec3> at;         ///< middle of the picture; with `across`
    std::optional<double> across;   ///< metres over the shorter side of the picture
    std::vector<std::string> only;  ///< patterns of the zones to show of a surface; all where empty
};

/// The boundary: by zone, role, size, layers (how many stand on each face) or a metric of cells (the one behind).
ANVILCAST_API void draw_boundary(const std::filesystem::path& file, const VolumeMesh& mesh, const Colouring& colouring,
                                 const FigureOptions& options, const Context& context = {});

/// The whole cells that a plane meets, as seen from the side that its normal points to. Throws InputError with the
/// range to choose from when it misses the mesh.
ANVILCAST_API void draw_cut(const std::filesystem::path& file, const VolumeMesh& mesh, const CutPlane& plane,
                            const Colouring& colouring, const FigureOptions& options, const Context& context = {});

/// The surroundings of the worst cell of a metric, and the cell marked.
ANVILCAST_API void draw_worst(const std::filesystem::path& file, const VolumeMesh& mesh, MetricId metric,
                              const FigureOptions& options, const Context& context = {});

/// The layers over the wall's place nearest to the given one, cut open upright.
ANVILCAST_API void draw_stack(const std::filesystem::path& file, const VolumeMesh& mesh, const Vec3& place,
                              const FigureOptions& options, const Context& context = {});

ANVILCAST_API void draw_histogram(const std::filesystem::path& file, const Metric& metric,
                                  const FigureOptions& options);

/// A surface by zone, role, or a metric of the boundary's triangles.
ANVILCAST_API void draw_surface(const std::filesystem::path& file, const Surface& surface, const Colouring& colouring,
                                const FigureOptions& options);

/// The same in one colour, with its rims as lines and each kind of defect as marks.
ANVILCAST_API void draw_defects(const std::filesystem::path& file, const Surface& surface, const SurfaceHealth& health,
                                const FigureOptions& options);

/// The same, with the patches of the openings and their names, or numbers where they have none.
ANVILCAST_API void draw_openings(const std::filesystem::path& file, const Surface& surface,
                                 const std::vector<Opening>& openings, const FigureOptions& options);

/// The sizes asked for on a plane through the regions of a domain.
ANVILCAST_API void draw_sizes(const std::filesystem::path& file, const Domain& domain, const SizeField& field,
                              const CutPlane& plane, const FigureOptions& options, const Context& context = {});

/// What a build leaves in its directory of figures: boundary.png, cut.png (through the middle, across the shortest
/// extent; by type, by region, or by quality where there is one of each), worst.png, and layers.png where there are
/// some.
ANVILCAST_API void draw_build(const std::filesystem::path& directory, const VolumeMesh& mesh, const LengthUnit& unit,
                              const std::string& title, const Context& context = {});

}  // namespace anvilcast
