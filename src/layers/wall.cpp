#include "layers/wall.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <span>

#include "base/disjoint_sets.hpp"

namespace anvilcast::layers {
namespace {

class WallMaker {
  public:
    WallMaker(const SurfaceMesh& mesh, std::vector<Index> recipe_of_side, const FanOptions& fans) : fan_(fans) {
        wall_.mesh = &mesh;
        wall_.recipe_of_side = std::move(recipe_of_side);
    }

    Wall make() {
        find_normals();
        find_across();
        find_umbrellas();
        choose_fans();
        find_shared();
        wall_.foot_of_corner.resize(wall_.across.size(), kNone);
        for (Index u = 0; u < umbrellas_.size(); ++u)
            if (umbrellas_[u].shared_with == kNone) place_feet(u);
        for (Index u = 0; u < umbrellas_.size(); ++u)
            if (umbrellas_[u].shared_with != kNone) share_foot(u);
        add_faces();
        list_by_foot();
        list_edges();
        return std::move(wall_);
    }

  private:
    struct Umbrella {
        std::vector<Corner> corners;  // all of them, counter-clockwise
        std::vector<Corner> fans;     // those whose counter-clockwise edge is fanned out
        bool has_shore = false;
        Index shared_with = kNone;  // the umbrella at the other side of an interface, which has their foot
    };
    /// The feet from one sector's to the next one's, over a fanned-out edge.
    using Path = std::vector<Index>;

    void find_normals() {
        const Surface& s = wall_.mesh->surface;
        wall_.normal_of_side.resize(2 * s.triangles.size());
        for (Index t = 0; t < s.triangles.size(); ++t) {
            const Vec3 n = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
            wall_.normal_of_side[front_of(t)] = n;
            wall_.normal_of_side[back_of(t)] = -n;
        }
    }

    void find_across() {
        const Surface& s = wall_.mesh->surface;
        wall_.across.assign(6 * s.triangles.size(), kNone);
        const SurfaceEdges edges(s.triangles, s.points.size());
        for_facing_sides(s.points, s.triangles, edges,
                         [this](std::size_t, const SurfaceEdges::Use& use, Index side,
                                const SurfaceEdges::Use& other_use, Index other_side) {
                             wall_.across[3 * side + use.side] = 3 * other_side + other_use.side;
                             wall_.across[3 * other_side + other_use.side] = 3 * side + use.side;
                         });
    }

    void find_umbrellas() {
        umbrella_of_.assign(wall_.across.size(), kNone);
        for (Corner first = 0; first < wall_.across.size(); ++first) {
            if (umbrella_of_[first] != kNone || !wall_.is_layered(Wall::side_of(first))) continue;
            Umbrella u;
            Corner c = first;
            do {
                umbrella_of_[c] = static_cast<Index>(umbrellas_.size());
                u.corners.push_back(c);
                u.has_shore |= !wall_.is_layered(Wall::side_of(c));
                c = wall_.ccw(c);
            } while (c != first);
            umbrellas_.push_back(std::move(u));
        }
    }

    /// By how much the wall turns round a convex edge, degrees; 0 where it is flat or concave.
    double turn_at(Corner e) const {
        const Corner f = wall_.across[e];
        const Index p = Wall::side_of(e), q = Wall::side_of(f);
        if (p / 2 == q / 2) return 180;  // the free edge of a baffle
        const Vec3 &n = wall_.normal_of_side[p], &m = wall_.normal_of_side[q];
        const auto& points = wall_.mesh->surface.points;
        const Vec3 to_tip = points[wall_.point_of(Wall::previous(f))] - points[wall_.point_of(f)];
        if (dot(to_tip, n) >= 0) return 0;
        return std::acos(std::clamp(dot(n, m), -1.0, 1.0)) * 180 / std::numbers::pi;
    }

    Umbrella& umbrella_at(Corner c) { return umbrellas_[umbrella_of_[c]]; }

    /// A fan needs two sectors at either end: the edge goes on beyond the point, or ends on a shore. Where it does not,
    /// all its feet are one, which gets no layers: towards it the fan steps down.
    static bool is_dead_end(const Umbrella& u) {
        return !u.fans.empty() && (u.has_shore ? u.fans.size() != 1 : u.fans.size() < 2);
    }

    bool has_fan(const Umbrella& u, Corner c) const {
        return std::find(u.fans.begin(), u.fans.end(), c) != u.fans.end();
    }

