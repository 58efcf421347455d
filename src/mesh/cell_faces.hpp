// The faces of each cell of a mesh.
#pragma once

#include <anvilcast/volume_mesh.hpp>

#include <numeric>
#include <span>
#include <vector>

namespace anvilcast {

/// Ascending. O(n).
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

}  // namespace anvilcast
