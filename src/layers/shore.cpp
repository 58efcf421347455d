#include "layers/shore.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>

#include "layers/sheet.hpp"
#include "surfmesh/chunks.hpp"

namespace anvilcast::layers {
namespace {

using surfmesh::Draft;
using surfmesh::Original;
using surfmesh::PointKind;
using surfmesh::Remesher;

/// A column's top takes the place of a point of the shore that is closer than this share of the local size.
constexpr double kClose = 0.3;
/// The same along an edge, in lengths of the edge.
constexpr double kCloseOnEdge = 0.2;
/// See directions.cpp.
constexpr double kBothBend = 0.5;
/// A level may be so far from its shore before it is put onto it, in heights: more means that the shore has ended.
constexpr double kFarthest = 0.35;

std::vector<char> zones_with_strips(const Wall& wall) {
    std::vector<char> has(wall.mesh->surface.zones.size(), 0);
    for (const LayerStacks::Strip& s : wall.strips) has[s.zone] = 1;
    return has;
}

/// The sides without layers of the zones that have strips, as a surface of its own.
struct Excerpt {
    Domain domain;
    std::vector<Index> number;    // of each point of the excerpt in the surface mesh
    std::vector<Index> local;     // the other way round
    std::vector<Index> triangle;  // of each triangle of the excerpt
    std::vector<Index> local_triangle;
};

/// Edges at which other triangles of the mesh stand, a baffle's for one, stay as they are.
void keep_edges_of_others(const Wall& wall, Excerpt& out) {
    const Surface& s = wall.mesh->surface;
    const SurfaceEdges edges(s.triangles, s.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto n = std::count_if(edges.begin(e), edges.end(e), [&out](const SurfaceEdges::Use& u) {
            return out.local_triangle[u.triangle] != kNone;
        });
        if (n < 2 || edges.n_uses(e) == static_cast<std::size_t>(n)) continue;
        const Index a = out.local[edges.ends(e)[0]], b = out.local[edges.ends(e)[1]];
        out.domain.boundary.feature_edges.push_back({std::min(a, b), std::max(a, b)});
    }
    auto& kept = out.domain.boundary.feature_edges;
    std::sort(kept.begin(), kept.end());
}

Excerpt excerpt_of(const Wall& wall) {
    const SurfaceMesh& mesh = *wall.mesh;
    const std::vector<char> has_strips = zones_with_strips(wall);
    Excerpt out;
    out.domain.boundary.zones = mesh.surface.zones;
    for (const Region& r : mesh.regions) out.domain.regions.push_back({r.name, r.kind, 0, {}});
    out.domain.periodic = mesh.periodic;
    out.local.assign(mesh.surface.points.size(), kNone);
    out.local_triangle.assign(mesh.surface.triangles.size(), kNone);
    for (Index t = 0; t < mesh.surface.triangles.size(); ++t) {
        const auto& [front, behind] = mesh.sides[t];
        const bool has_layers =
            (front != kNone && wall.is_layered(front_of(t))) || (behind != kNone && wall.is_layered(back_of(t)));
        if (has_strips[mesh.surface.zone_of[t]] == 0 || has_layers) continue;
        Triangle c = mesh.surface.triangles[t];
        for (Index& p : c) {
            if (out.local[p] == kNone) {
                out.local[p] = static_cast<Index>(out.number.size());
                out.number.push_back(p);
                out.domain.boundary.points.push_back(mesh.surface.points[p]);
            }
            p = out.local[p];
        }
        out.local_triangle[t] = static_cast<Index>(out.triangle.size());
        out.triangle.push_back(t);
        out.domain.boundary.triangles.push_back(c);
        out.domain.boundary.zone_of.push_back(mesh.surface.zone_of[t]);
        out.domain.sides.push_back(mesh.sides[t]);
    }
    keep_edges_of_others(wall, out);
    return out;
}

}  // namespace

struct Shores::Impl {
    const Wall& wall;
    const std::vector<Direction>& directions;
    double feature_cos;
    Excerpt excerpt;
    std::optional<Original> original;

    Impl(const Wall& w, const std::vector<Direction>& d, double feature_angle_deg)
        : wall(w),
          directions(d),
          feature_cos(
              std::cos((feature_angle_deg - (w.mesh->periodic.empty() ? 0 : kBothBend)) * std::numbers::pi / 180)),
          excerpt(excerpt_of(w)) {
        if (!excerpt.triangle.empty()) original.emplace(excerpt.domain, feature_angle_deg);
    }

