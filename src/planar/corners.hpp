// Angles where strands meet, and which walls do, whatever lines divide the area between them.
#pragma once

#include <map>
#include <numbers>
#include <optional>
#include <span>

#include "planar/outline.hpp"
#include "planar/vec2.hpp"

namespace anvilcast::planar {

/// Two passes that follow each other round an area, when lines that divide it are not looked at.
struct WallsAt {
    Pass before, after;
    bool is_divided = false;  ///< there are such lines between them
};

class Neighbours {
  public:
    Neighbours(const Outline& outline, const std::vector<PlaneCurve>& curves, std::span<const Face> faces)
        : outline_(outline), curves_(curves) {
        for (const Face& face : faces) {
            add(face.outer);
            for (const Loop& hole : face.holes) add(hole);
        }
    }

    /// At the first node of pass j of a loop; nothing where only dividing lines meet.
    std::optional<WallsAt> at(const Loop& loop, std::size_t j) const {
        WallsAt out{loop[(j + loop.size() - 1) % loop.size()], loop[j]};
        // Across a line, and on to what lies beside it there; round once at most.
        for (std::size_t k = 0; divides(out.before); ++k) {
            if (k > previous_.size()) return std::nullopt;
            out.before = previous_.at(way_of({out.before.strand, !out.before.is_forward}));
            out.is_divided = true;
        }
        for (std::size_t k = 0; divides(out.after); ++k) {
            if (k > next_.size()) return std::nullopt;
            out.after = next_.at(way_of({out.after.strand, !out.after.is_forward}));
            out.is_divided = true;
        }
        return out;
    }
    bool divides(const Pass& p) const { return curves_[outline_.strands[p.strand].curve].divides; }

  private:
    static std::size_t way_of(const Pass& p) { return 2 * std::size_t{p.strand} + (p.is_forward ? 0 : 1); }
    void add(const Loop& loop) {
        for (std::size_t j = 0; j < loop.size(); ++j) {
            next_.insert_or_assign(way_of(loop[j]), loop[(j + 1) % loop.size()]);
            previous_.insert_or_assign(way_of(loop[j]), loop[(j + loop.size() - 1) % loop.size()]);
        }
    }

    const Outline& outline_;
    const std::vector<PlaneCurve>& curves_;
    std::map<std::size_t, Pass> next_, previous_;
};

/// The direction in which a pass leaves its first node, or, away from it, its last one; of length 1.
inline Vec2 leaving(const Outline& outline, const Pass& pass, bool from_start) {
    const auto& samples = outline.strands[pass.strand].samples;
    const bool is_first = from_start == pass.is_forward;
    const Vec2& node = is_first ? samples.front().point : samples.back().point;
    const Vec2& next = is_first ? samples[1].point : samples[samples.size() - 2].point;
    return normalized(next - node);
}

/// From one direction to another, counter-clockwise; 0 to 2 pi.
inline double angle_from(const Vec2& a, const Vec2& b) {
    const double angle = std::atan2(cross(a, b), dot(a, b));
    return angle < 0 ? angle + 2 * std::numbers::pi : angle;
}

/// The share of a strand that layers at one of its ends may slide along.
inline constexpr double kMostTaken = 0.45;

/// Layers slide along what stands on their wall at an angle between 40 and 150 degrees.
inline bool can_slide(double angle) {
    return angle >= 40 * std::numbers::pi / 180 && angle <= 150 * std::numbers::pi / 180;
}

}  // namespace anvilcast::planar
