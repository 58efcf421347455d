// The axes that cubes stand along.
#pragma once

#include <anvilcast/surface_mesh.hpp>
#include <array>
#include <vector>

namespace anvilcast::cubes {

/// Places of a lattice that may be turned. Left as it is nothing is rounded.
class Frame {
  public:
    Frame() = default;
    /// Turned about a place of the world, by two directions square to each other of length 1.
    Frame(const Vec3& first, const Vec3& second, const Vec3& about);

    bool is_turned() const { return is_turned_; }
    Vec3 to_lattice(const Vec3& p) const;
    Vec3 to_world(const Vec3& p) const;

  private:
    bool is_turned_ = false;
    std::array<Vec3, 3> axes_{Vec3{1, 0, 0}, Vec3{0, 1, 0}, Vec3{0, 0, 1}};
    Vec3 about_;
};

/// As CubeLayout::axes asks for. Throws InputError for more than two directions, and such as are none or along each
/// other.
Frame frame_along(const std::vector<Vec3>& axes, const Vec3& about);

/// The frame to whose axes most flat area of the boundary is square; that of the world unless another has a quarter
/// more. O(n log n).
Frame frame_of_flats(const Surface& boundary);

}  // namespace anvilcast::cubes
