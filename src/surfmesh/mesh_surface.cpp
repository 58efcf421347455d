// Feature curves are divided first; then, round after round, edges that are too long are split, those too short
// collapsed, edges flipped and points smoothed. Where the result is too far from the original, or crosses itself (a gap
// narrower than the chord error of its walls), sizes are made smaller and the surface is meshed again. Where that does
// not help, edges of the original are kept: its triangles are divided, are as close as they can be, and cross as little
// as they do.

#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <optional>

#include "base/thread_limit.hpp"
#include "surfmesh/chunks.hpp"
#include "surfmesh/deviation.hpp"
#include "surfmesh/flaws.hpp"

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
/// Large enough that little is locked, small enough to share out.
constexpr std::size_t kChunk = 24000;
/// From so many triangles on splitting goes on side by side, once more than a few edges are of the longest: a coarse
/// triangle as large as a chunk would have all of its edges locked.
constexpr std::size_t kEnoughToShare = 40000, kFewEdges = 5000;

struct FinerPlaces {
    std::vector<Vec3> places;
    std::vector<double> sizes;
    void add(const Vec3& p, double size) {
        places.push_back(p);
        sizes.push_back(size);
    }
};

Draft remesh(const Original& original, const SizeField& sizes, const SurfaceMeshOptions& options,
             const surfmesh::ShapeLimits& limits, const Context& context) {
    const surfmesh::SizeAt size_at = [&](const Vec3& p) { return sizes.at(p); };
    const auto places = surfmesh::divide_curves(original, size_at, options);
    Draft draft = surfmesh::make_draft(original, size_at);
    const std::size_t draft_size = draft.triangles.size();
    auto in_chunks = [&](std::size_t chunk, double cut, double done, const std::function<void(Remesher&)>& work) {
        context.report("surface", "remeshing", done);
        surfmesh::work_in_chunks(draft, original, size_at, limits, chunk, cut, [&](Remesher& r) {
            context.check_stop();
            work(r);
        });
    };
    auto in_one = [&](double done, const std::function<void(Remesher&)>& work) {
        in_chunks(std::numeric_limits<std::size_t>::max(), 0.5, done, work);
    };
    // A finer original is thinned out first; what is left of it is turned into triangles worth splitting.
    auto thin = [](Remesher& r) {
        for (int pass = 0; pass < 2; ++pass) {
            r.collapse_short_edges();
            r.flip_edges();
        }
    };
    auto round = [](Remesher& r) {
        r.split_long_edges();
        r.collapse_short_edges();
        r.even_out_neighbours();
        r.smooth();
        r.flip_edges();
    };
    in_one(0, [&](Remesher& r) {
        r.divide_curves(places);
        if (draft_size <= kChunk) thin(r);
    });
    if (draft_size > kChunk) {
        in_chunks(kChunk, 0.45, 0.02, thin);
        in_one(0.04, thin);
    }
    in_one(0.05, [](Remesher& r) { r.split_long_edges(kEnoughToShare, kFewEdges); });
    // In steps: what is locked at the borders of the chunks must not fall too far behind.
    constexpr std::array<double, 3> kCuts{0.53, 0.41, 0.47};
    for (std::size_t step = 0, before = 0; draft.triangles.size() > before + before / 20 && step < 12; ++step) {
        before = draft.triangles.size();
        in_chunks(std::max(kEnoughToShare, before) / 32, kCuts[step % 3], 0.06,
                  [](Remesher& r) { r.split_long_edges(4 * r.n_triangles()); });
    }
    // Each time the borders of the chunks fall elsewhere.
    in_chunks(kChunk, 0.5, 0.1, [&](Remesher& r) {
        r.collapse_short_edges();
        r.flip_edges();
        r.smooth();
        round(r);
    });
    in_chunks(kChunk, 0.37, 0.4, [&](Remesher& r) {
        r.smooth();
        round(r);
    });
    in_chunks(kChunk, 0.58, 0.7, [&](Remesher& r) {
        for (int pass = 0; pass < 3; ++pass) {
            r.even_out_neighbours();
            r.smooth();
            r.flip_edges();
            r.smooth();
        }
        r.smooth();
        r.flip_edges();
        r.mend_angles(35);
        r.flip_edges();
        r.mend_angles(35);
    });
    return draft;
}

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
    for (Index t = 0; t < n; ++t) {
        const Triangle c = draft.triangles[t];
        const auto& sides = original.sides_of_patch(draft.patch_of[t]);
        if (sides[0] != sides[1] || is_free[c[0]] == 0 || is_free[c[1]] == 0 || is_free[c[2]] == 0) continue;
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
    for (const DomainRegion& r : original.domain().regions) out.regions.push_back({r.name, r.kind});
    out.surface.points = std::move(draft.points);
    out.surface.triangles = std::move(draft.triangles);
    for (const Index patch : draft.patch_of) {
        out.surface.zone_of.push_back(original.zone_of_patch(patch));
        out.sides.push_back(original.sides_of_patch(patch));
    }
    return out;
}

}  // namespace

