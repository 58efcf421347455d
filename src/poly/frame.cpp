// Faces on which polyhedra end are kept, their edges numbered and judged (sharp, special), columns of layers and
// corners of the core given their polyhedra; cuts between polyhedra of one vertex then add edges, so edges are found
// twice. All of it is topology: what stands out, or is smooth, is judged in rounded numbers, but never what belongs
// together.

#include "poly/frame.hpp"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>

#include "base/disjoint_sets.hpp"
#include "poly/concave.hpp"

namespace anvilcast::poly {

struct DualFrame::CoreCells {
    std::vector<Index> first, cells;
    std::vector<Index> part;  ///< of the vertex, that each belongs to: the place of its first cell
    std::span<const Index> at(Index v) const { return {cells.data() + first[v], first[v + 1] - first[v]}; }
    std::span<Index> part_at(Index v) { return {part.data() + first[v], first[v + 1] - first[v]}; }
    std::span<const Index> part_at(Index v) const { return {part.data() + first[v], first[v + 1] - first[v]}; }
};

DualFrame::DualFrame(const VolumeMesh& mesh, const LayerSlots& slots, double feature_angle)
    : mesh_(mesh),
      slots_(slots),
      n_plain_(mesh.n_plain_faces()),
      least_cosine_(std::cos(feature_angle * std::numbers::pi / 180)) {
    if (mesh.n_cells() + 4 * mesh.n_faces() + mesh.points.size() >= kSeveral)
        throw FailureError("the mesh has too many cells for polyhedra; make the sizes larger");
    zone_of_.assign(mesh.n_faces() - n_plain_, kNone);
    for (Index z = 0; z < mesh.zones.size(); ++z)
        for (std::size_t k = 0; k < mesh.zones[z].n_faces; ++k) zone_of_[mesh.zones[z].first_face - n_plain_ + k] = z;
    list_faces();
    find_ends_and_kept_faces();
    find_edges();
    judge_edges();
    const CoreCells cells = core_cells_at_kept_faces();
    number_layers();
    number_polyhedra(cells);
    find_cut_sides();
    if (!cuts_.empty() || !cut_sides_.empty()) {
        find_edges();
        judge_edges();
    }
    mark_repeated();
}

void DualFrame::mark_repeated() {
    if (mesh_.periodic.empty()) return;
    is_repeated_edge_.assign(n_edges(), 0);
    for (const BoundaryZone& zone : mesh_.zones) {
        if (zone.role != Role::periodic) continue;
        for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
            const auto p = mesh_.face(f);
            for (std::size_t k = 0; k < p.size(); ++k)
                if (const auto e = find_edge(p[k], p[(k + 1) % p.size()])) is_repeated_edge_[*e] = 1;
        }
    }
}

bool DualFrame::is_repeated(Node node) const {
    if (is_repeated_edge_.empty()) return false;
    const Index i = index(node);
    if (kind(node) == NodeKind::edge) return is_repeated_edge_[i] != 0;
    return kind(node) == NodeKind::face && zone_of(i) != kNone && mesh_.zones[zone_of(i)].role == Role::periodic;
}

/// Those of a tetrahedron in the order of the corners that they do not have.
void DualFrame::list_faces() {
    first_face_.assign(mesh_.n_cells() + 1, 0);
    for (const Index c : mesh_.owner) ++first_face_[c + 1];
    for (const Index c : mesh_.neighbour) ++first_face_[c + 1];
    std::partial_sum(first_face_.begin(), first_face_.end(), first_face_.begin());
    faces_.resize(first_face_.back());
    std::vector<Index> at(first_face_.begin(), first_face_.end() - 1);
    for (Index f = 0; f < mesh_.n_faces(); ++f) {
        faces_[at[mesh_.owner[f]]++] = f;
        if (f < mesh_.n_inner_faces()) faces_[at[mesh_.neighbour[f]]++] = f;
    }
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(mesh_.n_cells()), 4096), [&](const auto& range) {
        for (Index c = range.begin(); c < range.end(); ++c) {
            if (mesh_.cell_types[c] != CellType::tetrahedron) continue;
            const auto corners = mesh_.cell(c);
            std::array<Index, 4> sorted{};
            for (const Index f : faces_of(c)) {
                const auto p = mesh_.face(f);
                std::size_t k = 0;
                while (std::find(p.begin(), p.end(), corners[k]) != p.end()) ++k;
                sorted[k] = f;
            }
            std::copy(sorted.begin(), sorted.end(), faces_.begin() + first_face_[c]);
        }
    });
}

