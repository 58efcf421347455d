// The carved volume made one whose boundary is a two-manifold, and in one piece.

#include <algorithm>
#include <limits>
#include <queue>

#include "wrap/carve.hpp"

namespace anvilcast::wrapping {

namespace {

/// Triangles whose normals are closer to opposite than this (170 degrees) lie on each other.
constexpr double kCosOfFold = -0.985;

}  // namespace

using tets::kFace;
using tets::kGhost;
using tets::Tet;
using tets::tet_of;

/// Is a face between two carved cells narrower than the ball, and between walls that face each other? The fluid has
/// come to it from both sides, and must not go through.
bool Carver::is_membrane(Index cell, int face) const {
    const Tet& tet = kernel_->tet(cell);
    std::array<Vec3, 3> sides;
    for (std::size_t k = 0; k < 3; ++k) {
        const Index v = tet.v[kFace[face][k]];
        if (is_seed(v)) return false;
        sides[k] = normalized(kernel_->point(v) - sites_[v].target);
    }
    constexpr double kOpposite = -0.3;
    if (dot(sides[0], sides[1]) > kOpposite && dot(sides[1], sides[2]) > kOpposite &&
        dot(sides[2], sides[0]) > kOpposite)
        return false;
    const Passage way = passage(cell, face);
    return way.radius < kBlocked * gap_at(way.middle);
}

/// A place on either side of each membrane gives it a thickness. False when there is none.
bool Carver::thicken_membranes() {
    std::vector<std::array<Vec3, 2>> pairs;
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        const Tet& tet = kernel_->tet(t);
        if (tet.is_free() || cells_[t].region == 0) continue;
        for (int f = 0; f < 4; ++f) {
            const Index next = tet_of(tet.n[f]);
            if (next < t || cells_[next].region == 0 || !is_membrane(t, f)) continue;
            const Vec3 &a = kernel_->point(tet.v[kFace[f][0]]), &b = kernel_->point(tet.v[kFace[f][1]]),
                       &c = kernel_->point(tet.v[kFace[f][2]]);
            const Vec3 middle = (a + b + c) / 3.0;
            const Vec3 aside = normalized(triangle_normal(a, b, c)) * (0.5 * kOffset * gap_at(middle));
            pairs.push_back({middle + aside, middle - aside});
        }
    }
    bool has_added = false;
    Index near = 0;
    while (kernel_->tet(near).is_free()) ++near;
    for (const auto& pair : pairs)
        for (const Vec3& place : pair) {
            context_.check_stop();
            if (!add(place, {place, kNone, 0, false, false, false}, near)) continue;
            near = kernel_->star().front();
            push_gates_of_star();
            has_added = true;
        }
    return has_added;
}

/// What no longer hangs together with its start is not carved.
void Carver::keep_connected() {
    seen_.resize(kernel_->n_slots(), 0);
    ++walk_;
    std::vector<Index> front;
    auto is_start = [this](const Tet& tet) {
        if (options_.inside.empty()) return tet.is_ghost();
        return std::all_of(tet.v, tet.v + 4, [this](Index v) { return is_seed(v) && !is_box(v) && v != kGhost; });
    };
    for (Index t = 0; t < kernel_->n_slots(); ++t)
        if (!kernel_->tet(t).is_free() && cells_[t].region != 0 && is_start(kernel_->tet(t))) {
            seen_[t] = walk_;
            front.push_back(t);
        }
    for (std::size_t k = 0; k < front.size(); ++k)
        for (const Index code : kernel_->tet(front[k]).n)
            if (const Index next = tet_of(code); cells_[next].region != 0 && seen_[next] != walk_) {
                seen_[next] = walk_;
                front.push_back(next);
            }
    for (Index t = 0; t < kernel_->n_slots(); ++t)
        if (seen_[t] != walk_) cells_[t].region = 0;
}

void Carver::star_of(Index vertex, Index start, std::vector<Index>& star) {
    ++walk_;
    star.assign(1, start);
    seen_[start] = walk_;
    for (std::size_t k = 0; k < star.size(); ++k) {
        const Tet& tet = kernel_->tet(star[k]);
        for (int f = 0; f < 4; ++f) {
            const Index next = tet_of(tet.n[f]);
            if (tet.v[f] == vertex || seen_[next] == walk_) continue;
            seen_[next] = walk_;
            star.push_back(next);
        }
    }
}

