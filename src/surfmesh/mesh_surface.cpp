// The surface is meshed in rounds. Where the result is too far from the original, or crosses itself (a gap narrower
// than the chord error of its walls), sizes are made smaller, and the mesh is gone over there; the rest of it stays.
// Where that does not help, edges of the original are kept and it is meshed again: its triangles are divided, are as
// close as they can be, and cross as little as they do. It ends: each cause has a number of attempts, and with the last
// one what is left is told.

#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <optional>

#include "base/thread_limit.hpp"
#include "surfmesh/deviation.hpp"
#include "surfmesh/draft.hpp"
#include "surfmesh/flaws.hpp"
#include "surfmesh/repeat.hpp"
#include "surfmesh/rounds.hpp"

namespace anvilcast {
namespace {

using surfmesh::Draft;
using surfmesh::Original;
using surfmesh::Remesher;

constexpr int kMostRefinements = 4;
/// And as long as the mesh does not become many times as large as it was: what is still too far off then is told.
constexpr std::size_t kMostGrowth = 3, kFewTriangles = 20000;
/// Flaws that two finer attempts do not mend come of ridges across a smooth patch, which are kept then; or they are the
/// geometry's own.
constexpr int kFinerAttemptsAtFlaws = 2, kMostAttemptsAtFlaws = 4;
/// A mesh that crosses itself is none, which is worth more attempts than one that is a little too far off. From some
/// on, edges of the original are kept; those of a wrap are about as long as its gap, and kept soon.
constexpr int kMostAttempts = 12, kFirstToKeepEdges = 5, kFirstToKeepEdgesOfWraps = 2;
/// Deviations up to this many times the limit are left alone: they are measured, not predicted, and the smallest of
/// changes would mesh the surface again.
constexpr double kSlack = 1.25;

struct FinerPlaces {
    const std::vector<PeriodicPair>& periodic;
    std::vector<Vec3> places = {};
    std::vector<double> sizes = {};
    /// What is finer on one of two sides that repeat is finer on both.
    void add(const Vec3& p, double size) {
        std::vector<Vec3> all{p};
        for (const PeriodicPair& pair : periodic)
            for (std::size_t n = all.size(), i = 0; i < n; ++i) {
                all.push_back(pair.image(all[i]));
                all.push_back(inverse(pair.image)(all[i]));
            }
        places.insert(places.end(), all.begin(), all.end());
        sizes.insert(sizes.end(), all.size(), size);
    }
};

Vec3 middle_of(const std::vector<Vec3>& points, const Triangle& t) {
    return (points[t[0]] + points[t[1]] + points[t[2]]) / 3.0;
}

void refuse_crossing(const Surface& original) {
    const auto own = find_self_intersections(original.points, original.triangles);
    if (own.empty()) return;
    const Vec3 p = middle_of(original.points, original.triangles[own.front()[0]]);
    throw GeometryError(
        fmt::format("the surface crosses itself at {} place(s), the first near [{:.6g}, {:.6g}, {:.6g}] m "
                    "(zone \"{}\"); mend it there",
                    own.size(), p.x, p.y, p.z, original.zones[original.zone_of[own.front()[0]]].name));
}

[[noreturn]] void report_crossing(const Vec3& place) {
    throw FailureError(
        fmt::format("the surface mesh crosses itself near [{:.6g}, {:.6g}, {:.6g}] m, where two walls are much "
                    "closer than the size; ask for a smaller surface size",
                    place.x, place.y, place.z));
}

/// Where the mesh is none: triangles that cross, and those at edges that have more or fewer triangles than they should.
std::vector<Index> conflicts(const Draft& draft) {
    std::vector<Index> in_conflict;
    for (const auto& pair : find_self_intersections(draft.points, draft.triangles))
        in_conflict.insert(in_conflict.end(), pair.begin(), pair.end());
    const SurfaceEdges edges(draft.triangles, draft.points.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto& use = *edges.begin(e);
        if (edges.n_uses(e) != 2 && (draft.feature_sides[use.triangle] >> use.side & 1U) == 0)
            in_conflict.push_back(use.triangle);
    }
    std::sort(in_conflict.begin(), in_conflict.end());
    in_conflict.erase(std::unique(in_conflict.begin(), in_conflict.end()), in_conflict.end());
    return in_conflict;
}

/// Where edges of the original are to be kept: those that it is bent by more than an angle at.
struct RoughPlace {
    Box box;
    double cos_of_bend;
};
constexpr double kCosOfPlane = 0.99985, kCosOfSlightBend = 0.9063;  // 1 and 25 degrees

/// Lists edges of the original near the places as edges to be kept. False when all of them are listed already.
bool keep_edges(Surface& original, const std::vector<RoughPlace>& places) {
    auto& all = original.feature_edges;
    auto tidy = [&all] {
        std::sort(all.begin(), all.end());
        all.erase(std::unique(all.begin(), all.end()), all.end());
        return all.size();
    };
    const std::size_t n_before = tidy();
    const TriangleTree tree(original.points, original.triangles);
    const SurfaceEdges edges(original.triangles, original.points.size());
    auto normal = [&](Index t) {
        return normalized(triangle_normal(original.corner(t, 0), original.corner(t, 1), original.corner(t, 2)));
    };
    for (const RoughPlace& place : places)
        tree.overlapping(place.box, [&](Index near) {
            for (Index k = 0; k < 3; ++k) {
                const std::size_t e = edges.edge_of(near, k);
                if (edges.n_uses(e) != 2 ||
                    dot(normal(edges.begin(e)[0].triangle), normal(edges.begin(e)[1].triangle)) < place.cos_of_bend)
                    all.push_back(edges.ends(e));
            }
        });
    return tidy() > n_before;
}

/// Of a triangle, a tenth of it larger on all sides.
Box box_round(const Draft& draft, Index triangle) {
    Box box;
    for (const Index p : draft.triangles[triangle]) box.include(draft.points[p]);
    const Vec3 margin = Vec3{1, 1, 1} * (0.1 * box.diagonal());
    return {box.lo - margin, box.hi + margin};
}

/// Patch points onto the smooth surface that the original's normals tell of.
void curve(Draft& draft, const Original& original) {
    std::vector<Index> patch_at(draft.points.size(), kNone);
    for (Index t = 0; t < draft.triangles.size(); ++t)
        for (const Index p : draft.triangles[t]) patch_at[p] = draft.patch_of[t];
    tbb::parallel_for(std::size_t{0}, draft.points.size(), [&](std::size_t p) {
        if (draft.kind[p] == surfmesh::PointKind::patch)
            draft.points[p] = original.curved_place(patch_at[p], draft.points[p]);
    });
}

/// A triangle of a baffle whose corners all lie on free edges has the same points on both sides, and who reads the mesh
/// could not tell the sides apart: it gets a point of its own in the middle, and becomes three.
void part_sides_of_baffles(Draft& draft, const Original& original) {
    const SurfaceEdges edges(draft.triangles, draft.points.size());
    std::vector<char> is_free(draft.points.size(), 0);
    for (std::size_t e = 0; e < edges.size(); ++e)
        if (edges.n_uses(e) == 1)
            for (const Index p : edges.ends(e)) is_free[p] = 1;
    const auto n = static_cast<Index>(draft.triangles.size());
    const std::vector<Zone>& zones = original.surface().zones;
    for (Index t = 0; t < n; ++t) {
        const Triangle c = draft.triangles[t];
        const auto& sides = original.sides_of_patch(draft.patch_of[t]);
        if (sides[0] != sides[1] || is_within_region(zones[original.zone_of_patch(draft.patch_of[t])].role)) continue;
        if (is_free[c[0]] == 0 || is_free[c[1]] == 0 || is_free[c[2]] == 0) continue;
        const auto m = static_cast<Index>(draft.points.size());
        const auto foot = original.foot(draft.patch_of[t], middle_of(draft.points, c));
        draft.points.push_back(foot.point);
        draft.size.push_back((draft.size[c[0]] + draft.size[c[1]] + draft.size[c[2]]) / 3);
        draft.normal.push_back(foot.normal);
        draft.kind.push_back(surfmesh::PointKind::patch);
        draft.triangles[t] = {c[0], c[1], m};
        draft.triangles.push_back({c[1], c[2], m});
        draft.triangles.push_back({c[2], c[0], m});
        for (int k = 0; k < 2; ++k) {
            draft.patch_of.push_back(draft.patch_of[t]);
            draft.feature_sides.push_back(0);
        }
    }
}

SurfaceMesh finished(Draft&& draft, const Original& original, const surfmesh::Deviation& deviation,
                     const surfmesh::ShapeLimits& limits) {
    SurfaceMesh out;
    for (const auto& flawed : surfmesh::flawed_triangles(original, draft)) out.flaws.push_back(flawed.flaw);
    for (const SurfaceFlaw& flaw : surfmesh::flawed_areas(original, draft)) out.flaws.push_back(flaw);
    out.largest_deviation = deviation.largest;
    out.largest_deviation_at = deviation.at;
    for (const auto& place : deviation.too_large)
        if (place.distance > kSlack * limits.at(place.size)) out.too_far.push_back(place.at);
    out.surface.zones = original.surface().zones;
    out.periodic = original.domain().periodic;
    for (const DomainRegion& r : original.domain().regions) out.regions.push_back({r.name, r.kind});
    out.surface.points = std::move(draft.points);
    out.surface.triangles = std::move(draft.triangles);
    for (const Index patch : draft.patch_of) {
        out.surface.zone_of.push_back(original.zone_of_patch(patch));
        out.sides.push_back(original.sides_of_patch(patch));
    }
    return out;
}

/// A surface meshed, looked at, and meshed on where that showed something wrong.
class Attempts {
  public:
    Attempts(const Domain& domain, const SizeField& sizes, const SurfaceMeshOptions& options, const Context& context)
        : domain_(domain),
          sizes_(sizes),
          options_(options),
          context_(context),
          limits_{options.deviation, options.tolerance > 0 ? options.tolerance : Box::inf},
          original_(std::make_unique<Original>(domain, options.feature_angle)),
          finer_{domain.periodic},
          field_(sizes) {
        const auto& zones = domain.boundary.zones;
        if (std::any_of(zones.begin(), zones.end(), [](const Zone& z) { return z.is_wrapped; }))
            first_to_keep_edges_ = kFirstToKeepEdgesOfWraps;
    }

