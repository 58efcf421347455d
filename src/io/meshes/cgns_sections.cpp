// Elements of CGNS files: of one type, mixed, polygons and polyhedra.

#include "io/meshes/cgns_reader.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace anvilcast::io {

void CgnsReader::read_section(int s) {
    std::array<char, 33> name{};
    ElementType_t type{};
    cgsize_t first = 0, last = 0, size = 0;
    int n_boundary = 0, parent = 0;
    file_.check(cg_section_read(*file_, base_, zone_, s, name.data(), &type, &first, &last, &n_boundary, &parent));
    file_.check(cg_ElementDataSize(*file_, base_, zone_, s, &size));
    if (type == NFACE_n) return;
    if (type == NGON_n && is_plane_)
        wrong(fmt::format("section \"{}\" holds polygons; of plane meshes triangles and quadrangles are read",
                          name.data()));
    if (type == NGON_n) return read_polygons(s, name.data(), first, last, size, parent != 0);
    if (type == MIXED) return read_mixed(s, name.data(), first, last, size);
    int corners = 0;
    file_.check(cg_npe(type, &corners));
    if (corners <= 0)
        wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", name.data(),
                          cg_ElementTypeName(type)));
    if (last < first || size != (last - first + 1) * corners)
        wrong(fmt::format("section \"{}\" is damaged", name.data()));
    expect_values(section_path(name.data()) + "/ElementConnectivity", size);
    std::vector<cgsize_t> points(static_cast<std::size_t>(size));
    file_.check(cg_elements_read(*file_, base_, zone_, s, points.data(), nullptr));
    for (cgsize_t e = first; e <= last; ++e) add_element(name.data(), e, type, points.data() + (e - first) * corners);
}

void CgnsReader::read_mixed(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size) {
    if (last < first || size < 2 * (last - first + 1)) wrong(fmt::format("section \"{}\" is damaged", name));
    expect_values(section_path(name) + "/ElementConnectivity", size);
    expect_values(section_path(name) + "/ElementStartOffset", last - first + 2);
    std::vector<cgsize_t> values(static_cast<std::size_t>(size)), offsets(static_cast<std::size_t>(last - first + 2));
    file_.check(cg_poly_elements_read(*file_, base_, zone_, s, values.data(), offsets.data(), nullptr));
    std::size_t at = 0;
    for (cgsize_t e = first; e <= last; ++e) {
        if (at >= values.size()) wrong(fmt::format("section \"{}\" is truncated", name));
        const auto type = static_cast<ElementType_t>(values[at++]);
        int corners = 0;
        if (values[at - 1] < 0 || values[at - 1] >= NofValidElementTypes || cg_npe(type, &corners) != CG_OK ||
            corners <= 0 || at + static_cast<std::size_t>(corners) > values.size())
            wrong(fmt::format("section \"{}\" holds an element of a type that is not read", name));
        add_element(name, e, type, values.data() + at);
        at += static_cast<std::size_t>(corners);
    }
}

ElementType_t CgnsReader::linear(ElementType_t type) {
    switch (type) {
        case BAR_3:
            return BAR_2;
        case TRI_6:
            return TRI_3;
        case QUAD_8:
        case QUAD_9:
            return QUAD_4;
        case TETRA_10:
            return TETRA_4;
        case PYRA_13:
        case PYRA_14:
            return PYRA_5;
        case PENTA_15:
        case PENTA_18:
            return PENTA_6;
        case HEXA_20:
        case HEXA_27:
            return HEXA_8;
        default:
            return type;
    }
}

void CgnsReader::add_element(const char* section, cgsize_t e, ElementType_t full_type, const cgsize_t* p) {
    const ElementType_t type = linear(full_type);
    int corners = 0;
    file_.check(cg_npe(type, &corners));
    const auto element = std::find(kElementOf.begin(), kElementOf.end(), type);
    const bool is_flat_cell = is_plane_ && (type == TRI_3 || type == QUAD_4);
    const bool is_face = is_plane_ ? type == BAR_2 : type == TRI_3 || type == QUAD_4;
    if (is_flat_cell) {
        append(p, corners, out_.cell_points);
        out_.cell_offsets.push_back(out_.cell_points.size());
        out_.cell_types.push_back(type == TRI_3 ? CellType::prism : CellType::hexahedron);
    } else if (element != kElementOf.end() && !is_plane_) {
        append(p, corners, out_.cell_points);
        out_.cell_offsets.push_back(out_.cell_points.size());
        out_.cell_types.push_back(static_cast<CellType>(element - kElementOf.begin()));
    } else if (is_face) {
        for (Connection& c : connections_)
            if (const auto face = c.faces.find(e); c.zone == zone_ && face != c.faces.end())
                append(p, corners, face->second);
        const Index zone = zone_of(e);
        if (zone == kNone) return;
        append(p, corners, out_.boundary_points);
        out_.boundary_offsets.push_back(out_.boundary_points.size());
        out_.boundary_zone.push_back(zone);
    } else if (type != NODE && type != BAR_2) {
        wrong(fmt::format("section \"{}\" holds elements of a type that is not read: {}", section,
                          cg_ElementTypeName(type)));
    }
}

