// Rims, and among them cracks: free edges that run along each other within the tolerance.

#include <anvilcast/weld.hpp>

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>

#include "base/disjoint_sets.hpp"
#include "surface/findings.hpp"
#include "surface/rims.hpp"
#include "surface/seam_search.hpp"

namespace anvilcast::health {
namespace {

constexpr double kFlatness = 0.01;    // of a rim's extent
constexpr double kCrackShare = 0.95;  // of a rim's length that makes it a crack as a whole

bool is_flat(const Surface& s, const Rim& rim, double extent, double tolerance) {
    Vec3 normal;
    const Vec3& origin = s.points[rim.points.front()];
    for (std::size_t i = 1; i + 1 < rim.points.size(); ++i)
        normal += cross(s.points[rim.points[i]] - origin, s.points[rim.points[i + 1]] - origin);
    normal = normalized(normal);
    return std::all_of(rim.points.begin(), rim.points.end(), [&](Index p) {
        return std::abs(dot(s.points[p] - rim.center, normal)) <= std::max(tolerance, kFlatness * extent);
    });
}

/// For each free edge the widest gap to those beside it; negative when it is no part of a crack.
std::vector<double> crack_gaps(const Findings& f, const SeamSearch& search, DisjointSets& cracks) {
    const auto& free_edges = search.free_edges();
    std::vector<double> gap(free_edges.size(), -1);
    std::vector<std::array<Index, 3>> partners(free_edges.size());
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(free_edges.size()), 256), [&](const auto& range) {
        for (Index e = range.begin(); e < range.end(); ++e) {
            const Vec3 &a = f.surface.points[free_edges[e].from], &b = f.surface.points[free_edges[e].to];
            double widest = 0;
            for (std::size_t i = 0; i < 3 && widest >= 0; ++i) {
                const Vec3 place = a + (b - a) * (0.25 * static_cast<double>(i + 1));
                const auto foot = search.closest_beside(e, place, f.tolerance);
                partners[e][i] = foot.edge;
                widest = foot.edge == kNone ? -1 : std::max(widest, foot.distance);
            }
            gap[e] = widest;
        }
    });
    for (Index e = 0; e < free_edges.size(); ++e)
        if (gap[e] >= 0)
            for (const Index partner : partners[e]) cracks.join(e, partner);
    return gap;
}

void find_cracks(Findings& f, const SeamSearch& search, const std::vector<double>& gap, DisjointSets& cracks) {
    const auto& free_edges = search.free_edges();
    // Neighbours along a rim are one crack.
    std::vector<Index> at_point(f.surface.points.size(), kNone);
    for (Index e = 0; e < free_edges.size(); ++e) {
        if (gap[e] < 0) continue;
        for (const Index p : {free_edges[e].from, free_edges[e].to}) {
            f.at_seam[p] = true;
            if (at_point[p] == kNone) at_point[p] = e;
            cracks.join(at_point[p], e);
        }
    }
    std::vector<Index> worst(free_edges.size(), kNone);
    for (Index e = 0; e < free_edges.size(); ++e) {
        if (gap[e] < 0) continue;
        Index& w = worst[cracks.find(e)];
        if (w == kNone || gap[e] > gap[w]) w = e;
    }
    for (const Index e : worst)
        if (e != kNone)
            f.add(DefectKind::crack,
                  {midpoint(f.surface.points[free_edges[e].from], f.surface.points[free_edges[e].to]),
                   gap[e],
                   {free_edges[e].triangle, kNone}});
}

void find_t_junctions(Findings& f, const SeamSearch& search) {
    const auto& free_edges = search.free_edges();
    std::vector<SeamSearch::Foot> feet(free_edges.size());
    tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(free_edges.size()), 256), [&](const auto& range) {
        for (Index e = range.begin(); e < range.end(); ++e)
            feet[e] = search.closest_under(free_edges[e].from, f.tolerance);
    });
    std::vector<bool> seen(f.surface.points.size(), false);
    for (Index e = 0; e < free_edges.size(); ++e) {
        const auto& edge = free_edges[e];
        const auto& foot = feet[e];
        if (foot.edge == kNone || seen[edge.from]) continue;
        seen[edge.from] = true;
        const auto& other = search.free_edges()[foot.edge];
        for (const Index p : {edge.from, other.from, other.to}) f.at_seam[p] = true;
        f.add(DefectKind::t_junction, {f.surface.points[edge.from], foot.distance, {edge.triangle, other.triangle}});
    }
}

void list_rims(Findings& f, const SeamSearch& search, const std::vector<double>& gap) {
    const Surface& s = f.surface;
    auto ordered = [](Index a, Index b) { return a < b ? Edge{a, b} : Edge{b, a}; };
    std::vector<Edge> seam;
    for (Index e = 0; e < gap.size(); ++e)
        if (gap[e] >= 0) seam.push_back(ordered(search.free_edges()[e].from, search.free_edges()[e].to));
    std::sort(seam.begin(), seam.end());
    std::vector<Rim> open_rims, rims = rims_of(s, f.edges, f.orientation.turn, &open_rims);
    const std::size_t n_loops = rims.size();
    std::move(open_rims.begin(), open_rims.end(), std::back_inserter(rims));
    for (std::size_t r = 0; r < rims.size(); ++r) {
        Rim& rim = rims[r];
        RimMeasure m;
        m.is_loop = r < n_loops;
        double along_seam = 0;
        for (std::size_t i = 0; i < rim.points.size(); ++i) {
            const Index a = rim.points[i], b = rim.points[(i + 1) % rim.points.size()];
            m.bounds.include(s.points[a]);
            if (std::binary_search(seam.begin(), seam.end(), ordered(a, b)))
                along_seam += distance(s.points[a], s.points[b]);
        }
        m.is_crack = along_seam >= kCrackShare * rim.length;
        m.is_flat = is_flat(s, rim, m.bounds.diagonal(), f.tolerance);
        if (!m.is_crack) f.add(DefectKind::rim, {rim.center, rim.length, {}});
        m.rim = std::move(rim);
        f.health.rims.push_back(std::move(m));
    }
    std::stable_sort(f.health.rims.begin(), f.health.rims.end(),
                     [](const RimMeasure& a, const RimMeasure& b) { return a.rim.length > b.rim.length; });
}

}  // namespace

void find_seams(Findings& f) {
    f.at_seam.assign(f.surface.points.size(), false);
    const SeamSearch search(f.surface, f.edges);
    if (search.free_edges().empty()) return;
    DisjointSets cracks(search.free_edges().size());
    const std::vector<double> gap = crack_gaps(f, search, cracks);
    find_cracks(f, search, gap, cracks);
    find_t_junctions(f, search);
    list_rims(f, search, gap);
}

}  // namespace anvilcast::health