    Index patch_of(Corner shore) const {
        return original->features().patch_of[excerpt.local_triangle[Wall::side_of(shore) / 2]];
    }

    bool is_same_shore(Index side, Index other) const {
        return !wall.is_layered(other) && wall.zone_of(side) == wall.zone_of(other) &&
               dot(wall.normal_of_side[side], wall.normal_of_side[other]) > feature_cos;
    }

    /// A place on the edge between two shores: on the segment between two points of the surface mesh.
    struct EdgePlace {
        Index a, b;
        double share;
        Vec3 place;
    };

    /// At an arc length from the foot along its edge.
    std::optional<EdgePlace> along_edge(Index foot, double arc) const {
        Corner c = directions[foot].shore;  // its ccw edge is the one to go along
        Index v = wall.feet[foot].point;
        for (int step = 0; step < 100000; ++step) {
            const Corner e = Wall::ccw_edge(c);
            const Index w = wall.point_of(e) == v ? wall.point_of(Wall::next(e)) : wall.point_of(e);
            const auto& p = wall.mesh->surface.points;
            const double l = distance(p[v], p[w]);
            if (arc <= l) return EdgePlace{v, w, arc / l, p[v] + (p[w] - p[v]) * (arc / l)};
            arc -= l;
            // The corner at the other end, then round it to where the shore ends again.
            c = wall.point_of(e) == w ? e : Wall::next(e);
            if (Wall::side_of(c) != Wall::side_of(e)) return std::nullopt;
            for (int turn = 0; turn < 1000; ++turn) {
                const Index here = Wall::side_of(c), beyond = Wall::side_of(wall.across[Wall::ccw_edge(c)]);
                if (wall.is_layered(beyond)) return std::nullopt;
                if (!is_same_shore(here, beyond)) break;
                c = wall.ccw(c);
            }
            v = w;
        }
        return std::nullopt;
    }
};

Shores::Shores(const Wall& wall, const std::vector<Direction>& directions, double feature_angle_deg)
    : impl_(std::make_unique<Impl>(wall, directions, feature_angle_deg)) {}
Shores::~Shores() = default;

bool Shores::empty() const { return impl_->excerpt.triangle.empty(); }
bool Shores::has(Index triangle) const { return impl_->excerpt.local_triangle[triangle] != kNone; }

std::optional<Vec3> Shores::place(Index foot, double height) const {
    const Direction& d = impl_->directions[foot];
    const Vec3 straight = impl_->wall.place_of(foot) + d.step * height;
    if (d.shoreline == Shoreline::edge) {
        const auto at = impl_->along_edge(foot, length(d.step) * height);
        return at ? std::optional(at->place) : std::nullopt;
    }
    if (d.shoreline != Shoreline::plane) return straight;
    const double far = length(d.step) * height;
    const auto at = impl_->original->foot(impl_->patch_of(d.shore), straight, kFarthest * far);
    return at.distance < Box::inf ? std::optional(at.point) : std::nullopt;
}

namespace {

/// One attempt at cutting the strips out.
class Cutter {
  public:
    Cutter(const Wall& wall, const std::vector<Direction>& directions, const Excerpt& excerpt, const Original& original,
           const std::vector<Vec3>& top, const std::vector<LayerStack>& stack)
        : wall_(wall),
          directions_(directions),
          excerpt_(excerpt),
          original_(original),
          top_(top),
          stack_(stack),
          points_(excerpt.domain.boundary.points),
          top_of_foot_(wall.feet.size(), kNone) {}

    /// `edge_place(foot)`: where the top of a foot at an edge between shores lies.
    template <typename EdgePlaceOf, typename PatchOf>
    std::vector<Index> run(const EdgePlaceOf& edge_place, const PatchOf& patch_of) {
        make_sheets(patch_of);
        put_on_edges(edge_place);
        put_on_planes(patch_of);
        if (failed_.empty()) cut_strips(patch_of);
        std::sort(failed_.begin(), failed_.end());
        failed_.erase(std::unique(failed_.begin(), failed_.end()), failed_.end());
        return failed_;
    }

    Shores::Cut result(const std::vector<Box>& as_it_is, const SizeField& sizes, const Context& context);

  private:
    bool is_flat(const LayerStacks::Strip& s) const { return stack_[s.a].count == 0 && stack_[s.b].count == 0; }

