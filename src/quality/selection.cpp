#include <anvilcast/errors.hpp>
#include <anvilcast/metrics.hpp>
#include <anvilcast/selection.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <optional>

#include "mesh/cell_faces.hpp"

namespace anvilcast {
namespace {

struct Condition {
    std::string name, relation, value;
};

std::string_view trimmed(std::string_view s) {
    while (!s.empty() && s.front() == ' ') s.remove_prefix(1);
    while (!s.empty() && s.back() == ' ') s.remove_suffix(1);
    return s;
}

std::vector<std::string_view> split_at(std::string_view text, std::string_view word) {
    std::vector<std::string_view> out;
    for (std::size_t at = text.find(word); at != std::string_view::npos; at = text.find(word)) {
        out.push_back(text.substr(0, at));
        text.remove_prefix(at + word.size());
    }
    out.push_back(text);
    return out;
}

Condition parse(std::string_view text) {
    const std::size_t at = text.find_first_of("<>=!");
    if (at == std::string_view::npos || at == 0)
        throw InputError(fmt::format("\"{}\" is no condition; write one like \"skewness > 0.8\" or \"zone = floor*\"",
                                     trimmed(text)));
    const std::size_t n = at + 1 < text.size() && text[at + 1] == '=' ? 2 : 1;
    const Condition out{std::string(trimmed(text.substr(0, at))), std::string(text.substr(at, n)),
                        std::string(trimmed(text.substr(at + n)))};
    if (out.value.empty()) throw InputError(fmt::format("\"{}\" ends without a value", trimmed(text)));
    return out;
}

std::vector<char> by_name(const VolumeMesh& mesh, const Condition& c) {
    if (c.relation != "=" && c.relation != "!=")
        throw InputError(fmt::format("{} is a name: write \"{} = {}\"", c.name, c.name, c.value));
    std::vector<char> out(mesh.n_cells(), 0);
    bool is_known = false;
    if (c.name == "type") {
        for (std::size_t t = 0; t < 5; ++t) {
            if (!matches_pattern(cell_type_name(static_cast<CellType>(t), mesh.is_plane()), c.value)) continue;
            is_known = true;
            for (std::size_t k = 0; k < out.size(); ++k)
                if (mesh.cell_types[k] == static_cast<CellType>(t)) out[k] = 1;
        }
        if (!is_known)
            throw InputError(fmt::format(
                "there is no cell type \"{}\"; write {}", c.value,
                mesh.is_plane() ? "triangles or quadrangles" : "tetrahedra, pyramids, prisms, hexahedra or polyhedra"));
    } else if (c.name == "region") {
        std::string names;
        for (Index r = 0; r < mesh.regions.size(); ++r) {
            names += (names.empty() ? "" : ", ") + mesh.regions[r].name;
            if (!matches_pattern(mesh.regions[r].name, c.value)) continue;
            is_known = true;
            for (std::size_t k = 0; k < out.size(); ++k)
                if (mesh.cell_region[k] == r) out[k] = 1;
        }
        if (!is_known) throw InputError(fmt::format("there is no region \"{}\"; there are: {}", c.value, names));
    } else {
        std::string names;
        std::vector<char> is_on(mesh.points.size(), 0);
        for (const BoundaryZone& zone : std::span(mesh.zones).first(mesh.n_named_zones())) {
            names += (names.empty() ? "" : ", ") + zone.name;
            if (!matches_pattern(zone.name, c.value)) continue;
            is_known = true;
            for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f)
                for (const Index p : mesh.face(f)) is_on[p] = 1;
        }
        if (!is_known) throw InputError(fmt::format("there is no zone \"{}\"; there are: {}", c.value, names));
        for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
            const auto p = mesh.face(f);
            if (std::none_of(p.begin(), p.end(), [&](Index i) { return is_on[i] != 0; })) continue;
            out[mesh.owner[f]] = 1;
            if (f < mesh.n_inner_faces()) out[mesh.neighbour[f]] = 1;
        }
    }
    if (c.relation == "!=")
        for (char& chosen : out) chosen = chosen == 0 ? 1 : 0;
    return out;
}

std::vector<char> by_metric(const VolumeMesh& mesh, const Condition& c, const Context& context) {
    double limit = 0;
    const auto [end, status] = std::from_chars(c.value.data(), c.value.data() + c.value.size(), limit);
    if (status != std::errc() || end != c.value.data() + c.value.size())
        throw InputError(
            fmt::format("\"{} {} {}\": a number was expected behind \"{}\"", c.name, c.relation, c.value, c.relation));
    if (c.relation == "=" || c.relation == "!=")
        throw InputError(fmt::format("{} is a number: compare it by <, <=, > or >=", c.name));
    const std::vector<float> values = metric_by_cell(mesh, find_metric(c.name).id, context);
    const auto bound = static_cast<float>(limit);
    std::vector<char> out(values.size(), 0);
    for (std::size_t k = 0; k < values.size(); ++k) {
        const float v = values[k];
        out[k] = c.relation == "<"    ? v < bound
                 : c.relation == "<=" ? v <= bound
                 : c.relation == ">"  ? v > bound
                                      : v >= bound;
    }
    return out;
}

}  // namespace

