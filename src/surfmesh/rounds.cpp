// Curves are divided first; then edges that are too long are split, those too short collapsed, edges flipped and points
// moved, round after round, in chunks side by side whose borders fall elsewhere each time. Each round is a fixed number
// of passes that end by themselves. Where sizes became smaller afterwards, the curves' pieces there are divided further
// and the same rounds go over the triangles there and two rings round them; all points at their border are locked.

#include "surfmesh/rounds.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>

namespace anvilcast::surfmesh {
namespace {

/// Large enough that little is locked, small enough to share out.
constexpr std::size_t kChunk = 24000;
/// From so many triangles on splitting goes on side by side, once more than a few edges are of the longest: a coarse
/// triangle as large as a chunk would have all of its edges locked.
constexpr std::size_t kEnoughToShare = 40000, kFewEdges = 5000;
/// Sizes are smaller when they are by more than rounding and interpolation make of them.
constexpr double kSmaller = 0.97;
/// A belt of two rings lets edges of the old size meet those of the new one.
constexpr int kRings = 2;

/// A finer original is thinned out first; what is left of it is turned into triangles worth splitting.
void thin(Remesher& r) {
    for (int pass = 0; pass < 2; ++pass) {
        r.collapse_short_edges();
        r.flip_edges();
    }
}

void go_round(Remesher& r) {
    r.split_long_edges();
    r.collapse_short_edges();
    r.even_out_neighbours();
    r.smooth();
    r.flip_edges();
}

void first_round(Remesher& r) {
    r.collapse_short_edges();
    r.flip_edges();
    r.smooth();
    go_round(r);
}

void second_round(Remesher& r) {
    r.smooth();
    go_round(r);
}

void last_round(Remesher& r) {
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
}

/// Triangles at which sizes are smaller, with the belt round them; ascending.
std::vector<Index> finer_triangles(const Draft& draft, const SizeAt& before, const SizeAt& now) {
    std::vector<char> is_finer(draft.points.size(), 0);
    tbb::parallel_for(std::size_t{0}, draft.points.size(), [&](std::size_t p) {
        is_finer[p] = now(draft.points[p]) < kSmaller * before(draft.points[p]) ? 1 : 0;
    });
    auto is_at_one = [&](const Triangle& c) { return is_finer[c[0]] + is_finer[c[1]] + is_finer[c[2]] > 0; };
    for (int ring = 0; ring < kRings; ++ring) {
        std::vector<char> wider = is_finer;
        for (const Triangle& c : draft.triangles)
            if (is_at_one(c))
                for (const Index p : c) wider[p] = 1;
        is_finer = std::move(wider);
    }
    std::vector<Index> found;
    for (Index t = 0; t < draft.triangles.size(); ++t)
        if (is_at_one(draft.triangles[t])) found.push_back(t);
    return found;
}

}  // namespace

Meshed mesh_in_rounds(const Original& original, const SizeAt& size_at, const SurfaceMeshOptions& options,
                      const ShapeLimits& limits, const Context& context) {
    CurvePlaces places = divide_curves(original, size_at, options);
    Draft draft = make_draft(original, size_at);
    const std::size_t draft_size = draft.triangles.size();
    auto in_chunks = [&](std::size_t chunk, double cut, double done, const std::function<void(Remesher&)>& work) {
        context.report("surface", "remeshing", done);
        work_in_chunks(draft, original, size_at, limits, chunk, cut, [&](Remesher& r) {
            context.check_stop();
            work(r);
        });
    };
    auto in_one = [&](double done, const std::function<void(Remesher&)>& work) {
        in_chunks(std::numeric_limits<std::size_t>::max(), 0.5, done, work);
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
    in_chunks(kChunk, 0.5, 0.1, first_round);
    in_chunks(kChunk, 0.37, 0.4, second_round);
    in_chunks(kChunk, 0.58, 0.7, last_round);
    return {std::move(draft), std::move(places)};
}

Meshed mesh_finer(Meshed mesh, const Original& original, const SizeAt& before, const SizeAt& now,
                  const SurfaceMeshOptions& options, const ShapeLimits& limits, const Context& context) {
    Draft& draft = mesh.draft;
    std::vector<Index> finer = finer_triangles(draft, before, now);
    if (finer.size() > draft.triangles.size() / 2) return mesh_in_rounds(original, now, options, limits, context);
    for (const Index t : finer)
        for (const Index p : draft.triangles[t]) draft.size[p] = now(draft.points[p]);
    CurvePlaces places = divide_further(original, mesh.places, now, options);
    work_in_chunks(draft, original, now, limits, std::numeric_limits<std::size_t>::max(), 0.5,
                   [&](Remesher& r) { r.divide_curves_further(mesh.places, places); });
    mesh.places = std::move(places);
    auto in_chunks = [&](double cut, double done, const std::function<void(Remesher&)>& work) {
        context.report("surface", "remeshing where it is too far off", done);
        work_in_chunks(draft, finer_triangles(draft, before, now), original, now, limits, kChunk, cut,
                       [&](Remesher& r) {
                           context.check_stop();
                           work(r);
                       });
    };
    in_chunks(0.5, 0.1, [](Remesher& r) {
        r.split_long_edges();
        first_round(r);
    });
    in_chunks(0.37, 0.4, second_round);
    in_chunks(0.58, 0.7, last_round);
    return mesh;
}

}  // namespace anvilcast::surfmesh
