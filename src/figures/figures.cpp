#include <anvilcast/errors.hpp>
#include <anvilcast/figures.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "base/thread_limit.hpp"
#include "figures/outer_zones.hpp"
#include "figures/plane_figures.hpp"
#include "figures/scene.hpp"

namespace anvilcast {
namespace {

using namespace figures;

constexpr Vec3 kCorner{0.62, -1, 0.5};

std::string mesh_title(const VolumeMesh& mesh, const FigureOptions& options) {
    return fmt::format("{}{}{} cells", options.title, options.title.empty() ? "" : ": ", format_count(mesh.n_cells()));
}

void refuse_empty(const VolumeMesh& mesh) {
    if (mesh.n_cells() == 0) throw InputError("there is nothing to draw: the mesh has no cells");
}

/// The zones that fit one of the patterns.
std::vector<char> shown_zones(const auto& zones, const std::vector<std::string>& patterns) {
    std::vector<char> out(zones.size(), patterns.empty() ? 1 : 0);
    for (std::size_t z = 0; z < zones.size(); ++z)
        for (const std::string& p : patterns)
            if (matches_pattern(zones[z].name, p)) out[z] = 1;
    if (std::find(out.begin(), out.end(), 1) == out.end()) {
        std::string names;
        for (const auto& z : zones) names += (names.empty() ? "" : ", ") + z.name;
        throw InputError(fmt::format("no zone fits {}; there are: {}", fmt::join(patterns, ", "), names));
    }
    return out;
}

std::string plane_text(const CutPlane& plane, const LengthUnit& unit) {
    for (int axis = 0; axis < 3; ++axis)
        if (std::abs(plane.normal[axis]) > 1 - 1e-12)
            return fmt::format("{} = {}", "xyz"[axis], format_length(plane.offset * plane.normal[axis], unit));
    return fmt::format("with the normal [{:.3g}, {:.3g}, {:.3g}] at {}", plane.normal.x, plane.normal.y, plane.normal.z,
                       format_length(plane.offset, unit));
}

std::string colouring_text(const Colouring& c) {
    constexpr std::array<const char*, 6> kNames{"zone", "role", "type", "region", "size", "number of layers"};
    return c.by == ColourBy::metric ? metric_info(c.metric).name : kNames[static_cast<std::size_t>(c.by)];
}

/// The cells that stand on the far side of the plane or are met by it; those met are listed.
std::vector<char> kept_cells(const VolumeMesh& mesh, const CutPlane& plane, std::vector<Index>& met) {
    std::vector<float> height(mesh.points.size());
    for (std::size_t p = 0; p < height.size(); ++p)
        height[p] = static_cast<float>(dot(plane.normal, mesh.points[p]) - plane.offset);
    std::vector<char> above(mesh.n_cells(), 0), below(mesh.n_cells(), 0);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f)
        for (const Index p : mesh.face(f)) {
            auto note = [&](Index c) { (height[p] > 0 ? above : below)[c] = 1; };
            note(mesh.owner[f]);
            if (f < mesh.n_inner_faces()) note(mesh.neighbour[f]);
        }
    for (Index c = 0; c < mesh.n_cells(); ++c)
        if (above[c] != 0 && below[c] != 0) met.push_back(c);
    return below;
}

/// The corners of the parts that a picture of these facets is to hold.
std::vector<Vec3> points_of(const Facets& facets) {
    std::vector<Vec3> out;
    for (const Index p : facets.corners) out.push_back(facets.points[p]);
    return out;
}

double size_of(const VolumeMesh& mesh, Index cell) {
    Box box;
    for (const Index p : mesh.cell(cell)) box.include(mesh.points[p]);
    if (mesh.cell_types[cell] == CellType::polyhedron)
        for (std::size_t f = 0; f < mesh.n_faces(); ++f)
            if (mesh.owner[f] == cell || (f < mesh.n_inner_faces() && mesh.neighbour[f] == cell))
                for (const Index p : mesh.face(f)) box.include(mesh.points[p]);
    return box.diagonal();
}

/// The cells whose middle is on the far side of a plane, and nothing farther away than `reach`.
std::vector<char> cells_behind(const VolumeMesh& mesh, const CutPlane& plane, const Vec3& place, double reach) {
    std::vector<Vec3> sum(mesh.n_cells());
    std::vector<Index> n(mesh.n_cells(), 0);
    for (std::size_t f = 0; f < mesh.n_faces(); ++f)
        for (const Index p : mesh.face(f)) {
            auto note = [&](Index c) {
                sum[c] += mesh.points[p];
                ++n[c];
            };
            note(mesh.owner[f]);
            if (f < mesh.n_inner_faces()) note(mesh.neighbour[f]);
        }
    std::vector<char> out(mesh.n_cells(), 0);
    for (Index c = 0; c < mesh.n_cells(); ++c) {
        const Vec3 center = sum[c] / static_cast<double>(n[c]);
        out[c] = dot(plane.normal, center) <= plane.offset && distance(center, place) < reach ? 1 : 0;
    }
    return out;
}

/// The direction along the wall that is closest to level, so that a stack is seen from beside.
Vec3 along_wall(const Vec3& normal) {
    const Vec3 level = std::abs(normal.z) < 0.9 ? Vec3{0, 0, 1} : Vec3{0, 1, 0};
    return normalized(cross(level, normal));
}

struct NearestFace {
    Index face = kNone;
    Vec3 place, normal;  // normal out of the cell behind
};

NearestFace nearest_face(const VolumeMesh& mesh, const Vec3& p) {
    NearestFace best;
    double least = Box::inf;
    for (auto f = static_cast<Index>(mesh.n_plain_faces()); f < mesh.n_faces(); ++f) {
        const auto q = mesh.face(f);
        for (std::size_t k = 2; k < q.size(); ++k) {
            const Vec3 &a = mesh.points[q[0]], &b = mesh.points[q[k - 1]], &c = mesh.points[q[k]];
            const Vec3 at = closest_point_on_triangle(p, a, b, c);
            if (const double d = distance_squared(p, at); d < least) {
                least = d;
                best = {f, at, normalized(triangle_normal(a, b, c))};
            }
        }
    }
    if (best.face == kNone) throw InputError("the mesh has no boundary face");
    return best;
}

const std::string& zone_name(const VolumeMesh& mesh, Index face) {
    for (const BoundaryZone& z : mesh.zones)
        if (face >= z.first_face && face < z.first_face + z.n_faces) return z.name;
    throw InternalError("a face that should be in a zone is in none");
}

}  // namespace