namespace {

double volume_of(const tets::Kernel& kernel, Index cell) {
    const Tet& tet = kernel.tet(cell);
    if (tet.is_ghost()) return Box::inf;
    return tetrahedron_volume(kernel.point(tet.v[0]), kernel.point(tet.v[1]), kernel.point(tet.v[2]),
                              kernel.point(tet.v[3]));
}

}  // namespace

/// The pieces, joined over faces that hold all of `vertices`, of those cells of a star that are carved (or are not).
std::vector<std::vector<Index>> Carver::pieces_of(const std::vector<Index>& star, bool is_carved,
                                                  std::initializer_list<Index> vertices) {
    std::vector<std::vector<Index>> pieces;
    const std::uint32_t in_star = ++walk_, done = ++walk_;
    auto belongs = [&](Index t) {
        return (cells_[t].region != 0) == is_carved &&
               std::all_of(vertices.begin(), vertices.end(), [&](Index v) { return kernel_->tet(t).has(v); });
    };
    for (const Index t : star)
        if (belongs(t)) seen_[t] = in_star;
    for (const Index first : star) {
        if (seen_[first] != in_star) continue;
        seen_[first] = done;
        std::vector<Index> piece{first};
        for (std::size_t k = 0; k < piece.size(); ++k) {
            const Tet& tet = kernel_->tet(piece[k]);
            for (int f = 0; f < 4; ++f) {
                const Index next = tet_of(tet.n[f]);
                if (seen_[next] != in_star || std::find(vertices.begin(), vertices.end(), tet.v[f]) != vertices.end())
                    continue;
                seen_[next] = done;
                piece.push_back(next);
            }
        }
        pieces.push_back(std::move(piece));
    }
    return pieces;
}

/// All pieces but the one with the largest volume.
std::vector<std::vector<Index>> Carver::smaller_ones(std::vector<std::vector<Index>> pieces) const {
    std::vector<double> volume;
    for (const auto& piece : pieces) {
        volume.push_back(0);
        for (const Index t : piece) volume.back() += volume_of(*kernel_, t);
    }
    pieces.erase(pieces.begin() + (std::max_element(volume.begin(), volume.end()) - volume.begin()));
    return pieces;
}

/// Does a cell lie on one side of a wall? One that touches walls from two sides may be all that closes a slit.
bool Carver::lies_on_one_wall(Index cell) const {
    const Tet& tet = kernel_->tet(cell);
    std::array<Vec3, 4> sides;
    for (std::size_t k = 0; k < 4; ++k) {
        const Index v = tet.v[k];
        if (is_seed(v)) return false;
        sides[k] = normalized(kernel_->point(v) - sites_[v].target);
        for (std::size_t j = 0; j < k; ++j)
            if (dot(sides[j], sides[k]) < 0.5) return false;
    }
    return true;
}

/// The region that cells can be opened to: that of the fluid beside them, if there is one only, no geometry in them and
/// none of them was opened before.
std::uint8_t Carver::region_to_open(const std::vector<Index>& cells) const {
    std::uint8_t region = 0;
    for (const Index t : cells) {
        const Tet& tet = kernel_->tet(t);
        if (cells_[t].was_opened || !lies_on_one_wall(t)) return 0;
        for (const Index code : tet.n) {
            const std::uint8_t beside = cells_[tet_of(code)].region;
            if (beside == 0) continue;
            if (region != 0 && beside != region) return 0;
            region = beside;
        }
    }
    const bool is_free =
        region != 0 && std::none_of(cells.begin(), cells.end(), [this](Index t) { return meets_geometry(t); });
    return is_free ? region : std::uint8_t{0};
}