    template <typename PatchOf>
    void make_sheets(const PatchOf& patch_of) {
        for (std::size_t i = 0; i < wall_.strips.size(); ++i)
            if (!is_flat(wall_.strips[i])) sheets_.try_emplace(patch_of(wall_.shore_of_strip[i]), nullptr);
        for (Index f = 0; f < wall_.feet.size(); ++f) {
            const Direction& d = directions_[f];
            if (stack_[f].count == 0 || d.shoreline == Shoreline::none || d.shoreline == Shoreline::blocked) continue;
            sheets_.try_emplace(patch_of(d.shore), nullptr);
            if (d.shoreline == Shoreline::edge) sheets_.try_emplace(patch_of(wall_.ccw(d.shore)), nullptr);
        }
        for (auto& [patch, sheet] : sheets_) {
            std::vector<Triangle> triangles;
            for (const Index t : original_.triangles_of(patch))
                triangles.push_back(excerpt_.domain.boundary.triangles[t]);
            sheet = std::make_unique<Sheet>(points_, std::move(triangles), excerpt_.domain.boundary.feature_edges);
        }
    }

    template <typename EdgePlaceOf>
    void put_on_edges(const EdgePlaceOf& edge_place) {
        struct Put {
            std::array<Index, 2> edge;
            double share;
            Index foot;
        };
        std::vector<Put> puts;
        for (Index f = 0; f < wall_.feet.size(); ++f) {
            if (stack_[f].count == 0 || directions_[f].shoreline != Shoreline::edge) continue;
            const auto at = edge_place(f);
            if (!at) {
                failed_.push_back(f);
                continue;
            }
            const Index a = excerpt_.local[at->a], b = excerpt_.local[at->b];
            puts.push_back({{std::min(a, b), std::max(a, b)}, a < b ? at->share : 1 - at->share, f});
        }
        std::sort(puts.begin(), puts.end(), [](const Put& p, const Put& q) {
            return p.edge != q.edge ? p.edge < q.edge : p.share != q.share ? p.share < q.share : p.foot < q.foot;
        });
        std::array<Index, 2> edge{kNone, kNone};
        Index last = kNone;
        for (const Put& put : puts) {
            if (put.edge != edge) last = put.edge[0];
            edge = put.edge;
            // The far end may be free to take the top's place, unless it is a foot or a corner.
            const Index end = put.edge[1];
            const double length = distance(points_[edge[0]], points_[end]);
            bool is_done = false;
            for (const Index w : {last, end})
                if (distance(points_[w], top_[put.foot]) < kCloseOnEdge * length && may_move(w)) {
                    points_[w] = top_[put.foot];
                    taken_.push_back(w);
                    top_of_foot_[put.foot] = last = w;
                    is_done = true;
                    break;
                }
            if (is_done) continue;
            points_.push_back(top_[put.foot]);
            const auto point = static_cast<Index>(points_.size() - 1);
            bool is_divided = false;
            for (auto& [patch, sheet] : sheets_) is_divided |= sheet->divide_border(last, end, point);
            if (!is_divided) failed_.push_back(put.foot);
            top_of_foot_[put.foot] = last = point;
        }
    }

    /// A point in the course of an edge, that nobody stands on.
    bool may_move(Index local) const {
        if (local >= excerpt_.number.size() || original_.features().kind[local] != PointKind::curve) return false;
        return !is_foot(local) && std::find(taken_.begin(), taken_.end(), local) == taken_.end();
    }
    bool is_foot(Index local) const {
        if (feet_.empty()) {
            feet_.assign(excerpt_.number.size(), 0);
            for (const Foot& f : wall_.feet)
                if (excerpt_.local[f.point] != kNone) feet_[excerpt_.local[f.point]] = 1;
        }
        return feet_[local] != 0;
    }

    template <typename PatchOf>
    void put_on_planes(const PatchOf& patch_of) {
        for (Index f = 0; f < wall_.feet.size(); ++f) {
            const Direction& d = directions_[f];
            if (d.shoreline == Shoreline::none) continue;
            const Index own = excerpt_.local[wall_.feet[f].point];
            if (stack_[f].count == 0) {
                top_of_foot_[f] = own;
                continue;
            }
            if (d.shoreline != Shoreline::plane) continue;
            const double size = typical_size(own);
            if (const auto top = sheets_.at(patch_of(d.shore))->put(top_[f], own, kClose * size))
                top_of_foot_[f] = *top;
            else
                failed_.push_back(f);
        }
    }