void draw_boundary(const std::filesystem::path& file, const VolumeMesh& mesh, const Colouring& colouring,
                   const FigureOptions& options, const Context& context) {
    refuse_empty(mesh);
    check_size(options);
    const ThreadLimit limit(context);
    std::vector<char> is_shown = shown_zones(std::span(mesh.zones).first(mesh.n_named_zones()), options.only);
    Picture picture;
    picture.title = mesh_title(mesh, options);
    if (mesh.is_plane()) {
        picture.subtitle = fmt::format("Coloured by {}", colouring_text(colouring));
        return draw_plane(file, mesh, colouring, is_shown, std::move(picture), options, context);
    }
    const Paint paint(mesh, colouring, options, context);
    picture.subtitle = fmt::format("The boundary, coloured by {}", colouring_text(colouring));
    const bool is_chosen = !options.only.empty() || options.eye || options.at;
    if (const auto body = is_chosen ? std::nullopt : body_within(mesh)) {
        for (std::size_t z = 0; z < is_shown.size(); ++z) is_shown[z] = body->is_outer[z] == 0 ? 1 : 0;
        picture.subtitle += " (without the outer zones, which hide the body: name some with --only)";
    }
    picture.facets.points = mesh.points;
    for (Index z = 0; z < mesh.zones.size(); ++z) {
        if (is_shown[z] == 0) continue;
        for (std::size_t f = mesh.zones[z].first_face; f < mesh.zones[z].first_face + mesh.zones[z].n_faces; ++f) {
            const auto p = mesh.face(f);
            picture.facets.add({p.begin(), p.end()}, paint.of_face(f, z), options.edges);
        }
    }
    paint.explain_zones(picture, is_shown);
    figures::paint(file, picture, camera_from(options.eye.value_or(kCorner)), options, points_of(picture.facets));
}

