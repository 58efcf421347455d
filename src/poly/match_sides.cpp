// Points of the two sides are matched by place. Then, pair after pair until nothing changes:
// 1. An edge of one side that the other has in pieces gets the points between, in all polygons that have it.
// 2. Polygons of both sides that are bounded by the same edges are a group: a polygon alone takes the pieces of the
//    group's other side; where both sides have pieces about one point, they take the lines to it of both.
// Each change divides something that was whole on one side and is in pieces on the other, so that it ends.

#include "poly/match_sides.hpp"

#include <anvilcast/assembly.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <array>
#include <map>
#include <optional>
#include <set>

#include "base/disjoint_sets.hpp"

namespace anvilcast::poly {
namespace {

constexpr double kSame = 1e-9;  // of the extent
constexpr int kMostRounds = 4;
/// A point belongs into an edge when it is at most this share of the edge's length off it.
constexpr double kFarthestOff = 0.7;
constexpr std::size_t kLongestPath = 6;

using Cycle = std::vector<Index>;
using Link = std::array<Index, 2>;

Link link_of(Index a, Index b) { return {std::min(a, b), std::max(a, b)}; }

/// From the lowest number on.
Cycle rotated(Cycle c) {
    std::rotate(c.begin(), std::min_element(c.begin(), c.end()), c.end());
    return c;
}
Cycle reversed(const Cycle& c) { return {c.rbegin(), c.rend()}; }

/// The polygons of one side, by their numbers in the mesh.
struct Polygons {
    std::vector<std::size_t> number;
    std::vector<Cycle> cycle;
};

class Matcher {
  public:
    explicit Matcher(VolumeMesh& mesh) : mesh_(mesh) {}

    void run() {
        for (const BoundaryZone& z : mesh_.zones) zone_.push_back({z.first_face, z.n_faces});
        Box box;
        for (const Vec3& p : mesh_.points) box.include(p);
        reach_ = kSame * box.diagonal();
        bool has_changed = false;
        for (int round = 0; round < kMostRounds; ++round) {
            bool is_new = false;
            for (const PeriodicPair& pair : mesh_.periodic) is_new = match(pair) || is_new;
            if (!is_new) break;
            has_changed = true;
        }
        if (has_changed) put_together();
    }

  private:
    // ---- the mesh on its way: cycles that differ from the mesh's own, and pieces ----

    Cycle cycle_of(std::size_t f) const {
        if (!cycles_.empty()) return cycles_[f];
        const auto p = mesh_.face(f);
        return {p.begin(), p.end()};
    }
    void take_cycles() {
        if (!cycles_.empty()) return;
        for (std::size_t f = 0; f < mesh_.n_faces(); ++f) {
            const auto p = mesh_.face(f);
            cycles_.emplace_back(p.begin(), p.end());
            origin_.push_back(f);
            is_alive_.push_back(1);
        }
    }

    Polygons polygons_of(const std::string& name) const {
        Polygons out;
        std::size_t zone = 0;
        while (zone < mesh_.zones.size() && mesh_.zones[zone].name != name) ++zone;
        if (zone == mesh_.zones.size()) return out;
        const auto [first, n] = zone_[zone];
        auto add = [&](std::size_t f) {
            out.number.push_back(f);
            out.cycle.push_back(cycle_of(f));
        };
        for (std::size_t f = first; f < first + n; ++f)
            if (is_alive_.empty() || is_alive_[f] != 0) add(f);
        for (std::size_t f = mesh_.n_faces(); f < cycles_.size(); ++f)
            if (is_alive_[f] != 0 && origin_[f] >= first && origin_[f] < first + n) add(f);
        return out;
    }

    // ---- one pair ----

    /// Of each point of the first side its counterpart, and the other way round.
    void match_points(const Polygons& first, const Polygons& second, const Placement& image) {
        to_second_.clear();
        to_first_.clear();
        std::set<Index> on_second;
        for (const Cycle& c : second.cycle) on_second.insert(c.begin(), c.end());
        const std::vector<Index> list(on_second.begin(), on_second.end());
        std::vector<Triangle> places;
        for (const Index p : list) places.push_back({p, p, p});
        if (places.empty()) return;
        const TriangleTree tree(mesh_.points, places);
        for (const Cycle& c : first.cycle)
            for (const Index p : c) {
                if (to_second_.contains(p)) continue;
                const auto near = tree.closest(image(mesh_.points[p]), reach_);
                if (near.triangle == kNone) continue;
                to_second_[p] = list[near.triangle];
                to_first_[list[near.triangle]] = p;
            }
    }