void DualFrame::find_ends_and_kept_faces() {
    is_kept_.assign(mesh_.n_faces(), 0);
    std::fill(is_kept_.begin() + static_cast<std::ptrdiff_t>(n_plain_), is_kept_.end(), 1);
    ends_.resize(slots_.cells.size(), {kNone, kNone});
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        const std::size_t n = slots_.cells[i].count();
        if (n == 0) continue;
        std::array<Index, 4> lows{}, ups{};
        for (std::size_t k = 0; k < n; ++k) {
            lows[k] = low(cell, k);
            ups[k] = up(cell, k);
        }
        for (const Index f : faces_of(cell)) {
            const auto p = mesh_.face(f);
            auto all_of = [&](const std::array<Index, 4>& list) {
                return std::all_of(p.begin(), p.end(), [&](Index v) {
                    return std::find(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(n), v) !=
                           list.begin() + static_cast<std::ptrdiff_t>(n);
                });
            };
            const bool is_low = all_of(lows), is_up = !is_low && all_of(ups);
            if (!is_low && !is_up) continue;
            ends_[i][is_low ? 0 : 1] = node_of_face(f);
            is_kept_[f] = 1;
        }
    }
}

/// Those of kept faces and cuts, and of cells of the core that are no tetrahedra; a fan's lower end, which may be an
/// edge, is on the boundary.
void DualFrame::find_edges() {
    std::vector<std::array<Index, 2>> edges;
    auto add = [&](Index f) {
        const auto p = mesh_.face(f);
        for (std::size_t k = 0; k < p.size(); ++k) {
            const Index a = p[k], b = p[(k + 1) % p.size()];
            edges.push_back({std::min(a, b), std::max(a, b)});
        }
    };
    for (Index f = 0; f < mesh_.n_faces(); ++f)
        if (is_kept(f)) add(f);
    for (Index c = 0; c < mesh_.n_cells(); ++c)
        if (mesh_.cell_types[c] != CellType::tetrahedron && !is_layer(c))
            for (const Index f : faces_of(c)) add(f);
    for (const Cut& cut : cuts_) add(cut.face);
    tbb::parallel_sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    first_far_.assign(mesh_.points.size() + 1, 0);
    is_far_.assign(mesh_.points.size(), 0);
    near_.clear();
    far_.clear();
    for (const auto& [p, q] : edges) {
        ++first_far_[p + 1];
        near_.push_back(p);
        far_.push_back(q);
        is_far_[q] = 1;
    }
    std::partial_sum(first_far_.begin(), first_far_.end(), first_far_.begin());
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        if (!is_layer(cell) || (ends_[i][0] != kNone && kind(ends_[i][0]) == NodeKind::face)) continue;
        // Fanned out from an edge or a point.
        Index other = low(cell, 0);
        for (std::size_t k = 1; k < slots_.cells[i].count(); ++k)
            if (low(cell, k) != low(cell, 0)) other = low(cell, k);
        ends_[i][0] = node_between(low(cell, 0), other);
    }
}

std::optional<Index> DualFrame::find_edge(Index p, Index q) const {
    const Index low = std::min(p, q), high = std::max(p, q);
    const auto begin = far_.begin() + first_far_[low], end = far_.begin() + first_far_[low + 1];
    const auto found = std::lower_bound(begin, end, high);
    if (found == end || *found != high) return std::nullopt;
    return static_cast<Index>(found - far_.begin());
}

Index DualFrame::edge(Index p, Index q) const {
    const auto found = find_edge(p, q);
    if (!found) throw InternalError("an edge between two vertices of a cell is missing");
    return *found;
}

namespace {

[[noreturn]] void refuse(const Vec3& place) {
    throw FailureError(fmt::format(
        "a stack of layers ends with its side against the core at [{:.6g}, {:.6g}, {:.6g}] m, where polyhedra "
        "cannot be made; fill with tetrahedra, or let the layers there go on or begin farther away",
        place.x, place.y, place.z));
}

}  // namespace