void draw_cut(const std::filesystem::path& file, const VolumeMesh& mesh, const CutPlane& plane,
              const Colouring& colouring, const FigureOptions& options, const Context& context) {
    refuse_empty(mesh);
    check_size(options);
    const ThreadLimit limit(context);
    if (mesh.is_plane())
        throw InputError("a plane mesh has no inside to cut: leave out --cut, and it is drawn as it lies");
    std::vector<Index> met;
    const std::vector<char> kept = kept_cells(mesh, plane, met);
    if (met.empty()) {
        double low = Box::inf, high = -Box::inf;
        for (const Vec3& p : mesh.points) {
            low = std::min(low, dot(plane.normal, p));
            high = std::max(high, dot(plane.normal, p));
        }
        const double sense = plane.normal.x + plane.normal.y + plane.normal.z < 0 ? -1 : 1;
        if (sense < 0) std::swap(low, high);
        // Rounding is no distance.
        for (double* end : {&low, &high})
            if (std::abs(*end) < 1e-9 * (std::abs(low) + std::abs(high))) *end = 0;
        throw InputError(fmt::format("the plane {} misses the mesh, which reaches from {} to {} along its normal",
                                     plane_text(plane, options.unit), format_length(sense * low + 0.0, options.unit),
                                     format_length(sense * high + 0.0, options.unit)));
    }
    const Paint paint(mesh, colouring, options, context);
    Picture picture;
    picture.title = mesh_title(mesh, options);
    picture.subtitle = fmt::format("{} cells cut by the plane {}, coloured by {}", format_count(met.size()),
                                   plane_text(plane, options.unit), colouring_text(colouring));
    add_cut(mesh, kept, met, paint, theme(options.dark), options.edges, picture);
    paint.explain(picture, met);
    figures::paint(file, picture, camera_from(options.eye.value_or(plane.normal)), options, points_of(picture.facets));
}

void draw_worst(const std::filesystem::path& file, const VolumeMesh& mesh, MetricId metric,
                const FigureOptions& options, const Context& context) {
    refuse_empty(mesh);
    check_size(options);
    const ThreadLimit limit(context);
    const MetricInfo& m = metric_info(metric);
    const WorstPlace w = worst_places(mesh, metric, 1, context).at(0);
    if (mesh.is_plane()) {
        FigureOptions close = options;
        if (!close.at) {
            if (!close.across) close.across = 9 * size_of(mesh, static_cast<Index>(w.cell));
            close.at = w.place;
        }
        Picture picture;
        picture.title = mesh_title(mesh, options);
        picture.subtitle = fmt::format("The worst {}: {:.4g}{}, {} '{}'{}{}", m.name, w.value, m.unit,
                                       w.distance > 0 ? "near" : "at", w.zone, w.cause.empty() ? "" : "; ", w.cause);
        picture.ring = Vec3{w.place.x, w.place.y, mesh.plane_depth};
        const std::vector<char> all(mesh.n_named_zones(), 1);
        return draw_plane(file, mesh, {ColourBy::metric, metric}, all, std::move(picture), close, context);
    }
    // The wall near by is seen from its edge.
    const NearestFace wall = nearest_face(mesh, w.place);
    FigureOptions close = options;
    if (!close.eye) close.eye = along_wall(wall.normal);
    if (!close.at) {
        if (!close.across) close.across = 9 * size_of(mesh, static_cast<Index>(w.cell));
        // A wall near by is no lower than a quarter up the picture: beyond it there is nothing.
        const double above = dot(wall.normal, wall.place - w.place);
        close.at = w.place - wall.normal * std::max(0.0, 0.25 * *close.across - above);
    }
    const CutPlane plane{normalized(*close.eye), dot(normalized(*close.eye), w.place)};
    std::vector<char> kept = cells_behind(mesh, plane, w.place, 3 * close.across.value_or(Box::inf));
    kept[w.cell] = 1;
    const Colouring colouring{ColourBy::metric, metric};
    const Paint paint(mesh, colouring, options, context);
    Picture picture;
    picture.title = mesh_title(mesh, options);
    picture.subtitle = fmt::format("The worst {}: {:.4g}{}, {} '{}'{}{}", m.name, w.value, m.unit,
                                   w.distance > 0 ? "near" : "at", w.zone, w.cause.empty() ? "" : "; ", w.cause);
    add_cut(mesh, kept, {}, paint, theme(options.dark), options.edges, picture);
    paint.explain(picture, {});
    picture.ring = w.place;
    Camera camera = camera_from(*close.eye);
    if (std::abs(dot(wall.normal, camera.towards)) < 0.5) {
        camera.up = normalized(-wall.normal + camera.towards * dot(wall.normal, camera.towards));
        camera.right = cross(camera.up, camera.towards);
    }
    figures::paint(file, picture, camera, close, {});
}