SurfaceMesh mesh_surface(const Domain& domain, const SizeField& sizes, const SurfaceMeshOptions& options,
                         const Context& context) {
    const ThreadLimit limit(context);
    auto original = std::make_unique<Original>(domain, options.feature_angle);
    std::optional<Domain> with_kept_edges;
    const surfmesh::ShapeLimits limits{options.deviation, options.tolerance > 0 ? options.tolerance : Box::inf};
    const auto& zones = domain.boundary.zones;
    const bool is_wrapped = std::any_of(zones.begin(), zones.end(), [](const Zone& z) { return z.is_wrapped; });
    const int first_to_keep_edges = is_wrapped ? kFirstToKeepEdgesOfWraps : kFirstToKeepEdges;
    FinerPlaces finer;
    std::size_t first_count = 0;
    for (int attempt = 0;; ++attempt) {
        const SizeField field =
            finer.places.empty() ? sizes
                                 : SizeField::smaller_of(sizes, size_field_of_places(finer.places, finer.sizes,
                                                                                     sizes.largest(), sizes.growth()));
        Draft draft = remesh(*original, field, options, limits, context);
        context.report("surface", "checks", 0.9);
        const surfmesh::Deviation deviation = surfmesh::measure_deviation(*original, draft, limits);
        if (options.curved) curve(draft, *original);
        if (attempt == 0) first_count = draft.triangles.size();
        const bool has_grown = draft.triangles.size() > kMostGrowth * first_count + kFewTriangles;
        const std::vector<Index> crossing = conflicts(draft);
        bool is_done = crossing.empty();
        if (attempt == 0 && !is_done) refuse_crossing(domain.boundary);
        // Crossings are worth more, but not without end either.
        const bool is_hopeless = draft.triangles.size() > 4 * (kMostGrowth * first_count + kFewTriangles);
        if ((attempt == kMostAttempts || is_hopeless) && !is_done) {
            refuse_crossing(domain.boundary);
            report_crossing(middle_of(draft.points, draft.triangles[crossing.front()]));
        }
        std::vector<RoughPlace> rough;
        for (const Index t : crossing) {
            const Vec3 p = middle_of(draft.points, draft.triangles[t]);
            if (attempt >= first_to_keep_edges)
                rough.push_back({box_round(draft, t), kCosOfPlane});
            else
                finer.add(p, field.at(p) / 2);
        }
        for (const auto& place : deviation.too_large) {
            if (attempt >= kMostRefinements || has_grown || place.distance <= kSlack * limits.at(place.size)) continue;
            is_done = false;
            const Vec3 margin = Vec3{1, 1, 1} * place.distance;
            if (attempt >= first_to_keep_edges)
                rough.push_back({{place.at - margin, place.at + margin}, kCosOfSlightBend});
            else
                finer.add(place.at, place.size * std::max(0.35, std::sqrt(limits.at(place.size) / place.distance)));
        }
        if (attempt < kMostAttemptsAtFlaws && !has_grown)
            for (const auto& flawed : surfmesh::flawed_triangles(*original, draft)) {
                if (flawed.is_forced) continue;
                is_done = false;
                if (attempt < kFinerAttemptsAtFlaws)
                    finer.add(flawed.flaw.place, field.at(flawed.flaw.place) / 2);
                else
                    rough.push_back({box_round(draft, flawed.triangle), kCosOfSlightBend});
            }
        if (!rough.empty()) {
            if (!with_kept_edges) with_kept_edges = domain;
            // More of the same would not make it better.
            is_done = !keep_edges(with_kept_edges->boundary, rough) && crossing.empty();
        }
        if (is_done) part_sides_of_baffles(draft, *original);
        if (is_done) return finished(std::move(draft), *original, deviation, limits);
        if (!rough.empty()) original = std::make_unique<Original>(*with_kept_edges, options.feature_angle);
    }
}

}  // namespace anvilcast
