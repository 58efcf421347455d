// Curves as one arrangement: strands between nodes, which no other strand crosses, and the faces that they enclose.
#pragma once

#include <anvilcast/planar.hpp>
#include <vector>

namespace anvilcast::planar {

/// A stretch of one curve between two nodes, smooth within.
struct Strand {
    struct Sample {
        Vec2 point;
        Index piece = 0;
        double share = 0;  ///< along the piece
        double along = 0;  ///< length of the way from the strand's beginning
    };

    Index curve = 0;
    Index from = 0, to = 0;  ///< nodes
    std::vector<Sample> samples;
    std::array<Index, 2> area{kNone, kNone};  ///< on the left and on the right, as its samples go

    double length() const { return samples.back().along; }
    bool is_loop() const { return from == to; }
};

/// The place at a length of the way along a strand, on its curve.
Vec2 place_at(const Strand& strand, const std::vector<PlaneCurve>& curves, double along);

/// A strand passed in its own direction or backwards.
struct Pass {
    Index strand = 0;
    bool is_forward = true;
    friend bool operator==(const Pass&, const Pass&) = default;
};

using Loop = std::vector<Pass>;

/// What is left of a loop: the outer one runs counter-clockwise, those round holes clockwise.
struct Face {
    Loop outer;
    std::vector<Loop> holes;
    double area = 0;  ///< m^2, holes taken off
};

struct Outline {
    std::vector<Vec2> nodes;
    std::vector<Strand> strands;
    std::vector<Face> faces;  ///< the bounded ones
    /// Nodes at which one strand ends and no other begins.
    std::vector<Index> open_ends;
};

/// Cuts the curves where they meet, exactly decided on their samples (1440 to a turn of an arc, 24 to a span of a
/// spline), joins ends that are within `join` of each other, and finds the faces. Throws InputError, with a place, when
/// two curves run along each other. O(n log n + k^2) for n samples and k ends.
Outline arrange(const std::vector<PlaneCurve>& curves, double join);

/// Is the place inside of the face? Decided on the strands' samples; nothing when it lies on one.
std::optional<bool> is_inside(const Outline& outline, const Face& face, const Vec2& place);

/// A place inside of the face, away from its strands.
Vec2 place_inside(const Outline& outline, const Face& face);

}  // namespace anvilcast::planar
