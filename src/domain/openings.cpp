// Openings are found by closing: every loop that could be a rim gets a patch, everything is cut into one complex, and
// those patches of which a piece separates the outside from something enclosed are openings.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/predicates.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/disjoint_sets.hpp"
#include "base/place_text.hpp"
#include "domain/patches.hpp"
#include "surface/rims.hpp"

namespace anvilcast {
namespace {

using namespace domain;

/// What is not wider than so many times the distance in which bodies are joined is what is left between them.
constexpr double kLeastOfJoin = 2;
/// A bent patch over a step of a body's outline runs through the body along half of its rim; over a bore's end it does
/// so nowhere but where others touch.
constexpr double kLeastOfRim = 0.75;
/// A cell thinner than this share of its extent is what rounding leaves between a patch and the face that it lies on:
/// coordinates of single precision are off by a tenth of that.
constexpr double kThinnest = 1e-6;
constexpr double kEndFaceAngle = 40;  // degrees between smooth surfaces

bool is_flat(const std::vector<Vec3>& loop, double flatness) {
    const Vec3 normal = normalized(loop_normal(loop));
    Box box;
    Vec3 mean;
    for (const Vec3& p : loop) {
        box.include(p);
        mean += p / static_cast<double>(loop.size());
    }
    return std::all_of(loop.begin(), loop.end(),
                       [&](const Vec3& p) { return std::abs(dot(p - mean, normal)) <= flatness * box.diagonal(); });
}

/// Are all triangles of a zone within the flatness of one plane?
bool zone_is_flat(const Surface& s, const std::vector<Index>& triangles, double flatness) {
    Vec3 normal;
    Box box;
    for (const Index t : triangles) {
        normal += triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
        for (int k = 0; k < 3; ++k) box.include(s.corner(t, k));
    }
    normal = normalized(normal);
    const Vec3 origin = s.corner(triangles.front(), 0);
    for (const Index t : triangles)
        for (int k = 0; k < 3; ++k)
            if (std::abs(dot(s.corner(t, k) - origin, normal)) > flatness * box.diagonal()) return false;
    return normal != Vec3{};
}

/// The hole is a bore through a wall, not the foot of something that stands on the face: the surface on the other
/// side of its edge falls away behind the face.
bool edge_falls_away(const Surface& s, const SurfaceEdges& edges, Index triangle, Index side) {
    const Index e = edges.edge_of(triangle, side);
    if (edges.n_uses(e) != 2) return false;
    const auto* use = edges.begin(e);
    const auto& other = use[0].triangle == triangle ? use[1] : use[0];
    const Vec3& tip = s.points[s.triangles[other.triangle][(other.side + 2) % 3]];
    return orient3d(s.corner(triangle, 0), s.corner(triangle, 1), s.corner(triangle, 2), tip) < 0;
}

struct Candidate {
    std::vector<Index> loop;  // the patch is on its left
    bool is_free_rim, is_flat;
    Surface patch;
};

class Search {
  public:
    Search(const Surface& surface, const OpeningOptions& options)
        : given_(surface),
          join_(options.join),
          space_(divide_space(surface, {}, {.join = options.join, .part_of = options.part_of})),
          named_(space_.complex.surface),
          flatness_(options.flatness),
          s_(smooth_pieces(skin())),
          edges_(s_.triangles, s_.points.size()) {}

    std::vector<Opening> find() {
        add_bores();
        for (const Rim& rim : find_rims(s_)) add(rim.points, true);
        std::vector<Opening> openings;
        for (const Candidate& c : candidates_) {
            Opening o;
            o.rim = places_of(s_, c.loop);
            o.patch = c.patch;
            o.patch.zone_of.assign(o.patch.triangles.size(), 0);
            o.patch.zones = {{}};
            o.is_free_rim = c.is_free_rim;
            o.is_flat = c.is_flat;
            openings.push_back(std::move(o));
        }
        return those_that_separate(std::move(openings));
    }

  private:
    /// Without the walls between parts that touch or overlap: those have material on both sides.
    Surface skin() const {
        auto is_material = [this](Index cell) { return !space_.cells[cell].inside_of.empty(); };
        Surface out = named_;
        out.triangles.clear();
        out.zone_of.clear();
        for (Index t = 0; t < named_.triangles.size(); ++t) {
            const auto [front, behind] = space_.regions.sides[t];
            if (is_material(front) && is_material(behind)) continue;
            out.triangles.push_back(named_.triangles[t]);
            out.zone_of.push_back(named_.zone_of[t]);
        }
        return out;
    }

    /// Faces are told by the edges between them, whatever the zones are.
    static Surface smooth_pieces(Surface s) {
        const Zone zone{"face"};
        s.zones = {zone};
        s.zone_of.assign(s.triangles.size(), 0);
        return split_at_sharp_edges(s, kEndFaceAngle);
    }