    SurfaceMesh draft() {
        mesh_as_a_whole();
        repeat_sides(mesh_.draft, *original_);
        return finished(std::move(mesh_.draft), *original_, {}, limits_);
    }

    SurfaceMesh mesh() {
        mesh_as_a_whole();
        first_count_ = mesh_.draft.triangles.size();
        for (;; ++attempt_) {
            context_.report("surface", "checks", 0.9);
            look();
            if (attempt_ == 0 && !seen_.crossing.empty()) refuse_crossing(domain_.boundary);
            // Crossings are worth more, but not without end either.
            const bool is_hopeless = drawn_.triangles.size() > 4 * most_triangles();
            if (!seen_.crossing.empty() && (attempt_ == kMostAttempts || is_hopeless)) give_up();
            if (!ask_for_better()) break;
            if (has_new_edges_) original_ = std::make_unique<Original>(*with_kept_edges_, options_.feature_angle);
            if (has_new_edges_ || !has_become_better())
                mesh_as_a_whole();
            else
                mesh_where_finer();
        }
        part_sides_of_baffles(drawn_, *original_);
        return finished(std::move(drawn_), *original_, seen_.deviation, limits_);
    }

  private:
    struct Seen {
        surfmesh::Deviation deviation;
        std::vector<Index> crossing;
        std::vector<surfmesh::FlawedTriangle> flawed;  ///< that the geometry does not force
        std::size_t n_wrong() const { return crossing.size() + flawed.size(); }
    };

