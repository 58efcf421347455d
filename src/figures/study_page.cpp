// The page of a study. Cuts go through the middle of the body, or of all variants' common box; how many faces each may
// have falls with the number of variants, so that the page stays one that a browser opens.

#include <anvilcast/errors.hpp>
#include <anvilcast/mesh_files.hpp>
#include <anvilcast/report.hpp>
#include <anvilcast/tell.hpp>

#include <algorithm>

#include "figures/colours.hpp"
#include "figures/outer_zones.hpp"
#include "figures/page_cuts.hpp"
#include "io/files.hpp"

namespace anvilcast {
namespace {

using namespace figures;
using nlohmann::ordered_json;

/// Of all cuts together; a browser turns a quarter of a million polygons without effort.
constexpr std::size_t kMostFaces = 250'000;
/// A browser has this many views at least.
constexpr std::size_t kMostViews = 12;

Box box_of(const VolumeMesh& mesh) {
    Box box;
    for (const Vec3& p : mesh.points) box.include(p);
    return box;
}

/// `middle`: where all planes go through.
ordered_json cuts_of(const VolumeMesh& mesh, const Box& box, const Vec3& middle, std::size_t most,
                     const Context& context) {
    const CellQuality quality = cell_quality(mesh, context);
    const auto reach = reach_of_cells(mesh);
    ordered_json out = ordered_json::array();
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const double at = middle[static_cast<int>(axis)];
        PagePolygons polygons = cut_at(mesh, reach[axis], at, quality);
        const std::size_t all = polygons.size();
        const bool is_simplified = simplify(polygons, most);
        ordered_json cut = json_of(polygons, box, {"type", "region", "quality"});
        cut["at"] = at;
        if (is_simplified) cut["simplified_from"] = all;
        out.push_back(std::move(cut));
    }
    return out;
}

}  // namespace

void write_study_page(const std::filesystem::path& file, const Study& study, const std::filesystem::path& directory,
                      const Context& context) {
    ordered_json data = ordered_json::parse(study_json(study, directory));
    std::vector<std::size_t> with_mesh;
    for (std::size_t i = 0; i < study.variants.size(); ++i) {
        data["variants"][i]["case"] = study.variants[i].c.text;
        if (data["variants"][i].contains("cells") && with_mesh.size() < kMostViews) with_mesh.push_back(i);
    }
    const auto mesh_of = [&](std::size_t i) {
        return read_mesh(directory / study.variants[i].name / "mesh.cgns", context);
    };
    Box box, bodies;
    for (const std::size_t i : with_mesh) {
        context.report("report", "extents", 0);
        const VolumeMesh mesh = mesh_of(i);
        box.include(box_of(mesh));
        // The far field would hide the body.
        if (const auto within = mesh.is_plane() ? std::nullopt : body_within(mesh)) bodies.include(within->body);
    }
    for (std::size_t k = 0; k < with_mesh.size(); ++k) {
        context.report("report", "cuts", static_cast<double>(k) / static_cast<double>(with_mesh.size()));
        data["variants"][with_mesh[k]]["cuts"] =
            cuts_of(mesh_of(with_mesh[k]), box, (bodies.is_empty() ? box : bodies).center(),
                    kMostFaces / (3 * with_mesh.size()), context);
    }
    auto corners = [](const Box& b) { return ordered_json{{b.lo.x, b.lo.y, b.lo.z}, {b.hi.x, b.hi.y, b.hi.z}}; };
    if (!with_mesh.empty()) data["box"] = corners(box);
    if (!bodies.is_empty()) data["body"] = corners(bodies);
    data["unit"] = study.variants.front().c.unit.name;
    ordered_json types = ordered_json::array(), bad = ordered_json::array(), marks = ordered_json::array();
    for (std::size_t k = 0; k < 5; ++k)
        types.push_back({{"name", cell_type_name(static_cast<CellType>(k))}, {"colour", css(category(k))}});
    for (int k = 0; k <= 16; ++k) bad.push_back(css(along_quality(k / 16.0)));
    for (std::size_t k = 0; k < 10; ++k) marks.push_back(css(category(k)));
    data["types"] = types;
    data["quality_scale"] = bad;
    data["colours"] = marks;
    io::write_file(file, page_of(study.name, data, "study"));
}

}  // namespace anvilcast