    void add(const std::vector<Index>& loop, bool is_free_rim) {
        std::vector<Index> key = loop;
        std::sort(key.begin(), key.end());
        if (loop.size() < 3 || !known_.insert(key).second) return;
        Candidate c{loop, is_free_rim, is_flat(places_of(s_, loop), flatness_), {}};
        try {
            if (!c.is_flat && loop.size() > kMostBent) return;
            c.patch = c.is_flat ? flat_patch(places_of(s_, loop)) : bent_patch(s_, loop);
        } catch (const GeometryError&) {
            return;  // A rim that crosses itself in its own plane cannot be closed.
        }
        if (!c.patch.triangles.empty()) candidates_.push_back(std::move(c));
    }

    /// Border loops of smooth faces whose edges all fall away: the ends of bores. The outer border of a flat face is
    /// closed by the face itself.
    void add_bores() {
        std::vector<std::vector<Index>> faces(s_.zones.size());
        for (Index t = 0; t < s_.triangles.size(); ++t) faces[s_.zone_of[t]].push_back(t);
        std::vector<std::vector<Index>> loops;
        for (const std::vector<Index>& face : faces) {
            if (face.empty()) continue;
            const bool flat = zone_is_flat(s_, face, flatness_);
            std::vector<std::vector<Index>> own = border_loops(face);
            const auto outer = std::max_element(own.begin(), own.end(), [&](const auto& a, const auto& b) {
                return length_squared(loop_normal(places_of(s_, a))) < length_squared(loop_normal(places_of(s_, b)));
            });
            for (auto loop = own.begin(); loop != own.end(); ++loop) {
                std::vector<Index> key = *loop;
                std::sort(key.begin(), key.end());
                if (flat && loop == outer)
                    known_.insert(std::move(key));
                else if (falls_away(*loop))
                    loops.push_back({loop->rbegin(), loop->rend()});
            }
        }
        for (const auto& loop : loops) add(loop, false);
    }

    std::vector<std::vector<Index>> border_loops(const std::vector<Index>& face) {
        std::vector<std::array<Index, 2>> border;
        rising_.clear();
        for (const Index t : face)
            for (Index k = 0; k < 3; ++k) {
                const Index e = edges_.edge_of(t, k);
                const bool inner = edges_.n_uses(e) == 2 &&
                                   s_.zone_of[edges_.begin(e)[0].triangle] == s_.zone_of[edges_.begin(e)[1].triangle];
                if (inner) continue;
                border.push_back({s_.triangles[t][k], s_.triangles[t][(k + 1) % 3]});
                if (!edge_falls_away(s_, edges_, t, k)) rising_.insert(border.back());
            }
        return chain_loops(std::move(border));
    }
    bool falls_away(const std::vector<Index>& loop) const {
        for (std::size_t i = 0; i < loop.size(); ++i)
            if (rising_.contains({loop[i], loop[(i + 1) % loop.size()]})) return false;
        return true;
    }

    std::vector<Opening> those_that_separate(std::vector<Opening> openings) const {
        const Space space = divide_space(named_, openings);
        const Surface& c = space.complex.surface;
        std::vector<std::size_t> last{named_.triangles.size()};
        for (const Opening& o : openings) last.push_back(last.back() + o.patch.triangles.size());
        std::vector<std::vector<Index>> pieces(openings.size()), patches(openings.size());
        for (Index t = 0; t < c.triangles.size(); ++t) {
            const auto [front, behind] = space.regions.sides[t];
            for (const auto& origin : space.complex.origins_of(t)) {
                if (origin.triangle < last[0]) continue;
                const auto after = std::upper_bound(last.begin(), last.end(), origin.triangle);
                const auto k = static_cast<std::size_t>(after - last.begin() - 1);
                patches[k].push_back(t);
                const bool is_patch_alone = space.complex.origins_of(t)[0].triangle == origin.triangle;
                if (is_patch_alone && separates(space, front, behind)) pieces[k].push_back(t);
            }
        }
        std::vector<Opening> found;
        for (std::size_t k = 0; k < openings.size(); ++k) {
            if (pieces[k].empty()) continue;
            if (!openings[k].is_flat && !openings[k].is_free_rim &&
                share_of_rim(c, pieces[k], patches[k]) < kLeastOfRim)
                continue;
            measure(openings[k], c, pieces[k]);
            if (openings[k].hydraulic_diameter() < kLeastOfJoin * join_) continue;
            if (space.regions.sides[pieces[k][0]][0] != Regions::kOutside) turn(openings[k]);
            found.push_back(std::move(openings[k]));
        }
        name_rims(found);
        if (space_.complex.corners_joined > 0) measure_seams(found);
        std::stable_sort(found.begin(), found.end(),
                         [](const Opening& a, const Opening& b) { return a.area > b.area; });
        return found;
    }

    /// Is one of the two cells the outside and the other one more than rounding?
    static bool separates(const Space& space, Index front, Index behind) {
        if ((front == Regions::kOutside) == (behind == Regions::kOutside)) return false;
        const SpaceCell& cell = space.cells[front == Regions::kOutside ? behind : front];
        return cell.thickness() > kThinnest * cell.bounds.diagonal();
    }