    /// Of the triangles round a point.
    double typical_size(Index local) const {
        if (sizes_.empty()) {
            sizes_.assign(excerpt_.number.size(), Box::inf);
            const Surface& s = excerpt_.domain.boundary;
            for (const Triangle& t : s.triangles)
                for (std::size_t k = 0; k < 3; ++k) {
                    const double l = distance(s.points[t[k]], s.points[t[(k + 1) % 3]]);
                    for (const Index p : {t[k], t[(k + 1) % 3]}) sizes_[p] = std::min(sizes_[p], l);
                }
        }
        return sizes_[local];
    }

    template <typename PatchOf>
    void cut_strips(const PatchOf& patch_of) {
        auto fail = [this](const LayerStacks::Strip& s) {
            failed_.push_back(s.a);
            failed_.push_back(s.b);
        };
        auto for_strips = [&](const auto& work) {
            for (std::size_t i = 0; i < wall_.strips.size(); ++i) {
                const LayerStacks::Strip& s = wall_.strips[i];
                if (!is_flat(s) && !work(s, *sheets_.at(patch_of(wall_.shore_of_strip[i])))) fail(s);
            }
        };
        for_strips([this](const LayerStacks::Strip& s, Sheet& sheet) {
            const Index a = top_of_foot_[s.a], b = top_of_foot_[s.b];
            return a != kNone && b != kNone && sheet.make_edge(a, b);
        });
        if (!failed_.empty()) return;
        for_strips([this](const LayerStacks::Strip& s, Sheet& sheet) {
            const Index a = wall_.feet[s.a].point, b = wall_.feet[s.b].point;
            return a == b || sheet.take_out_from(excerpt_.local[a], excerpt_.local[b]);
        });
        for_strips([this](const LayerStacks::Strip& s, Sheet& sheet) {
            return sheet.is_border_edge(top_of_foot_[s.a], top_of_foot_[s.b]);
        });
    }