    /// Adds the fans of the umbrella's edges that turn by more than some degrees; tells the umbrellas at their other
    /// ends.
    void add_fans(Index umbrella, double degrees, std::vector<Index>& touched) {
        // By number: the lists of others grow meanwhile.
        for (std::size_t k = 0; k < umbrellas_[umbrella].corners.size(); ++k) {
            const Corner c = umbrellas_[umbrella].corners[k], e = Wall::ccw_edge(c);
            if (has_fan(umbrellas_[umbrella], c) || !wall_.is_layered(Wall::side_of(c)) ||
                !wall_.is_layered(Wall::side_of(wall_.across[e])) || !(turn_at(e) > degrees))
                continue;
            const Corner other = other_end_of_fan(c);
            umbrellas_[umbrella].fans.push_back(c);
            umbrella_at(other).fans.push_back(other);
            touched.push_back(umbrella_of_[other]);
        }
    }

    void choose_fans() {
        std::vector<Index> ends;
        for (Index u = 0; u < umbrellas_.size(); ++u) add_fans(u, fan_.largest_turn_deg, ends);
        ends.clear();
        // A fan that would end in nothing goes on along other edges, as far as these are sharp.
        for (Index u = 0; u < umbrellas_.size(); ++u)
            if (umbrellas_[u].fans.size() == 1 && !umbrellas_[u].has_shore) ends.push_back(u);
        while (!ends.empty()) {
            const Index u = ends.back();
            ends.pop_back();
            if (umbrellas_[u].fans.size() != 1 || umbrellas_[u].has_shore) continue;
            add_fans(u, fan_.beside_deg, ends);
        }
        for (Umbrella& u : umbrellas_) sort_fans(u);
        give_up_rows();
        count_between();
    }

    /// A row of fans that ends in nothing is given up unless no column could stand there: it would cost layers.
    void give_up_rows() {
        DisjointSets rows(wall_.across.size());
        join_rows(rows);
        std::map<Index, double> turn;
        for (const Umbrella& u : umbrellas_)
            for (const Corner c : u.fans) {
                double& most = turn[rows.find(c)];
                most = std::max(most, turn_at(Wall::ccw_edge(c)));
            }
        std::vector<Index> todo;
        for (Index u = 0; u < umbrellas_.size(); ++u) todo.push_back(u);
        while (!todo.empty()) {
            Umbrella& u = umbrellas_[todo.back()];
            todo.pop_back();
            if (!is_dead_end(u) || std::any_of(u.fans.begin(), u.fans.end(),
                                               [&](Corner c) { return turn.at(rows.find(c)) > fan_.needed_deg; }))
                continue;
            for (const Corner c : std::exchange(u.fans, {})) {
                const Corner other = other_end_of_fan(c);
                std::erase(umbrella_at(other).fans, other);
                todo.push_back(umbrella_of_[other]);
            }
        }
    }

    void join_rows(DisjointSets& rows) const {
        for (const Umbrella& u : umbrellas_) {
            for (const Corner c : u.fans) rows.join(c, other_end_of_fan(c));
            if (u.fans.size() == 2 && !is_dead_end(u)) rows.join(u.fans[0], u.fans[1]);
        }
    }

    /// In the order round the point.
    static void sort_fans(Umbrella& u) {
        std::vector<Corner> sorted;
        for (const Corner c : u.corners)
            if (std::find(u.fans.begin(), u.fans.end(), c) != u.fans.end()) sorted.push_back(c);
        u.fans = std::move(sorted);
    }

    /// At the other end of a fanned-out edge, the corner whose counter-clockwise edge it is.
    Corner other_end_of_fan(Corner c) const {
        const Corner f = wall_.across[Wall::ccw_edge(c)];
        return Wall::ccw_edge(f) == f ? f : Wall::next(f);
    }

    /// From one side of the edge to the other: small steps make good cells, but narrow tops make a fine core.
    int steps_over(Corner e) const {
        const double turn = turn_at(e);
        const double most = std::ceil(turn / fan_.step_deg), least = std::ceil(turn / fan_.largest_step_deg);
        const std::vector<double>& height = fan_.height_in_sizes;
        if (height.empty()) return static_cast<int>(most);
        const double wide = turn * std::numbers::pi / 180 * height[Wall::side_of(e)] / fan_.width;
        return static_cast<int>(std::clamp(std::round(wide), least, most));
    }

