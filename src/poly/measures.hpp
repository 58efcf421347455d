// Measures of polyhedra while they are being made.
#pragma once

#include <array>
#include <span>

#include "mesh/cell_faces.hpp"

namespace anvilcast::poly {

inline Vec3 mean_of(const VolumeMesh& mesh, std::span<const Index> points) {
    const Vec3 first = mesh.points[points[0]];
    Vec3 sum{};
    for (const Index p : points) sum += mesh.points[p] - first;
    return first + sum / static_cast<double>(points.size());
}

/// Of a face, taken as triangles round the mean of its points.
struct FaceMeasure {
    Vec3 center;                ///< of its area
    std::array<float, 3> area;  ///< vector, twice; many are kept, and this much is enough for weights and directions

    Vec3 area_vector() const { return {area[0], area[1], area[2]}; }
};

inline FaceMeasure measure_face(const VolumeMesh& mesh, std::size_t face) {
    const auto p = mesh.face(face);
    const Vec3 mean = mean_of(mesh, p);
    Vec3 weighted{}, area{};
    double total = 0;
    Vec3 before = mesh.points[p.back()] - mean;
    for (const Index i : p) {
        const Vec3 here = mesh.points[i] - mean;
        const Vec3 n = cross(before, here);
        const double weight = length(n);
        area += n;
        weighted += (before + here) * weight;
        total += weight;
        before = here;
    }
    return {total > 0 ? mean + weighted / (3 * total) : mean,
            {static_cast<float>(area.x), static_cast<float>(area.y), static_cast<float>(area.z)}};
}

/// By the pyramids over its faces, whose measures are given.
template <typename Measure>
Vec3 centroid(const VolumeMesh& mesh, const CellFaces& faces, std::size_t cell, const Measure& measure) {
    const Vec3 origin = measure(faces.of(cell)[0]).center;
    Vec3 weighted{};
    double total = 0;
    for (const Index f : faces.of(cell)) {
        const FaceMeasure& m = measure(f);
        const Vec3 reach = m.center - origin;
        const double volume = (mesh.owner[f] == cell ? 1.0 : -1.0) * dot(reach, m.area_vector());
        total += volume;
        weighted += reach * volume;
    }
    return total > 0 ? origin + weighted * (0.75 / total) : origin;
}

}  // namespace anvilcast::poly
