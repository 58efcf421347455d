#include "figures/scene.hpp"

#include <anvilcast/errors.hpp>
#include <anvilcast/layer_figures.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace anvilcast::figures {
namespace {

/// Edge of the regular tetrahedron, or of the cube, that is as large: the size of a cell in the words of the case file.
double size_of_cell(CellType type, double volume) {
    const double factor = type == CellType::tetrahedron ? 6 * std::sqrt(2.0) : 1;
    return std::cbrt(std::max(0.0, factor * volume));
}

/// The same of a triangle or quadrangle of a plane mesh.
double size_of_plane_cell(CellType type, double area) {
    return std::sqrt(std::max(0.0, (type == CellType::prism ? 4 / std::sqrt(3.0) : 1) * area));
}

}  // namespace

Scale scale_of(const MetricInfo& info, std::span<const float> values, const LengthUnit& unit) {
    Scale s;
    s.name = *info.unit != 0 ? fmt::format("{}, {}", info.name, info.unit) : info.name;
    s.of_quality = info.best == info.best || !info.low_is_better;
    s.reversed = !info.low_is_better;
    double low = Box::inf, high = -Box::inf;
    for (const float v : values)
        if (std::isfinite(v)) {
            low = std::min(low, static_cast<double>(v));
            high = std::max(high, static_cast<double>(v));
        }
    if (low > high) low = high = 0;
    s.low = low;
    s.high = high;
    if (info.id == MetricId::volume) {
        s.of_quality = s.reversed = false;
        s.factor = 1 / (unit.metres * unit.metres * unit.metres);
        s.name = fmt::format("volume, {}\xC2\xB3", unit.name);
    }
    s.logarithmic = low > 0 && (info.id == MetricId::volume || !std::isfinite(info.most)) && high / low > 3;
    return s;
}

Paint::Paint(const VolumeMesh& mesh, const Colouring& colouring, const FigureOptions& options, const Context& context)
    : mesh_(mesh), colouring_(colouring) {
    if (colouring.by == ColourBy::metric) {
        values_ = metric_by_cell(mesh, colouring.metric, context);
        if (std::all_of(values_.begin(), values_.end(), [](float v) { return std::isnan(v); }))
            throw InputError(fmt::format("the mesh has no {}: that is of {}", metric_info(colouring.metric).name,
                                         metric_info(colouring.metric).where));
        if (mesh.is_plane() && colouring.metric == MetricId::volume)
            for (float& v : values_) v /= static_cast<float>(mesh.plane_depth);
        scale_ = scale_of(metric_info(colouring.metric), values_, options.unit);
        if (mesh.is_plane() && colouring.metric == MetricId::volume) {
            scale_->name = fmt::format("area, {}\xC2\xB2", options.unit.name);
            scale_->factor *= options.unit.metres;
        }
    } else if (colouring.by == ColourBy::size) {
        values_ = metric_by_cell(mesh, MetricId::volume, context);
        for (std::size_t c = 0; c < values_.size(); ++c)
            values_[c] = static_cast<float>(
                mesh.is_plane()
                    ? size_of_plane_cell(mesh.cell_types[c], static_cast<double>(values_[c]) / mesh.plane_depth)
                    : size_of_cell(mesh.cell_types[c], static_cast<double>(values_[c])));
        scale_ = scale_of(metric_info(MetricId::volume), values_, options.unit);
        scale_->name = fmt::format("size of cells, {}", options.unit.name);
        scale_->factor = 1 / options.unit.metres;
    } else if (colouring.by == ColourBy::layers) {
        n_layers_.assign(mesh.n_faces(), 0);
        for (const FaceLayers& f : layers_on_faces(mesh, context))
            n_layers_[f.face] = std::max(n_layers_[f.face], f.count);
        Scale s;
        s.name = "layers on the wall";
        s.low = 0;
        s.high = std::max<double>(1, *std::max_element(n_layers_.begin(), n_layers_.end()));
        scale_ = s;
    }
}

Colour Paint::of_cell(Index c) const {
    switch (colouring_.by) {
        case ColourBy::region:
            return category(mesh_.cell_region[c]);
        case ColourBy::metric:
        case ColourBy::size:
            return std::isnan(values_[c]) ? Colour{0.6, 0.6, 0.6} : scale_->colour(value_of(c));
        default:
            return category(static_cast<std::size_t>(mesh_.cell_types[c]));
    }
}

