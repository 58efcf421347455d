// Zones without layers beside the walls. Columns slide along them, and they are meshed anew round the strips that the
// stacks take up.
#pragma once

#include <anvilcast/context.hpp>
#include <memory>

#include "layers/heights.hpp"

namespace anvilcast::layers {

/// Places of a foot's levels on its shores: the first is the foot's own. Straight along the step where the foot is
/// free.
class Shores {
  public:
    /// O(n log n) in the triangles of the zones that have strips.
    Shores(const Wall& wall, const std::vector<Direction>& directions, double feature_angle_deg);
    ~Shores();

    bool empty() const;
    /// The place at a height over the foot; nothing when the shore ends before.
    std::optional<Vec3> place(Index foot, double height) const;

    struct Cut {
        std::vector<Vec3> points;         ///< the surface mesh's first, then tops, then new ones
        std::vector<Index> top_of_foot;   ///< a point of these; kNone for a foot with a column that is on no shore
        std::vector<Triangle> triangles;  ///< what is left of the zones, meshed anew
        std::vector<Index> origin;        ///< of each, a triangle of the surface mesh with the same zone and sides
        std::vector<Index> failed;        ///< feet for whose columns no room could be made
    };
    /// Takes the strips out of the zones that have some and meshes the rest with the sizes given; other triangles of
    /// the surface are not among the result. `stack`: of each foot; `top`: the place of its column's top; edges that
    /// reach into the boxes `as_it_is` are kept.
    Cut cut(const std::vector<LayerStack>& stack, const std::vector<Vec3>& top, const std::vector<Box>& as_it_is,
            const SizeField& sizes, const Context& context) const;

    /// Is the triangle of the surface mesh among those that cut() works on?
    bool has(Index triangle) const;

  private:
    struct Impl;
    std::unique_ptr<Impl> impl_;
};

}  // namespace anvilcast::layers