    /// Which share of the rim, by length, has one of these pieces of the patch at it.
    static double share_of_rim(const Surface& s, const std::vector<Index>& pieces, const std::vector<Index>& patch) {
        std::map<Edge, int> uses;
        auto each_edge = [&](const std::vector<Index>& triangles, auto&& visit) {
            for (const Index t : triangles)
                for (std::size_t k = 0; k < 3; ++k) {
                    const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
                    visit(Edge{std::min(a, b), std::max(a, b)});
                }
        };
        each_edge(patch, [&](const Edge& e) { ++uses[e]; });
        double whole = 0, share = 0;
        auto add_rim = [&](double& sum) {
            return [&](const Edge& e) { sum += uses[e] == 1 ? distance(s.points[e[0]], s.points[e[1]]) : 0; };
        };
        each_edge(patch, add_rim(whole));
        each_edge(pieces, add_rim(share));
        return share / whole;
    }

    /// Normals are to point out.
    static void turn(Opening& o) {
        for (Triangle& t : o.patch.triangles) std::swap(t[1], t[2]);
        std::reverse(o.rim.begin(), o.rim.end());
        o.facing = -o.facing;
    }

    static void measure(Opening& o, const Surface& s, const std::vector<Index>& pieces) {
        std::map<Edge, int> border;
        Vec3 normal;
        double largest = 0;
        for (const Index t : pieces) {
            const double area = triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
            o.area += area;
            if (area > largest) {
                largest = area;
                o.clear = (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0;
            }
            o.center += (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) * (area / 3);
            normal += triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
            for (std::size_t k = 0; k < 3; ++k) {
                const Index a = s.triangles[t][k], b = s.triangles[t][(k + 1) % 3];
                ++border[{std::min(a, b), std::max(a, b)}];
            }
        }
        o.center = o.center / o.area;
        o.facing = normalized(normal);
        std::vector<Edge> once;
        for (const auto& [e, n] : border)
            if (n == 1) {
                once.push_back(e);
                o.perimeter += distance(s.points[e[0]], s.points[e[1]]);
            }
        DisjointSets loops(s.points.size());
        std::set<Index> roots;
        for (const Edge& e : once) loops.join(e[0], e[1]);
        for (const Edge& e : once) roots.insert(loops.find(e[0]));
        o.is_ring = roots.size() > 1;
    }

    void name_rims(std::vector<Opening>& openings) const {
        std::map<std::array<double, 3>, std::vector<std::size_t>> at;
        for (std::size_t k = 0; k < openings.size(); ++k)
            for (const Vec3& p : openings[k].rim) at[{p.x, p.y, p.z}].push_back(k);
        for (Index t = 0; t < named_.triangles.size(); ++t) {
            std::map<std::size_t, int> corners;
            for (int k = 0; k < 3; ++k) {
                const Vec3& p = named_.corner(t, k);
                if (const auto it = at.find({p.x, p.y, p.z}); it != at.end())
                    for (const std::size_t o : it->second) ++corners[o];
            }
            for (const auto& [o, n] : corners)
                if (n >= 2) openings[o].rim_zones.push_back(named_.zones[named_.zone_of[t]].name);
        }
        for (Opening& o : openings) {
            std::sort(o.rim_zones.begin(), o.rim_zones.end());
            o.rim_zones.erase(std::unique(o.rim_zones.begin(), o.rim_zones.end()), o.rim_zones.end());
        }
    }

    /// A rim's points that two bodies are near to: how far the second is.
    void measure_seams(std::vector<Opening>& openings) const {
        DisjointSets bodies(given_.points.size());
        for (const Triangle& t : given_.triangles) {
            bodies.join(t[0], t[1]);
            bodies.join(t[0], t[2]);
        }
        const TriangleTree tree(given_.points, given_.triangles);
        for (Opening& o : openings)
            for (const Vec3& p : o.rim) {
                Box box;
                box.include(p - Vec3{join_, join_, join_});
                box.include(p + Vec3{join_, join_, join_});
                std::map<Index, double> distance_to;
                tree.overlapping(box, [&](Index t) {
                    const double d = distance(
                        p, closest_point_on_triangle(p, given_.corner(t, 0), given_.corner(t, 1), given_.corner(t, 2)));
                    const auto [at, is_new] = distance_to.try_emplace(bodies.find(given_.triangles[t][0]), d);
                    if (!is_new) at->second = std::min(at->second, d);
                });
                std::vector<double> sorted;
                for (const auto& [body, d] : distance_to)
                    if (d <= join_) sorted.push_back(d);
                std::sort(sorted.begin(), sorted.end());
                if (sorted.size() > 1) o.seam = std::max(o.seam, sorted[0] + sorted[1]);
            }
    }

    const Surface& given_;
    double join_;
    Space space_;
    Surface named_;
    double flatness_;
    Surface s_;
    SurfaceEdges edges_;
    std::set<std::vector<Index>> known_;
    std::set<std::array<Index, 2>> rising_;  // border edges of the face at hand that do not fall away
    std::vector<Candidate> candidates_;
};

}  // namespace

std::vector<Opening> find_openings(const Surface& surface, const OpeningOptions& options) {
    return Search(surface, options).find();
}

}  // namespace anvilcast
