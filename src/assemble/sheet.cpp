// A plane mesh is drawn out to prisms and hexahedra between two zones of faces, its back and its front. Its triangles'
// angles are then the prisms', its areas their volumes over the depth, and lines between centres lie in the plane; so
// what is measured on the sheet is measured on the plane.

#include <anvilcast/errors.hpp>
#include <anvilcast/sheet.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>

#include "assemble/flat_cells.hpp"

namespace anvilcast {
namespace {

constexpr const char *kBack = "back of the plane", *kFront = "front of the plane";

}  // namespace

namespace assemble {
namespace {

double twice_area(const CellsAndBoundary& flat, std::size_t cell) {
    double sum = 0;
    const Vec3& a = flat.points[flat.cell_points[flat.cell_offsets[cell]]];
    for (std::size_t k = flat.cell_offsets[cell] + 2; k < flat.cell_offsets[cell + 1]; ++k) {
        const Vec3 u = flat.points[flat.cell_points[k - 1]] - a, v = flat.points[flat.cell_points[k]] - a;
        sum += u.x * v.y - u.y * v.x;
    }
    return sum;
}

/// Lists of n items each become lists of 2 n, those above in the second half.
void draw_out_cells(CellsAndBoundary& flat, Index n_points) {
    std::vector<Index> points;
    points.reserve(2 * flat.cell_points.size());
    for (std::size_t c = 0; c < flat.cell_types.size(); ++c) {
        const std::span<const Index> corners(flat.cell_points.data() + flat.cell_offsets[c],
                                             flat.cell_offsets[c + 1] - flat.cell_offsets[c]);
        points.insert(points.end(), corners.begin(), corners.end());
        for (const Index p : corners) points.push_back(p + n_points);
    }
    flat.cell_points = std::move(points);
    for (std::size_t& offset : flat.cell_offsets) offset *= 2;
}

void draw_out_boundary(CellsAndBoundary& flat, Index n_points) {
    std::vector<Index> points;
    points.reserve(2 * flat.boundary_points.size());
    for (std::size_t k = 0; k + 1 < flat.boundary_points.size(); k += 2) {
        const Index a = flat.boundary_points[k], b = flat.boundary_points[k + 1];
        points.insert(points.end(), {a, b, b + n_points, a + n_points});
    }
    flat.boundary_points = std::move(points);
    for (std::size_t& offset : flat.boundary_offsets) offset *= 2;
}

void add_sides(CellsAndBoundary& flat) {
    for (const bool is_front : {false, true}) {
        const auto zone = static_cast<Index>(flat.zones.size());
        flat.zones.push_back({is_front ? kFront : kBack, Role::symmetry});
        for (std::size_t c = 0; c < flat.cell_types.size(); ++c) {
            const std::size_t first = flat.cell_offsets[c], n = (flat.cell_offsets[c + 1] - first) / 2;
            for (std::size_t k = 0; k < n; ++k)
                flat.boundary_points.push_back(flat.cell_points[first + k + (is_front ? n : 0)]);
            flat.boundary_offsets.push_back(flat.boundary_points.size());
            flat.boundary_zone.push_back(zone);
        }
    }
}

}  // namespace

double draw_out(CellsAndBoundary& flat) {
    double area = 0;
    for (std::size_t c = 0; c < flat.cell_types.size(); ++c) {
        const double twice = twice_area(flat, c);
        const Vec3& at = flat.points[flat.cell_points[flat.cell_offsets[c]]];
        if (!(twice != 0) || !std::isfinite(twice))
            throw InputError(fmt::format("the cell at [{:.6g}, {:.6g}] m has no area", at.x, at.y));
        if (twice < 0)
            std::reverse(flat.cell_points.begin() + static_cast<std::ptrdiff_t>(flat.cell_offsets[c]),
                         flat.cell_points.begin() + static_cast<std::ptrdiff_t>(flat.cell_offsets[c + 1]));
        area += 0.5 * std::abs(twice);
    }
    const double depth = std::sqrt(area / static_cast<double>(std::max<std::size_t>(1, flat.cell_types.size())));
    const auto n_points = static_cast<Index>(flat.points.size());
    flat.points.reserve(2 * flat.points.size());
    for (Index p = 0; p < n_points; ++p) {
        flat.points[p].z = 0;
        flat.points.push_back({flat.points[p].x, flat.points[p].y, depth});
    }
    draw_out_cells(flat, n_points);
    draw_out_boundary(flat, n_points);
    add_sides(flat);
    return depth;
}

void put_sides_last(CellsAndBoundary& cells) {
    std::vector<Index> number(cells.zones.size());
    std::vector<Zone> zones;
    for (const bool is_side : {false, true})
        for (std::size_t z = 0; z < number.size(); ++z)
            if ((cells.zones[z].name == kBack || cells.zones[z].name == kFront) == is_side) {
                number[z] = static_cast<Index>(zones.size());
                zones.push_back(cells.zones[z]);
            }
    cells.zones = std::move(zones);
    for (Index& z : cells.boundary_zone) z = number[z];
}

VolumeMesh in_order(VolumeMesh&& sheet, double depth) {
    // Walls that were split have points of their own behind all others.
    std::vector<Index> above(sheet.points.size(), kNone);
    for (std::size_t c = 0; c < sheet.n_cells(); ++c) {
        const auto corners = sheet.cell(c);
        const std::size_t n = corners.size() / 2;
        for (std::size_t k = 0; k < n; ++k) above[corners[k]] = corners[k + n];
    }
    std::vector<Index> number(sheet.points.size(), kNone);
    std::vector<Vec3> points(sheet.points.size());
    Index next = 0;
    const auto half = static_cast<Index>(sheet.points.size() / 2);
    for (std::size_t p = 0; p < above.size(); ++p) {
        if (above[p] == kNone) continue;
        number[p] = next;
        number[above[p]] = next + half;
        points[next] = sheet.points[p];
        points[next + half] = sheet.points[above[p]];
        ++next;
    }
    for (std::vector<Index>* list : {&sheet.cell_points, &sheet.face_points})
        for (Index& p : *list) p = number[p];
    sheet.points = std::move(points);
    sheet.plane_depth = depth;
    return std::move(sheet);
}

}  // namespace assemble

namespace {

/// The sheet of a plane mesh whose edges are each of one cell and in a zone, or of two; faces are found by their ends.
class SheetMaker {
  public:
    explicit SheetMaker(const PlanarMesh& plane) : p_(plane), n_(static_cast<Index>(plane.points.size())) {}

