#include "quality/measures.hpp"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

namespace anvilcast::quality {
namespace {

void measure_face(const VolumeMesh& mesh, std::size_t f, Vec3& center, Vec3& area) {
    const std::span<const Index> p = mesh.face(f);
    Vec3 mean;
    for (const Index i : p) mean += mesh.points[i] / static_cast<double>(p.size());
    if (p.size() == 3) {
        area = 0.5 * triangle_normal(mesh.points[p[0]], mesh.points[p[1]], mesh.points[p[2]]);
        center = mean;
        return;
    }
    // A polygon is taken as triangles round its mean point.
    Vec3 sum, weighted;
    double total = 0;
    for (std::size_t k = 0; k < p.size(); ++k) {
        const Vec3 &a = mesh.points[p[k]], &b = mesh.points[p[(k + 1) % p.size()]];
        const Vec3 n = 0.5 * triangle_normal(mean, a, b);
        sum += n;
        total += length(n);
        weighted += (mean + a + b) * (length(n) / 3);
    }
    area = sum;
    center = total > 0 ? weighted / total : mean;
}

/// Where the triangles of a face meet that its area is measured by.
Vec3 apex_of(const VolumeMesh& mesh, const Measures& m, Index f) {
    const std::span<const Index> p = mesh.face(f);
    if (p.size() == 3) return m.face_center[f];
    Vec3 mean;
    for (const Index i : p) mean += mesh.points[i] / static_cast<double>(p.size());
    return mean;
}

/// Volume and centroid from the pyramids over the cell's faces; the volume is that within the faces' triangles.
void measure_cell(const VolumeMesh& mesh, const Measures& m, std::size_t cell, Vec3& center, double& volume) {
    const auto faces = m.faces_of(cell);
    Vec3 inner;
    for (const Index f : faces) inner += m.face_center[f] / static_cast<double>(faces.size());
    double sum = 0;
    Vec3 weighted;
    for (const Index f : faces) {
        const double sense = mesh.owner[f] == cell ? 1.0 : -1.0;
        const double pyramid = sense * dot(apex_of(mesh, m, f) - inner, m.face_area[f]) / 3;
        sum += pyramid;
        weighted += pyramid * (0.75 * m.face_center[f] + 0.25 * inner);
    }
    volume = sum;
    center = sum > 0 ? weighted / sum : inner;
}

}  // namespace

Measures measure(const VolumeMesh& mesh) {
    Measures m;
    const std::size_t n_faces = mesh.n_faces(), n_cells = mesh.n_cells();
    m.first.assign(n_cells + 1, 0);
    for (const Index c : mesh.owner) ++m.first[c + 1];
    for (const Index c : mesh.neighbour) ++m.first[c + 1];
    for (std::size_t c = 0; c < n_cells; ++c) m.first[c + 1] += m.first[c];
    m.faces.resize(m.first.back());
    std::vector<std::size_t> fill(m.first.begin(), m.first.end() - 1);
    for (Index f = 0; f < n_faces; ++f) {
        m.faces[fill[mesh.owner[f]]++] = f;
        if (f < mesh.n_inner_faces()) m.faces[fill[mesh.neighbour[f]]++] = f;
    }
    m.face_center.resize(n_faces);
    m.face_area.resize(n_faces);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n_faces, 4096), [&](const auto& range) {
        for (std::size_t f = range.begin(); f < range.end(); ++f)
            measure_face(mesh, f, m.face_center[f], m.face_area[f]);
    });
    m.cell_center.resize(n_cells);
    m.cell_volume.resize(n_cells);
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, n_cells, 4096), [&](const auto& range) {
        for (std::size_t c = range.begin(); c < range.end(); ++c)
            measure_cell(mesh, m, c, m.cell_center[c], m.cell_volume[c]);
    });
    return m;
}

}  // namespace anvilcast::quality
