// 1. An octree whose cubes follow the sizes, over the box of the boundary. The lattice's edge is the one, among eight
//    within a factor of two, that takes the fewest cubes.
// 2. Cubes that the boundary does not touch lie in one region each; those far enough from it are kept, without such as
//    have hardly a neighbour.
// 3. Corners of kept cubes are points. A side with another cube's corner in its centre is divided into four, and an
//    edge with one in its middle is divided; a cube without any of it is a hexahedron, another is cut up round its
//    centre.
// 4. Sides without a cube behind are the hull, of triangles: squares there are halved, so the outermost cubes are cut
//    up round their centres as well.
// Where the boundary is flat and lies in a side of its own box, the lattice ends there, and cubes stand on it: nothing
// but the borders of such places is near for them. Their sides take the place of the triangles there.
// Where cubes are kept whole, for polyhedra, sides with finer cubes behind have four faces, and all others one with
// whatever points are on its edges.

#include "cubes/cubes.hpp"

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <span>

#include "base/key_table.hpp"
#include "base/thread_limit.hpp"
#include "cubes/faces.hpp"
#include "cubes/flats.hpp"
#include "cubes/frame.hpp"
#include "cubes/octree.hpp"

namespace anvilcast::cubes {
namespace {

/// The half diagonal of a cube of edge 1.
constexpr double kHalfDiagonal = 0.8660254037844387;
/// Cubes with fewer kept ones at their sides stick out, and are left out.
constexpr int kLeastNeighbours = 3;
constexpr double kRootsAlong = 14;
/// Between two sides that cubes stand on their edges may be so much shorter than elsewhere; where they would be more,
/// all are made a little smaller, down to this share.
constexpr double kSqueezed = 1.1, kSmallestRoot = 0.7;
/// Cubes stand within so many steps of one whose centre is so many of its edges from the boundary: blocks that are
/// fewer than about six across take more cells than tetrahedra alone.
constexpr double kDeep = 4;
constexpr int kReach = 3;
/// Of the edge that the largest size allows: sizes beside a wall are a little smaller, and need not halve the cubes
/// there.
constexpr double kFit = 0.95;

class Maker {
  public:
    /// The boundary and the options' places are the lattice's; the sizes are the world's.
    Maker(const SurfaceMesh& boundary, const SizeField& sizes, const CubeOptions& options, const Frame& frame,
          const Context& context)
        : b_(boundary),
          sizes_(sizes),
          o_(options),
          frame_(frame),
          context_(context),
          tree_(boundary.surface.points, boundary.surface.triangles),
          flats_(boundary, options.may_carry),
          rest_(boundary.surface.points, flats_.rest()) {
        domain_.boundary = boundary.surface;
        domain_.sides = boundary.sides;
        for (const double h : options.heights) highest_ = std::max(highest_, h);
    }

    CubeCore run() {
        const Octree octree = make_octree();
        octree_ = &octree;
        beyond_ = octree.neighbours();
        choose();
        if (std::count(kept_.begin(), kept_.end(), 1) == 0) return {};
        find_points();
        if (o_.keep_whole) number_cubes();
        for (Index c = 0; c < octree.leaves().size(); ++c) {
            if (c % 4096 == 0) context_.check_stop();
            if (kept_[c] == 0) continue;
            count(octree.leaves()[c]);
            if (o_.keep_whole)
                add_whole(c);
            else
                add(c);
        }
        out_.patch_of = flats_.patch_of();
        return std::move(out_);
    }

  private:
    using Key = std::uint64_t;

    // ---- the octree ----

    double size_at(const Vec3& p) const { return sizes_.at(frame_.to_world(p)); }
    /// The least size wanted in a cube, at its corners and its centre.
    double size_in(const Vec3& center, double edge) const {
        double least = size_at(center);
        for (int i = 0; i < 8; ++i)
            least = std::min(least, size_at(center + Vec3{((i & 1) - 0.5) * edge, ((i >> 1 & 1) - 0.5) * edge,
                                                          ((i >> 2) - 0.5) * edge}));
        return least;
    }

