#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "sizing/wall_sizes.hpp"

namespace anvilcast::sizing {
namespace {

/// A wall counts as opposite when the line of sight meets it at less than about 70 degrees from its normal.
constexpr double kLeastFacing = 0.35;
/// A piece of wall may be this many gaps, or sizes, large.
constexpr double kPiece = 1.5;
constexpr int kDeepest = 16;

class GapFinder {
  public:
    GapFinder(const Domain& domain, const TriangleTree& tree, const GapOptions& options)
        : domain_(domain), tree_(tree), options_(options), start_(1e-9 * tree.bounds().diagonal()) {
        for (Index t = 0; t < domain.boundary.triangles.size(); ++t) {
            const Surface& s = domain.boundary;
            normals_.push_back(normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2))));
        }
    }

    const Vec3& normal(Index t) const { return normals_[t]; }

    /// Distance to the wall opposite along a direction, infinite when there is none within reach.
    double gap(const Vec3& from, const Vec3& direction) const {
        const auto hit = tree_.first_hit(from, direction, start_, options_.across * options_.surface);
        if (hit.triangle == kNone || std::abs(dot(normals_[hit.triangle], direction)) < kLeastFacing) return Box::inf;
        return hit.t;
    }
    double size_for(double gap) const { return std::max(gap / options_.across, options_.floor); }

    /// Divides the triangle while a piece is larger than the gap below it.
    void add_faces(Index t, const std::array<Vec3, 3>& c, int depth, std::vector<GapPiece>& out) const {
        const Vec3 middle = (c[0] + c[1] + c[2]) / 3.0;
        double found = Box::inf;
        const auto& [front, behind] = domain_.sides[t];
        if (front != kNone) found = std::min(found, gap(middle, normals_[t]));
        if (behind != kNone) found = std::min(found, gap(middle, -normals_[t]));
        const double size = size_for(found);
        std::size_t longest = 0;
        auto side = [&](std::size_t k) { return distance(c[k], c[(k + 1) % 3]); };
        for (std::size_t k = 1; k < 3; ++k)
            if (side(k) > side(longest)) longest = k;
        const double fit = kPiece * std::min(std::max(found, options_.floor), 2 * options_.surface);
        if (side(longest) > fit && depth < 2 * kDeepest) {
            const Vec3 half = midpoint(c[longest], c[(longest + 1) % 3]), &tip = c[(longest + 2) % 3];
            add_faces(t, {c[longest], half, tip}, depth + 1, out);
            add_faces(t, {half, c[(longest + 1) % 3], tip}, depth + 1, out);
            return;
        }
        if (size < options_.surface) out.push_back({c, size});
    }

    void add_edge(const Vec3& a, const Vec3& b, const std::vector<Vec3>& directions, int depth,
                  std::vector<GapPiece>& out) const {
        double found = Box::inf;
        for (const Vec3& d : directions) found = std::min(found, gap(midpoint(a, b), d));
        const double fit = kPiece * std::min(std::max(found, options_.floor), 2 * options_.surface);
        if (distance(a, b) > fit && depth < kDeepest) {
            add_edge(a, midpoint(a, b), directions, depth + 1, out);
            add_edge(midpoint(a, b), b, directions, depth + 1, out);
            return;
        }
        if (size_for(found) < options_.surface) out.push_back({{a, b, b}, size_for(found)});
    }

  private:
    const Domain& domain_;
    const TriangleTree& tree_;
    const GapOptions& options_;
    double start_;
    std::vector<Vec3> normals_;
};

/// Runs f(i, list) for all i side by side; the lists of blocks come together in order.
template <typename F>
std::vector<GapPiece> gathered(std::size_t n, std::size_t block, const Context& context, const F& f) {
    std::vector<std::vector<GapPiece>> lists((n + block - 1) / block);
    tbb::parallel_for(std::size_t{0}, lists.size(), [&](std::size_t k) {
        context.check_stop();
        for (std::size_t i = k * block; i < std::min(n, (k + 1) * block); ++i) f(i, lists[k]);
    });
    std::vector<GapPiece> all;
    for (const auto& list : lists) all.insert(all.end(), list.begin(), list.end());
    return all;
}

/// Into each region at an edge: the middle between the normals that point into it, and 45 degrees to either side.
std::vector<std::vector<Vec3>> directions_at(const Domain& domain, const GapFinder& finder, const Features& features) {
    const SurfaceEdges edges(domain.boundary.triangles, domain.boundary.points.size());
    std::vector<std::vector<Vec3>> of_edge(features.edges.size());
    for (std::size_t e = 0; e < edges.size(); ++e) {
        const auto found = std::lower_bound(features.edges.begin(), features.edges.end(), edges.ends(e));
        if (found == features.edges.end() || *found != edges.ends(e)) continue;
        auto& directions = of_edge[static_cast<std::size_t>(found - features.edges.begin())];
        std::map<Index, Vec3> into;
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use) {
            const auto& [front, behind] = domain.sides[use->triangle];
            if (front != kNone) into[front] += finder.normal(use->triangle);
            if (behind != kNone) into[behind] -= finder.normal(use->triangle);
        }
        const Vec3 along =
            normalized(domain.boundary.points[edges.ends(e)[1]] - domain.boundary.points[edges.ends(e)[0]]);
        for (const auto& [region, sum] : into) {
            if (!(length(sum) > 1e-6)) continue;
            const Vec3 middle = normalized(sum), aside = cross(along, middle);
            directions.push_back(middle);
            directions.push_back(normalized(middle + aside));
            directions.push_back(normalized(middle - aside));
        }
    }
    return of_edge;
}

}  // namespace

std::vector<GapPiece> find_gaps(const Domain& domain, const TriangleTree& tree, const Features& features,
                                const GapOptions& options, const Context& context) {
    const GapFinder finder(domain, tree, options);
    const Surface& s = domain.boundary;
    std::vector<GapPiece> pieces = gathered(s.triangles.size(), 64, context, [&](std::size_t i, auto& out) {
        const auto t = static_cast<Index>(i);
        finder.add_faces(t, {s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)}, 0, out);
    });
    const auto directions = directions_at(domain, finder, features);
    const std::vector<GapPiece> of_edges = gathered(features.edges.size(), 64, context, [&](std::size_t e, auto& out) {
        finder.add_edge(s.points[features.edges[e][0]], s.points[features.edges[e][1]], directions[e], 0, out);
    });
    pieces.insert(pieces.end(), of_edges.begin(), of_edges.end());
    return pieces;
}

}  // namespace anvilcast::sizing
