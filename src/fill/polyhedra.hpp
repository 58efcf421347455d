// Measures of polyhedra while they are being made.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <numeric>
#include <span>
#include <vector>

namespace anvilcast::fill {

/// The faces of each cell.
class CellFaces {
  public:
    explicit CellFaces(const VolumeMesh& mesh) : first_(mesh.n_cells() + 1, 0) {
        for (const Index c : mesh.owner) ++first_[c + 1];
        for (const Index c : mesh.neighbour) ++first_[c + 1];
        std::partial_sum(first_.begin(), first_.end(), first_.begin());
        faces_.resize(first_.back());
        std::vector<Index> at(first_.begin(), first_.end() - 1);
        for (Index f = 0; f < mesh.n_faces(); ++f) {
            faces_[at[mesh.owner[f]]++] = f;
            if (f < mesh.n_inner_faces()) faces_[at[mesh.neighbour[f]]++] = f;
        }
    }
    std::span<const Index> of(std::size_t cell) const {
        return {faces_.data() + first_[cell], first_[cell + 1] - first_[cell]};
    }

  private:
    std::vector<Index> first_, faces_;
};

inline Vec3 mean_of(const VolumeMesh& mesh, std::span<const Index> points) {
    const Vec3 first = mesh.points[points[0]];
    Vec3 sum{};
    for (const Index p : points) sum += mesh.points[p] - first;
    return first + sum / static_cast<double>(points.size());
}

/// With each face as triangles round the mean of its points, which face_mean(face) gives.
template <typename FaceMean>
Vec3 centroid(const VolumeMesh& mesh, const CellFaces& faces, std::size_t cell, const FaceMean& face_mean) {
    const Vec3 origin = face_mean(faces.of(cell)[0]);
    Vec3 weighted{};
    double total = 0;
    for (const Index f : faces.of(cell)) {
        const Vec3 top = face_mean(f) - origin;
        const double sense = mesh.owner[f] == cell ? 1.0 : -1.0;
        const auto p = mesh.face(f);
        Vec3 before = mesh.points[p.back()] - origin;
        for (const Index i : p) {
            const Vec3 here = mesh.points[i] - origin;
            const double volume = sense * dot(top, cross(before, here));
            total += volume;
            weighted += (top + before + here) * volume;
            before = here;
        }
    }
    return total > 0 ? origin + weighted / (4 * total) : origin;
}

}  // namespace anvilcast::fill