void draw_stack(const std::filesystem::path& file, const VolumeMesh& mesh, const Vec3& place,
                const FigureOptions& options, const Context& context) {
    refuse_empty(mesh);
    check_size(options);
    const ThreadLimit limit(context);
    if (mesh.is_plane()) {
        FigureOptions close = options;
        if (!close.at) {
            close.at = place;
            if (!close.across)
                throw InputError("the layers of a plane mesh are drawn with --across, the width of the picture");
        }
        Picture picture;
        picture.title = mesh_title(mesh, options);
        picture.subtitle = "Types of cells at the place";
        const std::vector<char> all(mesh.n_named_zones(), 1);
        return draw_plane(file, mesh, {ColourBy::type, {}}, all, std::move(picture), close, context);
    }
    const NearestFace wall = nearest_face(mesh, place);
    const std::vector<FaceLayers> layers = layers_on_faces(mesh, context);
    const auto here =
        std::find_if(layers.begin(), layers.end(), [&](const FaceLayers& f) { return f.face == wall.face; });
    const bool has_layers = here != layers.end() && here->count > 0;
    FigureOptions close = options;
    const Vec3 eye = normalized(options.eye.value_or(along_wall(wall.normal)));
    const CutPlane plane{eye, dot(eye, wall.place)};
    const double size = size_of(mesh, mesh.owner[wall.face]);
    if (!close.across) close.across = has_layers ? 2.6 * here->total : 6 * size;
    if (!close.at) close.at = wall.place - wall.normal * (0.4 * *close.across);
    const std::vector<char> kept = cells_behind(mesh, plane, wall.place, 4 * *close.across);
    const Colouring by_type{ColourBy::type, {}};
    const Paint paint(mesh, by_type, options, context);
    Picture picture;
    picture.title = mesh_title(mesh, options);
    picture.subtitle =
        has_layers ? fmt::format("{} layers on '{}': the first {} high, together {}, growth {:.3f}", here->count,
                                 zone_name(mesh, wall.face), format_length(here->first, options.unit),
                                 format_length(here->total, options.unit), here->growth)
                   : fmt::format("No layers on '{}' at this place", zone_name(mesh, wall.face));
    add_cut(mesh, kept, {}, paint, theme(options.dark), options.edges, picture);
    std::vector<Index> shown;
    for (Index c = 0; c < mesh.n_cells(); ++c)
        if (kept[c] != 0) shown.push_back(c);
    paint.explain(picture, shown);
    picture.legend_title = "Types of cells";
    for (LegendEntry& e : picture.legend) e.detail.clear();
    Camera camera = camera_from(eye);
    camera.up = normalized(-wall.normal + eye * dot(wall.normal, eye));
    camera.right = cross(camera.up, eye);
    figures::paint(file, picture, camera, close, {});
}

