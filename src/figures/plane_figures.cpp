#include "figures/plane_figures.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "figures/colours.hpp"
#include "figures/frame.hpp"
#include "figures/scene.hpp"
#include "mesh/plane_parts.hpp"

namespace anvilcast::figures {
namespace {

/// The cells as they lie, in the points of the sheet's front.
void add_cells(const VolumeMesh& mesh, const Paint* paint, const FigureOptions& options, Picture& picture) {
    picture.facets.points = mesh.points;
    const BoundaryZone& front = mesh.zones.back();
    const Theme look = theme(options.dark);
    for (std::size_t f = front.first_face; f < front.first_face + front.n_faces; ++f) {
        const auto p = mesh.face(f);
        picture.facets.add({p.begin(), p.end()}, paint != nullptr ? paint->of_cell(mesh.owner[f]) : look.context,
                           options.edges);
    }
}

/// Zones as lines; in their colours, with a legend, where they are what is asked for.
void add_zones(const VolumeMesh& mesh, const Colouring& colouring, const std::vector<char>& is_shown,
               const FigureOptions& options, Picture& picture) {
    const bool by_zone = colouring.by == ColourBy::zone, by_role = colouring.by == ColourBy::role;
    const Theme look = theme(options.dark);
    const auto half = static_cast<Index>(mesh.points.size() / 2);
    std::vector<std::size_t> n_of_role(kRoles, 0);
    if (by_zone) picture.legend_title = "Zones, edges";
    if (by_role) picture.legend_title = "Roles, edges";
    for (std::size_t z = 0; z < mesh.n_named_zones(); ++z) {
        const BoundaryZone& zone = mesh.zones[z];
        if (is_shown[z] == 0) continue;
        const Colour colour = by_zone   ? category(z)
                              : by_role ? category(static_cast<std::size_t>(zone.role))
                                        : look.ink;
        n_of_role.at(static_cast<std::size_t>(zone.role)) += zone.n_faces;
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            const auto ends = face_in_file(mesh, f);
            picture.strokes.push_back({mesh.points[ends[0] + half], mesh.points[ends[1] + half], colour,
                                       by_zone || by_role ? 3.0 : 1.5, true});
        }
        if (by_zone)
            picture.legend.push_back(
                {fmt::format("{} ({})", zone.name, role_name(zone.role)), format_count(zone.n_faces), colour});
    }
    for (std::size_t k = 0; by_role && k < n_of_role.size(); ++k)
        if (n_of_role[k] > 0)
            picture.legend.push_back({role_name(static_cast<Role>(k)), format_count(n_of_role[k]), category(k)});
}

}  // namespace

void draw_plane(const std::filesystem::path& file, const VolumeMesh& mesh, const Colouring& colouring,
                const std::vector<char>& is_shown, Picture picture, const FigureOptions& options,
                const Context& context) {
    if (colouring.by == ColourBy::layers)
        throw InputError("layers of a plane mesh are seen in it; colour by type, region, size, zone, role or a metric");
    const bool by_lines = colouring.by == ColourBy::zone || colouring.by == ColourBy::role;
    const Paint paint(mesh, colouring, options, context);
    add_cells(mesh, by_lines ? nullptr : &paint, options, picture);
    add_zones(mesh, colouring, is_shown, options, picture);
    if (!by_lines) {
        std::vector<Index> cells(mesh.n_cells());
        for (Index c = 0; c < cells.size(); ++c) cells[c] = c;
        paint.explain(picture, cells);
        if (!picture.legend_title.empty())
            picture.legend_title = colouring.by == ColourBy::region ? "Regions, cells" : "Cells, by type";
    }
    std::vector<Vec3> to_fit;
    if (!options.at)
        for (const Index p : picture.facets.corners) to_fit.push_back(mesh.points[p]);
    figures::paint(file, picture, camera_from(options.eye.value_or(Vec3{0, 0, 1})), options, to_fit);
}

}  // namespace anvilcast::figures
