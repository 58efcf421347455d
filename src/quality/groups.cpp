#include "quality/groups.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

#include "quality/summary.hpp"

namespace anvilcast {

const char* group_kind_name(GroupQuality::Kind kind) {
    constexpr std::array<const char*, 4> kNames{"region", "cell type", "zone", "refinement"};
    return kNames[static_cast<std::size_t>(kind)];
}

namespace quality {
namespace {

struct Group {
    GroupQuality::Kind kind;
    std::string name;
    std::vector<Index> cells;
};

/// The cells by a number that each has.
template <typename NumberOf, typename NameOf>
void add_groups(std::vector<Group>& groups, GroupQuality::Kind kind, std::size_t n_cells, std::size_t n_groups,
                const NumberOf& number_of, const NameOf& name_of) {
    std::vector<std::size_t> count(n_groups, 0);
    for (std::size_t c = 0; c < n_cells; ++c) ++count[number_of(c)];
    if (std::find(count.begin(), count.end(), n_cells) != count.end()) return;
    const std::size_t first = groups.size();
    std::vector<std::size_t> place(n_groups);
    for (std::size_t g = 0; g < n_groups; ++g) {
        place[g] = groups.size();
        if (count[g] == 0) continue;
        groups.push_back({kind, name_of(g), {}});
        groups.back().cells.reserve(count[g]);
    }
    if (groups.size() == first) return;
    for (std::size_t c = 0; c < n_cells; ++c) groups[place[number_of(c)]].cells.push_back(static_cast<Index>(c));
}

bool has_marks(const VolumeMesh& mesh, const Measures& m, Index cell, const std::vector<char>& is_marked) {
    auto any = [&](std::span<const Index> points) {
        return std::any_of(points.begin(), points.end(), [&](Index i) { return is_marked[i] != 0; });
    };
    if (mesh.cell_types[cell] != CellType::polyhedron) return any(mesh.cell(cell));
    const auto faces = m.faces.of(cell);
    return std::any_of(faces.begin(), faces.end(), [&](Index f) { return any(mesh.face(f)); });
}

/// The cells with a point on each zone.
void add_zones(std::vector<Group>& groups, const VolumeMesh& mesh, const Measures& m) {
    std::vector<char> is_on(mesh.points.size(), 0);
    // Most cells are at none: these are asked once.
    auto mark_faces = [&](std::size_t begin, std::size_t end, char value) {
        for (std::size_t f = begin; f < end; ++f)
            for (const Index p : mesh.face(f)) is_on[p] = value;
    };
    const std::size_t n_outer = mesh.n_faces() - (mesh.is_plane() ? 2 * mesh.n_cells() : 0);
    mark_faces(mesh.n_plain_faces(), n_outer, 1);
    std::vector<Index> outer;
    for (Index c = 0; c < mesh.n_cells(); ++c)
        if (has_marks(mesh, m, c, is_on)) outer.push_back(c);
    mark_faces(mesh.n_plain_faces(), n_outer, 0);
    for (const BoundaryZone& zone : std::span(mesh.zones).first(mesh.n_named_zones())) {
        if (zone.n_faces == 0) continue;
        mark_faces(zone.first_face, zone.first_face + zone.n_faces, 1);
        std::vector<Index> cells;
        for (const Index c : outer)
            if (has_marks(mesh, m, c, is_on)) cells.push_back(c);
        mark_faces(zone.first_face, zone.first_face + zone.n_faces, 0);
        groups.push_back({GroupQuality::Kind::zone, zone.name, std::move(cells)});
    }
}

GroupQuality figures_of(const Group& group, std::size_t n_faces, const Measures& m, const MetricValues& values,
                        const QualityLimits& limits) {
    GroupQuality out{group.kind, group.name, group.cells.size(), 0, {}};
    for (const Index c : group.cells) out.volume += m.cell[c].volume;
    std::vector<Index> faces;
    std::vector<bool> is_noted(n_faces, false);
    for (const Index c : group.cells)
        for (const Index f : m.faces.of(c)) {
            if (is_noted[f]) continue;
            is_noted[f] = true;
            faces.push_back(f);
        }
    std::vector<float> picked;
    for (std::size_t k = 0; k < values.size(); ++k) {
        const MetricInfo& info = metric_infos()[k];
        if (values[k].empty()) continue;
        picked.clear();
        for (const Index i : info.of == MetricOf::cells ? group.cells : faces)
            if (i < values[k].size()) picked.push_back(values[k][i]);
        const Summary s = summarise(picked, info, limits.of(info.id), 0);
        if (s.count == 0) continue;
        out.figures.push_back({info.id, s.count, s.n_beyond,
                               static_cast<double>(picked[info.low_is_better ? s.largest : s.smallest]), s.mean,
                               info.low_is_better ? s.p99 : s.p1});
    }
    return out;
}

}  // namespace

std::vector<GroupQuality> groups_of(const VolumeMesh& mesh, const Measures& m, const MetricValues& values,
                                    const QualityLimits& limits, const QualityOptions& options) {
    std::vector<Group> groups;
    const std::size_t n = mesh.n_cells();
    add_groups(
        groups, GroupQuality::Kind::region, n, mesh.regions.size(), [&](std::size_t c) { return mesh.cell_region[c]; },
        [&](std::size_t r) { return mesh.regions[r].name; });
    add_groups(
        groups, GroupQuality::Kind::cell_type, n, 5,
        [&](std::size_t c) { return static_cast<std::size_t>(mesh.cell_types[c]); },
        [&mesh](std::size_t t) { return std::string(cell_type_name(static_cast<CellType>(t), mesh.is_plane())); });
    add_zones(groups, mesh, m);
    for (const auto& [name, contains] : options.volumes) {
        Group group{GroupQuality::Kind::refinement, name, {}};
        for (Index c = 0; c < n; ++c)
            if (contains(m.cell[c].center)) group.cells.push_back(c);
        if (!group.cells.empty()) groups.push_back(std::move(group));
    }
    std::vector<GroupQuality> out(groups.size());
    tbb::parallel_for(std::size_t{0}, groups.size(),
                      [&](std::size_t g) { out[g] = figures_of(groups[g], mesh.n_faces(), m, values, limits); });
    if (mesh.is_plane())
        for (GroupQuality& g : out) g.volume /= mesh.plane_depth;
    return out;
}

}  // namespace quality
}  // namespace anvilcast