    /// As many feet all along a row of edges.
    void count_between() {
        DisjointSets rows(wall_.across.size());
        join_rows(rows);
        for (const Umbrella& u : umbrellas_)
            for (const Corner c : u.fans) {
                int& n = n_between_[rows.find(c)];
                n = std::max(n, steps_over(Wall::ccw_edge(c)) - 1);
            }
        for (const Umbrella& u : umbrellas_)
            for (const Corner c : u.fans) n_between_[c] = n_between_[rows.find(c)];
    }

    /// The same corner of the triangle's other side.
    static Corner opposite(Corner c) { return (Wall::side_of(c) & 1U) == 0 ? c + 3 : c - 3; }
    /// Of a triangle with a region at both sides, neither with layers.
    bool is_within(Corner c) const {
        const Index side = Wall::side_of(c);
        return wall_.region_of(side) != kNone && wall_.region_of(side ^ 1U) != kNone && !wall_.is_layered(side) &&
               !wall_.is_layered(side ^ 1U);
    }

    /// Pieces of shore that an umbrella has, wall between them.
    Index n_shores(const Umbrella& u) const {
        Index n = 0;
        for (std::size_t k = 0; k < u.corners.size(); ++k)
            n += !wall_.is_layered(Wall::side_of(u.corners[k])) &&
                         wall_.is_layered(Wall::side_of(u.corners[(k + 1) % u.corners.size()]))
                     ? 1
                     : 0;
        return n;
    }

    /// The one umbrella at the other side of all inner triangles of this one's shore; kNone where there is none such.
    Index umbrella_beyond(const Umbrella& u) const {
        Index other = kNone;
        for (const Corner c : u.corners) {
            if (!is_within(c)) continue;
            const Index there = umbrella_of_[opposite(c)];
            if (there == kNone || (other != kNone && other != there)) return kNone;
            other = there;
        }
        return other;
    }

    /// The umbrella behind the inner triangles has the foot: outer ones are seen from behind, too.
    void find_shared() {
        for (Index u = 0; u < umbrellas_.size(); ++u) {
            Umbrella& own = umbrellas_[u];
            const Index other = umbrella_beyond(own);
            if (other == kNone || other == u || umbrella_beyond(umbrellas_[other]) != u) continue;
            if (!own.fans.empty() || !umbrellas_[other].fans.empty()) continue;
            if (n_shores(own) != 1 || n_shores(umbrellas_[other]) != 1) continue;
            const auto is_seen_from_front = [&](Corner c) { return is_within(c) && (Wall::side_of(c) & 1U) == 0; };
            const auto is_seen_from_behind = [&](Corner c) { return is_within(c) && (Wall::side_of(c) & 1U) != 0; };
            if (std::any_of(own.corners.begin(), own.corners.end(), is_seen_from_front) &&
                std::none_of(own.corners.begin(), own.corners.end(), is_seen_from_behind))
                own.shared_with = other;
        }
    }

    void share_foot(Index number) {
        const Umbrella& u = umbrellas_[number];
        const Umbrella& other = umbrellas_[u.shared_with];
        Index foot = kNone;
        for (const Corner c : other.corners)
            if (wall_.foot_of_corner[c] != kNone) foot = wall_.foot_of_corner[c];
        wall_.feet[foot].is_shared = true;
        for (const Corner c : u.corners)
            if (wall_.is_layered(Wall::side_of(c))) wall_.foot_of_corner[c] = foot;
    }

    /// Both sides of an interface ask for the same strip: the one that is seen from behind is made.
    bool is_made_from_behind(Corner shore) const {
        return is_within(shore) && (Wall::side_of(shore) & 1U) == 0 &&
               wall_.is_layered(Wall::side_of(wall_.across[opposite(shore)]));
    }

    Index add_foot(Index umbrella) {
        const Corner c = umbrellas_[umbrella].corners.front();
        wall_.feet.push_back({wall_.point_of(c), umbrella, wall_.region_of(Wall::side_of(c))});
        return static_cast<Index>(wall_.feet.size() - 1);
    }