void draw_surface(const std::filesystem::path& file, const Surface& surface, const Colouring& colouring,
                  const FigureOptions& options) {
    check_size(options);
    if (surface.triangles.empty()) throw InputError("there is nothing to draw: the surface has no triangles");
    const std::vector<char> is_shown = shown_zones(surface.zones, options.only);
    std::vector<float> values;
    Picture picture;
    picture.title = fmt::format("{}{}{} triangles", options.title, options.title.empty() ? "" : ": ",
                                format_count(surface.triangles.size()));
    picture.subtitle = fmt::format("The surface, coloured by {}", colouring_text(colouring));
    if (colouring.by == ColourBy::metric || colouring.by == ColourBy::size) {
        for (const Triangle& t : surface.triangles) {
            const Vec3 &a = surface.points[t[0]], &b = surface.points[t[1]], &c = surface.points[t[2]];
            values.push_back(static_cast<float>(colouring.by == ColourBy::size
                                                    ? (distance(a, b) + distance(b, c) + distance(c, a)) / 3
                                                    : triangle_metric(colouring.metric, a, b, c)));
        }
        picture.scale = scale_of(metric_info(colouring.by == ColourBy::size ? MetricId::volume : colouring.metric),
                                 values, options.unit);
        if (colouring.by == ColourBy::size) {
            picture.scale->name = fmt::format("edge length, {}", options.unit.name);
            picture.scale->factor = 1 / options.unit.metres;
        }
    } else if (colouring.by != ColourBy::zone && colouring.by != ColourBy::role) {
        throw InputError(fmt::format("a surface has no {}; colour it by zone, role, size or a metric of triangles",
                                     colouring_text(colouring)));
    }
    const bool by_role = colouring.by == ColourBy::role;
    std::vector<std::size_t> count(surface.zones.size(), 0);
    picture.facets.points = surface.points;
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Index z = surface.zone_of[t];
        if (is_shown[z] == 0) continue;
        ++count[z];
        const Colour colour = picture.scale ? picture.scale->colour(static_cast<double>(values[t]))
                              : by_role     ? category(static_cast<std::size_t>(surface.zones[z].role))
                                            : category(z);
        picture.facets.add({surface.triangles[t].begin(), surface.triangles[t].end()}, colour, options.edges);
    }
    if (!picture.scale) {
        picture.legend_title = "Zones, triangles";
        for (std::size_t z = 0; z < count.size(); ++z)
            if (count[z] > 0)
                picture.legend.push_back(
                    {fmt::format("{} ({})", surface.zones[z].name, role_name(surface.zones[z].role)),
                     format_count(count[z]),
                     by_role ? category(static_cast<std::size_t>(surface.zones[z].role)) : category(z)});
    }
    paint(file, picture, camera_from(options.eye.value_or(kCorner)), options, points_of(picture.facets));
}

namespace {

/// The surface as a ground for what is to be shown on it.
void add_ground(const Surface& surface, const Theme& look, Picture& picture) {
    picture.facets.points = surface.points;
    for (const Triangle& t : surface.triangles) picture.facets.add({t.begin(), t.end()}, look.context, false);
}

}  // namespace