/// What makes the wrap at a vertex one fan of triangles; no cells when it is one. Leftovers without geometry in them
/// are opened, where that helps; else fluid is closed.
Carver::Repair Carver::repair_at(Index vertex, const std::vector<Index>& star) {
    auto opened = [this](const std::vector<std::vector<Index>>& pieces) {
        for (const auto& piece : pieces)
            if (const std::uint8_t region = region_to_open(piece); region != 0) return Repair{piece, region};
        return Repair{};
    };
    auto closed = [](const std::vector<std::vector<Index>>& pieces) {
        Repair repair;
        for (const auto& piece : pieces) repair.cells.insert(repair.cells.end(), piece.begin(), piece.end());
        return repair;
    };
    // Each triangle of the wrap is an edge of the fan's rim, and goes on from one vertex to the next.
    std::vector<std::array<Index, 2>> rim;
    for (const Index t : star) {
        if (cells_[t].region == 0) continue;
        const Tet& tet = kernel_->tet(t);
        for (int f = 0; f < 4; ++f) {
            if (tet.v[f] == vertex || cells_[tet_of(tet.n[f])].region != 0) continue;
            for (int k = 0; k < 3; ++k)
                if (tet.v[kFace[f][k]] == vertex)
                    rim.push_back({tet.v[kFace[f][(k + 1) % 3]], tet.v[kFace[f][(k + 2) % 3]]});
        }
    }
    std::sort(rim.begin(), rim.end());
    const auto twice = std::adjacent_find(rim.begin(), rim.end(), [](auto& a, auto& b) { return a[0] == b[0]; });
    if (twice != rim.end()) {
        const Repair repair = opened(smaller_ones(pieces_of(star, false, {vertex, (*twice)[0]})));
        return repair.cells.empty() ? closed(smaller_ones(pieces_of(star, true, {vertex, (*twice)[0]}))) : repair;
    }
    const auto solid = pieces_of(star, false, {vertex});
    if (solid.size() > 1)
        if (const Repair repair = opened(smaller_ones(solid)); !repair.cells.empty()) return repair;
    if (const auto carved = pieces_of(star, true, {vertex}); carved.size() > 1) return closed(smaller_ones(carved));
    // The rest meets in the vertex alone: a bridge between two of its pieces is closed.
    if (solid.size() > 1) return {bridge_between(solid, vertex, star), 0};
    // Two triangles nearly on each other: a crevice between them is closed, a fin opened.
    for (const auto& [from, to] : rim) {
        const auto before =
            std::find_if(rim.begin(), rim.end(), [start = from](auto& edge) { return edge[1] == start; });
        if (before == rim.end() || from < vertex) continue;
        const Fold fold = fold_at(vertex, from, to, (*before)[0]);
        if (fold == Fold::none) continue;
        const auto cells = pieces_of(star, fold == Fold::crevice, {vertex, from});
        const Repair repair = fold == Fold::crevice ? closed(cells) : opened(cells);
        const bool is_new = std::none_of(repair.cells.begin(), repair.cells.end(), [this](Index t) {
            return cells_[t].was_opened || kernel_->tet(t).is_ghost();
        });
        if (!repair.cells.empty() && is_new) return repair;
    }
    return {};
}

/// How the triangles of the wrap at an edge (a, b), with `left` and `right` across of it, lie on each other; the fluid
/// is in front of (a, b, left).
Carver::Fold Carver::fold_at(Index a, Index b, Index left, Index right) const {
    if (is_seed(a) || is_seed(b) || is_seed(left) || is_seed(right)) return Fold::none;
    const Vec3 &p = kernel_->point(a), &q = kernel_->point(b), &l = kernel_->point(left), &r = kernel_->point(right);
    const Vec3 n = normalized(triangle_normal(p, q, l)), m = normalized(triangle_normal(q, p, r));
    if (dot(n, m) > kCosOfFold) return Fold::none;
    return dot(n, r - p) > 0 ? Fold::crevice : Fold::fin;
}