    void place_feet(Index number) {
        const Umbrella& u = umbrellas_[number];
        const std::size_t n = u.corners.size();
        if (is_dead_end(u)) {
            const Index foot = add_foot(number);
            wall_.feet[foot].is_dead_end = true;
            for (const Corner c : u.corners)
                if (wall_.is_layered(Wall::side_of(c))) wall_.foot_of_corner[c] = foot;
            for (const Corner c : u.fans) paths_[c].assign(static_cast<std::size_t>(n_between_[c]) + 2, foot);
            return;
        }
        // From behind a fan on, so that no sector is begun in its middle; from behind the shore where there is one.
        std::size_t start = 0;
        for (std::size_t k = 0; k < n; ++k) {
            const bool ends_here = u.has_shore ? !wall_.is_layered(Wall::side_of(u.corners[k])) &&
                                                     wall_.is_layered(Wall::side_of(u.corners[(k + 1) % n]))
                                               : !u.fans.empty() && u.corners[k] == u.fans.front();
            if (ends_here) start = k + 1;
        }
        Index foot = add_foot(number);
        for (std::size_t k = 0; k < n; ++k) {
            const Corner c = u.corners[(start + k) % n];
            if (wall_.is_layered(Wall::side_of(c))) wall_.foot_of_corner[c] = foot;
            if (k + 1 < n && std::find(u.fans.begin(), u.fans.end(), c) != u.fans.end()) foot = add_foot(number);
        }
        for (const Corner c : u.fans) {
            const Corner d = wall_.ccw(c);
            // Two edges in a row share one fan, seen from its two ends.
            if (u.fans.size() == 2 && !u.has_shore && c == u.fans[1]) {
                paths_[c] = paths_[u.fans[0]];
                std::reverse(paths_[c].begin(), paths_[c].end());
                continue;
            }
            Path& path = paths_[c];
            path.push_back(wall_.foot_of_corner[c]);
            for (int i = 1; i <= n_between_[c]; ++i) {
                path.push_back(add_foot(number));
                wall_.feet.back().fan = {wall_.foot_of_corner[c], wall_.foot_of_corner[d]};
                wall_.feet.back().share = static_cast<double>(i) / (n_between_[c] + 1);
            }
            path.push_back(wall_.foot_of_corner[d]);
        }
    }

    void add_faces() {
        for (Index side = 0; side < wall_.recipe_of_side.size(); ++side) {
            if (!wall_.is_layered(side)) continue;
            const Corner c = 3 * side;
            std::array<Corner, 3> k{c, c + 1, c + 2};
            if ((side & 1U) != 0) std::swap(k[1], k[2]);
            wall_.faces.push_back(
                {{wall_.foot_of_corner[k[0]], wall_.foot_of_corner[k[1]], wall_.foot_of_corner[k[2]], kNone},
                 side,
                 wall_.region_of(side)});
            for (std::size_t i = 0; i < 3; ++i) {
                // The edge between these two corners starts at the one that comes first in the triangle's own order.
                const Corner from = k[i], to = k[(i + 1) % 3];
                const Corner other = wall_.across[Wall::next(from) == to ? from : to];
                if (!wall_.is_layered(Wall::side_of(other)) && !is_made_from_behind(other))
                    add_strip(wall_.foot_of_corner[from], wall_.foot_of_corner[to], other);
            }
        }
        for (const Umbrella& u : umbrellas_) {
            for (const Corner c : u.fans)
                if (c < other_end_of_fan(c)) add_fan_quads(c);
            if (is_dead_end(u)) continue;
            if (u.fans.size() > 2) add_corner_fan(u);
            if (u.has_shore && u.fans.size() == 1) add_fan_strips(u);
        }
    }

    /// Seen from the side of corner c the edge runs from the other end to c.
    void add_fan_quads(Corner c) {
        const Path& here = paths_.at(c);
        Path there = paths_.at(other_end_of_fan(c));
        std::reverse(there.begin(), there.end());
        for (std::size_t i = 0; i + 1 < here.size(); ++i)
            wall_.faces.push_back({{here[i], there[i], there[i + 1], here[i + 1]}, kNone, wall_.feet[here[0]].region});
    }

    /// Three or more fans at a point: the room between them is fanned out round a foot in the middle.
    void add_corner_fan(const Umbrella& u) {
        const Index center = add_foot(umbrella_of_[u.corners.front()]);
        wall_.feet.back().is_center = true;
        for (const Corner c : u.fans) {
            const Path& path = paths_.at(c);
            for (std::size_t i = 0; i + 1 < path.size(); ++i)
                wall_.faces.push_back({{center, path[i], path[i + 1], kNone}, kNone, wall_.feet[center].region});
        }
    }

    /// A fan that ends on a shore lies on it with its last faces.
    void add_fan_strips(const Umbrella& u) {
        const Corner c = u.fans.front();
        const Path& path = paths_.at(c);
        const Corner shore = *std::find_if(u.corners.begin(), u.corners.end(),
                                           [this](Corner k) { return !wall_.is_layered(Wall::side_of(k)); });
        // Whichever end of the quads this is, that is the order in which they have its feet.
        for (std::size_t i = 0; i + 1 < path.size(); ++i) add_strip(path[i + 1], path[i], shore);
    }