    Octree make_octree() const {
        const Box& box = tree_.bounds();
        const Vec3 extent = box.extent();
        const double root = root_edge();
        At n{};
        Box lattice;
        for (int axis = 0; axis < 3; ++axis) {
            const auto a = static_cast<std::size_t>(axis);
            const bool is_low = flats_.is_on(2 * a), is_high = flats_.is_on(2 * a + 1);
            n[a] = roots_along(axis, root);
            lattice.lo[axis] = box.lo[axis];
            lattice.hi[axis] = box.hi[axis];
            if (is_low && is_high) continue;
            if (!is_low && !is_high) n[a] |= 1U;
            const double spare = n[a] * root - extent[axis];
            lattice.lo[axis] -= spare * (is_low ? 0 : is_high ? 1 : 0.5);
            lattice.hi[axis] += spare * (is_high ? 0 : is_low ? 1 : 0.5);
        }
        return {lattice, n,
                [this](const Vec3& center, double edge) {
                    context_.check_stop();
                    if (edge <= o_.most_over * size_in(center, edge)) return false;
                    // Outside of everything nothing is asked for.
                    const auto near = tree_.closest(center, kHalfDiagonal * edge * 1.0001);
                    return near.triangle != kNone || region_at(domain_, tree_, center).has_value();
                },
                o_.layout.per_level};
    }
    std::uint32_t roots_along(int axis, double root) const {
        return static_cast<std::uint32_t>(std::ceil(tree_.bounds().extent()[axis] / root * (1 - 1e-9)));
    }

    /// So large that cubes of some level are nearly as large as the largest size allows, and so that what is fitted
    /// between flats comes out as cubes.
    double root_edge() const {
        const Vec3 extent = tree_.bounds().extent();
        double root = o_.most_over * sizes_.largest() * kFit;
        while (root * kRootsAlong < std::max({extent.x, extent.y, extent.z})) root *= 2;
        double best = root, least_squeeze = squeeze(root);
        for (double r = root; r > kSmallestRoot * root && least_squeeze > kSqueezed; r *= 0.98) {
            const double s = squeeze(r);
            if (s >= least_squeeze) continue;
            least_squeeze = s;
            best = r;
        }
        return best;
    }
    /// By how much cubes of that edge would be shortened between flats, at most.
    double squeeze(double root) const {
        double most = 1;
        for (int axis = 0; axis < 3; ++axis) {
            const auto a = static_cast<std::size_t>(axis);
            if (flats_.is_on(2 * a) && flats_.is_on(2 * a + 1))
                most = std::max(most, roots_along(axis, root) * root / tree_.bounds().extent()[axis]);
        }
        return most;
    }

    // ---- which cubes are kept ----

    void choose() {
        const auto& leaves = octree_->leaves();
        kept_.assign(leaves.size(), 0);
        region_.assign(leaves.size(), kNone);
        std::vector<char> is_deep(leaves.size(), 0);
        tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(leaves.size()), 256), [&](const auto& range) {
            context_.check_stop();
            for (Index c = range.begin(); c < range.end(); ++c) {
                const Vec3 center = octree_->center(leaves[c]);
                const double edge = octree_->edge(leaves[c].level), room = room_at(center, kDeep * edge);
                is_deep[c] = static_cast<char>(room >= kDeep * edge);
                if (room < o_.clearance * edge) continue;
                if (std::any_of(o_.avoid.begin(), o_.avoid.end(),
                                [&](const Vec3& p) { return distance(p, center) < 2 * edge; }))
                    continue;
                const auto region = region_at(domain_, tree_, center);
                if (!region || *region >= b_.regions.size()) continue;
                region_[c] = *region;
                kept_[c] = 1;
            }
        });
        keep_round_deep_ones(is_deep);
        drop_lonely_ones();
    }

    /// The distance from the boundary, or what stands on it, where it is below `most`; from what cubes stand on only
    /// that from its borders.
    double room_at(const Vec3& p, double most) const {
        const auto near = rest_.closest(p, most + highest_);
        if (near.triangle == kNone) return most;
        const Index triangle = flats_.triangle_of_rest(near.triangle);
        return near.distance - (o_.heights.empty() || triangle == kNone ? 0 : o_.heights[triangle]);
    }

