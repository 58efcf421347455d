#include "surfmesh/deviation.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>

namespace anvilcast::surfmesh {
namespace {

constexpr std::size_t kBlock = 2048;

/// Measures items of a patch in blocks side by side; the blocks' results come together in order.
template <typename Measure>
void gather(std::size_t n, Deviation& out, const Measure& measure) {
    std::vector<Deviation> blocks((n + kBlock - 1) / kBlock);
    tbb::parallel_for(std::size_t{0}, blocks.size(), [&](std::size_t b) {
        for (std::size_t i = b * kBlock; i < std::min(n, (b + 1) * kBlock); ++i) measure(i, blocks[b]);
    });
    for (const Deviation& block : blocks) {
        if (block.largest > out.largest) {
            out.largest = block.largest;
            out.at = block.at;
        }
        out.too_large.insert(out.too_large.end(), block.too_large.begin(), block.too_large.end());
    }
}

/// Who asks for the shape: of a patch that closes an opening nobody, of the outer end of a flow only so far as its size
/// tells.
enum class Shape : unsigned char { given, outer, free };

void note(Deviation& d, const Vec3& at, double distance, double size, const ShapeLimits& limits, Shape shape) {
    if (shape == Shape::free) return;
    if (distance > d.largest && shape == Shape::given) {
        d.largest = distance;
        d.at = at;
    }
    if (distance > limits.at(size)) d.too_large.push_back({at, distance, size});
}

}  // namespace

Deviation measure_deviation(const Original& original, const Draft& mesh, const ShapeLimits& limits) {
    Deviation out;
    auto shape_of = [&](Index patch) {
        const Zone& zone = original.surface().zones[original.zone_of_patch(patch)];
        return zone.is_patch ? Shape::free : zone.is_of_surround ? Shape::outer : Shape::given;
    };
    gather(mesh.triangles.size(), out, [&](std::size_t t, Deviation& d) {
        const Triangle& c = mesh.triangles[t];
        const Vec3 &p = mesh.points[c[0]], &q = mesh.points[c[1]], &r = mesh.points[c[2]];
        const double size = (mesh.size[c[0]] + mesh.size[c[1]] + mesh.size[c[2]]) / 3;
        auto look_at = [&](const Vec3& at) {
            // Nearly all are near: the search is short when it need not look farther.
            double off = original.distance(mesh.patch_of[t], at, limits.at(size));
            if (!(off < Box::inf)) off = original.distance(mesh.patch_of[t], at);
            note(d, at, off, size, limits, shape_of(mesh.patch_of[t]));
        };
        look_at((p + q + r) / 3.0);
        // Of the two triangles at an edge one is enough; a feature edge belongs to several patches.
        for (std::size_t k = 0; k < 3; ++k)
            if (c[k] < c[(k + 1) % 3] || (mesh.feature_sides[t] >> k & 1U) != 0)
                look_at(midpoint(mesh.points[c[k]], mesh.points[c[(k + 1) % 3]]));
    });

    std::vector<std::vector<Index>> of_patch(original.features().n_patches);
    for (Index t = 0; t < mesh.triangles.size(); ++t) of_patch[mesh.patch_of[t]].push_back(t);
    const Surface& s = original.surface();
    for (Index patch = 0; patch < of_patch.size(); ++patch) {
        std::vector<Triangle> triangles;
        for (const Index t : of_patch[patch]) triangles.push_back(mesh.triangles[t]);
        const TriangleTree tree(mesh.points, triangles);
        const std::vector<Index>& list = original.triangles_of(patch);
        std::vector<Index> corners;
        for (const Index t : list) corners.insert(corners.end(), s.triangles[t].begin(), s.triangles[t].end());
        std::sort(corners.begin(), corners.end());
        corners.erase(std::unique(corners.begin(), corners.end()), corners.end());
        auto look_at = [&](const Vec3& at, Deviation& d) {
            const auto hit = tree.closest(at);
            if (hit.triangle == kNone) return;
            const Triangle& near = triangles[hit.triangle];
            note(d, at, hit.distance, (mesh.size[near[0]] + mesh.size[near[1]] + mesh.size[near[2]]) / 3, limits,
                 shape_of(patch));
        };
        gather(corners.size(), out, [&](std::size_t i, Deviation& d) { look_at(s.points[corners[i]], d); });
        gather(list.size(), out, [&](std::size_t i, Deviation& d) {
            const Index t = list[i];
            look_at((s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0, d);
        });
    }
    return out;
}

}  // namespace anvilcast::surfmesh
