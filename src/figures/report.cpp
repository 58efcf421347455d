#include <anvilcast/report.hpp>

#include <anvilcast/errors.hpp>
#include <anvilcast/layer_figures.hpp>
#include <anvilcast/metrics.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/thread_limit.hpp"
#include "figures/colours.hpp"
#include "figures/outer_zones.hpp"
#include "figures/page_cuts.hpp"
#include "figures/page_data.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

using namespace figures;
using nlohmann::ordered_json;

ordered_json zones_of(const VolumeMesh& mesh) {
    ordered_json out = ordered_json::array();
    for (std::size_t z = 0; z < mesh.n_named_zones(); ++z)
        out.push_back({{"name", mesh.zones[z].name},
                       {"role", role_name(mesh.zones[z].role)},
                       {"faces", mesh.zones[z].n_faces},
                       {"colour", css(category(z))}});
    return out;
}

/// The boundary with its zones and the layers on it.
ordered_json surface_of(const VolumeMesh& mesh, const Box& box, const PageOptions& options, const Context& context) {
    std::vector<Index> layers(mesh.n_faces(), 0);
    for (const FaceLayers& f : layers_on_faces(mesh, context)) layers[f.face] = std::max(layers[f.face], f.count);
    Gatherer gatherer(mesh, 2);
    for (std::size_t z = 0; z < mesh.n_named_zones(); ++z)
        for (std::size_t k = 0; k < mesh.zones[z].n_faces; ++k) {
            const std::size_t f = mesh.zones[z].first_face + k;
            gatherer.add(mesh.face(f), {byte_of(z), byte_of(layers[f])});
        }
    PagePolygons polygons = gatherer.take();
    const std::size_t n = polygons.size();
    const bool is_simplified = simplify(polygons, options.most_faces);
    ordered_json out = json_of(polygons, box, {"zone", "layers"});
    out["simplified_from"] = is_simplified ? ordered_json(n) : ordered_json();
    out["faces"] = polygons.size();
    out["most_layers"] = layers.empty() ? 0 : *std::max_element(layers.begin(), layers.end());
    return out;
}

ordered_json cuts_of(const VolumeMesh& mesh, const Box& box, const PageOptions& options, const CellQuality& quality) {
    const std::array<CellReach, 3> reach = reach_of_cells(mesh);
    // As many as there is room for, judged by those through the middle.
    std::array<PagePolygons, 3> middle;
    std::size_t each = 1;
    for (std::size_t axis = 0; axis < 3; ++axis) {
        middle[axis] = cut_at(mesh, reach[axis], box.center()[static_cast<int>(axis)], quality);
        each += middle[axis].size();
    }
    std::size_t n = std::clamp(options.most_cut_faces / each, options.least_cuts, options.most_cuts);
    n -= 1 - n % 2;  // odd, so that one goes through the middle
    ordered_json out = ordered_json::array();
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const double lo = box.lo[static_cast<int>(axis)], e = box.extent()[static_cast<int>(axis)];
        for (std::size_t k = 0; k < n; ++k) {
            const double at = lo + e * (static_cast<double>(k) + 1) / (static_cast<double>(n) + 1);
            PagePolygons polygons = 2 * k + 1 == n ? std::move(middle[axis]) : cut_at(mesh, reach[axis], at, quality);
            const std::size_t all = polygons.size();
            const bool is_simplified = simplify(
                polygons, std::max(options.most_cut_faces / (3 * n), all * options.most_cut_faces / (n * each)));
            ordered_json cut = json_of(polygons, box, {"type", "region", "quality"});
            cut["axis"] = axis;
            cut["at"] = at;
            if (is_simplified) cut["simplified_from"] = all;
            out.push_back(std::move(cut));
        }
    }
    return out;
}