    /// The patch that a cube stands on with a side; kNone for none.
    Index patch_below(Index leaf, std::size_t side) const {
        if (!flats_.is_on(side)) return kNone;
        const Cube& c = cube(leaf);
        const std::size_t axis = side / 2;
        const bool is_outermost = side % 2 == 0 ? c.at[axis] == 0 : octree_->is_at_end(c, axis);
        if (!is_outermost) return kNone;
        Vec3 middle = octree_->center(c);
        middle[static_cast<int>(axis)] = flats_.place_of(side);
        const auto near = tree_.closest(middle, 1e-3 * octree_->edge(c.level));
        return near.triangle == kNone ? kNone : flats_.patch_of()[near.triangle];
    }

    /// Between a cube and what others stand on there is either a gap for other cells, or there are cubes.
    bool hangs_over_flat(Index leaf) const {
        const Cube& c = cube(leaf);
        for (std::size_t side = 0; side < 6; ++side) {
            if (!flats_.is_on(side)) continue;
            const auto axis = static_cast<int>(side / 2);
            const double from_flat = std::abs(octree_->center(c)[axis] - flats_.place_of(side));
            if (from_flat >= o_.clearance * octree_->edge(c.level) || patch_below(leaf, side) != kNone) continue;
            const auto finer = finer_beyond(leaf, side);
            if (!has_cube_beyond(leaf, side) && std::count(finer.begin(), finer.end(), kNone) > 0) return true;
        }
        return false;
    }

    /// Thin sheets and strings of cubes cost more at their hull than they save.
    void keep_round_deep_ones(const std::vector<char>& is_deep) {
        const auto& leaves = octree_->leaves();
        std::vector<char> is_near(leaves.size(), 0);
        std::vector<Index> front;
        std::array<Index, 4> space{};
        for (Index c = 0; c < leaves.size(); ++c)
            if (kept_[c] != 0 && is_deep[c] != 0) front.push_back(c);
        for (const Index c : front) is_near[c] = 1;
        for (int step = 0; step < kReach; ++step) {
            std::vector<Index> next;
            for (const Index c : front)
                for (std::size_t side = 0; side < 6; ++side)
                    for (const Index other : neighbours(c, side, space))
                        if (is_near[other] == 0) {
                            is_near[other] = 1;
                            next.push_back(other);
                        }
            front = std::move(next);
        }
        for (Index c = 0; c < leaves.size(); ++c) kept_[c] = static_cast<char>(kept_[c] != 0 && is_near[c] != 0);
    }

    /// What a cube has for neighbours changes only beside one that went.
    void drop_lonely_ones() {
        const auto& leaves = octree_->leaves();
        std::vector<Index> open;
        for (Index c = 0; c < leaves.size(); ++c)
            if (kept_[c] != 0) open.push_back(c);
        std::vector<char> is_lonely(leaves.size(), 0);
        while (!open.empty()) {
            context_.check_stop();
            tbb::parallel_for(tbb::blocked_range<std::size_t>(0, open.size(), 256), [&](const auto& range) {
                for (std::size_t k = range.begin(); k < range.end(); ++k)
                    is_lonely[open[k]] =
                        static_cast<char>(n_neighbours(open[k]) < kLeastNeighbours || hangs_over_flat(open[k]));
            });
            std::erase_if(open, [&](Index c) { return is_lonely[c] == 0; });
            for (const Index c : open) kept_[c] = 0;
            std::vector<Index> beside;
            std::array<Index, 4> space{};
            for (const Index c : open)
                for (std::size_t side = 0; side < 6; ++side)
                    for (const Index other : neighbours(c, side, space)) beside.push_back(other);
            std::sort(beside.begin(), beside.end());
            beside.erase(std::unique(beside.begin(), beside.end()), beside.end());
            open = std::move(beside);
        }
    }

    bool is_kept(Index leaf) const { return leaf != kNone && kept_[leaf] != 0; }
    const Cube& cube(Index leaf) const { return octree_->leaves()[leaf]; }

