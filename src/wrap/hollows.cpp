// Hollow edges: where a ball does not get to the bottom, though nothing is in its way but the walls themselves.

#include <algorithm>
#include <cmath>
#include <functional>

#include "tets/spatial_order.hpp"
#include "wrap/carve.hpp"
#include "wrap/meeting_of_planes.hpp"

namespace anvilcast::wrapping {
namespace {

using tets::kFace;
using tets::Tet;
using tets::tet_of;

/// Walls that meet at less than this (cosine of the angle between normals: 35 degrees) make no hollow edge.
constexpr double kCosOfHollow = 0.82;
constexpr double kCosOnWall = 0.98;
// In gaps.
constexpr double kDeepestSeat = 0.75;  ///< what is carved before a ball that has stopped reaches as far from there
constexpr double kShallow = 0.05;      ///< triangles closer to the geometry than this span no hollow
constexpr double kDeepest = 1;         ///< bottoms farther from the triangle than this are left
constexpr double kOffWalls = 0.05;     ///< bottoms are on the geometry but for this
constexpr double kApart = 0.35;        ///< of new places in hollows

}  // namespace

/// Is the cell at the bottom of a hollow edge? One that reaches from one edge to another one is across a groove, which
/// the ball has closed.
bool Carver::is_in_hollow(Index cell) const {
    const Tet& tet = kernel_->tet(cell);
    Index curve = kNone;
    bool has_hollow = false;
    for (const Index v : tet.v) {
        if (is_seed(v)) return false;  // the ghost is among those
        if (!sites_[v].is_hollow) continue;
        has_hollow = true;
        if (sites_[v].curve == kNone) continue;
        if (curve != kNone && !curves_.are_joined(curve, sites_[v].curve)) return false;
        curve = sites_[v].curve;
    }
    return has_hollow;
}

/// A ball does not get to the bottom of hollow edges; what is left between it and their places is carved, too: cells at
/// such places, and those that span the hollow before them.
void Carver::seat_in_hollows() {
    constexpr int kSteps = 2;
    const std::function<bool(Index, int)> is_near_hollow = [&](Index t, int steps) {
        const Tet& tet = kernel_->tet(t);
        if (std::any_of(tet.v, tet.v + 4, [this](Index v) { return is_seed(v); })) return false;
        if (is_in_hollow(t)) return true;
        if (steps == 0) return false;
        return std::any_of(tet.n, tet.n + 4, [&](Index code) {
            const Index next = tet_of(code);
            return cells_[next].region == 0 && is_near_hollow(next, steps - 1) && !meets_geometry(next);
        });
    };
    // Each cell with where the ball had stopped on the way to it.
    struct Step {
        Index cell;
        Vec3 from;
    };
    std::vector<Step> front;
    for (Index t = 0; t < kernel_->n_slots(); ++t)
        if (!kernel_->tet(t).is_free() && cells_[t].region != 0) front.push_back({t, {}});
    const std::size_t n_carved = front.size();
    for (std::size_t k = 0; k < front.size(); ++k) {
        const Index cell = front[k].cell;
        const std::uint8_t region = cells_[cell].region;
        for (int f = 0; f < 4; ++f) {
            const Index next = tet_of(kernel_->tet(cell).n[f]);
            if (cells_[next].region != 0 || !is_near_hollow(next, kSteps) || touches_other_region(next, region) ||
                meets_geometry(next) || makes_membrane(next))
                continue;
            const Vec3 from = k < n_carved ? middle_of_face(cell, f) : front[k].from;
            if (is_beyond(next, from)) continue;
            cells_[next].region = region;
            front.push_back({next, from});
        }
    }
}

Vec3 Carver::middle_of_face(Index cell, int face) const {
    Vec3 sum;
    for (int k = 0; k < 3; ++k) sum += kernel_->point(kernel_->tet(cell).v[kFace[face][k]]);
    return sum / 3.0;
}

/// Does the cell reach farther than the bottom of a hollow is from a place where the ball had stopped?
bool Carver::is_beyond(Index cell, const Vec3& stop) const {
    const double reach = kDeepestSeat * gap_at(stop);
    const Tet& tet = kernel_->tet(cell);
    return std::any_of(tet.v, tet.v + 4, [&](Index v) { return distance(kernel_->point(v), stop) > reach; });
}

/// Would one of the cell's faces be a membrane if it were carved?
bool Carver::makes_membrane(Index cell) const {
    const Tet& tet = kernel_->tet(cell);
    for (int f = 0; f < 4; ++f)
        if (cells_[tet_of(tet.n[f])].region != 0 && is_membrane(cell, f)) return true;
    return false;
}

/// The triangles of the wrap as it would be if it were seated now.
std::vector<Triangle> Carver::triangles_when_seated() {
    std::vector<std::uint8_t> regions;
    for (const CellState& cell : cells_) regions.push_back(cell.region);
    seat_in_hollows();
    std::vector<Triangle> triangles;
    for (Index t = 0; t < kernel_->n_slots(); ++t) {
        const Tet& tet = kernel_->tet(t);
        if (tet.is_free() || cells_[t].region == 0) continue;
        for (int f = 0; f < 4; ++f)
            if (cells_[tet_of(tet.n[f])].region == 0)
                triangles.push_back({tet.v[kFace[f][0]], tet.v[kFace[f][1]], tet.v[kFace[f][2]]});
    }
    for (std::size_t t = 0; t < cells_.size(); ++t) cells_[t].region = regions[t];
    return triangles;
}

/// Does a place stand on a wall, rather than beside an edge or corner that sticks out?
bool Carver::is_on_wall(Index vertex, const Vec3& normal) const {
    if (sites_[vertex].curve != kNone) return false;
    const auto hit = tree_.closest(kernel_->point(vertex));
    const Vec3 wall = normalized(triangle_normal(original_.corner(hit.triangle, 0), original_.corner(hit.triangle, 1),
                                                 original_.corner(hit.triangle, 2)));
    return std::abs(dot(wall, normal)) > kCosOnWall;
}

/// Where sheets cross, or end close to each other, there is no edge to follow, but a hollow all the same. A triangle
/// that spans one touches walls that look in different directions: the place where these meet is its bottom. False when
/// nothing was found.
bool Carver::deepen_hollows() {
    struct Bottom {
        Vec3 place, target;
    };
    std::vector<Bottom> bottoms;
    for (const Triangle& t : triangles_when_seated()) {
        if (is_seed(t[0]) || is_seed(t[1]) || is_seed(t[2])) continue;
        std::array<Vec3, 3> on, normals;
        for (std::size_t k = 0; k < 3; ++k) {
            on[k] = sites_[t[k]].target;
            normals[k] = normalized(kernel_->point(t[k]) - on[k]);
        }
        if (std::min({dot(normals[0], normals[1]), dot(normals[1], normals[2]), dot(normals[2], normals[0])}) >
                kCosOfHollow ||
            !(is_on_wall(t[0], normals[0]) && is_on_wall(t[1], normals[1]) && is_on_wall(t[2], normals[2])))
            continue;
        const Vec3 &a = kernel_->point(t[0]), &b = kernel_->point(t[1]), &c = kernel_->point(t[2]);
        const Vec3 middle = (a + b + c) / 3.0;
        const double gap = gap_at(middle);
        if (tree_.closest(middle, (kOffset + kShallow) * gap).triangle != kNone) continue;
        std::vector<Plane> walls, offsets;
        for (std::size_t k = 0; k < 3; ++k) {
            walls.push_back({normals[k], dot(normals[k], on[k])});
            offsets.push_back({normals[k], walls[k].height + kOffset * gap});
        }
        const Vec3 target = meeting_of_planes(walls, middle), place = meeting_of_planes(offsets, middle);
        // The face's normal points into the fluid; the bottom is on the other side.
        if (dot(place - middle, triangle_normal(a, b, c)) >= 0 || distance(place, middle) > kDeepest * gap) continue;
        if (tree_.closest(target, kOffWalls * gap).triangle == kNone ||
            tree_.closest(place, 0.8 * kOffset * gap).triangle != kNone ||
            tree_.first_hit(middle, place - middle, 0, 1).triangle != kNone)
            continue;
        bottoms.push_back({place, target});
    }
    std::vector<Vec3> places;
    for (const Bottom& b : bottoms) places.push_back(b.place);
    PlaceCache<std::vector<Vec3>> taken;
    const double width = kApart * options_.gap;
    auto is_taken = [&](const Vec3& p) {
        const GridCell at = GridCell::of(p, width);
        const double reach = kApart * gap_at(p);
        for (std::int64_t x = -1; x <= 1; ++x)
            for (std::int64_t y = -1; y <= 1; ++y)
                for (std::int64_t z = -1; z <= 1; ++z)
                    if (const auto found = taken.find({at.x + x, at.y + y, at.z + z}); found != taken.end())
                        for (const Vec3& q : found->second)
                            if (distance(p, q) < reach) return true;
        return false;
    };
    for (Index v = first_place_; v < kernel_->n_vertices(); ++v)
        if (sites_[v].is_hollow) taken[GridCell::of(kernel_->point(v), width)].push_back(kernel_->point(v));
    bool has_added = false;
    Index near = 0;
    while (kernel_->tet(near).is_free()) ++near;
    for (const Index k : tets::hilbert_order(places)) {
        context_.check_stop();
        const double offset = kOffset * gap_at(places[k]);
        const Vec3 place = places[k] + tets::scattered(k) * (kScatter * offset);
        if (is_taken(place)) continue;
        if (!add(place, {bottoms[k].target, kNone, 0, false, true, false}, near)) continue;
        taken[GridCell::of(place, width)].push_back(place);
        near = kernel_->star().front();
        push_gates_of_star();
        has_added = true;
    }
    return has_added;
}

}  // namespace anvilcast::wrapping