    std::size_t most_triangles() const { return kMostGrowth * first_count_ + kFewTriangles; }

    void mesh_as_a_whole() {
        field_ = field_wanted();
        mesh_ = surfmesh::mesh_in_rounds(*original_, size_at_, options_, limits_, context_);
        was_whole_ = true;
    }

    void mesh_where_finer() {
        const SizeField before = std::move(field_);
        field_ = field_wanted();
        mesh_ = surfmesh::mesh_finer(
            std::move(mesh_), *original_, [&](const Vec3& p) { return before.at(p); }, size_at_, options_, limits_,
            context_);
        was_whole_ = false;
    }

    SizeField field_wanted() const {
        if (finer_.places.empty()) return sizes_;
        return SizeField::smaller_of(
            sizes_, size_field_of_places(finer_.places, finer_.sizes, sizes_.largest(), sizes_.growth()));
    }

    void look() {
        n_wrong_before_ = seen_.n_wrong();
        repeat_sides(mesh_.draft, *original_);
        seen_.deviation = surfmesh::measure_deviation(*original_, mesh_.draft, limits_);
        drawn_ = mesh_.draft;
        if (options_.curved) {
            curve(drawn_, *original_);
            repeat_sides(drawn_, *original_);
        }
        seen_.crossing = conflicts(drawn_);
        seen_.flawed = surfmesh::flawed_triangles(*original_, drawn_);
        std::erase_if(seen_.flawed, [](const auto& flawed) { return flawed.is_forced; });
    }