/// The fluid's cells between the first of the pieces and another one, those with the least volume.
std::vector<Index> Carver::bridge_between(const std::vector<std::vector<Index>>& solid, Index vertex,
                                          const std::vector<Index>& star) {
    struct Reached {
        Index cell;
        std::size_t from;
        double volume;
    };
    const std::uint32_t in_star = ++walk_, done = ++walk_;
    for (const Index t : star) seen_[t] = in_star;
    std::vector<Reached> settled;
    auto later = [](const Reached& a, const Reached& b) { return a.volume > b.volume; };
    std::priority_queue<Reached, std::vector<Reached>, decltype(later)> front(later);
    constexpr std::size_t kStart = std::numeric_limits<std::size_t>::max();
    for (const Index t : solid.front()) front.push({t, kStart, 0});
    while (!front.empty()) {
        const Reached at = front.top();
        front.pop();
        if (seen_[at.cell] == done) continue;
        seen_[at.cell] = done;
        const auto& start = solid.front();
        const bool is_start = std::find(start.begin(), start.end(), at.cell) != start.end();
        if (cells_[at.cell].region == 0 && !is_start) {
            std::vector<Index> bridge;
            for (std::size_t k = at.from; settled[k].from != kStart; k = settled[k].from)
                bridge.push_back(settled[k].cell);
            return bridge;
        }
        settled.push_back(at);
        const Tet& tet = kernel_->tet(at.cell);
        for (int f = 0; f < 4; ++f) {
            const Index next = tet_of(tet.n[f]);
            if (tet.v[f] == vertex || seen_[next] != in_star || kernel_->tet(next).is_ghost()) continue;
            const double volume = cells_[next].region == 0 ? 0 : volume_of(*kernel_, next);
            front.push({next, settled.size() - 1, at.volume + volume});
        }
    }
    return {};
}

/// Opens or closes what makes the wrap touch itself in an edge or a vertex. True when that was needed anywhere.
bool Carver::mend_pinches() {
    seen_.resize(kernel_->n_slots(), 0);
    std::vector<Index> cell_at(kernel_->n_vertices(), kNone);
    std::vector<bool> is_waiting(kernel_->n_vertices(), false);
    std::vector<Index> list;
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        const Tet& tet = kernel_->tet(t);
        if (tet.is_free()) continue;
        for (int f = 0; f < 4; ++f) {
            cell_at[tet.v[f]] = t;
            if (cells_[t].region == 0 || cells_[tet_of(tet.n[f])].region != 0) continue;
            for (int k = 0; k < 3; ++k)
                if (const Index v = tet.v[kFace[f][k]]; v != kGhost && !is_waiting[v]) {
                    is_waiting[v] = true;
                    list.push_back(v);
                }
        }
    }
    bool has_changed = false;
    std::vector<Index> star;
    for (std::size_t k = 0; k < list.size(); ++k) {
        const Index v = list[k];
        is_waiting[v] = false;
        star_of(v, cell_at[v], star);
        const Repair repair = repair_at(v, star);
        for (const Index t : repair.cells) {
            if (kernel_->tet(t).is_ghost()) continue;
            cells_[t].region = repair.region;
            cells_[t].was_opened = true;
            has_changed = true;
            for (const Index w : kernel_->tet(t).v)
                if (!is_waiting[w]) {
                    is_waiting[w] = true;
                    list.push_back(w);
                }
        }
    }
    return has_changed;
}

/// Cells without geometry that are open on three sides or all: bumps on the wrap.
void Carver::open_islands() {
    std::vector<Index> list;
    auto is_bump = [this](Index t) {
        return std::count_if(kernel_->tet(t).n, kernel_->tet(t).n + 4,
                             [this](Index code) { return cells_[tet_of(code)].region != 0; }) >= 3;
    };
    for (Index t = 0; t < kernel_->n_slots(); ++t)
        if (!kernel_->tet(t).is_free() && cells_[t].region == 0 && is_bump(t)) list.push_back(t);
    for (std::size_t k = 0; k < list.size(); ++k) {
        const Index t = list[k];
        const std::uint8_t region = cells_[t].region == 0 ? region_to_open({t}) : std::uint8_t{0};
        if (region == 0) continue;
        cells_[t].region = region;
        for (const Index code : kernel_->tet(t).n)
            if (const Index next = tet_of(code); cells_[next].region == 0 && is_bump(next)) list.push_back(next);
    }
}

}  // namespace anvilcast::wrapping