    const Wall& wall_;
    const std::vector<Direction>& directions_;
    const Excerpt& excerpt_;
    const Original& original_;
    const std::vector<Vec3>& top_;
    const std::vector<LayerStack>& stack_;
    std::vector<Vec3> points_;
    std::vector<Index> top_of_foot_;  // numbers of points_
    std::vector<Index> taken_;        // points on edges that tops have taken
    std::vector<Index> failed_;
    std::map<Index, std::unique_ptr<Sheet>> sheets_;  // by patch
    mutable std::vector<char> feet_;
    mutable std::vector<double> sizes_;
};

/// Draft of what the sheets have left: their borders are fixed, and edges that reach into a box.
Draft draft_of(const std::vector<Vec3>& points, const std::vector<std::pair<Index, std::vector<Triangle>>>& sheets,
               const std::vector<Box>& as_it_is, const Original& original, const SizeField& sizes,
               std::vector<Index>& number) {
    const std::vector<Edge>& kept = original.surface().feature_edges;
    auto is_kept = [&](Index a, Index b) {
        if (std::binary_search(kept.begin(), kept.end(), Edge{std::min(a, b), std::max(a, b)})) return true;
        Box box;
        box.include(points[a]);
        box.include(points[b]);
        return std::any_of(as_it_is.begin(), as_it_is.end(), [&box](const Box& b2) { return box.overlaps(b2); });
    };
    Draft d;
    std::vector<Index> local(points.size(), kNone);
    for (const auto& [patch, triangles] : sheets)
        for (Triangle t : triangles) {
            for (Index& p : t) {
                if (local[p] == kNone) {
                    local[p] = static_cast<Index>(number.size());
                    number.push_back(p);
                    d.points.push_back(points[p]);
                    d.size.push_back(sizes.at(points[p]));
                    d.normal.push_back({});
                    d.kind.push_back(PointKind::patch);
                }
                p = local[p];
            }
            d.triangles.push_back(t);
            d.patch_of.push_back(patch);
        }
    d.feature_sides.assign(d.triangles.size(), 0);
    const SurfaceEdges edges(d.triangles, d.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto* use = edges.begin(e);
        const Index a = number[edges.ends(e)[0]], b = number[edges.ends(e)[1]];
        if (edges.n_uses(e) == 2 && d.patch_of[use[0].triangle] == d.patch_of[use[1].triangle] && !is_kept(a, b))
            continue;
        for (; use != edges.end(e); ++use)
            d.feature_sides[use->triangle] =
                static_cast<std::uint8_t>(d.feature_sides[use->triangle] | 1U << use->side);
        for (const Index p : edges.ends(e)) d.kind[p] = PointKind::corner;
    }
    std::vector<Index> patch_at(d.points.size(), kNone);
    for (Index t = 0; t < d.triangles.size(); ++t)
        for (const Index p : d.triangles[t]) patch_at[p] = d.patch_of[t];
    for (Index p = 0; p < d.points.size(); ++p)
        if (d.kind[p] == PointKind::patch) d.normal[p] = original.foot(patch_at[p], d.points[p]).normal;
    return d;
}

void remesh(Remesher& r) {
    for (int pass = 0; pass < 2; ++pass) {
        r.collapse_short_edges();
        r.flip_edges();
    }
    for (int pass = 0; pass < 2; ++pass) {
        r.split_long_edges();
        r.collapse_short_edges();
        r.even_out_neighbours();
        r.smooth();
        r.flip_edges();
        r.smooth();
    }
    for (int pass = 0; pass < 2; ++pass) {
        r.even_out_neighbours();
        r.smooth();
        r.flip_edges();
        r.mend_angles(30);
    }
    r.flip_edges();
}

Shores::Cut Cutter::result(const std::vector<Box>& as_it_is, const SizeField& sizes, const Context& context) {
    context.check_stop();
    std::vector<std::pair<Index, std::vector<Triangle>>> sheets;
    for (const auto& [patch, sheet] : sheets_) sheets.emplace_back(patch, sheet->triangles());
    std::vector<Index> number;
    Draft draft = draft_of(points_, sheets, as_it_is, original_, sizes, number);
    const surfmesh::SizeAt size_at = [&sizes](const Vec3& p) { return sizes.at(p); };
    std::vector<Index> came_from;
    if (!draft.triangles.empty()) {
        std::vector<char> is_locked(draft.points.size(), 0);
        Remesher remesher(original_, size_at, {0.1, Box::inf}, std::move(draft), std::move(is_locked));
        remesh(remesher);
        draft = remesher.take(came_from);
    }

    Shores::Cut cut;
    cut.points = wall_.mesh->surface.points;
    std::vector<Index> global(excerpt_.number);
    for (std::size_t p = 0; p < excerpt_.number.size(); ++p) cut.points[global[p]] = points_[p];
    for (std::size_t p = global.size(); p < points_.size(); ++p) {
        global.push_back(static_cast<Index>(cut.points.size()));
        cut.points.push_back(points_[p]);
    }
    cut.top_of_foot.assign(wall_.feet.size(), kNone);
    for (std::size_t f = 0; f < top_of_foot_.size(); ++f)
        if (top_of_foot_[f] != kNone) cut.top_of_foot[f] = global[top_of_foot_[f]];
    std::vector<Index> now(draft.points.size());
    for (std::size_t p = 0; p < now.size(); ++p) {
        if (came_from[p] != kNone) {
            now[p] = global[number[came_from[p]]];
            cut.points[now[p]] = draft.points[p];
        } else {
            now[p] = static_cast<Index>(cut.points.size());
            cut.points.push_back(draft.points[p]);
        }
    }
    for (std::size_t t = 0; t < draft.triangles.size(); ++t) {
        const Triangle& c = draft.triangles[t];
        cut.triangles.push_back({now[c[0]], now[c[1]], now[c[2]]});
        cut.origin.push_back(excerpt_.triangle[original_.triangles_of(draft.patch_of[t]).front()]);
    }
    for (Index t = 0; t < excerpt_.triangle.size(); ++t) {
        if (sheets_.contains(original_.features().patch_of[t])) continue;
        cut.triangles.push_back(wall_.mesh->surface.triangles[excerpt_.triangle[t]]);
        cut.origin.push_back(excerpt_.triangle[t]);
    }
    return cut;
}

}  // namespace

Shores::Cut Shores::cut(const std::vector<LayerStack>& stack, const std::vector<Vec3>& top,
                        const std::vector<Box>& as_it_is, const SizeField& sizes, const Context& context) const {
    const Impl& m = *impl_;
    Cut none;
    if (empty()) {
        none.points = m.wall.mesh->surface.points;
        none.top_of_foot.assign(m.wall.feet.size(), kNone);
        return none;
    }
    Cutter cutter(m.wall, m.directions, m.excerpt, *m.original, top, stack);
    const auto failed =
        cutter.run([&](Index f) { return m.along_edge(f, length(m.directions[f].step) * stack[f].total); },
                   [&](Corner shore) { return m.patch_of(shore); });
    if (failed.empty()) return cutter.result(as_it_is, sizes, context);
    none.failed = failed;
    return none;
}

}  // namespace anvilcast::layers