    /// Triangles that cross, folds and needles of a mesh that was bettered in places may have come to stay: then the
    /// next one begins from the original.
    bool has_become_better() const { return seen_.n_wrong() == 0 || was_whole_ || seen_.n_wrong() < n_wrong_before_; }

    [[noreturn]] void give_up() const {
        refuse_crossing(domain_.boundary);
        report_crossing(middle_of(drawn_.points, drawn_.triangles[seen_.crossing.front()]));
    }

    /// Makes sizes smaller or keeps edges where something is wrong. False when the mesh is as good as it will be.
    bool ask_for_better() {
        std::vector<RoughPlace> rough;
        const bool may_keep_edges = attempt_ >= first_to_keep_edges_;
        const bool has_grown = drawn_.triangles.size() > most_triangles();
        for (const Index t : seen_.crossing) {
            const Vec3 p = middle_of(drawn_.points, drawn_.triangles[t]);
            if (may_keep_edges)
                rough.push_back({box_round(drawn_, t), kCosOfPlane});
            else
                finer_.add(p, field_.at(p) / 2);
        }
        bool is_done = seen_.crossing.empty();
        for (const auto& place : seen_.deviation.too_large) {
            const double limit = limits_.at(place.size);
            if (attempt_ >= kMostRefinements || has_grown || place.distance <= kSlack * limit) continue;
            is_done = false;
            const Vec3 margin = Vec3{1, 1, 1} * place.distance;
            if (may_keep_edges)
                rough.push_back({{place.at - margin, place.at + margin}, kCosOfSlightBend});
            else
                finer_.add(place.at, place.size * std::max(0.35, std::sqrt(limit / place.distance)));
        }
        if (attempt_ < kMostAttemptsAtFlaws && !has_grown)
            for (const auto& flawed : seen_.flawed) {
                is_done = false;
                if (attempt_ < kFinerAttemptsAtFlaws)
                    finer_.add(flawed.flaw.place, field_.at(flawed.flaw.place) / 2);
                else
                    rough.push_back({box_round(drawn_, flawed.triangle), kCosOfSlightBend});
            }
        has_new_edges_ = !rough.empty() && keep(rough);
        // More of the same would not make it better.
        if (!rough.empty()) is_done = !has_new_edges_ && seen_.crossing.empty();
        return !is_done;
    }

    bool keep(const std::vector<RoughPlace>& rough) {
        if (!with_kept_edges_) with_kept_edges_ = domain_;
        return keep_edges(with_kept_edges_->boundary, rough);
    }

    const Domain& domain_;
    const SizeField& sizes_;
    const SurfaceMeshOptions& options_;
    const Context& context_;
    surfmesh::ShapeLimits limits_;
    std::unique_ptr<Original> original_;
    std::optional<Domain> with_kept_edges_;
    FinerPlaces finer_;
    SizeField field_;
    surfmesh::SizeAt size_at_ = [this](const Vec3& p) { return field_.at(p); };
    surfmesh::Meshed mesh_;
    Draft drawn_;  ///< the mesh on the curved surface, where that was asked for
    Seen seen_;
    int attempt_ = 0, first_to_keep_edges_ = kFirstToKeepEdges;
    std::size_t first_count_ = 0, n_wrong_before_ = 0;
    bool was_whole_ = true, has_new_edges_ = false;
};

}  // namespace

SurfaceMesh surfmesh::draft_surface_mesh(const Domain& domain, const SizeField& sizes,
                                         const SurfaceMeshOptions& options, const Context& context) {
    const ThreadLimit limit(context);
    return Attempts(domain, sizes, options, context).draft();
}

SurfaceMesh mesh_surface(const Domain& domain, const SizeField& sizes, const SurfaceMeshOptions& options,
                         const Context& context) {
    const ThreadLimit limit(context);
    return Attempts(domain, sizes, options, context).mesh();
}

}  // namespace anvilcast