void DualFrame::judge_edges() {
    // Each kept face at each of its edges, its normal turned from the region or layer with the lower number.
    struct Use {
        Index edge, face;
    };
    std::vector<Use> uses;
    for (Index f = 0; f < mesh_.n_faces(); ++f) {
        if (!is_kept(f)) continue;
        const auto p = mesh_.face(f);
        for (std::size_t k = 0; k < p.size(); ++k) uses.push_back({edge(p[k], p[(k + 1) % p.size()]), f});
    }
    tbb::parallel_sort(uses.begin(), uses.end(),
                       [](const Use& a, const Use& b) { return a.edge != b.edge ? a.edge < b.edge : a.face < b.face; });
    auto normal = [&](Index f) {
        const auto p = mesh_.face(f);
        Vec3 n{};
        for (std::size_t k = 1; k + 1 < p.size(); ++k)
            n += triangle_normal(mesh_.points[p[0]], mesh_.points[p[k]], mesh_.points[p[k + 1]]);
        if (f < n_plain_) {
            const Index own = mesh_.owner[f];
            if (!is_layer(own) || top(own) != node_of_face(f)) n = -1.0 * n;
        } else if (f < mesh_.n_inner_faces() &&
                   mesh_.cell_region[mesh_.owner[f]] > mesh_.cell_region[mesh_.neighbour[f]]) {
            n = -1.0 * n;
        }
        return normalized(n);
    };
    // Within one region normals point from whatever cell has the lower number.
    auto is_of_sheet = [&](Index f) {
        return f >= n_plain_ && f < mesh_.n_inner_faces() &&
               mesh_.cell_region[mesh_.owner[f]] == mesh_.cell_region[mesh_.neighbour[f]];
    };
    auto run_alike = [&](const std::array<Index, 2>& f, const std::array<Index, 2>& ends) {
        auto runs_forward = [&](Index face) {
            const auto p = mesh_.face(face);
            for (std::size_t k = 0; k < p.size(); ++k)
                if (p[k] == ends[0]) return p[(k + 1) % p.size()] == ends[1];
            return false;
        };
        return runs_forward(f[0]) == runs_forward(f[1]);
    };
    is_kept_edge_.assign(n_edges(), 0);
    for (const Use& use : uses) is_kept_edge_[use.edge] = 1;
    is_sharp_.assign(n_edges(), 0);
    is_special_.assign(n_edges(), 0);
    is_feature_.assign(mesh_.points.size(), 0);
    is_on_rim_.assign(mesh_.points.size(), 0);
    for (std::size_t i = 0, j = 0; i < uses.size(); i = j) {
        std::array<std::size_t, 2> n{0, 0};  // faces between layers, faces in a zone
        std::array<std::array<Index, 2>, 2> face{};
        for (j = i; j < uses.size() && uses[j].edge == uses[i].edge; ++j) {
            const std::size_t kind = uses[j].face < n_plain_ ? 0 : 1;
            if (n[kind] < 2) face[kind][n[kind]] = uses[j].face;
            ++n[kind];
        }
        const Index e = uses[i].edge;
        auto is_smooth = [&](const std::array<Index, 2>& f) {
            if (zone_of(f[0]) != zone_of(f[1])) return false;
            const double cosine = dot(normal(f[0]), normal(f[1]));
            return (is_of_sheet(f[0]) && run_alike(f, ends_of(e)) ? -cosine : cosine) >= least_cosine_;
        };
        const bool zones_are_sharp = n[1] > 0 && (n[1] != 2 || !is_smooth(face[1]));
        is_sharp_[e] = static_cast<char>(zones_are_sharp || (n[0] == 2 && !is_smooth(face[0])));
        // A step, or a rim.
        is_special_[e] = static_cast<char>((n[0] != 0 && n[0] != 2) || (n[0] != 0 && n[1] != 0));
        if (zones_are_sharp)
            for (const Index v : ends_of(e)) is_feature_[v] = 1;
    }
    for (const Cut& cut : cuts_)
        for (const Index v : mesh_.face(cut.face))
            if (v != cut.vertex) is_special_[edge(v, cut.vertex)] = 1;
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        for (std::size_t k = 0, m = slots_.cells[i].count(); k < m; ++k) {
            const std::size_t next = (k + 1) % m;
            const auto its_side = side_of(cell, k);
            if (!its_side) {  // both columns have ended
                if (up(cell, k) != up(cell, next)) is_special_[edge(up(cell, k), up(cell, next))] = 1;
                continue;
            }
            const Index side = *its_side;
            if (side < mesh_.n_inner_faces()) {
                if (!is_layer(beyond(side, cell))) refuse(mesh_.points[mesh_.face(side)[0]]);
                if (!std::binary_search(cut_sides_.begin(), cut_sides_.end(), side)) continue;
            }
            for (const Index v : mesh_.face(side)) is_on_rim_[v] = 1;
            for (const Node n :
                 {node_between(low(cell, k), low(cell, next)), node_between(up(cell, k), up(cell, next))})
                if (kind(n) == NodeKind::edge) is_special_[index(n)] = 1;
        }
    }
}

