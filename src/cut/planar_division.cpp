#include "cut/planar_division.hpp"

#include <algorithm>
#include <deque>

namespace anvilcast::cutting {

using robust::ExactPoint;

PlanarDivision::PlanarDivision(const ExactPoint& a, const ExactPoint& b, const ExactPoint& c, int axis)
    : axis_(axis), sense_(1), points_{a, b, c}, cell_at_{0, 0, 0} {
    sense_ = turn(0, 1, 2);
    if (sense_ == 0) throw InternalError("a triangle without an area was to be divided");
    cells_.push_back({{0, 1, 2}, {}, {true, true, true}});
}

/// The same side as the cell beyond it has it; nothing at the rim.
std::optional<PlanarDivision::Side> PlanarDivision::other_side(const Side& s) const {
    const MaybeIndex beyond = cells_[s.cell].n[static_cast<std::size_t>(s.k)];
    if (!beyond) return std::nullopt;
    // Two cells share one side: the one whose ends are ours the other way round.
    const Index from = cells_[s.cell].v[static_cast<std::size_t>((s.k + 1) % 3)];
    const Cell& n = cells_[*beyond];
    for (int k = 0; k < 3; ++k)
        if (n.v[static_cast<std::size_t>((k + 2) % 3)] == from && n.n[static_cast<std::size_t>(k)] == s.cell)
            return Side{*beyond, k};
    throw InternalError("two cells of a division do not know each other");
}

/// Of a side that is known to be within the triangle.
PlanarDivision::Side PlanarDivision::twin(const Side& s) const {
    const auto other = other_side(s);
    if (!other) throw InternalError("a segment leaves the triangle that it divides");
    return *other;
}

/// Side k of the cell, whose ends are in place already, is shared with `other` from now on.
void PlanarDivision::connect(Index cell, int k, MaybeIndex other, bool fixed) {
    const auto side = static_cast<std::size_t>(k);
    cells_[cell].n[side] = other;
    cells_[cell].fixed[side] = fixed;
    if (!other) return;
    const Index from = cells_[cell].v[(side + 1) % 3];
    Cell& o = cells_[*other];
    for (std::size_t j = 0; j < 3; ++j)
        if (o.v[(j + 2) % 3] == from && o.v[(j + 1) % 3] == cells_[cell].v[(side + 2) % 3]) {
            o.n[j] = cell;
            o.fixed[j] = fixed;
        }
}

void PlanarDivision::fix(const Side& s) { connect(s.cell, s.k, cells_[s.cell].n[static_cast<std::size_t>(s.k)], true); }

Index PlanarDivision::add_point(const ExactPoint& p) {
    points_.push_back(p);
    cell_at_.push_back(kNone);
    return static_cast<Index>(points_.size() - 1);
}

void PlanarDivision::push_sides(Index cell) {
    const auto& v = cells_[cell].v;
    for (std::size_t k = 0; k < 3; ++k) doubtful_.push_back({v[k], v[(k + 1) % 3]});
}

Index PlanarDivision::split_cell(Index cell, const ExactPoint& p) {
    const Index m = add_point(p);
    const Cell old = cells_[cell];
    const auto second = static_cast<Index>(cells_.size()), third = second + 1;
    cells_.resize(cells_.size() + 2);
    const std::array<Index, 3> piece{cell, second, third};  // piece k keeps side k
    for (std::size_t k = 0; k < 3; ++k)
        cells_[piece[k]] = {{m, old.v[(k + 1) % 3], old.v[(k + 2) % 3]},
                            {MaybeIndex(), piece[(k + 1) % 3], piece[(k + 2) % 3]},
                            {false, false, false}};
    for (std::size_t k = 0; k < 3; ++k) {
        connect(piece[k], 0, old.n[k], old.fixed[k]);
        cell_at_[old.v[(k + 1) % 3]] = piece[k];
        push_sides(piece[k]);
    }
    cell_at_[m] = cell;
    return m;
}

Index PlanarDivision::split_side(const Side& side, const ExactPoint& p) {
    const Index m = add_point(p);
    const std::optional<Side> other = other_side(side);
    const bool fixed = cells_[side.cell].fixed[static_cast<std::size_t>(side.k)];
    // Each cell at the side becomes two; the half that keeps the number holds the side's start as seen from it.
    auto halve = [&](const Side& s) {
        const Cell old = cells_[s.cell];
        const auto k = static_cast<std::size_t>(s.k);
        const Index tip = old.v[k], from = old.v[(k + 1) % 3], to = old.v[(k + 2) % 3];
        const auto fresh = static_cast<Index>(cells_.size());
        cells_.push_back({{tip, m, to}, {}, {false, false, false}});
        cells_[s.cell] = {{tip, from, m}, {}, {false, false, false}};
        connect(s.cell, 2, old.n[(k + 2) % 3], old.fixed[(k + 2) % 3]);
        connect(fresh, 1, old.n[(k + 1) % 3], old.fixed[(k + 1) % 3]);
        connect(s.cell, 1, fresh, false);
        cell_at_[tip] = cell_at_[from] = cell_at_[m] = s.cell;
        cell_at_[to] = fresh;
        return fresh;
    };
    const Index fresh = halve(side);
    // The other cell runs the side the other way: its first half lies at our second one.
    const MaybeIndex fresh_other = other ? MaybeIndex(halve(*other)) : MaybeIndex();
    const MaybeIndex beyond = other ? MaybeIndex(other->cell) : MaybeIndex();
    connect(side.cell, 0, fresh_other, fixed);
    connect(fresh, 0, beyond, fixed);
    for (const MaybeIndex c : {MaybeIndex(side.cell), MaybeIndex(fresh), beyond, fresh_other})
        if (c) push_sides(*c);
    return m;
}

Index PlanarDivision::insert(const ExactPoint& p) {
    // A walk over exactly decided sides does not go in circles in a Delaunay triangulation; with segments it could,
    // so that after many steps every cell is looked at.
    Index cell = last_;
    std::array<int, 3> s{};
    auto look = [&](Index c) {
        for (std::size_t k = 0; k < 3; ++k)
            s[k] = sense_ *
                   robust::orient2d(points_[cells_[c].v[(k + 1) % 3]], points_[cells_[c].v[(k + 2) % 3]], p, axis_);
        return s[0] >= 0 && s[1] >= 0 && s[2] >= 0;
    };
    bool found = look(cell);
    for (std::size_t steps = 0; !found && steps < cells_.size(); ++steps) {
        MaybeIndex next;
        for (std::size_t k = 0; k < 3 && !next; ++k)
            if (s[(k + steps) % 3] < 0) next = cells_[cell].n[(k + steps) % 3];
        if (!next) break;
        cell = *next;
        found = look(cell);
    }
    for (Index c = 0; c < cells_.size() && !found; ++c) found = look(cell = c);
    if (!found) throw InternalError("a point lies outside of the triangle that it divides");
    last_ = cell;
    const auto zeros = std::count(s.begin(), s.end(), 0);
    if (zeros > 1) return cells_[cell].v[static_cast<std::size_t>(std::find(s.begin(), s.end(), 1) - s.begin())];
    const Index m = zeros == 1 ? split_side({cell, static_cast<int>(std::find(s.begin(), s.end(), 0) - s.begin())}, p)
                               : split_cell(cell, p);
    legalise();
    return m;
}

void PlanarDivision::flip(const Side& side) {
    const Side other = twin(side);
    const Cell p = cells_[side.cell], q = cells_[other.cell];
    const auto k = static_cast<std::size_t>(side.k), j = static_cast<std::size_t>(other.k);
    const Index tip = p.v[k], from = p.v[(k + 1) % 3], to = p.v[(k + 2) % 3], low = q.v[j];
    cells_[side.cell] = {{tip, from, low}, {}, {false, false, false}};
    cells_[other.cell] = {{low, to, tip}, {}, {false, false, false}};
    connect(side.cell, 2, p.n[(k + 2) % 3], p.fixed[(k + 2) % 3]);   // tip-from
    connect(side.cell, 0, q.n[(j + 1) % 3], q.fixed[(j + 1) % 3]);   // from-low
    connect(other.cell, 2, q.n[(j + 2) % 3], q.fixed[(j + 2) % 3]);  // low-to
    connect(other.cell, 0, p.n[(k + 1) % 3], p.fixed[(k + 1) % 3]);  // to-tip
    connect(side.cell, 1, other.cell, false);
    cell_at_[tip] = cell_at_[from] = cell_at_[low] = side.cell;
    cell_at_[to] = other.cell;
}

/// Visits the sides that run out of v: visit(side opposite v, its first end, its second end), counter-clockwise, until
/// it returns true.
template <typename Visit>
void PlanarDivision::round(Index v, Visit visit) const {
    auto corner = [&](Index c) {
        return static_cast<std::size_t>(std::find(cells_[c].v.begin(), cells_[c].v.end(), v) - cells_[c].v.begin());
    };
    // To the first cell, clockwise, then round.
    Index first = cell_at_[v];
    for (Index c = first;;) {
        const MaybeIndex next = cells_[c].n[(corner(c) + 2) % 3];
        if (!next || next == cell_at_[v]) {
            first = c;
            break;
        }
        c = *next;
    }
    for (MaybeIndex c = first; c;) {
        const std::size_t k = corner(*c);
        if (visit(Side{*c, static_cast<int>(k)}, cells_[*c].v[(k + 1) % 3], cells_[*c].v[(k + 2) % 3])) return;
        c = cells_[*c].n[(k + 1) % 3];
        if (c == first) return;
    }
}

/// The side that runs between a and b, where there is one.
std::optional<PlanarDivision::Side> PlanarDivision::side_between(Index a, Index b) const {
    std::optional<Side> found;
    round(a, [&](const Side& s, Index from, Index to) {
        if (from == b) found = {s.cell, (s.k + 2) % 3};
        if (to == b) found = {s.cell, (s.k + 1) % 3};
        return found.has_value();
    });
    return found;
}

void PlanarDivision::legalise() {
    while (!doubtful_.empty()) {
        const auto [a, b] = doubtful_.back();
        doubtful_.pop_back();
        const std::optional<Side> side = side_between(a, b);
        if (!side || cells_[side->cell].fixed[static_cast<std::size_t>(side->k)]) continue;
        const std::optional<Side> other = other_side(*side);
        if (!other) continue;
        const auto& v = cells_[side->cell].v;
        const Index low = cells_[other->cell].v[static_cast<std::size_t>(other->k)];
        const int inside =
            robust::incircle_tie(points_[v[0]], points_[v[1]], points_[v[2]], points_[low], axis_) * sense_;
        if (inside <= 0) continue;
        flip(*side);
        // The new side is legal; the four round it are in doubt.
        for (const Index c : {side->cell, other->cell}) push_sides(c);
    }
}

void PlanarDivision::insert_segment(Index a, Index b) {
    while (a != b) a = insert_piece(a, b);
}

/// Where a segment from a to b leaves the star of a: through a point ahead, or through the side opposite a.
PlanarDivision::Way PlanarDivision::way_out(Index a, Index b) const {
    Way way;
    round(a, [&](const Side& s, Index from, Index to) {
        const int right = turn(a, b, from), left = turn(a, b, to);
        // On the line, and ahead: b is not between the two, so it suffices that a does not lie between p and b.
        auto ahead = [&](Index p) { return !robust::is_between(points_[a], points_[p], points_[b]); };
        if (right == 0 && ahead(from)) way.passed = from;
        if (left == 0 && ahead(to)) way.passed = to;
        if (right < 0 && left > 0) way.through = s;
        return way.passed || way.through;
    });
    if (!way.passed && !way.through) throw InternalError("a segment does not run within the triangle that it divides");
    return way;
}

/// Puts in what of the segment lies between a and the first point on it, which is returned.
Index PlanarDivision::insert_piece(Index a, Index b) {
    if (const auto s = side_between(a, b)) {
        fix(*s);
        return b;
    }
    auto [passed, through] = way_out(a, b);
    std::vector<std::array<Index, 2>> crossed;
    while (!passed) {
        const auto k = static_cast<std::size_t>(through->k);
        const Index from = cells_[through->cell].v[(k + 1) % 3], to = cells_[through->cell].v[(k + 2) % 3];
        if (cells_[through->cell].fixed[k]) {
            const ExactPoint at = robust::lines_meet(points_[a], points_[b], points_[from], points_[to], axis_);
            passed = split_side(*through, at);
            break;
        }
        crossed.push_back({from, to});
        const Side beyond = twin(*through);
        const auto j = static_cast<std::size_t>(beyond.k);
        const Index tip = cells_[beyond.cell].v[j];
        if (tip == b) break;
        const int s = turn(a, b, tip);
        if (s == 0) passed = tip;
        // `from` is on the right, `to` on the left: side j + 1 of the cell beyond runs from `from` to the tip.
        through = {beyond.cell, static_cast<int>((s > 0 ? j + 1 : j + 2) % 3)};
    }
    if (passed) {
        legalise();
        return insert_piece(a, *passed);  // no point lies between these two
    }
    flip_in(a, b, std::move(crossed));
    return b;
}

/// Flips the sides that the segment crosses until it is a side itself.
void PlanarDivision::flip_in(Index a, Index b, std::vector<std::array<Index, 2>> crossed) {
    std::deque<std::array<Index, 2>> queue(crossed.begin(), crossed.end());
    while (!queue.empty()) {
        const auto [from, to] = queue.front();
        queue.pop_front();
        const Side side = side_between(from, to).value(), other = twin(side);
        const Index tip = cells_[side.cell].v[static_cast<std::size_t>(side.k)],
                    low = cells_[other.cell].v[static_cast<std::size_t>(other.k)];
        if (turn(tip, low, from) * turn(tip, low, to) >= 0) {
            queue.push_back({from, to});  // not convex yet
            continue;
        }
        flip(side);
        const bool still_crosses =
            tip != a && tip != b && low != a && low != b && turn(a, b, tip) * turn(a, b, low) < 0;
        if (still_crosses)
            queue.push_back({tip, low});
        else
            doubtful_.push_back({tip, low});
    }
    fix(side_between(a, b).value());
    legalise();
}

std::vector<Triangle> PlanarDivision::triangles() const {
    std::vector<Triangle> out;
    for (const Cell& c : cells_) out.push_back(c.v);
    return out;
}

}  // namespace anvilcast::cutting
