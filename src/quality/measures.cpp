#include "quality/measures.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

namespace anvilcast::quality {
namespace {

/// A tetrahedron by its corners.
Measures::Cell measure_tetrahedron(const VolumeMesh& mesh, std::size_t cell) {
    const auto p = mesh.cell(cell);
    const Vec3 &a = mesh.points[p[0]], &b = mesh.points[p[1]], &c = mesh.points[p[2]], &d = mesh.points[p[3]];
    return {0.25 * (a + b + c + d), tetrahedron_volume(a, b, c, d)};
}

/// Volume and centroid from the pyramids over the cell's faces; the volume is that within the faces' triangles.
Measures::Cell measure_cell(const VolumeMesh& mesh, const CellFaces& cell_faces, std::size_t cell) {
    const auto faces = cell_faces.of(cell);
    // Any place will do; one near by keeps the rounding small.
    const Vec3 inner = faces.empty() ? Vec3{} : mesh.points[mesh.face(faces[0])[0]];
    double sum = 0;
    Vec3 weighted, mean;
    for (const Index f : faces) {
        const FaceMeasure m = measure_face(mesh, f);
        const double sense = mesh.owner[f] == cell ? 1.0 : -1.0;
        const double pyramid = sense * dot(m.apex - inner, m.area) / 3;
        sum += pyramid;
        weighted += pyramid * (0.75 * (m.center - inner));
        mean += m.center / static_cast<double>(faces.size());
    }
    return {sum > 0 ? inner + weighted / sum : mean, sum};
}

/// Of a plane mesh: the triangles that a cell's polygon is taken as, from its first corner.
Measures::Cell measure_plane_cell(const VolumeMesh& mesh, std::size_t cell) {
    const auto corners = mesh.cell(cell);
    const std::size_t n = corners.size() / 2;
    const Vec3& a = mesh.points[corners[0]];
    double twice = 0, x = 0, y = 0;
    for (std::size_t k = 2; k < n; ++k) {
        const Vec3 u = mesh.points[corners[k - 1]] - a, v = mesh.points[corners[k]] - a;
        const double part = u.x * v.y - u.y * v.x;
        twice += part;
        x += part * (u.x + v.x) / 3;
        y += part * (u.y + v.y) / 3;
    }
    const double middle = 0.5 * mesh.plane_depth;
    if (!(twice > 0)) return {{a.x, a.y, middle}, 0.5 * twice * mesh.plane_depth};
    return {{a.x + x / twice, a.y + y / twice, middle}, 0.5 * twice * mesh.plane_depth};
}

/// The strip over an edge of a plane mesh.
FaceMeasure measure_plane_edge(const VolumeMesh& mesh, std::size_t f) {
    const std::span<const Index> p = mesh.face(f);
    const Vec3 &a = mesh.points[p[0]], &c = mesh.points[p[2]], &b = mesh.points[p[1]];
    const Vec3 middle = 0.5 * (a + c);
    return {cross(b - a, c - b), middle, middle};
}

}  // namespace

FaceMeasure measure_face(const VolumeMesh& mesh, std::size_t f) {
    if (mesh.is_plane() && f < mesh.n_faces() - 2 * mesh.n_cells()) return measure_plane_edge(mesh, f);
    const std::span<const Index> p = mesh.face(f);
    if (p.size() == 3) {
        const Vec3 &a = mesh.points[p[0]], &b = mesh.points[p[1]], &c = mesh.points[p[2]];
        const Vec3 mean = (a + b + c) * (1.0 / 3);
        return {0.5 * triangle_normal(a, b, c), mean, mean};
    }
    Vec3 mean, sum, weighted;
    for (const Index i : p) mean += mesh.points[i] / static_cast<double>(p.size());
    double total = 0;
    for (std::size_t k = 0; k < p.size(); ++k) {
        const Vec3 &a = mesh.points[p[k]], &b = mesh.points[p[(k + 1) % p.size()]];
        const Vec3 n = 0.5 * triangle_normal(mean, a, b);
        sum += n;
        total += length(n);
        weighted += (mean + a + b) * (length(n) / 3);
    }
    return {sum, total > 0 ? weighted / total : mean, mean};
}

Measures::Measures(const VolumeMesh& mesh) : faces(mesh), cell(mesh.n_cells()) {
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, mesh.n_cells(), 4096), [&](const auto& range) {
        for (std::size_t c = range.begin(); c < range.end(); ++c)
            cell[c] = mesh.is_plane()                               ? measure_plane_cell(mesh, c)
                      : mesh.cell_types[c] == CellType::tetrahedron ? measure_tetrahedron(mesh, c)
                                                                    : measure_cell(mesh, faces, c);
    });
}

}  // namespace anvilcast::quality