    /// Nothing where an edge is something else.
    std::optional<VolumeMesh> make() {
        if (!find_neighbours()) return std::nullopt;
        add_points_and_cells();
        add_faces();
        return std::move(out_);
    }

  private:
    /// An edge of a cell, or of a zone, at its end with the lower number.
    struct Side {
        Index high, cell;  // kNone: of a zone
        Index corner;      // or the zone
    };

    bool find_neighbours() {
        std::vector<std::size_t> first(p_.points.size() + 1, 0);
        auto for_sides = [&](const auto& visit) {
            for (Index c = 0; c < p_.cells.size(); ++c)
                for (int k = 0, n = PlanarMesh::n_corners(p_.cells[c]); k < n; ++k)
                    visit(corner(c, k), corner(c, (k + 1) % n), c, static_cast<Index>(k));
            for (const PlanarEdge& e : p_.edges) visit(e.from, e.to, kNone, e.zone);
        };
        for_sides([&](Index a, Index b, Index, Index) { ++first[std::min(a, b) + 1]; });
        for (std::size_t k = 1; k < first.size(); ++k) first[k] += first[k - 1];
        std::vector<Side> sides(first.back());
        std::vector<std::size_t> at(first.begin(), first.end() - 1);
        for_sides([&](Index a, Index b, Index c, Index k) { sides[at[std::min(a, b)]++] = {std::max(a, b), c, k}; });
        beside_.assign(4 * p_.cells.size(), kNone);
        zone_.assign(4 * p_.cells.size(), kNone);
        for (std::size_t p = 0; p + 1 < first.size(); ++p) {
            const std::span<Side> here(sides.data() + first[p], first[p + 1] - first[p]);
            std::stable_sort(here.begin(), here.end(), [](const Side& a, const Side& b) { return a.high < b.high; });
            for (std::size_t i = 0, j = 0; i < here.size(); i = j) {
                for (j = i; j < here.size() && here[j].high == here[i].high;) ++j;
                if (!join(here.subspan(i, j - i))) return false;
            }
        }
        return true;
    }
    /// Cells come before zones.
    bool join(std::span<const Side> same) {
        const auto n_cells = static_cast<std::size_t>(
            std::count_if(same.begin(), same.end(), [](const Side& s) { return s.cell != kNone; }));
        if (n_cells == 0 || n_cells > 2 || same.size() - n_cells > 1) return false;
        const Index zone = same.size() > n_cells ? same[n_cells].corner : kNone;
        const Side &a = same[0], &b = same[n_cells - 1];
        const bool is_between = n_cells == 2 && p_.cell_region[a.cell] != p_.cell_region[b.cell];
        if ((n_cells == 1 || is_between) != (zone != kNone)) return false;
        if (n_cells == 2) {
            // Both ways round, or the cells lie over each other.
            if (corner(a.cell, static_cast<int>(a.corner)) == corner(b.cell, static_cast<int>(b.corner))) return false;
            beside_[4 * a.cell + a.corner] = b.cell;
            beside_[4 * b.cell + b.corner] = a.cell;
        }
        for (const Side& s : same.first(n_cells)) zone_[4 * s.cell + s.corner] = zone;
        return true;
    }