    bool match(const PeriodicPair& pair) {
        Polygons first = polygons_of(pair.first), second = polygons_of(pair.second);
        match_points(first, second, pair.image);
        if (are_alike(first, second)) return false;
        take_cycles();
        bool has_points = put_points_into_edges(first, second, to_second_, to_first_, inverse(pair.image));
        first = polygons_of(pair.first);
        second = polygons_of(pair.second);
        has_points = put_points_into_edges(second, first, to_first_, to_second_, pair.image) || has_points;
        first = polygons_of(pair.first);
        second = polygons_of(pair.second);
        return divide_polygons(first, second, pair.image) || has_points;
    }

    /// A first polygon in the numbers of the second side, turned about as it is there; nothing where a point is
    /// missing.
    std::optional<Cycle> there(const Cycle& c) const {
        Cycle out;
        for (const Index p : reversed(c)) {
            const auto at = to_second_.find(p);
            if (at == to_second_.end()) return std::nullopt;
            out.push_back(at->second);
        }
        return out;
    }

    bool are_alike(const Polygons& first, const Polygons& second) const {
        if (first.cycle.size() != second.cycle.size()) return false;
        std::set<Cycle> known;
        for (const Cycle& c : second.cycle) known.insert(rotated(c));
        return std::all_of(first.cycle.begin(), first.cycle.end(), [&](const Cycle& c) {
            const auto image = there(c);
            return image && known.contains(rotated(*image));
        });
    }

    using Map = std::map<Index, Index>;

    static std::map<Index, std::set<Index>> neighbours_of(const Polygons& side) {
        std::map<Index, std::set<Index>> out;
        for (const Cycle& c : side.cycle)
            for (std::size_t k = 0; k < c.size(); ++k) {
                out[c[k]].insert(c[(k + 1) % c.size()]);
                out[c[(k + 1) % c.size()]].insert(c[k]);
            }
        return out;
    }

    /// Edges of `own` of which `other` has the ends, and points between that have no counterpart.
    bool put_points_into_edges(const Polygons& own, const Polygons& other, Map& over, Map& back,
                               const Placement& from_other) {
        const auto beside = neighbours_of(other);
        std::map<Link, Cycle> between;  // from the lower end on
        for (const Cycle& c : own.cycle)
            for (std::size_t k = 0; k < c.size(); ++k) {
                const Link e = link_of(c[k], c[(k + 1) % c.size()]);
                const auto a = over.find(e[0]), b = over.find(e[1]);
                if (a == over.end() || b == over.end() || between.contains(e)) continue;
                if (const auto at = beside.find(a->second); at != beside.end() && at->second.contains(b->second))
                    continue;
                const auto path = path_between(a->second, b->second, beside, back);
                if (!path) continue;
                Cycle& points = between[e];
                for (const Index m : *path) {
                    if (!back.contains(m)) {
                        back[m] = static_cast<Index>(mesh_.points.size());
                        over[back[m]] = m;
                        const Vec3 place = from_other(mesh_.points[m]);
                        mesh_.points.push_back(place);
                    }
                    points.push_back(back[m]);
                }
            }
        if (between.empty()) return false;
        for (std::size_t f = 0; f < cycles_.size(); ++f)
            if (is_alive_[f] != 0) cycles_[f] = with_points(cycles_[f], between);
        return true;
    }

    static Cycle with_points(const Cycle& c, const std::map<Link, Cycle>& between) {
        Cycle out;
        for (std::size_t k = 0; k < c.size(); ++k) {
            const Index a = c[k], b = c[(k + 1) % c.size()];
            out.push_back(a);
            const auto at = between.find(link_of(a, b));
            if (at == between.end()) continue;
            if (a < b)
                out.insert(out.end(), at->second.begin(), at->second.end());
            else
                out.insert(out.end(), at->second.rbegin(), at->second.rend());
        }
        return out;
    }

    double off(const Vec3& p, Index a, Index b) const {
        return distance(p, closest_point_on_triangle(p, mesh_.points[a], mesh_.points[b], mesh_.points[b]));
    }

