#include "fill/dual_frame.hpp"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <cmath>
#include <numbers>
#include <numeric>

#include "base/disjoint_sets.hpp"

namespace anvilcast::fill {

DualFrame::DualFrame(const VolumeMesh& mesh, const LayerSlots& slots, double feature_angle)
    : mesh_(mesh), slots_(slots), n_plain_(mesh.n_plain_faces()) {
    if (mesh.n_cells() + 4 * mesh.n_faces() + mesh.points.size() >= kNone)
        throw FailureError("the mesh has too many cells for polyhedra; make the sizes larger");
    zone_of_.assign(mesh.n_faces() - n_plain_, kNone);
    for (Index z = 0; z < mesh.zones.size(); ++z)
        for (std::size_t k = 0; k < mesh.zones[z].n_faces; ++k)
            zone_of_[mesh.zones[z].first_face - n_plain_ + k] = z;
    list_faces();
    find_ends_and_kept_faces();
    find_edges();
    judge_edges(feature_angle);
    number_polyhedra();
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

/// Those of kept faces, and of cells of the core that are no tetrahedra; a fan's lower end, which may be an edge, is on
/// the boundary.
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
    tbb::parallel_sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    first_far_.assign(mesh_.points.size() + 1, 0);
    is_far_.assign(mesh_.points.size(), 0);
    for (const auto& [p, q] : edges) {
        ++first_far_[p + 1];
        near_.push_back(p);
        far_.push_back(q);
        is_far_[q] = 1;
    }
    std::partial_sum(first_far_.begin(), first_far_.end(), first_far_.begin());
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        if (!is_layer(cell) || ends_[i][0] != kNone) continue;
        // Fanned out from an edge or a point.
        Index other = low(cell, 0);
        for (std::size_t k = 1; k < slots_.cells[i].count(); ++k)
            if (low(cell, k) != low(cell, 0)) other = low(cell, k);
        ends_[i][0] = node_between(low(cell, 0), other);
    }
}

Index DualFrame::edge(Index p, Index q) const {
    const Index low = std::min(p, q), high = std::max(p, q);
    const auto begin = far_.begin() + first_far_[low], end = far_.begin() + first_far_[low + 1];
    const auto found = std::lower_bound(begin, end, high);
    return found != end && *found == high ? static_cast<Index>(found - far_.begin()) : kNone;
}