/// The cells of a plane mesh, all of them.
ordered_json plane_of(const VolumeMesh& mesh, const Box& box, const PageOptions& options, const CellQuality& quality) {
    Gatherer gatherer(mesh, 3);
    const BoundaryZone& front = mesh.zones.back();
    for (std::size_t f = front.first_face; f < front.first_face + front.n_faces; ++f) {
        const Index c = mesh.owner[f];
        gatherer.add(mesh.face(f),
                     {static_cast<std::uint8_t>(mesh.cell_types[c]), byte_of(mesh.cell_region[c]), quality.bytes[c]});
    }
    PagePolygons polygons = gatherer.take();
    const std::size_t all = polygons.size();
    const bool is_simplified = simplify(polygons, options.most_faces);
    ordered_json cut = json_of(polygons, box, {"type", "region", "quality"});
    cut["axis"] = 2;
    cut["at"] = box.hi.z;
    if (is_simplified) cut["simplified_from"] = all;
    return ordered_json::array({cut});
}

ordered_json metric_words() {
    ordered_json out = ordered_json::object();
    for (const MetricInfo& m : metric_infos()) {
        out[m.key] = {{"definition", m.definition}, {"where", m.where}};
        if (m.has_usual_limit()) out[m.key]["usual_limit"] = m.usual_limit;
    }
    return out;
}

ordered_json read_summary(const std::string& text, const VolumeMesh& mesh) {
    ordered_json summary = ordered_json::parse(text, nullptr, false);
    if (!summary.is_object() || !summary.contains("cells") || !summary.contains("quality") || !summary.contains("case"))
        throw InputError("the summary is not one of a build; summary.json of the build's directory was expected");
    if (const auto n = summary["cells"].value("total", std::size_t{0}); n != mesh.n_cells())
        throw InputError(
            fmt::format("the summary is of a mesh of {} cells, but this one has {}: build it anew", n, mesh.n_cells()));
    return summary;
}

}  // namespace

void write_report(const std::filesystem::path& file, const VolumeMesh& mesh, const std::string& summary,
                  const PageOptions& options, const Context& context) {
    if (mesh.n_cells() == 0) throw InputError("there is nothing to report: the mesh has no cells");
    const ThreadLimit limit(context);
    Box box;
    for (const Vec3& p : mesh.points) box.include(p);
    ordered_json data{{"summary", read_summary(summary, mesh)}};
    context.report("report", "surface", 0);
    data["box"] = {{box.lo.x, box.lo.y, box.lo.z}, {box.hi.x, box.hi.y, box.hi.z}};
    data["zones"] = zones_of(mesh);
    if (const auto body = mesh.is_plane() ? std::nullopt : body_within(mesh)) {
        data["body"] = {{body->body.lo.x, body->body.lo.y, body->body.lo.z},
                        {body->body.hi.x, body->body.hi.y, body->body.hi.z}};
        for (std::size_t z = 0; z < mesh.zones.size(); ++z) data["zones"][z]["outer"] = body->is_outer[z] != 0;
    }
    data["surface"] = surface_of(mesh, box, options, context);
    context.report("report", "cuts", 0.3);
    const CellQuality quality = cell_quality(mesh, context);
    data["plane"] = mesh.is_plane();
    data["cuts"] = mesh.is_plane() ? plane_of(mesh, box, options, quality) : cuts_of(mesh, box, options, quality);
    data["cut_quality"] = {{"name", metric_info(quality.metric).name}, {"low", quality.low}, {"high", quality.high}};
    ordered_json types = ordered_json::array(), regions = ordered_json::array(), scale = ordered_json::array(),
                 bad = ordered_json::array();
    // The page knows types by their numbers; of a plane mesh only prisms and hexahedra are any.
    for (std::size_t k = 0; k < 5; ++k)
        types.push_back(
            {{"name", cell_type_name(static_cast<CellType>(k), mesh.is_plane())}, {"colour", css(category(k))}});
    for (std::size_t r = 0; r < mesh.regions.size(); ++r)
        regions.push_back({{"name", mesh.regions[r].name}, {"colour", css(category(r))}});
    for (int k = 0; k <= 16; ++k) {
        scale.push_back(css(along_scale(k / 16.0)));
        bad.push_back(css(along_quality(k / 16.0)));
    }
    data["types"] = types;
    data["regions"] = regions;
    data["scale"] = scale;
    data["quality_scale"] = bad;
    data["metrics"] = metric_words();
    const std::string name = data["summary"]["case"].value("name", std::string("mesh"));
    io::write_file(file, page_of(fmt::format("{}: mesh report", name), data, "report"));
}

}  // namespace anvilcast