Colour Paint::of_face(std::size_t face, Index zone) const {
    switch (colouring_.by) {
        case ColourBy::zone:
            return category(zone);
        case ColourBy::role:
            return category(static_cast<std::size_t>(mesh_.zones[zone].role));
        case ColourBy::layers:
            return scale_->colour(static_cast<double>(n_layers_[face]));
        default:
            return of_cell(mesh_.owner[face]);
    }
}

void Paint::explain(Picture& picture, const std::vector<Index>& cells) const {
    if (scale_) {
        picture.scale = scale_;
        return;
    }
    const bool by_region = colouring_.by == ColourBy::region;
    std::vector<std::size_t> count(by_region ? mesh_.regions.size() : 5, 0);
    for (const Index c : cells)
        ++count[by_region ? mesh_.cell_region[c] : static_cast<std::size_t>(mesh_.cell_types[c])];
    picture.legend_title = by_region ? "Regions, cells cut" : "Cells cut, by type";
    for (std::size_t k = 0; k < count.size(); ++k)
        if (count[k] > 0)
            picture.legend.push_back(
                {by_region ? mesh_.regions[k].name : cell_type_name(static_cast<CellType>(k), mesh_.is_plane()),
                 format_count(count[k]), category(k)});
}

void Paint::explain_zones(Picture& picture, const std::vector<char>& is_shown) const {
    if (colouring_.by == ColourBy::layers && scale_->high <= 15) {
        picture.legend_title = "Layers on the wall, faces";
        std::vector<std::size_t> count(static_cast<std::size_t>(scale_->high) + 1, 0);
        for (std::size_t z = 0; z < mesh_.zones.size(); ++z)
            if (is_shown[z] != 0)
                for (std::size_t k = 0; k < mesh_.zones[z].n_faces; ++k)
                    ++count[n_layers_[mesh_.zones[z].first_face + k]];
        for (std::size_t n = count.size(); n-- > 0;)
            if (count[n] > 0)
                picture.legend.push_back(
                    {std::to_string(n), format_count(count[n]), scale_->colour(static_cast<double>(n))});
        return;
    }
    if (scale_) {
        picture.scale = scale_;
        return;
    }
    if (colouring_.by == ColourBy::role) {
        picture.legend_title = "Roles, faces";
        std::array<std::size_t, kRoles> count{};
        for (std::size_t z = 0; z < mesh_.zones.size(); ++z)
            if (is_shown[z] != 0) count.at(static_cast<std::size_t>(mesh_.zones[z].role)) += mesh_.zones[z].n_faces;
        for (std::size_t k = 0; k < count.size(); ++k)
            if (count.at(k) > 0)
                picture.legend.push_back({role_name(static_cast<Role>(k)), format_count(count.at(k)), category(k)});
        return;
    }
    if (colouring_.by != ColourBy::zone) return explain(picture, {});
    picture.legend_title = "Zones, faces";
    for (std::size_t z = 0; z < mesh_.zones.size(); ++z)
        if (is_shown[z] != 0)
            picture.legend.push_back({fmt::format("{} ({})", mesh_.zones[z].name, role_name(mesh_.zones[z].role)),
                                      format_count(mesh_.zones[z].n_faces), category(z)});
}

void add_cut(const VolumeMesh& mesh, const std::vector<char>& is_kept, const std::vector<Index>& met,
             const Paint& paint, const Theme& theme, bool edges, Picture& picture) {
    std::vector<char> is_met(mesh.n_cells(), 0);
    for (const Index c : met) is_met[c] = 1;
    picture.facets.points = mesh.points;
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const Index own = mesh.owner[f];
        const bool inner = f < mesh.n_inner_faces();
        const bool a = is_kept[own] != 0, b = inner && is_kept[mesh.neighbour[f]] != 0;
        if (a == b) continue;
        const auto p = mesh.face(f);
        const bool is_wall = !inner && is_met[own] == 0;
        picture.facets.add({p.begin(), p.end()}, is_wall ? theme.context : paint.of_cell(a ? own : mesh.neighbour[f]),
                           !is_wall && edges);
    }
}

}  // namespace anvilcast::figures