std::vector<Index> select_cells(const VolumeMesh& mesh, std::string_view selection, const Context& context) {
    std::vector<char> chosen(mesh.n_cells(), 0);
    for (const std::string_view alternative : split_at(selection, " or ")) {
        std::vector<char> all(mesh.n_cells(), 1);
        for (const std::string_view text : split_at(alternative, " and ")) {
            const Condition c = parse(text);
            const bool is_name = c.name == "type" || c.name == "region" || c.name == "zone";
            const std::vector<char> fits = is_name ? by_name(mesh, c) : by_metric(mesh, c, context);
            for (std::size_t k = 0; k < all.size(); ++k) all[k] = all[k] != 0 && fits[k] != 0;
        }
        for (std::size_t k = 0; k < all.size(); ++k) chosen[k] = chosen[k] != 0 || all[k] != 0;
    }
    std::vector<Index> out;
    for (Index c = 0; c < chosen.size(); ++c)
        if (chosen[c] != 0) out.push_back(c);
    return out;
}

VolumeMesh cells_alone(const VolumeMesh& mesh, std::span<const Index> cells) {
    VolumeMesh out;
    std::vector<Index> point(mesh.points.size(), kNone), number(mesh.n_cells(), kNone);
    for (const Index c : cells) {
        if (c >= mesh.n_cells()) throw InputError(fmt::format("there is no cell {}", c));
        number[c] = static_cast<Index>(out.cell_types.size());
        out.cell_types.push_back(mesh.cell_types[c]);
        out.cell_region.push_back(mesh.cell_region[c]);
    }
    auto new_point = [&](Index p) {
        if (point[p] == kNone) {
            point[p] = static_cast<Index>(out.points.size());
            out.points.push_back(mesh.points[p]);
        }
        return point[p];
    };
    out.cell_offsets.assign(1, 0);
    for (const Index c : cells) {
        for (const Index p : mesh.cell(c)) out.cell_points.push_back(new_point(p));
        out.cell_offsets.push_back(out.cell_points.size());
    }
    // Faces in the order of a mesh: plain ones, interfaces, boundary, cut.
    struct Entry {
        std::size_t face;
        bool is_turned;  // its owner was left behind, or has the higher number now
    };
    std::vector<Entry> plain, cut;
    std::vector<std::vector<Entry>> of_zone(mesh.zones.size());
    std::vector<Index> zone_of(mesh.n_faces(), kNone);
    for (Index z = 0; z < mesh.zones.size(); ++z)
        for (std::size_t k = 0; k < mesh.zones[z].n_faces; ++k) zone_of[mesh.zones[z].first_face + k] = z;
    for (std::size_t f = 0; f < mesh.n_faces(); ++f) {
        const Index own = number[mesh.owner[f]];
        const Index other = f < mesh.n_inner_faces() ? number[mesh.neighbour[f]] : kNone;
        if (own == kNone && other == kNone) continue;
        const bool is_turned = own == kNone || (other != kNone && other < own);
        const bool is_inner = f < mesh.n_inner_faces(), is_cut = is_inner && (own == kNone || other == kNone);
        (is_cut ? cut : zone_of[f] == kNone ? plain : of_zone[zone_of[f]]).push_back({f, is_turned});
    }
    out.face_offsets.assign(1, 0);
    auto add = [&](const Entry& e) {
        const auto p = mesh.face(e.face);
        if (e.is_turned)
            for (std::size_t k = p.size(); k-- > 0;) out.face_points.push_back(new_point(p[k]));
        else
            for (const Index i : p) out.face_points.push_back(new_point(i));
        out.face_offsets.push_back(out.face_points.size());
        const Index own = number[mesh.owner[e.face]];
        const Index other = e.face < mesh.n_inner_faces() ? number[mesh.neighbour[e.face]] : kNone;
        out.owner.push_back(std::min(own, other));
        if (own != kNone && other != kNone) out.neighbour.push_back(std::max(own, other));
    };
    for (const Entry& e : plain) add(e);
    for (const bool interfaces : {true, false})
        for (std::size_t z = 0; z < mesh.zones.size(); ++z) {
            if ((mesh.zones[z].first_face < mesh.n_inner_faces()) != interfaces || of_zone[z].empty()) continue;
            BoundaryZone zone = mesh.zones[z];
            zone.first_face = out.owner.size();
            zone.n_faces = of_zone[z].size();
            for (const Entry& e : of_zone[z]) add(e);
            out.zones.push_back(std::move(zone));
        }
    if (!cut.empty()) {
        out.zones.push_back({"cut", Role::interface_, out.owner.size(), cut.size()});
        for (const Entry& e : cut) add(e);
    }
    out.regions = mesh.regions;
    return out;
}

}  // namespace anvilcast