DualFrame::NodeKind DualFrame::kind(Node n) const {
    if (n < mesh_.n_cells()) return NodeKind::cell;
    if (n < mesh_.n_cells() + mesh_.n_faces()) return NodeKind::face;
    return n < mesh_.n_cells() + mesh_.n_faces() + n_edges() ? NodeKind::edge : NodeKind::vertex;
}

Index DualFrame::index(Node n) const {
    switch (kind(n)) {
        case NodeKind::cell:
            return n;
        case NodeKind::face:
            return n - static_cast<Index>(mesh_.n_cells());
        case NodeKind::edge:
            return n - static_cast<Index>(mesh_.n_cells() + mesh_.n_faces());
        case NodeKind::vertex:
            break;
    }
    return n - static_cast<Index>(mesh_.n_cells() + mesh_.n_faces() + n_edges());
}

bool DualFrame::is_side(Index face, Index cell) const {
    return is_layer(cell) && bottom(cell) != node_of_face(face) && top(cell) != node_of_face(face);
}

std::optional<Index> DualFrame::side_of(Index cell, std::size_t slot) const {
    const std::size_t next = (slot + 1) % slots_of(cell).count();
    const std::array<Index, 4> corners{low(cell, slot), low(cell, next), up(cell, next), up(cell, slot)};
    if (corners[0] == corners[3] && corners[1] == corners[2]) return std::nullopt;
    for (const Index f : faces_of(cell)) {
        const auto p = mesh_.face(f);
        if (is_side(f, cell) && std::all_of(corners.begin(), corners.end(),
                                            [&](Index v) { return std::find(p.begin(), p.end(), v) != p.end(); }))
            return f;
    }
    throw InternalError("a side of a layer cell is missing");
}

DualFrame::CoreCells DualFrame::core_cells_at_kept_faces() const {
    const std::size_t n = mesh_.points.size();
    std::vector<char> is_at_kept(n, 0);
    for (Index f = 0; f < mesh_.n_faces(); ++f)
        if (is_kept(f))
            for (const Index v : mesh_.face(f)) is_at_kept[v] = 1;
    auto for_corners = [&](const auto& visit) {
        for (Index c = 0; c < mesh_.n_cells(); ++c)
            if (!is_layer(c))
                for (const Index v : mesh_.cell(c))
                    if (is_at_kept[v] != 0) visit(v, c);
    };
    CoreCells out;
    out.first.assign(n + 1, 0);
    for_corners([&](Index v, Index) { ++out.first[v + 1]; });
    std::partial_sum(out.first.begin(), out.first.end(), out.first.begin());
    out.cells.resize(out.first.back());
    std::vector<Index> at(out.first.begin(), out.first.end() - 1);
    for_corners([&](Index v, Index c) { out.cells[at[v]++] = c; });
    out.part.resize(out.cells.size());
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(n), 512), [&](const auto& range) {
        for (Index v = range.begin(); v < range.end(); ++v)
            if (!out.at(v).empty()) part_at(v, out.at(v), out.part_at(v));
    });
    return out;
}

/// Cells that hang together over faces that are not kept.
void DualFrame::part_at(Index vertex, std::span<const Index> cells, std::span<Index> part) const {
    DisjointSets sets(cells.size());
    for_neighbours(*this, vertex, cells, [&](Index i, Index j, Index) { sets.join(i, j); });
    for (Index i = 0; i < cells.size(); ++i) part[i] = sets.find(i);
    divide_concave(*this, vertex, cells, part);
}

Vec3 DualFrame::inward_normal(Index face, Index cell) const {
    const auto p = mesh_.face(face);
    Vec3 n{};
    for (std::size_t k = 1; k + 1 < p.size(); ++k)
        n += triangle_normal(mesh_.points[p[0]], mesh_.points[p[k]], mesh_.points[p[k + 1]]);
    return mesh_.owner[face] == cell ? -1.0 * n : n;
}

/// Do the tops on both sides of an inner side of a stack meet at an angle? A thin cell round it would be no good one.
bool DualFrame::is_bent(Index side) const {
    const Index cell = mesh_.owner[side], other = mesh_.neighbour[side];
    // Fans turn by little from column to column.
    for (const Index c : {cell, other})
        if (kind(bottom(c)) != NodeKind::face || kind(top(c)) != NodeKind::face) return false;
    return dot(normalized(inward_normal(index(top(cell)), cell)), normalized(inward_normal(index(top(other)), other))) <
           least_cosine_;
}