    Index corner(Index c, int k) const { return p_.cells[c][static_cast<std::size_t>(k)]; }

    void add_points_and_cells() {
        double area = 0;
        for (const auto& cell : p_.cells)
            for (int k = 2; k < PlanarMesh::n_corners(cell); ++k) {
                const Vec2 &a = p_.points[cell[0]], &b = p_.points[cell[static_cast<std::size_t>(k - 1)]],
                           &c = p_.points[cell[static_cast<std::size_t>(k)]];
                area += 0.5 * ((b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x));
            }
        out_.plane_depth = std::sqrt(area / static_cast<double>(std::max<std::size_t>(1, p_.cells.size())));
        for (const double z : {0.0, out_.plane_depth})
            for (const Vec2& p : p_.points) out_.points.push_back({p.x, p.y, z});
        out_.cell_offsets.push_back(0);
        for (const auto& cell : p_.cells) {
            const int n = PlanarMesh::n_corners(cell);
            out_.cell_types.push_back(n == 3 ? CellType::prism : CellType::hexahedron);
            for (const Index above : {Index{0}, n_})
                for (int k = 0; k < n; ++k) out_.cell_points.push_back(cell[static_cast<std::size_t>(k)] + above);
            out_.cell_offsets.push_back(out_.cell_points.size());
        }
        out_.cell_region = p_.cell_region;
        out_.regions = p_.regions;
        out_.periodic = p_.periodic;
    }

    void add_faces() {
        out_.face_offsets.push_back(0);
        std::vector<std::vector<std::array<Index, 2>>> of_zone(p_.zones.size());
        std::vector<char> is_interface(p_.zones.size(), 0);
        for (Index c = 0; c < p_.cells.size(); ++c)
            for (int k = 0; k < PlanarMesh::n_corners(p_.cells[c]); ++k) {
                const Index side = 4 * c + static_cast<Index>(k), other = beside_[side];
                if (other != kNone && other < c) continue;
                if (zone_[side] == kNone) {
                    add_edge(c, k, other);
                    continue;
                }
                of_zone[zone_[side]].push_back({c, static_cast<Index>(k)});
                if (other != kNone) is_interface[zone_[side]] = 1;
            }
        for (const Zone& z : p_.zones) out_.zones.push_back(without_faces(z));
        for (const int inner : {1, 0})
            for (std::size_t z = 0; z < of_zone.size(); ++z) {
                if (is_interface[z] != inner) continue;
                out_.zones[z].first_face = out_.owner.size();
                out_.zones[z].n_faces = of_zone[z].size();
                for (const auto& [c, k] : of_zone[z]) add_edge(c, static_cast<int>(k), beside_[4 * c + k]);
            }
        add_side(kBack, 0);
        add_side(kFront, n_);
    }
    void add_edge(Index c, int k, Index other) {
        const Index a = corner(c, k), b = corner(c, (k + 1) % PlanarMesh::n_corners(p_.cells[c]));
        for (const Index p : {a, b, b + n_, a + n_}) out_.face_points.push_back(p);
        out_.face_offsets.push_back(out_.face_points.size());
        out_.owner.push_back(c);
        if (other != kNone) out_.neighbour.push_back(other);
    }
    void add_side(const char* name, Index above) {
        out_.zones.push_back({name, Role::symmetry, out_.owner.size(), p_.cells.size()});
        for (Index c = 0; c < p_.cells.size(); ++c) {
            const int n = PlanarMesh::n_corners(p_.cells[c]);
            // The back is seen from behind.
            for (int k = 0; k < n; ++k) out_.face_points.push_back(corner(c, above == 0 ? (n - k) % n : k) + above);
            out_.face_offsets.push_back(out_.face_points.size());
            out_.owner.push_back(c);
        }
    }