CgnsReader::Rows CgnsReader::read_rows(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size,
                                       cgsize_t least) {
    if (last < first || size < least * (last - first + 1)) wrong(fmt::format("section \"{}\" is damaged", name));
    expect_values(section_path(name) + "/ElementConnectivity", size);
    expect_values(section_path(name) + "/ElementStartOffset", last - first + 2);
    Rows rows{std::vector<cgsize_t>(static_cast<std::size_t>(size)),
              std::vector<cgsize_t>(static_cast<std::size_t>(last - first + 2))};
    file_.check(cg_poly_elements_read(*file_, base_, zone_, s, rows.values.data(), rows.offsets.data(), nullptr));
    for (std::size_t k = 0; k + 1 < rows.offsets.size(); ++k)
        if (rows.offsets[k] < 0 || rows.offsets[k + 1] > size || rows.offsets[k + 1] - rows.offsets[k] < least)
            wrong(fmt::format("section \"{}\" is damaged", name));
    return rows;
}

void CgnsReader::read_polygons(int s, const char* name, cgsize_t first, cgsize_t last, cgsize_t size,
                               bool has_parents) {
    const Rows rows = read_rows(s, name, first, last, size, 3);
    std::vector<cgsize_t> parents;
    if (has_parents) {
        expect_values(section_path(name) + "/ParentElements", 2 * (last - first + 1));
        // Of all faces the first one, of all the second one, and two places that polygons do not have.
        parents.resize(4 * static_cast<std::size_t>(last - first + 1));
        std::vector<cgsize_t> values(rows.values.size()), offsets(rows.offsets.size());
        file_.check(cg_poly_elements_read(*file_, base_, zone_, s, values.data(), offsets.data(), parents.data()));
    }
    for (cgsize_t e = first; e <= last; ++e) {
        const auto k = static_cast<std::size_t>(e - first);
        const auto n = static_cast<int>(rows.offsets[k + 1] - rows.offsets[k]);
        const cgsize_t* points = rows.values.data() + rows.offsets[k];
        face_of_[e] = static_cast<Index>(polyhedra_.owner.size());
        if (has_parents)
            parents_.push_back({parents[k], parents[k + static_cast<std::size_t>(last - first + 1)], face_of_[e]});
        for (Connection& c : connections_)
            if (const auto face = c.faces.find(e); c.zone == zone_ && face != c.faces.end()) {
                append(points, n, face->second);
                c.polygons[e] = face_of_[e];
            }
        append(points, n, polyhedra_.face_points);
        polyhedra_.face_offsets.push_back(polyhedra_.face_points.size());
        polyhedra_.owner.push_back(kNone);
        polyhedra_.neighbour.push_back(kNone);
        polyhedra_.face_zone.push_back(zone_of(e));
    }
}

void CgnsReader::read_polyhedra(int s) {
    std::array<char, 33> name{};
    ElementType_t type{};
    cgsize_t first = 0, last = 0, size = 0;
    int n_boundary = 0, parent = 0;
    file_.check(cg_section_read(*file_, base_, zone_, s, name.data(), &type, &first, &last, &n_boundary, &parent));
    if (type != NFACE_n) return;
    has_nface_ = true;
    file_.check(cg_ElementDataSize(*file_, base_, zone_, s, &size));
    const Rows rows = read_rows(s, name.data(), first, last, size, 4);
    for (std::size_t k = 0; k + 1 < rows.offsets.size(); ++k) {
        const auto cell = static_cast<Index>(polyhedra_.cell_region.size());
        polyhedra_.cell_region.push_back(region_);
        for (cgsize_t i = rows.offsets[k]; i < rows.offsets[k + 1]; ++i) {
            const cgsize_t signed_face = rows.values[static_cast<std::size_t>(i)];
            const auto face = face_of_.find(std::abs(signed_face));
            if (face == face_of_.end()) wrong(fmt::format("a cell refers to face {}, which is not there", signed_face));
            // A face that only points into cells is turned round for the first of them.
            Index& side = signed_face > 0 ? polyhedra_.owner[face->second] : polyhedra_.neighbour[face->second];
            if (side != kNone) wrong(fmt::format("face {} has two cells on one side", std::abs(signed_face)));
            side = cell;
        }
    }
}

void CgnsReader::turn_faces() {
    for (const auto& [element, f] : face_of_) {
        if (polyhedra_.owner[f] != kNone || polyhedra_.neighbour[f] == kNone) continue;
        std::swap(polyhedra_.owner[f], polyhedra_.neighbour[f]);
        std::reverse(polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f]),
                     polyhedra_.face_points.begin() + static_cast<std::ptrdiff_t>(polyhedra_.face_offsets[f + 1]));
    }
}

void CgnsReader::make_polyhedra_of_parents() {
    std::map<cgsize_t, Index> cell_of;
    for (const Parents& p : parents_)
        for (const cgsize_t c : {p.first, p.second})
            if (c > 0) cell_of.try_emplace(c, 0);
    for (auto& [number, cell] : cell_of) {
        cell = static_cast<Index>(polyhedra_.cell_region.size());
        polyhedra_.cell_region.push_back(region_);
    }
    for (const Parents& p : parents_) {
        if (p.first > 0) polyhedra_.owner[p.face] = cell_of.at(p.first);
        if (p.second > 0) polyhedra_.neighbour[p.face] = cell_of.at(p.second);
    }
    turn_faces();
}

}  // namespace anvilcast::io