    /// The kept cubes beyond a side: one, or up to four.
    std::span<const Index> neighbours(Index leaf, std::size_t side, std::array<Index, 4>& space) const {
        std::size_t n = 0;
        for (const Index other : beyond_[leaf][side])
            if (is_kept(other) && (n == 0 || space[n - 1] != other)) space[n++] = other;
        return {space.data(), n};
    }
    int n_neighbours(Index leaf) const {
        int n = 0;
        std::array<Index, 4> space{};
        for (std::size_t side = 0; side < 6; ++side)
            n += neighbours(leaf, side, space).empty() && patch_below(leaf, side) == kNone ? 0 : 1;
        return n;
    }
    /// Is there a kept cube, as large or twice as large, beyond a side?
    bool has_cube_beyond(Index leaf, std::size_t side) const {
        const Index other = beyond_[leaf][side][0];
        return is_kept(other) && cube(other).level <= cube(leaf).level;
    }
    /// The four finer ones beyond a side, in the order of its corners; kNone for those that are not kept.
    std::array<Index, 4> finer_beyond(Index leaf, std::size_t side) const {
        std::array<Index, 4> out = beyond_[leaf][side];
        for (Index& other : out)
            if (!is_kept(other) || cube(other).level <= cube(leaf).level) other = kNone;
        return out;
    }

    // ---- points ----

