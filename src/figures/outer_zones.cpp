#include "figures/outer_zones.hpp"

#include <cmath>

namespace anvilcast::figures {
namespace {

/// Of the mesh's diagonal: a zone that reaches so far is no detail, and a body that is larger is seen anyway.
constexpr double kReach = 0.4;
/// Of its box a ball fills 0.52, a half ball 0.52, a bullet more; walls of channels and vessels mostly fill less, and
/// what stands in a vessel that fills more is worth looking at too.
constexpr double kFilled = 0.45;

Box box_of(const VolumeMesh& mesh, const BoundaryZone& zone) {
    Box box;
    for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f)
        for (const Index p : mesh.face(f)) box.include(mesh.points[p]);
    return box;
}

/// Does all of a zone lie on one side of the box round the whole?
bool is_on_side(const Box& zone, const Box& all) {
    const double off = 1e-6 * all.diagonal();
    for (int axis = 0; axis < 3; ++axis)
        for (const Vec3* end : {&all.lo, &all.hi})
            if (std::abs(zone.lo[axis] - (*end)[axis]) <= off && std::abs(zone.hi[axis] - (*end)[axis]) <= off)
                return true;
    return false;
}

/// What the zone adds to the volume that is enclosed, seen from a place, by the divergence theorem.
double volume_under(const VolumeMesh& mesh, const BoundaryZone& zone, const Vec3& from) {
    double sum = 0;
    for (std::size_t f = zone.first_face; f < zone.first_face + zone.n_faces; ++f) {
        const auto p = mesh.face(f);
        for (std::size_t k = 2; k < p.size(); ++k)
            sum += tetrahedron_volume(from, mesh.points[p[0]], mesh.points[p[k - 1]], mesh.points[p[k]]);
    }
    return std::abs(sum);
}

}  // namespace

std::optional<BodyWithin> body_within(const VolumeMesh& mesh) {
    Box all;
    for (const Vec3& p : mesh.points) all.include(p);
    BodyWithin out;
    double enclosed = 0;
    for (const BoundaryZone& zone : mesh.zones) {
        const Box box = box_of(mesh, zone);
        const bool has_two_sides =
            zone.role == Role::interface_ || zone.role == Role::baffle || is_within_region(zone.role);
        const bool is_outer = !has_two_sides && (is_on_side(box, all) || box.diagonal() > kReach * all.diagonal());
        out.is_outer.push_back(is_outer ? 1 : 0);
        if (is_outer)
            enclosed += volume_under(mesh, zone, all.center());
        else
            out.body.include(box);
    }
    const Vec3 e = all.extent();
    if (out.body.is_empty() || out.body.diagonal() > kReach * all.diagonal()) return {};
    if (enclosed < kFilled * e.x * e.y * e.z) return {};
    return out;
}

}  // namespace anvilcast::figures