    /// Points without counterparts on the way from one to the other that lies closest to the line between them.
    std::optional<Cycle> path_between(Index a, Index b, const std::map<Index, std::set<Index>>& beside,
                                      const Map& back) const {
        struct Way {
            Cycle points;
            double off;
        };
        const double most = kFarthestOff * distance(mesh_.points[a], mesh_.points[b]);
        std::vector<Way> open{{{a}, 0}};
        std::optional<Way> best;
        for (std::size_t k = 0; k < open.size(); ++k) {
            const Way way = open[k];
            for (const Index m : beside.at(way.points.back())) {
                if (m == b && way.points.size() > 1 && (!best || way.off < best->off)) best = way;
                if (m == b || back.contains(m) || way.points.size() > kLongestPath ||
                    std::find(way.points.begin(), way.points.end(), m) != way.points.end())
                    continue;
                const double far = std::max(way.off, off(mesh_.points[m], a, b));
                if (far > most) continue;
                open.push_back({way.points, far});
                open.back().points.push_back(m);
            }
        }
        if (!best) return std::nullopt;
        return Cycle(best->points.begin() + 1, best->points.end());
    }

    // ---- groups ----

    struct Group {
        std::vector<std::size_t> first, second;  ///< places in the lists
    };

    /// Everything in the numbers of the second side; points of the first one that have no counterpart get one.
    bool divide_polygons(const Polygons& first, const Polygons& second, const Placement& image) {
        std::vector<Cycle> images;
        for (const Cycle& c : first.cycle) {
            Cycle out;
            for (const Index p : reversed(c)) out.push_back(counterpart(p, to_second_, to_first_, image));
            images.push_back(std::move(out));
        }
        bool has_changed = false;
        for (const Group& g : groups_of(images, second.cycle)) {
            if (g.first.size() == 1 && g.second.size() == 1) continue;
            std::vector<Cycle> pieces[2];
            for (const std::size_t i : g.first) pieces[0].push_back(images[i]);
            for (const std::size_t i : g.second) pieces[1].push_back(second.cycle[i]);
            const std::vector<Cycle> common = common_pieces(pieces[0], pieces[1]);
            if (common.empty()) continue;
            has_changed = true;
            for (std::size_t k = 0; k < g.first.size(); ++k) {
                std::vector<Cycle> own;
                for (const Cycle& c : pieces_of(pieces[0][k], pieces[0].size(), common)) {
                    Cycle back;
                    for (const Index p : reversed(c))
                        back.push_back(counterpart(p, to_first_, to_second_, inverse(image)));
                    own.push_back(std::move(back));
                }
                replace(first.number[g.first[k]], own);
            }
            for (std::size_t k = 0; k < g.second.size(); ++k)
                replace(second.number[g.second[k]], pieces_of(pieces[1][k], pieces[1].size(), common));
        }
        return has_changed;
    }

    Index counterpart(Index p, Map& over, Map& back, const Placement& there) {
        const auto known = over.find(p);
        if (known != over.end()) return known->second;
        const auto added = static_cast<Index>(mesh_.points.size());
        const Vec3 place = there(mesh_.points[p]);
        mesh_.points.push_back(place);
        over[p] = added;
        back[added] = p;
        return added;
    }

    static std::vector<Group> groups_of(const std::vector<Cycle>& first, const std::vector<Cycle>& second) {
        std::map<Link, std::vector<std::size_t>> directed[2];  // by the side, polygons that run along an edge
        std::set<Link> edges[2];
        const std::vector<Cycle>* sides[2] = {&first, &second};
        for (std::size_t s = 0; s < 2; ++s)
            for (std::size_t i = 0; i < sides[s]->size(); ++i) {
                const Cycle& c = (*sides[s])[i];
                for (std::size_t k = 0; k < c.size(); ++k) {
                    directed[s][{c[k], c[(k + 1) % c.size()]}].push_back(i);
                    edges[s].insert(link_of(c[k], c[(k + 1) % c.size()]));
                }
            }
        DisjointSets sets(first.size() + second.size());
        auto number = [&](std::size_t side, std::size_t i) {
            return static_cast<Index>(i + (side == 0 ? 0 : first.size()));
        };
        for (std::size_t s = 0; s < 2; ++s)
            for (const auto& [edge, list] : directed[s]) {
                if (edges[1 - s].contains(link_of(edge[0], edge[1]))) {
                    // The same way along: polygons in the same place.
                    if (const auto other = directed[1 - s].find(edge); s == 0 && other != directed[1].end())
                        sets.join(number(0, list.front()), number(1, other->second.front()));
                } else if (const auto beyond = directed[s].find({edge[1], edge[0]}); beyond != directed[s].end()) {
                    sets.join(number(s, list.front()), number(s, beyond->second.front()));
                }
            }
        std::map<Index, Group> groups;
        for (std::size_t i = 0; i < first.size(); ++i) groups[sets.find(number(0, i))].first.push_back(i);
        for (std::size_t i = 0; i < second.size(); ++i) groups[sets.find(number(1, i))].second.push_back(i);
        std::vector<Group> out;
        for (auto& [root, group] : groups)
            if (!group.first.empty() && !group.second.empty()) out.push_back(std::move(group));
        return out;
    }