void DualFrame::judge_edges(double feature_angle) {
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
    const double least = std::cos(feature_angle * std::numbers::pi / 180);
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
            return zone_of(f[0]) == zone_of(f[1]) && dot(normal(f[0]), normal(f[1])) >= least;
        };
        const bool zones_are_sharp = n[1] > 0 && (n[1] != 2 || !is_smooth(face[1]));
        is_sharp_[e] = static_cast<char>(zones_are_sharp || (n[0] == 2 && !is_smooth(face[0])));
        // A step, or a rim.
        is_special_[e] = static_cast<char>((n[0] != 0 && n[0] != 2) || (n[0] != 0 && n[1] != 0));
        if (zones_are_sharp)
            for (const Index v : ends_of(e)) is_feature_[v] = 1;
    }
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        for (std::size_t k = 0, m = slots_.cells[i].count(); k < m; ++k) {
            const std::size_t next = (k + 1) % m;
            const Index side = side_of(cell, k);
            if (side == kNone) {  // both columns have ended
                if (up(cell, k) != up(cell, next)) is_special_[edge(up(cell, k), up(cell, next))] = 1;
                continue;
            }
            if (side < mesh_.n_inner_faces()) {
                if (!is_layer(beyond(side, cell)))
                    throw InternalError("a layer stands beside a cell that is of no layer");
                continue;
            }
            for (const Index v : mesh_.face(side)) is_on_rim_[v] = 1;
            for (const Node n : {node_between(low(cell, k), low(cell, next)), node_between(up(cell, k), up(cell, next))})
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

Index DualFrame::side_of(Index cell, std::size_t slot) const {
    const std::size_t next = (slot + 1) % slots_of(cell).count();
    const std::array<Index, 4> corners{low(cell, slot), low(cell, next), up(cell, next), up(cell, slot)};
    if (corners[0] == corners[3] && corners[1] == corners[2]) return kNone;
    for (const Index f : faces_of(cell)) {
        const auto p = mesh_.face(f);
        if (is_side(f, cell) && std::all_of(corners.begin(), corners.end(),
                                            [&](Index v) { return std::find(p.begin(), p.end(), v) != p.end(); }))
            return f;
    }
    throw InternalError("a side of a layer cell is missing");
}

/// A polyhedron for each piece of a column, known by its upper point, and for each part of a vertex' cells of the core
/// that hangs together over faces that are not kept.
void DualFrame::number_polyhedra() {
    const std::size_t n = mesh_.points.size();
    layer_of_.assign(n, kNone);
    std::vector<Index> region_of_layer(n, kNone), region_of_core(n, kNone);
    for (std::size_t i = 0; i < slots_.cells.size(); ++i) {
        const auto cell = static_cast<Index>(slots_.first_cell + i);
        for (std::size_t k = 0; k < slots_.cells[i].count(); ++k)
            if (low(cell, k) != up(cell, k)) region_of_layer[up(cell, k)] = mesh_.cell_region[cell];
    }
    // Cells of the core at vertices of kept faces; at all others there is one part.
    std::vector<char> is_shared(n, 0);
    for (Index f = 0; f < mesh_.n_faces(); ++f)
        if (is_kept(f))
            for (const Index v : mesh_.face(f)) is_shared[v] = 1;
    std::vector<Index> first(n + 1, 0);
    for (Index c = 0; c < mesh_.n_cells(); ++c) {
        if (is_layer(c)) continue;
        for (const Index v : mesh_.cell(c)) {
            region_of_core[v] = mesh_.cell_region[c];
            if (is_shared[v] != 0) ++first[v + 1];
        }
    }
    std::partial_sum(first.begin(), first.end(), first.begin());
    std::vector<Index> cells(first.back()), part(first.back());
    std::vector<Index> at(first.begin(), first.end() - 1);
    for (Index c = 0; c < mesh_.n_cells(); ++c)
        if (!is_layer(c))
            for (const Index v : mesh_.cell(c))
                if (is_shared[v] != 0) cells[at[v]++] = c;
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(n), 512), [&](const auto& range) {
        for (Index v = range.begin(); v < range.end(); ++v) {
            const std::span<const Index> list(cells.data() + first[v], first[v + 1] - first[v]);
            DisjointSets sets(list.size());
            for (Index i = 0; i < list.size(); ++i)
                for (const Index f : faces_of(list[i])) {
                    const auto p = mesh_.face(f);
                    if (is_kept(f) || std::find(p.begin(), p.end(), v) == p.end()) continue;
                    const auto other = std::lower_bound(list.begin(), list.end(), beyond(f, list[i]));
                    if (other != list.end() && *other == beyond(f, list[i]))
                        sets.join(i, static_cast<Index>(other - list.begin()));
                }
            for (Index i = 0; i < list.size(); ++i) part[first[v] + i] = sets.find(i);
        }
    });
    core_of_.assign(n, kNone);
    auto add = [&](Index region, bool is_of_layer) {
        region_.push_back(region);
        is_of_layer_.push_back(static_cast<char>(is_of_layer));
        return static_cast<Index>(region_.size() - 1);
    };
    for (Index v = 0; v < n; ++v) {
        if (region_of_layer[v] != kNone) layer_of_[v] = add(region_of_layer[v], true);
        if (region_of_core[v] == kNone) continue;
        const Index begin = first[v], end = first[v + 1];
        if (std::all_of(part.begin() + begin, part.begin() + end, [](Index p) { return p == 0; })) {
            core_of_[v] = add(region_of_core[v], false);
            continue;
        }
        std::vector<Index> number(end - begin, kNone);
        core_of_[v] = static_cast<Index>(region_.size());
        for (Index i = begin; i < end; ++i) {
            Index& own = number[part[i]];
            if (own == kNone) own = add(mesh_.cell_region[cells[i]], false);
            parts_.push_back({v, cells[i], own});
        }
    }
}

Index DualFrame::owner_in_core(Index vertex, Index cell) const {
    const auto part = std::lower_bound(parts_.begin(), parts_.end(), Part{vertex, cell, 0},
                                       [](const Part& a, const Part& b) {
                                           return a.vertex != b.vertex ? a.vertex < b.vertex : a.cell < b.cell;
                                       });
    return part != parts_.end() && part->vertex == vertex && part->cell == cell ? part->polyhedron : core_of_[vertex];
}

Index DualFrame::owner_in_layer(Index cell, std::size_t slot) const {
    const Index v = up(cell, slot);
    if (layer_of_[v] != kNone) return layer_of_[v];
    // A column without layers: what is above belongs to the core.
    return owner_in_core(v, beyond(index(top(cell)), cell));
}

Index DualFrame::owner_at(Index face, Index vertex, Index cell) const {
    if (!is_layer(cell)) return owner_in_core(vertex, cell);
    const bool is_top = top(cell) == node_of_face(face);
    for (std::size_t k = 0; k < slots_of(cell).count(); ++k)
        if ((is_top ? up(cell, k) : low(cell, k)) == vertex) return owner_in_layer(cell, k);
    throw InternalError("a corner of a layer cell is missing");
}

}  // namespace anvilcast::fill
