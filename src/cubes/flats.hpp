// Where cubes stand on the boundary: its flat places in the sides of its box.
#pragma once

#include <anvilcast/surface_mesh.hpp>
#include <array>
#include <vector>

namespace anvilcast::cubes {

class Flats {
  public:
    /// `may_carry`: of each triangle; empty: of none. O(n log n).
    Flats(const SurfaceMesh& boundary, const std::vector<char>& may_carry);

    /// Is there one in that side of the box? Sides are across x, y and z, the lower one first.
    bool is_on(std::size_t side) const { return is_on_[side]; }
    double place_of(std::size_t side) const { return place_of_[side]; }
    /// Of each triangle of the boundary: triangles of one zone and region that are connected; kNone for the others.
    const std::vector<Index>& patch_of() const { return patch_of_; }
    /// The other triangles, and the borders of patches as triangles with two corners in one place.
    const std::vector<Triangle>& rest() const { return rest_; }
    /// kNone for a border.
    Index triangle_of_rest(Index k) const { return k < triangle_of_rest_.size() ? triangle_of_rest_[k] : kNone; }

  private:
    void find_sides(const SurfaceMesh& boundary, const std::vector<char>& may_carry);
    void find_patches(const SurfaceMesh& boundary);

    std::array<bool, 6> is_on_{};
    std::array<double, 6> place_of_{};
    std::vector<Index> side_of_;  ///< of each triangle: of the box; kNone
    std::vector<Index> patch_of_;
    std::vector<Triangle> rest_;
    std::vector<Index> triangle_of_rest_;
};

}  // namespace anvilcast::cubes