    std::uint32_t span(const Cube& c) const { return std::uint32_t{1} << (octree_->finest() - c.level); }
    /// In halves of the finest edge, so that every middle and centre has a place.
    At corner(const Cube& c, int k) const {
        const std::uint32_t s = 2 * span(c);
        const auto i = static_cast<std::uint32_t>(k);
        return {s * (c.at[0] + (i & 1)), s * (c.at[1] + (i >> 1 & 1)), s * (c.at[2] + (i >> 2))};
    }
    static At between(const At& a, const At& b) { return {(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2}; }
    static Key key_of(const At& at) {
        return (static_cast<Key>(at[2]) << 42) | (static_cast<Key>(at[1]) << 21) | at[0];
    }
    Index add_point(const At& at) {
        const auto [point, is_new] = number_.insert(key_of(at), static_cast<Index>(out_.points.size()));
        if (is_new) out_.points.push_back(octree_->place(at));
        return point;
    }
    Index point_at(const At& at) const { return number_.find(key_of(at)); }

    /// Corners of kept cubes, and the middles of the edges of sides that have finer cubes behind.
    void find_points() {
        const auto& leaves = octree_->leaves();
        for (Index c = 0; c < leaves.size(); ++c)
            if (kept_[c] != 0)
                for (int k = 0; k < 8; ++k) add_point(corner(leaves[c], k));
        for (Index c = 0; c < leaves.size(); ++c) {
            if (kept_[c] == 0) continue;
            for (std::size_t side = 0; side < 6; ++side) {
                if (!is_divided(c, side)) continue;
                for (std::size_t k = 0; k < 4; ++k)
                    add_point(
                        between(corner(leaves[c], kSides[side][k]), corner(leaves[c], kSides[side][(k + 1) % 4])));
            }
        }
    }
    bool is_divided(Index leaf, std::size_t side) const {
        const auto finer = finer_beyond(leaf, side);
        return std::any_of(finer.begin(), finer.end(), [](Index f) { return f != kNone; });
    }

    SidePoints side_points(Index leaf, std::size_t side) {
        const Cube& c = cube(leaf);
        SidePoints out;
        std::array<At, 4> at{};
        for (std::size_t k = 0; k < 4; ++k) {
            at[k] = corner(c, kSides[side][k]);
            out.corners[k] = point_at(at[k]);
        }
        for (std::size_t k = 0; k < 4; ++k) out.middles[k] = point_at(between(at[k], at[(k + 1) % 4]));
        if (is_divided(leaf, side) || needs_center(out)) out.center = add_point(between(at[0], at[2]));
        return out;
    }

    // ---- cells ----

    void count(const Cube& c) {
        const double edge = octree_->edge(c.level), size = size_at(octree_->center(c));
        const Vec3 edges = octree_->edges(c.level);
        const double volume = edges.x * edges.y * edges.z;
        out_.cube_volume += volume;
        out_.places_of_cells += volume / (size * size * size);
        if (out_.edges.empty() || out_.edges.back().first != edge) out_.edges.emplace_back(edge, 0);
        ++out_.edges.back().second;
    }
    void add(Index leaf) {
        const Cube& c = octree_->leaves()[leaf];
        std::array<std::vector<Piece>, 6> pieces;
        bool is_whole = true;
        for (std::size_t side = 0; side < 6; ++side) {
            pieces[side] = pieces_of(side_points(leaf, side));
            if (const Index patch = patch_below(leaf, side); patch != kNone)
                put_on_wall(pieces[side], patch);
            else
                add_hull(leaf, side, pieces[side]);
            is_whole = is_whole && pieces[side].size() == 1;
        }
        if (is_whole)
            add_hexahedron(c, region_[leaf]);
        else
            add_round_center(c, pieces, region_[leaf]);
    }
    void add_cell(CellType type, std::initializer_list<Index> corners, Index region) {
        out_.types.push_back(type);
        out_.corners.insert(out_.corners.end(), corners);
        out_.offsets.push_back(out_.corners.size());
        out_.region.push_back(region);
    }
    void add_hexahedron(const Cube& c, Index region) {
        auto p = [&](int k) { return point_at(corner(c, k)); };
        add_cell(CellType::hexahedron, {p(0), p(1), p(3), p(2), p(4), p(5), p(7), p(6)}, region);
        ++out_.n_cubes;
    }
    void add_round_center(const Cube& c, const std::array<std::vector<Piece>, 6>& pieces, Index region) {
        const auto center = static_cast<Index>(out_.points.size());
        out_.points.push_back(octree_->center(c));
        for (const auto& list : pieces)
            for (const Piece& p : list) add_below(p, center, region);
    }
    /// The piece is seen counter-clockwise from the other side than the tip's.
    void add_below(const Piece& p, Index tip, Index region) {
        if (p[3] == kNone)
            add_cell(CellType::tetrahedron, {p[0], p[2], p[1], tip}, region);
        else
            add_cell(CellType::pyramid, {p[0], p[3], p[2], p[1], tip}, region);
    }

    /// Squares of the hull become two triangles each, in the list as well.
    void add_hull(Index leaf, std::size_t side, std::vector<Piece>& pieces) {
        if (has_cube_beyond(leaf, side)) return;
        const auto finer = finer_beyond(leaf, side);
        const bool is_in_four = is_divided(leaf, side);
        std::vector<Piece> out;
        for (std::size_t k = 0; k < pieces.size(); ++k) {
            // The squares of a divided side come in the order of its corners.
            if (is_in_four && finer[k] != kNone) {
                out.push_back(pieces[k]);
                continue;
            }
            const std::vector<Piece> triangles = triangles_of(cube(leaf), pieces[k]);
            out.insert(out.end(), triangles.begin(), triangles.end());
            put_on_hull(triangles, region_[leaf]);
        }
        pieces = std::move(out);
    }
    std::vector<Piece> triangles_of(const Cube& c, const Piece& p) const {
        if (p[3] == kNone) return {p};
        if (((c.at[0] + c.at[1] + c.at[2]) % 2 == 0) != is_turned(p))
            return {{p[0], p[1], p[2], kNone}, {p[0], p[2], p[3], kNone}};
        return {{p[0], p[1], p[3], kNone}, {p[1], p[2], p[3], kNone}};
    }
    void put_on_hull(const std::vector<Piece>& triangles, Index region) {
        for (const Piece& t : triangles) {
            out_.hull.push_back({t[0], t[1], t[2]});
            out_.hull_region.push_back(region);
        }
    }

    void put_on_wall(const std::vector<Piece>& pieces, Index patch) {
        out_.walls.insert(out_.walls.end(), pieces.begin(), pieces.end());
        out_.wall_patch.resize(out_.walls.size(), patch);
    }

    // ---- cubes that are kept whole ----

    void number_cubes() {
        number_of_cube_.assign(kept_.size(), kNone);
        Index n = 0;
        for (std::size_t leaf = 0; leaf < kept_.size(); ++leaf)
            if (kept_[leaf] != 0) number_of_cube_[leaf] = n++;
    }

    /// Coarser cubes come first among the leaves, so a face's owner is the coarser cube, or the first of two alike.
    void add_whole(Index leaf) {
        const Cube& c = octree_->leaves()[leaf];
        add_hexahedron(c, region_[leaf]);
        for (std::size_t side = 0; side < 6; ++side) {
            std::array<At, 4> at{};
            for (std::size_t k = 0; k < 4; ++k) at[k] = corner(c, kSides[side][k]);
            if (is_divided(leaf, side)) {
                add_quarters(leaf, side, at);
                continue;
            }
            const Index other = beyond_[leaf][side][0];
            if (const Index patch = patch_below(leaf, side); patch != kNone) {
                put_on_wall(pieces_of(side_points(leaf, side)), patch);
                out_.wall_cube.resize(out_.walls.size(), number_of_cube_[leaf]);
            } else if (!has_cube_beyond(leaf, side))
                add_square(leaf, pieces_of(side_points(leaf, side)));
            else if (cube(other).level == c.level && leaf < other)
                add_face(leaf, other, at);
        }
    }
    void add_quarters(Index leaf, std::size_t side, const std::array<At, 4>& at) {
        const auto finer = finer_beyond(leaf, side);
        const At center = between(at[0], at[2]);
        for (std::size_t k = 0; k < 4; ++k) {
            const std::array<At, 4> quarter{between(at[(k + 3) % 4], at[k]), at[k], between(at[k], at[(k + 1) % 4]),
                                            center};
            if (finer[k] != kNone) {
                add_face(leaf, finer[k], quarter);
            } else {
                Piece square{};
                for (std::size_t i = 0; i < 4; ++i) square[i] = point_at(quarter[i]);
                add_square(leaf, {square});
            }
        }
    }
    void add_face(Index leaf, Index other, const std::array<At, 4>& at) {
        for (std::size_t k = 0; k < 4; ++k) {
            out_.faces.points.push_back(point_at(at[k]));
            const Index middle = point_at(between(at[k], at[(k + 1) % 4]));
            if (middle != kNone) out_.faces.points.push_back(middle);
        }
        out_.faces.offsets.push_back(out_.faces.points.size());
        out_.faces.owner.push_back(number_of_cube_[leaf]);
        out_.faces.neighbour.push_back(number_of_cube_[other]);
    }
    void add_square(Index leaf, const std::vector<Piece>& pieces) {
        for (const Piece& p : pieces) put_on_hull(triangles_of(octree_->leaves()[leaf], p), region_[leaf]);
        out_.cube_of.resize(out_.hull.size(), number_of_cube_[leaf]);
    }

    bool is_turned(const Piece& p) const {
        const Vec3 middle = (out_.points[p[0]] + out_.points[p[2]]) / 2.0;
        const double reach = 0.51 * distance(out_.points[p[0]], out_.points[p[2]]);
        return std::any_of(o_.turned.begin(), o_.turned.end(),
                           [&](const Vec3& place) { return distance(place, middle) < reach; });
    }

    const SurfaceMesh& b_;
    const SizeField& sizes_;
    const CubeOptions& o_;
    const Frame& frame_;
    const Context& context_;
    TriangleTree tree_;
    Flats flats_;
    TriangleTree rest_;  ///< of what cubes keep their distance from
    Domain domain_;
    double highest_ = 0;
    const Octree* octree_ = nullptr;
    std::vector<Octree::Beyond> beyond_;
    std::vector<char> kept_;
    std::vector<Index> region_, number_of_cube_;
    KeyTable number_;  // of points
    CubeCore out_;
};

}  // namespace

CubeCore make_cubes(const SurfaceMesh& boundary, const SizeField& sizes, const CubeOptions& options,
                    const Context& context) {
    if (options.layout.per_level < 1 || options.layout.per_level > 8)
        throw InputError(
            fmt::format("there are 1 to 8 cubes between two changes of their size, not {}", options.layout.per_level));
    const ThreadLimit limit(context);
    const Frame frame = options.layout.axes.empty()
                            ? frame_of_flats(boundary.surface)
                            : frame_along(options.layout.axes, boundary.surface.bounds().center());
    if (!frame.is_turned()) return Maker(boundary, sizes, options, frame, context).run();
    SurfaceMesh turned = boundary;
    for (Vec3& p : turned.surface.points) p = frame.to_lattice(p);
    CubeOptions how = options;
    for (std::vector<Vec3>* places : {&how.avoid, &how.turned})
        for (Vec3& p : *places) p = frame.to_lattice(p);
    CubeCore core = Maker(turned, sizes, how, frame, context).run();
    for (Vec3& p : core.points) p = frame.to_world(p);
    return core;
}

}  // namespace anvilcast::cubes
