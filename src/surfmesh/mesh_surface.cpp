// Remeshing, round after round: split what is too long, collapse what is too short, flip towards larger angles,
// smooth. Where the result crosses itself (a gap narrower than the chord error of its walls), the sizes are halved
// there and the patch is meshed again.

#include <anvilcast/surface_mesh.hpp>
#include <anvilcast/triangle_intersection.hpp>

#include <fmt/format.h>

#include <algorithm>

#include "base/thread_limit.hpp"
#include "surfmesh/remesher.hpp"

namespace anvilcast {
namespace {

constexpr int kMaxRefinements = 4;

struct FinerBall {
    Vec3 center;
    double radius;
    double size;
};

SurfaceMesh remesh(const Domain& domain, const surfmesh::Patches& patches, const SizeField& sizes,
                   const std::vector<FinerBall>& finer, const SurfaceMeshOptions& options, const Context& context) {
    auto size_at = [&](const Vec3& p) {
        double h = sizes.at(p);
        for (const FinerBall& ball : finer)
            h = std::min(h, ball.size + (sizes.growth() - 1) * std::max(0.0, distance(p, ball.center) - ball.radius));
        return h;
    };
    surfmesh::Remesher mesh(domain, patches, size_at, options.deviation);
    for (int round = 0; round < options.rounds; ++round) {
        context.report("surface", "remeshing", static_cast<double>(round) / options.rounds);
        mesh.split_long_edges();
        mesh.collapse_short_edges();
        mesh.flip_edges();
        mesh.smooth();
        mesh.flip_edges();
    }
    mesh.smooth();
    mesh.flip_edges();
    return mesh.result(domain);
}

Vec3 middle_of(const Surface& s, Index t) { return (s.corner(t, 0) + s.corner(t, 1) + s.corner(t, 2)) / 3.0; }

[[noreturn]] void report_crossings(const Domain& domain, const SurfaceMesh& mesh, const std::array<Index, 2>& pair) {
    const Surface& original = domain.boundary;
    const auto own = find_self_intersections(original.points, original.triangles);
    if (!own.empty()) {
        const Vec3 p = middle_of(original, own.front()[0]);
        throw GeometryError(
            fmt::format("the surface crosses itself at {} place(s), the first near [{:.6g}, {:.6g}, {:.6g}] m "
                        "(zone \"{}\"); mend it there",
                        own.size(), p.x, p.y, p.z, original.zones[original.zone_of[own.front()[0]]].name));
    }
    const Vec3 p = middle_of(mesh.surface, pair[0]);
    throw FailureError(
        fmt::format("the surface mesh crosses itself near [{:.6g}, {:.6g}, {:.6g}] m, where two walls are much "
                    "closer than the size; ask for a smaller surface size",
                    p.x, p.y, p.z));
}

}  // namespace

SurfaceMesh mesh_surface(const Domain& domain, const SizeField& sizes, const SurfaceMeshOptions& options,
                         const Context& context) {
    const ThreadLimit limit(context);
    const surfmesh::Patches patches = surfmesh::find_patches(domain, options.feature_angle);
    std::vector<FinerBall> finer;
    for (int attempt = 0;; ++attempt) {
        SurfaceMesh mesh = remesh(domain, patches, sizes, finer, options, context);
        const auto crossings = find_self_intersections(mesh.surface.points, mesh.surface.triangles);
        if (crossings.empty()) return mesh;
        if (attempt == kMaxRefinements) report_crossings(domain, mesh, crossings.front());
        for (const auto& pair : crossings) {
            const Vec3 p = middle_of(mesh.surface, pair[0]);
            const double h = sizes.at(p);
            finer.push_back({p, h, h / (2 << attempt)});
        }
    }
}

}  // namespace anvilcast