    void add_strip(Index a, Index b, Corner shore) {
        wall_.strips.push_back({a, b, wall_.zone_of(Wall::side_of(shore))});
        wall_.shore_of_strip.push_back(shore);
    }

    void list_by_foot() {
        const std::size_t n = wall_.feet.size();
        std::vector<std::vector<Corner>> layered(n), shores(n);
        std::vector<const Umbrella*> in_order;
        for (const bool is_shared : {false, true})
            for (const Umbrella& u : umbrellas_)
                if ((u.shared_with != kNone) == is_shared) in_order.push_back(&u);
        for (const Umbrella* at : in_order) {
            const Umbrella& u = *at;
            std::vector<Corner> of_shore;
            std::vector<Index> feet;
            // The shore's corners in one piece, wherever the walk began.
            const std::size_t m = u.corners.size();
            std::size_t start = 0;
            for (std::size_t k = 0; k < m; ++k)
                if (wall_.is_layered(Wall::side_of(u.corners[k])) &&
                    !wall_.is_layered(Wall::side_of(u.corners[(k + 1) % m])))
                    start = k + 1;
            for (std::size_t k = 0; k < m; ++k) {
                const Corner c = u.corners[(start + k) % m];
                if (const Index foot = wall_.foot_of_corner[c]; foot != kNone) {
                    layered[foot].push_back(c);
                    if (feet.empty() || feet.back() != foot) feet.push_back(foot);
                } else {
                    of_shore.push_back(c);
                }
            }
            for (const Index foot : feet)
                if (shores[foot].empty()) shores[foot] = of_shore;
        }
        for (Index f = 0; f < n; ++f) {
            const Foot& foot = wall_.feet[f];
            if (foot.fan[0] != kNone) {
                shores[f] = shores[foot.fan[0]];
                for (const Index end : foot.fan)
                    layered[f].insert(layered[f].end(), layered[end].begin(), layered[end].end());
            }
        }
        auto flatten = [n](const std::vector<std::vector<Corner>>& lists, std::vector<Index>& first,
                           std::vector<Corner>& all) {
            first.assign(1, 0);
            for (std::size_t f = 0; f < n; ++f) {
                all.insert(all.end(), lists[f].begin(), lists[f].end());
                first.push_back(static_cast<Index>(all.size()));
            }
        };
        for (Index f = 0; f < n; ++f)
            if (wall_.feet[f].is_center)
                for (const Corner c : umbrellas_[wall_.feet[f].umbrella].corners) layered[f].push_back(c);
        flatten(layered, wall_.first_corner, wall_.corners);
        flatten(shores, wall_.first_shore, wall_.shores);
    }

    void list_edges() {
        for (const LayerStacks::Face& face : wall_.faces) {
            const std::size_t m = face.is_quad() ? 4 : 3;
            for (std::size_t i = 0; i < m; ++i) {
                const Index a = face.columns[i], b = face.columns[(i + 1) % m];
                if (a != b) wall_.edges.push_back({std::min(a, b), std::max(a, b)});
            }
        }
        std::sort(wall_.edges.begin(), wall_.edges.end());
        wall_.edges.erase(std::unique(wall_.edges.begin(), wall_.edges.end()), wall_.edges.end());
    }

    Wall wall_;
    FanOptions fan_;
    std::vector<Index> umbrella_of_;  // of each corner; kNone where no side of it has layers
    std::vector<Umbrella> umbrellas_;
    std::map<Corner, int> n_between_;  // of the corners whose counter-clockwise edge is fanned out
    std::map<Corner, Path> paths_;
};

}  // namespace

Links links_of(const Wall& wall) {
    Links l;
    l.first.assign(wall.feet.size() + 1, 0);
    for (const auto& e : wall.edges)
        for (const Index f : e) ++l.first[f + 1];
    for (std::size_t f = 1; f < l.first.size(); ++f) l.first[f] += l.first[f - 1];
    l.to.resize(l.first.back());
    std::vector<Index> at(l.first.begin(), l.first.end() - 1);
    for (const auto& e : wall.edges) {
        l.to[at[e[0]]++] = e[1];
        l.to[at[e[1]]++] = e[0];
    }
    return l;
}

Wall find_wall(const SurfaceMesh& mesh, std::vector<Index> recipe_of_side, const FanOptions& fans) {
    return WallMaker(mesh, std::move(recipe_of_side), fans).make();
}

}  // namespace anvilcast::layers