    const PlanarMesh& p_;
    Index n_;
    std::vector<Index> beside_, zone_;  // of each corner's edge, four to a cell
    VolumeMesh out_;
};

}  // namespace

VolumeMesh sheet_of(const PlanarMesh& plane) {
    if (auto sheet = SheetMaker(plane).make()) return std::move(*sheet);
    // Walls within an area, and everything that is wrong.
    CellsAndBoundary flat;
    flat.points.reserve(2 * plane.points.size());
    for (const Vec2& p : plane.points) flat.points.push_back({p.x, p.y, 0});
    for (const auto& cell : plane.cells) {
        const int n = PlanarMesh::n_corners(cell);
        flat.cell_types.push_back(n == 3 ? CellType::prism : CellType::hexahedron);
        flat.cell_points.insert(flat.cell_points.end(), cell.begin(), cell.begin() + n);
        flat.cell_offsets.push_back(flat.cell_points.size());
    }
    flat.cell_region = plane.cell_region;
    for (const PlanarEdge& e : plane.edges) {
        flat.boundary_points.insert(flat.boundary_points.end(), {e.from, e.to});
        flat.boundary_offsets.push_back(flat.boundary_points.size());
        flat.boundary_zone.push_back(e.zone);
    }
    flat.zones = plane.zones;
    flat.regions = plane.regions;
    flat.periodic = plane.periodic;
    const double depth = assemble::draw_out(flat);
    return assemble::in_order(assemble_mesh(std::move(flat)), depth);
}

PlanarMesh plane_of(const VolumeMesh& sheet) {
    if (!sheet.is_plane()) throw InputError("the mesh is no plane one: its cells fill space");
    PlanarMesh out;
    const std::size_t half = sheet.points.size() / 2;
    for (std::size_t p = 0; p < half; ++p) out.points.push_back({sheet.points[p].x, sheet.points[p].y});
    for (std::size_t c = 0; c < sheet.n_cells(); ++c) {
        const auto corners = sheet.cell(c);
        std::array<Index, 4> cell{kNone, kNone, kNone, kNone};
        std::copy(corners.begin(), corners.begin() + static_cast<std::ptrdiff_t>(corners.size() / 2), cell.begin());
        out.cells.push_back(cell);
    }
    out.cell_region = sheet.cell_region;
    out.regions = sheet.regions;
    out.periodic = sheet.periodic;
    for (std::size_t z = 0; z < sheet.n_named_zones(); ++z) {
        const BoundaryZone& zone = sheet.zones[z];
        Zone named{zone.name, zone.role};
        named.other_name = zone.other_name;
        out.zones.push_back(std::move(named));
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            // Two of the four are below; the owner's on the left of the way from one to the other.
            const auto face = sheet.face(f);
            for (std::size_t k = 0; k < 4; ++k)
                if (face[k] < half && face[(k + 1) % 4] < half)
                    out.edges.push_back({face[k], face[(k + 1) % 4], static_cast<Index>(z)});
        }
    }
    return out;
}

}  // namespace anvilcast