void draw_defects(const std::filesystem::path& file, const Surface& surface, const SurfaceHealth& health,
                  const FigureOptions& options) {
    check_size(options);
    if (surface.triangles.empty()) throw InputError("there is nothing to draw: the surface has no triangles");
    constexpr std::size_t kMostMarks = 400;
    Picture picture;
    const Theme look = theme(options.dark);
    add_ground(surface, look, picture);
    const std::vector<Vec3> frame = points_of(picture.facets);
    picture.title = fmt::format("{}{}{} triangles", options.title, options.title.empty() ? "" : ": ",
                                format_count(surface.triangles.size()));
    picture.subtitle = verdict(health, options.unit);
    picture.legend_title = "Found, how many";
    const Colour rim = category(5);
    std::size_t n_rims = 0;
    for (const RimMeasure& r : health.rims) {
        if (r.is_crack) continue;
        ++n_rims;
        for (std::size_t k = 0; k + (r.is_loop ? 0 : 1) < r.rim.points.size(); ++k)
            picture.strokes.push_back({surface.points[r.rim.points[k]],
                                       surface.points[r.rim.points[(k + 1) % r.rim.points.size()]], rim, 3, true});
    }
    if (n_rims > 0) picture.legend.push_back({"rims", format_count(n_rims), rim});
    const double reach = 0.006 * health.bounds.diagonal();
    std::size_t colour = 0;
    for (const DefectList& list : health.defects) {
        if (list.items.empty() || list.kind == DefectKind::rim) continue;
        while (category(colour) == rim) ++colour;
        const Colour c = category(colour++);
        picture.legend.push_back({defect_info(list.kind).name, format_count(list.items.size()), c});
        for (std::size_t k = 0; k < std::min(kMostMarks, list.items.size()); ++k)
            for (int axis = 0; axis < 3; ++axis) {
                Vec3 arm{};
                arm[axis] = reach;
                picture.strokes.push_back({list.items[k].place - arm, list.items[k].place + arm, c, 2.5, true});
            }
    }
    if (picture.legend.empty()) picture.legend.push_back({"nothing", "", look.context});
    paint(file, picture, camera_from(options.eye.value_or(kCorner)), options, frame);
}

void draw_openings(const std::filesystem::path& file, const Surface& surface, const std::vector<Opening>& openings,
                   const FigureOptions& options) {
    check_size(options);
    if (surface.triangles.empty()) throw InputError("there is nothing to draw: the surface has no triangles");
    Picture picture;
    const Theme look = theme(options.dark);
    add_ground(surface, look, picture);
    picture.title = fmt::format("{}{}{} opening{}", options.title, options.title.empty() ? "" : ": ", openings.size(),
                                openings.size() == 1 ? "" : "s");
    picture.subtitle = "The openings of the body, and the patches that would close them";
    picture.legend_title = "Openings, area";
    for (std::size_t i = 0; i < openings.size(); ++i) {
        const Opening& o = openings[i];
        const Colour c = category(i);
        const auto first = static_cast<Index>(picture.facets.points.size());
        picture.facets.points.insert(picture.facets.points.end(), o.patch.points.begin(), o.patch.points.end());
        for (const Triangle& t : o.patch.triangles)
            picture.facets.add({first + t[0], first + t[1], first + t[2]}, c, false);
        for (std::size_t k = 0; k < o.rim.size(); ++k)
            picture.strokes.push_back({o.rim[k], o.rim[(k + 1) % o.rim.size()], c, 3, true});
        const std::string name = o.zone.name.empty() ? fmt::format("opening {}", i + 1) : o.zone.name;
        picture.labels.push_back({o.clear, name, c});
        picture.legend.push_back({name, format_area(o.area, options.unit), c});
    }
    paint(file, picture, camera_from(options.eye.value_or(kCorner)), options, points_of(picture.facets));
}