    /// Of a group: the pieces of the side that has them, or those about a point that all have in common. Empty where
    /// there is no such point.
    static std::vector<Cycle> common_pieces(const std::vector<Cycle>& a, const std::vector<Cycle>& b) {
        if (a.size() == 1) return b;
        if (b.size() == 1) return a;
        for (const Index hub : a[0]) {
            auto has_hub = [hub](const Cycle& c) { return std::find(c.begin(), c.end(), hub) != c.end(); };
            if (!std::all_of(a.begin(), a.end(), has_hub) || !std::all_of(b.begin(), b.end(), has_hub)) continue;
            std::set<Index> ends;
            for (const auto* side : {&a, &b})
                for (const Cycle& c : *side) {
                    const auto at = static_cast<std::size_t>(std::find(c.begin(), c.end(), hub) - c.begin());
                    ends.insert(c[(at + 1) % c.size()]);
                    ends.insert(c[(at + c.size() - 1) % c.size()]);
                }
            std::vector<Cycle> out;
            for (const Cycle& c : a)
                for (Cycle& piece : about_hub(c, hub, ends)) out.push_back(std::move(piece));
            return out;
        }
        return {};
    }

    static std::vector<Cycle> about_hub(Cycle c, Index hub, const std::set<Index>& ends) {
        std::rotate(c.begin(), std::find(c.begin(), c.end(), hub), c.end());
        std::vector<Cycle> out{{hub, c[1]}};
        for (std::size_t k = 2; k < c.size(); ++k) {
            out.back().push_back(c[k]);
            if (k + 1 < c.size() && ends.contains(c[k])) out.push_back({hub, c[k]});
        }
        return out;
    }

    /// Those of the common pieces that are of a polygon: all, where it is the only one of its side.
    static std::vector<Cycle> pieces_of(const Cycle& polygon, std::size_t n_of_side, const std::vector<Cycle>& common) {
        if (n_of_side == 1) return common;
        const std::set<Index> points(polygon.begin(), polygon.end());
        std::vector<Cycle> out;
        for (const Cycle& c : common)
            if (std::all_of(c.begin(), c.end(), [&](Index p) { return points.contains(p); })) out.push_back(c);
        return out;
    }

    void replace(std::size_t f, const std::vector<Cycle>& pieces) {
        if (pieces.size() == 1 && rotated(pieces[0]) == rotated(cycles_[f])) return;
        is_alive_[f] = 0;
        for (const Cycle& c : pieces) {
            cycles_.push_back(c);
            origin_.push_back(origin_[f]);
            is_alive_.push_back(1);
        }
    }

    void put_together() {
        FacesOfPolyhedra out;
        std::vector<Index> zone_at(mesh_.n_faces(), kNone);
        for (Index z = 0; z < mesh_.zones.size(); ++z) {
            const BoundaryZone& zone = mesh_.zones[z];
            Zone named{zone.name, zone.role};
            named.set(zone.boundary_role());
            named.other_name = zone.other_name;
            out.zones.push_back(std::move(named));
            for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) zone_at[f] = z;
        }
        for (std::size_t f = 0; f < cycles_.size(); ++f) {
            if (is_alive_[f] == 0) continue;
            const std::size_t own = origin_[f];
            out.face_points.insert(out.face_points.end(), cycles_[f].begin(), cycles_[f].end());
            out.face_offsets.push_back(out.face_points.size());
            out.owner.push_back(mesh_.owner[own]);
            out.neighbour.push_back(own < mesh_.n_inner_faces() ? mesh_.neighbour[own] : kNone);
            out.face_zone.push_back(zone_at[own]);
        }
        out.points = std::move(mesh_.points);
        out.cell_region = std::move(mesh_.cell_region);
        out.regions = std::move(mesh_.regions);
        out.periodic = std::move(mesh_.periodic);
        mesh_ = assemble_polyhedra(std::move(out));
    }

    VolumeMesh& mesh_;
    double reach_ = 0;
    std::vector<std::array<std::size_t, 2>> zone_;  // first face and number, as the mesh came in
    std::vector<Cycle> cycles_;                     // of the mesh's faces, then of pieces; empty while nothing differs
    std::vector<std::size_t> origin_;               // the mesh's face that each is of
    std::vector<char> is_alive_;
    Map to_second_, to_first_;  // points of the pair at hand
};

}  // namespace

void match_sides(VolumeMesh& polyhedra) {
    if (!polyhedra.periodic.empty()) Matcher(polyhedra).run();
}

}  // namespace anvilcast::poly