/// Radians, of a face at one of its corners.
double DualFrame::angle_at(Index vertex, Index face) const {
    const auto p = mesh_.face(face);
    const auto k = static_cast<std::size_t>(std::find(p.begin(), p.end(), vertex) - p.begin());
    const Vec3 u = mesh_.points[p[(k + 1) % p.size()]] - mesh_.points[vertex],
               v = mesh_.points[p[(k + p.size() - 1) % p.size()]] - mesh_.points[vertex];
    return std::atan2(length(cross(u, v)), dot(u, v));
}

namespace {

/// Cells in a row, each beside the next one over its second neighbour, that turn by much more than half a circle about
/// their vertex are parted in the middle.
template <typename Angle>
void part_reflex_sectors(std::vector<std::array<Index, 2>>& beside, const Angle& angle) {
    constexpr double kMost = 200 * std::numbers::pi / 180;
    for (Index first = 0; first < beside.size(); ++first) {
        if (beside[first][1] != kNone || beside[first][0] == kNone) continue;
        std::vector<Index> row;
        double sum = 0;
        for (Index k = first; k != kNone; k = beside[k][0]) {
            row.push_back(k);
            sum += angle(k);
        }
        if (sum < kMost) continue;
        double before = 0, nearest = sum;
        std::size_t last = 0;
        for (std::size_t k = 0; k + 1 < row.size(); ++k) {
            before += angle(row[k]);
            if (std::abs(before - sum / 2) >= nearest) continue;
            nearest = std::abs(before - sum / 2);
            last = k;
        }
        beside[row[last]][0] = kNone;
        beside[row[last + 1]][1] = kNone;
    }
}

}  // namespace

/// A polyhedron for each piece of a column, known by its upper point; one for each wall where these meet at an angle.
void DualFrame::number_layers() {
    struct At {
        Index vertex, cell;
        std::size_t slot;
    };
    std::vector<At> list;
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        for (std::size_t k = 0; k < slots_.cells[i].count(); ++k)
            if (low(cell, k) != up(cell, k)) list.push_back({up(cell, k), cell, k});
    }
    tbb::parallel_sort(list.begin(), list.end(), [](const At& a, const At& b) {
        return a.vertex != b.vertex ? a.vertex < b.vertex : a.cell < b.cell;
    });
    layer_of_.assign(mesh_.points.size(), kNone);
    for (std::size_t i = 0, j = 0; i < list.size(); i = j) {
        for (j = i; j < list.size() && list[j].vertex == list[i].vertex;) ++j;
        // The neighbour over each of the column's two sides of a cell, kNone over a bend.
        std::vector<std::array<Index, 2>> beside(j - i, {kNone, kNone});
        for (std::size_t k = i; k < j; ++k) {
            const std::size_t n = slots_of(list[k].cell).count();
            for (std::size_t way = 0; way < 2; ++way) {
                const auto side = side_of(list[k].cell, (list[k].slot + (way == 0 ? 0 : n - 1)) % n);
                if (!side || *side >= mesh_.n_inner_faces() || is_kept(*side) || is_bent(*side)) continue;
                const Index next_cell = beyond(*side, list[k].cell);
                const auto other = std::lower_bound(list.begin() + static_cast<std::ptrdiff_t>(i),
                                                    list.begin() + static_cast<std::ptrdiff_t>(j), next_cell,
                                                    [](const At& a, Index cell) { return a.cell < cell; });
                if (other != list.begin() + static_cast<std::ptrdiff_t>(j) && other->cell == next_cell)
                    beside[k - i][way] = static_cast<Index>(static_cast<std::size_t>(other - list.begin()) - i);
            }
        }
        part_reflex_sectors(beside,
                            [&](Index k) { return angle_at(list[i + k].vertex, index(top(list[i + k].cell))); });
        DisjointSets sets(j - i);
        for (Index k = 0; k < beside.size(); ++k)
            for (const Index other : beside[k])
                if (other != kNone) sets.join(k, other);
        std::vector<Index> number(j - i, kNone);
        for (std::size_t k = i; k < j; ++k) {
            Index& own = number[sets.find(static_cast<Index>(k - i))];
            if (own == kNone) {
                own = static_cast<Index>(region_.size());
                region_.push_back(mesh_.cell_region[list[k].cell]);
                is_of_layer_.push_back(1);
                layer_of_[list[k].vertex] = k == i ? own : kSeveral + static_cast<Index>(layer_parts_.size());
            }
        }
        if (is_several(layer_of_[list[i].vertex]))
            for (std::size_t k = i; k < j; ++k)
                layer_parts_.push_back({list[k].vertex, list[k].cell, number[sets.find(static_cast<Index>(k - i))]});
    }
}