void draw_sizes(const std::filesystem::path& file, const Domain& domain, const SizeField& field, const CutPlane& plane,
                const FigureOptions& options, const Context& context) {
    check_size(options);
    const ThreadLimit limit(context);
    const TriangleTree tree(domain.boundary.points, domain.boundary.triangles);
    const Camera camera = camera_from(plane.normal);
    Box extent;
    for (const Vec3& p : domain.boundary.points) extent.include(Vec3{dot(p, camera.right), dot(p, camera.up), 0});
    // Squares of the plane, each with the size at its middle; rows side by side.
    constexpr std::size_t kLonger = 420;
    const Vec3 e = extent.extent();
    const double step = std::max(e.x, e.y) / static_cast<double>(kLonger);
    const auto nx = static_cast<std::size_t>(std::ceil(e.x / step)),
               ny = static_cast<std::size_t>(std::ceil(e.y / step));
    auto place = [&](double i, double j) {
        return camera.right * (extent.lo.x + i * step) + camera.up * (extent.lo.y + j * step) +
               plane.normal * plane.offset;
    };
    std::vector<float> size(nx * ny, std::numeric_limits<float>::quiet_NaN());
    tbb::parallel_for(std::size_t{0}, ny, [&](std::size_t j) {
        for (std::size_t i = 0; i < nx; ++i) {
            const Vec3 p = place(static_cast<double>(i) + 0.5, static_cast<double>(j) + 0.5);
            if (region_at(domain, tree, p)) size[j * nx + i] = static_cast<float>(field.at(p));
        }
    });
    if (std::all_of(size.begin(), size.end(), [](float v) { return std::isnan(v); }))
        throw InputError(fmt::format("the plane {} misses the regions", plane_text(plane, options.unit)));
    Picture picture;
    picture.title = fmt::format("{}{}sizes asked for", options.title, options.title.empty() ? "" : ": ");
    picture.subtitle = fmt::format("On the plane {}", plane_text(plane, options.unit));
    picture.scale = scale_of(metric_info(MetricId::volume), size, options.unit);
    picture.scale->name = fmt::format("edge length, {}", options.unit.name);
    picture.scale->factor = 1 / options.unit.metres;
    for (std::size_t j = 0; j < ny; ++j)
        for (std::size_t i = 0; i < nx; ++i) {
            if (std::isnan(size[j * nx + i])) continue;
            const auto first = static_cast<Index>(picture.facets.points.size());
            const auto x = static_cast<double>(i), y = static_cast<double>(j);
            for (const auto& [u, v] : {std::pair{x, y}, {x + 1, y}, {x + 1, y + 1}, {x, y + 1}})
                picture.facets.points.push_back(place(u, v));
            picture.facets.add({first, first + 1, first + 2, first + 3},
                               picture.scale->colour(static_cast<double>(size[j * nx + i])), false);
        }
    paint(file, picture, camera, options, points_of(picture.facets));
}

void draw_build(const std::filesystem::path& directory, const VolumeMesh& mesh, const LengthUnit& unit,
                const std::string& title, const Context& context) {
    std::error_code code;
    std::filesystem::create_directories(directory, code);
    if (code)
        throw FailureError(fmt::format("{}: the directory cannot be made: {}", directory.string(), code.message()));
    context.report("report", "figures", 0);
    FigureOptions options;
    options.unit = unit;
    options.title = title;
    draw_boundary(directory / "boundary.png", mesh, {ColourBy::zone, {}}, options, context);
    if (mesh.is_plane()) {
        draw_boundary(directory / "cells.png", mesh, {ColourBy::metric, MetricId::equiangle_skewness}, options,
                      context);
        draw_worst(directory / "worst.png", mesh, MetricId::equiangle_skewness, options, context);
        return;
    }
    Box box;
    for (const Vec3& p : mesh.points) box.include(p);
    const Vec3 e = box.extent();
    const int axis = e.y <= e.x && e.y <= e.z ? 1 : e.x <= e.z ? 0 : 2;
    CutPlane plane{{0, 0, 0}, 0};
    plane.normal[axis] = axis == 1 ? -1 : 1;
    plane.offset = dot(plane.normal, box.center());
    const bool has_many_types = std::any_of(mesh.cell_types.begin(), mesh.cell_types.end(),
                                            [&](CellType t) { return t != mesh.cell_types.front(); });
    const bool has_standard = std::any_of(mesh.cell_types.begin(), mesh.cell_types.end(),
                                          [](CellType t) { return t != CellType::polyhedron; });
    const Colouring by_quality{ColourBy::metric, has_standard ? MetricId::equiangle_skewness : MetricId::orthogonality};
    draw_cut(directory / "cut.png", mesh, plane,
             has_many_types            ? Colouring{ColourBy::type, {}}
             : mesh.regions.size() > 1 ? Colouring{ColourBy::region, {}}
                                       : by_quality,
             options, context);
    draw_worst(directory / "worst.png", mesh, by_quality.metric, options, context);
    const std::vector<FaceLayers> layers = layers_on_faces(mesh, context);
    if (std::any_of(layers.begin(), layers.end(), [](const FaceLayers& f) { return f.count > 0; }))
        draw_boundary(directory / "layers.png", mesh, {ColourBy::layers, {}}, options, context);
}

}  // namespace anvilcast
