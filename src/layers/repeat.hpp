// Columns on the sides of a periodic domain: those that are images of each other grow alike.
#pragma once

#include "layers/shore.hpp"
#include "shape/repeats.hpp"

namespace anvilcast::layers {

/// Feet that are images of each other, by one pair of sides or several, form a family. Empty where nothing repeats.
class Repeats {
  public:
    explicit Repeats(const Wall& wall);

    bool empty() const { return families_.empty() && alone_.empty(); }
    /// Families of two and more, the original first. Each member's place is the original's by its placement.
    const std::vector<std::vector<Index>>& families() const { return families_; }
    const Placement& by(Index foot) const { return originals_.by[foot]; }
    /// The family that a foot is of; itself alone where it has none.
    std::vector<Index> family_of(Index foot) const {
        return empty() || family_[foot] == kNone ? std::vector<Index>{foot} : families_[family_[foot]];
    }
    /// Feet on a side that repeats whose images have none: nothing can grow there.
    const std::vector<Index>& alone() const { return alone_; }

    /// Normals of the layered sides at all other members, as they are seen at the foot, each as long as its angle.
    std::vector<Vec3> normals_beyond(Index foot) const;

    /// As many layers for each member of a family as for the others.
    void join_umbrellas(Wall& wall) const;

    /// Puts images of what is left of the first sides in the place of the second ones. Returns feet where rims do not
    /// fit together; then nothing is changed.
    std::vector<Index> repeat_shores(Shores::Cut& cut) const;

    /// A box, and where it goes by each pair, to and fro.
    std::vector<Box> with_images(const Box& box) const;

  private:
    struct Matching;
    void match(Matching& matching, Index pair);
    std::vector<Index> feet_near(const Vec3& place) const;

    const Wall& wall_;
    std::vector<std::vector<Index>> image_of_point_;  // by each pair
    shape::Originals originals_;
    std::vector<Index> family_;  // of each foot; kNone
    std::vector<std::vector<Index>> families_;
    std::vector<Index> alone_;
};

}  // namespace anvilcast::layers
