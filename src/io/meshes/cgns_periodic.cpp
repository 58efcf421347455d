#include "io/meshes/cgns_periodic.hpp"

#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <cmath>

namespace anvilcast::io {
namespace {

std::array<float, 3> floats(const Vec3& v) {
    return {static_cast<float>(v.x), static_cast<float>(v.y), static_cast<float>(v.z)};
}

Vec3 middle_of(const VolumeMesh& mesh, std::size_t f) {
    Vec3 sum;
    for (const Index p : mesh.face(f)) sum += mesh.points[p];
    return sum / static_cast<double>(mesh.face(f).size());
}

const BoundaryZone* zone_called(const VolumeMesh& mesh, const std::string& name) {
    const auto at =
        std::find_if(mesh.zones.begin(), mesh.zones.end(), [&](const BoundaryZone& z) { return z.name == name; });
    return at == mesh.zones.end() ? nullptr : &*at;
}

}  // namespace

PeriodicValues periodic_values(const Placement& image) {
    PeriodicValues out;
    if (!image.is_turned()) {
        out.way = floats(image.origin);
        return out;
    }
    const Screw screw = screw_of(image);
    out.center = floats(screw.about);
    out.way = floats(screw.axis * screw.way);
    // The matrix is that of z after y after x.
    const auto& [x, y, z] = image.image;
    const double about_y = std::asin(std::clamp(-x.z, -1.0, 1.0));
    const bool is_upright = std::abs(x.z) < 1 - 1e-12;
    const double about_x = is_upright ? std::atan2(y.z, z.z) : std::atan2(-z.y, y.y);
    const double about_z = is_upright ? std::atan2(x.y, x.x) : 0;
    out.angle = floats({about_x, about_y, about_z});
    return out;
}

Placement placement_of(const PeriodicValues& values, double metres, double degrees) {
    const Vec3 about = Vec3{values.center[0], values.center[1], values.center[2]} * metres;
    Placement out;
    for (std::size_t k = 0; k < 3; ++k) {
        Vec3 axis;
        axis[static_cast<int>(k)] = 1;
        if (values.angle[k] != 0) out = after(out, Placement::turned(axis, values.angle[k] * degrees, about));
    }
    return after(out, Placement::moved(Vec3{values.way[0], values.way[1], values.way[2]} * metres));
}

std::vector<std::array<std::size_t, 2>> faces_of_pair(const VolumeMesh& mesh, const PeriodicPair& pair) {
    constexpr double kSame = 1e-7;  // of the extent
    const BoundaryZone *first = zone_called(mesh, pair.first), *second = zone_called(mesh, pair.second);
    std::vector<std::array<std::size_t, 2>> out;
    if (first == nullptr || second == nullptr) return out;
    std::vector<Vec3> middles;
    std::vector<Triangle> places;
    Box box;
    for (std::size_t i = 0; i < second->n_faces; ++i) {
        middles.push_back(middle_of(mesh, second->first_face + i));
        box.include(middles.back());
        const auto k = static_cast<Index>(i);
        places.push_back({k, k, k});
    }
    if (places.empty()) return out;
    const TriangleTree tree(middles, places);
    for (std::size_t f = first->first_face; f < first->first_face + first->n_faces; ++f)
        if (const auto near = tree.closest(pair.image(middle_of(mesh, f)), kSame * box.diagonal());
            near.triangle != kNone)
            out.push_back({f, second->first_face + near.triangle});
    return out;
}

}  // namespace anvilcast::io