void DualFrame::find_cut_sides() {
    if (layer_parts_.empty()) return;
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        const std::size_t n = slots_.cells[i].count();
        for (std::size_t k = 0; k < n; ++k) {
            const auto side = side_of(cell, k);
            if (!side || *side >= mesh_.n_inner_faces() || mesh_.owner[*side] != cell) continue;
            for (const std::size_t slot : {k, (k + 1) % n})
                if (is_kept(*side) || owner_in_layer(cell, slot) != owner_across(*side, cell, slot))
                    cut_sides_.push_back(*side);
        }
    }
    std::sort(cut_sides_.begin(), cut_sides_.end());
    cut_sides_.erase(std::unique(cut_sides_.begin(), cut_sides_.end()), cut_sides_.end());
}

Index DualFrame::owner_across(Index side, Index cell, std::size_t slot) const {
    const Index other = beyond(side, cell);
    for (std::size_t k = 0; k < slots_of(other).count(); ++k)
        if (low(other, k) == low(cell, slot) && up(other, k) == up(cell, slot)) return owner_in_layer(other, k);
    throw InternalError("a column is on one side of a stack's inner side only");
}

/// And for each part of a vertex' cells of the core.
void DualFrame::number_polyhedra(const CoreCells& cells) {
    const std::size_t n = mesh_.points.size();
    std::vector<Index> region_of_core(n, kNone);
    for (Index c = 0; c < mesh_.n_cells(); ++c)
        if (!is_layer(c))
            for (const Index v : mesh_.cell(c)) region_of_core[v] = mesh_.cell_region[c];
    core_of_.assign(n, kNone);
    auto add = [&](Index region) {
        region_.push_back(region);
        is_of_layer_.push_back(0);
        return static_cast<Index>(region_.size() - 1);
    };
    for (Index v = 0; v < n; ++v) {
        if (region_of_core[v] == kNone) continue;
        const auto list = cells.at(v), part = cells.part_at(v);
        if (std::all_of(part.begin(), part.end(), [](Index p) { return p == 0; })) {
            core_of_[v] = add(region_of_core[v]);
            continue;
        }
        std::vector<Index> number(list.size(), kNone);
        core_of_[v] = kSeveral + static_cast<Index>(core_parts_.size());
        for (Index i = 0; i < list.size(); ++i) {
            Index& own = number[part[i]];
            if (own == kNone) own = add(mesh_.cell_region[list[i]]);
            core_parts_.push_back({v, list[i], own});
        }
        for_neighbours(*this, v, list, [&](Index i, Index j, Index f) {
            if (part[i] != part[j]) cuts_.push_back({v, f});
        });
    }
}

Index DualFrame::owner_among(const std::vector<Part>& parts, Index first, Index cell) {
    for (std::size_t k = first - kSeveral; k < parts.size() && parts[k].vertex == parts[first - kSeveral].vertex; ++k)
        if (parts[k].cell == cell) return parts[k].polyhedron;
    throw InternalError("a corner of a cell has no polyhedron");
}

Index DualFrame::owner_in_core(Index vertex, Index cell) const {
    const Index own = core_of_[vertex];
    return is_several(own) ? owner_among(core_parts_, own, cell) : own;
}

Index DualFrame::owner_in_layer(Index cell, std::size_t slot) const {
    const Index v = up(cell, slot), own = layer_of_[v];
    // A column without layers: what is above belongs to the core.
    if (own == kNone) return owner_in_core(v, beyond(index(top(cell)), cell));
    if (!is_several(own)) return own;
    // What ended below belongs to the layer cell there.
    return owner_among(layer_parts_, own, low(cell, slot) != v ? cell : beyond(index(bottom(cell)), cell));
}

Index DualFrame::owner_at(Index face, Index vertex, Index cell) const {
    if (!is_layer(cell)) return owner_in_core(vertex, cell);
    const bool is_top = top(cell) == node_of_face(face);
    for (std::size_t k = 0; k < slots_of(cell).count(); ++k)
        if ((is_top ? up(cell, k) : low(cell, k)) == vertex) return owner_in_layer(cell, k);
    throw InternalError("a corner of a layer cell is missing");
}

}  // namespace anvilcast::poly
